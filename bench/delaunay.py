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


def rates(points: np.ndarray) -> tuple[float, float]:
    """Tetrahedra per second of the kernel and of the peer."""
    started = time.perf_counter()
    own = len(delaunay(points))
    middle = time.perf_counter()
    peer = len(Delaunay(points).simplices)
    return own / (middle - started), peer / (time.perf_counter() - middle)


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
