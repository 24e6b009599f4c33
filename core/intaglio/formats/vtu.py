"""Unstructured grids of the Visualization Toolkit's open XML format (.vtu), polyhedra included.

Written with raw appended data in double precision. What the format has no place for, patches,
zones and the unit, stands in its field data: a JSON text and the boundary's faces.
"""

import json
import struct
import zlib
from collections.abc import Iterator, Mapping
from dataclasses import replace
from pathlib import Path
from xml.etree import ElementTree

import numpy as np
from numba import njit
from numpy.typing import NDArray

from intaglio.errors import FileRejected, StepFailed
from intaglio.formats.format import MeshFormat
from intaglio.formats.vtk_cells import TYPE, cells_taken, faces_outward
from intaglio.formats.vtk_xml import Named, VtkData, VtkFile, vtk_differences, write_vtk
from intaglio.mesh.building import NO_POLYGONS, Polygons, Stream, cell_mesh, faces_around
from intaglio.mesh.cells import POLYHEDRON, SHAPES, TETRAHEDRON
from intaglio.mesh.mesh import PATCH_KINDS, ZONE_KINDS, Mesh, Patch, Zone, rows, turned_rows
from intaglio.mesh.recognising import with_standard_shapes
from intaglio.mesh.sheets import patches_of_sheets, with_sheets_among

_ABOUT = "intaglio_json"


def write_vtu(mesh: Mesh, path: Path, cell_data: Mapping[str, NDArray[np.float64]]) -> None:
    """Write the mesh's cells with named cell data (c,), in double precision."""
    write_vtk(path, _whole(mesh, cell_data))


def vtu_differences(
    mesh: Mesh, path: Path, cell_data: Mapping[str, NDArray[np.float64]]
) -> Iterator[str]:
    """What a file says else than the mesh and its data, in words."""
    return vtk_differences(path, _whole(mesh, cell_data))


def _whole(mesh: Mesh, cell_data: Mapping[str, NDArray[np.float64]]) -> VtkData:
    """The cells, and in fields what the format has no place for."""
    about = {
        "unit": mesh.unit,
        "patches": [[p.name, p.kind] for p in mesh.patches],
        "zones": [[z.name, z.kind] for z in mesh.zones],
        # patches with faces that lie on each other, the sides of walls without a thickness
        "sides": patches_of_sheets(mesh),
    }
    held = np.flatnonzero(mesh.patch >= 0)
    start, nodes = rows(mesh.face_start, mesh.face_nodes, held)
    fields = (
        Named(_ABOUT, "UInt8", np.frombuffer(json.dumps(about).encode(), np.uint8)),
        Named("boundary_offsets", "Int64", start),
        Named("boundary_nodes", "Int32", nodes),
        Named("boundary_patch", "Int32", mesh.patch[held]),
    )
    return replace(cells_of(mesh, cell_data), fields=fields)


def cells_of(mesh: Mesh, cell_data: Mapping[str, NDArray[np.float64]]) -> VtkData:
    """Points and cells with their data; offsets are 64 bit, numbers of points 32 bit as in the
    mesh."""
    types = np.array([TYPE[k] for k in range(len(SHAPES))], np.uint8)
    cells = [
        Named("connectivity", "Int32", mesh.cell_nodes),
        Named("offsets", "Int64", mesh.cell_start[1:]),
        Named("types", "UInt8", types[mesh.shape]),
    ]
    if (mesh.shape == POLYHEDRON).any():
        faces, where = _face_stream(mesh)
        cells += [Named("faces", "Int64", faces), Named("faceoffsets", "Int64", where)]
    data = [Named(name, "Float64", values) for name, values in cell_data.items()]
    return VtkData(
        "UnstructuredGrid",
        {"NumberOfPoints": len(mesh.points), "NumberOfCells": mesh.cells},
        {
            "Points": [Named("Points", "Float64", mesh.points, 3)],
            "Cells": cells,
            "CellData": [Named("zone", "Int32", mesh.zone), *data],
        },
    )


def _face_stream(mesh: Mesh) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """For each polyhedron its number of faces, then for each face its number of nodes and them,
    outward; and per cell where its list ends, -1 for other cells."""
    first, around = faces_around(mesh.owner, mesh.neighbour, mesh.cells)
    cells = np.flatnonzero(mesh.shape == POLYHEDRON)
    count, faces = rows(first, around, cells)
    start, nodes = _outward(mesh, faces)
    # a head before each face, and one before each cell
    size = np.diff(start)
    per_cell = np.add.reduceat(size + 1, count[:-1]) + 1
    ends = np.cumsum(per_cell)
    cell_of = np.repeat(np.arange(len(cells)), np.diff(count))
    at = start[:-1] + np.arange(len(faces)) + cell_of + 1
    out = np.empty(ends[-1], np.int64)
    fill = np.ones(len(out), bool)
    heads = ends - per_cell
    out[heads], fill[heads] = np.diff(count), False
    out[at], fill[at] = size, False
    out[fill] = nodes
    where = np.full(mesh.cells, -1, np.int64)
    where[cells] = ends
    return out, where


def _outward(mesh: Mesh, faces: NDArray[np.int32]) -> tuple[NDArray[np.int64], NDArray[np.int32]]:
    """Nodes of faces; of those numbered ~f the other way round."""
    inward = faces < 0
    start, nodes = rows(mesh.face_start, mesh.face_nodes, np.where(inward, ~faces, faces))
    return start, turned_rows(start, nodes, inward)


def read_vtu(path: Path) -> Mesh:
    """The cells of a .vtu file; patches, zones and unit if it was written here, else one patch
    called `boundary` and the unit m. Raises FileRejected."""
    try:
        return _read(VtkFile(path), path.name)
    except StepFailed as error:
        raise FileRejected(
            error.code, f"{path.name} cannot be used: {error.message}", error.places
        ) from error
    except (
        ElementTree.ParseError, OSError, KeyError, ValueError, TypeError, IndexError, struct.error,
        zlib.error, StopIteration, AttributeError,
    ) as error:  # fmt: skip
        raise FileRejected(
            "not-vtu", f"{path.name} is no unstructured grid that can be read ({error})."
        ) from error


def _read(arrays: VtkFile, name: str) -> Mesh:
    piece = arrays.root.find(".//Piece")
    if piece is None:
        raise ValueError("it has no piece")
    held = {
        e.get("Name", ""): e
        for part in ("Cells", "FieldData", "CellData")
        for e in arrays.root.findall(f".//{part}/DataArray")
    }
    spot = piece.find("Points/DataArray")
    if spot is None:
        raise ValueError("it has no points")
    points = arrays.read(spot).astype(np.float64).reshape(-1, 3)
    types = arrays.read(held["types"])
    taken = cells_taken(
        points, types, arrays.read(held["offsets"]), arrays.read(held["connectivity"]), name
    )
    if not len(taken.shape):
        raise FileRejected("no-cells", f"{name} holds no cells.")
    stream, notes = None, taken.notes
    if (taken.shape == POLYHEDRON).any():
        # the lists of faces know all cells of the grid
        every = np.full(len(types), TETRAHEDRON, np.int8)
        every[taken.kept] = taken.shape
        if "polyhedron_offsets" in held:
            stream = _listed_faces(arrays, held, every, len(points))
        else:
            where = arrays.read(held["faceoffsets"]).astype(np.int64)
            faces = arrays.read(held["faces"]).astype(np.int64)
            stream = _stream(faces, where, every, len(points))
        stream, more = faces_outward(points, replace(stream, faces=stream.faces[taken.kept]))
        notes += more
    surface, patches, zones, zone, unit, sides = _about(arrays, held, len(taken.shape))
    mesh = cell_mesh(
        points, taken.shape, taken.start, taken.nodes.astype(np.int32), surface, patches, zone,
        zones, unit, stream,
    )  # fmt: skip
    mesh = replace(with_standard_shapes(mesh), notes=notes)
    if patches:
        return with_sheets_among(mesh, sides)
    from intaglio.mesh.building import with_patches

    patch = np.where(mesh.neighbour < 0, 0, -1).astype(np.int32)
    return with_patches(mesh, patch, (Patch("boundary", "wall"),))


@njit(cache=True)
def _walk(faces, begins, ends, counts, at, size):
    """Place and size of each face in the list, faces per cell; how many, -1 if cut short."""
    total = 0
    for c in range(begins.shape[0]):
        begin, end = begins[c], ends[c]
        if begin < 0 or end <= begin or end > faces.shape[0] or faces[begin] < 4:
            return -1
        counts[c] = faces[begin]
        k = begin + 1
        for _ in range(counts[c]):
            if k >= end or faces[k] < 3 or faces[k] > end - k - 1:
                return -1
            at[total] = k + 1
            size[total] = faces[k]
            total += 1
            k += faces[k] + 1
    return total


def _stream(
    faces: NDArray[np.int64], where: NDArray[np.int64], shape: NDArray[np.int8], points: int
) -> Stream:
    """The faces of polyhedra from the format's list. Raises ValueError where it makes no sense."""
    if len(where) != len(shape):
        raise ValueError("the offsets of faces do not fit the cells")
    ends = where[shape == POLYHEDRON]
    begins = np.concatenate([[0], ends[:-1]])
    counts = np.zeros(len(ends), np.int64)
    at, size = (np.zeros(len(faces), np.int64) for _ in range(2))
    total = _walk(np.ascontiguousarray(faces), begins, ends, counts, at, size)
    if total < 0:
        raise ValueError("the faces of a polyhedron are cut short")
    at, size = at[:total], size[:total]
    start = np.concatenate([[0], np.cumsum(size)])
    pick = np.repeat(at - start[:-1], size) + np.arange(start[-1])
    nodes = faces[pick]
    if len(nodes) and (nodes.min() < 0 or nodes.max() >= points):
        raise ValueError("faces name points that do not exist")
    per_cell = np.zeros(len(shape), np.int64)
    per_cell[shape == POLYHEDRON] = counts
    return Stream(per_cell, start, nodes.astype(np.int32))


def _listed_faces(
    arrays: VtkFile, held: dict[str, ElementTree.Element], shape: NDArray[np.int8], points: int
) -> Stream:
    """The faces of polyhedra as version 2.3 of the format lists them: faces by their nodes, cells
    by their faces."""
    nodes, ends, listed, cell_ends = (
        arrays.read(held[name]).astype(np.int64)
        for name in (
            "face_connectivity", "face_offsets", "polyhedron_to_faces", "polyhedron_offsets",
        )
    )  # fmt: skip
    start, cell_start = (np.concatenate([[0], e]) for e in (ends, cell_ends))
    if len(cell_start) != len(shape) + 1 or cell_start[-1] != len(listed):
        raise ValueError("the lists of faces do not fit the cells")
    if start[-1] != len(nodes) or (np.diff(start) < 3).any() or (np.diff(cell_start) < 0).any():
        raise ValueError("the faces of a polyhedron are cut short")
    if len(listed) and not 0 <= listed.min() <= listed.max() < len(start) - 1:
        raise ValueError("cells name faces that do not exist")
    if len(nodes) and not 0 <= nodes.min() <= nodes.max() < points:
        raise ValueError("faces name points that do not exist")
    count = np.diff(cell_start)
    if (count[shape == POLYHEDRON] < 4).any() or count[shape != POLYHEDRON].any():
        raise ValueError("a polyhedron has fewer than four faces")
    face_start, face_nodes = rows(start, nodes, listed)
    return Stream(count, face_start, face_nodes.astype(np.int32))


def _about(
    arrays: VtkFile, held: dict[str, ElementTree.Element], cells: int
) -> tuple[Polygons, tuple[Patch, ...], tuple[Zone, ...], NDArray[np.int32], str, list[int]]:
    """Patches and zones that a file written here tells of, unit, and patches of sheets' sides."""
    none = np.zeros(cells, np.int32)
    if _ABOUT not in held:
        return NO_POLYGONS, (), (Zone("fluid"),), none, "m", []
    about = json.loads(bytes(arrays.read(held[_ABOUT]).tobytes()).decode())
    patches = tuple(Patch(str(n), k if k in PATCH_KINDS else "wall") for n, k in about["patches"])
    zones = tuple(Zone(str(n), k if k in ZONE_KINDS else "fluid") for n, k in about["zones"])
    zone = arrays.read(held["zone"]).astype(np.int32)
    start, nodes, patch = (
        arrays.read(held[f"boundary_{n}"]).astype(np.int64) for n in ("offsets", "nodes", "patch")
    )
    if len(zone) != cells or (len(zone) and not 0 <= zone.min() <= zone.max() < len(zones)):
        raise ValueError("cells name zones that do not exist")
    if len(start) != len(patch) + 1 or start[-1] != len(nodes) or (np.diff(start) < 3).any():
        raise ValueError("the boundary's faces are cut short")
    if len(patch) and not 0 <= patch.min() <= patch.max() < len(patches):
        raise ValueError("faces name patches that do not exist")
    surface = Polygons(start, nodes.astype(np.int32), patch.astype(np.int32))
    sides = [k for k in about.get("sides", []) if isinstance(k, int)]
    return surface, patches, zones, zone, str(about["unit"]), sides


FORMAT = MeshFormat(
    "VTU",
    (".vtu",),
    read_vtu,
    lambda mesh, path, metrics, case=None: write_vtu(mesh, path, metrics),
    lambda mesh, path, metrics, case=None: vtu_differences(mesh, path, metrics),
)
