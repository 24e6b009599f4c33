"""Rooms and passages of surfaces in groups (bodies, say): how wide each passage is, what lies
behind it, and how wide a ball touches which group."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from intaglio.rooms.reach import Ways, reached, widest_ways
from intaglio.rooms.refining import Around, space_around
from intaglio.rooms.space import narrowest

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]


class NothingReached(ValueError):
    """No ball of the least size fits where it is to start."""


@dataclass(frozen=True)
class Rooms:
    """Rooms numbered as a ball that shrinks gets there, 0 where it starts. Lengths are diameters.

    width (r,): of the largest ball that gets into each, infinite for the first; through (r,) and at
    (r, 3): of the passage by which it comes, and where that is narrowest; before (r,): the room
    before it, -1 of the first; volume (r,), with the part of the space that balls reach; widest
    (r,) and middle (r, 3) of its largest ball; open (r,): whether it is the space outside; touched
    (g,): of the largest ball that touches each group, 0 under the least; room (g,): where it does,
    -1 for none. least: of the smallest ball that was looked for. around, ways: what it follows
    from.
    """

    width: Floats
    through: Floats
    at: Floats
    before: Ints
    volume: Floats
    widest: Floats
    middle: Floats
    open: NDArray[np.bool_]
    touched: Floats
    room: Ints
    least: float
    around: Around
    ways: Ways


def rooms_of(
    points: Floats,
    triangles: Ints,
    group: Ints,
    groups: int,
    least: float,
    pins: Floats | None = None,
    tell: Callable[[float, str], None] = lambda share, doing: None,
) -> Rooms:
    """Rooms and passages of triangles (m, 3), each of a group (m,) of so many, for balls `least`
    across and more, from outside or from the rooms in which pins (k, 3) are. Raises
    NothingReached."""
    pins = np.zeros((0, 3)) if pins is None else pins
    around = space_around(points, triangles, 0.5 * least, pins, tell)
    space = around.space
    ways = widest_ways(space, 0.5 * least, around.start)
    get = reached(space, ways, around.start)
    get[get < 0.5 * least] = 0.0
    if not get.any():
        raise NothingReached(f"no ball {least} across fits where it is to start")
    count = len(ways.before) + 1
    step = ways.faces[ways.passages].astype(np.int64)
    through = np.concatenate([[np.inf], 2.0 * ways.radius[ways.passages]])
    width = through.copy()
    for k, before in enumerate(ways.before.tolist()):
        width[k + 1] = min(width[k + 1], width[before])
    at = np.concatenate([np.full((1, 3), np.nan), narrowest(space, step[:, 0], step[:, 1])])
    inside = ways.room >= 0
    room = ways.room[inside]
    corner = space.points[space.tets[inside]]
    volume: Floats = np.bincount(room, _volumes(corner), count).astype(np.float64)
    order = np.argsort(space.radius[inside], kind="stable")
    largest = np.zeros(count, np.int64)
    largest[room[order]] = order
    rows = np.flatnonzero(inside)[largest]
    tets = space.tets[inside]
    beyond = np.zeros(count, bool)
    beyond[room[((tets >= space.box) & (tets < space.box + 8)).any(axis=1)]] = True
    volume[beyond] = np.inf
    touched, at_room = _touched(around, ways, get, group, groups)
    return Rooms(
        width,
        through,
        at,
        np.concatenate([[-1], ways.before]).astype(np.int32),
        volume,
        2.0 * space.radius[rows],
        space.centre[rows],
        beyond,
        2.0 * touched,
        at_room,
        least,
        around,
        ways,
    )


def _volumes(corner: Floats) -> Floats:
    """Volume (k,) of tetrahedra by their corners (k, 4, 3)."""
    a, b, c = (corner[:, i] - corner[:, 0] for i in (1, 2, 3))
    return np.abs(np.einsum("ij,ij->i", np.cross(a, b), c)) / 6.0


def _touched(
    around: Around, ways: Ways, get: Floats, group: Ints, groups: int
) -> tuple[Floats, Ints]:
    """Radius (groups,) of the largest ball that touches each group, and the room (groups,) where it
    does: a ball that fits into that of a tetrahedron can touch what this touches."""
    rows = np.flatnonzero(get)
    rows = rows[np.argsort(get[rows], kind="stable")]
    triangle = around.of[around.space.tets[rows]].ravel()
    on = triangle >= 0
    own = group[triangle[on]]
    radius, room = np.zeros(groups), np.full(groups, -1, np.int32)
    # the largest is written last
    radius[own] = np.repeat(get[rows], 4)[on]
    room[own] = np.repeat(ways.room[rows], 4)[on]
    return radius, room
