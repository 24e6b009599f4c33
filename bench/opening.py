"""Opening a part: reading, measuring, findings and first picture, over the CAD kernel's own time.

The peer is the kernel reading the file and tessellating it once, as fine as the screen asks for, in
the same run. Processor time, the best of some turns; parts of the tests' set, none like the demo's.

    python -m bench.opening [--json]
"""

import argparse
import json
import time

import numpy as np
from OCP.BRepMesh import BRepMesh_IncrementalMesh

from intaglio.cad.measures import bounds
from intaglio.cad.read import read_cad
from intaglio.cad.tessellation import SHOWN, SHOWN_TURN
from intaglio.parts.source import Source
from intaglio.recipe.plan import MemoryStore, run_to
from tests.core.world import SET
from tests.core.world.model import source

PARTS = ("lofted 0", "thread 0", "fillets that run out 0", "waves, many poles 0", "assembly 0")
TURNS = 3


def times(file: Source) -> tuple[float, float]:
    """Seconds that opening takes, and that the kernel takes to read and tessellate."""
    own, peer = np.inf, np.inf
    for _ in range(TURNS):
        started = time.process_time()
        part = read_cad(file.data, file.name)
        middle = time.process_time()
        low, high = bounds(part.shape)
        linear = SHOWN * float(np.linalg.norm(high - low))
        again = time.process_time()
        BRepMesh_IncrementalMesh(part.shape, linear, False, SHOWN_TURN, False)
        peer = min(peer, middle - started + time.process_time() - again)
        started = time.process_time()
        run_to("geometry", file, "part", {"geometry": {"unit": "mm"}}, MemoryStore())
        own = min(own, time.process_time() - started)
    return own, peer


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--json", action="store_true")
    as_json = parser.parse_args().json
    times(source(SET["knob 0"].make()))  # loads the compiled code
    rows = {name: times(source(SET[name].make())) for name in PARTS}
    if as_json:
        print(json.dumps({name: {"own": own, "peer": peer} for name, (own, peer) in rows.items()}))
        return
    print(f"{'part':<26}{'own':>8}{'kernel':>8}{'ratio':>8}{'(own-1)/kernel':>16}")
    for name, (own, peer) in rows.items():
        print(f"{name:<26}{own:>8.2f}{peer:>8.2f}{own / peer:>8.1f}{(own - 1) / peer:>16.1f}")


if __name__ == "__main__":
    main()
