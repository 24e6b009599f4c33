"""Quality metrics of tetrahedra by their textbook definitions.

Sources: P. M. Knupp et al., "The Verdict geometric quality library" (SAND2007-1751) for equiangle
skewness and dihedral angle; non-orthogonality as the angle between a face's normal and the line
between the centres of its two cells.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from intaglio.mesh.mesh import TET_FACES, Mesh

Floats = NDArray[np.float64]

# pairs of faces that meet in each of the six edges
_PAIRS = ((0, 1), (0, 2), (0, 3), (1, 2), (1, 3), (2, 3))


@dataclass(frozen=True)
class Metric:
    """A metric's identity: key, words, unit, and whether large values are bad."""

    key: str
    label: str
    unit: str
    large_is_bad: bool


METRICS = (
    Metric("equiangle_skewness", "Equiangle skewness", "", True),
    Metric("non_orthogonality", "Non-orthogonality", "°", True),
    Metric("smallest_dihedral", "Smallest dihedral angle", "°", False),
    Metric("volume", "Volume", "unit³", False),
    Metric("volume_ratio", "Volume ratio", "", True),
)


def tet_volumes(points: Floats, tets: NDArray[np.int32]) -> Floats:
    """Signed volumes (c,) in unit³."""
    a, b, c, d = (points[tets[:, i]] for i in range(4))
    return np.einsum("ij,ij->i", np.cross(b - a, c - a), d - a) / 6.0


def equiangle_skewness(points: Floats, tets: NDArray[np.int32]) -> Floats:
    """Worst of max((θmax - θe)/(180 - θe), (θe - θmin)/θe) over face and dihedral angles (c,).

    θe is the angle of the regular tetrahedron: 60° in faces, arccos(1/3) between them.
    """
    least = np.full(len(tets), 180.0)
    most = np.zeros(len(tets))
    for face in TET_FACES:
        p = points[tets[:, face]]
        for i in range(3):
            u = p[:, (i + 1) % 3] - p[:, i]
            v = p[:, (i + 2) % 3] - p[:, i]
            cosine = np.einsum("ij,ij->i", u, v) / (
                np.linalg.norm(u, axis=1) * np.linalg.norm(v, axis=1)
            )
            angle = np.degrees(np.arccos(np.clip(cosine, -1, 1)))
            np.minimum(least, angle, out=least)
            np.maximum(most, angle, out=most)
    in_faces = np.maximum((most - 60.0) / 120.0, (60.0 - least) / 60.0)
    regular = np.degrees(np.arccos(1.0 / 3.0))
    least, most = dihedral_angles(points, tets)
    between = np.maximum((most - regular) / (180.0 - regular), (regular - least) / regular)
    return np.maximum(in_faces, between)


def dihedral_angles(points: Floats, tets: NDArray[np.int32]) -> tuple[Floats, Floats]:
    """Smallest and largest dihedral angle (c,) of each tetrahedron in degrees."""
    normals = []
    for face in TET_FACES:
        a, b, c = (points[tets[:, face[i]]] for i in range(3))
        n = np.cross(b - a, c - a)
        length = np.linalg.norm(n, axis=1)
        normals.append(n / np.where(length > 0, length, 1.0)[:, None])
    least = np.full(len(tets), 180.0)
    most = np.zeros(len(tets))
    for i, j in _PAIRS:
        cosine = -np.einsum("ij,ij->i", normals[i], normals[j])
        angle = np.degrees(np.arccos(np.clip(cosine, -1, 1)))
        np.minimum(least, angle, out=least)
        np.maximum(most, angle, out=most)
    return least, most


def non_orthogonality(mesh: Mesh) -> Floats:
    """Angle in degrees (i,) at each interior face."""
    n = mesh.interior_faces
    centre = mesh.points[mesh.tets].mean(axis=1)
    line = centre[mesh.neighbour[:n]] - centre[mesh.owner[:n]]
    a, b, c = (mesh.points[mesh.face_nodes[:n, i]] for i in range(3))
    normal = np.cross(b - a, c - a)
    product = np.linalg.norm(line, axis=1) * np.linalg.norm(normal, axis=1)
    cosine = np.einsum("ij,ij->i", line, normal) / np.where(product > 0, product, 1.0)
    return np.degrees(np.arccos(np.clip(cosine, -1, 1)))


def volume_ratios(mesh: Mesh) -> Floats:
    """Larger over smaller volume (i,) of the two cells at each interior face."""
    n = mesh.interior_faces
    v = tet_volumes(mesh.points, mesh.tets)
    a, b = v[mesh.owner[:n]], v[mesh.neighbour[:n]]
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.maximum(a, b) / np.minimum(a, b)


def cell_metrics(mesh: Mesh) -> dict[str, Floats]:
    """Every metric of METRICS per cell (c,); metrics of faces as the worst face of the cell."""
    out = {
        "equiangle_skewness": equiangle_skewness(mesh.points, mesh.tets),
        "smallest_dihedral": dihedral_angles(mesh.points, mesh.tets)[0],
        "volume": tet_volumes(mesh.points, mesh.tets),
    }
    n = mesh.interior_faces
    for key, face_value, start in (
        ("non_orthogonality", non_orthogonality(mesh), 0.0),
        ("volume_ratio", volume_ratios(mesh), 1.0),
    ):
        worst = np.full(len(mesh.tets), start)
        np.maximum.at(worst, mesh.owner[:n], face_value)
        np.maximum.at(worst, mesh.neighbour[:n], face_value)
        out[key] = worst
    return {m.key: out[m.key] for m in METRICS}


def summary(values: Floats) -> dict[str, float]:
    """min, max and mean of a metric."""
    return {
        "min": float(values.min()),
        "max": float(values.max()),
        "mean": float(values.mean()),
    }


def quality_summary(mesh: Mesh) -> dict[str, dict[str, float]]:
    """{metric: {min, max, mean}}; non-orthogonality and volume ratio over faces, others cells."""
    by_cell = {
        "equiangle_skewness": equiangle_skewness(mesh.points, mesh.tets),
        "non_orthogonality": non_orthogonality(mesh),
        "smallest_dihedral": dihedral_angles(mesh.points, mesh.tets)[0],
        "volume": tet_volumes(mesh.points, mesh.tets),
        "volume_ratio": volume_ratios(mesh),
    }
    return {
        key: summary(values) if len(values) else {"min": 0.0, "max": 0.0, "mean": 0.0}
        for key, values in by_cell.items()
    }


def triangle_angles(points: Floats, triangles: NDArray[np.int32]) -> Floats:
    """Angles (m, 3) of triangles in degrees."""
    p = points[triangles]
    out = np.empty((len(triangles), 3))
    for i in range(3):
        u = p[:, (i + 1) % 3] - p[:, i]
        v = p[:, (i + 2) % 3] - p[:, i]
        product = np.linalg.norm(u, axis=1) * np.linalg.norm(v, axis=1)
        cosine = np.einsum("ij,ij->i", u, v) / np.where(product > 0, product, 1.0)
        out[:, i] = np.degrees(np.arccos(np.clip(cosine, -1, 1)))
    return out
