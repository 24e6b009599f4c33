"""The boundary's faces alone, as CGNS: a base of two cell dimensions, a zone for each patch."""

from collections.abc import Iterator
from pathlib import Path

import h5py
import numpy as np
from numpy.typing import NDArray

from intaglio.formats.cgns.reading import read_zone, unit_of
from intaglio.formats.cgns.spellings import (
    QUAD_4,
    TRI_3,
    UNITS,
    children,
    name_of,
    node,
    root,
    units,
)
from intaglio.formats.cgns.writing import elements_node, standard_unit, write_coordinates
from intaglio.mesh.mesh import Longs, Mesh, fan, rows


def write_surface(mesh: Mesh, path: Path, base: str = "Intaglio") -> None:
    """Write the faces of every patch, out of the fluid: triangles, then quadrilaterals; wider faces
    are split into triangles."""
    unit, scale = standard_unit(mesh.unit)
    with h5py.File(path, "w", libver="earliest", track_order=True) as file:
        root(file)
        top = node(file["/"], base, "CGNSBase_t", np.array([2, 3], "<i4"))
        units(top, unit)
        for k, patch in enumerate(mesh.patches):
            triangles, quads, used = _of_patch(mesh, k)
            count = len(triangles) + len(quads)
            if not count:
                continue
            size = np.array([[len(used)], [count], [0]], "<i4")
            group = node(top, patch.name, "Zone_t", size)
            node(group, "ZoneType", "ZoneType_t", "Unstructured")
            node(group, "Kind", "Descriptor_t", patch.kind)
            write_coordinates(group, mesh.points[used] * scale)
            first = 1
            for title, kind, own in (("Triangles", TRI_3, triangles), ("Quads", QUAD_4, quads)):
                if len(own):
                    elements_node(group, title, kind, len(own), own + 1, first)
                    first += len(own)


def surface_differences(mesh: Mesh, path: Path) -> Iterator[str]:
    """What a file says else than the faces of the mesh, in words."""
    unit, scale = standard_unit(mesh.unit)
    with h5py.File(path, "r") as file:
        base = next(children(file["/"], "CGNSBase_t"))
        if UNITS[unit_of(base)] != unit:
            yield f"lengths are in {unit_of(base)}"
        told = {name_of(group): group for group in children(base, "Zone_t")}
        held = [k for k in range(len(mesh.patches)) if (mesh.patch == k).any()]
        if set(told) != {mesh.patches[k].name for k in held}:
            yield "other patches"
            return
        for k in held:
            name = mesh.patches[k].name
            zone = read_zone(told[name])
            triangles, quads, used = _of_patch(mesh, k)
            nodes = np.concatenate([triangles.ravel(), quads.ravel()])
            if not np.array_equal(zone.points, mesh.points[used] * scale):
                yield f"points of patch {name}"
            elif not np.array_equal(zone.polygons.nodes, nodes):
                yield f"faces of patch {name}"


def _of_patch(mesh: Mesh, patch: int) -> tuple[NDArray[np.int32], NDArray[np.int32], Longs]:
    """Triangles (t, 3) and quadrilaterals (q, 4) of a patch by the points (n,) that they use."""
    faces = np.flatnonzero(mesh.patch == patch)
    size = np.diff(mesh.face_start)[faces]
    quads = rows(mesh.face_start, mesh.face_nodes, faces[size == 4])[1].reshape(-1, 4)
    rest = rows(mesh.face_start, mesh.face_nodes, faces[size != 4])
    triangles = fan(*rest)[0].reshape(-1, 3)
    used = np.unique(np.concatenate([triangles.ravel(), quads.ravel()])).astype(np.int64)
    local = np.zeros(len(mesh.points), np.int32)
    local[used] = np.arange(len(used))
    return local[triangles], local[quads], used
