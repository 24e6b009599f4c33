"""What asks for small edges: curvature, short curves, narrow gaps."""

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from intaglio.sizing.gaps import samples
from intaglio.sizing.octree import SizeField, build_field
from intaglio.sizing.regions import Region, region_samples
from intaglio.triangles.facets import Curves, Facets

Floats = NDArray[np.float64]


def curvature_sizes(facets: Facets, smallest: float, largest: float, angle: float) -> Floats:
    """Edge length (n,) per node that turns by `angle` (rad) along the tightest circle there."""
    with np.errstate(divide="ignore"):
        radius = 1.0 / facets.curvature
    return np.clip(2.0 * radius * np.sin(angle / 2.0), smallest, largest)


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
    sides = None if local.sides is None else local.sides[facets.region]
    found = samples(facets, node_size, sides, gap_cells > 0)
    corner, weight = facets.triangles[found.triangle], found.weight
    size = (
        node_size[corner[:, 0]] * (1 - weight.sum(axis=1))
        + node_size[corner[:, 1]] * weight[:, 0]
        + node_size[corner[:, 2]] * weight[:, 1]
    )
    if local.faces is not None:
        size = np.minimum(size, local.faces[facets.region[found.triangle]])
    if gap_cells > 0:
        size = np.minimum(size, np.maximum(found.width / gap_cells, smallest))
    spots, sizes_ = [found.spot], [size]
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
