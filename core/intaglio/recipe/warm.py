"""Compiling the numeric code once, so that no first run waits for the compiler."""

from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from OCP.BRepPrimAPI import BRepPrimAPI_MakeCylinder

from intaglio.cad.step import write_step
from intaglio.parts.taking import Source
from intaglio.recipe.plan import MemoryStore, run_to


def warm() -> None:
    """Mesh a small cylinder through every stage, and touch what it does not reach."""
    import numpy as np

    from intaglio.volume.complex import set_incidence
    from intaglio.volume.delaunay import delaunay_complex
    from intaglio.volume.recover import recover_edges, recover_faces

    with TemporaryDirectory() as folder:
        path = Path(folder) / "warm.step"
        write_step(BRepPrimAPI_MakeCylinder(10.0, 20.0).Shape(), path)
        part = Source("warm.step", path.read_bytes())
        given: dict[str, dict[str, Any]] = {"sizing": {"smallest": 2.0, "largest": 4.0}}
        run_to("case", part, "warm", given, MemoryStore())
        # what an easy part does not reach: counted edges, shells, seams, cells that stay bad
        given["sizing"] |= {
            "sizes": [{"between": ["*", "*"], "count": 48}],
            "regions": [
                {"name": "shell", "shape": "shell", "size": 1.5, "patches": ["*"], "thickness": 1}
            ],
        }
        given["surface"] = {"walk_over": 1.0}
        given["volume"] = {"target": 40.0, "passes": 4}
        run_to("volume", part, "warm", given, MemoryStore())
    cx, _ = delaunay_complex(np.random.default_rng(1).random((40, 3)))
    set_incidence(cx)
    keys = np.zeros(0, np.int64)
    recover_edges(cx, np.array([[0, 1]], np.int32), keys, 40)
    recover_faces(cx, np.array([[0, 1, 2]], np.int32), keys, 40)
