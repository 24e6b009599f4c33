"""Reading a mesh from CGNS: standard cells, mixed sections, polyhedra, patches, zones, pairs."""

from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import h5py
import numpy as np
from numpy.typing import NDArray

from intaglio.errors import FileRejected, StepFailed
from intaglio.formats.cgns.spellings import (
    KIND_TO_TYPE,
    MIXED,
    NFACE,
    NGON,
    NODES_OF_TYPE,
    SHAPE_OF_TYPE,
    SIDES,
    TYPE_TO_KIND,
    UNITS,
    children,
    name_of,
    text,
)
from intaglio.mesh.building import NO_POLYGONS, Polygons, Stream, cell_mesh
from intaglio.mesh.cells import POLYHEDRON
from intaglio.mesh.mesh import (
    ZONE_KINDS,
    Mesh,
    Patch,
    Periodic,
    Zone,
    following,
    ragged_mean,
    rows,
    turned_rows,
)
from intaglio.mesh.periodic import paired
from intaglio.mesh.polygons import find_polygons
from intaglio.mesh.recognising import with_standard_shapes
from intaglio.mesh.sheets import with_sheets_among

Longs = NDArray[np.int64]


class Unusable(Exception):
    """What is wrong with the file, in words."""


@dataclass
class ZoneRead:
    """One zone as read: cells, their shapes and nodes; the faces of polyhedra; surface polygons
    with the element number of each; node numbers from 0."""

    title: str
    kind: str
    points: NDArray[np.float64]
    shapes: list[NDArray[np.int8]] = field(default_factory=list)
    starts: list[Longs] = field(default_factory=list)
    nodes: list[NDArray[np.int32]] = field(default_factory=list)
    cells_of_faces: list[tuple[Longs, Longs]] = field(default_factory=list)
    polygons: Polygons = NO_POLYGONS
    element: Longs = field(default_factory=lambda: np.zeros(0, np.int64))

    def polygon_of(self, elements: Longs) -> Longs:
        """Numbers of the polygons with these element numbers."""
        order = np.argsort(self.element)
        at = np.minimum(np.searchsorted(self.element[order], elements), max(len(order) - 1, 0))
        if not len(order) or (self.element[order][at] != elements).any():
            raise Unusable(f"a patch of zone {self.title} names elements that are no faces")
        return order[at]


def read_cgns(path: Path) -> Mesh:
    """Read cells, patches and zones of a file.

    Faces without a patch come on one called `boundary`. Raises FileRejected with what is wrong.
    """
    try:
        with h5py.File(path, "r") as file:
            return _read(file, path.name)
    except Unusable as error:
        raise FileRejected("not-cgns", f"{path.name} cannot be used: {error}.") from error
    except StepFailed as error:
        raise FileRejected(
            error.code, f"{path.name} cannot be used: {error.message}", error.places
        ) from error
    except (OSError, KeyError, ValueError, TypeError, IndexError, RuntimeError) as error:
        raise FileRejected(
            "not-cgns", f"{path.name} is not a CGNS file with a mesh that can be read ({error})."
        ) from error


def _data(group: h5py.Group) -> NDArray[Any]:
    return np.asarray(group[" data"][()]).ravel()


def _read(file: h5py.File, name: str) -> Mesh:
    base = next(children(file["/"], "CGNSBase_t"), None)
    if base is None:
        raise Unusable("it has no base")
    unit = unit_of(base)
    groups = list(children(base, "Zone_t"))
    zones = [read_zone(group) for group in groups]
    if not zones or not sum(len(s) for z in zones for s in z.shapes):
        raise FileRejected("no-cells", f"{name} holds no cells.")
    shift = np.cumsum([0] + [len(z.points) for z in zones])
    listed = [conditions_of(zone, group) for zone, group in zip(zones, groups, strict=True)]
    patches = _in_order([patch for own in listed for patch, _ in own], base)
    names = [p.name for p in patches]
    surface = NO_POLYGONS
    for k, (zone, own_patches) in enumerate(zip(zones, listed, strict=True)):
        for patch, polygon in own_patches:
            number = names.index(patch.name)
            start, nodes = rows(zone.polygons.start, zone.polygons.nodes, polygon)
            own = np.full(len(polygon), number, np.int32)
            surface = surface + Polygons(start, (nodes + shift[k]).astype(np.int32), own)
    links = [link for k, g in enumerate(groups) for link in links_of(k, g, zones)]
    points, join = _welded(zones, shift, [link for link in links if link.carried is None])
    mesh = _whole(zones, shift, join, points, surface, patches, unit)
    pairs = [link for link in links if link.carried is not None]
    mesh = _with_pairs(mesh, pairs, zones, shift, join)
    two_sided = [k for k, p in enumerate(mesh.patches) if p.name in _two_sided(base)]
    return with_sheets_among(mesh, two_sided)


def _two_sided(base: h5py.Group) -> set[str]:
    """Names of the families whose faces lie on each other."""
    return {
        name_of(family)
        for family in children(base, "Family_t")
        if any(name_of(d) == SIDES for d in children(family, "Descriptor_t"))
    }


def _in_order(found: list[Patch], base: h5py.Group) -> list[Patch]:
    """Each patch once, in the order of the base's families where it names them."""
    once = list({p.name: p for p in reversed(found)}.values())[::-1]
    families = [name_of(f) for f in children(base, "Family_t")]
    return sorted(
        once, key=lambda p: families.index(p.name) if p.name in families else len(families)
    )


def unit_of(base: h5py.Group) -> str:
    held = next(children(base, "DimensionalUnits_t"), None)
    if held is None:
        return "m"
    word = bytes(_data(held).astype(np.int8).tobytes()).decode("ascii", "replace")[32:64]
    return next((k for k, v in UNITS.items() if v == word.strip("\0 ")), "m")


def read_zone(group: h5py.Group) -> ZoneRead:
    grid = next(children(group, "GridCoordinates_t"), None)
    if grid is None:
        raise Unusable(f"zone {name_of(group)} has no coordinates")
    told = next((text(d) for d in children(group, "Descriptor_t") if name_of(d) == "Kind"), "")
    axes = [_data(grid[f"Coordinate{a}"]).astype(np.float64) for a in "XYZ"]
    if len({len(a) for a in axes}) != 1:
        raise Unusable(f"zone {name_of(group)} has coordinates of different lengths")
    zone = ZoneRead(name_of(group), told if told in ZONE_KINDS else "fluid", np.stack(axes, axis=1))
    late = []
    for section in children(group, "Elements_t"):
        kind = int(_data(section)[0])
        first = int(_data(section["ElementRange"])[0])
        nodes = _data(section["ElementConnectivity"]).astype(np.int64)
        if kind == NFACE:
            late.append((_offsets(section, nodes), nodes))
        elif kind == NGON:
            _add_polygons(zone, first, _offsets(section, nodes), nodes)
        elif kind == MIXED:
            _mixed(zone, first, section, nodes)
        elif kind in NODES_OF_TYPE:
            size = NODES_OF_TYPE[kind]
            if len(nodes) % size:
                raise Unusable(f"section {name_of(section)} is cut short")
            start = np.arange(len(nodes) // size + 1, dtype=np.int64) * size
            if kind in SHAPE_OF_TYPE:
                shape = np.full(len(start) - 1, SHAPE_OF_TYPE[kind], np.int8)
                _add_cells(zone, shape, start, nodes)
            else:
                _add_polygons(zone, first, start, nodes)
        else:
            raise Unusable(
                f"section {name_of(section)} has elements of type {kind}, which are not read"
            )
    for start, faces in late:
        _polyhedra(zone, start, faces)
    return zone


def _offsets(section: h5py.Group, nodes: Longs) -> Longs:
    if "ElementStartOffset" not in section:
        raise Unusable(f"section {name_of(section)} is written as before version 3.4")
    start = _data(section["ElementStartOffset"]).astype(np.int64)
    if len(start) < 2 or start[0] != 0 or start[-1] != len(nodes) or (np.diff(start) < 1).any():
        raise Unusable(f"the offsets of section {name_of(section)} do not fit its elements")
    return start


def _checked(zone: ZoneRead, nodes: Longs) -> NDArray[np.int32]:
    """Node numbers from 0. Raises Unusable if one is out of range."""
    if len(nodes) and (nodes.min() < 1 or nodes.max() > len(zone.points)):
        raise Unusable(
            f"elements of zone {zone.title} name nodes beyond its {len(zone.points):,} points"
        )
    return (nodes - 1).astype(np.int32)


def _add_cells(zone: ZoneRead, shape: NDArray[np.int8], start: Longs, nodes: Longs) -> None:
    zone.shapes.append(shape)
    zone.starts.append(start)
    zone.nodes.append(_checked(zone, nodes))


def _add_polygons(zone: ZoneRead, first: int, start: Longs, nodes: Longs) -> None:
    if (np.diff(start) < 3).any():
        raise Unusable(f"zone {zone.title} has faces with fewer than three nodes")
    none = np.zeros(len(start) - 1, np.int32)
    zone.polygons = zone.polygons + Polygons(start, _checked(zone, nodes), none)
    zone.element = np.concatenate([zone.element, first + np.arange(len(start) - 1)])


def _mixed(zone: ZoneRead, first: int, section: h5py.Group, nodes: Longs) -> None:
    start = _offsets(section, nodes)
    types = nodes[start[:-1]]
    if not np.isin(types, list(NODES_OF_TYPE)).all():
        raise Unusable(f"section {name_of(section)} has elements of a type that is not read")
    if (np.diff(start) - 1 != np.array([NODES_OF_TYPE.get(t, 0) for t in range(24)])[types]).any():
        raise Unusable(f"the offsets of section {name_of(section)} do not fit its elements")
    bare = np.ones(len(nodes), bool)
    bare[start[:-1]] = False
    plain_start, plain = start - np.arange(len(start)), nodes[bare]
    solid = np.isin(types, list(SHAPE_OF_TYPE))
    if solid.any():
        shape = np.array([SHAPE_OF_TYPE.get(t, -1) for t in range(24)], np.int8)[types[solid]]
        _add_cells(zone, shape, *rows(plain_start, plain, np.flatnonzero(solid)))
    if (~solid).any():
        own = np.flatnonzero(~solid)
        own_start, own_nodes = rows(plain_start, plain, own)
        before = zone.element
        _add_polygons(zone, 0, own_start, own_nodes)
        zone.element = np.concatenate([before, first + own])


def _polyhedra(zone: ZoneRead, start: Longs, faces: Longs) -> None:
    """Cells by the numbers of their faces; negative ones look into the cell."""
    polygon = zone.polygon_of(np.abs(faces))
    size = np.diff(start)
    if (size < 4).any():
        raise Unusable(f"zone {zone.title} has cells with fewer than four faces")
    outward = faces > 0
    if outward.all():
        outward = _outward(zone, start, polygon)
    signed = np.where(outward, polygon, ~polygon)
    face_start, face_nodes = rows(zone.polygons.start, zone.polygons.nodes, polygon)
    cell = np.repeat(np.arange(len(size)), size)
    of_node = np.repeat(cell, np.diff(face_start))
    # the nodes of each cell, each once
    pairs = np.unique(of_node.astype(np.int64) * len(zone.points) + face_nodes)
    count = np.bincount(pairs // len(zone.points), minlength=len(size))
    zone.shapes.append(np.full(len(size), POLYHEDRON, np.int8))
    zone.starts.append(np.concatenate([[0], np.cumsum(count)]))
    zone.nodes.append((pairs % len(zone.points)).astype(np.int32))
    zone.cells_of_faces.append((start, signed))


def _outward(zone: ZoneRead, start: Longs, polygon: Longs) -> NDArray[np.bool_]:
    """Which faces of cells look out of them, where the file gives no signs: by place."""
    face_start, nodes = rows(zone.polygons.start, zone.polygons.nodes, polygon)
    middle = ragged_mean(face_start, zone.points[nodes])
    cell = np.repeat(np.arange(len(start) - 1), np.diff(start))
    centre = ragged_mean(start, middle)[cell]
    after = following(face_start, nodes)
    row = np.repeat(np.arange(len(polygon)), np.diff(face_start))
    cross = np.cross(zone.points[nodes] - middle[row], zone.points[after] - middle[row])
    normal = np.add.reduceat(cross, face_start[:-1], axis=0)
    return np.einsum("ij,ij->i", normal, middle - centre) > 0


def conditions_of(zone: ZoneRead, group: h5py.Group) -> list[tuple[Patch, Longs]]:
    """Patches of a zone, and the polygons of each."""
    out = []
    for conditions in children(group, "ZoneBC_t"):
        for condition in children(conditions, "BC_t"):
            told = [text(d) for d in children(condition, "Descriptor_t")]
            kind = next((t for t in told if t in KIND_TO_TYPE), None)
            kind = kind or TYPE_TO_KIND.get(text(condition), "wall")
            elements = _listed(condition)
            if elements is not None:
                out.append((Patch(name_of(condition), kind), zone.polygon_of(elements)))
    return out


def _listed(condition: h5py.Group) -> Longs | None:
    """Element numbers of a condition by range or list."""
    for name in ("PointRange", "ElementRange"):
        if name in condition:
            low, high = (int(v) for v in _data(condition[name])[:2])
            if high < low or high - low > 2**31:
                raise Unusable(f"the range of patch {name_of(condition)} runs backward")
            return np.arange(low, high + 1)
    for name in ("PointList", "ElementList"):
        if name in condition:
            return _data(condition[name]).astype(np.int64)
    return None


@dataclass(frozen=True)
class Link:
    """Polygons of one zone that are polygons of another; carried: (turn, shift) if periodic."""

    zone: int
    polygons: Longs
    other: int
    donors: Longs
    carried: tuple[NDArray[np.float64], NDArray[np.float64]] | None


def links_of(number: int, group: h5py.Group, zones: list[ZoneRead]) -> list[Link]:
    titles = [z.title for z in zones]
    out = []
    for held in children(group, "ZoneGridConnectivity_t"):
        for link in children(held, "GridConnectivity_t"):
            donor = text(link).rsplit("/", 1)[-1]
            if donor not in titles or not {"PointList", "PointListDonor"} <= set(link):
                continue
            own = _data(link["PointList"]).astype(np.int64)
            theirs = _data(link["PointListDonor"]).astype(np.int64)
            if len(own) != len(theirs):
                raise Unusable(f"connection {name_of(link)} joins lists of different lengths")
            other = titles.index(donor)
            out.append(
                Link(
                    number,
                    zones[number].polygon_of(own),
                    other,
                    zones[other].polygon_of(theirs),
                    _carried(link),
                )
            )
    return out


def _carried(link: h5py.Group) -> tuple[NDArray[np.float64], NDArray[np.float64]] | None:
    from scipy.spatial.transform import Rotation

    told = [text(d) for d in children(link, "Descriptor_t") if name_of(d) == "Carried"]
    if told:
        numbers = np.array([float(v) for v in told[0].split()])
        if len(numbers) == 12 and np.isfinite(numbers).all():
            return numbers[:9].reshape(3, 3), numbers[9:]
    for held in children(link, "GridConnectivityProperty_t"):
        for moved in children(held, "Periodic_t"):
            values = [
                _data(moved[n]).astype(np.float64)
                for n in ("RotationCenter", "RotationAngle", "Translation")
            ]
            if any(len(v) != 3 for v in values):
                raise Unusable(f"connection {name_of(link)} has a turn without three numbers")
            turn = Rotation.from_euler("xyz", values[1], degrees=True).as_matrix()
            return turn, values[0] - turn @ values[0] + values[2]
    return None


def _welded(
    zones: list[ZoneRead], shift: Longs, links: list[Link]
) -> tuple[NDArray[np.float64], Longs]:
    """Points of all zones, those of linked faces joined, and the new number of each old one."""
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components
    from scipy.spatial import cKDTree

    points = np.concatenate([z.points for z in zones])
    ends: list[Longs] = [np.zeros((0, 2), np.int64)]
    for link in links:
        one, other = (
            np.unique(rows(z.polygons.start, z.polygons.nodes, p)[1])
            for z, p in ((zones[link.zone], link.polygons), (zones[link.other], link.donors))
        )
        apart, found = cKDTree(zones[link.other].points[other]).query(zones[link.zone].points[one])
        near = 1e-9 * float(np.ptp(points, axis=0).max())
        same = apart <= near
        pairs = [one[same] + shift[link.zone], other[found[same]] + shift[link.other]]
        ends.append(np.stack(pairs, axis=1))
    joined = np.concatenate(ends)
    if not len(joined):
        return points, np.arange(len(points))
    n = len(points)
    graph = coo_matrix((np.ones(len(joined), bool), (joined[:, 0], joined[:, 1])), shape=(n, n))
    label = connected_components(graph, directed=False)[1]
    # numbers in the order in which the points stand in the file
    _, first = np.unique(label, return_index=True)
    place = np.empty(len(first), np.int64)
    place[np.argsort(first)] = np.arange(len(first))
    return points[np.sort(first)], place[label]


def _whole(
    zones: list[ZoneRead],
    shift: Longs,
    join: Longs,
    points: NDArray[np.float64],
    surface: Polygons,
    patches: list[Patch],
    unit: str,
) -> Mesh:
    """All zones as one mesh."""
    shape, nodes, start, zone_of = [], [], [np.zeros(1, np.int64)], []
    face_count, face_start, face_nodes = [], [np.zeros(1, np.int64)], []
    end = face_end = 0
    for k, zone in enumerate(zones):
        lists = iter(zone.cells_of_faces)
        for own_shape, own_start, own_nodes in zip(
            zone.shapes, zone.starts, zone.nodes, strict=True
        ):
            shape.append(own_shape)
            nodes.append(join[own_nodes + shift[k]])
            start.append(end + own_start[1:])
            end += int(own_start[-1])
            zone_of.append(np.full(len(own_shape), k, np.int32))
            if not len(own_shape) or own_shape[0] != POLYHEDRON:
                face_count.append(np.zeros(len(own_shape), np.int64))
                continue
            cell_start, signed = next(lists)
            inward = signed < 0
            polygon = np.where(inward, ~signed, signed)
            own, held = rows(zone.polygons.start, zone.polygons.nodes, polygon)
            held = turned_rows(own, held, inward)
            face_count.append(np.diff(cell_start))
            face_start.append(face_end + own[1:])
            face_nodes.append(join[held + shift[k]])
            face_end += int(own[-1])
    stream = Stream(
        np.concatenate(face_count),
        np.concatenate(face_start),
        np.concatenate([np.zeros(0, np.int64), *face_nodes]).astype(np.int32),
    )
    every = tuple(patches)
    mesh = cell_mesh(
        np.ascontiguousarray(points),
        np.concatenate(shape),
        np.concatenate(start),
        np.concatenate(nodes).astype(np.int32),
        Polygons(surface.start, join[surface.nodes].astype(np.int32), surface.patch),
        every,
        np.concatenate(zone_of),
        tuple(Zone(z.title, z.kind) for z in zones),
        unit,
        stream,
    )
    return with_standard_shapes(mesh)


def _with_pairs(
    mesh: Mesh, links: list[Link], zones: list[ZoneRead], shift: Longs, join: Longs
) -> Mesh:
    """The mesh with its periodic pairs, one for each way in which links carry faces; what is told
    once more from the other side is left out."""
    import dataclasses

    pairs: list[Periodic] = []
    told: set[int] = set()
    rim = np.flatnonzero(mesh.neighbour < 0)
    for link in links:
        assert link.carried is not None
        sides = []
        for z, polygon in ((link.zone, link.polygons), (link.other, link.donors)):
            start, nodes = rows(zones[z].polygons.start, zones[z].polygons.nodes, polygon)
            found = np.full(len(polygon), -1, np.int64)
            at = find_polygons(start, join[nodes + shift[z]], mesh.face_start, mesh.face_nodes, rim)
            found[at[at >= 0]] = rim[at >= 0]
            sides.append(found)
        faces = np.stack(sides, axis=1)
        if (faces < 0).any():
            raise Unusable("a periodic connection names faces that are not on the boundary")
        key = faces[:, 0] * mesh.faces + faces[:, 1]
        back = faces[:, 1] * mesh.faces + faces[:, 0]
        fresh = np.array([k not in told and b not in told for k, b in zip(key, back, strict=True)])
        if not fresh.any():
            continue
        told |= set(key[fresh].tolist())
        faces = faces[fresh].astype(np.int32)
        turn, move = link.carried
        for k, pair in enumerate(pairs):
            if np.array_equal(pair.turn, turn) and np.array_equal(pair.shift, move):
                pairs[k] = Periodic(np.concatenate([pair.faces, faces]), turn, move)
                break
            # from the other side, to rounding
            size = 1e-9 * (1.0 + float(np.abs(pair.shift).max()))
            if np.allclose(turn, pair.turn.T, atol=1e-9) and np.allclose(
                turn @ pair.shift, -move, atol=size
            ):
                both = np.concatenate([pair.faces, faces[:, ::-1]])
                pairs[k] = Periodic(both, pair.turn, pair.shift)
                break
        else:
            pairs.append(Periodic(faces, turn, move))
    # by place, where that is told apart: not every program lists both sides in one order
    matched = [paired(mesh, np.unique(p.faces), p.turn, p.shift) or p for p in pairs]
    ordered = [dataclasses.replace(p, faces=p.faces[np.argsort(p.faces[:, 0])]) for p in matched]
    return dataclasses.replace(mesh, periodic=tuple(ordered))
