"""Filling a closed surface with tetrahedra: complex, boundary, inner points, improvement."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from intaglio.errors import StepFailed
from intaglio.sizing.octree import SizeField
from intaglio.triangles.closure import unclosed_edges
from intaglio.volume.complex import FACE, FREE, N_POINTS, N_TETS, Complex, grown
from intaglio.volume.delaunay import delaunay_complex
from intaglio.volume.flips import MAX_SIDES, edge_ring
from intaglio.volume.improve import collapse_pass, swap_pass, worst_tets
from intaglio.volume.insertion import INSERTED, insert_node
from intaglio.volume.ordering import in_order
from intaglio.volume.placing import inner_points
from intaglio.volume.recover import Recovered, find_face, recover_surface
from intaglio.volume.smoothing import smooth_pass

Progress = Callable[[float, str], None]

_STAR = 4096


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
    stack = np.empty(cx.tally[N_TETS] + 1, np.int32)
    for t in range(cx.tally[N_TETS]):
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


@dataclass(frozen=True)
class Bounded:
    """A complex that has the surface: found, its triangles (t, 3) and the given one that each came
    from; zones are known, inner points are not placed yet."""

    found: Recovered

    @property
    def triangles(self) -> NDArray[np.int32]:
        """The surface (t, 3) as it will be filled."""
        return self.found.triangles

    @property
    def origin(self) -> NDArray[np.int32]:
        """The given triangle (t,) that each came from."""
        return self.found.origin


def bounded(
    points: NDArray[np.float64],
    triangles: NDArray[np.int32],
    region: NDArray[np.int32],
    progress: Progress = lambda share, doing: None,
    sides: NDArray[np.int32] | None = None,
) -> Bounded:
    """A complex of the points that has the surface of triangles (m, 3); region (m,) their face.

    sides (m, 2): the zone behind each triangle (its normal points away from it) and the zone
    before it, -1 where nothing is to be filled; without it one zone lies behind all of them.
    Raises StepFailed with places where the surface is open or meets itself.
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
    try:
        cx, _ = delaunay_complex(np.concatenate([points, box]), ahead=len(box))
    except MemoryError as error:
        raise StepFailed(
            "crowded",
            "Too many nodes of the surface mesh lie on one sphere or plane to be parted. "
            "Change the smallest edge a little.",
        ) from error
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
    return Bounded(found)


def filled_in(
    start: Bounded,
    field: SizeField,
    progress: Progress = lambda share, doing: None,
    max_cells: int = 20_000_000,
    improve_passes: int = 12,
    target: float = 25.0,
) -> Filling:
    """Tetrahedra in the zones of a bounded complex; improve_passes and target (degrees) are those
    of `improve`. Raises StepFailed where they would be more than max_cells."""
    found = start.found
    cx = found.complex
    n_boundary = int(cx.tally[N_POINTS])
    progress(0.15, "placing inner points")
    cx = inner_points(cx, field, max_cells, progress)
    cx = in_order(cx, n_boundary)
    progress(0.6, "improving")
    free = np.zeros(len(cx.points), bool)
    free[n_boundary : int(cx.tally[N_POINTS])] = True
    cx = improve(
        cx, free, improve_passes, target, lambda share, doing: progress(0.6 + 0.38 * share, doing)
    )
    return _result(cx, found)


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
    """Tetrahedra in the spaces that triangles (m, 3) enclose: `bounded`, then `filled_in`."""
    start = bounded(points, triangles, region, progress, sides)
    return filled_in(start, field, progress, max_cells, improve_passes, target)


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
        known = int(cx.tally[N_POINTS])
        if k % 3 == 2 and k + 1 < passes:
            cx, free = _add_nodes(cx, free, bad)
            moving = np.zeros(len(cx.points), bool)
            touched = moving.copy()
            bad = bad[cx.tets[bad, 0] >= 0]
        moving[:] = False
        moving[cx.tets[bad].ravel()] = True
        # a new node lies in a flat place: it has to get out of it
        moving[known : int(cx.tally[N_POINTS])] = True
        touched[:] = moving
        changed = smooth_pass(cx, free, moving, touched, 6, 0.6)
        changed += swap_pass(cx, 0.6, touched, moving)
        if int(cx.tally[N_POINTS]) > known:
            # what held a new node fast is gone now
            moving[known : int(cx.tally[N_POINTS])] = True
            changed += smooth_pass(cx, free, moving, touched, 6, 0.6)
        near = np.ones(len(moving), bool) if k == 0 else moving.copy()
        changed += collapse_pass(cx, free, near, moving, 0.4)
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
