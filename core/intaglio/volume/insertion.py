"""Inserting nodes into a complex whose boundary is locked.

The cavity is that of `delaunay`, but it does not pass locked faces, and tetrahedra whose faces the
new node would not see are kept out of it, one after the other (P. L. George, H. Borouchaki,
"Delaunay Triangulation and Meshing", 1998, section 2.5: correction of the cavity).
"""

import numpy as np
from numba import njit

from intaglio.numeric.inlining import inlined
from intaglio.volume.cavity import (
    BLOCKED,
    TOO_LARGE,
    WORK,
    Cavity,
    dig,
    is_ghost,
    number_shell,
    refill,
    side_of_triangle,
    walk,
)
from intaglio.volume.complex import FACE, LAST, N_TETS, STAMP

# what inserting a node came to
REFUSED = 0
INSERTED = 1
DUPLICATE = 2

# free rows kept ready before a node is tried; most cavities take a few dozen
_ROOM = 2048
# nodes on a shell before its table of edges grows
_SHELL_NODES = 128
# among tetrahedra that are not Delaunay a walk may go round: longer ones than this are given up
_STEPS = 10_000
# corrections of one cavity: each bans a tetrahedron at least; a cavity that needs more is a bad one
_CORRECTIONS = 24
# mark in `local` of nodes of the cavity that are not on its shell
_BURIED = -2


@njit(cache=True)
def walk_within(p, tets, nbr, lock, face, t, v):
    """The tetrahedron that holds node v, from t on, not through locked faces; BLOCKED if none."""
    t = walk(p, tets, nbr, lock, face, t, v, _STEPS, True)
    return BLOCKED if t == BLOCKED or is_ghost(tets, t) else t


@inlined
def _square_span(p, u, v):
    return (p[u, 0] - p[v, 0]) ** 2 + (p[u, 1] - p[v, 1]) ** 2 + (p[u, 2] - p[v, 2]) ** 2


@inlined
def _room_beside(p, nodes, v, least):
    """INSERTED if every node of a tetrahedron is at least sqrt(least) from v, else what v is."""
    verdict = INSERTED
    for i in range(4):
        d = _square_span(p, nodes[i], v)
        if d == 0.0:
            return DUPLICATE
        if d < least:
            verdict = REFUSED
    return verdict


@inlined
def _star_shaped(p, tets, nbr, lock, seen, local, tally, face, cavity, first, v):
    """The cavity of node v, corrected until v sees every face of its shell: (cells, faces).

    (TOO_LARGE, 0) if the tetrahedron that holds v would have to go itself, or if it takes too long.
    """
    tally[STAMP] += 1
    banned = tally[STAMP]
    for _ in range(_CORRECTIONS):
        tally[STAMP] += 2
        n_gone, n_shell = dig(
            p, tets, nbr, lock, seen, local, face, cavity, first, v, tally[STAMP], banned, False
        )
        seen_whole = n_gone != TOO_LARGE
        x, y, z = p[v, 0], p[v, 1], p[v, 2]
        for k in range(n_shell):
            a, b, c = cavity.base[k, 0], cavity.base[k, 1], cavity.base[k, 2]
            if side_of_triangle(p, a, b, c, v, x, y, z) <= 0:
                seen_whole = False
                t = cavity.owner[k] >> 2
                if t == first:
                    return TOO_LARGE, 0
                seen[t] = banned
        if seen_whole or n_gone == TOO_LARGE:
            return n_gone, n_shell
    return TOO_LARGE, 0


@inlined
def _verdict(p, tets, local, cavity, n_gone, n_shell, v, least):
    """(what v is in this cavity, nodes on its shell): REFUSED where it would bury a node of the
    cavity, leave a shell that is no sphere, or come nearer than sqrt(least) to a node."""
    for k in range(n_gone):
        for i in range(4):
            local[tets[cavity.gone[k], i]] = _BURIED
    nodes = number_shell(cavity.base, n_shell, local)
    # Euler's count for a sphere of triangles: a closed, simple shell
    if 2 * nodes != n_shell + 4:
        return REFUSED, nodes
    verdict = INSERTED
    for k in range(n_gone):
        t = cavity.gone[k]
        beside = _room_beside(p, tets[t], v, least)
        if beside == DUPLICATE:
            return DUPLICATE, nodes
        for i in range(4):
            if beside == REFUSED or local[tets[t, i]] == _BURIED:
                verdict = REFUSED
    return verdict, nodes


@inlined
def _locks_of_shell(lock, owner, n_shell):
    """Put into owner, for each face of the shell, whether it is locked."""
    for k in range(n_shell):
        owner[k] = (lock[owner[k] >> 2] >> (owner[k] & 3)) & 1


@inlined
def _dress(tets, lock, zone, at, cavity, n_shell, own_zone):
    """Zone, locks and incidence of the tetrahedra that fill the cavity."""
    for k in range(n_shell):
        new = cavity.made[k]
        zone[new] = own_zone
        lock[new] = cavity.owner[k] << 3
        for j in range(3):
            at[tets[new, j]] = new


@njit(cache=True)
def insert_range(cx, face, start, stop, hint, near, came):
    """Insert nodes start..stop, each from tetrahedron hint[v - start]; the node reached.

    A node nearer than near[v - start] to one of its cavity, or that would bury one, is refused;
    came (stop - start,) gets REFUSED, INSERTED or DUPLICATE. Stops early when room runs out.
    """
    # taken out of the tuple once: inside the loop that would count references
    p, tets, nbr, lock, zone = cx.points, cx.tets, cx.nbr, cx.lock, cx.zone
    seen, free, at, local, tally = cx.seen, cx.free, cx.at, cx.local, cx.tally
    cavity = Cavity(
        np.empty(WORK, np.int32),
        np.empty(WORK, np.int32),
        np.empty(WORK, np.int32),
        np.empty((WORK, 3), np.int32),
        np.empty(WORK, np.int32),
    )
    opposite = np.empty((_SHELL_NODES, _SHELL_NODES), np.int32)
    capacity = tets.shape[0]
    for v in range(start, stop):
        if tally[N_TETS] + _ROOM > capacity:
            return v
        came[v - start] = REFUSED
        t = hint[v - start]
        if tets[t, 0] < 0:
            t = tally[LAST]
            if tets[t, 0] < 0:
                continue
        first = walk_within(p, tets, nbr, lock, face, t, v)
        if first == BLOCKED:
            continue
        least = near[v - start] ** 2
        # most points that come too near do so to a node of the tetrahedron that holds them
        came[v - start] = _room_beside(p, tets[first], v, least)
        if came[v - start] != INSERTED:
            continue
        came[v - start] = REFUSED
        n_gone, n_shell = _star_shaped(
            p, tets, nbr, lock, seen, local, tally, face, cavity, first, v
        )
        if n_gone == TOO_LARGE or tally[N_TETS] + n_shell > capacity:
            continue
        verdict, nodes = _verdict(p, tets, local, cavity, n_gone, n_shell, v, least)
        came[v - start] = verdict
        if verdict != INSERTED:
            continue
        if nodes > opposite.shape[0]:
            opposite = np.empty((2 * nodes, 2 * nodes), np.int32)
        own_zone = zone[first]
        _locks_of_shell(lock, cavity.owner, n_shell)
        refill(tets, nbr, seen, free, local, tally, cavity, n_gone, n_shell, v, opposite)
        _dress(tets, lock, zone, at, cavity, n_shell, own_zone)
        at[v] = cavity.made[0]
    return stop


@njit(cache=True)
def insert_node(cx, v, t, spacing):
    """Insert one node v from tetrahedron t on; REFUSED, INSERTED or DUPLICATE."""
    came = np.zeros(1, np.int8)
    hint = np.empty(1, np.int32)
    hint[0] = t
    near = np.empty(1)
    near[0] = spacing
    insert_range(cx, FACE, v, v + 1, hint, near, came)
    return came[0]
