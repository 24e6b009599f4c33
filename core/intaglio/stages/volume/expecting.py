"""What the proof of a mesh may hold it against: the given triangles exactly, a surface within a
distance, or what was made by counts."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from intaglio.findings import PLACES, Finding
from intaglio.mesh.covering import surface_findings
from intaglio.mesh.mesh import Mesh, fan, rows
from intaglio.numeric.boxtree import beyond, box_tree

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]
# what is lost of a volume by arithmetic alone
_SAME_VOLUME = 1e-9


class Expected(Protocol):
    """What a way says of its mesh, so that it can be proved.

    origin (n,): the node that each of the mesh's was before it was cut open along sheets, back
    (patches,): the patch on the other side of each sheet or -1; None where nothing was cut open.
    """

    def findings(self, mesh: Mesh, origin: NDArray[np.int64] | None, back: Ints) -> list[Finding]:
        """What of the mesh is not as expected."""
        ...

    def fills(self, zone: str, volume: float) -> bool:
        """Whether a zone may have this volume."""
        ...


@dataclass(frozen=True)
class AsLarge:
    """Zones of these volumes, by name; same: whether these must be met to rounding."""

    volumes: Mapping[str, float]
    same: bool = True

    def findings(self, mesh: Mesh, origin: NDArray[np.int64] | None, back: Ints) -> list[Finding]:
        return []

    def fills(self, zone: str, volume: float) -> bool:
        wanted = self.volumes.get(zone)
        if wanted is None or not self.same:
            return True
        return abs(volume - wanted) <= _SAME_VOLUME * wanted


@dataclass(frozen=True)
class Exactly:
    """The given triangles (k, 3) of points (n, 3) with their patch (k,), each once, whole or split;
    zones as large as they enclose. given (nodes,): the given point that each node of the mesh is,
    or -1; None where the given points are the mesh's first. behind (patches,): the zone that each
    patch bounds with its back; volumes: of zones, by name; same: whether these must be met to
    rounding (not where a diagonal of the surface was changed)."""

    points: Floats
    triangles: Ints
    patch: Ints
    behind: Ints
    given: Ints | None
    volumes: Mapping[str, float]
    same: bool = True

    def findings(self, mesh: Mesh, origin: NDArray[np.int64] | None, back: Ints) -> list[Finding]:
        seen = mesh
        if self.given is not None:
            given = self.given if origin is None else self.given[origin]
            seen = _given_first(mesh, self.points, given)
            origin = None if origin is None else np.arange(len(seen.points))
        return surface_findings(
            seen, self.points, self.triangles, self.patch, self.behind, origin, back
        )

    def fills(self, zone: str, volume: float) -> bool:
        return AsLarge(self.volumes, self.same).fills(zone, volume)


def _given_first(mesh: Mesh, points: Floats, given: Ints) -> Mesh:
    """The mesh with the surface's points first, so that it can be held against the surface."""
    n = len(points)
    number = np.where(given >= 0, given, n + np.arange(len(given))).astype(np.int32)
    return replace(
        mesh,
        points=np.concatenate([points, mesh.points]),
        face_nodes=number[mesh.face_nodes],
    )


@dataclass(frozen=True)
class Within:
    """Each patch within a distance of the triangles (k, 3) of points (n, 3) that are its own (patch
    (k,)), and they within the distance of it; zones as large as they enclose, to what lies within
    the distance of their surface."""

    points: Floats
    triangles: Ints
    patch: Ints
    distance: float
    volumes: Mapping[str, float]

    def findings(self, mesh: Mesh, origin: NDArray[np.int64] | None, back: Ints) -> list[Finding]:
        faces = np.flatnonzero(mesh.patch >= 0)
        made, polygon = fan(*rows(mesh.face_start, mesh.face_nodes, faces))
        own = mesh.patch[faces][polygon]
        far: list[Floats] = []
        # the back of a sheet lies where its front does
        front = {int(back[k]): k for k in np.flatnonzero(back >= 0)}
        for k in range(len(mesh.patches)):
            here, there = made[own == k], self.triangles[self.patch == front.get(k, k)]
            if not len(here) or not len(there):
                far += [mesh.points[here].mean(axis=1), self.points[there].mean(axis=1)]
                continue
            far.append(_farther(self.distance, mesh.points, here, self.points, there))
            far.append(_farther(self.distance, self.points, there, mesh.points, here))
        places = np.concatenate(far) if far else np.zeros((0, 3))
        if not len(places):
            return []
        return [
            Finding(
                "surface-off",
                "error",
                f"The mesh lies farther than {self.distance:.3g} {mesh.unit} from its surface.",
                len(places),
                places[:PLACES].tolist(),
                "Shorter edges there follow the surface more closely.",
            )
        ]

    def fills(self, zone: str, volume: float) -> bool:
        wanted = self.volumes.get(zone)
        if wanted is None:
            return True
        p = self.points[self.triangles]
        area = 0.5 * np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1).sum()
        return abs(volume - wanted) <= self.distance * area


def _farther(
    distance: float, points: Floats, triangles: Ints, others: Floats, surface: Ints
) -> Floats:
    """Corners and middles of triangles (k, 3) that lie farther from a surface (m, 3) of other
    points."""
    tree = box_tree(others, np.ascontiguousarray(surface), np.zeros(len(surface), np.int32))
    spots = np.concatenate([points[np.unique(triangles)], points[triangles].mean(axis=1)])
    return spots[beyond(tree, spots, np.full(len(spots), distance))]


@dataclass(frozen=True)
class Counted:
    """So many faces (patches,) on each patch, made by counts; nothing is said of volumes."""

    faces: NDArray[np.int64]

    def findings(self, mesh: Mesh, origin: NDArray[np.int64] | None, back: Ints) -> list[Finding]:
        there = np.bincount(mesh.patch[mesh.patch >= 0], minlength=len(self.faces))
        wrong = np.flatnonzero(there != self.faces)
        return [
            Finding(
                "count-off",
                "error",
                f"Patch {mesh.patches[k].name} has {there[k]:,} faces where {self.faces[k]:,} were "
                "laid out.",
            )
            for k in wrong
        ]

    def fills(self, zone: str, volume: float) -> bool:
        return True
