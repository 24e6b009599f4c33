"""Damaged files of every format, read as a job reads them: what became of each.

Each is read in a process of its own with a limit on memory and time. The table counts, by format,
those that were read, those refused in words, and whatever else happened, which should be nothing.

    python -m bench.damaged [--count 5000] [--from 0] [--json]
"""

import argparse
import json
import multiprocessing
import resource
import time
from collections import Counter
from dataclasses import asdict, dataclass
from multiprocessing.connection import Connection

from intaglio.errors import IntaglioError
from intaglio.parts.source import Source, together
from intaglio.recipe.plan import MemoryStore, run_to
from intaglio.stages.finished import is_finished
from tests.damaging import damaged, originals

# of one file: bytes of memory, and seconds
_MEMORY, _SECONDS = 8 * 2**30, 30.0


@dataclass(frozen=True)
class Outcome:
    """What became of one file, and what it took."""

    seed: int
    name: str
    damage: str
    end: str
    seconds: float
    megabytes: float


def read_damaged(name: str, data: bytes) -> str:
    """`read`, or `refused` with the code; anything else is raised."""
    try:
        source = together([(name, data)])
        target = "volume" if is_finished(source.name) else "geometry"
        run_to(target, Source(source.name, source.data), "damaged", {}, MemoryStore())
    except IntaglioError as error:
        if not error.message:
            raise
        return f"refused: {error.code}"
    return "read"


def _child(there: Connection, name: str, data: bytes) -> None:
    resource.setrlimit(resource.RLIMIT_DATA, (_MEMORY, _MEMORY))
    try:
        end = read_damaged(name, data)
    except MemoryError:
        end = "memory"
    except BaseException as error:
        end = f"fault: {type(error).__name__}: {str(error)[:120]}"
    there.send((end, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024))


def outcome(seed: int) -> Outcome:
    """Read one damaged file in a process of its own."""
    name, damage, data = damaged(seed)
    # as jobs are: from a process that has loaded everything and runs no threads
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload(["bench.damaged"])
    here, there = context.Pipe(duplex=False)
    begun = time.perf_counter()
    child = context.Process(target=_child, args=(there, name, data), daemon=True)
    child.start()
    there.close()
    end, megabytes = "", 0.0
    try:
        if here.poll(_SECONDS):
            end, megabytes = here.recv()
        else:
            end = "too long"
            child.kill()
    except EOFError:
        pass
    child.join()
    if not end:
        end = f"crashed: {child.exitcode}"
    return Outcome(seed, name, damage, end, time.perf_counter() - begun, megabytes)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("--count", type=int, default=5000)
    parser.add_argument("--from", type=int, default=0, dest="first")
    parser.add_argument("--json", action="store_true")
    asked = parser.parse_args()
    originals()
    ends: dict[str, Counter[str]] = {}
    most, slowest = 0.0, 0.0
    for seed in range(asked.first, asked.first + asked.count):
        made = outcome(seed)
        kind = made.end.split(":")[0]
        ends.setdefault(made.name, Counter())[kind] += 1
        most, slowest = max(most, made.megabytes), max(slowest, made.seconds)
        if asked.json:
            print(json.dumps(asdict(made)), flush=True)
        elif kind not in ("read", "refused"):
            print(made, flush=True)
    if not asked.json:
        for name, counts in sorted(ends.items()):
            print(f"{name:18}", *(f"{kind} {n}" for kind, n in sorted(counts.items())), sep="  ")
        print(f"at most {most:,.0f} MB and {slowest:.1f} s for one file")


if __name__ == "__main__":
    main()
