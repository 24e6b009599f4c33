"""Edges of triangles: who uses them, in which direction, and what hangs together across them."""

from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

Ints = NDArray[np.int32]


@dataclass(frozen=True)
class EdgeTable:
    """nodes (e, 2), lower number first; uses (e,); start (e + 1,) offsets into half (3m,), where
    3 * t + i names the edge from node i to node i + 1 of triangle t; forward (3m,) by half edge:
    whether it runs from the lower to the higher number."""

    nodes: Ints
    uses: NDArray[np.int64]
    start: NDArray[np.int64]
    half: NDArray[np.int64]
    forward: NDArray[np.bool_]


def edge_table(triangles: Ints) -> EdgeTable:
    """Edges of triangles (m, 3), sorted by their nodes."""
    a = triangles.ravel().astype(np.int64)
    b = triangles[:, [1, 2, 0]].ravel().astype(np.int64)
    n = int(a.max()) + 1 if len(a) else 1
    low, high = np.minimum(a, b), np.maximum(a, b)
    key = low * n + high
    half = np.argsort(key, kind="stable")
    key = key[half]
    first = np.flatnonzero(np.concatenate([[True], key[1:] != key[:-1]])) if len(key) else key
    start = np.append(first, len(key))
    nodes = np.stack([key[first] // n, key[first] % n], axis=1).astype(np.int32)
    return EdgeTable(nodes, np.diff(start), start, half, a < b)


def pairs_across(table: EdgeTable) -> tuple[NDArray[np.int64], NDArray[np.bool_]]:
    """Triangles (k, 2) on the two sides of each edge used twice, and whether both run along it the
    same way, which says that their normals disagree."""
    two = table.start[:-1][table.uses == 2]
    one, other = table.half[two], table.half[two + 1]
    same = table.forward[one] == table.forward[other]
    return np.stack([one // 3, other // 3], axis=1), same


def pieces(table: EdgeTable, count: int, joined: NDArray[np.bool_] | None = None) -> Ints:
    """Piece (m,) of each triangle: what hangs together across edges, all or those of `joined`."""
    edge = np.repeat(np.arange(len(table.uses)), table.uses)
    first = table.half[table.start[edge]] // 3
    own = table.half // 3
    if joined is not None:
        keep = joined[edge]
        first, own = first[keep], own[keep]
    graph = coo_array((np.ones(len(own), np.int8), (first, own)), shape=(count, count))
    return connected_components(graph, directed=False)[1].astype(np.int32)


@njit(cache=True)
def _turn(start, other, same, piece_of, flip, orientable):
    """Which triangles to turn so that each piece is turned one way; whether a piece can be."""
    n = start.size - 1
    seen = np.zeros(n, np.bool_)
    stack = np.empty(n, np.int64)
    for s in range(n):
        if seen[s]:
            continue
        seen[s] = True
        stack[0] = s
        top = 1
        while top > 0:
            top -= 1
            t = stack[top]
            for k in range(start[t], start[t + 1]):
                u = other[k]
                wanted = flip[t] != same[k]
                if not seen[u]:
                    seen[u] = True
                    flip[u] = wanted
                    stack[top] = u
                    top += 1
                elif flip[u] != wanted:
                    orientable[piece_of[t]] = False


def consistent_turns(
    pairs: NDArray[np.int64], same: NDArray[np.bool_], piece: Ints
) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
    """Which triangles (m,) to turn over so that each piece agrees with itself, and per piece
    whether that is possible at all. In each piece the first triangle stays."""
    m = len(piece)
    source = np.concatenate([pairs[:, 0], pairs[:, 1]])
    order = np.argsort(source, kind="stable")
    start = np.searchsorted(source[order], np.arange(m + 1))
    other = np.concatenate([pairs[:, 1], pairs[:, 0]])[order]
    flip = np.zeros(m, np.bool_)
    orientable = np.ones(int(piece.max()) + 1 if m else 0, np.bool_)
    _turn(start, other, np.concatenate([same, same])[order], piece, flip, orientable)
    return flip, orientable


@njit(cache=True)
def _walk_rims(triangles, edge_of, uses, start, half, nodes, edges, loop_start):
    """Walk every rim once; counts of nodes and loops written."""
    done = np.zeros(uses.size, np.bool_)
    n = 0
    loops = 0
    for first in range(uses.size):
        if uses[first] != 1 or done[first]:
            continue
        h = half[start[first]]
        t = h // 3
        origin = triangles[t, h % 3]
        at = triangles[t, (h % 3 + 1) % 3]
        e = first
        begin = n
        nodes[n] = origin
        edges[n] = e
        n += 1
        done[e] = True
        closed = False
        while True:
            # around the node to the next edge of the rim
            came = e
            steps = 0
            while True:
                other = -1
                for i in range(3):
                    g = edge_of[3 * t + i]
                    if g != came and (triangles[t, i] == at or triangles[t, (i + 1) % 3] == at):
                        other = g
                if other < 0 or uses[other] > 2 or steps > 100000:
                    other = -1
                    break
                if uses[other] == 1:
                    break
                a = half[start[other]] // 3
                t = half[start[other] + 1] // 3 if a == t else a
                came = other
                steps += 1
            if other < 0:
                break
            if other == first:
                closed = True
                break
            if done[other]:
                break
            e = other
            done[e] = True
            nodes[n] = at
            edges[n] = e
            n += 1
            h = half[start[e]]
            a = triangles[h // 3, h % 3]
            b = triangles[h // 3, (h % 3 + 1) % 3]
            at = b if a == at else a
        if closed:
            loop_start[loops] = begin
            loops += 1
        else:
            n = begin
    return n, loops


def rims(triangles: Ints, table: EdgeTable) -> list[tuple[NDArray[np.int64], NDArray[np.int64]]]:
    """Closed walks along edges used once: nodes in order and the edge after each.

    At a node where several rims meet each keeps to its own fan of triangles. A walk that meets a
    node again is cut in two there, so that each is simple. Edges whose walk ends at a branching
    edge are in none.
    """
    free = int((table.uses == 1).sum())
    edge_of = np.empty(len(table.half), np.int64)
    edge_of[table.half] = np.repeat(np.arange(len(table.uses)), table.uses)
    nodes, edges = np.empty(free, np.int64), np.empty(free, np.int64)
    start = np.empty(free + 1, np.int64)
    n, loops = _walk_rims(
        triangles, edge_of, table.uses, table.start, table.half, nodes, edges, start
    )
    start[loops] = n
    out = []
    for k in range(loops):
        out += _simple(nodes[start[k] : start[k + 1]], edges[start[k] : start[k + 1]])
    return out


def _simple(
    nodes: NDArray[np.int64], edges: NDArray[np.int64]
) -> list[tuple[NDArray[np.int64], NDArray[np.int64]]]:
    """A closed walk cut into ones that meet no node twice."""
    if len(np.unique(nodes)) == len(nodes):
        return [(nodes, edges)]
    out = []
    path: list[tuple[int, int]] = []
    where: dict[int, int] = {}
    for node, edge in zip(nodes.tolist(), edges.tolist(), strict=True):
        if node in where:
            k = where[node]
            loop = path[k:]
            for v, _ in loop:
                del where[v]
            path = path[:k]
            out.append(loop)
        where[node] = len(path)
        path.append((node, edge))
    out.append(path)
    return [
        (np.array([v for v, _ in p], np.int64), np.array([e for _, e in p], np.int64))
        for p in out
        if p
    ]


def chains(edges: Ints) -> list[NDArray[np.int64]]:
    """Edges (k, 2) joined to chains of nodes, cut where other than two meet; a closed chain ends
    with its first node."""
    at: dict[int, list[int]] = {}
    for k, (a, b) in enumerate(edges.tolist()):
        at.setdefault(a, []).append(k)
        at.setdefault(b, []).append(k)
    used = np.zeros(len(edges), bool)
    out = []

    def walk(node: int, edge: int) -> NDArray[np.int64]:
        line = [node]
        while True:
            used[edge] = True
            a, b = edges[edge]
            node = int(b if line[-1] == a else a)
            line.append(node)
            if len(at[node]) != 2 or node == line[0]:
                return np.array(line, np.int64)
            one, other = at[node]
            edge = other if used[one] else one
            if used[edge]:
                return np.array(line, np.int64)

    for node, touching in at.items():
        if len(touching) != 2:
            out += [walk(node, edge) for edge in touching if not used[edge]]
    for edge in range(len(edges)):
        if not used[edge]:
            out.append(walk(int(edges[edge, 0]), edge))
    return out
