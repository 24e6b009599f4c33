"""Handing over 1,000,000 cells of all shapes: seconds and memory of every part, and of the whole.

Rates are told over that of VTK's own writer and reader of its format in the same run; the width of
the numbering over that of SciPy's reverse Cuthill–McKee.

    python -m bench.handover [--cells N]
"""

import argparse
import tempfile
import time
from pathlib import Path

import numpy as np
import vtk
from scipy.sparse import coo_array
from scipy.sparse.csgraph import reverse_cuthill_mckee

from bench.memory import Peak
from intaglio.case.document import case_document
from intaglio.handover.parts import CHOSEN, Meant
from intaglio.handover.writing import write_parts
from intaglio.mesh.mesh import Mesh
from intaglio.mesh.numbering import bandwidth, narrow_order, renumbered
from intaglio.quality.values import Values, cell_values
from intaglio.stages.case.step import WRITTEN
from tests.core import any_cells
from tests.core.test_any_cells import vtk_grid
from tests.core.test_case_setup import worked_out


def made(cells: int) -> Mesh:
    """A block of hexahedra, prisms, pyramids and tetrahedra, numbered as it happens."""
    side = round((cells / 1.67) ** (1 / 3))
    mesh = any_cells.mixed_columns((side, side, side))
    return renumbered(mesh, np.random.default_rng(1).permutation(mesh.cells))


def _scipys_width(mesh: Mesh) -> int:
    inner = np.flatnonzero(mesh.neighbour >= 0)
    ends = mesh.owner[inner], mesh.neighbour[inner]
    graph = coo_array((np.ones(len(inner), np.int8), ends), shape=(mesh.cells,) * 2)
    order = reverse_cuthill_mckee((graph + graph.T).tocsr(), symmetric_mode=True)
    place = np.argsort(order)
    return int(np.abs(place[ends[0]] - place[ends[1]]).max())


def _vtk_seconds(mesh: Mesh, path: Path) -> float:
    grid = vtk_grid(mesh)
    start = time.perf_counter()
    writer = vtk.vtkXMLUnstructuredGridWriter()
    writer.SetInputData(grid)
    writer.SetFileName(str(path))
    writer.SetDataModeToAppended()
    writer.EncodeAppendedDataOff()
    writer.SetCompressorTypeToNone()
    writer.Write()
    reader = vtk.vtkXMLUnstructuredGridReader()
    reader.SetFileName(str(path))
    reader.Update()
    return time.perf_counter() - start


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--cells", type=int, default=1_000_000)
    cells = parser.parse_args().cells
    for count in (5_000, cells):  # the first so that no row holds loading of compiled code
        mesh = made(count)
        kinds = np.bincount(mesh.shape)
        with Peak() as peak:
            start = time.perf_counter()
            narrow = renumbered(mesh, narrow_order(mesh))
            numbering = time.perf_counter() - start
        if count == cells:
            print(f"{mesh.cells:,} cells, by shape {kinds.tolist()}, {mesh.faces:,} faces")
            width, scipys = bandwidth(narrow), _scipys_width(mesh)
            print(f"{'numbering':<10}{numbering:>7.2f} s{peak.grown / mesh.cells:>8.0f} B/cell")
            print(
                f"{'':<10}width {width:,}, {width / scipys:.2f} of SciPy's; was {bandwidth(mesh):,}"
            )
        case, _ = worked_out(narrow)
        metrics = cell_values(Values(narrow), WRITTEN)
        faces = {p.name: int((narrow.patch == k).sum()) for k, p in enumerate(narrow.patches)}
        document = case_document(case, faces, "block", "mesh.cgns")
        meant = Meant(narrow, metrics, case, document, {}, "")
        with tempfile.TemporaryDirectory() as folder:
            for keys in (*[[p.key] for p in CHOSEN], [p.key for p in CHOSEN]):
                with Peak() as peak:
                    start = time.perf_counter()
                    sizes = write_parts(meant, keys, Path(folder) / "-".join(keys))
                    seconds = time.perf_counter() - start
                if count == cells:
                    name = keys[0] if len(keys) == 1 else "all"
                    print(f"{name:<10}{seconds:>7.2f} s{peak.grown / mesh.cells:>8.0f} B/cell"
                          f"{sum(sizes.values()) / 1e6:>8.0f} MB", flush=True)  # fmt: skip
                    if name == "vtu":
                        ratio = _vtk_seconds(narrow, Path(folder) / "peer.vtu") / seconds
                        print(f"{'':<10}VTU at {ratio:.2f} of VTK's rate of writing and reading")


if __name__ == "__main__":
    main()
