"""What asks for small edges: curvature, short curves, narrow gaps."""

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np
from numba import njit
from numpy.typing import NDArray

from intaglio.facets.facets import Curves, Facets, triangle_normals
from intaglio.numeric.boxtree import box_tree, first_hits
from intaglio.sizing.octree import SizeField, build_field
from intaglio.sizing.regions import Region, region_samples

Floats = NDArray[np.float64]


@njit(cache=True)
def _sample(points, triangles, size, out_points, out_triangle, out_weight):
    """Rows of points parallel to each triangle's longest edge; only counts if out is empty."""
    n = 0
    length = np.empty(3)
    for t in range(triangles.shape[0]):
        h = min(size[triangles[t, 0]], size[triangles[t, 1]], size[triangles[t, 2]])
        for i in range(3):
            u = triangles[t, (i + 1) % 3]
            v = triangles[t, (i + 2) % 3]
            length[i] = np.sqrt(
                (points[u, 0] - points[v, 0]) ** 2
                + (points[u, 1] - points[v, 1]) ** 2
                + (points[u, 2] - points[v, 2]) ** 2
            )
        apex = int(np.argmax(length))
        base = length[apex]
        half = 0.5 * length.sum()
        square = half * (half - length[0]) * (half - length[1]) * (half - length[2])
        height = 2.0 * np.sqrt(max(square, 0.0)) / base
        rows = int(min(400.0, np.ceil(height / h)))
        for j in range(rows + 1):
            down = j / rows if rows > 0 else 1.0
            across = max(1, int(min(400.0, np.ceil(base * down / h))))
            for i in range(across + 1):
                if out_triangle.size > 0:
                    weight = np.zeros(3)
                    weight[apex] = 1.0 - down
                    weight[(apex + 1) % 3] = down * (1.0 - i / across)
                    weight[(apex + 2) % 3] = down * i / across
                    for k in range(3):
                        for c in range(3):
                            out_points[n, k] += weight[c] * points[triangles[t, c], k]
                    out_triangle[n] = t
                    out_weight[n, 0] = weight[1]
                    out_weight[n, 1] = weight[2]
                n += 1
    return n


def sample_facets(facets: Facets, spacing: Floats) -> tuple[Floats, NDArray[np.int32], Floats]:
    """Points (n, 3) on facets about `spacing` (per node) apart, their triangle and weights."""
    empty = np.zeros((0, 3)), np.zeros(0, np.int32), np.zeros((0, 2))
    n = _sample(facets.points, facets.triangles, spacing, *empty)
    out = np.zeros((n, 3)), np.zeros(n, np.int32), np.zeros((n, 2))
    _sample(facets.points, facets.triangles, spacing, *out)
    return out


def curvature_sizes(facets: Facets, smallest: float, largest: float, angle: float) -> Floats:
    """Edge length (n,) per node that turns by `angle` (rad) along the tightest circle there."""
    with np.errstate(divide="ignore"):
        radius = 1.0 / facets.curvature
    return np.clip(2.0 * radius * np.sin(angle / 2.0), smallest, largest)


# walls of a gap lean by less than 60 degrees to each other: the cosine between their normals
_LOOKS_BACK = 0.5


def gap_sizes(
    facets: Facets,
    spot: Floats,
    triangle: NDArray[np.int32],
    cells: float,
    sides: NDArray[np.int32] | None = None,
) -> Floats:
    """Edge length (n,) at surface points so that `cells` fit across to the opposite wall.

    sides (m, 2): zone behind and before each triangle; a gap is looked for wherever a zone is.
    Only a wall that looks back counts: one that adjoins at about a right angle bounds no gap.
    """
    normals = triangle_normals(facets.points, facets.triangles)
    normal = normals[triangle]
    corner = facets.points[facets.triangles[triangle]]
    skip = 1e-4 * np.linalg.norm(corner.max(axis=1) - corner.min(axis=1), axis=1)
    centre = corner.mean(axis=1)
    origin = spot + 1e-3 * (centre - spot)  # off the edges, so that no ray grazes a neighbour
    tree = box_tree(facets.points, facets.triangles)

    def across(at: NDArray[np.int64], way: float) -> Floats:
        apart, hit = first_hits(tree, origin[at], way * normal[at], skip[at])
        facing = np.abs(np.einsum("ij,ij->i", normal[at], normals[hit])) > _LOOKS_BACK
        return np.where((hit >= 0) & facing, apart, np.inf)

    if sides is None:
        return across(np.arange(len(spot)), -1.0) / cells
    out = np.full(len(spot), np.inf)
    for side, way in ((0, -1.0), (1, 1.0)):
        at = np.flatnonzero(sides[triangle, side] >= 0)
        if len(at):
            out[at] = np.minimum(out[at], across(at, way))
    return out / cells


def curve_samples(
    curves: Curves, curvature_size: Floats, facets: Facets, smallest: float
) -> tuple[Floats, Floats]:
    """Points along feature curves and sizes there: no curve is longer than one edge unseen."""
    points, sizes = [], []
    for c in range(len(curves.ends)):
        lo, hi = curves.start[c], curves.start[c + 1]
        length = curves.arc[hi - 1]
        closed = curves.ends[c, 0] == curves.ends[c, 1]
        size = max(smallest, length / 6.0 if closed else length)
        nodes = curves.edge_nodes[curves.edge_curve == c]
        size = min(size, float(curvature_size[nodes].min()))
        n = int(min(2000, np.ceil(length / size))) + 1
        at = np.linspace(0, length, n)
        points.append(
            np.stack(
                [np.interp(at, curves.arc[lo:hi], curves.points[lo:hi, i]) for i in range(3)], 1
            )
        )
        sizes.append(np.full(n, size))
    if not points:
        return np.zeros((0, 3)), np.zeros(0)
    return np.concatenate(points), np.concatenate(sizes)


@dataclass(frozen=True)
class LocalSizes:
    """What asks for sizes of its own: regions of space; faces, upper limit (faces,) or inf;
    curves, upper limit (curves,) or inf; counted, arc lengths of the nodes of counted curves;
    sides, zones behind and before each face (faces, 2); kept and seams, curves that are no seams
    and that are, whatever they look like."""

    regions: tuple[Region, ...] = ()
    faces: Floats | None = None
    curves: Floats | None = None
    counted: Mapping[int, Floats] = field(default_factory=dict)
    sides: NDArray[np.int32] | None = None
    kept: frozenset[int] = frozenset()
    seams: frozenset[int] = frozenset()


def node_sizes(
    facets: Facets, smallest: float, largest: float, angle: float, faces: Floats | None = None
) -> Floats:
    """Edge length (n,) at nodes by curvature and by upper limits of faces (faces,)."""
    out = curvature_sizes(facets, smallest, largest, angle)
    if faces is not None:
        for i in range(3):
            np.minimum.at(out, facets.triangles[:, i], faces[facets.region])
    return out


def surface_field(
    facets: Facets,
    curves: Curves,
    smallest: float,
    largest: float,
    angle: float,
    growth: float,
    gap_cells: float,
    local: LocalSizes | None = None,
    lines: Curves | None = None,
) -> SizeField:
    """The size field of a closed fluid surface. Lengths in model units, angle in radians.

    lines: the curves whose lengths count, where seams are walked over; else all of them.
    """
    local = local or LocalSizes()
    low, high = facets.points.min(axis=0), facets.points.max(axis=0)
    node_size = node_sizes(facets, smallest, largest, angle, local.faces)
    spot, triangle, weight = sample_facets(facets, node_size)
    corner = facets.triangles[triangle]
    size = (
        node_size[corner[:, 0]] * (1 - weight.sum(axis=1))
        + node_size[corner[:, 1]] * weight[:, 0]
        + node_size[corner[:, 2]] * weight[:, 1]
    )
    if local.faces is not None:
        size = np.minimum(size, local.faces[facets.region[triangle]])
    if gap_cells > 0:
        sides = None if local.sides is None else local.sides[facets.region]
        gaps = gap_sizes(facets, spot, triangle, gap_cells, sides)
        size = np.minimum(size, np.maximum(gaps, smallest))
    spots, sizes_ = [spot], [size]
    for more, wanted in (
        curve_samples(curves if lines is None else lines, node_size, facets, smallest),
        *(_limited(curves, c, size) for c, size in _finite(local.curves)),
        *(_counted(curves, c, at) for c, at in local.counted.items()),
        *(region_samples(region, largest, low, high) for region in local.regions),
    ):
        spots.append(more)
        sizes_.append(wanted)
    return build_field(np.concatenate(spots), np.concatenate(sizes_), largest, growth, low, high)


def _finite(values: Floats | None) -> list[tuple[int, float]]:
    return [] if values is None else [(k, v) for k, v in enumerate(values) if np.isfinite(v)]


def on_curve(curves: Curves, c: int, at: Floats) -> Floats:
    """Points (n, 3) of curve c at arc lengths (n,)."""
    lo, hi = curves.start[c], curves.start[c + 1]
    return np.stack(
        [np.interp(at, curves.arc[lo:hi], curves.points[lo:hi, i]) for i in range(3)], axis=1
    )


def _limited(curves: Curves, c: int, size: float) -> tuple[Floats, Floats]:
    length = float(curves.arc[curves.start[c + 1] - 1])
    n = int(min(5000, np.ceil(length / size))) + 1
    return on_curve(curves, c, np.linspace(0, length, n)), np.full(n, size)


def _counted(curves: Curves, c: int, at: Floats) -> tuple[Floats, Floats]:
    middle = 0.5 * (at[1:] + at[:-1])
    return on_curve(curves, c, middle), np.diff(at)
