"""Sizes laid out again after a change, in a process that keeps the model: seconds per demo model.

Each change is of one setting, from the recipe's own values; the first run, which has to find out
everything, stands beside them. The ratio is the first run's time over the median change's.

    python -m bench.live [--json]
"""

import argparse
import json
from statistics import median

from bench.models import ROOT
from intaglio.parts.source import together
from intaglio.recipe.plan import MemoryStore, run_to
from intaglio.recipe.recipe import plain_settings, read_recipe

MODELS = ("ejector", "drum", "slot", "buoy", "bracket_bad", "cooler")
# a factor for a setting
CHANGES = (
    ("largest", 0.95),
    ("largest", 0.9),
    ("largest", 1.1),
    ("smallest", 0.95),
    ("smallest", 1.05),
    ("growth", 0.98),
    ("gap_cells", 1.5),
)


def measure(name: str) -> dict[str, float | str]:
    """One row: seconds of the first run, of the median change and of the slowest one."""
    recipe = read_recipe(ROOT / f"demo/recipes/{name}.yaml")
    source = together([(p.name, p.read_bytes()) for p in recipe.parts])
    settings = plain_settings(recipe)
    own = dict(settings.get("sizing", {}))
    store = MemoryStore()

    def laid_out(**change: float) -> tuple[float, dict[str, float]]:
        given = {**settings, "sizing": {**own, **change}}
        rows = run_to("sizing", source, recipe.name, given, store)
        state = next(s for s in rows if s.stage == "sizing")
        assert state.report is not None and state.settings is not None
        return float(state.report["step"]["seconds"]), state.settings

    first, values = laid_out()
    times = [laid_out(**{key: values[key] * factor})[0] for key, factor in CHANGES]
    return {
        "model": name,
        "first": first,
        "median": median(times),
        "slowest": max(times),
        "ratio": first / median(times),
    }


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--json", action="store_true")
    as_json = parser.parse_args().json
    measure("ejector")  # loads the compiled code
    rows = [measure(name) for name in MODELS]
    if as_json:
        print(json.dumps(rows, indent=1))
        return
    print(f"{'model':<14}{'first':>8}{'median':>9}{'slowest':>9}{'ratio':>7}")
    for r in rows:
        print(
            f"{r['model']:<14}{r['first']:>8.2f}{r['median']:>9.2f}{r['slowest']:>9.2f}"
            f"{r['ratio']:>7.1f}"
        )


if __name__ == "__main__":
    main()
