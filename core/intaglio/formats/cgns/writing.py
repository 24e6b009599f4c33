"""Writing a mesh as CGNS."""

from dataclasses import dataclass
from pathlib import Path
from typing import Any

import h5py
import numpy as np
from numpy.typing import NDArray

from intaglio.case.setup import CaseSetup
from intaglio.formats.cgns.conditions import (
    condition_type,
    write_case,
    write_condition,
    write_zone_case,
)
from intaglio.formats.cgns.spellings import (
    KIND_TO_TYPE,
    MIXED,
    NFACE,
    NGON,
    QUAD_4,
    SIDES,
    TRI_3,
    TYPE_OF_SHAPE,
    UNITS,
    node,
    root,
    units,
)
from intaglio.mesh.building import faces_around
from intaglio.mesh.cells import POLYHEDRON
from intaglio.mesh.mesh import Mesh, Zone, face_sizes, rows, turned_rows
from intaglio.mesh.sheets import patches_of_sheets

Longs = NDArray[np.int64]


@dataclass(frozen=True)
class Numbered:
    """How one zone's elements are numbered: the mesh's faces that are elements there, sorted, and
    the element number of each; per patch the sorted faces."""

    faces: Longs
    number: Longs
    of_patch: dict[int, Longs]

    def elements(self, faces: Longs) -> Longs:
        return self.number[np.searchsorted(self.faces, faces)]


def write_cgns(
    mesh: Mesh, path: Path, base: str = "Intaglio", case: CaseSetup | None = None
) -> None:
    """Write a mesh: cells by shape, boundary faces by patch, boundary conditions, units.

    A zone with polyhedra is written by its faces; its other cells are then polyhedra too. With a
    case, its equations, materials and conditions stand with the zones and patches.
    """
    unit, scale = standard_unit(mesh.unit)
    points = mesh.points if scale == 1.0 else mesh.points * scale
    with h5py.File(path, "w", libver="earliest", track_order=True) as file:
        root(file)
        top = node(file["/"], base, "CGNSBase_t", np.array([3, 3], "<i4"))
        units(top, unit)
        if case is not None:
            write_case(top, case)
        # in the order of the patches, which a reader may want to keep
        two_sided = patches_of_sheets(mesh)
        for k, patch in enumerate(mesh.patches):
            family = node(top, patch.name, "Family_t")
            node(family, "FamilyBC", "FamilyBC_t", KIND_TO_TYPE[patch.kind])
            if k in two_sided:
                node(family, SIDES, "Descriptor_t", "sides of walls without a thickness")
        numbered = [numbered_elements(mesh, k) for k in range(len(mesh.zones))]
        for number, zone in enumerate(mesh.zones):
            _write_zone(top, mesh, points, number, zone, numbered, scale, case)


def standard_unit(unit: str) -> tuple[str, float]:
    """The standard's word for a unit of length, and the factor that brings lengths to it: µm, which
    it does not know, become metres."""
    return (UNITS[unit], 1.0) if unit in UNITS else (UNITS["m"], 1e-6)


def _beyond(mesh: Mesh) -> NDArray[np.int32]:
    return np.where(mesh.neighbour >= 0, mesh.zone[mesh.neighbour], -1)


def numbered_elements(mesh: Mesh, zone: int) -> Numbered:
    """Numbers of the elements at a zone: cells first, then the faces of its patches in order; or,
    where it has polyhedra, all its faces first and then the cells."""
    at = (mesh.zone[mesh.owner] == zone) | (_beyond(mesh) == zone)
    of_patch = {
        k: own
        for k in range(len(mesh.patches))
        if len(own := np.flatnonzero((mesh.patch == k) & at))
    }
    if written_by_faces(mesh, zone):
        faces = np.flatnonzero(at)
        return Numbered(faces, np.arange(1, len(faces) + 1), of_patch)
    first = int((mesh.zone == zone).sum()) + 1
    # within a patch the triangles come first, so that each section is of one type
    size = face_sizes(mesh)
    parts = [own[np.argsort(size[own], kind="stable")] for own in of_patch.values()]
    listed = np.concatenate(parts) if parts else np.zeros(0, np.int64)
    order = np.argsort(listed, kind="stable")
    return Numbered(listed[order], first + order, of_patch)


def written_by_faces(mesh: Mesh, zone: int) -> bool:
    return bool((mesh.shape[mesh.zone == zone] == POLYHEDRON).any())


def _write_zone(
    top: h5py.Group,
    mesh: Mesh,
    points: NDArray[np.float64],
    number: int,
    zone: Zone,
    numbered: list[Numbered],
    scale: float,
    case: CaseSetup | None,
) -> None:
    cells = np.flatnonzero(mesh.zone == number)
    start, nodes = rows(mesh.cell_start, mesh.cell_nodes, cells)
    used = np.zeros(len(points), bool)
    used[nodes] = True
    local = np.cumsum(used).astype(np.int32)  # numbers from 1
    size = np.array([[int(used.sum())], [len(cells)], [0]], "<i4")
    group = node(top, zone.name, "Zone_t", size)
    node(group, "ZoneType", "ZoneType_t", "Unstructured")
    node(group, "Kind", "Descriptor_t", zone.kind)
    write_coordinates(group, points[used])
    own = numbered[number]
    taken = {p.name for p in mesh.patches}
    title = "Cells" if "Cells" not in taken else "Cells_"
    by_faces = written_by_faces(mesh, number)
    if by_faces:
        name = "Faces" if "Faces" not in taken else "Faces_"
        _faces_and_cells(group, mesh, own, cells, local, (name, title))
    else:
        types = np.array([TYPE_OF_SHAPE.get(k, 0) for k in range(5)])[mesh.shape[cells]]
        _section(group, title, types, start, local[nodes], 1)
    if case is not None:
        write_zone_case(group, case.zone(zone.name), case)
    held = {} if case is None else {patch.name: patch for patch in case.patches}
    conditions = node(group, "ZoneBC", "ZoneBC_t")
    for k, faces in own.of_patch.items():
        patch = mesh.patches[k]
        elements = own.elements(faces)
        if not by_faces:
            _patch_sections(group, mesh, patch.name, faces, own, number, local)
        own_case = held.get(patch.name)
        kind = KIND_TO_TYPE[patch.kind]
        if case is not None and own_case is not None:
            kind = condition_type(own_case, case.heat)
        condition = node(conditions, patch.name, "BC_t", kind)
        # kinds that the standard has no word for are told apart by this
        node(condition, "Kind", "Descriptor_t", patch.kind)
        if by_faces:
            node(condition, "PointList", "IndexArray_t", elements.astype("<i4")[:, None])
        else:
            span = np.array([[elements.min()], [elements.max()]], "<i4")
            node(condition, "PointRange", "IndexRange_t", span)
        node(condition, "GridLocation", "GridLocation_t", "FaceCenter")
        node(condition, "FamilyName", "FamilyName_t", patch.name)
        if case is not None and own_case is not None:
            order = condition_order(mesh, k, own)
            write_condition(condition, mesh, k, own_case, case, order)
    _connections(group, mesh, number, numbered, scale)


def write_coordinates(group: h5py.Group, points: NDArray[np.float64]) -> None:
    """The points (n, 3) of a zone."""
    coordinates = node(group, "GridCoordinates", "GridCoordinates_t")
    for i, axis in enumerate("XYZ"):
        values = np.ascontiguousarray(points[:, i])
        held = node(coordinates, f"Coordinate{axis}", "DataArray_t", values)
        exponents = np.array([0, 1, 0, 0, 0], "<f8")
        node(held, "DimensionalExponents", "DimensionalExponents_t", exponents)


def condition_order(mesh: Mesh, patch: int, own: Numbered) -> Longs:
    """Faces of a patch at a zone in the order of their elements, as numbers among all its faces."""
    faces = own.of_patch[patch]
    in_order = faces[np.argsort(own.elements(faces), kind="stable")]
    return np.searchsorted(np.flatnonzero(mesh.patch == patch), in_order)


def _patch_sections(
    group: h5py.Group,
    mesh: Mesh,
    name: str,
    faces: Longs,
    own: Numbered,
    zone: int,
    local: NDArray[np.int32],
) -> None:
    """The faces of a patch, seen outward: a section of triangles and one of quadrilaterals."""
    size = face_sizes(mesh)[faces]
    for n, kind in ((3, TRI_3), (4, QUAD_4)):
        part = faces[size == n]
        if not len(part):
            continue
        title = name if name not in group else f"{name[:30]}_4"
        _, nodes = outward_nodes(mesh, part, zone)
        first = int(own.elements(part)[0])
        elements_node(group, title, kind, len(part), local[nodes], first)


def outward_nodes(mesh: Mesh, faces: Longs, zone: int) -> tuple[Longs, NDArray[np.int32]]:
    """Offsets and nodes of faces, seen outward from a zone."""
    start, nodes = rows(mesh.face_start, mesh.face_nodes, faces)
    turned = mesh.zone[mesh.owner[faces]] != zone
    return start, turned_rows(start, nodes, turned)


def _faces_and_cells(
    group: h5py.Group,
    mesh: Mesh,
    own: Numbered,
    cells: Longs,
    local: NDArray[np.int32],
    titles: tuple[str, str],
) -> None:
    """Sections of polygons and of the cells they bound; a face is negative for a cell that it does
    not look out of."""
    start, nodes = rows(mesh.face_start, mesh.face_nodes, own.faces)
    _offset_section(group, titles[0], NGON, start, local[nodes], 1)
    first, around = faces_around(mesh.owner, mesh.neighbour, mesh.cells)
    cell_start, faces = rows(first, around, cells)
    outward = faces >= 0
    number = own.elements(np.where(outward, faces, ~faces).astype(np.int64))
    signed = np.where(outward, number, -number)
    _offset_section(group, titles[1], NFACE, cell_start, signed, len(own.faces) + 1)


def _section(
    group: h5py.Group, name: str, types: NDArray[Any], start: Longs, nodes: NDArray[Any], first: int
) -> None:
    """Elements of one type, or of several as the standard's mixed section."""
    if (types == types[0]).all():
        elements_node(group, name, int(types[0]), len(types), nodes, first)
        return
    # the type of each element stands before its nodes
    mixed_start = start + np.arange(len(start))
    out = np.empty(mixed_start[-1], "<i4")
    heads = np.zeros(len(out), bool)
    heads[mixed_start[:-1]] = True
    out[heads] = types
    out[~heads] = nodes
    _offset_section(group, name, MIXED, mixed_start, out, first)


def elements_node(
    group: h5py.Group, name: str, kind: int, count: int, nodes: NDArray[Any], first: int
) -> h5py.Group:
    """A section of elements of a type, the first of which has the number `first`."""
    section = node(group, name, "Elements_t", np.array([kind, 0], "<i4"))
    span = np.array([first, first + count - 1], "<i4")
    node(section, "ElementRange", "IndexRange_t", span)
    node(section, "ElementConnectivity", "DataArray_t", nodes.astype("<i4").ravel())
    return section


def _offset_section(
    group: h5py.Group, name: str, kind: int, start: Longs, nodes: NDArray[Any], first: int
) -> None:
    section = elements_node(group, name, kind, len(start) - 1, nodes, first)
    node(section, "ElementStartOffset", "DataArray_t", start.astype("<i4"))


def _connections(
    group: h5py.Group, mesh: Mesh, number: int, numbered: list[Numbered], scale: float
) -> None:
    """Faces of this zone that are faces of another one, or periodic with some."""
    links = None
    own = numbered[number]
    for k, faces in own.of_patch.items():
        for other in range(len(mesh.zones)):
            if other == number or k not in numbered[other].of_patch:
                continue
            shared = np.intersect1d(faces, numbered[other].of_patch[k])
            if len(shared):
                links = links or node(group, "ZoneGridConnectivity", "ZoneGridConnectivity_t")
                name = f"{mesh.patches[k].name}_{mesh.zones[other].name}"[:32]
                _link(links, name, mesh.zones[other], own.elements(shared),
                      numbered[other].elements(shared))  # fmt: skip
    for p, pair in enumerate(mesh.periodic):
        for side in (0, 1):
            one, other_faces = pair.faces[:, side], pair.faces[:, 1 - side]
            zone_of = mesh.zone[mesh.owner[other_faces]]
            here = mesh.zone[mesh.owner[one]] == number
            for other in np.unique(zone_of[here]).tolist():
                at = here & (zone_of == other)
                links = links or node(group, "ZoneGridConnectivity", "ZoneGridConnectivity_t")
                link = _link(
                    links,
                    f"periodic_{p + 1}_{side + 1}_{mesh.zones[other].name}"[:32],
                    mesh.zones[other],
                    own.elements(one[at].astype(np.int64)),
                    numbered[other].elements(other_faces[at].astype(np.int64)),
                )
                turn, shift = pair.turn, pair.shift * scale
                if side:
                    turn, shift = turn.T, -turn.T @ shift
                _periodic(link, turn, shift)


def _link(links: h5py.Group, name: str, zone: Zone, own: Longs, donor: Longs) -> h5py.Group:
    link = node(links, name, "GridConnectivity_t", zone.name)
    node(link, "GridConnectivityType", "GridConnectivityType_t", "Abutting1to1")
    node(link, "GridLocation", "GridLocation_t", "FaceCenter")
    node(link, "PointList", "IndexArray_t", own.astype("<i4")[:, None])
    node(link, "PointListDonor", "IndexArray_t", donor.astype("<i4")[:, None])
    return link


def _periodic(link: h5py.Group, turn: NDArray[np.float64], shift: NDArray[np.float64]) -> None:
    """How this side is carried onto the other. The standard keeps it in single precision: the full
    numbers, turn row by row and then shift, stand beside it as text."""
    from scipy.spatial.transform import Rotation

    held = node(link, "GridConnectivityProperty", "GridConnectivityProperty_t")
    moved = node(held, "Periodic", "Periodic_t")
    angles = Rotation.from_matrix(turn).as_euler("xyz", degrees=True)
    length, angle = (0, 1, 0, 0, 0), (0, 0, 0, 0, 1)
    for name, values, dimension in (
        ("RotationCenter", np.zeros(3), length),
        ("RotationAngle", angles, angle),
        ("Translation", shift, length),
    ):
        data = node(moved, name, "DataArray_t", values.astype("<f4"))
        exponents = np.array(dimension, "<f8")
        node(data, "DimensionalExponents", "DimensionalExponents_t", exponents)
    numbers = " ".join(repr(float(v)) for v in (*turn.ravel(), *shift))
    node(link, "Carried", "Descriptor_t", numbers)
