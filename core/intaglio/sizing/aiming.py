"""Sizes that follow from what the flow meets, and the scale at which they make so many cells.

A fluid within walls is described by the width of its passages, one around a body by the body's
length and the enclosure's; the finest edges follow the tightest curve or the narrowest passage.
All of these are taken at one scale, and the cells are forecast at a few scales, so that the scale
for any number of cells can be read off.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from intaglio.sizing.forecast import CELLS_PER_CUBE, TRIANGLES_PER_SQUARE, forecast
from intaglio.sizing.gaps import gap_widths
from intaglio.sizing.sources import LocalSizes, node_sizes, surface_field
from intaglio.triangles.facets import Curves, Facets
from intaglio.triangles.measures import triangle_areas
from intaglio.triangles.seams import seams, walked

Floats = NDArray[np.float64]

# the number that the scales are looked for around
USUAL_CELLS = 300_000
# what the forecast assumes of the settings that do not follow from the number
USUAL_ANGLE = np.radians(18.0)
USUAL_GROWTH = 1.2
USUAL_SEAM = np.radians(5.0)
# typical edges in a passage, along a body, and across an enclosure, before scaling
_IN_PASSAGE = 8.0
ALONG_BODY = 20.0
_ACROSS_ENCLOSURE = 8.0
# the finest edges lie within these shares of the edges on walls: features smaller are not followed
_FINEST = 1 / 8
_COARSEST = 1 / 2
# cells grow about so fast with finer edges: between area (2) and volume (3)
_POWER = 2.6
_POWERS = (1.0, 3.5)
# a count that falls by a higher power than this at the coarse end is not held up by curves
_STILL_FALLING = 1.5
# facets of this many edges are not laid out only to learn that they are too many
_MOST_EDGES = 1e6
_SPOTS = 4000
# scales counted besides, over the one that meets the usual number, unless one so near is known
_BESIDE = (2.0, 5.0, 1 / 1.4)
_APART = 0.2
# scales tried until one meets the usual number this nearly; between them is read off. The first is
# so many times the one at which the volume alone, without anything finer, has that number
_TRIES = 5
_COARSE = 2.0
_NEAR = 0.12
# share of the walls, by area over width, that may be narrower than the narrowest passage
_NARROW_SHARE = 0.04
# widths under this share of the middle one count no more than it
_POINTED = 1 / 20
# a fluid in which two cells across would take more than this is as thin as a sheet
_THIN_CELLS = 1_500_000


@dataclass(frozen=True)
class Lengths:
    """What sizes follow from, in model units.

    largest: the largest edge at scale 1; wall: that on the walls of a body in a stream, 0 where
    the fluid lies within walls; fine: the edge that the finest feature asks for; feature: that
    feature's own length, by `why`: "radius", "passage" or "none".
    """

    largest: float
    wall: float
    fine: float
    feature: float
    why: str


@dataclass(frozen=True)
class Limits:
    """Smallest and largest edge, and the largest on a body's walls (0: no other than largest)."""

    smallest: float
    largest: float
    wall: float


def gap_cells_for(volume: float, area: float) -> float:
    """Cells across a gap: two, but none where the whole fluid is one."""
    return 0.0 if CELLS_PER_CUBE * volume / (volume / area) ** 3 > _THIN_CELLS else 2.0


def lengths_met(
    facets: Facets,
    sides: NDArray[np.int32],
    body: NDArray[np.bool_],
    radius: float | None,
) -> Lengths:
    """The lengths of a fluid's surface.

    sides (m, 2): zones behind and before each triangle; body (m,): triangles of a body in a stream,
    none where the fluid lies within walls; radius: the tightest that counts.
    """
    area = triangle_areas(facets.points, facets.triangles)
    rng = np.random.default_rng(11)
    walls = body if body.any() else np.ones(len(area), bool)
    share = np.where(walls, area, 0.0)
    triangle = rng.choice(len(area), _SPOTS, p=share / share.sum()).astype(np.int32)
    weight = rng.dirichlet(np.ones(3), _SPOTS)
    spot = np.einsum("ij,ijk->ik", weight, facets.points[facets.triangles[triangle]])
    width = gap_widths(facets, spot, triangle, sides)
    width = width[np.isfinite(width)]
    low, high = facets.points.min(axis=0), facets.points.max(axis=0)
    narrow = _narrow(width) if len(width) else np.inf
    if body.any():
        own = facets.points[np.unique(facets.triangles[body])]
        wall = float(np.linalg.norm(np.ptp(own, axis=0))) / ALONG_BODY
        largest = max(float((high - low).min()) / _ACROSS_ENCLOSURE, wall)
    else:
        wall = 0.0
        typical = float(np.median(width)) if len(width) else float((high - low).min())
        largest = typical / _IN_PASSAGE
    chord = 2 * radius * float(np.sin(USUAL_ANGLE / 2)) if radius else np.inf
    fine, feature, why = np.inf, 0.0, "none"
    if chord < narrow / 2:
        fine, feature, why = chord, radius or 0.0, "radius"
    elif np.isfinite(narrow):
        fine, feature, why = narrow / 2, narrow, "passage"
    return Lengths(largest, wall, fine, feature, why)


def _narrow(width: Floats) -> float:
    """The passage that counts as narrowest: a place counts by its area over its width, so that a
    throat is not lost beside the wide parts, and a corner that runs to a point is no passage."""
    width = np.sort(width)
    weight = 1.0 / np.maximum(width, _POINTED * float(np.median(width)))
    reached = np.cumsum(weight) / weight.sum()
    return float(width[np.searchsorted(reached, _NARROW_SHARE)])


def limits_at(lengths: Lengths, scale: float) -> Limits:
    """The limits of edge lengths at a scale."""
    largest = scale * lengths.largest
    wall = scale * lengths.wall
    usual = wall or largest
    smallest = float(np.clip(lengths.fine, _FINEST * usual, _COARSEST * usual))
    return Limits(smallest, largest, wall)


def counted_scales(
    facets: Facets,
    curves: Curves,
    sides: NDArray[np.int32],
    body: NDArray[np.bool_],
    lengths: Lengths,
    volume: float,
    gap_cells: float,
    turn: Floats,
) -> list[tuple[float, float]]:
    """(scale, cells forecast there) at a few scales around the usual number, scale ascending.

    sides (faces, 2) and body (faces,) by face; volume in unit³; turn (curves,): largest angle (rad)
    between the faces along each curve.
    """
    label = np.unique(sides, axis=0, return_inverse=True)[1].ravel().astype(np.int32)
    kept = np.zeros(len(turn), bool)
    area = float(triangle_areas(facets.points, facets.triangles)[body[facets.region]].sum())
    if not body.any():
        area = float(triangle_areas(facets.points, facets.triangles).sum())
    rows: dict[float, float] = {}

    def tried(scale: float) -> float:
        limits = limits_at(lengths, scale)
        faces = np.where(body & (limits.wall > 0), limits.wall, np.inf)
        size = node_sizes(facets, limits.smallest, limits.largest, USUAL_ANGLE, faces)
        seam = seams(facets, curves, turn, label, USUAL_SEAM, size, kept)
        field = surface_field(
            facets,
            curves,
            limits.smallest,
            limits.largest,
            USUAL_ANGLE,
            USUAL_GROWTH,
            gap_cells,
            LocalSizes(faces=faces, sides=sides),
            walked(facets, curves, seam, kept, USUAL_SEAM, size).curves,
        )
        rows[scale] = max(1.0, float(forecast(facets, field, sides[facets.region]).cells))
        return rows[scale]

    def too_fine(scale: float) -> bool:
        limits = limits_at(lengths, scale)
        usual = limits.wall or limits.largest
        finest = limits.smallest if lengths.why != "none" else usual
        # the walls' triangles alone would be several times the usual number of cells
        most = 4 * USUAL_CELLS / TRIANGLES_PER_SQUARE
        return area / finest**2 > _MOST_EDGES or area / usual**2 > most

    # from the coarse side, where counting costs next to nothing
    scale = _COARSE * (CELLS_PER_CUBE * volume / USUAL_CELLS) ** (1 / 3) / lengths.largest
    while too_fine(scale):
        scale *= 1.3
    for _ in range(_TRIES):
        more = tried(scale) / USUAL_CELLS
        if abs(more - 1) < _NEAR:
            break
        scale *= float(np.clip(more ** (1 / _power(rows)), 0.3, 3.0))
        if too_fine(scale):
            break
    near = min(rows, key=lambda s: abs(np.log(rows[s] / USUAL_CELLS)))
    for wanted in _BESIDE:
        known = min(abs(np.log(s / (wanted * near))) for s in rows)
        if known > _APART and not too_fine(wanted * near):
            tried(wanted * near)
    return sorted(rows.items())


def _power(rows: dict[float, float]) -> float:
    """The power of the edge length by which the count falls between the two scales with the counts
    nearest to the usual one, within what can be."""
    if len(rows) < 2:
        return _POWER
    (s, a), (t, b) = sorted(rows.items(), key=lambda row: abs(np.log(row[1] / USUAL_CELLS)))[:2]
    return float(np.clip(np.log(a / b) / np.log(t / s), *_POWERS)) if s != t else _POWER


def fewest_cells(rows: list[tuple[float, float]]) -> float:
    """The cells that are left however coarse the edges, where curves and narrow places decide; 1
    where the count still fell with the coarsest edges that were tried."""
    return 1.0 if _last_power(rows) > _STILL_FALLING else rows[-1][1]


def _last_power(rows: list[tuple[float, float]]) -> float:
    """The power of the edge length by which the count falls at the coarse end; 0 for one row."""
    if len(rows) < 2:
        return 0.0
    (fine, more), (coarse, fewer) = rows[-2:]
    return float(np.log(more / fewer) / np.log(coarse / fine))


def scale_for(rows: list[tuple[float, float]], cells: float) -> float:
    """The scale at which `cells` are forecast, between the scales that were counted or beyond; the
    coarsest of them where coarser edges would hardly make fewer cells."""
    scale, count = (np.log(np.array(column, float)) for column in zip(*rows, strict=True))
    # finer edges never make fewer cells; a forecast by sampling may say so by a little
    count = np.minimum.accumulate(count)
    want = float(np.log(cells))
    if want >= count[0]:
        return float(np.exp(scale[0] - (want - count[0]) / _POWER))
    if want <= count[-1]:
        power = _last_power(rows)
        beyond = (count[-1] - want) / power if power > _STILL_FALLING else 0.0
        return float(np.exp(scale[-1] + beyond))
    return float(np.exp(np.interp(want, count[::-1], scale[::-1])))
