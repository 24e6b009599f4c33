"""Where a surface mesh does not hold, and the smaller edges that shall mend it."""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from intaglio.numeric.boxtree import beyond
from intaglio.numeric.intersections import crossing_triangles
from intaglio.quality.triangles import triangle_angles
from intaglio.remeshing.remesh import RemeshedSurface
from intaglio.remeshing.surface import CORNER, ON_FACE
from intaglio.settings.blanks import significant
from intaglio.sizing.octree import SizeField, sizes
from intaglio.sizing.regions import Region
from intaglio.triangles.closure import edge_keys
from intaglio.triangles.facets import Facets
from intaglio.triangles.measures import triangle_normals

Floats = NDArray[np.float64]

# the figures that a surface shall keep: its smallest angle (degrees), and how far an edge may stand
# off the geometry, over its length
SMALLEST_ANGLE = 20.0
_OFF = 0.3
# neighbours on a face without an edge between them that lean by more than this are a fold (cosine)
_FOLDED = -0.2
# each round asks for edges shorter by this
_SHORTER = 0.5
# regions are told one by one up to this number, wider ones then
_MOST_REGIONS = 40


@dataclass(frozen=True)
class Faults:
    """Triangles (k,) at fault, by what is wrong: crossing others, folded, off the geometry, with an
    angle too small that no corner of the geometry forces."""

    crossing: NDArray[np.int64]
    folded: NDArray[np.int64]
    off: NDArray[np.int64]
    thin: NDArray[np.int64]

    @property
    def weight(self) -> tuple[int, int, int]:
        """The worse surface has the larger one."""
        return len(self.crossing), len(self.folded), len(self.off) + len(self.thin)

    def triangles(self) -> NDArray[np.int64]:
        """All of them."""
        return np.unique(np.concatenate([self.severe(), self.off, self.thin]))

    def severe(self) -> NDArray[np.int64]:
        """Those that leave no mesh at all."""
        return np.unique(np.concatenate([self.crossing, self.folded]))


def faults(surface: RemeshedSurface, facets: Facets) -> Faults:
    """What is wrong with a surface mesh of these facets."""
    p, t = surface.points, surface.triangles
    crossing = np.unique(crossing_triangles(p, t)).astype(np.int64)
    return Faults(crossing, _folded(surface), _off(surface, facets), _thin(surface))


def _pairs(surface: RemeshedSurface) -> tuple[NDArray[np.int64], NDArray[np.bool_]]:
    """Key of each edge of each triangle (3m,), and those (3m,) that are on a curve, as flags."""
    t = surface.triangles
    key = edge_keys(t[:, [[1, 2], [2, 0], [0, 1]]].reshape(-1, 2))
    return key, np.isin(key, edge_keys(surface.edges))


def _folded(surface: RemeshedSurface) -> NDArray[np.int64]:
    key, on_curve = _pairs(surface)
    order = np.argsort(key, kind="stable")
    twice = np.flatnonzero(key[order][1:] == key[order][:-1])
    twice = twice[~on_curve[order[twice]]]
    a, b = order[twice] // 3, order[twice + 1] // 3
    normal = triangle_normals(surface.points, surface.triangles)
    bad = np.einsum("ij,ij->i", normal[a], normal[b]) < _FOLDED
    return np.unique(np.concatenate([a[bad], b[bad]]))


def _off(surface: RemeshedSurface, facets: Facets) -> NDArray[np.int64]:
    """Triangles whose middle, or the middle of an edge, stands off by too much of that edge."""
    corner = surface.points[surface.triangles]
    across = np.roll(corner, -1, axis=1)
    length = np.linalg.norm(across - corner, axis=2)
    halves = (0.5 * (corner + across)).reshape(-1, 3)
    away = beyond(facets.tree, halves, _OFF * length.ravel()).reshape(-1, 3).any(axis=1)
    return np.flatnonzero(
        away | beyond(facets.tree, corner.mean(axis=1), _OFF * length.max(axis=1))
    )


def _thin(surface: RemeshedSurface) -> NDArray[np.int64]:
    """Triangles with a small angle, but where two curves meet at it in a corner."""
    angle = triangle_angles(surface.points, surface.triangles)
    rows = np.flatnonzero(angle.min(axis=1) < SMALLEST_ANGLE)
    if not len(rows):
        return rows
    on_curve = _pairs(surface)[1].reshape(-1, 3)
    i = angle[rows].argmin(axis=1)
    at = surface.triangles[rows, i]
    forced = surface.kind[at] == CORNER
    forced &= on_curve[rows, (i + 1) % 3] & on_curve[rows, (i + 2) % 3]
    return rows[~forced]


def lowered(
    surface: RemeshedSurface, rows: NDArray[np.int64], field: SizeField, floor: float
) -> tuple[Floats, Floats, Floats]:
    """Places (n, 3) of triangles at fault, how far around (n,), and the shorter edges (n,) that are
    to be tried there; places whose edges are at the floor already are left out."""
    corner = surface.points[surface.triangles[rows]]
    spot = corner.mean(axis=1)
    around = np.linalg.norm(corner - spot[:, None], axis=2).max(axis=1)
    now = np.minimum(sizes(field, spot), around * np.sqrt(3.0))
    wanted = np.maximum(_SHORTER * now, floor)
    finer = wanted < 0.9 * sizes(field, spot)
    return spot[finer], around[finer], wanted[finer]


def regions_around(spot: Floats, around: Floats, size: Floats, first: int) -> list[Region]:
    """Balls in which the edges are lowered, neighbouring places in one; named from number first."""
    wide = 1.0
    while True:
        out = _balls(spot, wide * around, size)
        if len(out) <= _MOST_REGIONS:
            break
        wide *= 1.6
    # rounded as a row of settings is, so that kept sizes lead to the same surface
    return [
        Region(
            f"mended_{first + k}",
            "sphere",
            significant(h, 4),
            0.0,
            start=np.array([significant(x, 9) for x in centre]),
            radius=significant(radius, 4),
        )
        for k, (centre, radius, h) in enumerate(out)
    ]


def _balls(spot: Floats, around: Floats, size: Floats) -> list[tuple[Floats, float, float]]:
    """Places gathered, the finest first: each ball takes in what lies within twice its reach."""
    left = np.argsort(size, kind="stable")
    out = []
    while len(left):
        k = left[0]
        away = np.linalg.norm(spot[left] - spot[k], axis=1)
        near = away <= 2.0 * around[k]
        own = left[near]
        centre = 0.5 * (spot[own].min(axis=0) + spot[own].max(axis=0))
        reach = np.linalg.norm(spot[own] - centre, axis=1) + around[own]
        out.append((centre, float(reach.max()), float(size[own].min())))
        left = left[~near]
    return out


def as_row(region: Region) -> dict[str, object]:
    """The region as a row of Sizing's refinement regions."""
    assert region.start is not None
    return {
        "name": region.name,
        "shape": region.shape,
        "size": region.size,
        "easing": region.easing,
        "start": region.start.tolist(),
        "radius": region.radius,
    }


# the last resort is tried so often, and moves no node by more than its longest edge
_FLATTENINGS = 12


def flattened(
    surface: RemeshedSurface, crossing: NDArray[np.int64]
) -> tuple[RemeshedSurface, NDArray[np.int64]] | None:
    """The surface with needles flattened: nodes on faces at triangles that cross go half the
    way to the middle of their neighbours until none cross. With the nodes moved;
    None where that does not help."""
    ends = np.concatenate([surface.triangles[:, [i, (i + 1) % 3]] for i in range(3)])
    ends = np.concatenate([ends, ends[:, ::-1]])
    points, start = surface.points.copy(), surface.points
    length = np.linalg.norm(start[ends[:, 0]] - start[ends[:, 1]], axis=1)
    reach = np.zeros(len(start))
    np.maximum.at(reach, ends[:, 0], length)
    moved = np.zeros(len(start), bool)
    for _ in range(_FLATTENINGS):
        nodes = np.unique(surface.triangles[crossing])
        nodes = nodes[surface.kind[nodes] == ON_FACE]
        own = ends[np.isin(ends[:, 0], nodes)]
        count = np.bincount(own[:, 0], minlength=len(points))[nodes]
        if not len(nodes):
            return None
        for i in range(3):
            total = np.bincount(own[:, 0], points[own[:, 1], i], len(points))[nodes]
            points[nodes, i] = 0.5 * (points[nodes, i] + total / count)
        moved[nodes] = True
        if (np.linalg.norm(points - start, axis=1) > reach).any():
            return None
        crossing = np.unique(crossing_triangles(points, surface.triangles)).astype(np.int64)
        if not len(crossing):
            return replace(surface, points=points), np.flatnonzero(moved)
    return None
