"""Faces that grow no layers, made again around the sides of those that stand on them.

What is left of such a face is bounded by the uppermost nodes of the columns on it. Its other nodes
stay where they are, but for those that the layers have swallowed or come close to.
"""

from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from intaglio.layers.bands import band_ends
from intaglio.layers.columns import Columns
from intaglio.layers.plane import near, smoothed, triangulated, within
from intaglio.layers.shell import Bools, Floats, Ints, Longs, Shell
from intaglio.layers.sides import Constraints

# nodes nearer to the new rim than this share of its edges are left out
_CLOSE = 0.55


@dataclass(frozen=True)
class Remade:
    """The surface over the layers: points (p, 3) as numbered in the columns, triangles (t, 3),
    outward from the zone, region (t,), over (t,) the shell's triangle that a cap stands on, -1 for
    others; caps come first, one for each grown triangle; same (t,): the shell's triangle that a row
    is as it was, band (t,) the band that it ends, -1 for others. failed: nodes whose columns leave
    a face that cannot be triangulated."""

    points: Floats
    triangles: Ints
    region: Ints
    over: Ints
    same: Ints
    band: Ints
    failed: Longs

    @property
    def shell_triangle(self) -> Ints:
        """The shell's triangle (t,) that each is or stands on, -1 for those made again."""
        return np.maximum(self.over, self.same)


def remade(shell: Shell, sides: Constraints, made: Columns) -> Remade:
    """The surface that bounds what the layers leave of a zone."""
    points = made.points.copy()
    top = made.top
    grown = np.flatnonzero(shell.grown)
    parts = [top[shell.triangles[grown]]]
    region, over = [shell.region[grown]], [grown.astype(np.int32)]
    same = [np.full(len(grown), -1, np.int32)]
    failed: list[Longs] = []
    swallowed, links = _swallowed(shell, sides, made)
    grows = made.count > 0
    for r in np.unique(shell.region[~shell.grown]).tolist():
        at = np.flatnonzero(~shell.grown & (shell.region == r)).astype(np.int32)
        own = shell.triangles[at]
        used = np.unique(own)
        rows = shell.origin[own]
        if grows[used].any() or swallowed[used].any():
            told = _one(shell, sides, made, points, at, swallowed, links)
            if told is None:
                failed.append(used[grows[used]].astype(np.int64))
            else:
                rows, at = told, np.full(len(told), -1, np.int32)
                rows[rows < len(shell.points)] = shell.origin[rows[rows < len(shell.points)]]
        parts.append(rows)
        region.append(np.full(len(rows), r, np.int32))
        over.append(np.full(len(rows), -1, np.int32))
        same.append(at)
    ends, band = band_ends(shell, made.level, made.tip)
    parts.append(ends)
    region.append(shell.region[shell.arcs.wall[band]])
    bands = [np.full(sum(len(o) for o in over), -1, np.int32), band]
    over.append(np.full(len(band), -1, np.int32))
    same.append(np.full(len(band), -1, np.int32))
    return Remade(
        points,
        np.concatenate(parts).astype(np.int32),
        np.concatenate(region).astype(np.int32),
        np.concatenate(over),
        np.concatenate(same),
        np.concatenate(bands),
        np.concatenate(failed) if failed else np.zeros(0, np.int64),
    )


def _swallowed(
    shell: Shell, sides: Constraints, made: Columns
) -> tuple[Bools, dict[tuple[int, int], tuple[int, int]]]:
    """Nodes (n,) of edges between faces that columns along these edges pass or come close to; and
    for the first step (a, b) of each such edge, either way, the edge that takes its place."""
    gone = np.zeros(len(shell.points), bool)
    for v, trail in sides.trail.items():
        if not made.count[v]:
            continue
        end = made.points[made.top[v]]
        reach = float(np.linalg.norm(end - shell.points[v]))
        for a, b in pairwise(trail[1:]):
            along = float(np.linalg.norm(shell.points[a] - shell.points[v]))
            step = float(np.linalg.norm(shell.points[b] - shell.points[a]))
            if along > reach + _CLOSE * step:
                break
            gone[a] = True
    links = {}
    for v, trail in sides.trail.items():
        if not made.count[v]:
            continue
        keep = next((w for w in trail[1:] if not gone[w]), trail[-1])
        far, near_ = int(made.top[keep]), int(made.top[v])
        links[v, trail[1]] = (near_, far)
        links[trail[1], v] = (far, near_)
    return gone, links


def _one(
    shell: Shell,
    sides: Constraints,
    made: Columns,
    points: Floats,
    at: Ints,
    swallowed: Bools,
    links: dict[tuple[int, int], tuple[int, int]],
) -> Ints | None:
    """The triangles of what is left of a plane face, those at (t,) of the shell before; moves its
    inner nodes."""
    own = shell.triangles[at]
    half = own[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2).astype(np.int64)
    code, back = (half[:, 0] << 32) | half[:, 1], (half[:, 1] << 32) | half[:, 0]
    on_rim = ~np.isin(code, back)
    rim = half[on_rim]
    _, across = shell.edges
    beyond = across[(3 * at[:, None] + np.arange(3)).ravel()[on_rim]]
    edges: dict[tuple[int, int], None] = {}
    ends: dict[int, list[int]] = {}
    for (a, b), t in zip(rim.tolist(), beyond.tolist(), strict=True):
        if shell.grown[t]:
            a, b = _as_on(shell, a, t), _as_on(shell, b, t)
            ends.setdefault(int(shell.stem[a]), []).append(a)
            ends.setdefault(int(shell.stem[b]), []).append(b)
        if (a, b) in links:
            edges[links[a, b]] = None
        elif swallowed[a] or swallowed[b]:
            continue
        else:
            edges[int(made.top[a]), int(made.top[b])] = None
    for first, middle, last in shell.arcs.nodes.tolist():
        came = ends.get(int(shell.stem[first]))
        if came is not None and len(came) == 2 and came[0] != came[1]:
            # from the column at which the rim comes in to the one at which it goes on
            a, b = (first, last) if _comes_in(edges, made, first) else (last, first)
            edges[int(made.top[a]), int(made.top[middle])] = None
            edges[int(made.top[middle]), int(made.top[b])] = None
    bound = np.array([e for e in edges if e[0] != e[1]], np.int64)
    if not len(bound):
        return np.zeros((0, 3), np.int32)
    p = shell.points[own]
    normal = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]).sum(axis=0)
    normal /= np.linalg.norm(normal)
    first = np.cross(normal, np.eye(3)[np.abs(normal).argmin()])
    first /= np.linalg.norm(first)
    flat = np.column_stack([points @ first, points @ np.cross(normal, first)])
    inner = np.setdiff1d(np.unique(own), np.unique(rim))
    inner = inner[within(flat[inner], flat, bound) & ~near(flat[inner], flat, bound, _CLOSE)]
    rows = triangulated(flat, bound, inner.astype(np.int64))
    if rows is None:
        return None
    # the nodes that have lost a neighbour settle anew
    fresh = ~np.isin(bound, rim).all(axis=1)
    beside = np.isin(rows, bound[fresh]).any(axis=1)
    moving = np.intersect1d(np.unique(rows[np.isin(rows, rows[beside]).any(axis=1)]), inner)
    moving = moving[~shell.several[moving]]
    new = smoothed(flat, rows, moving)
    shift = new[moving] - flat[moving]
    points[moving] += shift[:, :1] * first + shift[:, 1:] * np.cross(normal, first)
    return rows


def _as_on(shell: Shell, node: int, triangle: int) -> int:
    """The node that a triangle has where a face beside it has `node`."""
    for v in shell.triangles[triangle].tolist():
        if shell.stem[v] == shell.stem[node]:
            return int(v)
    return node


def _comes_in(edges: dict[tuple[int, int], None], made: Columns, node: int) -> bool:
    """Whether an edge ends at the top over a node."""
    top = int(made.top[node])
    return any(b == top for _, b in edges)
