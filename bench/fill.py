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
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import Delaunay

from intaglio.parts.taking import Source
from intaglio.recipe.plan import MemoryStore, run_to
from intaglio.recipe.recipe import plain_settings, read_recipe
from intaglio.sizing.octree import SizeField
from intaglio.stages.sizing.step import field_of
from intaglio.volume.fill import Filling, fill

ROOT = Path(__file__).resolve().parents[1]


@dataclass(frozen=True)
class Surfaced:
    """A surface mesh, ready to be filled, and how long it took."""

    points: NDArray[np.float64]
    triangles: NDArray[np.int32]
    region: NDArray[np.int32]
    field: SizeField
    seconds: float


def ejector_surface(smallest: float, largest: float) -> Surfaced:
    """The ejector's surface mesh at these sizes (mm)."""
    recipe = read_recipe(ROOT / "demo/recipes/ejector.yaml")
    settings = plain_settings(recipe)
    settings["sizing"] |= {"smallest": smallest, "largest": largest}
    source = Source(recipe.parts[0].name, recipe.parts[0].read_bytes())
    store = MemoryStore()
    states = {s.stage: s for s in run_to("surface", source, recipe.name, settings, store)}
    product, sizing = (store.get(str(states[k].key)) for k in ("surface", "sizing"))
    points, triangles, region = (
        np.ascontiguousarray(product.arrays[k]) for k in ("points", "triangles", "region")
    )
    seconds = product.report["step"]["seconds"]
    return Surfaced(points, triangles, region, field_of(sizing), seconds)


def filled(s: Surfaced) -> Filling:
    return fill(s.points, s.triangles, s.region, s.field)


def ejector(smallest: float, largest: float) -> Filling:
    """The ejector filled at these sizes (mm)."""
    return filled(ejector_surface(smallest, largest))


def _resident(key: str) -> float:
    for line in Path("/proc/self/status").read_text().splitlines():
        if line.startswith(key):
            return int(line.split()[1]) * 1024.0
    return 0.0


def measure(smallest: float, largest: float) -> dict[str, float]:
    """Cells, rates, ratio and bytes per cell of one filling."""
    ejector(6.0, 9.0)  # loads the compiled code
    surface = ejector_surface(smallest, largest)
    # give back what the surface's making left, so that the filling cannot use it unseen
    gc.collect()
    ctypes.CDLL("libc.so.6").malloc_trim(0)
    Path("/proc/self/clear_refs").write_text("5")
    before = _resident("VmRSS")
    started = time.perf_counter()
    made = filled(surface)
    seconds = time.perf_counter() - started
    peak = _resident("VmHWM") - before
    cells = len(made.tets)
    started = time.perf_counter()
    peer = len(Delaunay(made.points).simplices) / (time.perf_counter() - started)
    return {
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
    for sizes in ((1.6, 4.0), (0.75, 2.0), (0.6, 1.58)):
        # a process each: memory that an earlier filling gave back would hide what a later one needs
        with multiprocessing.get_context("spawn").Pool(1) as pool:
            rows.append(pool.apply(measure, sizes))
    if as_json:
        print(json.dumps(rows[-1] | {"rows": rows}, indent=1))
        return
    print(f"{'cells':>10}{'seconds':>9}{'cells/s':>10}{'peer/s':>10}{'ratio':>7}{'bytes/cell':>12}")
    for r in rows:
        print(f"{r['cells']:>10,.0f}{r['seconds']:>9.1f}{r['cells_per_second']:>10,.0f}"
              f"{r['peer_per_second']:>10,.0f}{r['ratio_fill']:>7.2f}"
              f"{r['bytes_per_tet']:>12,.0f}")  # fmt: skip


if __name__ == "__main__":
    main()
