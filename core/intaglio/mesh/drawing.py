"""Faces of cells as triangles for a screen, which know which of their sides are edges of cells."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from intaglio.mesh.mesh import Ints, Longs, Mesh, fan, rows
from intaglio.mesh.slices import crossed_cells, cut_lines, flat_cut, outer_faces

Arrays = dict[str, NDArray[Any]]


def _drawn(start: Longs, nodes: NDArray[Any]) -> tuple[NDArray[np.int32], Longs, NDArray[np.uint8]]:
    """Triangles (t, 3) of polygons, the polygon (t,) of each, and its sides (t,): bit i is set
    where the side from corner i to the next is an edge of the polygon, not a diagonal."""
    triangles, polygon = fan(start, nodes)
    size = np.diff(start)
    first = np.concatenate([[0], np.cumsum(size - 2)])[:-1]
    step = np.arange(len(polygon)) - first[polygon]
    sides = np.full(len(polygon), 2, np.uint8)
    sides[step == 0] |= 1
    sides[step == size[polygon] - 3] |= 4
    return triangles, polygon, sides


def _with_points(mesh: Mesh, triangles: NDArray[np.int32]) -> Arrays:
    """Triangles (t, 3) with none but their own points."""
    used, local = np.unique(triangles, return_inverse=True)
    return {
        "points": mesh.points[used].astype(np.float32),
        "triangles": local.reshape(-1, 3).astype(np.int32),
    }


def boundary_arrays(mesh: Mesh) -> Arrays:
    """The faces on patches: points, triangles, sides, and the patch of each as region."""
    own = np.flatnonzero(mesh.patch >= 0)
    triangles, polygon, sides = _drawn(*rows(mesh.face_start, mesh.face_nodes, own))
    return {
        **_with_points(mesh, triangles),
        "sides": sides,
        "region": mesh.patch[own][polygon],
    }


def boundary_triangles(mesh: Mesh) -> tuple[NDArray[np.float64], NDArray[np.int32], Ints]:
    """The faces on patches as triangles: points (n, 3) as exact as the mesh's, triangles (t, 3),
    and the patch (t,) of each."""
    own = np.flatnonzero(mesh.patch >= 0)
    triangles, polygon = fan(*rows(mesh.face_start, mesh.face_nodes, own))
    used, local = np.unique(triangles, return_inverse=True)
    return mesh.points[used], local.reshape(-1, 3).astype(np.int32), mesh.patch[own][polygon]


def rim_arrays(mesh: Mesh, value: NDArray[np.float32]) -> Arrays:
    """Faces that have a value (f,), which is not nan, each with it and the cell behind it."""
    own = np.flatnonzero(np.isfinite(value))
    triangles, polygon, sides = _drawn(*rows(mesh.face_start, mesh.face_nodes, own))
    return {
        **_with_points(mesh, triangles),
        "sides": sides,
        "value": value[own][polygon],
        "cell": mesh.owner[own][polygon].astype(np.int32),
    }


def cell_arrays(mesh: Mesh, cells: Longs, value: NDArray[Any]) -> Arrays:
    """The faces that bound a set of cells, each with its cell and that cell's value (c,)."""
    outline = outer_faces(mesh, cells)
    triangles, polygon, sides = _drawn(outline.start, outline.nodes)
    return {
        **_with_points(mesh, triangles),
        "sides": sides,
        "value": value[outline.cell[polygon]],
        "cell": outline.cell[polygon].astype(np.int32),
    }


def peeled_arrays(
    mesh: Mesh,
    layer: NDArray[Any],
    normal: NDArray[np.float64],
    offset: float,
    value: NDArray[Any],
) -> tuple[Arrays, int]:
    """The cells in layers, layer (c,) over 0, whose nodes lie in the mean where normal · x >=
    offset, without the core between them; and how many they are."""
    size = np.diff(mesh.cell_start)
    height = np.add.reduceat((mesh.points @ normal)[mesh.cell_nodes], mesh.cell_start[:-1])
    cells = np.flatnonzero((layer > 0) & (height >= offset * size))
    return cell_arrays(mesh, cells, value), len(cells)


def slice_arrays(
    mesh: Mesh, normal: NDArray[np.float64], offset: float, value: NDArray[Any], flat: bool
) -> tuple[Arrays, int, float]:
    """What the plane normal · x = offset shows, whole cells or the flat cut with the lines in which
    patches are cut; of how many cells; and how far they reach along the normal, in the median."""
    cells = crossed_cells(mesh, normal, offset)
    step = _reach(mesh, cells, normal)
    if not flat:
        return cell_arrays(mesh, cells, value), len(cells), step
    cut = flat_cut(mesh, normal, offset, cells)
    triangles, polygon, sides = _drawn(cut.start, np.arange(len(cut.points)))
    arrays: Arrays = {
        "points": cut.points.astype(np.float32),
        "triangles": triangles,
        "sides": sides,
        "value": value[cut.cell[polygon]],
        "cell": cut.cell[polygon].astype(np.int32),
        "lines": cut_lines(mesh, normal, offset).astype(np.float32),
    }
    return arrays, len(cells), step


def _reach(mesh: Mesh, cells: Longs, normal: NDArray[np.float64]) -> float:
    """Median extent of cells along a unit normal; 0 for none."""
    if not len(cells):
        return 0.0
    start, nodes = rows(mesh.cell_start, mesh.cell_nodes, cells)
    height = mesh.points[nodes] @ normal
    high = np.maximum.reduceat(height, start[:-1])
    return float(np.median(high - np.minimum.reduceat(height, start[:-1])))
