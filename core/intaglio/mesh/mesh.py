"""The mesh: cells of any shape, the faces between them, patches on the boundary, zones of cells."""

from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from intaglio.mesh.blocks import block_boxes
from intaglio.mesh.cells import TETRAHEDRON

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]
Longs = NDArray[np.int64]
Shapes = NDArray[np.int8]

# kinds of patches, and what they are called
PATCH_KINDS = {
    "inlet": "inlet",
    "outlet": "outlet",
    "opening": "opening",
    "wall": "wall",
    "symmetry": "symmetry",
    "far_field": "far field",
    "periodic": "periodic",
    "interface": "interface",
    "flat": "flat front/back",
    "wedge": "wedge",
}
ZONE_KINDS = ("fluid", "solid")


@dataclass(frozen=True)
class Patch:
    """A named part of the boundary; kind is one of PATCH_KINDS."""

    name: str
    kind: str


@dataclass(frozen=True)
class Zone:
    """A named volume; kind is one of ZONE_KINDS."""

    name: str
    kind: str = "fluid"


@dataclass(frozen=True)
class Periodic:
    """Faces that are periodic with each other, whatever patches they are on: faces (k, 2), and
    x → turn @ x + shift, which carries each first one onto its second."""

    faces: Ints
    turn: Floats
    shift: Floats


@dataclass(frozen=True)
class Mesh:
    """A mesh by its faces.

    points (n, 3) in `unit`. Cell c has the nodes cell_nodes[cell_start[c]:cell_start[c + 1]]: in
    the order of its shape (c,), or, for a polyhedron, each of them once in any order. Face f has
    the nodes face_nodes[face_start[f]:face_start[f + 1]], outward from owner (f,) by the
    right-hand rule; interior faces come first. neighbour (f,) is -1 on the boundary; patch (f,) is
    an index into patches, -1 inside but for the interfaces between zones; zone (c,) an index into
    zones; sheets (k, 2) are boundary faces that lie on each other, the two sides of walls without a
    thickness; notes: what was read otherwise than a file has it. Node, face and cell numbers are
    32 bit, offsets 64.
    """

    points: Floats
    shape: Shapes
    cell_start: Longs
    cell_nodes: Ints
    face_start: Longs
    face_nodes: Ints
    owner: Ints
    neighbour: Ints
    patch: Ints
    zone: Ints
    patches: tuple[Patch, ...]
    zones: tuple[Zone, ...]
    unit: str
    periodic: tuple[Periodic, ...] = ()
    sheets: Ints = field(default_factory=lambda: np.zeros((0, 2), np.int32))
    notes: tuple[str, ...] = ()

    @property
    def cells(self) -> int:
        return len(self.shape)

    @property
    def faces(self) -> int:
        return len(self.owner)

    @property
    def interior_faces(self) -> int:
        return int((self.neighbour >= 0).sum())

    @cached_property
    def boxes(self) -> Floats:
        """Boxes (b, 6) around successive cells, as of block_boxes."""
        points = np.ascontiguousarray(self.points, np.float64)
        return block_boxes(points, self.cell_start, self.cell_nodes)

    @cached_property
    def tets(self) -> Ints:
        """Nodes (c, 4) of a mesh of tetrahedra alone. Raises ValueError for another."""
        if (self.shape != TETRAHEDRON).any():
            raise ValueError("the mesh has cells that are no tetrahedra")
        return self.cell_nodes.reshape(-1, 4)


def face_sizes(mesh: Mesh) -> Longs:
    """Number of nodes (f,) of each face."""
    return np.diff(mesh.face_start)


def rows(start: Longs, values: NDArray[Any], which: NDArray[Any]) -> tuple[Longs, NDArray[Any]]:
    """Offsets (k + 1,) and values of the chosen rows of a ragged array."""
    size = start[which + 1] - start[which]
    out_start = np.concatenate([[0], np.cumsum(size)])
    if len(size) and (size == size[0]).all():
        # all alike, as with tetrahedra: one gather
        at = start[which][:, None] + np.arange(size[0])
        return out_start, values[at].ravel()
    at = np.repeat(start[which] - out_start[:-1], size) + np.arange(out_start[-1])
    return out_start, values[at]


def turned_rows(start: Longs, values: NDArray[Any], turned: NDArray[np.bool_]) -> NDArray[Any]:
    """Values of a ragged array with some rows the other way round."""
    if not turned.any():
        return values
    row = np.repeat(np.arange(len(turned)), np.diff(start))
    at = np.arange(len(values))
    return values[np.where(turned[row], start[row] + start[row + 1] - 1 - at, at)]


def ragged_mean(start: Longs, values: Floats) -> Floats:
    """Mean (k, 3) of each row of values (s, 3)."""
    total = np.add.reduceat(values, start[:-1], axis=0) if len(start) > 1 else np.zeros((0, 3))
    return total / np.diff(start)[:, None]


def cell_middles(mesh: Mesh, which: NDArray[Any]) -> Floats:
    """Mean (k, 3) of the nodes of cells."""
    start, nodes = rows(mesh.cell_start, mesh.cell_nodes, which)
    return ragged_mean(start, mesh.points[nodes])


def face_middles(mesh: Mesh, which: NDArray[Any]) -> Floats:
    """Mean (k, 3) of the nodes of faces."""
    start, nodes = rows(mesh.face_start, mesh.face_nodes, which)
    return ragged_mean(start, mesh.points[nodes])


def fan(start: Longs, nodes: Ints) -> tuple[Ints, Longs]:
    """Triangles (t, 3) of polygons, split from their first nodes, and the polygon (t,) of each."""
    size = np.diff(start)
    polygon = np.repeat(np.arange(len(size)), size - 2)
    first = np.concatenate([[0], np.cumsum(size - 2)])[:-1]
    step = np.arange(len(polygon)) - first[polygon] + 1
    base = start[polygon]
    out = np.stack([nodes[base], nodes[base + step], nodes[base + step + 1]], axis=1)
    return out.astype(np.int32), polygon


def following(start: Longs, nodes: NDArray[Any]) -> NDArray[Any]:
    """For each entry of polygons' nodes the next one around its polygon."""
    after = np.roll(nodes, -1)
    after[start[1:] - 1] = nodes[start[:-1]]
    return after


def preceding(start: Longs, nodes: NDArray[Any]) -> NDArray[Any]:
    """For each entry of polygons' nodes the one before around its polygon."""
    before = np.roll(nodes, 1)
    before[start[:-1]] = nodes[start[1:] - 1]
    return before


def polygon_edges(start: Longs, nodes: Ints) -> Ints:
    """Edges (e, 2) of polygons, each once."""
    after = following(start, nodes)
    low, high = np.minimum(nodes, after), np.maximum(nodes, after)
    code = np.unique(low.astype(np.int64) << 32 | high)
    return np.stack([code >> 32, code & 0xFFFFFFFF], axis=1).astype(np.int32)
