"""Layers and the tetrahedra of the core they leave, as the cells of one mesh.

The core may take the other diagonal between two caps that lie nearly in a plane, as any surface may
when it is filled (see volume/recover). The layers below then take it too, down to the wall.
"""

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from intaglio.errors import StepFailed
from intaglio.findings import PLACES
from intaglio.layers.columns import layer_cells
from intaglio.layers.grow import LOWEST, Grown, grow
from intaglio.layers.reach import turned, twisted
from intaglio.layers.relaxing import Tops, relaxed
from intaglio.layers.shell import Bools, Floats, Ints, Longs, Shell
from intaglio.mesh.building import NO_POLYGONS, Polygons
from intaglio.mesh.cells import TETRAHEDRON
from intaglio.mesh.mesh import Shapes
from intaglio.sizing.octree import SizeField
from intaglio.volume.fill import Bounded, Filling, bounded, filled_in

Progress = Callable[[float, str], None]

# where a cap cannot be kept whole the layers are lowered to this share and filled around again;
# later tries leave none there, each in a wider ring, and the last none in such a zone
_LOWER, _TRIES, _LAST = 0.7, 16, 4
# where columns do not part, so that no face bends, their tops may go so many times as far
_FREER = 1.6
# cosine of the fold up to which the filling may change a diagonal (see volume/recover)
_FLAT = np.cos(np.radians(12.0))


@dataclass(frozen=True)
class Layered:
    """Cells of all zones: points (n, 3), those of the surface first; shape (c,), start (c + 1,)
    and nodes as in Mesh, zone (c,), layer (c,): which layer a cell is in, from 1 at the wall, 0 in
    the core; surface: the polygons of the boundary with their region; given (n,): the surface's
    node that each point is, -1 where it is none or has moved; grown: what stands in each zone,
    after all; swaps, splits: diagonals that the filling took otherwise, edges that it split."""

    points: Floats
    shape: Shapes
    start: NDArray[np.int64]
    nodes: Ints
    zone: Ints
    layer: Ints
    surface: Polygons
    given: Ints
    grown: tuple[Grown, ...]
    swaps: int
    splits: int


@dataclass(frozen=True)
class Wanted:
    """Layers over each node of a shell: first height, growth, number, as `grow` takes them."""

    first: Floats
    growth: Floats
    count: Ints


@dataclass(frozen=True)
class _Boundary:
    """What is filled: triangles (t, 3) of points, their region, zones behind and before (t, 2);
    zone, row (t,): the row of that zone's core that each is, -1 for walls on which nothing stands;
    place (t,): the surface's triangle of such a wall that has another side, -1 for others; bare
    (t,): whether no layers stand on either side of it; offset: what is added to the numbers of each
    zone's columns."""

    points: Floats
    triangles: Ints
    region: Ints
    sides: Ints
    zone: Ints
    row: Ints
    place: Ints
    bare: Bools
    offset: list[int]


def layered(
    shells: list[Shell],
    wanted: list[Wanted],
    grown: list[Grown],
    field: SizeField,
    progress: Progress = lambda share, doing: None,
    max_cells: int = 20_000_000,
    improve_passes: int = 12,
    target: float = 25.0,
    lowest: float = LOWEST,
) -> Layered:
    """Fill what the layers leave of every zone and join all cells.

    shells: one by zone, of the same surface. Raises StepFailed as `fill` does, or where layers and
    core do not come to fit.
    """
    for k in range(_TRIES):
        bound = _boundary(shells, grown)
        used = np.unique(bound.triangles)
        number = np.full(len(bound.points), -1, np.int32)
        number[used] = np.arange(len(used))
        start = bounded(
            bound.points[used],
            number[bound.triangles],
            _kept_apart(shells, grown, bound),
            progress,
            bound.sides,
        )
        shells_now, bad = _walls(shells, grown, bound, start, used)
        if not any(len(b) for b in bad):
            filled = filled_in(start, field, progress, max_cells, improve_passes, target)
            tops = _tops(shells_now, grown, bound, used)
            better = relaxed(filled.points, filled.tets, tops, len(used))
            bound.points[used] = better[: len(used)]
            return _joined(shells_now, grown, bound, replace(filled, points=better), used)
        again = []
        for shell, want, have, nodes in zip(shells, wanted, grown, bad, strict=True):
            if not len(nodes):
                again.append(have)
                continue
            share = np.ones(len(shell.points))
            if k < _LAST:
                share[nodes] = _LOWER
            elif k < _TRIES - 2:
                share[_around(shell, nodes, k - _LAST)] = 0.0
            else:
                share[:] = 0.0
            again.append(lowered(shell, want, have, share, lowest))
        grown = again
    places = np.concatenate([s.points[b] for s, b in zip(shells, bad, strict=True)])
    raise StepFailed(
        "layers-apart",
        "The core cannot be filled so that it fits the layers at some places. Lower the layers "
        "there, or give these patches other sizes.",
        places[:PLACES].tolist(),
    )


def _around(shell: Shell, nodes: Longs, rings: int) -> Bools:
    """Nodes (n,) of walls that are so many edges or fewer from some."""
    near = np.zeros(len(shell.points), bool)
    near[nodes] = True
    edges = shell.wall_edges
    for _ in range(rings):
        beside = near[edges]
        near[edges[beside.any(axis=1)]] = True
    return near


def lowered(shell: Shell, want: Wanted, have: Grown, share: Floats, lowest: float) -> Grown:
    """The layers of a shell again, no higher than a share (n,) of what stands."""
    return grow(
        shell, want.first, want.growth, want.count,
        lowest=lowest, highest=share * have.height, found=have.found,
    )  # fmt: skip


def _boundary(shells: list[Shell], grown: list[Grown]) -> _Boundary:
    n = surface_nodes(shells[0])
    points = shells[0].points[:n].copy()
    made: list[tuple[Ints, ...]] = []
    stays: list[tuple[Ints, ...]] = []
    offset, more, at = [], [], n
    for z, (shell, have) in enumerate(zip(shells, grown, strict=True)):
        core, first = have.core, len(shell.points)
        of = core.shell_triangle
        stood = _stood_on(shell, have)
        still = (of >= 0) & shell.fixed[of] & ~stood[of]
        rows = np.flatnonzero(~still)
        shift = np.where(core.triangles[rows] >= first, at - first, 0)
        # a wall on which nothing stands is filled as one without layers
        over = core.over[rows]
        plain = (over >= 0) & ~stood[over]
        made.append(
            (
                (core.triangles[rows] + shift).astype(np.int32),
                core.region[rows],
                np.tile(np.array([[z, -1]], np.int32), (len(rows), 1)),
                np.where(plain, -1, z).astype(np.int32),
                np.where(plain, -1, rows).astype(np.int32),
            )
        )
        own = np.unique(of[still])
        stays.append((own, np.full(len(own), z, np.int32)))
        offset.append(at - first)
        more.append(core.points[first:])
        moved = np.unique(shell.triangles[~shell.grown & ~shell.fixed])
        moved = moved[~shell.several[moved]]
        points[shell.origin[moved]] = core.points[moved]
        at += len(core.points) - first
    walls, region, sides, place, bare = _staying(shells, stays)
    none = np.full(len(walls), -1, np.int32)
    made.append((walls, region, sides, none, none))
    triangles, region, sides, zone, row = (np.concatenate(p) for p in zip(*made, strict=True))
    others = len(triangles) - len(walls)
    return _Boundary(
        np.concatenate([points, *more]),
        triangles,
        region,
        sides,
        zone,
        row,
        np.concatenate([np.full(others, -1, np.int32), place]),
        np.concatenate([np.zeros(others, bool), bare]),
        offset,
    )


def _tops(shells: list[Shell], grown: list[Grown], bound: _Boundary, used: Longs) -> Tops:
    """The tops of all columns that stand alone, as points of what is filled."""
    number = np.full(len(bound.points), -1)
    number[used] = np.arange(len(used))
    point, way, last = [], [], []
    for z, (shell, have) in enumerate(zip(shells, grown, strict=True)):
        count = have.columns.count
        nodes = np.setdiff1d(np.flatnonzero(count > 0), shell.arcs.nodes)
        at = have.columns.top[nodes]
        own = number[np.where(at >= len(shell.points), at + bound.offset[z], at)]
        # not those that no cap has
        nodes, own = nodes[own >= 0], own[own >= 0]
        point.append(own)
        way.append(have.found.way[nodes])
        free = np.where(np.isin(nodes, twisted(shell, have.found.way).edges), 1.0, _FREER)
        last.append(free * (have.ends[nodes, -1] - have.ends[nodes, count[nodes] - 1]))
    return Tops(np.concatenate(point), np.concatenate(way), np.concatenate(last))


def surface_nodes(shell: Shell) -> int:
    """Number of the surface's nodes; a shell has copies of some after them."""
    return int(shell.origin.max(initial=-1)) + 1


def _stood_on(shell: Shell, have: Grown) -> Bools:
    """Triangles (m,) of a shell over which some layer stands."""
    return np.asarray(shell.grown & (have.columns.count[shell.triangles] > 0).any(axis=1))


def _staying(
    shells: list[Shell], stays: list[tuple[Ints, ...]]
) -> tuple[Ints, Ints, Ints, Ints, Bools]:
    """The walls with another side on which nothing stands, each once: triangles (t, 3), region,
    zones behind and before (-1 where layers stand there), place, and whether both sides are bare.
    """
    shape, region, place, front, zone = [], [], [], [], []
    for z, (own, _) in enumerate(stays):
        shell = shells[z]
        shape.append(shell.origin[shell.triangles[own]])
        region.append(shell.region[own])
        place.append(shell.place[own])
        front.append(shell.front[own])
        zone.append(np.full(len(own), z, np.int32))
    rows, regions = np.concatenate(shape), np.concatenate(region)
    places, fronts, zones = np.concatenate(place), np.concatenate(front), np.concatenate(zone)
    # the side behind first
    order = np.lexsort((~fronts, places))
    _, first, count = np.unique(places[order], return_index=True, return_counts=True)
    lead = order[first]
    other = np.full(len(lead), -1, np.int32)
    both = count > 1
    other[both] = zones[order[first[both] + 1]]
    return (
        rows[lead].astype(np.int32).reshape(-1, 3),
        regions[lead].astype(np.int32),
        np.stack([zones[lead], other], axis=1).astype(np.int32),
        places[lead].astype(np.int32),
        both,
    )


def _kept_apart(shells: list[Shell], grown: list[Grown], bound: _Boundary) -> Ints:
    """Region (t,) of each triangle to be filled around, but one of its own for caps over a wall
    that folds there, or that has another side: no diagonal may change on them, flat as they may be
    themselves; nor on a wall with layers on its other side, nor between one with layers and one
    without."""
    out = bound.region.copy()
    fresh = int(out.max(initial=0)) + 1
    for z, (shell, have) in enumerate(zip(shells, grown, strict=True)):
        _, across = shell.edges
        own = np.repeat(np.arange(len(shell.triangles)), 3)
        stays = shell.fixed | shell.several[shell.triangles].any(axis=1)
        cosine = np.einsum("ij,ij->i", shell.inward[own], shell.inward[across])
        folded = np.zeros(len(shell.triangles), bool)
        folded[own[(cosine < _FLAT) & shell.grown[own] & shell.grown[across]]] = True
        mine = np.flatnonzero(bound.zone == z)
        over = have.core.over[bound.row[mine]]
        band = have.core.band[bound.row[mine]]
        alone = mine[((over >= 0) & (folded | stays)[np.maximum(over, 0)]) | (band >= 0)]
        out[alone] = fresh + np.arange(len(alone))
        fresh += len(alone)
    plain = (bound.zone < 0) & (bound.place < 0)
    out[plain] = fresh + bound.region[plain]
    fresh += int(bound.region.max(initial=0)) + 1
    alone = np.flatnonzero((bound.place >= 0) & ~bound.bare)
    out[alone] = fresh + np.arange(len(alone))
    return out


def _walls(
    shells: list[Shell], grown: list[Grown], bound: _Boundary, filled: Bounded, used: Longs
) -> tuple[list[Shell], list[Longs]]:
    """The shells with the diagonals that the filling took, and by zone the nodes at which the caps,
    or walls with layers on their other side, were split, or at which levels turn with these
    diagonals."""
    out: list[Shell] = []
    bad: list[Longs] = []
    split = np.asarray((filled.triangles >= len(used)).any(axis=1))
    walls = np.unique(bound.place[filled.origin[split]])
    for z, (shell, have) in enumerate(zip(shells, grown, strict=True)):
        behind = np.isin(shell.place, walls) & _stood_on(shell, have)
        mine = np.flatnonzero(bound.zone[filled.origin] == z)
        row = bound.row[filled.origin[mine]]
        over, band = have.core.over[row], have.core.band[row]
        bands = np.unique(band[split[mine] & (band >= 0)])
        caps = over >= 0
        own, over = filled.triangles[mine[caps]], over[caps]
        broken = split[mine[caps]]
        if broken.any() or behind.any() or len(bands):
            at = np.union1d(over[broken], np.flatnonzero(behind))
            nodes = np.union1d(shell.triangles[at], shell.arcs.bands[bands])
            bad.append(nodes.astype(np.int64))
            out.append(shell)
            continue
        top = used[own]
        top = np.where(top >= surface_nodes(shell), top - bound.offset[z], top)
        before = have.columns.top[shell.triangles[over]]
        changed = (np.sort(top, 1) != np.sort(before, 1)).any(axis=1)
        # from the top of a column to its foot
        foot = np.arange(len(have.columns.points))
        foot[have.columns.top] = np.arange(len(shell.points))
        triangles = shell.triangles.copy()
        triangles[over[changed]] = foot[top[changed]]
        now = replace(shell, triangles=triangles)
        wrong = np.zeros(0, np.int64)
        if changed.any():
            turns = turned(now, have.found.way, have.ends[:, -1])
            wrong = over[changed][turns[over[changed]]]
        bad.append(np.unique(triangles[wrong]).astype(np.int64))
        out.append(now)
    return out, bad


def _joined(
    shells: list[Shell], grown: list[Grown], bound: _Boundary, filled: Filling, used: Longs
) -> Layered:
    n = surface_nodes(shells[0])
    core = np.concatenate([used, len(bound.points) + np.arange(len(filled.points) - len(used))])
    points = np.concatenate([bound.points, filled.points[len(used) :]])
    shape, nodes, zone, layer, counts = [], [], [], [], []
    surface = NO_POLYGONS
    for z, (shell, have) in enumerate(zip(shells, grown, strict=True)):
        own = layer_cells(shell, have.columns)
        at = bound.offset[z]
        shape.append(own.shape)
        first = len(shell.points)
        nodes.append(np.where(own.nodes >= first, own.nodes + at, own.nodes))
        counts.append(np.diff(own.start))
        zone.append(np.full(len(own.shape), z, np.int32))
        layer.append(own.layer)
        sides = np.where(own.sides.nodes >= first, own.sides.nodes + at, own.sides.nodes)
        surface = surface + Polygons(own.sides.start, sides.astype(np.int32), own.sides.patch)
        rows = np.flatnonzero(_stood_on(shell, have) & ~shell.fixed)
        surface = surface + Polygons.of_rows(
            shell.origin[shell.triangles[rows]], shell.region[rows]
        )
    shape.append(np.full(len(filled.tets), TETRAHEDRON, np.int8))
    nodes.append(core[filled.tets].ravel())
    counts.append(np.full(len(filled.tets), 4))
    zone.append(filled.zone)
    layer.append(np.zeros(len(filled.tets), np.int32))
    origin = filled.origin
    caps = np.zeros(len(origin), bool)
    for z, have in enumerate(grown):
        mine = bound.zone[origin] == z
        row = bound.row[origin[mine]]
        caps[mine] = (have.core.over[row] >= 0) | (have.core.band[row] >= 0)
    # walls with layers on one side alone come with those that have them
    caps |= (bound.place[origin] >= 0) & ~bound.bare[origin]
    rest = core[filled.triangles[~caps]]
    surface = surface + Polygons.of_rows(rest.astype(np.int32), bound.region[origin[~caps]])
    surface = surface + _walls_between(shells, grown)
    every = np.concatenate(nodes)
    kept = np.zeros(len(points), bool)
    kept[every] = True
    given = np.full(len(points), -1, np.int32)
    given[:n] = np.where((points[:n] == shells[0].points[:n]).all(axis=1), np.arange(n), -1)
    number = (np.cumsum(kept) - 1).astype(np.int32)
    return Layered(
        points[kept],
        np.concatenate(shape).astype(np.int8),
        np.concatenate([[0], np.cumsum(np.concatenate(counts))]).astype(np.int64),
        number[every],
        np.concatenate(zone).astype(np.int32),
        np.concatenate(layer).astype(np.int32),
        Polygons(surface.start, number[surface.nodes], surface.patch),
        given[kept],
        tuple(grown),
        filled.swaps,
        filled.splits,
    )


def _walls_between(shells: list[Shell], grown: list[Grown]) -> Polygons:
    """The walls with two sides that layers stand on at least one of, each once, as seen from the
    zone behind."""
    sides = [
        (shell.place[rows], shell.front[rows], shell.origin[shell.triangles[rows]], z, rows)
        for z, (shell, have) in enumerate(zip(shells, grown, strict=True))
        for rows in [np.flatnonzero(shell.fixed)]
    ]
    place, front, corners = (np.concatenate([s[k] for s in sides]) for k in range(3))
    region = np.concatenate([shells[z].region[rows] for *_, z, rows in sides])
    stood = np.concatenate([_stood_on(shells[z], grown[z])[rows] for *_, z, rows in sides])
    own = front & np.isin(place, place[stood])
    return Polygons.of_rows(corners[own].astype(np.int32), region[own].astype(np.int32))
