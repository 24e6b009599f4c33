"""A zone of a mesh as a mesh of its own."""

from dataclasses import replace

import numpy as np

from intaglio.mesh.mesh import Mesh, rows, turned_rows


def zone_alone(mesh: Mesh, zone: int) -> Mesh:
    """The cells of a zone with the points that they use, in their order; all that bounds it is its
    boundary, looking out of it. Faces shared with zones without a patch between are on patch -1;
    periodic pairs are not told."""
    cells = np.flatnonzero(mesh.zone == zone)
    place = np.full(mesh.cells + 1, -1, np.int32)  # the last for -1, no cell
    place[cells] = np.arange(len(cells))
    start, nodes = rows(mesh.cell_start, mesh.cell_nodes, cells)
    used = np.zeros(len(mesh.points), bool)
    used[nodes] = True
    local = (np.cumsum(used) - 1).astype(np.int32)
    one, other = place[mesh.owner], place[mesh.neighbour]
    own = np.flatnonzero((one >= 0) | (other >= 0))
    # inner faces first, as they were
    own = own[np.argsort((one[own] < 0) | (other[own] < 0), kind="stable")]
    turned = one[own] < 0
    at = np.full(mesh.faces, -1, np.int32)
    at[own] = np.arange(len(own))
    sheets = at[mesh.sheets]
    face_start, face_nodes = rows(mesh.face_start, mesh.face_nodes, own)
    return replace(
        mesh,
        points=mesh.points[used],
        shape=mesh.shape[cells],
        cell_start=start,
        cell_nodes=local[nodes],
        face_start=face_start,
        face_nodes=local[turned_rows(face_start, face_nodes, turned)],
        owner=np.where(turned, other[own], one[own]),
        neighbour=np.where(turned, -1, other[own]).astype(np.int32),
        patch=mesh.patch[own],
        zone=np.zeros(len(cells), np.int32),
        zones=(mesh.zones[zone],),
        periodic=(),
        sheets=sheets[(sheets >= 0).all(axis=1)],
    )
