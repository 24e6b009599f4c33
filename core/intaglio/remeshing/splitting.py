"""The pass of remeshing that halves long edges."""

import numpy as np
from numba import njit

from intaglio.numeric.boxtree import nearest
from intaglio.numeric.inlining import inlined
from intaglio.remeshing.reference import arc_of, on_curve
from intaglio.remeshing.surface import (
    LAST_SPLIT,
    ON_CURVE,
    ON_FACE,
    POINTS,
    TRIANGLES,
    begin,
    split,
)
from intaglio.sizing.octree import size_at
from intaglio.triangles.compiled import length_in_field, square_length

# on curved faces edges may be this much shorter before they are split: the longest ones would stand
# too far off the surface
_BENT = 0.92
# two edges this near to each other in squared length count as equally long
_EQUAL = 0.999
# rows kept free: one edge may have so many triangles
_ROOM = 16
NO_ROOM = -1


@inlined
def _is_longest(p, a, b, third):
    """Whether edge ab is the longest of its triangle: only these are split, for moderate angles."""
    own = square_length(p, a, b)
    return own >= square_length(p, a, third) * _EQUAL and own >= square_length(p, b, third) * _EQUAL


@njit(cache=True)
def _split_on_curve(s, ref, t, e, c, spot):
    """A node half way along the piece of curve c that edge e of t spans."""
    a = s.tri[t, (e + 1) % 3]
    b = s.tri[t, (e + 2) % 3]
    arc = 0.5 * (arc_of(s, ref, c, a, b) + arc_of(s, ref, c, b, a))
    on_curve(ref.start, ref.line, ref.arc, c, arc, spot)
    h = size_at(ref.field, spot[0], spot[1], spot[2])
    split(s, t, e, spot[0], spot[1], spot[2], ON_CURVE, c, arc, h)


@njit(cache=True)
def _split_on_face(s, ref, t, e, middle, spot):
    """A node at the middle of edge e of t, on the facets of its region."""
    a = s.tri[t, (e + 1) % 3]
    b = s.tri[t, (e + 2) % 3]
    for i in range(3):
        middle[i] = 0.5 * (s.points[a, i] + s.points[b, i])
    region = s.region[t]
    facet = -1
    if not ref.flat[region]:
        facet = nearest(ref.tree, region, middle, spot)
    if facet < 0:
        spot[:] = middle
    h = size_at(ref.field, spot[0], spot[1], spot[2])
    v = split(s, t, e, spot[0], spot[1], spot[2], ON_FACE, region, 0.0, h)
    for i in range(3):
        s.normal[v, i] = ref.facing[facet, i] if facet >= 0 else ref.plane[region, i]


@njit(cache=True)
def split_pass(s, ref, limit):
    """Halve edges longer than `limit` in the field, of each triangle the longest.

    How many, or NO_ROOM when the arrays are full.
    """
    p, tri, size = s.points, s.tri, s.size
    spot = np.empty(3)
    middle = np.empty(3)
    made = 0
    since = begin(s, LAST_SPLIT)
    for t in range(s.tally[TRIANGLES]):
        if s.changed[t] < since:
            continue
        for e in range(3):
            if tri[t, 0] < 0:
                break
            a = tri[t, (e + 1) % 3]
            b = tri[t, (e + 2) % 3]
            longest = limit if ref.flat[s.region[t]] else _BENT * limit
            if length_in_field(p, size, a, b) <= longest:
                continue
            c = s.curve[t, e]
            if (c >= 0 and ref.held[c]) or not _is_longest(p, a, b, tri[t, e]):
                continue
            if s.tally[POINTS] + 1 >= p.shape[0] or s.tally[TRIANGLES] + _ROOM >= tri.shape[0]:
                # what is left is looked at again
                s.tally[LAST_SPLIT] = since
                return NO_ROOM
            if c >= 0:
                _split_on_curve(s, ref, t, e, c, spot)
            else:
                _split_on_face(s, ref, t, e, middle, spot)
            made += 1
    return made
