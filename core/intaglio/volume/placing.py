"""Placing inner points: layers on the surface, lattices where the field is even, edges halved.

Sources: S. Rebay, "Efficient unstructured mesh generation by means of Delaunay triangulation and
Bowyer-Watson algorithm", J. Comput. Phys. 106 (1993) for points at the apexes of ideal elements on
the front; P. L. George, H. Borouchaki, "Delaunay Triangulation and Meshing" (1998), chapter 7, for
points along edges that are too long.
"""

from collections.abc import Callable

import numpy as np
from numba import njit
from numpy.typing import NDArray

from intaglio.errors import StepFailed
from intaglio.numeric.order import hilbert_order
from intaglio.sizing.octree import SizeField, size_at, sizes
from intaglio.volume.complex import FACE, N_POINTS, N_TETS, Complex, grown, renumber
from intaglio.volume.insertion import INSERTED, insert_range
from intaglio.volume.lattice import is_even, settled, shaken

Progress = Callable[[float, str], None]

# how long an edge may be, and how near a new node may come to another, over the size field
_LONG_EDGE = 1.42
_SPACING = 0.68
# the same for the layers on the surface: edges of their tetrahedra, distance of their nodes
_EDGE = 0.93
_FIRST = 0.68
_LAYERS = 3


@njit(cache=True)
def _long_edges(cx, field, size, out_point, out_tet, out_key, limit):
    """Middles of edges longer than `limit` in the size field, each with a tetrahedron at it."""
    n = 0
    p = cx.points
    tets = cx.tets
    zone = cx.zone
    for t in range(cx.tally[N_TETS]):
        if tets[t, 0] < 0 or zone[t] < 0:
            continue
        # only the longest edge of each tetrahedron
        top = limit
        pick = -1
        for i in range(4):
            for j in range(i):
                a = tets[t, i]
                b = tets[t, j]
                d = np.sqrt(
                    (p[a, 0] - p[b, 0]) ** 2 + (p[a, 1] - p[b, 1]) ** 2 + (p[a, 2] - p[b, 2]) ** 2
                )
                # the size grows along the edge: a cheap bound before the field is asked
                if d <= top * min(size[a], size[b]):
                    continue
                h = size_at(
                    field,
                    0.5 * (p[a, 0] + p[b, 0]),
                    0.5 * (p[a, 1] + p[b, 1]),
                    0.5 * (p[a, 2] + p[b, 2]),
                )
                ratio = d / h
                if ratio > top:
                    top = ratio
                    pick = 4 * i + j
        if pick >= 0 and n < out_tet.size:
            a = tets[t, pick >> 2]
            b = tets[t, pick & 3]
            # towards the finer end, in proportion to the sizes
            r = size[a] / (size[a] + size[b])
            for k in range(3):
                out_point[n, k] = p[a, k] + r * (p[b, k] - p[a, k])
            out_tet[n] = t
            out_key[n] = (np.int64(min(a, b)) << 32) | max(a, b)
            n += 1
    return n


@njit(cache=True)
def _mark_large(cx, size, limit, large):
    """Which tetrahedra have an edge longer than `limit` times the sizes at its ends."""
    p, tets, zone = cx.points, cx.tets, cx.zone
    for t in range(large.size):
        if tets[t, 0] < 0 or zone[t] < 0:
            continue
        for i in range(4):
            for j in range(i):
                a = tets[t, i]
                b = tets[t, j]
                h = limit * 0.5 * (size[a] + size[b])
                d = (p[a, 0] - p[b, 0]) ** 2 + (p[a, 1] - p[b, 1]) ** 2 + (p[a, 2] - p[b, 2]) ** 2
                if d > h * h:
                    large[t] = True


@njit(cache=True)
def _apexes(cx, field, large, edge, out_point, out_tet):
    """Apexes of regular tetrahedra that would stand in large tetrahedra, on their faces at the
    surface and at tetrahedra that are not large. How many."""
    p, tets, nbr, lock, zone = cx.points, cx.tets, cx.nbr, cx.lock, cx.zone
    n = 0
    normal = np.empty(3)
    for t in range(large.size):
        if not large[t]:
            continue
        for i in range(4):
            u = nbr[t, i] >> 2
            if not (lock[t] >> i) & 1 and (large[u] or zone[u] < 0):
                continue
            a = tets[t, FACE[i, 0]]
            b = tets[t, FACE[i, 1]]
            c = tets[t, FACE[i, 2]]
            own = tets[t, i]
            for k in range(3):
                k1 = (k + 1) % 3
                k2 = (k + 2) % 3
                normal[k] = (p[b, k1] - p[a, k1]) * (p[c, k2] - p[a, k2]) - (
                    p[b, k2] - p[a, k2]
                ) * (p[c, k1] - p[a, k1])
                out_point[n, k] = (p[a, k] + p[b, k] + p[c, k]) / 3.0
            length = np.sqrt(normal[0] ** 2 + normal[1] ** 2 + normal[2] ** 2)
            if length == 0.0:
                continue
            around = 0.0
            along = 0.0
            for k in range(3):
                m = out_point[n, k]
                around += ((p[a, k] - m) ** 2 + (p[b, k] - m) ** 2 + (p[c, k] - m) ** 2) / 3.0
                along += (p[own, k] - m) * normal[k]
            h = edge * size_at(field, out_point[n, 0], out_point[n, 1], out_point[n, 2])
            height = np.sqrt(max(h * h - around, 0.1 * h * h))
            if along < 0.0:
                height = -height
            for k in range(3):
                out_point[n, k] += height * normal[k] / length
            out_tet[n] = t
            n += 1
    return n


def _layers(cx: Complex, field: SizeField) -> Complex:
    """Nodes at the apexes of regular tetrahedra on the surface, then on those, layer by layer."""
    for layer in range(_LAYERS):
        n, m = int(cx.tally[N_POINTS]), int(cx.tally[N_TETS])
        size = sizes(field, cx.points[:n])
        large = np.zeros(m, np.bool_)
        _mark_large(cx, size, _LONG_EDGE, large)
        spot, hint = np.empty((4 * m, 3)), np.empty(4 * m, np.int32)
        k = _apexes(cx, field, large, _EDGE, spot, hint)
        spot, hint = spot[:k], hint[:k]
        if layer > 0:
            # further in, lattices do better than layers where they can be
            graded = ~is_even(spot, field)
            spot, hint = spot[graded], hint[graded]
        if not len(spot):
            break
        order = hilbert_order(spot)
        spot, hint = spot[order], hint[order]
        cx, done = _inserted(cx, spot, hint, _FIRST * sizes(field, spot))
        if not len(done):
            break
    return cx


def _inserted(
    cx: Complex, spot: NDArray[np.float64], hint: NDArray[np.int32], near: NDArray[np.float64]
) -> tuple[Complex, NDArray[np.int64]]:
    """Insert points (k, 3), each from the tetrahedron hint (k,) on, unless a node is nearer than
    near (k,). The complex, and which points are in it now."""
    n, k = int(cx.tally[N_POINTS]), len(spot)
    cx = grown(cx, int(cx.tally[N_TETS]) + 8 * k + 8192, n + k + 16)
    cx.points[n : n + k] = spot
    came = np.zeros(k, np.int8)
    insert_range(cx, FACE, n, n + k, np.ascontiguousarray(hint), near, came)
    # refused nodes give their numbers back
    done = np.flatnonzero(came == INSERTED)
    _close_up(cx, n, done)
    return cx, done


def inner_points(cx: Complex, field: SizeField, max_cells: int, progress: Progress) -> Complex:
    """Insert nodes until no edge inside is much longer than the size field asks for.

    Raises StepFailed when more than max_cells tetrahedra would come of it.
    """
    cx = _layers(cx, field)
    size = np.zeros(len(cx.points))
    n = int(cx.tally[N_POINTS])
    size[:n] = sizes(field, cx.points[:n])
    on_lattice = True
    for round_ in range(60):
        m = int(cx.tally[N_TETS])
        spot, hint = np.empty((m, 3)), np.empty(m, np.int32)
        key = np.empty(m, np.int64)
        n_new = _long_edges(cx, field, size, spot, hint, key, _LONG_EDGE)
        if n_new == 0:
            break
        if m > max_cells * 1.3:
            raise StepFailed(
                "too-many-cells",
                f"The sizes ask for more than {max_cells:,} cells. Raise the edge lengths.",
            )
        # an edge is the longest of several tetrahedra
        once = np.unique(key[:n_new], return_index=True)[1]
        once = once[hilbert_order(spot[once])]
        spot, hint = spot[once], hint[once]
        if on_lattice:
            spot, even = settled(spot, sizes(field, spot), field)
            # several edges lie nearest to one place
            once = np.unique(spot, axis=0, return_index=True)[1]
            once.sort()
            spot, hint = shaken(spot[once], even[once], field), hint[once]
        n = int(cx.tally[N_POINTS])
        wanted = sizes(field, spot)
        cx, done = _inserted(cx, spot, hint, _SPACING * wanted)
        size = np.concatenate([size[:n], wanted[done], np.zeros(len(cx.points) - n - len(done))])
        progress(0.15 + 0.45 * (1 - 0.8 ** (round_ + 1)), "placing inner points")
        if len(done) < 0.01 * int(cx.tally[N_POINTS]):
            on_lattice = False
        if len(done) < max(1, 0.0005 * int(cx.tally[N_POINTS])):
            break
    return cx


def _close_up(cx: Complex, first: int, done: NDArray[np.int64]) -> None:
    """Number the inserted nodes first + done without gaps."""
    number = np.arange(len(cx.points), dtype=np.int64)
    number[first + done] = first + np.arange(len(done))
    renumber(cx.tets, int(cx.tally[N_TETS]), number)
    cx.points[first : first + len(done)] = cx.points[first + done]
    cx.at[first : first + len(done)] = cx.at[first + done]
    cx.tally[N_POINTS] = first + len(done)
