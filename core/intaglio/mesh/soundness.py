"""Whether a mesh's arrays can be used at all: before anything follows their numbers."""

import numpy as np

from intaglio.findings import PLACES, Finding
from intaglio.mesh.cells import NODES, POLYHEDRON, SHAPES
from intaglio.mesh.mesh import Mesh
from intaglio.mesh.sheets import joined_nodes


def unsound(mesh: Mesh) -> list[Finding]:
    """Errors about numbers out of range; compiled code must not see such a mesh."""
    wrong = _wrong_numbers(mesh)
    if wrong:
        return [
            Finding(
                "bad-numbers",
                "error",
                f"The mesh cannot be followed: {wrong}.",
                advice="Write the file again; it is damaged.",
            )
        ]
    lost = np.flatnonzero(~np.isfinite(mesh.points).all(axis=1))
    if len(lost):
        return [Finding("not-finite", "error", "Points without a finite position.", len(lost))]
    return []


def _wrong_numbers(mesh: Mesh) -> str:
    """What is wrong in words, or an empty text."""
    points, cells, faces = len(mesh.points), mesh.cells, mesh.faces
    if mesh.points.ndim != 2 or mesh.points.shape[1] != 3:
        return "points need three coordinates"
    if not cells:
        return "there are no cells"
    if not ((mesh.shape >= 0) & (mesh.shape < len(SHAPES))).all():
        return "a cell has an unknown shape"
    for what, start, nodes, count in (
        ("cells", mesh.cell_start, mesh.cell_nodes, cells),
        ("faces", mesh.face_start, mesh.face_nodes, faces),
    ):
        if len(start) != count + 1 or start[0] != 0 or start[-1] != len(nodes):
            return f"the lists of nodes of the {what} do not fit their number"
        if (np.diff(start) < (4 if what == "cells" else 3)).any():
            return f"{what} with too few nodes"
        if len(nodes) and (nodes.min() < 0 or nodes.max() >= points):
            return f"{what} name points that do not exist"
    standard = mesh.shape != POLYHEDRON
    if (np.diff(mesh.cell_start)[standard] != NODES[mesh.shape[standard]]).any():
        return "a cell has another number of nodes than its shape"
    if not (len(mesh.neighbour) == len(mesh.patch) == faces and len(mesh.zone) == cells):
        return "the lists of faces and cells differ in length"
    if mesh.owner.min(initial=0) < 0 or mesh.owner.max(initial=0) >= cells:
        return "faces name cells that do not exist"
    if mesh.neighbour.min(initial=-1) < -1 or mesh.neighbour.max(initial=-1) >= cells:
        return "faces name neighbours that do not exist"
    if not len(mesh.zones) or mesh.zone.min() < 0 or mesh.zone.max() >= len(mesh.zones):
        return "cells name zones that do not exist"
    if mesh.patch.max(initial=-1) >= len(mesh.patches) or mesh.patch.min(initial=-1) < -1:
        return "faces name patches that do not exist"
    for pair in mesh.periodic:
        if pair.faces.ndim != 2 or pair.faces.shape[1:] != (2,):
            return "periodic pairs need two faces each"
        if len(pair.faces) and (pair.faces.min() < 0 or pair.faces.max() >= faces):
            return "periodic pairs name faces that do not exist"
    if mesh.sheets.ndim != 2 or mesh.sheets.shape[1:] != (2,):
        return "sides of sheets need two faces each"
    if len(mesh.sheets) and (mesh.sheets.min() < 0 or mesh.sheets.max() >= faces):
        return "sides of sheets name faces that do not exist"
    return ""


def duplicate_points(mesh: Mesh) -> list[Finding]:
    """A finding for points at the same place, to a million-millionth of the mesh's size, but for
    those on the two sides of sheets."""
    low = mesh.points.min(axis=0)
    step = 1e-12 * float(np.ptp(mesh.points, axis=0).max())
    if step == 0.0:
        return []
    grid = np.rint((mesh.points - low) / step).astype(np.int64)
    order = np.lexsort(grid.T)
    same = (np.diff(grid[order], axis=0) == 0).all(axis=1)
    joined = joined_nodes(mesh)[order]
    twice = order[1:][same & (joined[1:] != joined[:-1])]
    if not len(twice):
        return []
    return [
        Finding(
            "duplicate-points",
            "error",
            "Points that lie at the place of another: the cells there are not joined.",
            len(twice),
            mesh.points[twice[:PLACES]].tolist(),
            "Join the zones or parts that meet there before meshing.",
        )
    ]
