"""How high layers may grow over each node: as far as there is room, and no steeper than a slope."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numba import njit

from intaglio.layers.arcs import arc_steps
from intaglio.layers.directions import Directions
from intaglio.layers.remainder import Remade
from intaglio.layers.shell import Bools, Floats, Ints, Longs, Shell
from intaglio.layers.sides import Constraints
from intaglio.numeric.boxtree import BoxTree, box_tree, first_hits
from intaglio.numeric.chunks import FEW_SLOW, in_chunks
from intaglio.triangles.measures import triangle_areas

# of the way to the next wall layers take so much, if that grows layers too, else so much
_SHARED, _ALONE = 0.25, 0.6
# what layers leave the core between them, in edges
_CORE_EDGES = 1.3
# where walls face each other, by this cosine, and are nearer than so many edges, in the mean over
# some rings, there is no room for layers
_FACED, _NARROW, _RINGS = 0.97, 0.5, 8
# height that neighbouring nodes may differ by, per length between them
SLOPE = 0.2
# an edge of the cap is at least so long as a share of its wall's edge, reached in so many rounds
_KEPT, _NARROWINGS = 0.65, 40
# cosine under which the cap over a triangle counts as turned away from the wall, or a column as
# lying down
_FACING = 0.35
_SLANTED = 0.9
# of the way from the wall to the next surface the core keeps this share, if not more
_LEFT = 0.5
# cosine between columns, seen along the edge between them, under which faces are bent
_PARTED = np.cos(np.radians(100.0))
# what a side of a face may part from its mean, a little less than what makes a mesh invalid (rad)
_BENT = np.radians(57.0)
# scaled Jacobian of prisms that lowering aims at, where those at the wall have so much more
_SOUND, _LIKE_WALL = 0.25, 0.85


def edge_means(shell: Shell) -> Floats:
    """Mean length (n,) of the wall's edges at each node, 0 off walls."""
    edges = shell.wall_edges
    length = np.linalg.norm(shell.points[edges[:, 0]] - shell.points[edges[:, 1]], axis=1)
    n = len(shell.points)
    count = np.bincount(edges.ravel(), minlength=n)
    both = np.bincount(edges.ravel(), np.repeat(length, 2), minlength=n)
    out = both / np.maximum(count, 1)
    out[shell.arcs.nodes[:, 1]] = 0.5 * (out[shell.arcs.nodes[:, 0]] + out[shell.arcs.nodes[:, 2]])
    return out


def room(shell: Shell, sides: Constraints, found: Directions) -> Floats:
    """Height (n,) along each direction that the walls ahead leave for layers and a core."""
    grows = np.flatnonzero(found.way.any(axis=1))
    out = np.zeros(len(shell.points))
    tree = box_tree(shell.points, shell.triangles)
    mean = edge_means(shell)
    far, hit = first_hits(
        tree, shell.points[grows], found.way[grows], 1e-6 * np.maximum(mean[grows], 1e-300)
    )
    hit = np.maximum(hit, 0)
    # of a sheet the side that faces the node
    away = np.einsum("ij,ij->i", shell.inward[hit], found.way[grows]) > 0
    hit = np.where(away & (shell.twin[hit] >= 0), shell.twin[hit], hit)
    shared = shell.grown[hit]
    share = np.where(shared, _SHARED, _ALONE)
    # half of what the core keeps is this wall's
    left = np.where(shared, 0.5, 1.0) * np.maximum(far - _CORE_EDGES * mean[grows], 0.0)
    out[grows] = np.where(np.isfinite(far), np.maximum(np.minimum(left, far), share * far), np.inf)
    out[grows] = np.where(
        np.isfinite(far), np.minimum(out[grows], np.where(shared, 0.45, 0.8) * far), np.inf
    )
    out[_in_narrow_gaps(shell, tree)] = 0.0
    return np.minimum(out, sides.room)


def _in_narrow_gaps(shell: Shell, tree: BoxTree) -> Longs:
    """Nodes (k,) with half or more of their walls across a gap too narrow for layers and a core."""
    grown = np.flatnonzero(shell.grown)
    tri = shell.triangles[grown]
    size = edge_means(shell)[tri].mean(axis=1)
    middle, inward = shell.points[tri].mean(axis=1), shell.inward[grown]
    far, hit = first_hits(tree, middle, inward, 1e-6 * np.maximum(size, 1e-300))
    turn = np.abs(_dot(shell.inward[np.maximum(hit, 0)], inward))
    faced = np.flatnonzero((far < 3.0 * _NARROW * size) & (turn > _FACED))
    # one gap is told as one, though sizes on it differ
    gap, corners = far[faced] / np.maximum(size[faced], 1e-300), tri[faced]
    n = len(shell.points)
    count = np.maximum(np.bincount(corners.ravel(), minlength=n), 1)
    for _ in range(_RINGS):
        at = np.bincount(corners.ravel(), np.repeat(gap, 3), minlength=n) / count
        gap = at[corners].mean(axis=1)
    area = triangle_areas(shell.points, tri)
    narrow = np.zeros(len(tri))
    narrow[faced[gap < _NARROW]] = 1.0
    around = np.bincount(tri.ravel(), np.repeat(area, 3), minlength=n)
    part = np.bincount(tri.ravel(), np.repeat(area * narrow, 3), minlength=n)
    bare = (around > 0) & (part >= 0.5 * around)
    # columns of one arc stand together
    bare[shell.arcs.nodes[bare[shell.arcs.nodes].any(axis=1)]] = True
    return np.flatnonzero(bare)


def sloped(shell: Shell, height: Floats, alike: Ints) -> Floats:
    """Heights (n,) lowered so that neighbours differ by no more than a slope times their distance,
    and not at all at pairs alike (k, 2); beside nodes on which nothing stands, by whatever."""
    # columns of one arc are of one height
    same = np.concatenate([arc_steps(shell), alike])
    edges = np.concatenate([shell.wall_edges, same])
    step = np.linalg.norm(shell.points[edges[:, 0]] - shell.points[edges[:, 1]], axis=1)
    step[len(shell.wall_edges) :] = 0.0
    stand = (height[edges] > 0).all(axis=1)
    out = height.copy()
    _spread(out, edges[stand], SLOPE * step[stand])
    return out


@njit(cache=True)
def _spread(height, edges, step):
    """Lower height (n,) until no edge (e, 2) has it rise by more than its step (e,)."""
    lowered = True
    while lowered:
        lowered = False
        for k in range(edges.shape[0]):
            a, b = edges[k, 0], edges[k, 1]
            if height[a] > height[b] + step[k]:
                height[a] = height[b] + step[k]
                lowered = True
            elif height[b] > height[a] + step[k]:
                height[b] = height[a] + step[k]
                lowered = True


def narrowed(
    shell: Shell,
    way: Floats,
    height: Floats,
    longer: Floats,
    beside: Callable[[Floats], Floats],
) -> Floats:
    """Heights (n,) lowered so that the triangles of the cap, at columns `longer` (n,) times as long
    as high, keep a share of the altitudes that they have on the wall: where walls meet at an inner
    edge, columns run towards each other. beside(heights): what they can be beside each other."""
    tri = shell.triangles[shell.grown]
    # each corner in turn as the tip over the edge across
    tip = tri.T.ravel()
    a, b = tri[:, [1, 2, 0]].T.ravel(), tri[:, [2, 0, 1]].T.ravel()
    p = shell.points
    edge = p[b] - p[a]
    foot = np.einsum("ij,ij->i", p[tip] - p[a], edge) / np.einsum("ij,ij->i", edge, edge)
    up = p[tip] - p[a] - foot[:, None] * edge
    altitude = np.linalg.norm(up, axis=1)
    up /= altitude[:, None]
    share = np.clip(foot, 0.0, 1.0)
    run = longer[:, None] * way
    at_tip = np.einsum("ij,ij->i", run[tip], up)
    at_a = (1.0 - share) * np.einsum("ij,ij->i", run[a], up)
    at_b = share * np.einsum("ij,ij->i", run[b], up)
    out = height.copy()
    for _ in range(_NARROWINGS):
        shrinks = at_a * out[a] + at_b * out[b] - at_tip * out[tip]
        factor = np.where(shrinks > 0, (1.0 - _KEPT) * altitude / np.maximum(shrinks, 1e-300), 1.0)
        if (factor > 0.99).all():
            break
        least = np.ones(len(out))
        for own in (tip, a, b):
            np.minimum.at(least, own, factor)
        out *= np.maximum(least, 0.85)
        out = beside(out)
    return out


def bent(shell: Shell, way: Floats) -> Longs:
    """Nodes (k,) at whose edges, seen along the edge, the columns at both ends part by so much that
    faces between them would be bent."""
    edges, one, other = _seen_along(shell, way)
    a, b = edges.T
    sizes = np.linalg.norm(one, axis=1) * np.linalg.norm(other, axis=1)
    bad = (_dot(one, other) < _PARTED * sizes) & way[a].any(axis=1) & way[b].any(axis=1)
    return np.unique(edges[bad])


def turned(shell: Shell, way: Floats, height: Floats, shapely: bool = False) -> Bools:
    """Grown triangles (m,) over which some level between the wall and heights (n,) along way (n, 3)
    is turned, or a column lies down; shapely: or prisms are of a worse shape than need be."""
    grown = np.flatnonzero(shell.grown)
    tri = np.ascontiguousarray(shell.triangles[grown])
    base = np.ascontiguousarray(shell.inward[grown])
    bad = np.zeros(len(grown), np.bool_)
    points = shell.points
    in_chunks(
        lambda start, end: _turned(points, tri, base, way, height, shapely, bad, start, end),
        len(grown),
        FEW_SLOW,
    )
    out = np.zeros(len(shell.triangles), bool)
    out[grown[bad]] = True
    return out


@dataclass(frozen=True)
class Twisted:
    """Edges (k, 2) along the walls and bands at whose ends the columns part, seen along the edge,
    by angle (k,) in rad, so much that faces over them may be bent; share (k, 2): how much of each
    column's length is seen so."""

    edges: Ints
    angle: Floats
    share: Floats


def twisted(shell: Shell, way: Floats) -> Twisted:
    """The edges that `warped` has to look at."""
    edges, one, other = _seen_along(shell, way)
    sizes = np.stack([np.linalg.norm(v, axis=1) for v in (one, other)], axis=1)
    cosine = _dot(one, other) / np.maximum(sizes.prod(axis=1), 1e-300)
    own = (cosine < np.cos(_BENT)) & (sizes > 0).all(axis=1)
    return Twisted(edges[own], np.arccos(np.clip(cosine[own], -1.0, 1.0)), sizes[own])


def warped(at: Twisted, ends: Floats) -> Longs:
    """Nodes (k,) of edges over which a face between two levels, that end at ends (n, most + 1), is
    bent: its sides part from its mean by more than a mesh may have."""
    high = np.diff(ends, axis=1)[at.edges] * at.share[:, :, None]
    one, other = high[:, 0], high[:, 1]
    sine, cosine = (f(at.angle)[:, None] for f in (np.sin, np.cos))
    parts = np.maximum(
        np.arctan2(other * sine, one + other * cosine),
        np.arctan2(one * sine, other + one * cosine),
    )
    bad = ((parts > _BENT) & (one > 0) & (other > 0)).any(axis=1)
    return np.unique(at.edges[bad]).astype(np.int64)


def _seen_along(shell: Shell, way: Floats) -> tuple[Ints, Floats, Floats]:
    """Edges (e, 2) along walls and bands, and the directions (e, 3) of the columns at both ends as
    seen along each."""
    bands = shell.arcs.bands
    edges = np.concatenate([shell.wall_edges, bands[:, [0, 1]], bands[:, [2, 3]]])
    a, b = edges.T
    along = _unit(shell.points[b] - shell.points[a])
    one, other = (way[v] - _dot(way[v], along)[:, None] * along for v in (a, b))
    return edges, one, other


@njit(cache=True, nogil=True)
def _turned(points, tri, base, way, height, shapely, bad, start, end):
    """Whether the levels half way up and at the top are turned over each triangle of a range."""
    foot, level = np.empty((3, 3)), np.empty((3, 3))
    normal = np.empty(3)
    for t in range(start, end):
        for i in range(3):
            v = tri[t, i]
            lies = _dot3(base[t], way[v]) < 0.5 * _FACING
            if lies and height[v] > 0.0:
                bad[t] = True
        for share in (0.5, 1.0):
            for i in range(3):
                v = tri[t, i]
                for k in range(3):
                    foot[i, k] = points[v, k]
                    level[i, k] = points[v, k] + share * height[v] * way[v, k]
            _inward(level, normal)
            if _dot3(normal, base[t]) < _FACING:
                bad[t] = True
            for i in range(3):
                v = tri[t, i]
                # where the wall is seen at a slant, so may what stands on it be
                if height[v] > 0.0 and _dot3(normal, way[v]) < min(
                    _FACING, _SLANTED * _dot3(base[t], way[v])
                ):
                    bad[t] = True
        if not shapely or bad[t]:
            continue
        for i in range(3):
            v = tri[t, i]
            if height[v] > 0.0:
                # lower layers have prisms as well shaped as those at the wall, if no better
                at_wall = _corner_shape(foot, i, way[v])
                if _corner_shape(level, i, way[v]) < min(_SOUND, _LIKE_WALL * at_wall):
                    bad[t] = True


@njit(cache=True, nogil=True, inline="always")
def _dot3(a, b):
    return a[0] * b[0] + a[1] * b[1] + a[2] * b[2]


@njit(cache=True, nogil=True)
def _inward(c, out):
    """Unit normal into the zone of a triangle (3, 3) that is turned outward, zero if it is flat."""
    ux, uy, uz = c[1, 0] - c[0, 0], c[1, 1] - c[0, 1], c[1, 2] - c[0, 2]
    vx, vy, vz = c[2, 0] - c[0, 0], c[2, 1] - c[0, 1], c[2, 2] - c[0, 2]
    x, y, z = vy * uz - vz * uy, vz * ux - vx * uz, vx * uy - vy * ux
    size = np.sqrt(x * x + y * y + z * z)
    share = 1.0 / size if size > 0.0 else 0.0
    out[0], out[1], out[2] = share * x, share * y, share * z


@njit(cache=True, nogil=True)
def _corner_shape(c, i, way):
    """Scaled Jacobian of a prism at corner i of its triangle (3, 3), which is turned outward, with
    its edge along way (3,): 1 where it is regular."""
    j, k = (i + 1) % 3, (i + 2) % 3
    ux, uy, uz = c[j, 0] - c[i, 0], c[j, 1] - c[i, 1], c[j, 2] - c[i, 2]
    vx, vy, vz = c[k, 0] - c[i, 0], c[k, 1] - c[i, 1], c[k, 2] - c[i, 2]
    size = np.sqrt((ux * ux + uy * uy + uz * uz) * (vx * vx + vy * vy + vz * vz))
    across = (
        (uy * vz - uz * vy) * way[0] + (uz * vx - ux * vz) * way[1] + (ux * vy - uy * vx) * way[2]
    )
    return -across / max(size, 1e-300) / np.sin(np.pi / 3)


def _unit(vectors: Floats) -> Floats:
    return vectors / np.maximum(np.linalg.norm(vectors, axis=1), 1e-300)[:, None]


def _dot(a: Floats, b: Floats) -> Floats:
    out: Floats = np.einsum("ij,ij->i", a, b)
    return out


def tight(shell: Shell, core: Remade, way: Floats, least: Floats, stands: Bools) -> Ints:
    """Caps (k,), by the shell's triangle, that leave less than least (m,) before the next surface
    of the core, and less than a share of the way to it from the wall, and caps that those meet; way
    (m, 3): direction at the middle of each, stands (m,): those on which there are layers."""
    caps = np.flatnonzero((core.over >= 0) & stands[core.over])
    tree = box_tree(core.points, core.triangles)
    own = core.over[caps]
    skip = 1e-6 * least[own]
    far, hit = first_hits(tree, core.points[core.triangles[caps]].mean(axis=1), way[own], skip)
    close = far < least[own]
    caps, own, far, hit = caps[close], own[close], far[close], hit[close]
    # where that is not for the layers there, lower ones are no help
    foot = shell.points[shell.triangles[own]].mean(axis=1)
    whole = far + np.einsum(
        "ij,ij->i", core.points[core.triangles[caps]].mean(axis=1) - foot, way[own]
    )
    close = far < _LEFT * whole
    met = core.over[hit[close]]
    return np.unique(np.concatenate([own[close], met[met >= 0]])).astype(np.int32)
