"""Sweep a number of a recipe: how many cells, and how good, at several lengths of edges."""

from pathlib import Path

import intaglio

RECIPE = """\
recipe: 1
part: pipe.step
numbers: {fine: 4}
sizing: {smallest: fine, largest: fine}
layers: {layers: []}
"""

if __name__ == "__main__":
    Path("sweep.yaml").write_text(RECIPE, encoding="utf-8")
    print("length mm     cells   mean skewness")
    for fine in (5.0, 4.0, 3.2):
        study = intaglio.open("sweep.yaml", fine=fine, quiet=True)
        report = study.run("volume")
        skewness = report["quality"]["equiangle_skewness"]["mean"]
        print(f"{fine:>9g}{report['cells']:>10,}{skewness:>16.3f}")
