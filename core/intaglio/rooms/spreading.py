"""From balls that are there, the widest ways first, to wherever a ball gets: the surface becomes
nodes where balls are found to reach into it, and only there.

The widest face to go through is taken from a heap (the widest path by E. W. Dijkstra, 1959). Before
a ball goes through, what is told of its way is looked at: whether the way crosses the surface, then
whether the surface comes nearer to it than to the nodes. If so its nearest place becomes a node
(Delaunay refinement by the Voronoi edges that a surface meets: J.-D. Boissonnat, S. Oudot,
"Provably good sampling and meshing of surfaces", Graphical Models 67, 2005), and the cells around
are reached again.
"""

from heapq import heappop, heappush

import numpy as np
from numba import njit

from intaglio.numeric.boxtree import crosses, nearest
from intaglio.numeric.inlining import inlined
from intaglio.rooms.balls import ball, passage, stuck_at
from intaglio.volume.cavity import (
    NOTHING,
    TOO_LARGE,
    WORK,
    Cavity,
    dig,
    is_ghost,
    number_shell,
    refill,
    walk,
)
from intaglio.volume.complex import FREE, N_POINTS, N_TETS, STAMP

# free rows kept ready: more than one node's cavity ever takes
_ROOM = 4096
_SHELL_NODES = 128
# among Delaunay tetrahedra a walk always ends
_NO_LIMIT = 1 << 62
# ways are looked along twice, so far beside, in radii: one may run through an edge of the triangles
_BESIDE = 1e-6

CLEAR, CROSSING, NEAR = 0, 1, 2


@njit(cache=True)
def spread(cx, tree, face, state, pins, limits, box, least, near, apart):
    """Let balls spread from the cells whose `state.width` says so; whether room ran out.

    New cells are begun from as `begins` says. least: radius of the smallest ball that matters;
    near: how much smaller than told a ball may be; apart: least distance of a new node from others,
    both shares of the radius told. Called again with more room it goes on.
    """
    p, tets, nbr, lock = cx.points, cx.tets, cx.nbr, cx.lock
    seen, free, local, tally = cx.seen, cx.free, cx.local, cx.tally
    width, age, closed, most, of = state.width, state.age, state.closed, state.most, state.of
    cavity = Cavity(
        np.empty(WORK, np.int32),
        np.empty(WORK, np.int32),
        np.empty(WORK, np.int32),
        np.empty((WORK, 3), np.int32),
        np.empty(WORK, np.int32),
    )
    opposite = np.empty((_SHELL_NODES, _SHELL_NODES), np.int32)
    heap = [(0.0, np.int64(0), np.int64(0))]
    heap.pop()
    foot, spot = np.empty(3), np.empty(3)
    for row in range(tally[N_TETS]):
        if tets[row, 0] != FREE and width[row] > 0.0:
            _offer(cx, state, heap, row, least)
    while len(heap) > 0:
        if tally[N_TETS] + _ROOM > tets.shape[0] or tally[N_POINTS] + 1 >= p.shape[0]:
            return True
        key, code, own = heappop(heap)
        told, t, i = -key, code >> 2, code & 3
        if age[t] != own:
            continue
        u, j = nbr[t, i] >> 2, nbr[t, i] & 3
        if width[u] >= told:
            continue
        if told > most[t, i]:
            continue
        if told > state.known[t, i]:
            stuck_at(p, tets, state.centre, state.radius, t, i, u, spot)
            came, clear, of_triangle = _look(tree, state, t, u, told, near, spot, foot)
            if came == CROSSING:
                closed[t] |= 1 << i
                closed[u] |= 1 << j
                continue
            state.known[t, i] = state.known[u, j] = told
            if came == NEAR:
                v = tally[N_POINTS]
                added = False
                room = apart * told
                if _lonely(p, tets, t, foot, room) and _lonely(p, tets, u, foot, room):
                    for k in range(3):
                        p[v, k] = foot[k]
                    first = walk(p, tets, nbr, lock, face, t, v, _NO_LIMIT, False)
                    if not is_ghost(tets, first) and not _stands(p, tets, first, v):
                        tally[STAMP] += 2
                        n_gone, n_shell = dig(
                            p, tets, nbr, lock, seen, local, face, cavity, first, v,
                            tally[STAMP], NOTHING, True,
                        )  # fmt: skip
                        added = n_gone != TOO_LARGE
                if added:
                    tally[N_POINTS] += 1
                    of[v] = of_triangle
                    nodes = number_shell(cavity.base, n_shell, local)
                    if nodes > opposite.shape[0]:
                        opposite = np.empty((2 * nodes, 2 * nodes), np.int32)
                    for k in range(n_gone):
                        age[cavity.gone[k]] += 1
                        width[cavity.gone[k]] = 0.0
                    refill(
                        tets, nbr, seen, free, local, tally, cavity, n_gone, n_shell, v, opposite
                    )
                    for k in range(n_shell):
                        _born(cx, tree, state, cavity.made[k], pins, limits, box)
                    for k in range(n_shell):
                        new = cavity.made[k]
                        b, c = nbr[new, 3] >> 2, nbr[new, 3] & 3
                        closed[b] &= ~np.uint8(1 << c)
                        most[b, c] = np.inf
                        state.known[b, c] = 0.0
                        if width[new] > 0.0:
                            _offer(cx, state, heap, new, least)
                        if width[b] > 0.0:
                            _offer_face(cx, state, heap, b, c, least)
                    continue
                most[t, i] = most[u, j] = clear
                _offer_face(cx, state, heap, t, i, least)
                continue
        width[u] = told
        _offer(cx, state, heap, u, least)
    return False


@njit(cache=True)
def _offer(cx, state, heap, t, least):
    for i in range(4):
        _offer_face(cx, state, heap, t, i, least)


@njit(cache=True)
def _offer_face(cx, state, heap, t, i, least):
    """Put a face onto the heap by what gets through it from tetrahedron t."""
    if (state.closed[t] >> i) & 1:
        return
    u = cx.nbr[t, i] >> 2
    if is_ghost(cx.tets, u) or state.width[u] >= state.width[t]:
        return
    told = passage(cx.points, cx.tets, state.centre, state.radius, t, i, u)
    told = min(told, state.width[t], state.most[t, i])
    if told >= least and told > state.width[u]:
        heappush(heap, (-told, 4 * np.int64(t) + i, np.int64(state.age[t])))


@njit(cache=True)
def _born(cx, tree, state, t, pins, limits, box):
    """What is known of a new tetrahedron."""
    state.age[t] += 1
    state.closed[t] = 0
    state.width[t] = 0.0
    for i in range(4):
        state.most[t, i] = np.inf
        state.known[t, i] = 0.0
    state.radius[t] = ball(cx.points, cx.tets, t, state.centre)
    if begins(tree, cx.tets, state.centre, state.radius, t, pins, limits, box):
        state.width[t] = state.radius[t]


@njit(cache=True)
def begins(tree, tets, centre, radius, t, pins, limits, box):
    """Whether balls spread from that of a tetrahedron: without pins (k, 3) from those centred
    beyond all surfaces (limits) or that touch a corner of the box around them (nodes box to
    box + 8); else from those that hold a pin, with no surface between it and the centre."""
    if pins.shape[0] > 0:
        for k in range(pins.shape[0]):
            square = 0.0
            for i in range(3):
                square += (pins[k, i] - centre[t, i]) ** 2
            if square < radius[t] ** 2 and not parts(tree, pins[k], centre[t], radius[t]):
                return True
        return False
    for i in range(4):
        if box <= tets[t, i] < box + 8:
            return True
    for i in range(3):
        if centre[t, i] < limits[i] or centre[t, i] > limits[3 + i]:
            return True
    return False


@njit(cache=True)
def _look(tree, state, t, u, told, near, spot, foot):
    """What is on the way from one ball to the next: CLEAR, CROSSING or NEAR the surface; then how
    near, its nearest place in `foot` and the triangle that this lies on."""
    if parts(tree, state.centre[t], state.centre[u], told):
        return CROSSING, 0.0, -1
    for k in range(2):
        if k == 1:
            spot[:] = state.centre[u]
        of = nearest(tree, 0, spot, foot)
        clear = np.sqrt(
            (spot[0] - foot[0]) ** 2 + (spot[1] - foot[1]) ** 2 + (spot[2] - foot[2]) ** 2
        )
        if clear < (1.0 - near) * told:
            return NEAR, clear, of
    return CLEAR, told, -1


@njit(cache=True)
def parts(tree, a, b, radius):
    """Whether the surface parts two places, looked at along two lines beside the straight one."""
    aside = _BESIDE * radius
    x, y, z = b[0] - a[0], b[1] - a[1], b[2] - a[2]
    # some direction across
    if abs(x) <= abs(y) and abs(x) <= abs(z):
        u, v, w = 0.0, z, -y
    elif abs(y) <= abs(z):
        u, v, w = -z, 0.0, x
    else:
        u, v, w = y, -x, 0.0
    length = np.sqrt(u * u + v * v + w * w)
    if length == 0.0:
        return False
    u, v, w = u * aside / length, v * aside / length, w * aside / length
    return crosses(tree, a[0] + u, a[1] + v, a[2] + w, x, y, z) or crosses(
        tree, a[0] - u, a[1] - v, a[2] - w, x, y, z
    )


@njit(cache=True)
def _lonely(p, tets, t, foot, apart):
    """Whether no node of a tetrahedron stands within a distance of a place."""
    for i in range(4):
        n = tets[t, i]
        square = (p[n, 0] - foot[0]) ** 2 + (p[n, 1] - foot[1]) ** 2 + (p[n, 2] - foot[2]) ** 2
        if square < apart * apart:
            return False
    return True


@inlined
def _stands(p, tets, t, v):
    """Whether node v stands on a node of t."""
    for i in range(4):
        n = tets[t, i]
        if p[n, 0] == p[v, 0] and p[n, 1] == p[v, 1] and p[n, 2] == p[v, 2]:
            return True
    return False
