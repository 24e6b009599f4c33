"""Which way layers grow from each node of a wall: so that every face around it is seen.

The direction at a node is the middle of the narrowest cone that holds the normals of the faces
around it; it is found as the middle of the smallest ball around their ends (M. Badoiu, K. Clarkson,
"Smaller core-sets for balls", SODA 2003). Directions are then smoothed over the wall as far as the
faces stay in sight.
"""

from dataclasses import dataclass

import numpy as np
from numba import njit

from intaglio.layers.shell import Bools, Floats, Ints, Longs, Shell
from intaglio.layers.sides import Constraints
from intaglio.triangles.closure import edge_keys

_ROUNDS = 60
_SMOOTHINGS = 50
# smoothing leaves so much of the cosine to the face seen worst, but may go down to the other
_SEEN, _ENOUGH = 0.8, 0.72
# a node whose worst face is seen at a cosine under this lies on an edge; it follows that edge alone
_ON_EDGE = 0.95
# walls are folded where their normals part by more than this cosine
_FOLD = 0.9
# a direction that sees a face at a cosine under this is none to grow along
LEAST_SEEN = 0.18


@dataclass(frozen=True)
class Directions:
    """way (n, 3) unit vectors, zero where nothing grows; seen (n,) cosine to the face that is seen
    worst; mean (n,) the mean cosine to the faces around, weighted by their angle at the node."""

    way: Floats
    seen: Floats
    mean: Floats


def directions(shell: Shell, sides: Constraints) -> Directions:
    """Directions of all nodes of grown triangles, within the faces beside them that do not grow."""
    node, place, start = shell.corners
    normal = shell.inward[place // 3]
    weight = _angles(shell)[place]
    way = np.zeros((len(shell.points), 3))
    np.add.at(way, node, normal * weight[:, None])
    way = _unit(way)
    used = np.flatnonzero(np.diff(start))
    _centre(way, used, start, normal, _ROUNDS)
    way = sides.within(_unit(way))
    best = _seen(way, node, normal, start[used], used, len(way))
    edges = shell.wall_edges
    to, of = np.concatenate([edges, edges[:, ::-1]]).T
    on_edge = best < _ON_EDGE
    follows = ~on_edge[to] | np.tile(_folded(shell, edges), 2)
    to, of = to[follows], of[follows]
    order = np.argsort(to, kind="stable")
    begin = np.searchsorted(to[order], np.arange(len(way) + 1))
    movable = np.flatnonzero(best > LEAST_SEEN)
    least = np.minimum(_SEEN * best, _ENOUGH)
    for _ in range(_SMOOTHINGS):
        new = way.copy()
        _smoothed(
            way, new, movable, begin, of[order], start, normal, least, sides.plane, sides.line
        )
        way = new
    # of three columns the middle one goes its own way
    middle = shell.arcs.nodes[:, 1]
    way[middle] = shell.arcs.away
    way = sides.within(way)
    seen = _seen(way, node, normal, start[used], used, len(way))
    seen[middle] = 1.0
    cosine = np.einsum("ij,ij->i", normal, way[node])
    count = np.bincount(node, weight, minlength=len(way))
    mean_seen = np.bincount(node, weight * cosine, minlength=len(way))
    still = (seen < LEAST_SEEN) | sides.blocked | ~way.any(axis=1)
    still = still | np.isin(np.arange(len(way)), shell.arcs.nodes[still[shell.arcs.nodes].any(1)])
    mean = mean_seen / np.where(count > 0, count, 1.0)
    mean[middle] = 1.0
    return Directions(np.where(still[:, None], 0.0, way), seen, mean)


def _folded(shell: Shell, edges: Ints) -> Bools:
    """Which of the walls' edges (e, 2) the wall is folded at."""
    pairs, across = shell.edges
    own = np.repeat(np.arange(len(shell.triangles)), 3)
    cosine = np.einsum("ij,ij->i", shell.inward[own], shell.inward[across])
    sharp = (cosine < _FOLD) & shell.grown[own] & shell.grown[across]
    return np.isin(edge_keys(edges), edge_keys(pairs[sharp]))


@njit(cache=True)
def _centre(way, used, start, normal, rounds):
    """Move way (n, 3) of used nodes towards the middle of the smallest ball around the normals of
    their corners, which start (n + 1,) at."""
    for v in used:
        for k in range(rounds):
            worst = 2.0
            at = start[v]
            for c in range(start[v], start[v + 1]):
                cosine = (
                    normal[c, 0] * way[v, 0] + normal[c, 1] * way[v, 1] + normal[c, 2] * way[v, 2]
                )
                if cosine < worst:
                    worst = cosine
                    at = c
            for i in range(3):
                way[v, i] += (normal[at, i] - way[v, i]) / (k + 2.0)


@njit(cache=True)
def _smoothed(way, new, movable, begin, of, start, normal, least, plane, line):
    """Write to new (n, 3) the directions way (n, 3) of movable nodes, each half turned to the mean
    of its neighbours `of`, which begin (n + 1,) at, and held by planes and lines (n, 3), as far as
    every face around is seen at the cosine least (n,)."""
    d = np.empty(3)
    for v in movable:
        if line[v, 0] != 0.0 or line[v, 1] != 0.0 or line[v, 2] != 0.0:
            d[:] = line[v]
        else:
            d[:] = 0.0
            for k in range(begin[v], begin[v + 1]):
                d += way[of[k]]
            size = np.sqrt(d[0] * d[0] + d[1] * d[1] + d[2] * d[2])
            if size > 1e-300:
                d /= size
            d += way[v]
            d -= (d[0] * plane[v, 0] + d[1] * plane[v, 1] + d[2] * plane[v, 2]) * plane[v]
            size = np.sqrt(d[0] * d[0] + d[1] * d[1] + d[2] * d[2])
            if size <= 1e-6:
                continue
            d /= size
        keeps = True
        for c in range(start[v], start[v + 1]):
            if normal[c, 0] * d[0] + normal[c, 1] * d[1] + normal[c, 2] * d[2] < least[v]:
                keeps = False
                break
        if keeps:
            new[v] = d


def _seen(
    way: Floats, node: Longs, normal: Floats, begin: Longs, used: Longs, count: int
) -> Floats:
    cosine = np.einsum("ij,ij->i", normal, way[node])
    out = np.full(count, -1.0)
    out[used] = np.minimum.reduceat(cosine, begin)
    return out


def _unit(vectors: Floats) -> Floats:
    length = np.linalg.norm(vectors, axis=1)
    return vectors / np.where(length > 1e-300, length, 1.0)[:, None]


def _angles(shell: Shell) -> Floats:
    """Angle (3 m,) of each triangle at each of its corners, in rad."""
    p = shell.points[shell.triangles]
    out = np.empty((len(p), 3))
    for i in range(3):
        u, v = p[:, (i + 1) % 3] - p[:, i], p[:, (i + 2) % 3] - p[:, i]
        cross = np.linalg.norm(np.cross(u, v), axis=1)
        out[:, i] = np.arctan2(cross, np.einsum("ij,ij->i", u, v))
    return out.ravel()
