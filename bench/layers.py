"""Growing layers on the demo models, against the rate of tetrahedra in the same run.

Layer cells per second of the stage Layers, of Volume with layers less the time that the same core
takes by its tetrahedra's rate, and both over the rate at which Volume makes tetrahedra alone.

    python -m bench.layers [--json]
"""

import argparse
import json

from bench.models import run

CASES = (("ejector", 1.0, 8), ("ejector", 1.0, 24), ("drum", 1.0, 12), ("buoy", 1.0, 12))


def measure(name: str, factor: float, count: int) -> dict[str, float | str]:
    """One row: cells in layers, seconds, rates and the shares of walls that are covered."""
    bare, _ = run(name, factor, "volume")
    rows = [{"patches": ["*"], "count": count, "growth": 1.15, "last": 0.4}]
    states, _ = run(name, factor, "volume", {"layers": {"layers": rows}})
    told = {key: state.report for key, state in states.items() if state.report is not None}
    alone = bare["volume"].report
    assert alone is not None
    tets_per_second = alone["cells"] / alone["step"]["seconds"]
    layers, volume = told["layers"], told["volume"]
    core = volume["cells"] - volume["layer_cells"]
    rest = max(1e-9, volume["step"]["seconds"] - core / tets_per_second)
    seconds = layers["step"]["seconds"]
    area = sum(p["area"] for p in layers["patches"])
    return {
        "model": name,
        "count": count,
        "layer_cells": volume["layer_cells"],
        "grow_seconds": seconds,
        "layers_per_second": volume["layer_cells"] / seconds,
        "with_checks_per_second": volume["layer_cells"] / (seconds + rest),
        "tets_per_second": tets_per_second,
        "ratio": volume["layer_cells"] / seconds / tets_per_second,
        "full": sum(p["area"] * p["full"] for p in layers["patches"]) / area,
        "bytes_per_cell": 1e6 * layers["step"]["peak_mb"] / volume["layer_cells"],
    }


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--json", action="store_true")
    as_json = parser.parse_args().json
    measure("ejector", 2.2, 4)  # so that no row holds loading of compiled code
    rows = [measure(*case) for case in CASES]
    if as_json:
        print(json.dumps(rows, indent=1))
        return
    print(f"{'':<10}{'count':>6}{'cells':>10}{'growing':>9}{'cells/s':>10}{'checked/s':>11}"
          f"{'tets/s':>9}{'ratio':>7}{'covered':>9}")  # fmt: skip
    for r in rows:
        print(f"{r['model']:<10}{r['count']:>6}{r['layer_cells']:>10,}{r['grow_seconds']:>8.1f}s"
              f"{r['layers_per_second']:>10,.0f}{r['with_checks_per_second']:>11,.0f}"
              f"{r['tets_per_second']:>9,.0f}{r['ratio']:>7.1f}{r['full']:>9.1%}")  # fmt: skip


if __name__ == "__main__":
    main()
