"""How high layers may grow over each node: as far as there is room, and no steeper than a slope."""

import numpy as np
from numba import njit

from intaglio.facets.facets import triangle_normals
from intaglio.layers.arcs import arc_steps
from intaglio.layers.directions import Directions
from intaglio.layers.shell import Bools, Floats, Ints, Longs, Shell
from intaglio.layers.sides import Constraints
from intaglio.numeric.boxtree import box_tree, first_hits

# of the way to the next wall layers take so much, if that grows layers too, else so much
_SHARED, _ALONE = 0.33, 0.6
# what layers leave the core between them, in edges
_CORE_EDGES = 1.3
# height that neighbouring nodes may differ by, per length between them: of layers that are lowered,
# and of those that end
SLOPE, _ENDING = 0.2, 0.6
# an edge of the cap is at least so long as a share of its wall's edge, reached in so many rounds
_KEPT, _NARROWINGS = 0.65, 40
# cosine under which the cap over a triangle counts as turned away from the wall, or a column as
# lying down
_FACING = 0.35
# cosine between columns, seen along the edge between them, under which faces are bent
_PARTED = np.cos(np.radians(100.0))
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
    return np.minimum(out, sides.room)


def sloped(shell: Shell, height: Floats, low: Floats) -> Floats:
    """Heights (n,) lowered so that neighbours differ by no more than a slope times their distance:
    a gentle one where layers are only lowered, a steep one under the heights low (n,), where they
    end one by one."""
    edges = shell.wall_edges
    # columns of one arc are of one height
    edges = np.concatenate([edges, arc_steps(shell)])
    step = np.linalg.norm(shell.points[edges[:, 0]] - shell.points[edges[:, 1]], axis=1)
    under = np.minimum(height, low)
    # the length of wall on which a height may be reached from nothing
    run = under / _ENDING + (height - under) / SLOPE
    _spread(run, edges, step)
    steep = np.minimum(run, low / _ENDING)
    return np.minimum(height, steep * _ENDING + (run - steep) * SLOPE)


@njit(cache=True)
def _spread(run, edges, step):
    """Lower run (n,) until no edge (e, 2) has it rise by more than its step (e,)."""
    lowered = True
    while lowered:
        lowered = False
        for k in range(edges.shape[0]):
            a, b = edges[k, 0], edges[k, 1]
            if run[a] > run[b] + step[k]:
                run[a] = run[b] + step[k]
                lowered = True
            elif run[b] > run[a] + step[k]:
                run[b] = run[a] + step[k]
                lowered = True


def narrowed(shell: Shell, way: Floats, height: Floats, longer: Floats, low: Floats) -> Floats:
    """Heights (n,) lowered so that the triangles of the cap, at columns `longer` (n,) times as long
    as high, keep a share of the altitudes that they have on the wall: where walls meet at an inner
    edge, columns run towards each other. low (n,) as for `sloped`."""
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
        out = sloped(shell, out, low)
    return out


def bent(shell: Shell, way: Floats) -> Longs:
    """Nodes (k,) at whose edges, seen along the edge, the columns at both ends part by so much that
    faces between them would be bent."""
    bands = shell.arcs.bands
    edges = np.concatenate([shell.wall_edges, bands[:, [0, 1]], bands[:, [2, 3]]])
    a, b = edges.T
    along = _unit(shell.points[b] - shell.points[a])
    one, other = (way[v] - _dot(way[v], along)[:, None] * along for v in (a, b))
    sizes = np.linalg.norm(one, axis=1) * np.linalg.norm(other, axis=1)
    bad = (_dot(one, other) < _PARTED * sizes) & way[a].any(axis=1) & way[b].any(axis=1)
    return np.unique(edges[bad])


def turned(shell: Shell, way: Floats, height: Floats, shapely: bool = False) -> Bools:
    """Grown triangles (m,) over which some level between the wall and heights (n,) along way (n, 3)
    is turned, or a column lies down; shapely: or prisms are of a worse shape than need be."""
    grown = np.flatnonzero(shell.grown)
    tri = shell.triangles[grown]
    base = shell.inward[grown]
    move = way[tri] * height[tri][:, :, None]
    moves = height[tri] > 0
    bad = np.zeros(len(grown), bool)
    for share in (0.5, 1.0):
        level = shell.points[tri] + share * move
        normal = -_normals(level)
        bad |= np.einsum("ij,ij->i", normal, base) < _FACING
        cosine = np.einsum("ij,ikj->ik", normal, way[tri])
        bad |= (moves & (cosine < _FACING)).any(axis=1)
    cosine = np.einsum("ij,ikj->ik", base, way[tri])
    bad |= (moves & (cosine < 0.5 * _FACING)).any(axis=1)
    if shapely:
        # lower layers have prisms as well shaped as those at the wall, if no better
        least = np.minimum(_SOUND, _LIKE_WALL * _corner_shape(shell.points[tri], way[tri]))
        bad |= (moves & (_corner_shape(level, way[tri]) < least)).any(axis=1)
    out = np.zeros(len(shell.triangles), bool)
    out[grown[bad]] = True
    return out


def _corner_shape(corners: Floats, ways: Floats) -> Floats:
    """Scaled Jacobian (k, 3) of a prism at the corners (k, 3, 3) of its triangle, which is turned
    outward, with edges along ways (k, 3, 3): 1 where it is regular."""
    out = np.empty(corners.shape[:2])
    for i in range(3):
        u, v = corners[:, (i + 1) % 3] - corners[:, i], corners[:, (i + 2) % 3] - corners[:, i]
        size = np.linalg.norm(u, axis=1) * np.linalg.norm(v, axis=1)
        volume = -np.einsum("ij,ij->i", np.cross(u, v), ways[:, i])
        out[:, i] = volume / np.maximum(size, 1e-300) / np.sin(np.pi / 3)
    return out


def _unit(vectors: Floats) -> Floats:
    return vectors / np.maximum(np.linalg.norm(vectors, axis=1), 1e-300)[:, None]


def _dot(a: Floats, b: Floats) -> Floats:
    out: Floats = np.einsum("ij,ij->i", a, b)
    return out


def _normals(corners: Floats) -> Floats:
    rows = np.arange(3 * len(corners), dtype=np.int32).reshape(-1, 3)
    return triangle_normals(corners.reshape(-1, 3), rows)


def tight(points: Floats, triangles: Ints, over: Ints, way: Floats, least: Floats) -> Ints:
    """Caps (k,), by the shell's triangle, that leave less than `least` (m,) before the next
    surface; triangles (t, 3) of points bound the core outward, over the shell's triangle of the
    first of them that are caps, else -1; way (m, 3): direction at the middle of each."""
    caps = np.flatnonzero(over >= 0)
    tree = box_tree(points, triangles)
    spot = points[triangles[caps]].mean(axis=1)
    own = over[caps]
    far, _ = first_hits(tree, spot, way[own], 1e-6 * least[own])
    return own[far < least[own]].astype(np.int32)
