"""How many triangles and cells a size field asks for, before any mesh exists."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from intaglio.numeric.boxtree import box_tree, first_hits
from intaglio.sizing.octree import SizeField, sizes
from intaglio.sizing.sampling import sample_facets
from intaglio.triangles.closure import zone_surfaces
from intaglio.triangles.facets import Facets
from intaglio.triangles.measures import enclosed_volume, triangle_areas, triangle_normals

Floats = NDArray[np.float64]

# cells per h³ and triangles per h², calibrated on our own meshes; see bench/whole.py
CELLS_PER_CUBE = 10.5
TRIANGLES_PER_SQUARE = 2.56
# tetrahedra per triangle of a sheet one cell thick
_PER_TRIANGLE = 1.65
# measured on fillings of 0.1 to 1 million cells: the volume stage's peak over the process before
BYTES_PER_CELL = 600
BYTES_AT_REST = 4e8
# the same runs on two cores of 2026; a machine twice as fast takes half as long
TRIANGLES_PER_SECOND = 28_000.0
CELLS_PER_SECOND = 75_000.0
_SAMPLES = 40_000
# fewer samples than this in the fluid tell little of it; samples between walls then
_ENOUGH = 400
_THIN_SAMPLES = 4000


@dataclass(frozen=True)
class Forecast:
    """Expected counts, the memory in bytes that filling will need, and the seconds that meshing
    surface and volume will take."""

    triangles: int
    cells: int
    memory: int
    seconds: float


def surface_seconds(triangles: float) -> float:
    """How long meshing a surface of so many triangles takes."""
    return triangles / TRIANGLES_PER_SECOND


def volume_seconds(cells: float) -> float:
    """How long filling with so many tetrahedra takes."""
    return cells / CELLS_PER_SECOND


def forecast(facets: Facets, field: SizeField, sides: NDArray[np.int32] | None = None) -> Forecast:
    """Integrals of 1/h² over the surface and of 1/h³ in the zones.

    sides (m, 2): zone behind and before each triangle as in `fill`; else one zone lies inside all.
    """
    area = triangle_areas(facets.points, facets.triangles)
    span = np.sqrt(area.sum() / 20_000)
    spot, triangle, _ = sample_facets(facets, np.full(len(area), span))
    inverse = 1.0 / sizes(field, spot) ** 2
    mean = np.bincount(triangle, inverse, len(area)) / np.maximum(
        np.bincount(triangle, minlength=len(area)), 1
    )
    triangles = TRIANGLES_PER_SQUARE * float((mean * area).sum())
    cells = CELLS_PER_CUBE * _volume_integral(facets, field, sides)
    # a sheet one cell thick has 1.5 tetrahedra per triangle if its sides match node by node (three
    # in a prism between two triangles), and about 1.9 if they do not; where two or more cells fit
    # across, this leaves none out
    cells = max(cells, _PER_TRIANGLE * triangles - 0.5 * cells)
    return Forecast(
        int(triangles),
        int(cells),
        int(BYTES_PER_CELL * cells + BYTES_AT_REST),
        1.0 + surface_seconds(triangles) + volume_seconds(cells),
    )


def _volume_integral(facets: Facets, field: SizeField, sides: NDArray[np.int32] | None) -> float:
    """∫ 1/h³ dV by sampling leaves in proportion to what each would contribute."""
    side, low = _cubes(field)
    leaves = np.flatnonzero(field.child < 0)
    h = field.value[field.corner[leaves]].mean(axis=1)
    weight = (side[leaves] / h) ** 3
    total = float(weight.sum())
    rng = np.random.default_rng(5)
    pick = leaves[rng.choice(len(leaves), _SAMPLES, p=weight / total)]
    spot = low[pick] + side[pick][:, None] * rng.random((_SAMPLES, 3))
    # the mean of 1/h³ in a leaf is not 1/mean(h)³: correct each sample
    own = (np.repeat(1.0, _SAMPLES) / sizes(field, spot)) ** 3
    mean_h = field.value[field.corner[pick]].mean(axis=1)
    inside = _in_a_zone(facets, sides, spot)
    if inside.sum() < _ENOUGH:
        surfaces = zone_surfaces(facets.triangles, sides)
        return sum(_thin_integral(facets.points, around, field) for around in surfaces)
    return total * float((inside * own * mean_h**3).mean())


def _cubes(field: SizeField) -> tuple[Floats, Floats]:
    """Side (k,) and low corner (k, 3) of each cube of the octree."""
    side, low = np.zeros(len(field.child)), np.zeros((len(field.child), 3))
    side[0], low[0] = field.side, field.low
    offset = np.array([[(o >> i) & 1 for i in range(3)] for o in range(8)])
    parents = np.flatnonzero(field.child[:1] >= 0)
    while len(parents):
        half = side[parents] / 2
        own = field.child[parents][:, None] + np.arange(8)
        side[own] = half[:, None]
        low[own] = low[parents][:, None] + offset * half[:, None, None]
        parents = own[field.child[own] >= 0]
    return side, low


# no face of a model is likely to lie along this ray
_RAY = np.array([0.31, 0.83, 0.46])


def _in_a_zone(facets: Facets, sides: NDArray[np.int32] | None, spot: Floats) -> NDArray[np.bool_]:
    """Whether points (n, 3) lie in a zone: the first triangle that a ray meets tells what lies on
    its near side."""
    rays = np.broadcast_to(_RAY, spot.shape)
    _, hit = first_hits(facets.tree, spot, rays, np.zeros(len(spot)))
    normal = triangle_normals(facets.points, facets.triangles)[np.maximum(hit, 0)]
    before = (normal @ _RAY <= 0).astype(np.int64)
    if sides is None:
        return (hit >= 0) & (before == 0)
    near: NDArray[np.bool_] = sides[np.maximum(hit, 0), before] >= 0
    return (hit >= 0) & near


def _thin_integral(points: Floats, around: NDArray[np.int32], field: SizeField) -> float:
    """∫ 1/h³ dV of a zone that fills next to nothing of its box, by places between opposite walls:
    each counts by the width there, all together by the zone's volume."""
    rng = np.random.default_rng(7)
    area = triangle_areas(points, around)
    triangle = rng.choice(len(around), _THIN_SAMPLES, p=area / area.sum()).astype(np.int32)
    weight = rng.dirichlet(np.ones(3), _THIN_SAMPLES)
    spot = np.einsum("ij,ijk->ik", weight, points[around[triangle]])
    inward = -triangle_normals(points, around)[triangle]
    skip = np.full(_THIN_SAMPLES, 1e-9 * float(np.ptp(points, axis=0).max()))
    width, _ = first_hits(box_tree(points, around), spot, inward, skip)
    found = np.isfinite(width)
    if not found.any():
        return 0.0
    width = width[found]
    between = spot[found] + (rng.random(len(width)) * width)[:, None] * inward[found]
    mean = float((width / sizes(field, between) ** 3).sum() / width.sum())
    return mean * abs(enclosed_volume(points, around))
