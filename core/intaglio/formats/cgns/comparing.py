"""A file that was written against the mesh and the case that were meant.

The file is taken apart with the reader's own functions and compared number by number, to the last
bit: points, cells, the faces of patches and how they look, what zones share, periodic pairs with
how they are carried, and every value of the case.
"""

from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Any

import h5py
import numpy as np
from numpy.typing import NDArray

from intaglio.case.setup import CaseSetup
from intaglio.formats.cgns.case_reading import CaseTold, PatchTold, ZoneTold, case_told
from intaglio.formats.cgns.conditions import (
    Values,
    condition_data,
    condition_type,
    equations_of,
    frame_of,
    state_of,
)
from intaglio.formats.cgns.reading import (
    Unusable,
    ZoneRead,
    conditions_of,
    links_of,
    read_zone,
    unit_of,
)
from intaglio.formats.cgns.spellings import UNITS, children
from intaglio.formats.cgns.writing import (
    condition_order,
    numbered_elements,
    outward_nodes,
    standard_unit,
)
from intaglio.mesh.cells import POLYHEDRON
from intaglio.mesh.mesh import Longs, Mesh, rows
from intaglio.mesh.polygons import find_polygons


def cgns_differences(mesh: Mesh, path: Path, case: CaseSetup | None = None) -> Iterator[str]:
    """What a file says that was not meant, in words; nothing where it says what was meant."""
    try:
        yield from _differences(mesh, path, case)
    except Unusable as error:
        yield str(error)


def _differences(mesh: Mesh, path: Path, case: CaseSetup | None) -> Iterator[str]:
    unit, scale = standard_unit(mesh.unit)
    with h5py.File(path, "r") as file:
        base = next(children(file["/"], "CGNSBase_t"))
        if UNITS[unit_of(base)] != unit:
            yield f"lengths are in {unit_of(base)}"
        groups = list(children(base, "Zone_t"))
        zones = [read_zone(group) for group in groups]
        titles = [(z.title, z.kind) for z in zones]
        if titles != [(z.name, z.kind) for z in mesh.zones]:
            yield "other zones"
            return
        faces = []
        for number, zone in enumerate(zones):
            yield from _cells_differ(mesh, number, zone, scale)
            faces.append(_faces_of_polygons(mesh, number, zone))
            yield from _patches_differ(mesh, number, zone, groups[number], faces[-1])
        yield from _links_differ(mesh, groups, zones, faces, scale)
        if case is not None:
            yield from _case_differs(case_told(base), case_meant(mesh, case))


def _used(mesh: Mesh, zone: int) -> tuple[Longs, Longs, NDArray[np.int32], Longs]:
    """Cells of a zone, offsets and nodes of them, and the nodes in the order of the file."""
    cells = np.flatnonzero(mesh.zone == zone)
    start, nodes = rows(mesh.cell_start, mesh.cell_nodes, cells)
    held = np.zeros(len(mesh.points), bool)
    held[nodes] = True
    return cells, start, nodes, np.flatnonzero(held)


def _cells_differ(mesh: Mesh, number: int, zone: ZoneRead, scale: float) -> Iterator[str]:
    cells, _, nodes, used = _used(mesh, number)
    if not np.array_equal(zone.points, mesh.points[used] * scale):
        yield f"points of zone {zone.title}"
        return
    shapes = np.concatenate(zone.shapes) if zone.shapes else np.zeros(0, np.int8)
    if not zone.cells_of_faces:
        if not np.array_equal(shapes, mesh.shape[cells]):
            yield f"shapes of cells in zone {zone.title}"
        elif not np.array_equal(used[np.concatenate(zone.nodes)], nodes):
            yield f"nodes of cells in zone {zone.title}"
        return
    if not (shapes == POLYHEDRON).all() or len(shapes) != len(cells):
        yield f"cells of zone {zone.title}"
        return
    # written by faces: every face of every cell, and whether it looks out of the cell
    start, signed = zone.cells_of_faces[0]
    inward = signed < 0
    face = _faces_of_polygons(mesh, number, zone)[np.where(inward, ~signed, signed)]
    cell = cells[np.repeat(np.arange(len(cells)), np.diff(start))]
    behind = np.where(inward, mesh.neighbour[face], mesh.owner[face])
    beyond = mesh.neighbour[mesh.neighbour >= 0]
    own = int((mesh.zone[mesh.owner] == number).sum() + (mesh.zone[beyond] == number).sum())
    if (face < 0).any() or (behind != cell).any() or len(face) != own:
        yield f"faces of cells in zone {zone.title}"


def _faces_of_polygons(mesh: Mesh, number: int, zone: ZoneRead) -> Longs:
    """The mesh's face that each polygon of a file's zone is, -1 where it is none."""
    used = _used(mesh, number)[3]
    out = np.full(len(zone.polygons.start) - 1, -1, np.int64)
    if not len(out) or len(used) != len(zone.points):
        return out
    nodes = used[zone.polygons.nodes].astype(np.int32)
    beyond = np.where(mesh.neighbour >= 0, mesh.zone[mesh.neighbour], -1)
    at = (mesh.zone[mesh.owner] == number) | (beyond == number)
    if not zone.cells_of_faces:
        at &= mesh.patch >= 0
    candidates = np.flatnonzero(at)
    given = find_polygons(zone.polygons.start, nodes, mesh.face_start, mesh.face_nodes, candidates)
    out[given[given >= 0]] = candidates[given >= 0]
    return out


def _patches_differ(
    mesh: Mesh, number: int, zone: ZoneRead, group: h5py.Group, faces: Longs
) -> Iterator[str]:
    told = {patch.name: (patch.kind, polygons) for patch, polygons in conditions_of(zone, group)}
    used = _used(mesh, number)[3]
    meant = numbered_elements(mesh, number).of_patch
    if set(told) != {mesh.patches[k].name for k in meant}:
        yield f"other patches at zone {zone.title}"
        return
    for k, own in meant.items():
        patch = mesh.patches[k]
        kind, polygons = told[patch.name]
        if kind != patch.kind:
            yield f"kind of patch {patch.name}"
        if not np.array_equal(np.sort(faces[polygons]), own):
            yield f"faces of patch {patch.name} at zone {zone.title}"
        elif not zone.cells_of_faces:
            start, nodes = rows(zone.polygons.start, zone.polygons.nodes, polygons)
            outward = outward_nodes(mesh, faces[polygons], number)
            same = np.array_equal(start, outward[0]) and np.array_equal(used[nodes], outward[1])
            if not same:
                yield f"which way the faces of patch {patch.name} look at zone {zone.title}"


def _links_differ(
    mesh: Mesh, groups: list[h5py.Group], zones: list[ZoneRead], faces: list[Longs], scale: float
) -> Iterator[str]:
    """Faces that zones share must be the same ones; periodic ones those that were meant."""
    shared: set[int] = set()
    told: dict[tuple[int, int], tuple[NDArray[Any], NDArray[Any]]] = {}
    for number, group in enumerate(groups):
        for link in links_of(number, group, zones):
            own, other = faces[link.zone][link.polygons], faces[link.other][link.donors]
            if link.carried is not None:
                told |= dict.fromkeys(zip(own.tolist(), other.tolist(), strict=True), link.carried)
            elif np.array_equal(own, other):
                shared |= set(own.tolist())
            else:
                yield f"what {zones[link.zone].title} and {zones[link.other].title} share"
    inner = np.flatnonzero((mesh.neighbour >= 0) & (mesh.patch >= 0))
    between = inner[mesh.zone[mesh.owner[inner]] != mesh.zone[mesh.neighbour[inner]]]
    if shared != set(between.tolist()):
        yield "faces that zones share"
    meant = 0
    for pair in mesh.periodic:
        turn, shift = pair.turn, pair.shift * scale
        carried = ((turn, shift), (turn.T, -turn.T @ shift))
        meant += 2 * len(pair.faces)
        for one, other in pair.faces.tolist():
            for key, (t, s) in (((one, other), carried[0]), ((other, one), carried[1])):
                found = told.get(key)
                if found is None or not (
                    np.array_equal(found[0], t) and np.array_equal(found[1], s)
                ):
                    yield "how a periodic pair is carried"
                    return
    if meant != len(told):
        yield "periodic pairs"


def case_meant(mesh: Mesh, case: CaseSetup) -> CaseTold:
    """What a file of the mesh has to tell of the case."""
    zones = {}
    for zone in case.zones:
        models = equations_of(zone, case) if zone.kind == "fluid" else {}
        constants: Values = {}
        for _, own in models.values():
            constants |= own
        zones[zone.name] = ZoneTold(
            zone.material,
            _numbers(state_of(zone)),
            {kind: word for kind, (word, _) in models.items()},
            _numbers(constants),
            *(frame_of(zone.frame) if zone.frame is not None else ()),
        )
    held = {patch.name: patch for patch in case.patches}
    patches = {}
    for number, zone_ in enumerate(mesh.zones):
        own_elements = numbered_elements(mesh, number)
        for k in own_elements.of_patch:
            patch = held[mesh.patches[k].name]
            order = condition_order(mesh, k, own_elements)
            fixed, passing = condition_data(mesh, k, patch, case, order)
            patches[zone_.name, patch.name] = PatchTold(
                condition_type(patch, case.heat),
                patch.condition or "none",
                _numbers(fixed),
                _numbers(passing),
            )
    return CaseTold(case.steady, np.array(case.gravity, "<f4"), zones, patches)


def _numbers(values: Values) -> dict[str, NDArray[np.float64]]:
    return {name: np.atleast_1d(np.asarray(v, "<f8")) for name, (v, _) in values.items()}


def _case_differs(told: CaseTold, meant: CaseTold) -> Iterator[str]:
    if told.steady != meant.steady:
        yield "whether time counts"
    if not np.array_equal(told.gravity, meant.gravity):
        yield "gravity"
    if set(told.zones) != set(meant.zones) or set(told.patches) != set(meant.patches):
        yield "zones or patches of the case"
        return
    for name, zone in meant.zones.items():
        own = told.zones[name]
        if (own.material, own.words) != (zone.material, zone.words):
            yield f"material or equations of zone {name}"
        yield from _values_differ(f"zone {name}", own.state, zone.state)
        yield from _values_differ(f"zone {name}", own.constants, zone.constants)
        for one, other in ((own.centre, zone.centre), (own.rate, zone.rate)):
            if (one is None) != (other is None) or (
                one is not None and other is not None and not np.array_equal(one, other)
            ):
                yield f"how zone {name} turns"
    for (zone_name, name), patch in meant.patches.items():
        held = told.patches[zone_name, name]
        if (held.type, held.condition) != (patch.type, patch.condition):
            yield f"the condition of patch {name}"
        yield from _values_differ(f"patch {name}", held.fixed, patch.fixed)
        yield from _values_differ(f"patch {name}", held.passing, patch.passing)


def _values_differ(
    what: str,
    told: Mapping[str, NDArray[np.float64]],
    meant: Mapping[str, NDArray[np.float64]],
) -> Iterator[str]:
    for name in sorted(set(told) ^ set(meant)):
        yield f"{name} of {what}"
    for name in sorted(set(told) & set(meant)):
        if not np.array_equal(told[name], meant[name], equal_nan=True):
            yield f"{name} of {what}"
