"""Growing layers into a zone, and lowering them until nothing is turned, crossed or too tight.

Heights start from what is asked for and from the room there is. Where the levels over a triangle
turn, where the surface over the layers crosses itself, or where it leaves the core less than half
an edge, the heights around are lowered and all is laid out again. A wall whose layers have no
height is the surface as it was, so that this ends.
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from intaglio.layers.arcs import bands_turned
from intaglio.layers.columns import Columns, columns
from intaglio.layers.directions import Directions, directions
from intaglio.layers.heights import fitted
from intaglio.layers.reach import (
    bent,
    edge_means,
    narrowed,
    room,
    sloped,
    tight,
    turned,
    twisted,
    warped,
)
from intaglio.layers.remainder import Remade, remade
from intaglio.layers.shell import Bools, Floats, Ints, Longs, Shell
from intaglio.layers.sides import Constraints, constraints
from intaglio.numeric.intersections import crossing_triangles

Progress = Callable[[float, str], None]

# the first layer is lowered to this share of what is asked for before layers end
LOWEST = 0.02
_ROUNDS = 40
# from this round on what still fails grows nothing
_LAST = 25
_LOWER = 0.75
# rounds in which layers are lowered for the shape of their prisms too
_SHAPING = 8
# down to this share of what is asked for, if all were as high as the first
_SHAPED = 0.2
# what layers leave the core before the next surface, in edges of the wall
_GAP = 0.8
# layers lower than this share of the wall's edges keep their growth where there is less room: if it
# differed from node to node, the middles of such flat cells would lie far beside each other
_THIN = 0.05
# at a sharp edge layers lower than these shares of its edges, and of what is asked for, are none
_FLAT_BAND, _MUCH_LOWER = 0.18, 0.6
# a column in a slanted direction is so many times as long as its layers are high, at most
LONGEST = 2.0


@dataclass(frozen=True)
class Grown:
    """Layers in a zone: their columns; the surface that bounds the core; ends (n, most + 1): how
    far along a column each layer ends; height (n,) of all layers that stand; lowered (n,): their
    height as a share of what was asked for, 0 where none stand; thinned (n,): that of the first
    layer; wanted (n,) number of layers asked for; found: directions and what they see."""

    columns: Columns
    core: Remade
    ends: Floats
    height: Floats
    lowered: Floats
    thinned: Floats
    wanted: Ints
    found: Directions


def grow(
    shell: Shell,
    first: Floats,
    growth: Floats,
    count: Ints,
    progress: Progress = lambda share, doing: None,
    lowest: float = LOWEST,
    highest: Floats | None = None,
    found: Directions | None = None,
) -> Grown:
    """Grow count (n,) layers over each node, the first of first (n,) units, each growth (n,) times
    the one below, no higher in all than highest (n,); where there is less room they fit as `fitted`
    has it. Nodes off the grown faces count none. found: directions, where they are known."""
    progress(0.0, "looking for ways to grow")
    sides = constraints(shell)
    found = found or directions(shell, sides)
    count = np.where(shell.walls, count, 0).astype(np.int32)
    asked = fitted(first, growth, count, np.full(len(count), np.inf)).ends[:, -1]
    # along a slanted column
    longer = 1.0 / np.clip(found.mean, 1.0 / LONGEST, 1.0)
    # columns that part from each other are as long, so that faces between them bend least
    bends = twisted(shell, found.way)
    for _ in range(len(bends.edges)):
        before = longer.copy()
        least = longer[bends.edges].min(axis=1)
        for end in (0, 1):
            np.minimum.at(longer, bends.edges[:, end], least)
        if np.array_equal(longer, before):
            break
    height = np.where(found.way.any(axis=1), asked, 0.0)
    height[bent(shell, found.way)] = 0.0
    if highest is not None:
        height = np.minimum(height, highest)
    progress(0.05, "looking for room")
    mean, least = edge_means(shell), lowest * count * first

    def beside(height: Floats) -> Floats:
        return _beside(shell, height, asked, mean, least, bends.edges)

    height = beside(np.minimum(height, room(shell, sides, found) / longer))
    height = narrowed(shell, found.way, height, longer, beside)
    low = max(lowest, _SHAPED) * count * first
    thin = _THIN * mean
    tri = shell.triangles
    middle_way = _unit(found.way[tri].sum(axis=1))
    gap = _GAP * mean[tri].mean(axis=1)
    for k in range(_ROUNDS):
        progress(0.1 + 0.8 * k / _ROUNDS, "growing layers")
        height = beside(height)
        stand = fitted(first, growth, count, height, thin)
        height, number = stand.ends[:, -1], stand.number
        ends = stand.ends * longer[:, None]
        top = ends[:, -1]
        folded = shell.arcs.bands[bands_turned(shell, found.way, top)]
        if k < _SHAPING:
            poor = np.unique(tri[turned(shell, found.way, top, True)])
            poor = poor[height[poor] > low[poor]]
            if len(poor):
                # for a better shape no layers end
                height[poor] = np.maximum(low[poor], _LOWER * height[poor])
                continue
        over = tri[turned(shell, found.way, top)].ravel()
        bad: Longs = np.unique(np.concatenate([over, folded.ravel(), warped(bends, ends)]))
        # where nothing stands it is the surface itself that is bent, and nothing to lower
        bad = bad[height[bad] > 0]
        if not len(bad):
            made = columns(shell, found.way, ends, number)
            core = remade(shell, sides, made)
            bad = core.failed
            if not len(bad):
                bad = _crossing(shell, made, core)
            if not len(bad):
                stands = np.asarray((number[tri] > 0).any(axis=1))
                close = tight(shell, core, middle_way, gap, stands)
                bad = np.unique(tri[close])
                bad = bad[number[bad] > 0]
                if k >= _LAST:
                    bad = bad[:0]
        bad = bad[height[bad] > 0]
        if not len(bad):
            break
        height[bad] = 0.0 if k >= _LAST else height[bad] * _LOWER
    else:
        return _none(shell, sides, found, count)
    lowered = np.where(asked > 0, height / np.where(asked > 0, asked, 1.0), 0.0)
    return Grown(made, core, ends, height, lowered, stand.thinned, count, found)


def _beside(
    shell: Shell, height: Floats, asked: Floats, mean: Floats, least: Floats, alike: Ints
) -> Floats:
    """Heights (n,) of at most those given that layers can have beside each other: no steeper than a
    slope, as high at pairs alike (k, 2), and none where that is less than least (n,) or nothing
    stands around. All layers stand or none: those that end are wedges, as thin as they are."""
    while True:
        height = sloped(shell, height, alike)
        none = height < least * (1 - 1e-9)
        none[_flat_bands(shell, height, asked, mean)] = True
        none |= _alone(shell, height)
        if not height[none].any():
            return height
        height = np.where(none, 0.0, height)


def _alone(shell: Shell, height: Floats) -> Bools:
    """Nodes (n,) around which layers stand nowhere: one column is a stack of flat cells."""
    edges = shell.wall_edges[(height[shell.wall_edges] > 0).all(axis=1)]
    out = np.ones(len(height), bool)
    out[edges] = False
    out[shell.arcs.nodes] = False
    return out


def _flat_bands(shell: Shell, height: Floats, asked: Floats, mean: Floats) -> Longs:
    """Nodes (k,) of sharp edges where layers are lowered to so little of their edges that the core
    would have to stand on slivers."""
    nodes = shell.arcs.nodes
    little = np.minimum(_FLAT_BAND * mean, _MUCH_LOWER * asked)
    flat = (height < little)[nodes].any(axis=1) & (height[nodes] > 0).all(axis=1)
    return nodes[flat].ravel().astype(np.int64)


def _crossing(shell: Shell, made: Columns, core: Remade) -> Longs:
    """Nodes with columns whose caps, or whose side faces, cross the surface somewhere."""
    # of a sheet without layers one side is enough
    stands = np.isin(np.arange(len(core.over)), _bare_twins(shell, made, core), invert=True)
    rows = np.flatnonzero(stands)
    own = rows[crossing_triangles(core.points, core.triangles[rows])]
    caps = core.over[own[core.over[own] >= 0]]
    # where faces that grow nothing are crossed, the columns on them are too high
    bands = np.unique(shell.arcs.bands[core.band[own[core.band[own] >= 0]]])
    others = np.unique(core.triangles[own[(core.over[own] < 0) & (core.band[own] < 0)]])
    ends = np.flatnonzero(np.isin(made.top, others) & (made.count > 0))
    over = np.union1d(shell.triangles[caps], bands)
    return np.union1d(over, ends).astype(np.int64)


def _bare_twins(shell: Shell, made: Columns, core: Remade) -> Longs:
    """Rows of the core's surface that are the back of a sheet's triangle, neither side of which
    has layers."""
    if not (shell.twin >= 0).any():
        return np.zeros(0, np.int64)
    bare = np.asarray((made.count[shell.triangles] == 0).all(axis=1))
    drop = (shell.twin >= 0) & ~shell.front & bare & bare[shell.twin]
    of = core.shell_triangle
    return np.flatnonzero(np.asarray((of >= 0) & drop[of]))


def _none(shell: Shell, sides: Constraints, found: Directions, count: Ints) -> Grown:
    """No layers at all."""
    n = len(count)
    ends, number, nothing = np.zeros((n, 1)), np.zeros(n, np.int32), np.zeros(n)
    made = columns(shell, found.way, ends, number)
    core = remade(shell, sides, made)
    return Grown(made, core, ends, nothing, nothing, nothing, count, found)


def _unit(vectors: Floats) -> Floats:
    length = np.linalg.norm(vectors, axis=1)
    return vectors / np.where(length > 0, length, 1.0)[:, None]
