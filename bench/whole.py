"""Demo models from part to filled volume at two sizes each, against the standard Delaunay routine.

The peer is `scipy.spatial.Delaunay` on the very points of each finished mesh, in the same run:
its bare rate, without a boundary to recover, sizes to follow or quality to reach.

    python -m bench.whole [--json]
"""

import argparse
import json
import time

import numpy as np
from scipy.spatial import Delaunay

from bench.models import MODELS, run
from intaglio.volume.delaunay import delaunay


def measure(name: str, factor: float) -> dict[str, float | str]:
    """One row: counts, seconds of surface and volume, rates, ratios, and the forecast's."""
    states, store = run(name, factor, "volume")
    seconds = {k: s.report["step"]["seconds"] for k, s in states.items() if s.report}
    product = store.get(str(states["volume"].key))
    points = np.ascontiguousarray(product.arrays["points"])
    started = time.perf_counter()
    peer = len(Delaunay(points).simplices)
    peer_seconds = time.perf_counter() - started
    started = time.perf_counter()
    own = len(delaunay(points))
    own_seconds = time.perf_counter() - started
    cells = product.report["cells"]
    sizing = states["sizing"].report
    assert sizing is not None
    rate = cells / seconds["volume"]
    return {
        "model": name,
        "cells": cells,
        "triangles": states["surface"].report["triangles"] if states["surface"].report else 0,
        "surface_seconds": seconds["surface"],
        "volume_seconds": seconds["volume"],
        "cells_per_second": rate,
        "peer_cells_per_second": peer / peer_seconds,
        "ratio_fill": rate / (peer / peer_seconds),
        "ratio_delaunay": (own / own_seconds) / (peer / peer_seconds),
        "forecast": sizing["forecast"]["cells"] / cells,
        "smallest_dihedral": product.report["quality"]["smallest_dihedral"]["min"],
        "largest_skewness": product.report["quality"]["equiangle_skewness"]["max"],
    }


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--json", action="store_true")
    as_json = parser.parse_args().json
    measure("ejector", 2.2)  # so that no row holds loading of compiled code
    rows = [measure(name, factor) for name in MODELS for factor in (1.5, 1.0)]
    if as_json:
        print(json.dumps(rows, indent=1))
        return
    print(f"{'':<10}{'cells':>10}{'surface':>10}{'volume':>10}{'cells/s':>10}"
          f"{'peer/s':>10}{'fill/peer':>11}{'Delaunay/peer':>15}"
          f"{'forecast':>10}{'dihedral':>10}")  # fmt: skip
    for r in rows:
        print(f"{r['model']:<10}{r['cells']:>10,}{r['surface_seconds']:>9.1f}s"
              f"{r['volume_seconds']:>9.1f}s{r['cells_per_second']:>10,.0f}"
              f"{r['peer_cells_per_second']:>10,.0f}{r['ratio_fill']:>11.2f}"
              f"{r['ratio_delaunay']:>15.2f}{r['forecast']:>10.2f}"
              f"{r['smallest_dihedral']:>9.1f}°")  # fmt: skip


if __name__ == "__main__":
    main()
