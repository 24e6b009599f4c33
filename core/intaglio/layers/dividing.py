"""Layers of a finished mesh divided again: more of them, or of other heights; no more is changed.

Each upright edge is parted in as many pieces as its layer is, so that every cell with upright edges
falls into as many thinner ones of its own shape; the wedge at a sharp edge into one of its own
shape and flat ones over it. The columns then hold their nodes at the heights asked for.
"""

from dataclasses import dataclass, replace

import numpy as np

from intaglio.errors import FileRejected, StepFailed
from intaglio.layers.grow import LONGEST
from intaglio.layers.heights import growths, over_first
from intaglio.layers.stacks import Stacks, stacks, standing
from intaglio.mesh.building import NO_POLYGONS, Polygons, cell_mesh
from intaglio.mesh.cells import (
    HEXAHEDRON,
    NODES,
    POLYHEDRON,
    PRISM,
    PYRAMID,
    SHAPES,
    TETRAHEDRON,
)
from intaglio.mesh.mesh import Floats, Ints, Longs, Mesh, Shapes, following, preceding, rows
from intaglio.mesh.periodic import paired, paired_patches
from intaglio.mesh.sheets import patches_of_sheets, with_sheets_among


@dataclass(frozen=True)
class Divided:
    """The mesh; layer (c,) that each cell lies in, from 1, 0 for those without upright edges; of
    (c,): the cell of the old mesh that each is of. By column: number of layers, first height,
    normal to the wall, and growth as made, and thinned: whether the first had to be lower than
    asked for."""

    mesh: Mesh
    layer: Ints
    of: Longs
    number: Ints
    first: Floats
    growth: Floats
    thinned: np.ndarray


@dataclass(frozen=True)
class _Split:
    """How upright edges are parted: pieces (e,) of each; begin (e,): number of the first point
    within it; found: the edges themselves."""

    found: Stacks
    pieces: Ints
    begin: Longs

    def point(self, edge: Ints, k: int) -> Ints:
        """The point (any shape) at which piece k of each edge ends, 0 being its lower node."""
        inner = self.begin[edge] + k - 1
        out = np.where(k >= self.pieces[edge], self.found.ends[edge, 1], inner)
        return (self.found.ends[edge, 0] if k == 0 else out).astype(np.int32)


def divided(
    mesh: Mesh,
    walls: Longs,
    count: int | None = None,
    growth: float | None = None,
    first: float | None = None,
) -> Divided:
    """The mesh with the layers over its faces `walls` (k,) divided again into `count`, or as many
    as there are, whose heights grow by `growth`, or begin with `first`; one of the two is given.
    Raises StepFailed where there are no layers, FileRejected where there are more than asked for,
    or cells that share only some of their upright edges with them."""
    if (mesh.shape == POLYHEDRON).any():
        raise FileRejected("layers-unclear", "Layers beside polyhedra are not divided yet.")
    found = stacks(mesh, walls)
    if not len(found.code):
        raise StepFailed(
            "no-layers",
            "No prisms, hexahedra or pyramids stand on these patches: nothing to divide.",
        )
    have = int(found.level.max())
    parts = _pieces(have, have if count is None else count)
    pieces = parts[found.level - 1]
    inner = np.concatenate([[0], np.cumsum(pieces - 1)])
    split = _Split(found, pieces, len(mesh.points) + inner[:-1])
    columns = _columns(found)
    lean = _lean(mesh, walls, found, columns)
    points, told = _points(mesh, split, columns, inner[-1], lean, growth, first)
    shape, nodes, of, layer = _cells(mesh, split, parts)
    start = np.concatenate([[0], np.cumsum(NODES[shape])])
    surface = _polygons(mesh, split)
    out = cell_mesh(
        points, shape, start, nodes, surface, mesh.patches, mesh.zone[of], mesh.zones, mesh.unit
    )
    out = with_sheets_among(out, patches_of_sheets(mesh)) if len(mesh.sheets) else out
    return Divided(_periodic(mesh, out), layer, of, *told)


def _pieces(have: int, want: int) -> Ints:
    """In how many pieces each of `have` layers is parted to make `want`."""
    if want < have:
        raise FileRejected(
            "fewer-layers",
            f"There are {have} layers. Dividing again makes as many or more, not {want}.",
        )
    least, more = divmod(want, have)
    return np.where(np.arange(have) < more, least + 1, least).astype(np.int32)


def _columns(found: Stacks) -> Ints:
    """The edges (columns, most) of each column from the wall on, -1 after its end."""
    at = np.flatnonzero(found.level == 1).astype(np.int32)
    out = [at]
    while (at >= 0).any():
        at = np.where(at >= 0, found.above[at], -1).astype(np.int32)
        out.append(at)
    return np.stack(out[:-1], axis=1)


def _points(
    mesh: Mesh,
    split: _Split,
    columns: Ints,
    more: int,
    lean: Floats,
    growth: float | None,
    first: float | None,
) -> tuple[Floats, tuple[Ints, Floats, Floats, np.ndarray]]:
    """All points, those of columns at their heights, and what the columns came out as; lean (k,):
    height over length of each column."""
    points = np.concatenate([mesh.points, np.zeros((more, 3))])
    there = columns >= 0
    ends = split.found.ends[np.maximum(columns, 0)]
    line = mesh.points[ends]
    length = np.where(there, np.linalg.norm(line[:, :, 1] - line[:, :, 0], axis=2), 0.0)
    reach = np.concatenate([np.zeros((len(columns), 1)), np.cumsum(length, axis=1)], axis=1)
    total = reach[:, -1]
    pieces = np.where(there, split.pieces[np.maximum(columns, 0)], 0)
    number = pieces.sum(axis=1)
    rate = np.full(len(columns), 1.0 if growth is None else growth)
    thinned = np.zeros(len(columns), bool)
    if first is not None:
        rate, thinned = growths(first / lean, total, number)
    begin = total / over_first(rate, number)
    up = np.zeros(len(columns))
    step = begin.copy()
    passed = np.zeros(len(columns), np.int64)
    for _ in range(int(number.max()) - 1):
        # the point at the end of the next layer of every column that goes on
        up, step = up + step, step * rate
        passed += 1
        own = np.flatnonzero(passed < number)
        place = _along(line[own], length[own], reach[own], up[own])
        done = np.concatenate([np.zeros((len(own), 1), int), np.cumsum(pieces[own], axis=1)], 1)
        j = (done[:, 1:] < passed[own, None]).sum(axis=1)
        k = passed[own] - done[np.arange(len(own)), j]
        edge = columns[own, j]
        ends_edge = k == split.pieces[edge]
        node = np.where(ends_edge, split.found.ends[edge, 1], split.begin[edge] + k - 1)
        points[node] = place
    return points, (number.astype(np.int32), begin * lean, rate, thinned)


def _lean(mesh: Mesh, walls: Longs, found: Stacks, columns: Ints) -> Floats:
    """Height over length (k,) of columns that lean, as at inner edges of a wall: the mean cosine to
    the normals of the wall's faces (w,) around, weighted by their angles, as layers are grown.
    Where a node has several columns each stands upright on its own faces."""
    start, nodes = rows(mesh.face_start, mesh.face_nodes, walls)
    at = mesh.points[nodes]
    after, before = following(start, nodes), preceding(start, nodes)
    to, back = mesh.points[after] - at, mesh.points[before] - at
    area = np.add.reduceat(np.cross(at, mesh.points[after]), start[:-1], axis=0)
    normal = np.repeat(_unit(area), np.diff(start), axis=0)
    angle = np.arccos(np.clip((_unit(to) * _unit(back)).sum(axis=1), -1.0, 1.0))
    foot, top = found.ends[columns[:, 0]].T
    count = np.bincount(foot, minlength=len(mesh.points))
    way = np.zeros((len(mesh.points), 3))
    way[foot] = _unit(mesh.points[top] - mesh.points[foot])
    cosine = np.abs((way[nodes] * normal).sum(axis=1))
    weight = np.bincount(nodes, angle, len(mesh.points))
    mean = np.bincount(nodes, angle * cosine, len(mesh.points)) / np.maximum(weight, 1e-300)
    mean[(count != 1) | (weight == 0.0)] = 1.0
    return np.clip(mean[foot], 1.0 / LONGEST, 1.0)


def _unit(vectors: Floats) -> Floats:
    length = np.linalg.norm(vectors, axis=1, keepdims=True)
    return np.asarray(vectors / np.maximum(length, 1e-300))


def _along(line: Floats, length: Floats, reach: Floats, up: Floats) -> Floats:
    """Places (k, 3) so far up (k,) along polylines (k, most, 2, 3)."""
    j = np.minimum((reach[:, 1:] <= up[:, None]).sum(axis=1), length.shape[1] - 1)
    k = np.arange(len(line))
    share = (up - reach[k, j]) / np.maximum(length[k, j], 1e-300)
    a, b = line[k, j, 0], line[k, j, 1]
    out: Floats = a + np.clip(share, 0.0, 1.0)[:, None] * (b - a)
    return out


def _ends_of(nodes: Ints, found: Stacks, pairs: list[tuple[int, int]]) -> tuple[Ints, Ints, Ints]:
    """By node of rows (c, n): an upright edge that begins there, a second one, and one that ends
    there, -1 for none."""
    low, second, high = (np.full(nodes.shape, -1, np.int32) for _ in range(3))
    for x, y in pairs:
        for b, a in ((x, y), (y, x)):
            edge = found.find(nodes[:, b], nodes[:, a])
            there = edge >= 0
            taken = there & (low[:, b] >= 0)
            second[taken, b] = edge[taken]
            low[there & ~taken, b] = edge[there & ~taken]
            high[there, a] = edge[there]
    return low, second, high


def _cells(mesh: Mesh, split: _Split, parts: Ints) -> tuple[Shapes, Ints, Longs, Ints]:
    """Shape, nodes, old cell and layer of all cells of the divided mesh."""
    reached = np.concatenate([[0], np.cumsum(parts)])
    whole = np.ones(mesh.cells, bool)
    shape, nodes, of, layer = [], [], [], []

    def put(kind: int, cells: Ints, old: Longs, at: Ints) -> None:
        shape.append(np.full(len(cells), kind, np.int8))
        nodes.append(cells.ravel().astype(np.int32))
        of.append(old)
        layer.append(at.astype(np.int32))

    for kind, cells in standing(mesh, split.found).items():
        if not len(cells):
            continue
        own = mesh.cell_nodes[mesh.cell_start[cells][:, None] + np.arange(NODES[kind])]
        pairs = [(a, b) for a, b, _, _ in SHAPES[kind].edges]
        low, second, high = _ends_of(own, split.found, pairs)
        stands = (low >= 0).any(axis=1)
        cells = cells[stands]
        own, low, second, high = (v[stands] for v in (own, low, second, high))
        whole[cells] = False
        level = split.found.level[low.max(axis=1)]
        _refuse_mixed(mesh, kind, own, low, second, high, split.found)
        wedge = (second >= 0).any(axis=1)
        for j in np.unique(level).tolist():
            for k in range(1, int(parts[j - 1]) + 1):
                at = np.flatnonzero((level == j) & (~wedge | (k == 1)))
                put(kind, _piece(split, own[at], low[at], second[at], high[at], k), cells[at],
                    np.full(len(at), reached[j - 1] + k))  # fmt: skip
                at = np.flatnonzero((level == j) & wedge) if k > 1 else at[:0]
                if len(at):
                    flat_kind, flat = _over_wedge(split, kind, low[at], second[at], own[at], k)
                    put(flat_kind, flat, cells[at], np.full(len(at), reached[j - 1] + k))
    rest = np.flatnonzero(whole)
    _, rest_nodes = rows(mesh.cell_start, mesh.cell_nodes, rest)
    shape.append(mesh.shape[rest])
    nodes.append(rest_nodes.astype(np.int32))
    of.append(rest)
    layer.append(np.zeros(len(rest), np.int32))
    return (
        np.concatenate(shape),
        np.concatenate(nodes),
        np.concatenate(of),
        np.concatenate(layer),
    )


def _piece(split: _Split, nodes: Ints, low: Ints, second: Ints, high: Ints, k: int) -> Ints:
    """Rows (c, n) of the piece k of cells or faces; one with two edges from one node has its first
    piece only."""
    out = np.where(high >= 0, split.point(np.maximum(high, 0), k), nodes)
    lifted = (low >= 0) & (second < 0) & (high < 0)
    return np.where(lifted, split.point(np.maximum(low, 0), k - 1), out)


def _over_wedge(
    split: _Split, kind: int, low: Ints, second: Ints, nodes: Ints, k: int
) -> tuple[int, Ints]:
    """Shape and nodes of the pieces k > 1 of wedges: hexahedra over prisms, pyramids over
    tetrahedra."""
    at = np.arange(len(nodes))
    if kind == PRISM:
        first = (second[:, :3] >= 0).argmax(axis=1)
        turn = (first[:, None] + np.arange(3)) % 3
        near, far = nodes[at[:, None], turn], nodes[at[:, None], turn + 3]
        edges = [
            split.found.find(far[:, 0], far[:, 1]),
            split.found.find(near[:, 0], near[:, 1]),
            split.found.find(near[:, 0], near[:, 2]),
            split.found.find(far[:, 0], far[:, 2]),
        ]
        points = [split.point(e, j) for j in (k - 1, k) for e in edges]
        return HEXAHEDRON, np.stack(points, axis=1)
    b = (second >= 0).argmax(axis=1)
    one, two = (split.found.ends[e[at, b], 1] for e in (low, second))
    p, q = ((nodes == v[:, None]).argmax(axis=1) for v in (one, two))
    rest = 6 - b - p - q
    odd = _odd(np.stack([b, p, q, rest], axis=1))
    one, two = np.where(odd, two, one), np.where(odd, one, two)
    foot, tip = nodes[at, b], nodes[at, rest]
    edges = [split.found.find(foot, v) for v in (one, two)]
    low_high = [[split.point(e, j) for j in (k - 1, k)] for e in edges]
    return PYRAMID, np.stack(
        [low_high[0][0], low_high[0][1], low_high[1][1], low_high[1][0], tip], axis=1
    )


def _odd(order: Longs) -> np.ndarray:
    """Which orders (k, 4) of 0, 1, 2, 3 are odd."""
    swaps = sum((order[:, i] > order[:, j]).astype(int) for i in range(4) for j in range(i + 1, 4))
    return np.asarray(swaps) % 2 == 1


def _refuse_mixed(
    mesh: Mesh, kind: int, nodes: Ints, low: Ints, second: Ints, high: Ints, found: Stacks
) -> None:
    """Raises FileRejected where cells would not fall into pieces of a known shape: some of their
    upright edges are not among those to be parted, or stand in different layers."""
    count = (low >= 0).sum(axis=1) + (second >= 0).sum(axis=1)
    wedge = (second >= 0).any(axis=1)
    fits = {TETRAHEDRON: (1,), PYRAMID: (2,), PRISM: (2, 3), HEXAHEDRON: (4,)}[kind]
    good = np.isin(count, fits) & ~((low >= 0) & (high >= 0)).any(axis=1)
    twice = {TETRAHEDRON: 2, PRISM: 4}.get(kind, -1)
    good = np.where(wedge, count == twice, good)
    level = np.where(low >= 0, found.level[low], 0)
    good &= np.where(low >= 0, level, level.max(axis=1)[:, None]).min(axis=1) == level.max(axis=1)
    if not good.all():
        spots = mesh.points[nodes[~good]].mean(axis=1)
        raise FileRejected(
            "layers-hang-together",
            f"{int((~good).sum())} {SHAPES[kind].name} cells, the first at "
            f"{spots[0].round(9).tolist()}, stand half on these patches and half on others: name "
            "all patches whose layers hang together.",
        )


def _polygons(mesh: Mesh, split: _Split) -> Polygons:
    """The polygons of the surface, and between zones, with those that layers end on parted too."""
    out = NO_POLYGONS
    on = np.flatnonzero(mesh.patch >= 0)
    size = np.diff(mesh.face_start)[on]
    for n in np.unique(size).tolist():
        faces = on[size == n]
        nodes = mesh.face_nodes[mesh.face_start[faces][:, None] + np.arange(n)]
        patch = mesh.patch[faces]
        low, second, high = _ends_of(nodes, split.found, [(i, (i + 1) % n) for i in range(n)])
        stands = (low >= 0).any(axis=1)
        out = out + Polygons.of_rows(nodes[~stands], patch[~stands])
        nodes, low, second, high, patch = (v[stands] for v in (nodes, low, second, high, patch))
        wedge = (second >= 0).any(axis=1)
        pieces = split.pieces[np.maximum(low.max(axis=1), 0)]
        for k in range(1, int(pieces.max(initial=0)) + 1):
            at = np.flatnonzero((pieces >= k) & (~wedge | (k == 1)))
            made = _piece(split, nodes[at], low[at], second[at], high[at], k)
            out = out + Polygons.of_rows(made, patch[at])
            at = np.flatnonzero((pieces >= k) & wedge) if k > 1 else at[:0]
            if not len(at):
                continue
            # from the node that both begin in
            b = (second[at] >= 0).argmax(axis=1)
            one, two = (nodes[at, (b + j) % n] for j in (1, 2))
            edges = [split.found.find(nodes[at, b], v) for v in (one, two)]
            corners = [split.point(edges[0], k - 1), split.point(edges[0], k),
                       split.point(edges[1], k), split.point(edges[1], k - 1)]  # fmt: skip
            out = out + Polygons.of_rows(np.stack(corners, axis=1), patch[at])
    return out


def _periodic(mesh: Mesh, out: Mesh) -> Mesh:
    """The divided mesh with the periodic pairs of the old one."""
    pairs = []
    for pair in mesh.periodic:
        own = np.flatnonzero(np.isin(out.patch, paired_patches(mesh, pair)))
        found = paired(out, own, pair.turn, pair.shift)
        if found is None:
            raise FileRejected(
                "not-periodic", "Divided again, the layers on a pair of periodic patches differ."
            )
        pairs.append(found)
    return replace(out, periodic=tuple(pairs))
