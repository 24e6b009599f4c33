"""Smoothing of free nodes: each moves to where the tetrahedra around it are best together.

The sum over a node's star of quality^-power, quality being `shapes.volume_length`, has one zero of
its gradient that a fixed point finds: with the weights of the tetrahedra frozen the sum is a
quadratic in the node's place. Compare L. A. Freitag, C. Ollivier-Gooch, "Tetrahedral mesh
improvement using swapping and smoothing" (1997), who go along gradients of the worst shape.
"""

from collections.abc import Callable

import numpy as np
from numba import njit
from numpy.typing import NDArray

from intaglio.numeric.chunks import in_blocks
from intaglio.numeric.inlining import inlined
from intaglio.volume.complex import N_POINTS, Complex, gather_star
from intaglio.volume.shapes import REGULAR

Flags = NDArray[np.bool_]

# ranges of nodes that are smoothed at once
_BLOCKS = 8
# fewer active nodes than this are smoothed in one range
_FEW = 10_000
# tetrahedra at one node; a node with more is left where it is
_STAR = 1024
# flatter than this a tetrahedron has no direction to improve in
_FLAT = 1e-9
# steps of the fixed point at one visit: most of the way is made by the first
_STEPS = 2
# a step that makes things worse is shortened to this share of itself, so many times
_SHORTER = 0.4
_TRIES = 4
# a step counts if the sum falls by this share
_GAIN = 1e-5
# the worst shape of a star may fall for the good of the others while it stays above this
_SOUND = 0.3
# squared moves, over the squared size of the star: below the first a node rests, above the second
# other swaps may have become better
_REST = 0.02**2
_FAR = 0.1**2


@inlined
def _power(f, power):
    return f if power == 1 else f * f if power == 2 else f**power


@njit(cache=True)
def _sum_and_worst(link, n, x, y, z, power):
    """Sum of quality^-power and least quality of a star whose centre is at x, y, z."""
    total = 0.0
    worst = 2.0
    square = 3.0 * (x * x + y * y + z * z)
    for k in range(n):
        six = link[k, 0] * x + link[k, 1] * y + link[k, 2] * z - link[k, 3]
        edges = square + link[k, 7] - 2.0 * (link[k, 4] * x + link[k, 5] * y + link[k, 6] * z)
        rms = edges / 6.0
        q = REGULAR * six / (rms * np.sqrt(rms))
        worst = min(worst, q)
        if q <= _FLAT:
            return 1e300, worst
        total += 1.0 / _power(q, power)
    return total, worst


@njit(cache=True)
def _link_of(p, tets, v, rows, n, link):
    """What each tetrahedron of v's star adds, seen from v; the star's size (rms of its radii).

    link (n, 8): of each face opposite v its normal (3) and offset, the sum of its nodes (3) and
    the part of the squared edge lengths that does not depend on where v stands.
    """
    ox = p[v, 0]
    oy = p[v, 1]
    oz = p[v, 2]
    reach = 0.0
    for k in range(n):
        t = rows[k]
        # the other three nodes, so turned that v lies on their positive side
        if tets[t, 0] == v:
            a, b, c = tets[t, 1], tets[t, 3], tets[t, 2]
        elif tets[t, 1] == v:
            a, b, c = tets[t, 0], tets[t, 2], tets[t, 3]
        elif tets[t, 2] == v:
            a, b, c = tets[t, 0], tets[t, 3], tets[t, 1]
        else:
            a, b, c = tets[t, 0], tets[t, 1], tets[t, 2]
        ax = p[a, 0] - ox
        ay = p[a, 1] - oy
        az = p[a, 2] - oz
        bx = p[b, 0] - ox
        by = p[b, 1] - oy
        bz = p[b, 2] - oz
        cx = p[c, 0] - ox
        cy = p[c, 1] - oy
        cz = p[c, 2] - oz
        ux = bx - ax
        uy = by - ay
        uz = bz - az
        wx = cx - ax
        wy = cy - ay
        wz = cz - az
        nx = uy * wz - uz * wy
        ny = uz * wx - ux * wz
        nz = ux * wy - uy * wx
        link[k, 0] = nx
        link[k, 1] = ny
        link[k, 2] = nz
        link[k, 3] = nx * ax + ny * ay + nz * az
        link[k, 4] = ax + bx + cx
        link[k, 5] = ay + by + cy
        link[k, 6] = az + bz + cz
        own = ax * ax + ay * ay + az * az + bx * bx + by * by + bz * bz
        own += cx * cx + cy * cy + cz * cz
        reach += own
        own += ux * ux + uy * uy + uz * uz + wx * wx + wy * wy + wz * wz
        own += (wx - ux) ** 2 + (wy - uy) ** 2 + (wz - uz) ** 2
        link[k, 7] = own
    return np.sqrt(reach / (3 * n))


@njit(cache=True)
def _aim(link, n, x, y, z, power):
    """Where the centre would go from x, y, z with each tetrahedron's weight frozen."""
    weight = 0.0
    gx = 0.0
    gy = 0.0
    gz = 0.0
    for k in range(n):
        six = link[k, 0] * x + link[k, 1] * y + link[k, 2] * z - link[k, 3]
        edges = 3.0 * (x * x + y * y + z * z) + link[k, 7]
        edges -= 2.0 * (link[k, 4] * x + link[k, 5] * y + link[k, 6] * z)
        rms = edges / 6.0
        w = _power(rms * np.sqrt(rms) / (REGULAR * six), power)
        # of the logarithm of 1 / quality: 1.5 log(edges) - log(six)
        r = 3.0 * w / edges
        s = w / six
        weight += 3.0 * r
        gx += r * link[k, 4] + s * link[k, 0]
        gy += r * link[k, 5] + s * link[k, 1]
        gz += r * link[k, 6] + s * link[k, 2]
    return gx / weight, gy / weight, gz / weight


@njit(cache=True)
def _better_place(link, n, total, worst, power):
    """(found, x, y, z): a place for the centre, now at 0, with a smaller sum."""
    x = 0.0
    y = 0.0
    z = 0.0
    found = False
    for _ in range(_STEPS):
        tx, ty, tz = _aim(link, n, x, y, z, power)
        tx -= x
        ty -= y
        tz -= z
        step = 1.0
        better = False
        for _ in range(_TRIES):
            new, low = _sum_and_worst(link, n, x + step * tx, y + step * ty, z + step * tz, power)
            if new < total * (1.0 - _GAIN) and (low >= worst or low > _SOUND):
                better = True
                break
            step *= _SHORTER
        if not better:
            break
        x += step * tx
        y += step * ty
        z += step * tz
        total = new
        worst = low
        found = True
    return found, x, y, z


@njit(cache=True, nogil=True)
def _smooth_range(p, tets, nbr, at, free, active, touched, late, again, start, end, power, below):
    """Smooth the active free nodes of start..end whose free neighbours are of start..end as well,
    and mark the others late; again: only those that are late already. Number moved."""
    rows = np.empty(_STAR, np.int32)
    link = np.empty((_STAR, 8))
    # stamps of its own: ranges are worked on at once
    seen = np.zeros(tets.shape[0], np.int32)
    tally = np.zeros(8, np.int64)
    moved = 0
    for v in range(start, end):
        if not free[v] or not active[v] or at[v] < 0 or (again and not late[v]):
            continue
        n = gather_star(tets, nbr, seen, at, tally, v, rows)
        within = True
        for k in range(n):
            for i in range(4):
                u = tets[rows[k], i]
                within = within and (not free[u] or start <= u < end)
        late[v] = not within
        if not within:
            continue
        active[v] = False
        if n < 4:
            continue
        reach = _link_of(p, tets, v, rows, n, link)
        total, worst = _sum_and_worst(link, n, 0.0, 0.0, 0.0, power)
        if worst >= below or worst <= _FLAT:
            continue
        found, x, y, z = _better_place(link, n, total, worst, power)
        if not found:
            continue
        p[v, 0] += x
        p[v, 1] += y
        p[v, 2] += z
        went = x * x + y * y + z * z
        if went > _REST * reach * reach:
            moved += 1
            active[v] = True
            far = went > _FAR * reach * reach
            for k in range(n):
                for i in range(4):
                    u = tets[rows[k], i]
                    active[u] = True
                    if far:
                        touched[u] = True
    return moved


def smooth_pass(
    cx: Complex, free: Flags, active: Flags, touched: Flags, power: int, below: float
) -> int:
    """Move active free nodes to lower the sum of quality^-power over their tetrahedra.

    Only nodes whose worst tetrahedron is below `below`. active, touched (points,) are changed:
    a node that moved wakes its star, and touched gets the nodes of stars that changed by a tenth of
    their size, at which swaps should look. Number moved.

    Blocks of nodes are worked on at once, then those at their borders in blocks that lie across
    these, then what is left; which blocks depends on the mesh alone, and so does the result.
    """
    n = int(cx.tally[N_POINTS])
    own = np.flatnonzero(free[:n])
    if not len(own):
        return 0
    first, last = int(own[0]), n
    late = np.zeros(n, np.bool_)
    moved = []

    def work(again: bool) -> Callable[[int, int], object]:
        return lambda start, end: moved.append(
            _smooth_range(
                cx.points, cx.tets, cx.nbr, cx.at, free, active, touched, late, again,
                start, end, power, below,
            )
        )  # fmt: skip

    if np.count_nonzero(active[first:n] & free[first:n]) < _FEW:
        work(False)(first, last)
        return sum(moved)
    half = (last - first) // (2 * _BLOCKS)
    bounds = [first + (last - first) * k // _BLOCKS for k in range(_BLOCKS + 1)]
    in_blocks(work(False), bounds)
    in_blocks(work(True), [first, *(b + half for b in bounds[:-1]), last])
    work(True)(first, last)
    return sum(moved)
