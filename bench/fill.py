"""From surface to finished, improved tetrahedra: rate and memory, against the Delaunay routine.

The peer is `scipy.spatial.Delaunay` on the very points of the finished mesh in the same run: its
bare rate, with no boundary to recover, no sizes to follow and no quality to reach. Memory is the
peak above what the process held before the filling, in a process of its own.

    python -m bench.fill [--json]
"""

import argparse
import ctypes
import gc
import json
import multiprocessing
import time
from pathlib import Path

from scipy.spatial import Delaunay

from bench.models import surfaced
from intaglio.volume.fill import fill

# model and factor on the sizes of its recipe
ROWS = (
    ("ejector", 1.0), ("ejector", 0.47), ("ejector", 0.385),
    ("drum", 1.0), ("drum", 0.5),
    ("cooler", 1.0),
)  # fmt: skip


def _resident(key: str) -> float:
    for line in Path("/proc/self/status").read_text().splitlines():
        if line.startswith(key):
            return int(line.split()[1]) * 1024.0
    return 0.0


def measure(name: str, factor: float) -> dict[str, float | str]:
    """Cells, rates, ratio and bytes per cell of one filling."""
    small = surfaced("ejector", 2.2)  # loads the compiled code
    fill(small.points, small.triangles, small.region, small.field, sides=small.sides)
    surface = surfaced(name, factor)
    # give back what the surface's making left, so that the filling cannot use it unseen
    gc.collect()
    ctypes.CDLL("libc.so.6").malloc_trim(0)
    Path("/proc/self/clear_refs").write_text("5")
    before = _resident("VmRSS")
    started = time.perf_counter()
    made = fill(
        surface.points, surface.triangles, surface.region, surface.field, sides=surface.sides
    )
    seconds = time.perf_counter() - started
    peak = _resident("VmHWM") - before
    cells = len(made.tets)
    started = time.perf_counter()
    peer = len(Delaunay(made.points).simplices) / (time.perf_counter() - started)
    return {
        "model": name,
        "cells": cells,
        "seconds": seconds,
        "cells_per_second": cells / seconds,
        "peer_per_second": peer,
        "ratio_fill": cells / seconds / peer,
        "bytes_per_tet": peak / cells,
    }


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--json", action="store_true")
    as_json = parser.parse_args().json
    rows = []
    for row in ROWS:
        # a process each: memory that an earlier filling gave back would hide what a later one needs
        with multiprocessing.get_context("spawn").Pool(1) as pool:
            rows.append(pool.apply(measure, row))
    if as_json:
        print(json.dumps(rows[-1] | {"rows": rows}, indent=1))
        return
    print(
        f"{'model':<10}{'cells':>10}{'seconds':>9}{'cells/s':>10}{'peer/s':>10}{'ratio':>7}{'bytes/cell':>12}"
    )
    for r in rows:
        print(f"{r['model']:<10}{r['cells']:>10,.0f}{r['seconds']:>9.1f}{r['cells_per_second']:>10,.0f}"
              f"{r['peer_per_second']:>10,.0f}{r['ratio_fill']:>7.2f}"
              f"{r['bytes_per_tet']:>12,.0f}")  # fmt: skip


if __name__ == "__main__":
    main()
