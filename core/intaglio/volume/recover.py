"""Making a given closed surface appear in the Delaunay complex of its points.

Missing edges and triangles are first sought by local changes of the complex (N. P. Weatherill,
O. Hassan 1994; P. L. George, H. Borouchaki 1998: swaps along the edge). Between two nearly
co-planar triangles the surface may instead take the diagonal that the complex has. What is still
missing is split at the middle of an edge, in the surface too.
"""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

from intaglio.errors import StepFailed
from intaglio.numeric.predicates import orient3d
from intaglio.triangles.closure import rim_nodes
from intaglio.volume.complex import FACE, N_POINTS, N_TETS, Complex, gather_star, grown, place, star
from intaglio.volume.flips import flip23, remove_edge
from intaglio.volume.insertion import DUPLICATE, INSERTED, insert_node, walk_within

_STAR = 4096


@njit(cache=True)
def find_face(tets, nbr, seen, at, tally, a, b, c, scratch):
    """Coded face 4 t + i with nodes a, b, c, or -1."""
    n = gather_star(tets, nbr, seen, at, tally, a, scratch)
    for k in range(n):
        t = scratch[k]
        held = 0
        last = 0
        for i in range(4):
            u = tets[t, i]
            if u == a or u == b or u == c:
                held += 1
            else:
                last = i
        if held == 3:
            return 4 * t + last
    return -1


@njit(cache=True)
def has_edge(tets, nbr, seen, at, tally, a, b, scratch):
    """Whether nodes a and b are joined."""
    n = gather_star(tets, nbr, seen, at, tally, a, scratch)
    for k in range(n):
        t = scratch[k]
        if tets[t, 0] == b or tets[t, 1] == b or tets[t, 2] == b or tets[t, 3] == b:
            return True
    return False


@njit(cache=True)
def missing_edges(cx, edges):
    """Which of the edges (k, 2) the complex has not."""
    tets, nbr, seen, at, tally = cx.tets, cx.nbr, cx.seen, cx.at, cx.tally
    scratch = np.empty(_STAR, np.int32)
    out = np.zeros(edges.shape[0], np.bool_)
    for k in range(edges.shape[0]):
        out[k] = not has_edge(tets, nbr, seen, at, tally, edges[k, 0], edges[k, 1], scratch)
    return out


@njit(cache=True)
def missing_faces(cx, triangles):
    """Which of the triangles (k, 3) are no face of the complex."""
    tets, nbr, seen, at, tally = cx.tets, cx.nbr, cx.seen, cx.at, cx.tally
    scratch = np.empty(_STAR, np.int32)
    out = np.zeros(triangles.shape[0], np.bool_)
    for k in range(triangles.shape[0]):
        a = triangles[k, 0]
        b = triangles[k, 1]
        c = triangles[k, 2]
        out[k] = find_face(tets, nbr, seen, at, tally, a, b, c, scratch) < 0
    return out


@njit(cache=True)
def _protected(keys, n, a, b):
    """Whether edge ab is among the keys that must stay."""
    key = min(a, b) * n + max(a, b)
    k = np.searchsorted(keys, key)
    return k < keys.size and keys[k] == key


@njit(cache=True)
def _remove_if_free(cx, t, a, b, keys, n):
    """Remove edge ab of t unless it must stay; whether it went."""
    if _protected(keys, n, a, b):
        return False
    return remove_edge(cx, t, place(cx.tets, t, a), place(cx.tets, t, b), 1e-9)


@njit(cache=True)
def recover_edge(cx, a, b, keys, n, scratch):
    """Swap what the segment a-b crosses until the edge exists. keys: edges that must stay."""
    p = cx.points
    for step in range(120):
        if has_edge(cx.tets, cx.nbr, cx.seen, cx.at, cx.tally, a, b, scratch):
            return True
        count = star(cx, a, scratch)
        changed = False
        for k in range(count):
            t = scratch[k]
            i = place(cx.tets, t, a)
            x = cx.tets[t, FACE[i, 0]]
            y = cx.tets[t, FACE[i, 1]]
            z = cx.tets[t, FACE[i, 2]]
            if x < 0 or y < 0 or z < 0:
                continue
            sx = orient3d(p, y, z, b, a)
            sy = orient3d(p, z, x, b, a)
            sz = orient3d(p, x, y, b, a)
            if sx < 0 or sy < 0 or sz < 0:
                continue
            zeros = (sx == 0) + (sy == 0) + (sz == 0)
            if zeros >= 2:
                return False
            if zeros == 0 and flip23(cx, np.int64(t), i, 1e-9):
                changed = True
                break
            # an edge of the crossed face; the one hit exactly first
            order = step % 3
            for m in range(3):
                q = (m + order) % 3
                if zeros == 1:
                    q = 0 if sx == 0 else 1 if sy == 0 else 2
                u = y if q == 0 else z if q == 1 else x
                w = z if q == 0 else x if q == 1 else y
                if _remove_if_free(cx, np.int64(t), np.int64(u), np.int64(w), keys, n):
                    changed = True
                    break
                if zeros == 1:
                    break
            break
        if not changed:
            return False
    return False


@njit(cache=True)
def _recover_face(cx, a, b, c, keys, n, scratch):
    """Remove edges that pierce triangle abc, seen from edge ab."""
    p = cx.points
    for _ in range(40):
        if find_face(cx.tets, cx.nbr, cx.seen, cx.at, cx.tally, a, b, c, scratch) >= 0:
            return True
        count = star(cx, a, scratch)
        changed = False
        for k in range(count):
            t = scratch[k]
            if place(cx.tets, t, b) < 0:
                continue
            ia = place(cx.tets, t, a)
            ib = place(cx.tets, t, b)
            u = -1
            w = -1
            for m in range(4):
                if m != ia and m != ib:
                    if u < 0:
                        u = cx.tets[t, m]
                    else:
                        w = cx.tets[t, m]
            if u < 0 or w < 0 or u == c or w == c:
                continue
            # the edge u-w crosses the plane of abc on c's side of ab
            su = orient3d(p, a, b, c, u)
            sw = orient3d(p, a, b, c, w)
            if su == 0 or sw == 0 or su == sw:
                continue
            if su < 0:
                u, w = w, u
            # seen along u-w, the crossing lies within abc
            s1 = orient3d(p, u, w, a, b)
            s2 = orient3d(p, u, w, b, c)
            s3 = orient3d(p, u, w, c, a)
            if (s1 >= 0 and s2 >= 0 and s3 >= 0) or (s1 <= 0 and s2 <= 0 and s3 <= 0):
                changed = _remove_if_free(cx, np.int64(t), np.int64(u), np.int64(w), keys, n)
                break
        if not changed:
            return False
    return False


@njit(cache=True)
def recover_edges(cx, edges, keys, n):
    """Try each missing edge from both ends; True where it now exists."""
    scratch = np.empty(_STAR, np.int32)
    out = np.zeros(edges.shape[0], np.bool_)
    for k in range(edges.shape[0]):
        a = edges[k, 0]
        b = edges[k, 1]
        out[k] = recover_edge(cx, a, b, keys, n, scratch) or recover_edge(
            cx, b, a, keys, n, scratch
        )
    return out


@njit(cache=True)
def recover_faces(cx, triangles, keys, n):
    """Try each missing triangle from its three edges; True where it now exists."""
    scratch = np.empty(_STAR, np.int32)
    out = np.zeros(triangles.shape[0], np.bool_)
    for k in range(triangles.shape[0]):
        for turn in range(3):
            a = triangles[k, turn]
            b = triangles[k, (turn + 1) % 3]
            c = triangles[k, (turn + 2) % 3]
            if _recover_face(cx, a, b, c, keys, n, scratch):
                out[k] = True
                break
    return out


@njit(cache=True)
def _insert_at_edge(cx, v, a, scratch):
    """Insert node v near node a by walking from a's star."""
    n = star(cx, a, scratch)
    for k in range(n):
        start = scratch[k]
        if (
            cx.tets[start, 0] < 0
            or cx.tets[start, 1] < 0
            or cx.tets[start, 2] < 0
            or cx.tets[start, 3] < 0
        ):
            continue
        if walk_within(cx.points, cx.tets, cx.nbr, cx.lock, FACE, start, v) >= 0:
            return insert_node(cx, v, start, 0.0)
    return -1


class SurfaceEdit:
    """The surface while it is recovered: triangles, and the given triangle each came from."""

    def __init__(self, triangles: NDArray[np.int32]) -> None:
        self.triangles = triangles.copy()
        self.origin = np.arange(len(triangles), dtype=np.int32)
        # rows at each node as given, in one list, and those that have come to it since
        node = triangles.ravel()
        order = np.argsort(node, kind="stable")
        self._rows = order // 3
        self._start = np.searchsorted(node[order], np.arange(int(node.max(initial=-1)) + 2))
        self._more: dict[int, list[int]] = {}

    def at(self, a: int, b: int) -> list[int]:
        """Rows of the triangles at edge a-b."""
        rows = set(self._more.get(a, ()))
        if a + 1 < len(self._start):
            rows.update(self._rows[self._start[a] : self._start[a + 1]].tolist())
        found = []
        for k in sorted(rows):
            own = self.triangles[k].tolist()
            if a in own and b in own:
                found.append(k)
        return found

    def put(self, row: int, nodes: tuple[int, int, int]) -> None:
        """Give a row other nodes."""
        self.triangles[row] = nodes
        for v in nodes:
            self._more.setdefault(v, []).append(row)

    def split(self, a: int, b: int, v: int) -> None:
        """Put node v on edge a-b: each triangle there becomes two."""
        rows = self.at(a, b)
        more = []
        for k in rows:
            t = self.triangles[k].tolist()
            i = next(i for i in range(3) if t[i] not in (a, b))
            c, x, y = t[i], t[(i + 1) % 3], t[(i + 2) % 3]
            self.put(k, (c, x, v))
            more.append((c, v, y))
        first = len(self.triangles)
        self.triangles = np.concatenate([self.triangles, np.array(more, np.int32).reshape(-1, 3)])
        self.origin = np.concatenate([self.origin, self.origin[rows]])
        for k, nodes in enumerate(more):
            self.put(first + k, nodes)

    def edges(self, rows: NDArray[Any] | slice = slice(None)) -> NDArray[np.int32]:
        """Edges (e, 2) of the triangles `rows`, low node first, each once."""
        t = np.sort(self.triangles[rows], axis=1).astype(np.int64)
        pairs = np.concatenate([t[:, [0, 1]], t[:, [1, 2]], t[:, [0, 2]]])
        keys = np.unique((pairs[:, 0] << 32) | pairs[:, 1])
        return np.stack([keys >> 32, keys & 0xFFFFFFFF], axis=1).astype(np.int32)


@dataclass(frozen=True)
class Recovered:
    """The complex, the surface as it exists there, and the given triangle each one came from."""

    complex: Complex
    triangles: NDArray[np.int32]
    origin: NDArray[np.int32]
    splits: int
    swaps: int


def _swap_diagonals(
    cx: Complex,
    edit: SurfaceEdit,
    missing: NDArray[Any],
    region: NDArray[Any],
    flat: float,
    rim: NDArray[Any],
) -> int:
    """Give the surface the complex's diagonal across a missing edge where it is flat enough, and
    where no triangle gets nodes of a free rim (n,) alone."""
    p = cx.points
    scratch = np.empty(_STAR, np.int32)
    swapped = 0
    for a, b in missing.tolist():
        at = edit.at(a, b)
        if len(at) != 2 or region[edit.origin[at[0]]] != region[edit.origin[at[1]]]:
            continue
        k1, k2 = at
        t1 = edit.triangles[k1].tolist()
        i = next(i for i in range(3) if t1[i] not in (a, b))
        c, x, y = t1[i], t1[(i + 1) % 3], t1[(i + 2) % 3]
        t2 = edit.triangles[k2].tolist()
        d = next(v for v in t2 if v not in (a, b))
        if c == d or edit.at(c, d) or (rim[[c, d]].all() and rim[[x, y]].any()):
            continue
        n1 = np.cross(p[x] - p[c], p[y] - p[c])
        n2 = np.cross(p[y] - p[d], p[x] - p[d])
        m1 = np.cross(p[x] - p[c], p[d] - p[c])
        m2 = np.cross(p[d] - p[c], p[y] - p[c])
        normals = [n / max(np.linalg.norm(n), 1e-300) for n in (n1, n2, m1, m2)]
        if min(float(normals[0] @ n) for n in normals[1:]) < flat:
            continue
        if not has_edge(cx.tets, cx.nbr, cx.seen, cx.at, cx.tally, c, d, scratch):
            continue
        edit.put(k1, (c, x, d))
        edit.put(k2, (c, d, y))
        swapped += 1
    return swapped


# rounds of recovery before what is still missing is split whatever it is
_PATIENCE = 20


def recover_surface(
    cx: Complex, triangles: NDArray[np.int32], region: NDArray[np.int32], flat_degrees: float = 12.0
) -> Recovered:
    """Make every triangle (m, 3) of a closed surface a face of the complex.

    region (m,): a diagonal is never swapped between different regions. Raises StepFailed with the
    places that could not be recovered, which is where the surface meets itself.
    """
    edit = SurfaceEdit(triangles)
    scratch = np.empty(_STAR, np.int32)
    splits = swaps = 0
    open_surface = rim_nodes(triangles, len(cx.points)).any()
    limit = max(2000, len(triangles) // 4)
    flat = float(np.cos(np.radians(flat_degrees)))
    for attempt in range(40):
        broken = np.flatnonzero(missing_faces(cx, edit.triangles))
        if not len(broken):
            return Recovered(cx, edit.triangles, edit.origin, splits, swaps)
        lost = _lost_edges(cx, edit, broken)
        n = len(cx.points)
        if attempt >= _PATIENCE:
            # edges and faces take each other's place in turn: only more nodes end that
            lost = _longest_edges(cx.points, edit.triangles[broken])
        elif len(lost):
            if attempt < 6:
                rim = np.zeros(n, bool) if not open_surface else rim_nodes(edit.triangles, n)
                swaps += _swap_diagonals(cx, edit, lost, region, flat, rim)
                broken = np.flatnonzero(missing_faces(cx, edit.triangles))
                lost = _lost_edges(cx, edit, broken)
            lost = lost[~recover_edges(cx, lost, _edge_keys(edit, n), n)]
        if not len(lost):
            gone = edit.triangles[np.flatnonzero(missing_faces(cx, edit.triangles))]
            gone = gone[~recover_faces(cx, gone, _edge_keys(edit, n), n)]
            if not len(gone):
                continue
            lost = _longest_edges(cx.points, gone)
        room = int(cx.tally[N_POINTS]) + len(lost) + 1000
        need = int(cx.tally[N_TETS]) + 64 * len(lost) + 8192
        if room > len(cx.points) or need > len(cx.tets):
            cx = grown(cx, int(1.2 * need), 2 * room)
        for a, b in lost.tolist():
            if not edit.at(a, b):
                continue
            v = int(cx.tally[N_POINTS])
            cx.points[v] = 0.5 * (cx.points[a] + cx.points[b])
            came = _insert_at_edge(cx, v, a, scratch)
            if came == INSERTED:
                cx.tally[N_POINTS] += 1
                edit.split(a, b, v)
                splits += 1
            elif came == DUPLICATE:
                continue
        if splits > limit:
            break
    places = 0.5 * (cx.points[lost[:, 0]] + cx.points[lost[:, 1]])
    raise StepFailed(
        "surface-not-recovered",
        f"The volume could not take up {len(lost):,} places of the surface mesh; "
        "the surface probably meets or nearly touches itself there. "
        "Lower the smallest edge so that the gap is resolved.",
        places[:20].tolist(),
    )


def _lost_edges(cx: Complex, edit: SurfaceEdit, broken: NDArray[Any]) -> NDArray[np.int32]:
    edges = edit.edges(broken)
    return edges[missing_edges(cx, edges)]


def _edge_keys(edit: SurfaceEdit, n: int) -> NDArray[np.int64]:
    edges = edit.edges().astype(np.int64)
    return np.sort(edges[:, 0] * n + edges[:, 1])


def _longest_edges(points: NDArray[Any], triangles: NDArray[Any]) -> NDArray[Any]:
    """The longest edge (k, 2) of each triangle, each once."""
    sides = np.stack([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]], axis=1)
    length = np.linalg.norm(points[sides[..., 0]] - points[sides[..., 1]], axis=2)
    pick = sides[np.arange(len(sides)), length.argmax(axis=1)]
    return np.unique(np.sort(pick, axis=1), axis=0)
