"""Sweep a number of a recipe: how many cells, and how good, at several edge lengths."""

from pathlib import Path

import intaglio

RECIPE = """\
recipe: 1
part: pipe.step
numbers: {edge: 4}
sizing: {smallest: edge, largest: edge}
layers: {layers: []}
"""

if __name__ == "__main__":
    Path("sweep.yaml").write_text(RECIPE, encoding="utf-8")
    print("edge mm     cells   mean skewness")
    for edge in (5.0, 4.0, 3.2):
        study = intaglio.open("sweep.yaml", edge=edge, quiet=True)
        report = study.run("volume")
        skewness = report["quality"]["equiangle_skewness"]["mean"]
        print(f"{edge:>7g}{report['cells']:>10,}{skewness:>16.3f}")
