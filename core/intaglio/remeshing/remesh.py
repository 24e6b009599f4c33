"""Remeshing a closed surface to a size field: split, collapse, flip, smooth, project.

Source: M. Botsch, L. Kobbelt, "A remeshing approach to multiresolution modeling" (SGP 2004), with
lengths measured in the size field and feature curves held. Nodes on a curve move only along its
arc length, nodes on a face only on its reference facets, corners never.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from intaglio.errors import StepFailed
from intaglio.remeshing.collapsing import collapse_pass, mend_pass, thin_out_pass
from intaglio.remeshing.counted import place_counted
from intaglio.remeshing.flipping import flip_far_pass, flip_pass
from intaglio.remeshing.ordering import in_order, packed
from intaglio.remeshing.reference import Reference, reference
from intaglio.remeshing.smoothing import smooth_pass
from intaglio.remeshing.splitting import NO_ROOM, split_pass
from intaglio.remeshing.surface import (
    POINTS,
    TRIANGLES,
    Surface,
    look_everywhere,
    make_surface,
    roomier,
)
from intaglio.sizing.octree import SizeField, sizes
from intaglio.triangles.facets import Curves, Facets
from intaglio.triangles.measures import triangle_areas

# edges are split above and collapsed below these lengths in the field: halves of the longest are
# still longer than the shortest, so that no edge is split and collapsed in turn
_LONG = 1.38
_SHORT = 0.70
# a coarse reference is first brought near its sizes in halves
_FIRST_LIMITS = (16.0, 8.0, 4.0, 2.0, _LONG)
# on the way there nodes on faces go that stand closer than this share of the limit
_HALF = 0.5
# halvings at one limit: more than the longest edge over the shortest can ask for
_ROUNDS = 64
# the last passes move nodes and mend, but collapse no more
_SETTLING = 3
# smoothings per pass, the last of which puts nodes back onto the facets
_SMOOTHINGS = 3


@dataclass(frozen=True)
class RemeshedSurface:
    """points (n, 3); triangles (m, 3); region (m,); kind, owner, arc (n,) as in Surface;
    edges (e, 2) on curves and their curve (e,)."""

    points: NDArray[np.float64]
    triangles: NDArray[np.int32]
    region: NDArray[np.int32]
    kind: NDArray[np.int8]
    owner: NDArray[np.int32]
    arc: NDArray[np.float64]
    edges: NDArray[np.int32]
    edge_curve: NDArray[np.int32]


def compact(s: Surface) -> RemeshedSurface:
    """The live triangles and nodes, renumbered."""
    m, n = int(s.tally[TRIANGLES]), int(s.tally[POINTS])
    alive = np.flatnonzero(s.tri[:m, 0] >= 0)
    tri = s.tri[alive]
    used = np.zeros(n, bool)
    used[tri.ravel()] = True
    number = np.cumsum(used) - 1
    on_curve = s.curve[alive]
    t, e = np.nonzero(on_curve >= 0)
    pair = np.sort(np.stack([tri[t, (e + 1) % 3], tri[t, (e + 2) % 3]], axis=1), axis=1)
    first = np.unique(pair, axis=0, return_index=True)[1]
    return RemeshedSurface(
        s.points[:n][used].copy(),
        number[tri].astype(np.int32),
        s.region[alive].copy(),
        s.kind[:n][used].copy(),
        s.owner[:n][used].copy(),
        s.arc[:n][used].copy(),
        number[pair[first]].astype(np.int32),
        on_curve[t, e][first].astype(np.int32),
    )


def expected_triangles(facets: Facets, field: SizeField) -> int:
    """Triangles that the size field asks for: area over √3/4·h², h at the facets' corners."""
    h = np.sqrt((sizes(field, facets.points)[facets.triangles] ** 2).mean(axis=1))
    return int((triangle_areas(facets.points, facets.triangles) / (0.433 * h**2)).sum()) + 1


def remesh(
    facets: Facets,
    curves: Curves,
    field: SizeField,
    progress: Callable[[float], None] = lambda share: None,
    passes: int = 9,
    counted: Mapping[int, NDArray[np.float64]] | None = None,
) -> RemeshedSurface:
    """Remesh facets to the size field, features kept. Calls progress with a share 0..1.

    counted: arc lengths at which the nodes of some curves must stand.

    Raises StepFailed if the input is not closed or asks for more triangles than fit.
    """
    expected = expected_triangles(facets, field)
    room = int(5 * expected + 3 * len(facets.triangles) + 20_000)
    most = 8 * room
    s = make_surface(facets, curves, room)
    s.size[: int(s.tally[POINTS])] = sizes(field, facets.points)
    ref = reference(facets, curves, field, place_counted(s, curves, counted or {}))
    for limit in _FIRST_LIMITS:
        look_everywhere(s)
        s = _split_down(s, ref, limit, most)
        # long thin facets are split far too often: drop what is short at once
        if limit > _LONG:
            thin_out_pass(s, ref.held, _HALF * limit, limit)
        collapse_pass(s, ref.held, _SHORT, _LONG)
        if limit > _LONG:
            flip_far_pass(s, ref.flat)
        else:
            flip_pass(s)
        s = packed(s)
    s, ref = in_order(s, ref)
    for step in range(passes):
        if step > 0:
            s = _split_down(s, ref, _LONG, most)
        # towards the end collapses would only take back what was just split
        last = step >= passes - _SETTLING
        if not last:
            collapse_pass(s, ref.held, _SHORT, _LONG)
        flip_pass(s)
        for k in range(_SMOOTHINGS):
            smooth_pass(s, ref, k == _SMOOTHINGS - 1)
            flip_pass(s)
        if last:
            mend_pass(s, ref.held)
        s = packed(s)
        progress((step + 1) / passes)
    return compact(s)


def _split_down(s: Surface, ref: Reference, limit: float, most: int) -> Surface:
    """Split until no edge is longer than `limit` in the field, in more room where it is needed."""
    for _ in range(_ROUNDS):
        made = split_pass(s, ref, limit)
        if made == NO_ROOM:
            if len(s.tri) > most:
                raise StepFailed(
                    "surface-too-large",
                    f"The sizes ask for more than {most:,} triangles. Raise the smallest edge.",
                )
            s = roomier(s)
        if limit > _LONG:
            flip_far_pass(s, ref.flat)
        else:
            flip_pass(s)
        if made == 0:
            break
    return s
