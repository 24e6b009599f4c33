"""Quality metrics of tetrahedra by their textbook definitions.

Sources: P. M. Knupp et al., "The Verdict geometric quality library" (SAND2007-1751) for equiangle
skewness and dihedral angle; non-orthogonality as the angle between a face's normal and the line
between the centres of its two cells.
"""

from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from intaglio.mesh.mesh import TET_FACES, Mesh

Floats = NDArray[np.float64]


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


@njit(cache=True)
def _angles(points, tets, out):
    """Least and largest face angle, least and largest dihedral angle of each tetrahedron."""
    normal = np.empty((4, 3))
    side = np.empty((3, 3))
    length = np.empty(3)
    for t in range(tets.shape[0]):
        low_face = low_between = 1.0  # cosines: the least is that of the largest angle
        high_face = high_between = -1.0
        for f in range(4):
            for k in range(3):
                u = tets[t, TET_FACES[f, (k + 1) % 3]]
                v = tets[t, TET_FACES[f, (k + 2) % 3]]
                square = 0.0
                for i in range(3):
                    side[k, i] = points[v, i] - points[u, i]
                    square += side[k, i] ** 2
                length[k] = np.sqrt(square)
            for k in range(3):
                a = side[(k + 1) % 3]
                b = side[(k + 2) % 3]
                product = length[(k + 1) % 3] * length[(k + 2) % 3]
                dot = a[0] * b[0] + a[1] * b[1] + a[2] * b[2]
                cosine = -dot / product if product > 0.0 else 1.0
                low_face = min(low_face, cosine)
                high_face = max(high_face, cosine)
            square = 0.0
            for i in range(3):
                j = (i + 1) % 3
                k = (i + 2) % 3
                normal[f, i] = side[0, j] * side[1, k] - side[0, k] * side[1, j]
                square += normal[f, i] ** 2
            square = np.sqrt(square)
            for i in range(3):
                normal[f, i] = normal[f, i] / square if square > 0.0 else 0.0
        for f in range(4):
            for g in range(f):
                cosine = 0.0
                for i in range(3):
                    cosine -= normal[f, i] * normal[g, i]
                low_between = min(low_between, cosine)
                high_between = max(high_between, cosine)
        out[t, 0] = np.degrees(np.arccos(min(1.0, high_face)))
        out[t, 1] = np.degrees(np.arccos(max(-1.0, low_face)))
        out[t, 2] = np.degrees(np.arccos(min(1.0, high_between)))
        out[t, 3] = np.degrees(np.arccos(max(-1.0, low_between)))


def tet_angles(points: Floats, tets: NDArray[np.int32]) -> Floats:
    """Least and largest angle (degrees) in the faces, then between them, of each cell (c, 4)."""
    out = np.empty((len(tets), 4))
    _angles(np.ascontiguousarray(points), np.ascontiguousarray(tets), out)
    return out


def skewness_of(angles: Floats) -> Floats:
    """Worst of max((θmax - θe)/(180 - θe), (θe - θmin)/θe) over face and dihedral angles (c,).

    θe is the angle of the regular tetrahedron: 60° in faces, arccos(1/3) between them.
    """
    regular = np.degrees(np.arccos(1.0 / 3.0))
    in_faces = np.maximum((angles[:, 1] - 60.0) / 120.0, (60.0 - angles[:, 0]) / 60.0)
    between = np.maximum(
        (angles[:, 3] - regular) / (180.0 - regular), (regular - angles[:, 2]) / regular
    )
    return np.maximum(in_faces, between)


def equiangle_skewness(points: Floats, tets: NDArray[np.int32]) -> Floats:
    """Equiangle skewness (c,), 0 for regular tetrahedra, 1 for flat ones."""
    return skewness_of(tet_angles(points, tets))


def dihedral_angles(points: Floats, tets: NDArray[np.int32]) -> tuple[Floats, Floats]:
    """Smallest and largest dihedral angle (c,) of each tetrahedron in degrees."""
    angles = tet_angles(points, tets)
    return angles[:, 2], angles[:, 3]


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


@dataclass(frozen=True)
class Measured:
    """A mesh's quality: per cell (c,) equiangle skewness, least and largest dihedral angle
    (degrees) and volume (unit³); per interior face (i,) non-orthogonality (degrees) and the ratio
    of the larger to the smaller volume beside it."""

    skewness: Floats
    least_dihedral: Floats
    largest_dihedral: Floats
    volume: Floats
    non_orthogonality: Floats
    volume_ratio: Floats


def measure(mesh: Mesh) -> Measured:
    """Every metric of a mesh, computed once."""
    angles = tet_angles(mesh.points, mesh.tets)
    volume = tet_volumes(mesh.points, mesh.tets)
    n = mesh.interior_faces
    a, b = volume[mesh.owner[:n]], volume[mesh.neighbour[:n]]
    with np.errstate(divide="ignore", invalid="ignore"):
        ratio = np.maximum(a, b) / np.minimum(a, b)
    return Measured(
        skewness_of(angles), angles[:, 2], angles[:, 3], volume, non_orthogonality(mesh), ratio
    )


def cell_metrics(mesh: Mesh, measured: Measured) -> dict[str, Floats]:
    """Every metric of METRICS per cell (c,); metrics of faces as the worst face of the cell."""
    out = {
        "equiangle_skewness": measured.skewness,
        "smallest_dihedral": measured.least_dihedral,
        "volume": measured.volume,
    }
    n = mesh.interior_faces
    for key, face_value, start in (
        ("non_orthogonality", measured.non_orthogonality, 0.0),
        ("volume_ratio", measured.volume_ratio, 1.0),
    ):
        worst = np.full(len(mesh.tets), start)
        np.maximum.at(worst, mesh.owner[:n], face_value)
        np.maximum.at(worst, mesh.neighbour[:n], face_value)
        out[key] = worst
    return {m.key: out[m.key] for m in METRICS}


def summary(values: Floats) -> dict[str, float]:
    """min, max and mean of a metric; zeros where there are no values."""
    if not len(values):
        return {"min": 0.0, "max": 0.0, "mean": 0.0}
    return {
        "min": float(values.min()),
        "max": float(values.max()),
        "mean": float(values.mean()),
    }


def quality_summary(measured: Measured) -> dict[str, dict[str, float]]:
    """{metric: {min, max, mean}}; non-orthogonality and volume ratio over faces, others cells."""
    return {
        "equiangle_skewness": summary(measured.skewness),
        "non_orthogonality": summary(measured.non_orthogonality),
        "smallest_dihedral": summary(measured.least_dihedral),
        "volume": summary(measured.volume),
        "volume_ratio": summary(measured.volume_ratio),
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
