"""Which cells and faces of one mesh are those of another, which has other numbers for them."""

import numpy as np
from scipy.spatial import cKDTree

from intaglio.errors import StepFailed
from intaglio.mesh.mesh import Floats, Longs, Mesh, cell_middles, face_middles

# places that lie apart by more than this share of the mesh's size are not the same
_SAME = 1e-6


def cells_in(mesh: Mesh, metres: float, other: Mesh, other_metres: float, cells: Longs) -> Longs:
    """The cells (k,) of a mesh that are cells (k,) of another; their units are so many metres long.
    Raises StepFailed where there are none."""
    own = cell_middles(mesh, np.arange(mesh.cells)) * metres
    return _nearest(own, cell_middles(other, cells) * other_metres, "cells")


def faces_in(
    mesh: Mesh, metres: float, other: Mesh, other_metres: float, faces: Longs, cells: Longs
) -> Longs:
    """The same for faces (k,) on patches, seen from cells (k,) of the mesh: of the two sides of a
    sheet, which lie at one place, each its own."""
    known = np.flatnonzero(mesh.patch >= 0)
    own = face_middles(mesh, known) * metres
    found = known[_nearest(own, face_middles(other, faces) * other_metres, "faces")]
    behind = np.arange(mesh.faces)
    behind[mesh.sheets[:, 0]], behind[mesh.sheets[:, 1]] = mesh.sheets[:, 1], mesh.sheets[:, 0]
    wrong = (mesh.owner[found] != cells) & (mesh.neighbour[found] != cells)
    return np.where(wrong, behind[found], found)


def _nearest(own: Floats, wanted: Floats, what: str) -> Longs:
    distance, at = cKDTree(own).query(wanted)
    size = float(np.ptp(own, axis=0).max(initial=0.0))
    if len(wanted) and distance.max() > _SAME * size:
        raise StepFailed("other-mesh", f"The export's {what} are not those of the mesh.")
    return np.asarray(at, np.int64)
