"""Periodic pairs of faces: finding those that match, and checking that they do."""

import numpy as np
from numpy.typing import NDArray

from intaglio.findings import PLACES, Finding
from intaglio.mesh.mesh import Floats, Ints, Longs, Mesh, Periodic, face_middles, face_sizes, rows

# nodes of a pair lie at the same place to this share of the face's size
NEAR = 1e-6


def rotation(axis: np.ndarray, degrees: float) -> np.ndarray:
    """Matrix (3, 3) of the right-handed turn about an axis through the origin."""
    from scipy.spatial.transform import Rotation

    unit = np.asarray(axis, float) / np.linalg.norm(axis)
    return Rotation.from_rotvec(np.radians(degrees) * unit).as_matrix()


def paired(mesh: Mesh, faces: Longs, turn: Floats, shift: Floats) -> Periodic | None:
    """Faces (k,) matched by place, or None unless each of them is one side of exactly one pair.

    x → turn @ x + shift carries the first face of a pair onto the second.
    """
    from scipy.spatial import cKDTree

    if not len(faces):
        return None
    middle = face_middles(mesh, faces)
    apart, found = cKDTree(middle).query(middle @ turn.T + shift)
    one = np.flatnonzero(apart <= NEAR * _size(mesh, faces))
    sides = np.concatenate([one, found[one]])
    if len(sides) != len(faces) or len(np.unique(sides)) != len(faces):
        return None
    return Periodic(np.stack([faces[one], faces[found[one]]], axis=1).astype(np.int32), turn, shift)


def paired_patches(mesh: Mesh, pair: Periodic) -> NDArray[np.int32]:
    """Numbers of the patches that the faces of a pair are on, ascending."""
    own = np.unique(mesh.patch[pair.faces])
    return own[own >= 0]


def _size(mesh: Mesh, faces: np.ndarray) -> np.ndarray:
    """Diagonal (k,) of the box around each face."""
    start, nodes = rows(mesh.face_start, mesh.face_nodes, faces)
    p = mesh.points[nodes]
    span = np.maximum.reduceat(p, start[:-1]) - np.minimum.reduceat(p, start[:-1])
    return np.linalg.norm(span, axis=1)


def periodic_findings(mesh: Mesh) -> list[Finding]:
    """Findings for the faces of periodic pairs that do not match or are in two, and for patches
    of which some faces are in a pair and others are not."""
    if not mesh.periodic:
        return []
    sides = np.concatenate([pair.faces.ravel() for pair in mesh.periodic])
    held, count = np.unique(sides, return_counts=True)
    lost = [held[count > 1]] + [
        pair.faces[faces_apart(mesh, pair.faces, pair.turn, pair.shift), 0]
        for pair in mesh.periodic
    ]
    out: list[Finding] = []
    bad = np.unique(np.concatenate(lost)).astype(np.int64)
    if len(bad):
        out.append(
            Finding(
                "periodic-mismatch",
                "error",
                "Faces of a periodic pair that do not match node for node.",
                len(bad),
                face_middles(mesh, bad[:PLACES]).tolist(),
                "Mesh both sides from one of them.",
            )
        )
    of_pairs = np.unique(mesh.patch[held])
    single = np.setdiff1d(np.flatnonzero(np.isin(mesh.patch, of_pairs[of_pairs >= 0])), held)
    if len(single):
        names = [mesh.patches[k].name for k in np.unique(mesh.patch[single])]
        out.append(
            Finding(
                "periodic-mixed",
                "error",
                f"{', '.join(names)}: some faces are in a periodic pair and others are not.",
                len(single),
                face_middles(mesh, single[:PLACES]).tolist(),
                "Put the sides of the pair on patches of their own.",
                faces=names,
            )
        )
    return out


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
    held = {p for pair in mesh.periodic for p in paired_patches(mesh, pair).tolist()}
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
