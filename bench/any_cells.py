"""Metrics, validity and slices of meshes of 1,000,000 cells, against VTK's on the same mesh.

For metrics the peer computes those that both define alike with its own quality filter; for
validity it runs its cell validator; for slices its plane cutter. `--large` sends 20,000,000 cells
through every part that handles a finished mesh and tells seconds and memory.
"""

import argparse
import resource
import tempfile
import time
from pathlib import Path

import numpy as np
import vtk

from intaglio.formats.cgns import read_cgns, write_cgns
from intaglio.formats.vtu import read_vtu, write_vtu
from intaglio.mesh.drawing import boundary_arrays
from intaglio.mesh.loading import raw_arrays
from intaglio.mesh.mesh import Mesh
from intaglio.mesh.slices import flat_cut
from intaglio.mesh.storing import mesh_arrays, stored_mesh
from intaglio.mesh.validity import check
from intaglio.quality.cells import measure, measure_cells
from intaglio.quality.report import mesh_findings, report
from intaglio.quality.shapes import measure_shapes
from intaglio.quality.values import Values
from tests.core import any_cells
from tests.core.test_any_cells import vtk_grid

# metrics that both define alike, by the peer's names of shapes
SHARED = {
    "Tet": ("Volume", "EquiangleSkew", "EquivolumeSkew", "AspectRatio", "ScaledJacobian"),
    "Hex": ("Volume", "EquiangleSkew", "ScaledJacobian"),
    "Wedge": ("Volume", "EquiangleSkew", "EdgeRatio", "ScaledJacobian"),
}

MADE = {
    "tetrahedra": lambda n: any_cells.tetrahedra(_counts(n / 6)),
    "hexahedra": lambda n: any_cells.hexahedra(_counts(n)),
    "prisms": lambda n: any_cells.prisms(_counts(n / 2)),
}


def _counts(cells: float) -> tuple[int, int, int]:
    side = round((cells / 2) ** (1 / 3))
    return 2 * side, side, side


def _seconds(work) -> float:
    """The best of three runs, or the first if it is long."""
    best = np.inf
    for _ in range(3):
        if best < np.inf and best > 15:
            break
        start = time.perf_counter()
        work()
        best = min(best, time.perf_counter() - start)
    return best


def _vtk_metrics(grid: vtk.vtkUnstructuredGrid) -> None:
    """What both define alike, one after the other as its filter gives them."""
    shape = {10: "Tet", 12: "Hex", 13: "Wedge"}[grid.GetCellType(0)]
    for metric in SHARED[shape]:
        quality = vtk.vtkMeshQuality()
        quality.SetInputData(grid)
        getattr(quality, f"Set{shape}QualityMeasureTo{metric}")()
        quality.Update()


def _our_metrics(mesh: Mesh) -> None:
    """The same, and centroids and edge lengths besides."""
    raw = raw_arrays(mesh)
    measure_cells(mesh, dihedral=False)
    measure_shapes(mesh, raw)


def _vtk_validity(grid: vtk.vtkUnstructuredGrid) -> None:
    validator = vtk.vtkCellValidator()
    validator.SetInputData(grid)
    validator.Update()


def _vtk_slice(grid: vtk.vtkUnstructuredGrid, offset: float) -> None:
    plane = vtk.vtkPlane()
    plane.SetNormal(0.6, 0.0, 0.8)
    plane.SetOrigin(0.6 * offset, 0.0, 0.8 * offset)
    cutter = vtk.vtkPlaneCutter()
    cutter.SetPlane(plane)
    cutter.SetInputData(grid)
    cutter.Update()


def compare(cells: int) -> None:
    """Ratios of rates; the validator, which takes minutes for a million hexahedra, sees a mesh of
    50,000 of them."""
    print(f"{'cells':<14}{'count':>10}{'metrics':>10}{'validity':>10}{'slice':>8}   × VTK's rate")
    normal = np.array([0.6, 0.0, 0.8])
    for name, make in MADE.items():
        mesh, few = make(cells), make(50_000)
        grid, small = vtk_grid(mesh), vtk_grid(few)
        offset = float(mesh.points.mean(axis=0) @ normal)
        ratios = [
            _ratio(lambda m=mesh: _our_metrics(m), lambda g=grid: _vtk_metrics(g)),
            _ratio(lambda m=few: check(m), lambda g=small: _vtk_validity(g)),
            _ratio(
                lambda m=mesh, o=offset: flat_cut(m, normal, o),
                lambda g=grid, o=offset: _vtk_slice(g, o),
            ),
        ]
        print(f"{name:<14}{mesh.cells:>10,}" + "".join(f"{r:>10.2f}" for r in ratios), flush=True)


def _ratio(ours, theirs) -> float:
    ours()
    return _seconds(theirs) / _seconds(ours)


def _peak() -> float:
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 2**20


def large(cells: int) -> None:
    """Every part on one mesh; seconds of each and the peak of memory so far in GiB."""
    folder = Path(tempfile.mkdtemp())

    def step(words: str, work):
        start = time.perf_counter()
        out = work()
        print(f"  {words:<22}{time.perf_counter() - start:>8.1f} s {_peak():>7.1f} GiB", flush=True)
        return out

    for name in ("tetrahedra", "hexahedra"):
        mesh = step(f"{name}: building", lambda n=name: MADE[n](cells))
        print(f"  {mesh.cells:,} cells, {mesh.faces:,} faces, {len(mesh.points):,} points")
        measured = step("metrics", lambda m=mesh: measure(m))
        found = step("validity, findings", lambda m=mesh, q=measured: mesh_findings(m, q))
        assert not [f for f in found if f.level == "error"]
        step("report", lambda m=mesh, q=measured: report(Values(m, q), []))
        step("flat cut", lambda m=mesh: flat_cut(m, np.array([0.6, 0, 0.8]), 1.0))
        step("boundary drawn", lambda m=mesh: boundary_arrays(m))
        step(
            "stored and back", lambda m=mesh: stored_mesh(mesh_arrays(m), m.patches, m.zones, "mm")
        )
        path = folder / "mesh.cgns"
        step("CGNS written", lambda m=mesh, p=path: write_cgns(m, p))
        again = step("CGNS read", lambda p=path: read_cgns(p))
        assert np.array_equal(again.face_nodes, mesh.face_nodes)
        del again
        path.unlink()
        path = folder / "mesh.vtu"
        step("VTU written", lambda m=mesh, p=path, q=measured: write_vtu(
            m, p, {"volume": q.volume}))  # fmt: skip
        again = step("VTU read", lambda p=path: read_vtu(p))
        assert np.array_equal(again.owner, mesh.owner)
        del again, measured, mesh
        path.unlink()


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--cells", type=int, default=1_000_000)
    parser.add_argument("--large", action="store_true", help="20,000,000 cells through every part")
    args = parser.parse_args()
    if args.large:
        large(20_000_000)
    else:
        compare(args.cells)


if __name__ == "__main__":
    main()
