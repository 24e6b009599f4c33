"""Periodic pairs of patches: finding the faces that match, and checking that they do."""

import numpy as np

from intaglio.findings import PLACES, Finding
from intaglio.mesh.mesh import Floats, Ints, Mesh, Periodic, face_middles, face_sizes, rows

# nodes of a pair lie at the same place to this share of the face's size
NEAR = 1e-6


def rotation(axis: np.ndarray, degrees: float) -> np.ndarray:
    """Matrix (3, 3) of the right-handed turn about an axis through the origin."""
    from scipy.spatial.transform import Rotation

    unit = np.asarray(axis, float) / np.linalg.norm(axis)
    return Rotation.from_rotvec(np.radians(degrees) * unit).as_matrix()


def paired(
    mesh: Mesh, patches: tuple[int, int], turn: np.ndarray, shift: np.ndarray
) -> Periodic | None:
    """The pair of patches with faces matched by place, or None where they do not match one to one.

    x → turn @ x + shift carries the first patch onto the second.
    """
    from scipy.spatial import cKDTree

    one, other = (np.flatnonzero(mesh.patch == p) for p in patches)
    if not len(one) or len(one) != len(other):
        return None
    carried = face_middles(mesh, one) @ turn.T + shift
    apart, found = cKDTree(face_middles(mesh, other)).query(carried)
    if (apart > NEAR * _size(mesh, one)).any() or len(np.unique(found)) != len(found):
        return None
    return Periodic(patches, np.stack([one, other[found]], axis=1).astype(np.int32), turn, shift)


def _size(mesh: Mesh, faces: np.ndarray) -> np.ndarray:
    """Diagonal (k,) of the box around each face."""
    start, nodes = rows(mesh.face_start, mesh.face_nodes, faces)
    p = mesh.points[nodes]
    span = np.maximum.reduceat(p, start[:-1]) - np.minimum.reduceat(p, start[:-1])
    return np.linalg.norm(span, axis=1)


def periodic_findings(mesh: Mesh) -> list[Finding]:
    """A finding for the faces of periodic pairs that do not match, or belong to none or to two."""
    lost: list[np.ndarray] = []
    for pair in mesh.periodic:
        for side in (0, 1):
            own = np.flatnonzero(mesh.patch == pair.patches[side])
            held, count = np.unique(pair.faces[:, side], return_counts=True)
            lost += [np.setxor1d(own, held), held[count > 1]]
        lost.append(pair.faces[faces_apart(mesh, pair.faces, pair.turn, pair.shift), 0])
    bad = np.unique(np.concatenate(lost)).astype(np.int64) if lost else np.zeros(0, np.int64)
    if not len(bad):
        return []
    return [
        Finding(
            "periodic-mismatch",
            "error",
            "Faces of a periodic pair that do not match node for node.",
            len(bad),
            face_middles(mesh, bad[:PLACES]).tolist(),
            "Mesh both sides from one of them.",
        )
    ]


def faces_apart(mesh: Mesh, faces: Ints, turn: Floats, shift: Floats) -> np.ndarray:
    """Whether the nodes of each pair of faces (k, 2), of which the second looks the other way, lie
    at other places, carried over by x → turn @ x + shift."""
    one, other = faces[:, 0], faces[:, 1]
    size = face_sizes(mesh)
    bad = size[one] != size[other]
    near = NEAR * _size(mesh, one) if len(one) else np.zeros(0)
    for n in np.unique(size[one[~bad]]):
        own = np.flatnonzero(~bad & (size[one] == n))
        at = mesh.face_nodes[mesh.face_start[one[own]][:, None] + np.arange(n)]
        to = mesh.face_nodes[mesh.face_start[other[own]][:, None] + np.arange(n)]
        carried = mesh.points[at] @ turn.T + shift
        # the second face looks the other way: its nodes run backward from some start
        best = np.full(len(own), np.inf)
        for k in range(n):
            order = (k - np.arange(n)) % n
            off = np.linalg.norm(carried - mesh.points[to[:, order]], axis=2).max(axis=1)
            best = np.minimum(best, off)
        bad[own] = best > near[own]
    return bad


def unpaired(mesh: Mesh) -> list[Finding]:
    """A note about periodic patches of which no pair of faces is known."""
    held = {p for pair in mesh.periodic for p in pair.patches}
    alone = [p.name for k, p in enumerate(mesh.patches) if p.kind == "periodic" and k not in held]
    if not alone:
        return []
    return [
        Finding(
            "periodic-unpaired",
            "note",
            f"The faces of {', '.join(alone)} are not matched to each other.",
            len(alone),
            advice="A solver that asks for matching faces must interpolate between the sides.",
            faces=alone,
        )
    ]
