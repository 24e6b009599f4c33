"""The mesh: faces between cells, patches on the boundary, zones of cells."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]

# nodes of the faces of a tetrahedron, outward by the right-hand rule, opposite nodes 0..3
TET_FACES = np.array([[1, 2, 3], [0, 3, 2], [0, 1, 3], [0, 2, 1]], np.int32)

PATCH_KINDS = (
    "inlet",
    "outlet",
    "opening",
    "wall",
    "symmetry",
    "far_field",
    "periodic",
    "interface",
    "flat",
    "wedge",
)


@dataclass(frozen=True)
class Patch:
    """A named part of the boundary; kind is one of PATCH_KINDS."""

    name: str
    kind: str


@dataclass(frozen=True)
class Zone:
    """A named volume; kind is fluid or solid."""

    name: str
    kind: str = "fluid"


@dataclass(frozen=True)
class Mesh:
    """A tetrahedral mesh by its faces.

    points (n, 3) in `unit`; tets (c, 4) positively oriented; face_nodes (f, 3) outward from owner,
    interior faces first; owner (f,), neighbour (f,) with -1 on the boundary; patch (f,) index into
    patches, -1 inside but for the interfaces between zones; zone (c,) index into zones.
    """

    points: Floats
    tets: Ints
    face_nodes: Ints
    owner: Ints
    neighbour: Ints
    patch: Ints
    zone: Ints
    patches: tuple[Patch, ...]
    zones: tuple[Zone, ...]
    unit: str

    @property
    def interior_faces(self) -> int:
        return int((self.neighbour >= 0).sum())


def faces_of_tets(tets: Ints) -> tuple[Ints, Ints, Ints]:
    """Faces (f, 3) outward from owner, owner (f,), neighbour (f,) or -1; interior faces first.

    A face shared by three or more tetrahedra raises ValueError.
    """
    all_nodes = tets[:, TET_FACES].reshape(-1, 3)
    cell = np.repeat(np.arange(len(tets), dtype=np.int32), 4)
    key = np.sort(all_nodes, axis=1)
    order = np.lexsort((key[:, 2], key[:, 1], key[:, 0]))
    key = key[order]
    same = (key[1:] == key[:-1]).all(axis=1)
    if (same[1:] & same[:-1]).any():
        raise ValueError("a face belongs to three cells")
    first = np.concatenate([same, [False]])
    second = np.concatenate([[False], same])
    inner, outer = order[first], order[second]
    single = order[~(first | second)]
    # the owner is the cell with the lower number
    swap = cell[inner] > cell[outer]
    inner, outer = np.where(swap, outer, inner), np.where(swap, inner, outer)
    nodes = np.concatenate([all_nodes[inner], all_nodes[single]])
    owner = np.concatenate([cell[inner], cell[single]])
    neighbour = np.concatenate([cell[outer], np.full(len(single), -1, np.int32)])
    return nodes.astype(np.int32), owner.astype(np.int32), neighbour.astype(np.int32)


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
    """Mesh from tetrahedra and the surface triangles (k, 3) with their patch (k,).

    Boundary faces are put in the order of their patches. A boundary face that is no given
    triangle gets patch -1, which the validity check reports.
    """
    nodes, owner, neighbour = faces_of_tets(tets)
    n_in = int((neighbour >= 0).sum())
    n = np.int64(len(points))
    cell_zone = np.zeros(len(tets), np.int32) if zone is None else zone

    def keys(t: Ints) -> NDArray[np.int64]:
        s = np.sort(t, axis=1).astype(np.int64)
        return (s[:, 0] * n + s[:, 1]) * n + s[:, 2]

    # products of three node numbers overflow int64 beyond two million nodes
    if len(points) > 2_000_000:
        raise ValueError("meshes of more than two million nodes are not supported yet")
    given = keys(triangles)
    order = np.argsort(given)
    parting = np.flatnonzero((neighbour < 0) | (cell_zone[owner] != cell_zone[neighbour]))
    wanted = keys(nodes[parting])
    spot = np.minimum(np.searchsorted(given[order], wanted), max(len(given) - 1, 0))
    patch = np.full(len(nodes), -1, np.int32)
    if len(given):
        hit = given[order][spot] == wanted
        patch[parting] = np.where(hit, triangle_patch[order][spot], -1)
    by_patch = np.argsort(patch[n_in:], kind="stable") + n_in
    arrangement = np.concatenate([np.arange(n_in), by_patch])
    return Mesh(
        points,
        tets,
        nodes[arrangement],
        owner[arrangement],
        neighbour[arrangement],
        patch[arrangement],
        cell_zone,
        patches,
        zones,
        unit,
    )
