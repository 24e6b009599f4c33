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
from intaglio.layers.reach import turned
from intaglio.layers.shell import Floats, Ints, Longs, Shell
from intaglio.mesh.building import NO_POLYGONS, Polygons
from intaglio.mesh.cells import TETRAHEDRON
from intaglio.mesh.mesh import Shapes
from intaglio.sizing.octree import SizeField
from intaglio.volume.fill import Filling, fill

Progress = Callable[[float, str], None]

# where a cap cannot be kept whole the layers are lowered to this share and filled around again
_LOWER, _TRIES = 0.7, 5
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
    origin: (zone, row of its core) of each, row -1 for triangles that stay as they are."""

    points: Floats
    triangles: Ints
    region: Ints
    sides: Ints
    zone: Ints
    row: Ints
    offset: list[int]


def layered(
    shells: list[Shell],
    wanted: list[Wanted],
    grown: list[Grown],
    kept: tuple[Ints, Ints, Ints],
    field: SizeField,
    progress: Progress = lambda share, doing: None,
    max_cells: int = 20_000_000,
    improve_passes: int = 12,
    target: float = 25.0,
    lowest: float = LOWEST,
) -> Layered:
    """Fill what the layers leave of every zone and join all cells.

    shells: one by zone, over the same points; kept: triangles (k, 3) that no shell remakes (shared
    by two zones, or sheets), their region (k,) and zones behind and before them (k, 2). Raises
    StepFailed as `fill` does, or where layers and core do not come to fit.
    """
    for _ in range(_TRIES):
        bound = _boundary(shells, grown, kept)
        used = np.unique(bound.triangles)
        number = np.full(len(bound.points), -1, np.int32)
        number[used] = np.arange(len(used))
        filled = fill(
            bound.points[used],
            number[bound.triangles],
            _kept_apart(shells, grown, bound),
            field,
            progress,
            max_cells,
            improve_passes,
            target,
            bound.sides,
        )
        shells_now, bad = _walls(shells, grown, bound, filled, used)
        if not any(len(b) for b in bad):
            return _joined(shells_now, grown, bound, filled, used)
        again = []
        for shell, want, have, nodes in zip(shells, wanted, grown, bad, strict=True):
            if not len(nodes):
                again.append(have)
                continue
            highest = have.height.copy()
            highest[nodes] *= _LOWER
            again.append(
                grow(shell, want.first, want.growth, want.count, lowest=lowest, highest=highest)
            )
        grown = again
    places = np.concatenate([s.points[b] for s, b in zip(shells, bad, strict=True)])
    raise StepFailed(
        "layers-apart",
        "The core cannot be filled so that it fits the layers at some places. Lower the layers "
        "there, or give these patches other sizes.",
        places[:PLACES].tolist(),
    )


def _boundary(shells: list[Shell], grown: list[Grown], kept: tuple[Ints, Ints, Ints]) -> _Boundary:
    n = len(shells[0].points)
    points = shells[0].points.copy()
    parts, region, sides = [kept[0]], [kept[1]], [kept[2]]
    zone, row, offset = [np.full(len(kept[0]), -1)], [np.full(len(kept[0]), -1)], []
    more = []
    at = n
    for z, (shell, have) in enumerate(zip(shells, grown, strict=True)):
        core = have.core
        stays = np.unique(shell.region[shell.fixed])
        rows = np.flatnonzero(~np.isin(core.region, stays))
        shift = np.where(core.triangles[rows] >= n, at - n, 0)
        parts.append((core.triangles[rows] + shift).astype(np.int32))
        region.append(core.region[rows])
        sides.append(np.tile(np.array([[z, -1]], np.int32), (len(rows), 1)))
        zone.append(np.full(len(rows), z))
        row.append(rows)
        offset.append(at - n)
        more.append(core.points[n:])
        moved = np.unique(shell.triangles[~shell.grown & ~shell.fixed])
        points[moved] = core.points[moved]
        at += len(core.points) - n
    return _Boundary(
        np.concatenate([points, *more]),
        np.concatenate(parts).astype(np.int32),
        np.concatenate(region).astype(np.int32),
        np.concatenate(sides).astype(np.int32),
        np.concatenate(zone).astype(np.int32),
        np.concatenate(row).astype(np.int32),
        offset,
    )


def _kept_apart(shells: list[Shell], grown: list[Grown], bound: _Boundary) -> Ints:
    """Region (t,) of each triangle to be filled around, but one of its own for caps over a wall
    that folds there: no diagonal may change on them, flat as they may be themselves."""
    out = bound.region.copy()
    fresh = int(out.max(initial=0)) + 1
    for z, (shell, have) in enumerate(zip(shells, grown, strict=True)):
        _, across = shell.edges
        own = np.repeat(np.arange(len(shell.triangles)), 3)
        cosine = np.einsum("ij,ij->i", shell.inward[own], shell.inward[across])
        folded = np.zeros(len(shell.triangles), bool)
        folded[own[(cosine < _FLAT) & shell.grown[own] & shell.grown[across]]] = True
        mine = np.flatnonzero(bound.zone == z)
        over = have.core.over[bound.row[mine]]
        alone = mine[(over >= 0) & folded[np.maximum(over, 0)]]
        out[alone] = fresh + np.arange(len(alone))
        fresh += len(alone)
    return out


def _walls(
    shells: list[Shell], grown: list[Grown], bound: _Boundary, filled: Filling, used: Longs
) -> tuple[list[Shell], list[Longs]]:
    """The shells with the diagonals that the filling took, and by zone the nodes at which the caps
    were split, or at which levels turn with these diagonals."""
    out: list[Shell] = []
    bad: list[Longs] = []
    n = len(shells[0].points)
    for z, (shell, have) in enumerate(zip(shells, grown, strict=True)):
        mine = np.flatnonzero(bound.zone[filled.origin] == z)
        row = bound.row[filled.origin[mine]]
        over = have.core.over[row]
        caps = over >= 0
        own = filled.triangles[mine[caps]]
        split = (own >= len(used)).any(axis=1)
        if split.any():
            bad.append(np.unique(shell.triangles[over[caps][split]]).astype(np.int64))
            out.append(shell)
            continue
        # from the top of a column to its foot
        foot = np.arange(n + len(have.columns.points))
        foot[have.columns.top] = np.arange(n)
        top = used[own]
        foot_of = foot[np.where(top >= n, top - bound.offset[z], top)]
        triangles, region = shell.triangles.copy(), shell.region.copy()
        triangles[over[caps]] = foot_of
        changed = over[caps][
            (np.sort(foot_of, 1) != np.sort(shell.triangles[over[caps]], 1)).any(1)
        ]
        now = replace(shell, triangles=triangles, region=region)
        wrong = np.zeros(0, np.int64)
        if len(changed):
            reach = np.take_along_axis(have.ends, have.columns.count[:, None].astype(np.int64), 1)
            over_turned = turned(now, have.found.way, reach[:, 0])
            wrong = changed[over_turned[changed]]
        bad.append(np.unique(triangles[wrong]).astype(np.int64))
        out.append(now)
    return out, bad


def _joined(
    shells: list[Shell], grown: list[Grown], bound: _Boundary, filled: Filling, used: Longs
) -> Layered:
    n = len(shells[0].points)
    core = np.concatenate([used, len(bound.points) + np.arange(len(filled.points) - len(used))])
    points = np.concatenate([bound.points, filled.points[len(used) :]])
    shape, nodes, zone, layer, counts = [], [], [], [], []
    surface = NO_POLYGONS
    for z, (shell, have) in enumerate(zip(shells, grown, strict=True)):
        own = layer_cells(shell, have.columns)
        at = bound.offset[z]
        shape.append(own.shape)
        nodes.append(np.where(own.nodes >= n, own.nodes + at, own.nodes))
        counts.append(np.diff(own.start))
        zone.append(np.full(len(own.shape), z, np.int32))
        layer.append(own.layer)
        sides = np.where(own.sides.nodes >= n, own.sides.nodes + at, own.sides.nodes)
        surface = surface + Polygons(own.sides.start, sides.astype(np.int32), own.sides.patch)
        surface = surface + Polygons.of_rows(
            shell.triangles[shell.grown], shell.region[shell.grown]
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
        caps[mine] = have.core.over[bound.row[origin[mine]]] >= 0
    rest = core[filled.triangles[~caps]]
    surface = surface + Polygons.of_rows(rest.astype(np.int32), bound.region[origin[~caps]])
    every = np.concatenate(nodes)
    kept = np.zeros(len(points), bool)
    kept[every] = True
    given = np.full(len(points), -1, np.int32)
    given[:n] = np.where((points[:n] == shells[0].points).all(axis=1), np.arange(n), -1)
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
