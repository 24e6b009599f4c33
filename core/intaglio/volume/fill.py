"""Filling a closed surface with tetrahedra: complex, boundary, inner points, improvement."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from intaglio.errors import StepFailed
from intaglio.facets.facets import unclosed_edges
from intaglio.numeric.order import hilbert_order
from intaglio.sizing.octree import SizeField, size_at, sizes
from intaglio.volume.complex import FACE, FREE, N_POINTS, N_TETS, Complex, grown, renumber
from intaglio.volume.delaunay import delaunay_complex
from intaglio.volume.flips import MAX_SIDES, edge_ring
from intaglio.volume.improve import collapse_pass, smooth_pass, swap_pass, worst_tets
from intaglio.volume.insertion import INSERTED, insert_node, insert_range
from intaglio.volume.lattice import is_even, settled, shaken
from intaglio.volume.recover import Recovered, find_face, recover_surface

Progress = Callable[[float, str], None]

_STAR = 4096
_LONG_EDGE = 1.42
_SPACING = 0.68
# edges of the first layer of tetrahedra, and how near its nodes may come, over the size field
_EDGE = 0.93
_FIRST = 0.68
_LAYERS = 3


@dataclass(frozen=True)
class Filling:
    """points (n, 3), those of the given surface first; tets (m, 4) positive; zone (m,);
    triangles (k, 3) the surface as filled; origin (k,) the given triangle each came from."""

    points: NDArray[np.float64]
    tets: NDArray[np.int32]
    zone: NDArray[np.int32]
    triangles: NDArray[np.int32]
    origin: NDArray[np.int32]
    splits: int
    swaps: int


@njit(cache=True)
def _lock_surface(cx, triangles, held):
    """Lock the surface's faces; held[k] becomes the tetrahedra behind and before triangle k.

    Returns -1, or the first triangle that the complex does not have.
    """
    tets, nbr, lock = cx.tets, cx.nbr, cx.lock
    seen, at, tally = cx.seen, cx.at, cx.tally
    scratch = np.empty(_STAR, np.int32)
    for k in range(triangles.shape[0]):
        a = triangles[k, 0]
        b = triangles[k, 1]
        c = triangles[k, 2]
        code = find_face(tets, nbr, seen, at, tally, a, b, c, scratch)
        if code < 0:
            return k
        t = code >> 2
        i = code & 3
        other = nbr[t, i]
        lock[t] |= 1 << i
        lock[other >> 2] |= 1 << (other & 3)
        # FACE lists the nodes so that t lies before them
        j = 0
        while tets[t, FACE[i, j]] != a:
            j += 1
        before = tets[t, FACE[i, (j + 1) % 3]] == b
        held[k, 0] = other >> 2 if before else t
        held[k, 1] = t if before else other >> 2
    return -1


@njit(cache=True)
def _flood(cx, held, sides):
    """Give every tetrahedron reached from a triangle's side that side's zone; -1 stays outside.

    Returns -1, or a triangle at which two zones run into each other or into the outside.
    """
    tets, nbr, lock, zone_of = cx.tets, cx.nbr, cx.lock, cx.zone
    stack = np.empty(cx.tally[0] + 1, np.int32)
    for t in range(cx.tally[0]):
        zone_of[t] = -1
    for k in range(held.shape[0]):
        for side in range(2):
            zone = sides[k, side]
            first = held[k, side]
            if zone < 0:
                if zone_of[first] >= 0:
                    return k
                continue
            if zone_of[first] >= 0:
                if zone_of[first] != zone:
                    return k
                continue
            zone_of[first] = zone
            stack[0] = first
            top = 1
            while top > 0:
                top -= 1
                t = stack[top]
                for i in range(4):
                    if tets[t, i] < 0:
                        return k
                    if (lock[t] >> i) & 1:
                        continue
                    u = nbr[t, i] >> 2
                    if zone_of[u] < 0:
                        zone_of[u] = zone
                        stack[top] = u
                        top += 1
    for k in range(held.shape[0]):
        for side in range(2):
            if zone_of[held[k, side]] != sides[k, side]:
                return k
    return -1


@njit(cache=True)
def _long_edges(cx, field, size, out_point, out_tet, out_key, limit):
    """Middles of edges longer than `limit` in the size field, each with a tetrahedron at it."""
    n = 0
    p = cx.points
    tets = cx.tets
    zone = cx.zone
    for t in range(cx.tally[0]):
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
    progress: Progress = lambda share, doing: None,
    max_cells: int = 20_000_000,
    improve_passes: int = 12,
    target: float = 25.0,
    sides: NDArray[np.int32] | None = None,
) -> Filling:
    """Tetrahedra in the spaces that triangles (m, 3) enclose; region (m,) their face.

    sides (m, 2): the zone behind each triangle (its normal points away from it) and the zone
    before it, -1 where nothing is to be filled; without it one zone lies behind all of them.
    improve_passes and target (degrees) are those of `improve`.
    Raises StepFailed with places where the surface is open, meets itself, or cannot be filled.
    """
    if sides is None:
        sides = np.tile(np.array([[0, -1]], np.int32), (len(triangles), 1))
    gaps = unclosed_edges(triangles, sides)
    if len(gaps):
        raise StepFailed(
            "open-surface",
            f"The surface mesh has {len(gaps)} edges at which a zone is not closed.",
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
    held = np.empty((len(found.triangles), 2), np.int32)
    bad = _lock_surface(cx, found.triangles, held)
    if bad < 0:
        bad = _flood(cx, held, np.ascontiguousarray(sides[found.origin], np.int32))
    if bad >= 0:
        raise StepFailed(
            "leak",
            "The inside of the surface mesh cannot be told from its outside. "
            "Check that every body is closed and that none overlaps another.",
            [cx.points[found.triangles[bad]].mean(axis=0).tolist()],
        )
    n_boundary = int(cx.tally[N_POINTS])
    progress(0.15, "placing inner points")
    cx = _layers(cx, field, _LAYERS)
    cx = _inner_points(cx, field, max_cells, progress)
    progress(0.6, "improving")
    free = np.zeros(len(cx.points), bool)
    free[n_boundary : int(cx.tally[N_POINTS])] = True
    cx = improve(
        cx, free, improve_passes, target, lambda share, doing: progress(0.6 + 0.38 * share, doing)
    )
    return _result(cx, found)


# what is swapped below which quality after each round of smoothing; 0 swaps nothing
_ROUNDS = ((1, 0.0), (1, 0.7), (1, 0.0), (1, 0.7), (2, 0.0), (1, 0.6))


def improve(
    cx: Complex,
    free: NDArray[np.bool_],
    passes: int,
    target: float,
    progress: Progress = lambda share, doing: None,
) -> Complex:
    """Improve the complex: rounds for all cells, then up to `passes` for the worst.

    free (n,) marks the nodes that may move. The passes for the worst end when the least dihedral
    angle reaches `target` degrees or when nothing changes any more.
    """
    moving = np.ones(len(cx.points), bool)
    touched = moving.copy()
    for k, (power, below) in enumerate(_ROUNDS):
        smooth_pass(cx, free, moving, touched, power, 2.0)
        if below:
            swapped = np.zeros(len(cx.points), bool)
            swap_pass(cx, below, touched, swapped)
            moving |= swapped
            touched = swapped.copy()
        progress(0.8 * (k + 1) / len(_ROUNDS), "improving all cells")
    for k in range(passes):
        progress(0.8 + 0.2 * k / passes, "improving the worst cells")
        bad = worst_tets(cx, target)
        if not len(bad):
            break
        if k % 3 == 2:
            cx, free = _add_nodes(cx, free, bad)
            moving = np.zeros(len(cx.points), bool)
            touched = moving.copy()
        moving[:] = False
        moving[cx.tets[bad].ravel()] = True
        touched[:] = moving
        changed = smooth_pass(cx, free, moving, touched, 6, 0.6)
        changed += swap_pass(cx, 0.6, touched, moving)
        changed += collapse_pass(cx, free, moving, 0.4)
        if not changed and k % 3 != 1:
            break
    return cx


def _add_nodes(
    cx: Complex, free: NDArray[np.bool_], bad: NDArray[np.int64]
) -> tuple[Complex, NDArray[np.bool_]]:
    """A node at the middle of the longest inner edge of each bad tetrahedron, to part it."""
    n = int(cx.tally[N_POINTS])
    bad = bad[:2000]
    cx = grown(cx, int(cx.tally[N_TETS]) + 64 * len(bad) + 4096, n + len(bad) + 16)
    free = np.concatenate([free, np.zeros(len(cx.points) - len(free), bool)])
    nodes, rows = np.empty(MAX_SIDES + 1, np.int32), np.empty(MAX_SIDES + 1, np.int32)
    for t in bad.tolist():
        if cx.tets[t, 0] < 0:
            continue
        own = cx.tets[t].tolist()
        spans = sorted(
            (-float(np.linalg.norm(cx.points[own[i]] - cx.points[own[j]])), i, j)
            for i in range(4)
            for j in range(i)
        )
        for span, i, j in spans:
            if edge_ring(cx.tets, cx.nbr, cx.lock, t, i, j, nodes, rows) < 3:
                continue
            v = int(cx.tally[N_POINTS])
            cx.points[v] = 0.5 * (cx.points[own[i]] + cx.points[own[j]])
            if insert_node(cx, v, t, -0.2 * span) == INSERTED:
                cx.tally[N_POINTS] += 1
                free[v] = True
            break
    return cx, free


def _layers(cx: Complex, field: SizeField, layers: int) -> Complex:
    """Nodes at the apexes of regular tetrahedra on the surface, then on those, layer by layer."""
    for layer in range(layers):
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
    insert_range(
        cx.points, cx.tets, cx.nbr, cx.lock, cx.zone, cx.seen, cx.free, cx.at, cx.local,
        cx.tally, FACE, n, n + k, np.ascontiguousarray(hint), near, came,
    )  # fmt: skip
    # refused nodes give their numbers back
    done = np.flatnonzero(came == INSERTED)
    _close_up(cx, n, done)
    return cx, done


def _inner_points(cx: Complex, field: SizeField, max_cells: int, progress: Progress) -> Complex:
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


def _result(cx: Complex, found: Recovered) -> Filling:
    m = int(cx.tally[N_TETS])
    rows = np.flatnonzero((cx.tets[:m, 0] != FREE) & (cx.zone[:m] >= 0))
    tets = cx.tets[rows]
    n = int(cx.tally[N_POINTS])
    used = np.zeros(n, bool)
    used[tets.ravel()] = True
    number = (np.cumsum(used) - 1).astype(np.int32)
    return Filling(
        cx.points[:n][used],
        number[tets],
        cx.zone[rows],
        number[found.triangles],
        found.origin,
        found.splits,
        found.swaps,
    )
