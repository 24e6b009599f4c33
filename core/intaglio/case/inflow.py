"""The velocity with which fluid enters through each face of a patch."""

import numpy as np
from numpy.typing import NDArray

from intaglio.case.measuring import PatchFaces, patch_faces
from intaglio.case.profile import laminar_profile, over_faces, turbulent_profile
from intaglio.case.setup import CaseSetup, PatchSetup, metres
from intaglio.case.similarity import LAMINAR_PIPE
from intaglio.mesh.mesh import Floats, Mesh, rows


def face_velocities(mesh: Mesh, number: int, patch: PatchSetup, case: CaseSetup) -> Floats | None:
    """Velocity (k, 3) in m/s at each face of the patch of that number, in the faces' order; None
    where the condition gives none, as where a pressure drives the flow."""
    inflow = patch.inflow
    if inflow is None or patch.condition == "total_pressure":
        return None
    own = patch_faces(mesh, number)
    if patch.condition in ("velocity", "stream"):
        return np.tile(np.asarray(patch.numbers["velocity"], float), (len(own.faces), 1))
    # into the fluid: the owner lies behind the face
    inward = -own.normals()
    if patch.condition != "developed":
        return inflow.speed * inward
    return inflow.speed * developed(mesh, own, case, inflow.reynolds)[:, None] * inward


def developed(mesh: Mesh, own: PatchFaces, case: CaseSetup, reynolds: float) -> Floats:
    """The developed profile (k,) over the faces of a patch, 1 in the mean: laminar where the case
    is so, or the Reynolds number is a laminar pipe's."""
    used, local = np.unique(own.triangles, return_inverse=True)
    triangles = local.reshape(-1, 3).astype(np.int32)
    points = mesh.points[used] * metres(mesh.unit)
    wall = _on_walls(mesh)[used]
    if case.closure.key == "laminar" or reynolds < LAMINAR_PIPE:
        speed = laminar_profile(points, triangles, wall)
    else:
        speed = turbulent_profile(points, triangles, wall, reynolds)
    areas = np.linalg.norm(own.vectors, axis=1)
    return over_faces(speed, triangles, areas, own.face, len(own.faces))


def _on_walls(mesh: Mesh) -> NDArray[np.bool_]:
    """Which nodes lie on walls."""
    walls = np.array([p.kind == "wall" for p in mesh.patches] + [False])
    _, nodes = rows(mesh.face_start, mesh.face_nodes, np.flatnonzero(walls[mesh.patch]))
    out = np.zeros(len(mesh.points), bool)
    out[nodes] = True
    return out
