"""The Delaunay kernel, exact predicates included, against the standard library's routine.

The peer is `scipy.spatial.Delaunay` on the same points in the same run: 300,000 random points, and
the points of a finished mesh of the ejector, many of them co-planar or co-circular.

    python -m bench.delaunay [--json]
"""

import argparse
import json
import time

import numpy as np
from scipy.spatial import Delaunay

from bench.models import surfaced
from intaglio.volume.delaunay import delaunay
from intaglio.volume.fill import fill

# the machine's speed varies from second to second: both are run in turn, the best of each counts
TURNS = 4


def rates(points: np.ndarray) -> tuple[float, float]:
    """Tetrahedra per second of processor time of the kernel and of the peer, best of the turns."""
    own, peer = 0.0, 0.0
    for _ in range(TURNS):
        started = time.process_time()
        made = len(delaunay(points))
        middle = time.process_time()
        own = max(own, made / (middle - started))
        given = len(Delaunay(points).simplices)
        peer = max(peer, given / (time.process_time() - middle))
    return own, peer


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--json", action="store_true")
    as_json = parser.parse_args().json
    delaunay(np.random.default_rng(0).random((2000, 3)))  # loads the compiled code
    surface = surfaced("ejector", 0.47)
    made = fill(
        surface.points, surface.triangles, surface.region, surface.field, sides=surface.sides
    )
    rows = {
        "random": np.random.default_rng(1).random((300_000, 3)),
        "mesh": made.points,
    }
    out: dict[str, float] = {}
    for name, points in rows.items():
        own, peer = rates(np.ascontiguousarray(points))
        out |= {f"ratio_{name}": own / peer, f"own_{name}": own, f"peer_{name}": peer}
        out[f"points_{name}"] = len(points)
    if as_json:
        print(json.dumps(out, indent=1))
        return
    print(f"{'points':<16}{'number':>10}{'own/s':>12}{'peer/s':>12}{'ratio':>8}")
    for name in rows:
        print(f"{name:<16}{out[f'points_{name}']:>10,.0f}{out[f'own_{name}']:>12,.0f}"
              f"{out[f'peer_{name}']:>12,.0f}{out[f'ratio_{name}']:>8.1f}")  # fmt: skip


if __name__ == "__main__":
    main()
