"""Compiling the numeric code once, so that no first run waits for the compiler."""

import os
import shutil
import time
from dataclasses import replace
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from OCP.BRepAlgoAPI import BRepAlgoAPI_Fuse
from OCP.BRepPrimAPI import BRepPrimAPI_MakeCylinder
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt

from intaglio.cad.step import write_step
from intaglio.parts.taking import Source
from intaglio.recipe.plan import MemoryStore, run_to

# kernels of other states of the source are kept so long, for who goes to and fro between them
KEEP_DAYS = 14


def forget_old_kernels(own: Path, now: float) -> list[Path]:
    """Remove folders of compiled kernels beside `own` that nothing was added to for KEEP_DAYS."""
    gone = [
        folder
        for folder in sorted(own.parent.glob("kernels-*"))
        if folder != own and now - folder.stat().st_mtime > KEEP_DAYS * 86400
    ]
    for folder in gone:
        shutil.rmtree(folder, ignore_errors=True)
    return gone


def warm() -> None:
    """Mesh a small cylinder through every stage, and touch what it does not reach."""
    import numpy as np

    from intaglio.volume.complex import set_incidence
    from intaglio.volume.delaunay import delaunay_complex
    from intaglio.volume.recover import recover_edges, recover_faces

    with TemporaryDirectory() as folder:
        path = Path(folder) / "warm.step"
        # of two halves, so that there is a seam to walk over
        above = gp_Ax2(gp_Pnt(0.0, 0.0, 10.0), gp_Dir(0.0, 0.0, 1.0))
        halves = (
            BRepPrimAPI_MakeCylinder(10.0, 10.0).Shape(),
            BRepPrimAPI_MakeCylinder(above, 10.0, 10.0).Shape(),
        )
        write_step(BRepAlgoAPI_Fuse(*halves).Shape(), path)
        part = Source("warm.step", path.read_bytes())
        given: dict[str, dict[str, Any]] = {"sizing": {"smallest": 2.0, "largest": 4.0}}
        given["layers"] = {"layers": [{"patches": ["*"], "count": 2, "last": 0.3}]}
        run_to("case", part, "warm", given, MemoryStore())
        given["layers"] = {}
        # what an easy part does not reach: counted edges, shells, seams, cells that stay bad
        given["sizing"] |= {
            "sizes": [{"between": ["*", "*"], "count": 48}],
            "regions": [
                {"name": "shell", "shape": "shell", "size": 1.5, "patches": ["*"], "thickness": 1}
            ],
        }
        given["volume"] = {"target": 40.0, "passes": 4}
        _look_at(part, given)
    forget_old_kernels(Path(os.environ["NUMBA_CACHE_DIR"]), time.time())
    cx, _ = delaunay_complex(np.random.default_rng(1).random((40, 3)))
    set_incidence(cx)
    keys = np.zeros(0, np.int64)
    recover_edges(cx, np.array([[0, 1]], np.int32), keys, 40)
    recover_faces(cx, np.array([[0, 1, 2]], np.int32), keys, 40)


def _look_at(part: Source, given: dict[str, dict[str, Any]]) -> None:
    """Mesh a part, then use the mesh as the page and the readers of files do."""
    import numpy as np

    from intaglio.mesh.drawing import boundary_arrays, slice_arrays
    from intaglio.mesh.overlap import overlaps
    from intaglio.mesh.recognising import with_standard_shapes
    from intaglio.quality.forced import forced_cells
    from intaglio.quality.values import Values
    from intaglio.stages.volume import volume_mesh

    store = MemoryStore()
    states = {s.stage: s for s in run_to("volume", part, "warm", given, store)}
    product = store.get(str(states["volume"].key))
    mesh = volume_mesh(product)
    boundary_arrays(mesh)
    values = Values(mesh)
    for key in values.known():
        values.of_cells(key)
    value = values.of_cells("volume")
    for flat in (False, True):
        slice_arrays(mesh, np.array([0.0, 0.0, 1.0]), 10.1, value, flat)
    forced_cells(mesh, np.arange(3))
    overlaps(mesh)
    # the same cells known by their faces alone
    with_standard_shapes(replace(mesh, shape=np.zeros_like(mesh.shape)))
