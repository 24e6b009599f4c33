"""What a case needs to know of the mesh: where patches lie, how wide zones are, the first cells."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from intaglio.mesh.mesh import Floats, Longs, Mesh, cell_middles, fan, rows


@dataclass(frozen=True)
class PatchFaces:
    """The faces (k,) of a patch, as triangles (m, 3) of the mesh's nodes that each belong to one of
    them, face (m,); their area vectors (m, 3) out of the owner in unit²."""

    faces: Longs
    triangles: NDArray[np.int32]
    face: Longs
    vectors: Floats

    def normals(self) -> Floats:
        """Unit normals (k, 3) of the faces, out of the owner; zero of one without an area."""
        total = np.zeros((len(self.faces), 3))
        np.add.at(total, self.face, self.vectors)
        length = np.linalg.norm(total, axis=1, keepdims=True)
        out: Floats = np.divide(total, length, out=np.zeros_like(total), where=length > 0)
        return out


def patch_faces(mesh: Mesh, patch: int) -> PatchFaces:
    """The faces of a patch, by its number."""
    faces = np.flatnonzero(mesh.patch == patch)
    start, nodes = rows(mesh.face_start, mesh.face_nodes, faces)
    triangles, face = fan(start, nodes)
    p = mesh.points[triangles]
    vectors = 0.5 * np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    return PatchFaces(faces, triangles, face, vectors)


def zones_of_patches(mesh: Mesh) -> list[list[str]]:
    """The names of the zones that each patch bounds, in their order."""
    out = []
    for k in range(len(mesh.patches)):
        at = mesh.patch == k
        beyond = mesh.neighbour[at]
        sides = np.concatenate([mesh.owner[at], beyond[beyond >= 0]])
        out.append([mesh.zones[z].name for z in np.unique(mesh.zone[sides])])
    return out


def first_distances(mesh: Mesh) -> dict[str, float]:
    """Of each wall with faces the median distance, in the mesh's unit, of the centroid of the cell
    behind a face from the face's plane."""
    out = {}
    for k, patch in enumerate(mesh.patches):
        own = patch_faces(mesh, k)
        if patch.kind != "wall" or not len(own.faces):
            continue
        first = np.zeros(len(own.faces), np.int64)
        first[own.face[::-1]] = own.triangles[::-1, 0]
        away = cell_middles(mesh, mesh.owner[own.faces]) - mesh.points[first]
        out[patch.name] = float(np.median(np.abs((away * own.normals()).sum(axis=1))))
    return out


def zone_widths(
    zones: Mapping[str, Mapping[str, Any]], patches: Sequence[Mapping[str, Any]]
) -> dict[str, float]:
    """4V/A of each zone in the mesh's unit; zones with volume, patches with area and zones."""
    out = {}
    for name, zone in zones.items():
        area = sum(p["area"] for p in patches if name in p["zones"])
        out[name] = 4.0 * zone["volume"] / area if area > 0 else 0.0
    return out
