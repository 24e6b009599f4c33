"""How wide a ball gets to every place from where the fluid is, and which rooms there are."""

from dataclasses import dataclass
from heapq import heappop, heappush

import numpy as np
from numba import njit
from numpy.typing import NDArray

from intaglio.rooms.space import Space

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]
Bools = NDArray[np.bool_]

# a room holds a ball so many times as wide as its widest passage lets through
_ROOMY = 1.25


@dataclass(frozen=True)
class Ways:
    """The widest ways through a space: a forest of tetrahedra (t,). faces (k, 2): tetrahedron and
    face of each step, the widest first; radius (k,) that it lets through; room (t,) of each
    tetrahedron, 0 the one from which it is looked, -1 where no way leads. Room r > 0 is reached by
    step passages[r - 1] from room before[r - 1] < r."""

    faces: Ints
    radius: Floats
    room: Ints
    passages: NDArray[np.int64]
    before: Ints


def widest_ways(space: Space, least: float, start: Bools | None = None) -> Ways:
    """The widest ways between all balls of a space, and its rooms: those that hold a ball of radius
    `least`, and a quarter larger than what their widest passage lets through. start (t,): where it
    is looked from, else from outside; rooms are numbered as a ball that shrinks gets there.

    Faces are taken in the order of what they let through, as by J. B. Kruskal (1956).
    """
    if start is None:
        # the skin, between points far apart, may hold balls that are centred beyond it
        start, begin = space.outside, np.flatnonzero(space.outside)[:1]
    else:
        begin = np.flatnonzero(start)
    first = space.beside > np.arange(len(space.tets))[:, None]
    row, face = np.nonzero(first & (space.passing > 0.0))
    order = np.argsort(-space.passing[row, face], kind="stable")
    t, i = row[order].astype(np.int32), face[order].astype(np.int32)
    across, through = space.beside[t, i], space.passing[t, i]
    steps = np.empty(len(space.tets), np.int64)
    parts = np.empty(len(space.tets), np.bool_)
    label = np.empty(len(space.tets), np.int32)
    peak = np.where(start, np.inf, space.radius)
    count = _joined(t, across, through, peak, least, _ROOMY, steps, parts, label)
    steps, parts = steps[:count], parts[:count]
    passages = np.flatnonzero(parts)
    ends = np.column_stack([label[t[steps[passages]]], label[across[steps[passages]]]])
    number = np.full(len(space.tets), -1, np.int32)
    taken, before = _in_order(ends, label[begin].tolist(), number)
    return Ways(
        np.column_stack([t[steps], i[steps]]),
        through[steps],
        number[label],
        passages[taken],
        np.array(before, np.int32),
    )


def _in_order(ends: Ints, first: list[int], number: Ints) -> tuple[list[int], list[int]]:
    """Passages between rooms' labels (k, 2), the widest first, as one gets through them from the
    first rooms (room 0): their rows, and the room before each; number (t,) gets each label's."""
    at: dict[int, list[int]] = {}
    for k, pair in enumerate(ends.tolist()):
        for own in pair:
            at.setdefault(own, []).append(k)
    taken: list[int] = []
    before: list[int] = []
    # rows of passages are in order of width
    open_: list[int] = []
    for own in dict.fromkeys(first):
        number[own] = 0
        for k in at.get(own, []):
            heappush(open_, k)
    while open_:
        k = heappop(open_)
        new = [own for own in ends[k].tolist() if number[own] < 0]
        if not new:
            continue
        (old,) = (own for own in ends[k].tolist() if number[own] >= 0)
        taken.append(k)
        before.append(int(number[old]))
        number[new[0]] = len(taken)
        for more in at[new[0]]:
            heappush(open_, more)
    return taken, before


@njit(cache=True)
def _root(up, t):
    while up[t] != t:
        up[t] = up[up[t]]
        t = up[t]
    return t


@njit(cache=True)
def _joined(t, across, through, peak, least, roomy, steps, parts, label):
    """Join tetrahedra through faces, the widest first: the faces that joined two, and whether they
    are passages between rooms; label (t,): a tetrahedron that stands for its room."""
    n = peak.shape[0]
    up = np.arange(n)
    own = np.arange(n)
    high = peak.copy()
    count = 0
    for k in range(t.shape[0]):
        a, b = _root(up, t[k]), _root(up, across[k])
        if a == b:
            continue
        lower = min(high[a], high[b])
        parts[count] = lower >= least and lower > roomy * through[k] and lower < np.inf
        if not parts[count]:
            one, two = _root(own, t[k]), _root(own, across[k])
            own[one] = two
        steps[count] = k
        count += 1
        if high[a] > high[b]:
            a, b = b, a
        up[a] = b
    for v in range(n):
        label[v] = _root(own, v)
    return count


def reached(space: Space, ways: Ways, seeds: Bools) -> Floats:
    """Radius (t,) of the largest ball that gets from seeds (t,) to each tetrahedron, in the unit
    of the points; on the seeds that of what fits there."""
    n = len(space.tets)
    one = ways.faces[:, 0]
    two = space.beside[one, ways.faces[:, 1]]
    ends = np.concatenate([one, two])
    order = np.argsort(ends, kind="stable")
    begin = np.searchsorted(ends[order], np.arange(n + 1))
    other = np.concatenate([two, one])[order]
    width = np.tile(ways.radius, 2)[order]
    out = np.where(seeds, space.radius, 0.0)
    _spread(begin, other, width, np.flatnonzero(seeds), out)
    return out


@njit(cache=True)
def _spread(begin, other, width, seeds, out):
    """Along a forest, what gets through from seeds: the widest way is the forest's own. Seeds are
    within it as they come, so that each is walked from in turn, only as far as it is wider."""
    stack = np.empty(begin.shape[0], np.int64)
    for s in seeds:
        stack[0] = s
        size = 1
        while size > 0:
            size -= 1
            v = stack[size]
            for k in range(begin[v], begin[v + 1]):
                w = other[k]
                fits = min(out[v], width[k])
                if fits > out[w]:
                    out[w] = fits
                    stack[size] = w
                    size += 1
