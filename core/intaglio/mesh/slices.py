"""Cutting planes through a mesh: the whole cells that a plane crosses, or the flat cut itself."""

from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from intaglio.mesh.blocks import CELLS, met_blocks
from intaglio.mesh.cells import EDGES
from intaglio.mesh.loading import cell_room, load_cell, raw_arrays, room_for
from intaglio.mesh.mesh import Mesh, following, rows, turned_rows
from intaglio.numeric.chunks import FEW_SLOW, in_chunks

Longs = NDArray[np.int64]
Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Outline:
    """Polygons that bound a set of cells, outward: start (k + 1,), nodes of the mesh, and the cell
    (k,) that each belongs to."""

    start: Longs
    nodes: NDArray[np.int32]
    cell: Longs


@dataclass(frozen=True)
class Cut:
    """Polygons in a plane: start (k + 1,), points (p, 3), cell (k,). They run counter-clockwise
    about the plane's normal; a cell that is not convex may have several."""

    start: Longs
    points: Floats
    cell: Longs


@njit(cache=True)
def _height(points, v, normal, offset):
    return (points[v, 0] * normal[0] + points[v, 1] * normal[1] + points[v, 2] * normal[2]) - offset


@njit(cache=True, nogil=True)
def _crossed(points, start, nodes, normal, offset, blocks, size, low, high, out):
    """Whether each cell of the blocks low..high has nodes on both sides."""
    for b in range(low, high):
        for c in range(blocks[b] * size, min((blocks[b] + 1) * size, start.shape[0] - 1)):
            first = _height(points, nodes[start[c]], normal, offset) > 0.0
            for j in range(start[c] + 1, start[c + 1]):
                if (_height(points, nodes[j], normal, offset) > 0.0) != first:
                    out[b * size + c - blocks[b] * size] = True
                    break


def crossed_cells(mesh: Mesh, normal: Floats, offset: float) -> Longs:
    """Cells (k,) with nodes on both sides of the plane normal · x = offset."""
    way = np.asarray(normal, float)
    blocks = met_blocks(mesh.boxes, way, offset)
    out = np.zeros(len(blocks) * CELLS, bool)
    in_chunks(
        lambda low, high: _crossed(
            mesh.points,
            mesh.cell_start,
            mesh.cell_nodes,
            way,
            offset,
            blocks,
            CELLS,
            low,
            high,
            out,
        ),
        len(blocks),
        FEW_SLOW // CELLS,
    )
    found = np.flatnonzero(out)
    return blocks[found // CELLS] * CELLS + found % CELLS


def outer_faces(mesh: Mesh, cells: Longs) -> Outline:
    """The faces that bound a set of cells."""
    held = np.zeros(mesh.cells + 1, bool)
    held[cells] = True
    # the neighbour -1 of boundary faces is the last entry, which is never held
    own, beyond = held[mesh.owner], held[mesh.neighbour]
    faces = np.flatnonzero(own != beyond)
    start, nodes = rows(mesh.face_start, mesh.face_nodes, faces)
    back = beyond[faces]
    nodes = turned_rows(start, nodes, back)
    return Outline(start, nodes, np.where(back, mesh.neighbour[faces], mesh.owner[faces]))


@njit(cache=True)
def _above(raw, cell, j, normal, offset):
    return _height(raw.points, cell.node[j], normal, offset) > 0.0


@njit(cache=True)
def _count_crossings(raw, cells, normal, offset, most):
    """Edges of the chosen cells that the plane crosses, over all of them."""
    cell = cell_room(most[0], most[1], most[2])
    total = 0
    for c in cells:
        _, _, edges = load_cell(raw, c, cell)
        for e in range(edges):
            total += _above(raw, cell, cell.edge[e, 0], normal, offset) != _above(
                raw, cell, cell.edge[e, 1], normal, offset
            )
    return total


@njit(cache=True, nogil=True)
def _cut(raw, cells, normal, offset, most, start, points, owner):
    """Polygons of the cut; how many there are.

    Around a face, an edge that falls through the plane leads back to the one that rose before it;
    the neighbouring face runs through that edge the other way, so that it falls there. Chained so,
    the pieces of a closed cell always close, whatever its shape.
    """
    cell = cell_room(most[0], most[1], most[2])
    edges_most = most[1] * most[2]
    height = np.empty(most[0])
    follow = np.empty(edges_most, np.int64)
    ends = np.empty((edges_most, 2), np.int64)
    made = 0
    at = 0
    start[0] = 0
    for c in cells:
        nodes, faces, _ = load_cell(raw, c, cell)
        for j in range(nodes):
            height[j] = _height(raw.points, cell.node[j], normal, offset)
        count = 0
        for k in range(faces):
            size = cell.size[k]
            rise = -1
            a = cell.local[k, 0]
            was = height[a] > 0.0
            # twice around, since the first rise may come after the first fall
            for step in range(1, 2 * size + 1):
                if step > size and rise < 0:
                    break
                b = cell.local[k, step if step < size else (step - size if step < 2 * size else 0)]
                up = height[b] > 0.0
                if was == up:
                    a = b
                    continue
                was = up
                low, high = min(a, b), max(a, b)
                a = b
                # crossings are numbered where they are met first
                number = cell.at[low, high]
                if number < 0:
                    number = count
                    cell.at[low, high] = number
                    follow[number] = -1
                    ends[number, 0] = low
                    ends[number, 1] = high
                    count += 1
                if up:
                    if step <= size:
                        rise = number
                elif rise >= 0:
                    follow[number] = rise
                    rise = -1
        for number in range(count):
            cell.at[ends[number, 0], ends[number, 1]] = -1
        for first in range(count):
            if follow[first] < 0:
                continue
            k = first
            while follow[k] >= 0:
                low, high = ends[k, 0], ends[k, 1]
                # from the node with the lower number, so that all cells get the same point
                if cell.node[low] > cell.node[high]:
                    low, high = high, low
                p, q = cell.node[low], cell.node[high]
                share = height[low] / (height[low] - height[high])
                for i in range(3):
                    points[at, i] = raw.points[p, i] + share * (raw.points[q, i] - raw.points[p, i])
                at += 1
                after = follow[k]
                follow[k] = -1
                k = after
            owner[made] = c
            made += 1
            start[made] = at
    return made


def flat_cut(mesh: Mesh, normal: Floats, offset: float, cells: Longs | None = None) -> Cut:
    """The polygons in which the plane normal · x = offset meets the cells; cells (k,): those that
    it crosses, where they are known."""
    normal = np.asarray(normal, float)
    cells = crossed_cells(mesh, normal, offset) if cells is None else cells
    raw = raw_arrays(mesh)
    most = room_for(mesh, raw)
    parts: dict[int, Cut] = {}

    def part(low: int, high: int) -> None:
        own = cells[low:high]
        # a standard cell is crossed at no more than its edges: no need to count
        standard = int(EDGES[mesh.shape[own]].sum())
        total = _count_crossings(raw, own, normal, offset, most) if len(raw.around) else standard
        start = np.zeros(total + 1, np.int64)
        points, owner = np.empty((total, 3)), np.empty(total, np.int64)
        made = _cut(raw, own, normal, offset, most, start, points, owner)
        parts[low] = Cut(start[: made + 1], points[: start[made]], owner[:made])

    in_chunks(part, len(cells), FEW_SLOW)
    held = [parts[low] for low in sorted(parts)]
    base = np.cumsum([0, *(p.start[-1] for p in held)])
    starts = [p.start[:-1] + b for p, b in zip(held, base, strict=False)]
    return Cut(
        np.concatenate([*starts, base[-1:]]),
        np.concatenate([p.points for p in held]),
        np.concatenate([p.cell for p in held]),
    )


def cut_lines(mesh: Mesh, normal: Floats, offset: float) -> Floats:
    """Segments (k, 2, 3) in which the plane normal · x = offset meets the faces on patches: the
    boundary, sheets standing in it once, and interfaces."""
    height = mesh.points @ np.asarray(normal, float) - offset
    chosen = (mesh.patch >= 0) | (mesh.neighbour < 0)
    chosen[mesh.sheets[:, 1]] = False
    faces = np.flatnonzero(chosen)
    if not len(faces):
        return np.zeros((0, 2, 3))
    start, nodes = rows(mesh.face_start, mesh.face_nodes, faces)
    after = following(start, nodes)
    # around a face the plane is crossed up and down in turn
    crossed = (height[nodes] > 0) != (height[after] > 0)
    low, high = np.minimum(nodes, after)[crossed], np.maximum(nodes, after)[crossed]
    share = height[low] / (height[low] - height[high])
    spots = mesh.points[low] + share[:, None] * (mesh.points[high] - mesh.points[low])
    return spots.reshape(-1, 2, 3)
