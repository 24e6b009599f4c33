"""Raising the quality of tetrahedra by changing how they are joined: edge removal, face swaps,
collapses.

Source: B. M. Klingner, J. R. Shewchuk, "Aggressive tetrahedral mesh improvement" (IMR 2007).
The boundary never moves: faces on it are locked, and so are its nodes.

A node is `active` when something at it has changed since it was last looked at; passes visit
active nodes only, so that the later ones cost little.
"""

import numpy as np
from numba import njit
from numpy.typing import NDArray

from intaglio.numeric.chunks import in_chunks
from intaglio.volume.complex import FREE, LAST, N_FREE, N_TETS, Complex, gather_star, place
from intaglio.volume.flips import MAX_SIDES, best_triangulation, edge_ring, flip23, remove_edge
from intaglio.volume.shapes import least_sine, volume_length

# tetrahedra at one node; a node with more keeps its star
_STAR = 1024
# a shape this good has no dihedral angle near any limit that is asked for
_NO_SHARP_ANGLE = 0.75
# gains of the worst quality for which a change is worth its making: of an edge over another, of
# the rings when they are done, of a face swap, of a collapse
_EDGE_GAIN = 1e-4
_RING_GAIN = 1e-5
_FACE_GAIN = 1e-4
_COLLAPSE_GAIN = 1e-3


@njit(cache=True)
def _row_quality(p, tets, t):
    return volume_length(p, tets[t, 0], tets[t, 1], tets[t, 2], tets[t, 3])


@njit(cache=True, nogil=True)
def _marked(p, tets, zone, sine, out, start, end):
    for t in range(start, end):
        if tets[t, 0] < 0 or zone[t] < 0:
            continue
        a = tets[t, 0]
        b = tets[t, 1]
        c = tets[t, 2]
        d = tets[t, 3]
        if volume_length(p, a, b, c, d) >= _NO_SHARP_ANGLE:
            continue
        if least_sine(p, a, b, c, d) < sine:
            out[t] = True


def worst_tets(cx: Complex, degrees: float) -> NDArray[np.int64]:
    """Rows of the tetrahedra with a dihedral angle under `degrees`, or over 180 less that."""
    n = int(cx.tally[N_TETS])
    out = np.zeros(n, np.bool_)
    sine = float(np.sin(np.radians(degrees)))
    in_chunks(lambda a, b: _marked(cx.points, cx.tets, cx.zone, sine, out, a, b), n)
    return np.flatnonzero(out)


@njit(cache=True)
def _is_worst(p, tets, rows, n, q):
    """Whether no tetrahedron of a ring after the first is worse than q."""
    for k in range(1, n):
        if _row_quality(p, tets, rows[k]) < q:
            return False
    return True


@njit(cache=True)
def _best_edge(p, tets, nbr, lock, t, q, nodes, rows, best, split):
    """(i, j): the edge of t, of quality q, whose removal raises the worst around it most; -1."""
    gain = 0.0
    pick_i = -1
    pick_j = -1
    for i in range(4):
        for j in range(i):
            n = edge_ring(tets, nbr, lock, t, i, j, nodes, rows)
            # only around an edge whose worst tetrahedron is this one
            if n < 3 or not _is_worst(p, tets, rows, n, q):
                continue
            floor = q + max(gain, _EDGE_GAIN)
            value = best_triangulation(p, tets[t, i], tets[t, j], nodes, n, floor, best, split)
            if value > floor:
                gain = value - q
                pick_i = i
                pick_j = j
    return pick_i, pick_j


@njit(cache=True)
def _swap_a_face(cx, t, q):
    """Swap the first face of t, of quality q, where that helps; whether one was."""
    for i in range(4):
        if (cx.lock[t] >> i) & 1:
            continue
        u = cx.nbr[t, i] >> 2
        if cx.zone[u] != cx.zone[t]:
            continue
        if flip23(cx, np.int64(t), i, min(q, _row_quality(cx.points, cx.tets, u)) + _FACE_GAIN):
            return True
    return False


@njit(cache=True)
def swap_pass(cx, below, active, changed):
    """Remove an edge or swap a face of each active tetrahedron worse than `below` if it helps.

    changed gets the nodes of what was swapped. Number of swaps.
    """
    p, tets, nbr, lock, zone = cx.points, cx.tets, cx.nbr, cx.lock, cx.zone
    nodes = np.empty(MAX_SIDES + 1, np.int32)
    rows = np.empty(MAX_SIDES + 1, np.int32)
    best = np.empty((MAX_SIDES, MAX_SIDES))
    split = np.empty((MAX_SIDES, MAX_SIDES), np.int32)
    made = 0
    for t in range(cx.tally[N_TETS]):
        a = tets[t, 0]
        if a < 0 or zone[t] < 0:
            continue
        b = tets[t, 1]
        c = tets[t, 2]
        d = tets[t, 3]
        if not (active[a] or active[b] or active[c] or active[d]):
            continue
        q = volume_length(p, a, b, c, d)
        if q >= below:
            continue
        i, j = _best_edge(p, tets, nbr, lock, t, q, nodes, rows, best, split)
        if (i >= 0 and remove_edge(cx, t, i, j, q + _RING_GAIN)) or _swap_a_face(cx, t, q):
            made += 1
            changed[a] = True
            changed[b] = True
            changed[c] = True
            changed[d] = True
    return made


@njit(cache=True)
def collapse_pass(cx, free, at, active, below):
    """Pull a free node of each tetrahedron worse than `below`, with a node at (points,), into a
    neighbour where that helps; active gets the nodes around."""
    p = cx.points
    tets = cx.tets
    rows = np.empty(_STAR, np.int32)
    made = 0
    for t in range(cx.tally[N_TETS]):
        if tets[t, 0] < 0 or cx.zone[t] < 0:
            continue
        if not (at[tets[t, 0]] or at[tets[t, 1]] or at[tets[t, 2]] or at[tets[t, 3]]):
            continue
        if _row_quality(p, tets, t) >= below:
            continue
        for i in range(4):
            v = tets[t, i]
            if not free[v]:
                continue
            n = gather_star(tets, cx.nbr, cx.seen, cx.at, cx.tally, v, rows)
            if n < 4:
                continue
            worst = 2.0
            for k in range(n):
                worst = min(worst, _row_quality(p, tets, rows[k]))
            done = False
            for j in range(4):
                if j != i and _pull_in(cx, v, tets[t, j], rows, n, worst, active):
                    done = True
                    break
            if done:
                made += 1
                break
    return made


@njit(cache=True)
def _pull_in(cx, v, u, rows, n, worst, active):
    """Collapse the edge v-u onto u if the star of v without it stays better than worst."""
    p = cx.points
    tets = cx.tets
    nbr = cx.nbr
    for k in range(n):
        t = rows[k]
        if place(tets, t, u) >= 0:
            continue
        i = place(tets, t, v)
        a = u if i == 0 else tets[t, 0]
        b = u if i == 1 else tets[t, 1]
        c = u if i == 2 else tets[t, 2]
        d = u if i == 3 else tets[t, 3]
        if volume_length(p, a, b, c, d) <= worst + _COLLAPSE_GAIN:
            return False
    # v is inside the domain and its star a ball: moving v to u keeps the star's shell, so the
    # tetrahedra that do not hold u fill exactly the same ball when all stay positive
    for k in range(n):
        t = rows[k]
        if place(tets, t, u) < 0:
            tets[t, place(tets, t, v)] = u
    for k in range(n):
        t = rows[k]
        iu = place(tets, t, u)
        iv = place(tets, t, v)
        if iv < 0:
            continue
        # t vanishes; its faces opposite u and v become one
        one = nbr[t, iu]
        two = nbr[t, iv]
        locked = ((cx.lock[t] >> iv) | (cx.lock[t] >> iu)) & 1
        nbr[one >> 2, one & 3] = two
        nbr[two >> 2, two & 3] = one
        if locked:
            cx.lock[one >> 2] |= 1 << (one & 3)
            cx.lock[two >> 2] |= 1 << (two & 3)
    for k in range(n):
        t = rows[k]
        if place(tets, t, v) >= 0:
            tets[t, 0] = FREE
            cx.free[cx.tally[N_FREE]] = t
            cx.tally[N_FREE] += 1
        else:
            for i in range(4):
                cx.at[tets[t, i]] = t
                active[tets[t, i]] = True
            cx.tally[LAST] = t
    cx.at[v] = -1
    return True
