"""How long commands take until they can begin, over a Python that does nothing.

Processor time of whole processes, the best of some turns, all in one run: help, wrong arguments, a
command that needs the mesh alone, one that needs the CAD kernel, and a server's start.

    python -m bench.starting [--json]
"""

import argparse
import json
import os
import resource
import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
TURNS = 5
_MAIN = "from intaglio.cli import main; main({})"
CASES = {
    "nothing": "pass",
    "intaglio --help": _MAIN.format(["--help"]),
    "wrong arguments": _MAIN.format(["run", "--outside"]),
    "check, of no file": _MAIN.format(["check", "no.cgns"]),
    "the CAD kernel": "import intaglio.parts.cad_kind",
    "a web server": "import django; django.setup(); import intaglio_server.urls, studies.tasks",
}


def seconds(statement: str) -> float:
    """Processor seconds of a Python process, the least of some."""
    paths = [str(ROOT / part) for part in ("core", "server", ".")]
    told = {**os.environ, "PYTHONPATH": os.pathsep.join(paths)}
    told |= {"DJANGO_SETTINGS_MODULE": "intaglio_server.settings"}
    told.pop("PYTHONDONTWRITEBYTECODE", None)
    best = float("inf")
    for _ in range(TURNS):
        before = resource.getrusage(resource.RUSAGE_CHILDREN)
        subprocess.run([sys.executable, "-c", statement], env=told, capture_output=True)
        after = resource.getrusage(resource.RUSAGE_CHILDREN)
        took = after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime
        best = min(best, took)
    return best


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--json", action="store_true")
    args = parser.parse_args()
    told = {name: seconds(statement) for name, statement in CASES.items()}
    rows = [
        {"case": name, "seconds": round(s, 3), "ratio": round(s / told["nothing"], 1)}
        for name, s in told.items()
    ]
    if args.json:
        print(json.dumps(rows))
        return
    for row in rows:
        print(f"{row['case']:<20} {row['seconds']:>7.3f} s  {row['ratio']:>6.1f} times nothing")


if __name__ == "__main__":
    main()
