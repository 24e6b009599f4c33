"""Meshes made from cells, or from faces alone, with patches found for the boundary's faces."""

from dataclasses import dataclass

import numpy as np
from numba import njit

from intaglio.errors import StepFailed
from intaglio.findings import PLACES
from intaglio.mesh.cells import FACES, POLYHEDRON, TETRAHEDRON
from intaglio.mesh.mesh import (
    Floats,
    Ints,
    Longs,
    Mesh,
    Patch,
    Periodic,
    Shapes,
    Zone,
    ragged_mean,
    rows,
)
from intaglio.mesh.polygons import Cells, find_polygons, joined_faces


@dataclass(frozen=True)
class Polygons:
    """Polygons with the patch of each: start (k + 1,), nodes, patch (k,)."""

    start: Longs
    nodes: Ints
    patch: Ints

    @classmethod
    def of_rows(cls, nodes: Ints, patch: Ints) -> "Polygons":
        """Of polygons that all have as many nodes, (k, n)."""
        count, size = nodes.shape
        return cls(np.arange(count + 1, dtype=np.int64) * size, nodes.ravel(), patch)

    def of_patches(self, patches: Longs) -> "Polygons":
        """Those on some patches."""
        own = np.flatnonzero(np.isin(self.patch, patches))
        start, nodes = rows(self.start, self.nodes, own)
        return Polygons(start, nodes.astype(np.int32), self.patch[own])

    def __add__(self, other: "Polygons") -> "Polygons":
        return Polygons(
            np.concatenate([self.start, self.start[-1] + other.start[1:]]),
            np.concatenate([self.nodes, other.nodes]),
            np.concatenate([self.patch, other.patch]),
        )


NO_POLYGONS = Polygons(np.zeros(1, np.int64), np.zeros(0, np.int32), np.zeros(0, np.int32))


@dataclass(frozen=True)
class Stream:
    """Faces of the polyhedra among cells, outward, in the order of the cells: faces (c,) how many
    each cell has here (0 for standard cells); start (p + 1,) and nodes of the faces."""

    faces: Longs
    start: Longs
    nodes: Ints


def cell_mesh(
    points: Floats,
    shape: Shapes,
    cell_start: Longs,
    cell_nodes: Ints,
    surface: Polygons,
    patches: tuple[Patch, ...],
    zone: Ints | None = None,
    zones: tuple[Zone, ...] = (Zone("fluid"),),
    unit: str = "mm",
    stream: Stream | None = None,
    periodic: tuple[Periodic, ...] = (),
) -> Mesh:
    """Mesh from cells, as in Mesh, and the polygons of its surface with their patches.

    Boundary faces come in the order of their patches; one that is no given polygon gets patch -1,
    which the validity check reports. Raises StepFailed with places where three cells share a face.
    """
    if stream is None:
        stream = Stream(np.zeros(len(shape), np.int64), np.zeros(1, np.int64), cell_nodes[:0])
    for nodes in (cell_nodes, stream.nodes, surface.nodes):
        in_range(nodes, len(points))
    own_faces = FACES[shape]
    own_faces = own_faces + stream.faces
    cells = Cells(
        np.ascontiguousarray(shape, np.int8),
        np.ascontiguousarray(cell_start, np.int64),
        np.ascontiguousarray(cell_nodes, np.int32),
        np.concatenate([[0], np.cumsum(own_faces)]),
        np.concatenate([[0], np.cumsum(stream.faces)])[:-1],
        np.ascontiguousarray(stream.start, np.int64),
        np.ascontiguousarray(stream.nodes, np.int32),
    )
    start, nodes, owner, neighbour, thrice = joined_faces(cells)
    if thrice:
        first = np.array(thrice[:PLACES])
        at = ragged_mean(*_placed(points, *rows(cell_start, cell_nodes, first)))
        raise StepFailed(
            "face-of-three",
            f"{len(thrice)} cells have a face that two other cells share already.",
            at.tolist(),
        )
    cell_zone = np.zeros(len(shape), np.int32) if zone is None else zone
    patch = _patches_of(start, nodes, owner, neighbour, cell_zone, surface)
    n_in = int((neighbour >= 0).sum())
    order = np.concatenate([np.arange(n_in), n_in + np.argsort(patch[n_in:], kind="stable")])
    start, nodes = _in_order(start, nodes, order, n_in)
    return Mesh(
        points,
        cells.shape,
        cells.start,
        cells.nodes,
        start,
        nodes,
        owner[order],
        neighbour[order],
        patch[order],
        cell_zone,
        patches,
        zones,
        unit,
        periodic,
    )


def in_range(numbers: Ints, count: int) -> None:
    """Raises StepFailed if a number is none of 0..count - 1: compiled code would not notice."""
    if len(numbers) and (numbers.min() < 0 or numbers.max() >= count):
        raise StepFailed(
            "bad-numbers", f"The mesh names points or cells beyond the {count:,} that there are."
        )


def _placed(points: Floats, start: Longs, nodes: Ints) -> tuple[Longs, Floats]:
    return start, points[nodes]


def _in_order(start: Longs, nodes: Ints, order: Longs, n_in: int) -> tuple[Longs, Ints]:
    """Faces put in order; the first n_in of them stay where they are."""
    own_start, own = rows(start, nodes, order[n_in:])
    at = start[n_in]
    return (
        np.concatenate([start[: n_in + 1], at + own_start[1:]]),
        np.concatenate([nodes[:at], own.astype(np.int32)]),
    )


def _patches_of(
    start: Longs, nodes: Ints, owner: Ints, neighbour: Ints, zone: Ints, surface: Polygons
) -> Ints:
    """Patch (f,) of each face that lies on the boundary or between zones."""
    beyond = np.where(neighbour >= 0, zone[neighbour], -1)
    parting = np.flatnonzero(zone[owner] != beyond)
    patch = np.full(len(owner), -1, np.int32)
    given = find_polygons(surface.start, surface.nodes, start, nodes, parting)
    hit = given >= 0
    patch[parting[hit]] = surface.patch[given[hit]]
    return patch


def tet_mesh(
    points: Floats,
    tets: Ints,
    triangles: Ints,
    triangle_patch: Ints,
    patches: tuple[Patch, ...],
    zone: Ints | None = None,
    zones: tuple[Zone, ...] = (Zone("fluid"),),
    unit: str = "mm",
) -> Mesh:
    """Mesh from tetrahedra (c, 4) and the surface triangles (k, 3) with their patch (k,)."""
    return cell_mesh(
        points,
        np.full(len(tets), TETRAHEDRON, np.int8),
        np.arange(len(tets) + 1, dtype=np.int64) * 4,
        tets.ravel(),
        Polygons.of_rows(triangles, triangle_patch),
        patches,
        zone,
        zones,
        unit,
    )


@njit(cache=True)
def _distinct_nodes(first, around, face_start, face_nodes, seen, cell, start, out):
    """The nodes of the faces around each chosen cell, each once; counted only if out is empty."""
    for k in range(cell.shape[0]):
        c = cell[k]
        n = 0
        for j in range(first[c], first[c + 1]):
            f = around[j] if around[j] >= 0 else ~around[j]
            for i in range(face_start[f], face_start[f + 1]):
                v = face_nodes[i]
                if seen[v] != k + 1:
                    seen[v] = k + 1
                    if out.shape[0] > 0:
                        out[start[k] + n] = v
                    n += 1
        if out.shape[0] == 0:
            start[k + 1] = start[k] + n


def polyhedron_nodes(
    first: Longs, around: Ints, face_start: Longs, face_nodes: Ints, points: int, cell: Longs
) -> tuple[Longs, Ints]:
    """Offsets and nodes, each once, of cells (k,) whose faces `around` lists (see faces_around)."""
    start = np.zeros(len(cell) + 1, np.int64)
    seen = np.zeros(points, np.int64)
    _distinct_nodes(first, around, face_start, face_nodes, seen, cell, start, face_nodes[:0])
    out = np.empty(start[-1], np.int32)
    if len(out):
        seen[:] = 0
        _distinct_nodes(first, around, face_start, face_nodes, seen, cell, start, out)
    return start, out


@njit(cache=True)
def _around(owner, neighbour, first, out):
    """Put each face into its cells' rows of out: f for its owner, ~f for its neighbour."""
    place = first[:-1].copy()
    for f in range(owner.shape[0]):
        c = owner[f]
        out[place[c]] = f
        place[c] += 1
        c = neighbour[f]
        if c >= 0:
            out[place[c]] = ~f
            place[c] += 1


def faces_around(owner: Ints, neighbour: Ints, cells: int) -> tuple[Longs, Ints]:
    """Offsets (c + 1,) and faces of each cell: f where the cell owns it, ~f where it does not."""
    count = np.bincount(owner, minlength=cells)
    count += np.bincount(neighbour[neighbour >= 0], minlength=cells)
    first = np.concatenate([[0], np.cumsum(count)])
    out = np.empty(first[-1], np.int32)
    _around(owner, neighbour, first, out)
    return first, out


def face_mesh(
    points: Floats,
    face_start: Longs,
    face_nodes: Ints,
    owner: Ints,
    neighbour: Ints,
    patch: Ints,
    zone: Ints,
    patches: tuple[Patch, ...],
    zones: tuple[Zone, ...],
    unit: str = "mm",
    periodic: tuple[Periodic, ...] = (),
) -> Mesh:
    """Mesh of polyhedra by their faces, as in Mesh, interior ones first."""
    cells = len(zone)
    in_range(face_nodes, len(points))
    in_range(owner, cells)
    in_range(neighbour[neighbour >= 0], cells)
    first, around = faces_around(owner, neighbour, cells)
    start, nodes = polyhedron_nodes(
        first, around, face_start, face_nodes, len(points), np.arange(cells)
    )
    return Mesh(
        points,
        np.full(cells, POLYHEDRON, np.int8),
        start,
        nodes,
        face_start,
        face_nodes,
        owner,
        neighbour,
        patch,
        zone,
        patches,
        zones,
        unit,
        periodic,
    )


def with_patches(
    mesh: Mesh, patch: Ints, patches: tuple[Patch, ...], zones: tuple[Zone, ...] | None = None
) -> Mesh:
    """The mesh with its parting faces on other patches; boundary faces in the order of these."""
    n_in = mesh.interior_faces
    order = np.concatenate([np.arange(n_in), n_in + np.argsort(patch[n_in:], kind="stable")])
    start, nodes = _in_order(mesh.face_start, mesh.face_nodes, order, n_in)
    place = np.empty(len(order), np.int32)
    place[order] = np.arange(len(order))
    return Mesh(
        mesh.points,
        mesh.shape,
        mesh.cell_start,
        mesh.cell_nodes,
        start,
        nodes,
        mesh.owner[order],
        mesh.neighbour[order],
        patch[order],
        mesh.zone,
        patches,
        zones or mesh.zones,
        mesh.unit,
        tuple(Periodic(place[p.faces].astype(np.int32), p.turn, p.shift) for p in mesh.periodic),
        _sorted_pairs(place[mesh.sheets]),
        mesh.notes,
    )


def _sorted_pairs(pairs: Ints) -> Ints:
    """Pairs (k, 2), the lower first, in the order of the lower."""
    own = np.sort(pairs, axis=1)
    return own[np.argsort(own[:, 0], kind="stable")]
