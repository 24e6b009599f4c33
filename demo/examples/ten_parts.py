"""Mesh ten parts with one set of settings; one that fails does not stop the others."""

import shutil
from pathlib import Path

import intaglio
from intaglio.errors import IntaglioError

SETTINGS = {
    "sizing": {"largest": 5.0, "smallest": 5.0},
    "layers": {"layers": []},
    "case": {"files": ["cgns"], "length": "m"},
}

if __name__ == "__main__":
    # ten files of the same part stand for a family here
    parts = [Path(f"part_{k + 1:02d}.step") for k in range(10)]
    for part in parts:
        shutil.copy("pipe.step", part)
    for part in parts:
        study = intaglio.open(part, quiet=True).set(**SETTINGS)
        try:
            study.export(Path("meshes") / part.stem)
            print(f"{part.name}: {study.run('volume')['cells']:,} cells")
        except IntaglioError as error:
            # one that fails does not stop the others
            print(f"{part.name}: {error.message}")
