"""Figures of finished meshes, measured by other means than those that made them."""

from dataclasses import dataclass

import numpy as np
import vtk
from scipy.spatial import cKDTree
from vtk.util.numpy_support import numpy_to_vtk, numpy_to_vtkIdTypeArray

from intaglio.quality.cells import dihedral_angles, equiangle_skewness, tet_volumes
from intaglio.quality.triangles import triangle_angles
from intaglio.sizing.octree import sizes
from intaglio.stages.sizing.made import field_of
from intaglio.stages.volume import volume_mesh


@dataclass(frozen=True)
class SurfaceFigures:
    """Least angle; share of angles within 30..110°; share of edges within 0.7..1.5 of the field;
    distance of edges' middles from the reference over the edge's length, of 99.9 % and the largest,
    but where the smallest edge keeps edges from following the curvature."""

    least_angle: float
    angles_within: float
    edges_within: float
    distance: float
    largest_distance: float


def _edges(triangles):
    pairs = np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]])
    return np.unique(np.sort(pairs, axis=1), axis=0)


def poly_data(points, triangles) -> vtk.vtkPolyData:
    held = vtk.vtkPoints()
    held.SetData(numpy_to_vtk(np.ascontiguousarray(points), deep=True))
    cells = vtk.vtkCellArray()
    cells.SetData(3, numpy_to_vtkIdTypeArray(triangles.astype(np.int64).ravel(), deep=True))
    out = vtk.vtkPolyData()
    out.SetPoints(held)
    out.SetPolys(cells)
    return out


def distances(spots, points, triangles) -> np.ndarray:
    """Distance (n,) from spots (n, 3) to the triangles, by VTK."""
    locator = vtk.vtkStaticCellLocator()
    locator.SetDataSet(poly_data(points, triangles))
    locator.BuildLocator()
    near, cell = [0.0, 0.0, 0.0], vtk.vtkGenericCell()
    number, sub, square = vtk.mutable(0), vtk.mutable(0), vtk.mutable(0.0)
    out = np.empty(len(spots))
    for k, spot in enumerate(spots):
        locator.FindClosestPoint(spot, near, cell, number, sub, square)
        out[k] = float(square) ** 0.5
    return out


def surface_figures(surface, sizing, reference, smallest) -> SurfaceFigures:
    """Of a product of the surface stage; reference: points and triangles, finer than the mesh."""
    points, triangles = surface.arrays["points"], surface.arrays["triangles"]
    angles = triangle_angles(points, triangles)
    pairs = _edges(triangles)
    length = np.linalg.norm(points[pairs[:, 0]] - points[pairs[:, 1]], axis=1)
    middle = points[pairs].mean(axis=1)
    # where the surface was mended it has a field of its own
    field = field_of(surface if "child" in surface.arrays else sizing)
    ratio = length / sizes(field, middle)
    rng = np.random.default_rng(3)
    free = np.flatnonzero(sizes(field, middle) > 1.1 * smallest)
    pick = rng.choice(free, min(4000, len(free)), replace=False)
    off = distances(middle[pick], *reference) / length[pick]
    return SurfaceFigures(
        float(angles.min()),
        float(((angles >= 30) & (angles <= 110)).mean()),
        float(((ratio >= 0.7) & (ratio <= 1.5)).mean()),
        float(np.quantile(off, 0.999)),
        float(off.max()),
    )


@dataclass(frozen=True)
class VolumeFigures:
    """Least and largest dihedral angle; largest and mean equiangle skewness; largest ratio of
    neighbouring volumes and the share of those up to 3; growth: the steepest rise of the cells'
    size over distance along random rays."""

    least_dihedral: float
    largest_dihedral: float
    worst_skewness: float
    mean_skewness: float
    worst_ratio: float
    ratios_within: float
    growth: float


def volume_figures(volume) -> VolumeFigures:
    """Of the product of the volume stage."""
    mesh = volume_mesh(volume)
    points, tets = mesh.points, mesh.tets
    least, largest = dihedral_angles(points, tets)
    skewness = equiangle_skewness(points, tets)
    ratios = neighbour_ratios(points, tets)
    return VolumeFigures(
        float(least.min()),
        float(largest.max()),
        float(skewness.max()),
        float(skewness.mean()),
        float(ratios.max()),
        float((ratios <= 3.0).mean()),
        growth_along_rays(points, tets),
    )


def neighbour_ratios(points, tets) -> np.ndarray:
    """Larger over smaller volume of each pair of cells with a common face, found by sorting."""
    faces = np.sort(tets[:, [[1, 2, 3], [0, 2, 3], [0, 1, 3], [0, 1, 2]]].reshape(-1, 3), axis=1)
    order = np.lexsort(faces.T)
    same = (faces[order[1:]] == faces[order[:-1]]).all(axis=1)
    volume = tet_volumes(points, tets)
    a, b = volume[order[1:][same] // 4], volume[order[:-1][same] // 4]
    return np.maximum(a, b) / np.minimum(a, b)


def growth_along_rays(points, tets, rays: int = 300) -> float:
    """The 99th percentile of the rise of mean cell size over distance between places on rays.

    The size of a cell is the edge of the regular tetrahedron of its volume; at a place it is the
    mean over the forty nearest cells, so that one cell's shape does not count as growth.
    """
    rng = np.random.default_rng(11)
    centre = points[tets].mean(axis=1)
    size = (6 * np.sqrt(2) * tet_volumes(points, tets)) ** (1 / 3)
    tree = cKDTree(centre)
    start = centre[rng.choice(len(tets), rays)]
    way = rng.normal(size=(rays, 3))
    way /= np.linalg.norm(way, axis=1)[:, None]

    def at(spots):
        return size[tree.query(spots, 40)[1]].mean(axis=1)

    here = at(start)
    step = 5.0 * here
    there = start + step[:, None] * way
    # where the ray has left the domain the nearest cell is far
    inside = tree.query(there)[0] < at(there)
    return float(np.quantile(np.abs(at(there) - here)[inside] / step[inside], 0.99))
