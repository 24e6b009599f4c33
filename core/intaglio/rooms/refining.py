"""The space around surfaces: balls spread from outside, or from where the fluid is said to be, and
points are put on the surface until what is told of the way of each is so (`spreading`)."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any, NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from intaglio.numeric.boxtree import BoxTree, box_tree, distances
from intaglio.numeric.chunks import in_chunks
from intaglio.rooms.balls import ball
from intaglio.rooms.reach import widest_ways
from intaglio.rooms.samples import close_samples
from intaglio.rooms.space import Boxed, Space, boxed, space_of
from intaglio.rooms.spreading import begins, parts, spread
from intaglio.volume.complex import FACE, FREE, N_TETS, Complex, grown
from intaglio.volume.delaunay import delaunay_complex

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]
Bools = NDArray[np.bool_]

# points begin so many to the diagonal of the model
_ACROSS = 40
# how much smaller than told a ball may be
_ACCURATE = 0.05
# new points are no nearer to others than a share of the ball that asks for them
_APART = 0.25
# points lie no closer than this, in least radii
_CLOSEST = 2.0
# tetrahedra to a point, with room to spare
_TETS = 7.5
_NO_PINS = np.zeros((0, 3))


class State(NamedTuple):
    """What is known of each row of a complex while balls spread."""

    centre: Floats  # (rows, 3) of the ball
    radius: Floats  # (rows,)
    width: Floats  # (rows,) radius of the largest ball that came there, 0 if none did
    age: Ints  # (rows,) how often the row was made anew
    closed: NDArray[np.uint8]  # (rows,) a bit for each face whose way crosses the surface
    most: Floats  # (rows, 4) what the surface leaves of each way, where it was found nearer
    known: Floats  # (rows, 4) for which radius each way was looked along
    of: Ints  # (points,) the triangle that each point lies on


@dataclass(frozen=True)
class Around:
    """The space between surfaces; of (n,): the triangle that each of its points lies on, -1 for
    corners of the box; width (t,) of its tetrahedra: radius of the largest ball that gets there, 0
    under the least; start (t,): those that balls spread from."""

    space: Space
    of: Ints
    width: Floats
    start: Bools


def space_around(
    points: Floats,
    triangles: Ints,
    least: float,
    pins: Floats = _NO_PINS,
    tell: Callable[[float, str], None] = lambda share, doing: None,
) -> Around:
    """The space around and between triangles (m, 3) of points (n, 3), in whatever state they are.

    Balls of radius `least` (in the surface's unit) and more spread from outside, or from the rooms
    in which pins (k, 3) are; how large a ball gets where is told to 5 %.
    """
    size = float(np.linalg.norm(np.ptp(points[np.unique(triangles)], axis=0)))
    tree = box_tree(points, triangles)
    tell(0.0, "looking how far walls are apart")
    samples = close_samples(tree, max(size / _ACROSS, _CLOSEST * least), _CLOSEST * least)
    tell(0.3, "looking how wide balls are")
    about = boxed(samples.points)
    cx, _ = delaunay_complex(about.points, room=about.box // 2 + 4096, ahead=8)
    state = _begun(cx, samples.triangle)
    pins = np.ascontiguousarray(pins, float).reshape(-1, 3)
    _start(tree, cx.tets, cx.tally, state, pins, about.limits, about.box)

    def went(cx: Complex, state: State) -> tuple[Complex, State]:
        accuracy = (least, _ACCURATE, _APART)
        while spread(cx, tree, FACE, state, pins, about.limits, about.box, *accuracy):
            cx, state = _with_room(cx, state)
            tell(0.5, "looking how wide balls are")
        return cx, state

    cx, state = went(cx, state)
    tell(0.6, "looking which rooms there are")
    found, rows = _seen(cx, state, tree, pins, about)
    peaks = _held_back(found, least)
    if len(peaks):
        # what lies behind a narrow passage is as well known as what is before it
        tell(0.7, "looking within rooms")
        state.width[rows[peaks]] = state.radius[rows[peaks]]
        cx, state = went(cx, state)
        found, _ = _seen(cx, state, tree, pins, about)
    return found


def _seen(
    cx: Complex, state: State, tree: BoxTree, pins: Floats, about: Boxed
) -> tuple[Around, NDArray[np.int64]]:
    """The space as it is known by now, and the complex's rows of its tetrahedra."""
    space, rows = space_of(cx, about)
    space = _parted(space, state, rows, tree)
    width = state.width[rows]
    start = np.zeros(len(rows), bool)
    _starting(tree, space.tets, space.centre, space.radius, pins, about.limits, about.box, start)
    # of balls that nothing was said to get through, the surface may take a share
    got = np.flatnonzero(width)
    radius = space.radius.copy()
    radius[got] = np.minimum(radius[got], distances(tree, space.centre[got]))
    of = state.of[: len(space.points)]
    return Around(replace(space, radius=radius), of, width, start), rows


def _held_back(around: Around, least: float) -> NDArray[np.int64]:
    """Tetrahedra with the largest ball of each room from which a wider way leads on than the one
    that leads to it: only as far as the narrower one was it looked along."""
    space = around.space
    ways = widest_ways(space, least, around.start)
    through = np.concatenate([[np.inf], ways.radius[ways.passages]])
    width = through.copy()
    out = set()
    for k, before in enumerate(ways.before.tolist()):
        if through[k + 1] > width[before]:
            out |= {k + 1, before}
        width[k + 1] = min(through[k + 1], width[before])
    rows = [int(np.where(ways.room == k, space.radius, 0.0).argmax()) for k in sorted(out)]
    return np.array(rows, np.int64)


def _parted(space: Space, state: State, rows: NDArray[np.int64], tree: BoxTree) -> Space:
    """The space with those ways alone that balls got to both ends of and that do not cross the
    surface, no wider than the surface leaves them."""
    passing = np.minimum(space.passing, state.most[rows])
    passing[(state.closed[rows, None] >> np.arange(4)) & 1 > 0] = 0.0
    width = state.width[rows]
    ends = np.minimum(width[:, None], width[np.maximum(space.beside, 0)])
    passing[(space.beside < 0) | (ends == 0.0)] = 0.0
    # ways that no ball went along, as the other end had been reached by a wider one
    first = space.beside > np.arange(len(rows))[:, None]
    t, i = np.nonzero(first & (passing > 0.0) & (state.known[rows] == 0.0))
    u = space.beside[t, i]
    crossed = np.zeros(len(t), bool)
    in_chunks(lambda a, b: _crossed(tree, space.centre, space.radius, t, u, crossed, a, b), len(t))
    t, i, u = t[crossed], i[crossed], u[crossed]
    back = (space.beside[u] == t[:, None]).argmax(axis=1)
    passing[t, i] = passing[u, back] = 0.0
    return replace(space, passing=passing)


def _begun(cx: Complex, triangle: Ints) -> State:
    rows, points = len(cx.tets), len(cx.points)
    of = np.full(points, -1, np.int32)
    of[: len(triangle)] = triangle
    state = State(
        np.zeros((rows, 3)),
        np.zeros(rows),
        np.zeros(rows),
        np.zeros(rows, np.int32),
        np.zeros(rows, np.uint8),
        np.full((rows, 4), np.inf),
        np.zeros((rows, 4)),
        of,
    )
    count = int(cx.tally[N_TETS])
    in_chunks(lambda a, b: _balls(cx.points, cx.tets, state.centre, state.radius, a, b), count)
    return state


def _with_room(cx: Complex, state: State) -> tuple[Complex, State]:
    """The same with half as much room again."""
    points = int(1.5 * len(cx.points)) + 4096
    cx = grown(cx, max(int(1.5 * len(cx.tets)), int(_TETS * points)), points)

    def longer(a: NDArray[Any], n: int, fill: float) -> NDArray[Any]:
        out = np.full((n, *a.shape[1:]), fill, a.dtype)
        out[: len(a)] = a
        return out

    rows = len(cx.tets)
    return cx, State(
        longer(state.centre, rows, 0.0),
        longer(state.radius, rows, 0.0),
        longer(state.width, rows, 0.0),
        longer(state.age, rows, 0),
        longer(state.closed, rows, 0),
        longer(state.most, rows, np.inf),
        longer(state.known, rows, 0.0),
        longer(state.of, len(cx.points), -1),
    )


@njit(cache=True, nogil=True)
def _balls(points, tets, centre, radius, start, end):
    for t in range(start, end):
        if tets[t, 0] >= 0 and tets[t, 1] >= 0 and tets[t, 2] >= 0 and tets[t, 3] >= 0:
            radius[t] = ball(points, tets, t, centre)


@njit(cache=True)
def _start(tree, tets, tally, state, pins, limits, box):
    """Say which balls of a complex it is begun from."""
    for t in range(tally[N_TETS]):
        if tets[t, 0] == FREE or min(min(tets[t, 0], tets[t, 1]), min(tets[t, 2], tets[t, 3])) < 0:
            continue
        if begins(tree, tets, state.centre, state.radius, t, pins, limits, box):
            state.width[t] = state.radius[t]


@njit(cache=True)
def _starting(tree, tets, centre, radius, pins, limits, box, out):
    for t in range(len(out)):
        out[t] = begins(tree, tets, centre, radius, t, pins, limits, box)


@njit(cache=True, nogil=True)
def _crossed(tree, centre, radius, t, u, out, start, end):
    """Which ways from the balls of t to those of u cross the surface."""
    for k in range(start, end):
        out[k] = parts(tree, centre[t[k]], centre[u[k]], min(radius[t[k]], radius[u[k]]))
