"""Filling a closed surface with tetrahedra: complex, boundary, inner points, improvement."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from intaglio.errors import StepFailed
from intaglio.facets.facets import open_edges
from intaglio.numeric.order import hilbert_order
from intaglio.sizing.octree import SizeField, size_at, sizes
from intaglio.volume.complex import FACE, FREE, N_POINTS, N_TETS, Complex, grown
from intaglio.volume.delaunay import INSERTED, delaunay_complex
from intaglio.volume.flips import insert_constrained, walk
from intaglio.volume.improve import collapse_pass, smooth_pass, swap_pass
from intaglio.volume.recover import find_face, recover_surface

_STAR = 4096
_LONG_EDGE = 1.42
_SPACING = 0.68


@dataclass(frozen=True)
class Filling:
    """points (n, 3), those of the given surface first; tets (m, 4) positive; triangles (k, 3) the
    surface as filled, outward; origin (k,) the given triangle each came from."""

    points: NDArray[np.float64]
    tets: NDArray[np.int32]
    triangles: NDArray[np.int32]
    origin: NDArray[np.int32]
    splits: int
    swaps: int


@njit(cache=True)
def _lock_surface(cx, triangles, inner):
    """Lock the surface's faces on both sides; inner[k] becomes the tetrahedron inside face k."""
    scratch = np.empty(_STAR, np.int32)
    for k in range(triangles.shape[0]):
        a = triangles[k, 0]
        b = triangles[k, 1]
        c = triangles[k, 2]
        code = find_face(cx, a, b, c, scratch)
        if code < 0:
            return k
        t = code >> 2
        i = code & 3
        other = cx.nbr[t, i]
        cx.lock[t] |= 1 << i
        cx.lock[other >> 2] |= 1 << (other & 3)
        # FACE lists the nodes inward to t; the triangle is outward
        j = 0
        while cx.tets[t, FACE[i, j]] != a:
            j += 1
        same = cx.tets[t, FACE[i, (j + 1) % 3]] == b
        inner[k] = other >> 2 if same else t
    return -1


@njit(cache=True)
def _flood(cx, inner):
    """zone 0 for all tetrahedra reached from `inner` without a locked face; False if it leaks."""
    stack = np.empty(cx.tally[0] + 1, np.int32)
    top = 0
    for t in range(cx.tally[0]):
        cx.zone[t] = -1
    for k in range(inner.size):
        if cx.zone[inner[k]] < 0:
            cx.zone[inner[k]] = 0
            stack[top] = inner[k]
            top += 1
        while top > 0:
            top -= 1
            t = stack[top]
            for i in range(4):
                if cx.tets[t, i] < 0:
                    return False
                if (cx.lock[t] >> i) & 1:
                    continue
                u = cx.nbr[t, i] >> 2
                if cx.zone[u] < 0:
                    cx.zone[u] = 0
                    stack[top] = u
                    top += 1
    return True


@njit(cache=True)
def _long_edges(cx, field, size, out_point, out_tet, limit):
    """Middles of edges longer than `limit` in the size field, each with a tetrahedron at it."""
    n = 0
    p = cx.points
    for t in range(cx.tally[0]):
        if cx.tets[t, 0] < 0 or cx.zone[t] < 0:
            continue
        # only the longest edge of each tetrahedron, and only from its lowest-numbered owner
        top = limit
        pick = -1
        for i in range(4):
            for j in range(i):
                a = cx.tets[t, i]
                b = cx.tets[t, j]
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
            a = cx.tets[t, pick >> 2]
            b = cx.tets[t, pick & 3]
            # towards the finer end, in proportion to the sizes
            r = size[a] / (size[a] + size[b])
            for k in range(3):
                out_point[n, k] = p[a, k] + r * (p[b, k] - p[a, k])
            out_tet[n] = t
            n += 1
    return n


@njit(cache=True)
def _insert_points(cx, points, order, hint, field, spacing, size, matrix):
    """Insert points that keep their distance; size gets the field there. Number inserted."""
    made = 0
    for k in order:
        if cx.tally[4] + 1 >= cx.points.shape[0] or cx.tally[0] + 2048 >= cx.tets.shape[0]:
            break
        v = cx.tally[4]
        cx.points[v, 0] = points[k, 0]
        cx.points[v, 1] = points[k, 1]
        cx.points[v, 2] = points[k, 2]
        t = hint[k]
        if cx.tets[t, 0] < 0 or cx.zone[t] < 0:
            t = np.int32(cx.tally[3])
        if cx.tets[t, 0] < 0 or cx.zone[t] < 0:
            continue
        t = walk(cx, v, t)
        if t < 0 or cx.zone[t] < 0:
            continue
        h = size_at(field, points[k, 0], points[k, 1], points[k, 2])
        if insert_constrained(cx, v, t, spacing * h, matrix) == INSERTED:
            size[v] = h
            cx.tally[4] += 1
            made += 1
    return made


@njit(cache=True)
def _volumes(points, tets):
    total = np.empty(tets.shape[0])
    for k in range(tets.shape[0]):
        a = tets[k, 0]
        six = 0.0
        ux = points[tets[k, 1], 0] - points[a, 0]
        uy = points[tets[k, 1], 1] - points[a, 1]
        uz = points[tets[k, 1], 2] - points[a, 2]
        vx = points[tets[k, 2], 0] - points[a, 0]
        vy = points[tets[k, 2], 1] - points[a, 1]
        vz = points[tets[k, 2], 2] - points[a, 2]
        wx = points[tets[k, 3], 0] - points[a, 0]
        wy = points[tets[k, 3], 1] - points[a, 1]
        wz = points[tets[k, 3], 2] - points[a, 2]
        six = (uy * vz - uz * vy) * wx + (uz * vx - ux * vz) * wy + (ux * vy - uy * vx) * wz
        total[k] = six / 6.0
    return total


def expected_tets(points: NDArray, triangles: NDArray, field: SizeField) -> int:
    """Tetrahedra that the size field asks for inside its box: an upper estimate for memory."""
    leaves = np.flatnonzero(field.child < 0)
    h = field.value[field.corner[leaves]].mean(axis=1)
    # leaf sizes from the depth at which each leaf stands
    side = np.zeros(len(field.child))
    side[0] = field.side
    for k in np.flatnonzero(field.child >= 0):
        side[field.child[k] : field.child[k] + 8] = side[k] / 2
    return int((8.5 * (side[leaves] / h) ** 3).sum()) + 6 * len(triangles)


def fill(
    points: NDArray[np.float64],
    triangles: NDArray[np.int32],
    region: NDArray[np.int32],
    field: SizeField,
    progress: Callable[[float, str], None] = lambda share, doing: None,
    max_cells: int = 20_000_000,
    improve_passes: int = 8,
) -> Filling:
    """Tetrahedra inside a closed surface: triangles (m, 3) outward, region (m,) their face.

    Raises StepFailed with places where the surface is open, meets itself, or cannot be filled.
    """
    gaps = open_edges(triangles)
    if len(gaps):
        raise StepFailed(
            "open-surface",
            f"The surface mesh has {len(gaps)} free or doubled edges.",
            points[gaps].mean(axis=1)[:20].tolist(),
        )
    progress(0.0, "Delaunay complex of the surface points")
    low, high = points.min(axis=0), points.max(axis=0)
    margin = 0.6 * float((high - low).max())
    corners = np.array([[(k >> i) & 1 for i in range(3)] for k in range(8)])
    box = np.where(corners == 1, high + margin, low - margin)
    n_surface = len(points)
    cx, _ = delaunay_complex(np.concatenate([points, box]))
    repeated = np.flatnonzero(cx.at[:n_surface] < 0)
    if len(repeated):
        raise StepFailed(
            "repeated-points",
            f"{len(repeated)} nodes of the surface mesh coincide: the surface touches itself.",
            points[repeated][:20].tolist(),
        )
    progress(0.08, "finding the surface in the complex")
    found = recover_surface(cx, triangles, region)
    cx = found.complex
    inner = np.empty(len(found.triangles), np.int32)
    if _lock_surface(cx, found.triangles, inner) >= 0 or not _flood(cx, inner):
        raise StepFailed(
            "leak",
            "The inside of the surface mesh cannot be told from its outside. "
            "Check that every body is closed and that none overlaps another.",
        )
    n_boundary = int(cx.tally[N_POINTS])
    progress(0.15, "placing inner points")
    cx, size = _inner_points(cx, field, max_cells, progress)
    progress(0.6, "improving")
    free = np.zeros(len(cx.points), bool)
    free[n_boundary : int(cx.tally[N_POINTS])] = True
    for k in range(improve_passes):
        below = 0.75 if k < 3 else 0.55
        swap_pass(cx, below)
        smooth_pass(cx, free, 0.9 if k < 4 else 0.6, size)
        if k % 3 == 1:
            collapse_pass(cx, free, 0.3)
        progress(0.6 + 0.38 * (k + 1) / improve_passes, "improving")
    return _result(cx, n_surface, n_boundary, found.triangles, found.origin, found)


def _inner_points(
    cx: Complex, field: SizeField, max_cells: int, progress: Callable[[float, str], None]
) -> tuple[Complex, NDArray[np.float64]]:
    matrix = np.empty((1024, 1024), np.int32)
    size = np.zeros(len(cx.points))
    n = int(cx.tally[N_POINTS])
    size[:n] = sizes(field, cx.points[:n])
    for round_ in range(60):
        m = int(cx.tally[N_TETS])
        spot, hint = np.empty((m, 3)), np.empty(m, np.int32)
        n_new = _long_edges(cx, field, size, spot, hint, _LONG_EDGE)
        if n_new == 0:
            break
        if m > max_cells * 1.3:
            raise StepFailed(
                "too-many-cells",
                f"The sizes ask for more than {max_cells:,} cells. Raise the edge lengths.",
            )
        spot, hint = spot[:n_new], hint[:n_new]
        room = int(cx.tally[N_POINTS]) + n_new + 16
        cx = grown(cx, m + 8 * n_new + 8192, room)
        size = np.concatenate([size, np.zeros(len(cx.points) - len(size))])
        made = _insert_points(cx, spot, hilbert_order(spot), hint, field, _SPACING, size, matrix)
        progress(0.15 + 0.45 * (1 - 0.8 ** (round_ + 1)), "placing inner points")
        if made < max(1, 0.0005 * int(cx.tally[N_POINTS])):
            break
    return cx, size


def _result(
    cx: Complex,
    n_surface: int,
    n_boundary: int,
    triangles: NDArray[np.int32],
    origin: NDArray[np.int32],
    found,
) -> Filling:
    m = int(cx.tally[N_TETS])
    rows = np.flatnonzero((cx.tets[:m, 0] != FREE) & (cx.zone[:m] == 0))
    tets = cx.tets[rows]
    n = int(cx.tally[N_POINTS])
    used = np.zeros(n, bool)
    used[tets.ravel()] = True
    number = (np.cumsum(used) - 1).astype(np.int32)
    return Filling(
        cx.points[:n][used].copy(),
        number[tets],
        number[triangles],
        origin,
        found.splits,
        found.swaps,
    )
