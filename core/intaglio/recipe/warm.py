"""Compiling the numeric code once, so that no first run waits for the compiler.

The compiler works on one core. So a part is meshed here from the file on, which compiles what sizes
and surfaces need first, while another process fills and judges a block, which needs none of that;
what one has compiled the other finds.
"""

import multiprocessing
import time
from collections.abc import Mapping
from dataclasses import replace
from itertools import permutations
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from intaglio.mesh.mesh import Mesh
from intaglio.numeric import kernels
from intaglio.parts.source import Source
from intaglio.recipe.plan import MemoryStore, run_to
from intaglio.recipe.proving import run_proof


def warm() -> None:
    """Compile all kernels, for processes that come later."""
    beside = multiprocessing.get_context("spawn").Process(target=_work_on_a_block)
    beside.start()
    _mesh_a_part()
    beside.join()
    if beside.exitcode != 0:
        _work_on_a_block()
    kernels.compiled().touch()
    kernels.forget_old_kernels(time.time())


def _mesh_a_part() -> None:
    """Mesh a small cylinder through every stage, with what an easy part does not reach."""
    from OCP.BRepAlgoAPI import BRepAlgoAPI_Fuse
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeCylinder
    from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt

    from intaglio.cad.step import write_step

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
    sizing: dict[str, Any] = {"smallest": 2.0, "largest": 4.0}
    layers = {"layers": [{"patches": ["*"], "count": 2, "last": 0.3}]}
    # and the flow on it
    run_proof(part, "warm", {"sizing": sizing, "layers": layers}, MemoryStore(), 2)
    # counted edges, shells, seams, cells that stay bad
    sizing |= {
        "sizes": [{"between": ["*", "*"], "count": 48}],
        "regions": [
            {"name": "shell", "shape": "shell", "size": 1.5, "patches": ["*"], "thickness": 1}
        ],
    }
    given: Mapping[str, Any] = {
        "sizing": sizing,
        "layers": {"layers": []},
        "volume": {"target": 40.0, "passes": 4},
    }
    from intaglio.stages.volume import volume_mesh

    store = MemoryStore()
    states = {s.stage: s for s in run_to("volume", part, "warm", given, store)}
    _look_at(volume_mesh(store.get(str(states["volume"].key))))
    _follow_balls()


def _follow_balls() -> None:
    """Look for rooms around a tetrahedron's skin."""
    import numpy as np

    from intaglio.rooms.passages import rooms_of

    rows = np.array([[1, 3, 2], [0, 2, 3], [0, 3, 1], [0, 1, 2]], np.int32)
    points = np.concatenate([np.zeros((1, 3)), np.eye(3)])
    rooms_of(points, rows, np.zeros(4, np.int32), 1, 0.05)


def _work_on_a_block() -> None:
    """Grow layers into a block of tetrahedra, fill what they leave, and look at it."""
    import numpy as np

    from intaglio.stages.finished.reading import mesh_of_source
    from intaglio.stages.layers.into_mesh import layers_into
    from intaglio.volume.complex import set_incidence
    from intaglio.volume.delaunay import delaunay_complex
    from intaglio.volume.recover import recover_edges, recover_faces

    cx, _ = delaunay_complex(np.random.default_rng(1).random((40, 3)))
    set_incidence(cx)
    keys = np.zeros(0, np.int64)
    recover_edges(cx, np.array([[0, 1]], np.int32), keys, 40)
    recover_faces(cx, np.array([[0, 1, 2]], np.int32), keys, 40)
    row = {"patches": ["*"], "count": 2, "growth": 1.2, "last": 0.3}
    _look_at(layers_into(_block(6), [row])[0])
    mesh_of_source(Source("warm.vtu", _GRID))


# one polyhedron, whose faces run inward
_GRID = b"""<VTKFile type="UnstructuredGrid" version="1.0"><UnstructuredGrid>
<Piece NumberOfPoints="4" NumberOfCells="1"><Points>
<DataArray type="Float64" NumberOfComponents="3" format="ascii">0 0 0 1 0 0 0 1 0 0 0 1</DataArray>
</Points><Cells>
<DataArray type="Int64" Name="connectivity" format="ascii">0 1 2 3</DataArray>
<DataArray type="Int64" Name="offsets" format="ascii">4</DataArray>
<DataArray type="UInt8" Name="types" format="ascii">42</DataArray>
<DataArray type="Int64" Name="faces" format="ascii">4 3 3 2 1 3 2 3 0 3 3 1 0 3 1 2 0</DataArray>
<DataArray type="Int64" Name="faceoffsets" format="ascii">17</DataArray>
</Cells></Piece></UnstructuredGrid></VTKFile>"""


def _block(n: int) -> Mesh:
    """A cube of n³ cubes of six tetrahedra each (Kuhn 1960), its boundary one wall."""
    import numpy as np

    from intaglio.mesh.building import tet_mesh
    from intaglio.mesh.mesh import Patch

    number = np.arange((n + 1) ** 3).reshape((n + 1,) * 3)
    at = np.stack(np.meshgrid(*[np.arange(n)] * 3, indexing="ij"), axis=-1).reshape(-1, 3)
    tets = []
    for axes in permutations(range(3)):
        corners, here = [at], at
        for axis in axes:
            here = here + np.eye(3, dtype=int)[axis]
            corners.append(here)
        nodes = np.stack([number[tuple(c.T)] for c in corners], axis=1)
        odd = np.linalg.det(np.eye(3)[list(axes)]) < 0
        tets.append(nodes[:, [0, 2, 1, 3]] if odd else nodes)
    cells = np.concatenate(tets).astype(np.int32)
    sides = cells[:, [[1, 2, 3], [0, 3, 2], [0, 1, 3], [0, 2, 1]]].reshape(-1, 3)
    _, first, count = np.unique(
        np.sort(sides, axis=1), axis=0, return_index=True, return_counts=True
    )
    rim = sides[first[count == 1]]
    points = np.stack(np.unravel_index(np.arange(number.size), number.shape), axis=1).astype(float)
    return tet_mesh(points, cells, rim, np.zeros(len(rim), np.int32), (Patch("wall", "wall"),))


def _look_at(mesh: Mesh) -> None:
    """Use a mesh as the page and the readers of files do."""
    import numpy as np

    from intaglio.mesh.drawing import boundary_arrays, slice_arrays
    from intaglio.mesh.overlap import overlaps
    from intaglio.mesh.recognising import with_standard_shapes
    from intaglio.quality.forced import forced_cells
    from intaglio.quality.values import Values

    boundary_arrays(mesh)
    values = Values(mesh)
    for key in values.known():
        values.of_cells(key)
    value = values.of_cells("volume")
    for flat in (False, True):
        slice_arrays(mesh, np.array([0.0, 0.0, 1.0]), 3.1, value, flat)
    forced_cells(mesh, np.arange(3))
    overlaps(mesh)
    # the same cells known by their faces alone
    with_standard_shapes(replace(mesh, shape=np.zeros_like(mesh.shape)))
