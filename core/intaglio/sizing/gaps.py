"""Gaps between walls, looked for at points of the surface, and each once.

The spacing of the points follows from the sizes that are asked for, in steps. What was found on a
triangle at one step is kept with the facets, so that other sizes cost only what they change.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from intaglio.numeric.boxtree import first_hits
from intaglio.sizing.sampling import sample_facets
from intaglio.triangles.facets import Facets
from intaglio.triangles.measures import triangle_normals

Floats = NDArray[np.float64]

# spacings are rounded down to powers of 2 with exponents of this many parts
_STEPS = 2
# walls of a gap lean by less than 60 degrees to each other: the cosine between their normals
_LOOKS_BACK = 0.5


def gap_widths(
    facets: Facets,
    spot: Floats,
    triangle: NDArray[np.int32],
    sides: NDArray[np.int32] | None = None,
) -> Floats:
    """Width (n,) of the gap at surface points, across to the opposite wall, or inf.

    sides (m, 2): zone behind and before each triangle; a gap is looked for wherever a zone is.
    Only a wall that looks back counts: one that adjoins at about a right angle bounds no gap.
    """
    if not len(spot):
        return np.zeros(0)
    normals = triangle_normals(facets.points, facets.triangles)
    normal = normals[triangle]
    corner = facets.points[facets.triangles[triangle]]
    skip = 1e-4 * np.linalg.norm(corner.max(axis=1) - corner.min(axis=1), axis=1)
    centre = corner.mean(axis=1)
    origin = spot + 1e-3 * (centre - spot)  # off the edges, so that no ray grazes a neighbour

    def across(at: NDArray[np.int64], way: float) -> Floats:
        apart, hit = first_hits(facets.tree, origin[at], way * normal[at], skip[at])
        facing = np.abs(np.einsum("ij,ij->i", normal[at], normals[hit])) > _LOOKS_BACK
        return np.where((hit >= 0) & facing, apart, np.inf)

    if sides is None:
        return across(np.arange(len(spot)), -1.0)
    out = np.full(len(spot), np.inf)
    for side, way in ((0, -1.0), (1, 1.0)):
        at = np.flatnonzero(sides[triangle, side] >= 0)
        if len(at):
            out[at] = np.minimum(out[at], across(at, way))
    return out


@dataclass(frozen=True)
class Samples:
    """Points (n, 3) on facets, their triangle (n,), weights (n, 2) of its second and third node,
    and the width (n,) of the gap there, nan where nobody asked."""

    spot: Floats
    triangle: NDArray[np.int32]
    weight: Floats
    width: Floats

    def rows(self, own: NDArray[np.int64]) -> "Samples":
        """Some of them."""
        return Samples(self.spot[own], self.triangle[own], self.weight[own], self.width[own])


@dataclass
class _Step:
    """The samples at one spacing: start (m,) and count (m,) of those of each triangle, start -1
    where there are none yet."""

    start: NDArray[np.int64]
    count: NDArray[np.int64]
    samples: Samples


def samples(
    facets: Facets, size: Floats, sides: NDArray[np.int32] | None, with_gaps: bool
) -> Samples:
    """Points on facets no farther apart than the sizes (per node) ask for.

    sides (m, 2): zone behind and before each triangle; with_gaps: the widths are wanted as well.
    """
    t = facets.triangles
    least = np.minimum(np.minimum(size[t[:, 0]], size[t[:, 1]]), size[t[:, 2]])
    level = np.floor(_STEPS * np.log2(least)).astype(np.int64)
    kept = facets.memo.setdefault(("gaps", None if sides is None else sides.tobytes()), {})
    found = [
        _at_level(facets, int(one), np.flatnonzero(level == one), sides, with_gaps, kept)
        for one in np.unique(level)
    ]
    return Samples(
        np.concatenate([f.spot for f in found]),
        np.concatenate([f.triangle for f in found]),
        np.concatenate([f.weight for f in found]),
        np.concatenate([f.width for f in found]),
    )


def _at_level(
    facets: Facets,
    level: int,
    own: NDArray[np.int64],
    sides: NDArray[np.int32] | None,
    with_gaps: bool,
    kept: dict[int, _Step],
) -> Samples:
    """The samples of some triangles at one spacing; those not seen before are added."""
    if level not in kept:
        m = len(facets.triangles)
        none = Samples(np.zeros((0, 3)), np.zeros(0, np.int32), np.zeros((0, 2)), np.zeros(0))
        kept[level] = _Step(np.full(m, -1, np.int64), np.zeros(m, np.int64), none)
    step = kept[level]
    fresh = own[step.start[own] < 0]
    if len(fresh):
        spacing = np.full(len(fresh), 2.0 ** (level / _STEPS))
        spot, triangle, weight = sample_facets(facets, spacing, fresh)
        count = np.bincount(np.searchsorted(fresh, triangle), minlength=len(fresh))
        step.start[fresh] = len(step.samples.spot) + np.cumsum(count) - count
        step.count[fresh] = count
        step.samples = Samples(
            np.concatenate([step.samples.spot, spot]),
            np.concatenate([step.samples.triangle, triangle]),
            np.concatenate([step.samples.weight, weight]),
            np.concatenate([step.samples.width, np.full(len(spot), np.nan)]),
        )
    count = step.count[own]
    rows = np.repeat(step.start[own] - np.cumsum(count) + count, count) + np.arange(count.sum())
    if with_gaps:
        unknown = rows[np.isnan(step.samples.width[rows])]
        asked = step.samples.rows(unknown)
        step.samples.width[unknown] = gap_widths(facets, asked.spot, asked.triangle, sides)
    return step.samples.rows(rows)
