"""Unstructured grids of the Visualization Toolkit's open XML format (.vtu), polyhedra included.

Written with raw appended data in double precision. What the format has no place for, patches,
zones and the unit, stands in its field data: a JSON text and the boundary's faces.
"""

import base64
import json
import struct
import zlib
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

import numpy as np
from numba import njit
from numpy.typing import NDArray

from intaglio.errors import FileRejected, StepFailed
from intaglio.formats.format import MeshFormat
from intaglio.mesh.building import NO_POLYGONS, Polygons, Stream, cell_mesh, faces_around
from intaglio.mesh.cells import HEXAHEDRON, POLYHEDRON, PRISM, PYRAMID, SHAPES, TETRAHEDRON
from intaglio.mesh.mesh import PATCH_KINDS, ZONE_KINDS, Mesh, Patch, Zone, rows, turned_rows
from intaglio.mesh.recognising import with_standard_shapes
from intaglio.mesh.sheets import patches_of_sheets, with_sheets_among

_TYPE = {TETRAHEDRON: 10, HEXAHEDRON: 12, PRISM: 13, PYRAMID: 14, POLYHEDRON: 42}
_SHAPE = {v: k for k, v in _TYPE.items()}
_ABOUT = "intaglio_json"
_KINDS = {
    "Int8": "i1", "UInt8": "u1", "Int16": "i2", "UInt16": "u2", "Int32": "i4", "UInt32": "u4",
    "Int64": "i8", "UInt64": "u8", "Float32": "f4", "Float64": "f8",
}  # fmt: skip


def vtu_bytes(mesh: Mesh, cell_data: dict[str, NDArray[np.float64]]) -> bytes:
    """The mesh's cells with named cell data (c,), in double precision."""
    blocks: list[bytes] = []
    offset = 0

    def array(name: str, kind: str, data: NDArray[Any], components: int = 1, more: str = "") -> str:
        nonlocal offset
        raw = np.ascontiguousarray(data).tobytes()
        blocks.append(struct.pack("<Q", len(raw)) + raw)
        text = (
            f'<DataArray type="{kind}" Name="{name}" NumberOfComponents="{components}" '
            f'{more}format="appended" offset="{offset}"/>'
        )
        offset += len(raw) + 8
        return text

    def field(name: str, kind: str, data: NDArray[Any]) -> str:
        return array(name, kind, data, 1, f'NumberOfTuples="{len(data)}" ')

    about = {
        "unit": mesh.unit,
        "patches": [[p.name, p.kind] for p in mesh.patches],
        "zones": [[z.name, z.kind] for z in mesh.zones],
        # patches with faces that lie on each other, the sides of walls without a thickness
        "sides": patches_of_sheets(mesh),
    }
    held = np.flatnonzero(mesh.patch >= 0)
    start, nodes = rows(mesh.face_start, mesh.face_nodes, held)
    polyhedra = []
    if (mesh.shape == POLYHEDRON).any():
        faces, where = _face_stream(mesh)
        polyhedra = [array("faces", "Int64", faces), array("faceoffsets", "Int64", where)]
    types = np.array([_TYPE[k] for k in range(len(SHAPES))], np.uint8)
    head = [
        '<?xml version="1.0"?>',
        '<VTKFile type="UnstructuredGrid" version="1.0" byte_order="LittleEndian" '
        'header_type="UInt64"><UnstructuredGrid><FieldData>',
        field(_ABOUT, "UInt8", np.frombuffer(json.dumps(about).encode(), np.uint8)),
        field("boundary_offsets", "Int64", start.astype("<i8")),
        field("boundary_nodes", "Int32", nodes.astype("<i4")),
        field("boundary_patch", "Int32", mesh.patch[held].astype("<i4")),
        f'</FieldData><Piece NumberOfPoints="{len(mesh.points)}" NumberOfCells="{mesh.cells}">',
        "<Points>",
        array("Points", "Float64", mesh.points.astype("<f8"), 3),
        "</Points><Cells>",
        array("connectivity", "Int64", mesh.cell_nodes.astype("<i8")),
        array("offsets", "Int64", mesh.cell_start[1:].astype("<i8")),
        array("types", "UInt8", types[mesh.shape]),
        *polyhedra,
        "</Cells><CellData>",
        array("zone", "Int32", mesh.zone.astype("<i4")),
        *(array(name, "Float64", data.astype("<f8")) for name, data in cell_data.items()),
        "</CellData></Piece></UnstructuredGrid>",
        '<AppendedData encoding="raw">_',
    ]
    return "\n".join(head).encode() + b"".join(blocks) + b"\n</AppendedData></VTKFile>\n"


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
        data = path.read_bytes()
        return _read(data, path.name)
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


class _Arrays:
    """The data arrays of a file: inline as text or base64, or appended raw or as base64."""

    def __init__(self, data: bytes) -> None:
        head, mark, tail = data.partition(b"<AppendedData")
        self.appended, self.raw = b"", True
        if mark:
            told, _, rest = tail.partition(b">")
            self.raw = b"base64" not in told
            self.appended = rest[rest.index(b"_") + 1 :]
            head += b"</VTKFile>"
        self.root = ElementTree.fromstring(head)
        if self.root.get("type") != "UnstructuredGrid":
            raise ValueError("its type is not UnstructuredGrid")
        self.order = ">" if self.root.get("byte_order") == "BigEndian" else "<"
        self.head = np.dtype(
            self.order + ("u8" if self.root.get("header_type") == "UInt64" else "u4")
        )
        self.compressed = self.root.get("compressor")
        if self.compressed not in (None, "vtkZLibDataCompressor"):
            raise ValueError(f"its data are compressed by {self.compressed}")

    def read(self, element: ElementTree.Element) -> NDArray[Any]:
        kind = np.dtype(self.order + _KINDS[element.get("type", "")])
        how = element.get("format")
        if how == "ascii":
            return np.array((element.text or "").split(), dtype=kind)
        if how == "appended":
            at = int(element.get("offset", "0"))
            if at < 0 or at > len(self.appended):
                raise ValueError("data lie beyond the end of the file")
            source = self.appended[at:] if not self.raw else memoryview(self.appended)[at:]
        else:
            source = (element.text or "").strip().encode()
        raw = self._block(source, how == "appended" and self.raw)
        return np.frombuffer(raw, kind, len(raw) // kind.itemsize)

    def _block(self, source: Any, raw: bool) -> bytes:
        size = self.head.itemsize

        def piece(start: int, length: int) -> bytes:
            if not raw:
                return base64.b64decode(source)[start : start + length]
            out = bytes(source[start : start + length])
            if len(out) < length:
                raise ValueError("the file is cut short")
            return out

        if not self.compressed:
            if not raw:
                # the head is encoded together with the data
                source = _base64_run(bytes(source))
            (length,) = np.frombuffer(piece(0, size), self.head)
            out = piece(size, int(length))
            if len(out) < int(length):
                raise ValueError("the file is cut short")
            return out
        return self._inflated(source, raw, size)

    def _inflated(self, source: Any, raw: bool, size: int) -> bytes:
        if not raw:
            # head and blocks are two runs of base64
            text = bytes(source)
            count = int(np.frombuffer(base64.b64decode(text[: 4 * ((size + 2) // 3) ])[:size],
                                      self.head)[0])  # fmt: skip
            length = 4 * ((size * (3 + count) + 2) // 3)
            head = base64.b64decode(text[:length])
            body = base64.b64decode(_base64_run(text[length:]))
        else:
            count = int(np.frombuffer(bytes(source[:size]), self.head)[0])
            head = bytes(source[: size * (3 + count)])
            body = source[size * (3 + count) :]
        sizes = np.frombuffer(head, self.head, count, 3 * size).astype(np.int64)
        ends = np.cumsum(sizes)
        return b"".join(
            zlib.decompress(bytes(body[e - s : e])) for s, e in zip(sizes, ends, strict=True)
        )


def _base64_run(text: bytes) -> bytes:
    """The first run of base64 characters of a text that may go on with something else."""
    end = next((i for i, c in enumerate(text) if c in b"<\n \t_"), len(text))
    return text[:end]


def _read(data: bytes, name: str) -> Mesh:
    arrays = _Arrays(data)
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
    known = np.isin(types, list(_SHAPE))
    if not known.all():
        raise FileRejected(
            "unknown-cells",
            f"{name} has cells of type {types[~known][0]}, which are not read.",
        )
    if not len(types):
        raise FileRejected("no-cells", f"{name} holds no cells.")
    shape = np.array([_SHAPE.get(k, -1) for k in range(43)], np.int8)[types]
    start = np.concatenate([[0], arrays.read(held["offsets"]).astype(np.int64)])
    nodes = arrays.read(held["connectivity"])
    if len(start) != len(shape) + 1 or start[-1] != len(nodes) or (np.diff(start) < 4).any():
        raise ValueError("the offsets do not fit the cells")
    wanted = np.array([s.nodes for s in SHAPES])[shape]
    if ((np.diff(start) != wanted) & (shape != POLYHEDRON)).any():
        raise ValueError("a cell has another number of nodes than its type")
    if len(nodes) and (nodes.min() < 0 or nodes.max() >= len(points)):
        raise ValueError("cells name points that do not exist")
    stream = None
    if (shape == POLYHEDRON).any():
        if "polyhedron_offsets" in held:
            stream = _listed_faces(arrays, held, shape, len(points))
        else:
            where = arrays.read(held["faceoffsets"]).astype(np.int64)
            faces = arrays.read(held["faces"]).astype(np.int64)
            stream = _stream(faces, where, shape, len(points))
    surface, patches, zones, zone, unit, sides = _about(arrays, held, len(shape))
    mesh = cell_mesh(
        points, shape, start, nodes.astype(np.int32), surface, patches, zone, zones, unit, stream
    )
    mesh = with_standard_shapes(mesh)
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
    arrays: _Arrays, held: dict[str, ElementTree.Element], shape: NDArray[np.int8], points: int
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
    arrays: _Arrays, held: dict[str, ElementTree.Element], cells: int
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
    "VTU", (".vtu",), read_vtu, lambda mesh, metrics, case=None: vtu_bytes(mesh, metrics)
)
