"""The surface mesher: triangles per second, and against the Delaunay routine's cells per second.

python -m bench.surface [--json]
"""

import argparse
import json
import time

import numpy as np
from scipy.spatial import Delaunay

from bench.models import MODELS, surfaced


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--json", action="store_true")
    as_json = parser.parse_args().json
    surfaced("ejector", 2.2)  # loads the compiled code
    points = np.random.default_rng(1).random((100_000, 3))
    started = time.perf_counter()
    peer = len(Delaunay(points).simplices) / (time.perf_counter() - started)
    rows = []
    for name, factor in [(m, 1.0) for m in MODELS] + [("ejector", 0.47), ("cooler", 0.4)]:
        made = surfaced(name, factor)
        rate = len(made.triangles) / made.seconds
        rows.append(
            {
                "model": name,
                "triangles": len(made.triangles),
                "seconds": made.seconds,
                "triangles_per_second": rate,
                "ratio_surface": rate / peer,
            }
        )
    if as_json:
        print(json.dumps(rows[-1] | {"peer_per_second": peer, "rows": rows}, indent=1))
        return
    print(f"{'model':<10}{'triangles':>10}{'seconds':>9}{'triangles/s':>13}{'ratio':>8}")
    for r in rows:
        print(f"{r['model']:<10}{r['triangles']:>10,}{r['seconds']:>9.1f}{r['triangles_per_second']:>13,.0f}"
              f"{r['ratio_surface']:>8.3f}")  # fmt: skip


if __name__ == "__main__":
    main()
