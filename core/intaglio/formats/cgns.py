"""CGNS files (AIAA R-101A) in HDF5: one base, one unstructured zone per mesh zone.

Only this module knows the standard's spellings. The layout of nodes in HDF5 follows the standard's
"SIDS File Mapping Manual" (HDF5 chapter): every node is a group with attributes name, label, type
and flags; its data is a dataset called ` data` with dimensions in Fortran order.
"""

import tempfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import h5py
import numpy as np
from numpy.typing import NDArray

from intaglio.errors import FileRejected
from intaglio.mesh.mesh import Mesh, Patch, Zone, tet_mesh

_VERSION = 3.4
_TETRA_4, _TRI_3 = 10, 5
_KIND_TO_TYPE = {
    "wall": "BCWall",
    "inlet": "BCInflow",
    "outlet": "BCOutflow",
    "symmetry": "BCSymmetryPlane",
    "far_field": "BCFarfield",
    "opening": "BCGeneral",
    "periodic": "UserDefined",
    "interface": "UserDefined",
    "flat": "UserDefined",
    "wedge": "BCAxisymmetricWedge",
}
_TYPE_TO_KIND = {v: k for k, v in _KIND_TO_TYPE.items()}
# the standard's length units; others are scaled to metres
_UNITS = {
    "m": "Meter",
    "cm": "Centimeter",
    "mm": "Millimeter",
    "in": "Inch",
    "ft": "Foot",
}
_TYPES = {"C1": "|i1", "I4": "<i4", "I8": "<i8", "R4": "<f4", "R8": "<f8"}


def _text_attribute(group: h5py.Group, name: str, value: str, length: int) -> None:
    kind = h5py.h5t.C_S1.copy()
    kind.set_size(length)
    kind.set_strpad(h5py.h5t.STR_NULLTERM)
    space = h5py.h5s.create(h5py.h5s.SCALAR)
    attribute = h5py.h5a.create(group.id, name.encode(), kind, space)
    attribute.write(np.array(value.encode()[: length - 1], dtype=f"S{length}"))


def _node(
    parent: h5py.Group, name: str, label: str, data: NDArray[Any] | str | None = None
) -> h5py.Group:
    group = parent.create_group(name, track_order=True)
    kind = "MT"
    if isinstance(data, str):
        data = np.frombuffer(data.encode(), np.int8)
        kind = "C1"
    if data is not None:
        if kind == "MT":
            kind = {"i4": "I4", "i8": "I8", "f8": "R8", "f4": "R4"}[data.dtype.str[1:]]
        group.create_dataset(" data", data=data)
    _text_attribute(group, "name", name, 33)
    _text_attribute(group, "label", label, 33)
    _text_attribute(group, "type", kind, 3)
    group.attrs.create("flags", np.array([1], np.int32))
    return group


def _root(file: h5py.File) -> None:
    _text_attribute(file["/"], "name", "HDF5 MotherNode", 33)
    _text_attribute(file["/"], "label", "Root Node of HDF5 File", 33)
    _text_attribute(file["/"], "type", "MT", 3)
    file["/"].create_dataset(" format", data=np.frombuffer(b"IEEE_LITTLE_32\0", np.int8))
    version = np.zeros(33, np.int8)
    text = f"HDF5 Version {h5py.version.hdf5_version}".encode()
    version[: len(text)] = np.frombuffer(text, np.int8)
    file["/"].create_dataset(" hdf5version", data=version)
    _node(file["/"], "CGNSLibraryVersion", "CGNSLibraryVersion_t", np.array([_VERSION], "<f4"))


def _padded(text: str) -> str:
    return text.ljust(32)


def write_cgns(mesh: Mesh, path: Path, base: str = "Intaglio") -> None:
    """Write a mesh: tetrahedra, boundary triangles by patch, boundary conditions, units."""
    unit, scale = (_UNITS[mesh.unit], 1.0) if mesh.unit in _UNITS else ("Meter", 1e-6)
    points = mesh.points * scale  # µm, which the standard does not know, become metres
    with h5py.File(path, "w", libver="earliest", track_order=True) as file:
        _root(file)
        top = _node(file["/"], base, "CGNSBase_t", np.array([3, 3], "<i4"))
        units = "".join(_padded(u) for u in ("Kilogram", unit, "Second", "Kelvin", "Degree"))
        _node(top, "DataClass", "DataClass_t", "Dimensional")
        node = _node(top, "DimensionalUnits", "DimensionalUnits_t")
        node.create_dataset(" data", data=np.frombuffer(units.encode(), np.int8).reshape(5, 32))
        node.attrs.modify("type", np.array(b"C1", dtype="S3"))
        sections = [_sections(mesh, k) for k in range(len(mesh.zones))]
        for number, zone in enumerate(mesh.zones):
            _write_zone(top, mesh, points, number, zone, sections)


def _sections(mesh: Mesh, zone: int) -> dict[int, tuple[int, NDArray[np.int64]]]:
    """Per patch at a zone: number of its first element there, and its faces in the mesh."""
    first = int((mesh.zone == zone).sum()) + 1
    beyond = np.where(mesh.neighbour >= 0, mesh.zone[mesh.neighbour], -1)
    at = (mesh.zone[mesh.owner] == zone) | (beyond == zone)
    out = {}
    for k in range(len(mesh.patches)):
        faces = np.flatnonzero((mesh.patch == k) & at)
        if len(faces):
            out[k] = first, faces
            first += len(faces)
    return out


def _write_zone(
    top: h5py.Group,
    mesh: Mesh,
    points: NDArray[np.float64],
    number: int,
    zone: Zone,
    sections: list[dict[int, tuple[int, NDArray[np.int64]]]],
) -> None:
    cells = np.flatnonzero(mesh.zone == number)
    used = np.zeros(len(points), bool)
    used[mesh.tets[cells].ravel()] = True
    local = np.cumsum(used).astype(np.int32)  # numbers from 1
    size = np.array([[int(used.sum())], [len(cells)], [0]], "<i4")
    group = _node(top, zone.name, "Zone_t", size)
    _node(group, "ZoneType", "ZoneType_t", "Unstructured")
    coordinates = _node(group, "GridCoordinates", "GridCoordinates_t")
    for i, axis in enumerate("XYZ"):
        values = np.ascontiguousarray(points[used, i])
        node = _node(coordinates, f"Coordinate{axis}", "DataArray_t", values)
        exponents = np.array([0, 1, 0, 0, 0], "<f8")
        _node(node, "DimensionalExponents", "DimensionalExponents_t", exponents)
    _section(group, "Cells", _TETRA_4, local[mesh.tets[cells]], 1)
    conditions = _node(group, "ZoneBC", "ZoneBC_t")
    links = None
    for k, (first, faces) in sections[number].items():
        patch = mesh.patches[k]
        # outward from this zone
        nodes = mesh.face_nodes[faces]
        turned = mesh.zone[mesh.owner[faces]] != number
        nodes[turned] = nodes[turned][:, ::-1]
        _section(group, patch.name, _TRI_3, local[nodes], first)
        condition = _node(conditions, patch.name, "BC_t", _KIND_TO_TYPE[patch.kind])
        # kinds that the standard has no word for are told apart by this
        _node(condition, "Kind", "Descriptor_t", patch.kind)
        span = np.array([[first], [first + len(faces) - 1]], "<i4")
        _node(condition, "PointRange", "IndexRange_t", span)
        _node(condition, "GridLocation", "GridLocation_t", "FaceCenter")
        _node(condition, "FamilyName", "FamilyName_t", patch.name)
        if patch.name not in top:
            family = _node(top, patch.name, "Family_t")
            _node(family, "FamilyBC", "FamilyBC_t", _KIND_TO_TYPE[patch.kind])
        for other in range(len(mesh.zones)):
            if other == number or k not in sections[other]:
                continue
            shared = np.intersect1d(faces, sections[other][k][1])
            if not len(shared):
                continue
            if links is None:
                links = _node(group, "ZoneGridConnectivity", "ZoneGridConnectivity_t")
            own = first + np.searchsorted(faces, shared)
            donor = sections[other][k][0] + np.searchsorted(sections[other][k][1], shared)
            _link(
                links, f"{patch.name}_{mesh.zones[other].name}"[:32], mesh.zones[other], own, donor
            )


def _link(
    links: h5py.Group, name: str, zone: Zone, own: NDArray[np.int64], donor: NDArray[np.int64]
) -> None:
    """Faces of this zone that are faces of another one."""
    link = _node(links, name, "GridConnectivity_t", zone.name)
    _node(link, "GridConnectivityType", "GridConnectivityType_t", "Abutting1to1")
    _node(link, "GridLocation", "GridLocation_t", "FaceCenter")
    _node(link, "PointList", "IndexArray_t", own.astype("<i4")[:, None])
    _node(link, "PointListDonor", "IndexArray_t", donor.astype("<i4")[:, None])


def _section(
    group: h5py.Group, name: str, shape: int, nodes: NDArray[np.int32], first: int
) -> None:
    section = _node(group, name, "Elements_t", np.array([shape, 0], "<i4"))
    span = np.array([first, first + len(nodes) - 1], "<i4")
    _node(section, "ElementRange", "IndexRange_t", span)
    _node(section, "ElementConnectivity", "DataArray_t", nodes.astype("<i4").ravel())


def cgns_bytes(mesh: Mesh) -> bytes:
    """The file as bytes."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "mesh.cgns"
        write_cgns(mesh, path)
        return path.read_bytes()


def _label(group: h5py.Group) -> str:
    value = group.attrs.get("label", b"")
    return value.decode() if isinstance(value, bytes) else str(value)


def _children(group: h5py.Group, label: str) -> Iterator[h5py.Group]:
    for child in group.values():
        if isinstance(child, h5py.Group) and _label(child) == label:
            yield child


def _text(group: h5py.Group) -> str:
    return bytes(group[" data"][()].astype(np.int8).tobytes()).decode().strip("\0 ")


def read_cgns(path: Path) -> Mesh:
    """Read tetrahedra, patches and zones of a file like those written here.

    Raises FileRejected if it is no such file.
    """
    try:
        with h5py.File(path, "r") as file:
            return _read(file, path.name)
    except (OSError, KeyError, ValueError, StopIteration, IndexError) as error:
        raise FileRejected(
            "not-cgns", f"{path.name} is not a CGNS file with a tetrahedral mesh ({error})."
        ) from error


def _read(file: h5py.File, name: str) -> Mesh:
    base = next(_children(file["/"], "CGNSBase_t"))
    unit = "m"
    if "DimensionalUnits" in base:
        raw = bytes(base["DimensionalUnits"][" data"][()].astype(np.int8).tobytes()).decode()
        word = raw[32:64].strip("\0 ")
        unit = next((k for k, v in _UNITS.items() if v == word), "m")
    points, tets, zone_of, zones = [], [], [], []
    triangles, triangle_patch = [], []
    patches: list[Patch] = []
    shift = 0
    for number, group in enumerate(_children(base, "Zone_t")):
        grid = next(_children(group, "GridCoordinates_t"))
        xyz = np.stack([grid[f"Coordinate{a}"][" data"][()] for a in "XYZ"], axis=1)
        zones.append(Zone(group.name.split("/")[-1]))
        sections = {}
        for section in _children(group, "Elements_t"):
            shape = int(section[" data"][0])
            span = section["ElementRange"][" data"][()].ravel()
            nodes = section["ElementConnectivity"][" data"][()]
            if shape == _TETRA_4:
                cells = nodes.reshape(-1, 4) - 1 + shift
                tets.append(cells)
                zone_of.append(np.full(len(cells), number, np.int32))
            elif shape == _TRI_3:
                sections[int(span[0])] = nodes.reshape(-1, 3) - 1 + shift
        for conditions in _children(group, "ZoneBC_t"):
            for condition in _children(conditions, "BC_t"):
                title = condition.name.split("/")[-1]
                told = [_text(d) for d in _children(condition, "Descriptor_t")]
                kind = next((t for t in told if t in _KIND_TO_TYPE), None)
                kind = kind or _TYPE_TO_KIND.get(_text(condition), "wall")
                span = condition["PointRange"][" data"][()].ravel()
                names = [p.name for p in patches]
                if title not in names:
                    patches.append(Patch(title, kind))
                    names.append(title)
                faces = sections[int(span[0])]
                triangles.append(faces)
                triangle_patch.append(np.full(len(faces), names.index(title), np.int32))
        points.append(xyz)
        shift += len(xyz)
    if not tets:
        raise FileRejected("no-cells", f"{name} holds no tetrahedra.")
    return tet_mesh(
        np.concatenate(points),
        np.concatenate(tets).astype(np.int32),
        np.concatenate(triangles).astype(np.int32) if triangles else np.zeros((0, 3), np.int32),
        np.concatenate(triangle_patch) if triangle_patch else np.zeros(0, np.int32),
        tuple(patches),
        np.concatenate(zone_of),
        tuple(zones),
        unit,
    )
