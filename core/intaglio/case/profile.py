"""The profile of a developed flow over an opening of any shape.

Laminar: the flow along a straight duct of that section, -∇²u = const with u = 0 at its walls, by
linear finite elements (cotangent weights: U. Pinkall, K. Polthier, Experimental Mathematics 2
(1993) 15). Turbulent: the power law of H. Schlichting, K. Gersten, Boundary-Layer Theory, table
20.1, in the distance from the wall over the largest there is.
"""

import numpy as np
import scipy.sparse as sp
from numpy.typing import NDArray
from scipy.sparse.linalg import spsolve
from scipy.spatial import cKDTree

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]

# Reynolds numbers of a pipe and the exponent n of (y/R)^(1/n) there
_EXPONENT = np.array([(4e3, 6.0), (2.3e4, 6.6), (1.1e5, 7.0), (1.1e6, 8.8), (2e6, 10.0)])


def laminar_profile(points: Floats, triangles: Ints, wall: NDArray[np.bool_]) -> Floats:
    """Speed (n,) at the nodes of a flat section over its mean, triangles (m, 3); wall (n,): nodes
    on walls, where it is 0. Edges without a wall are planes of symmetry."""
    stiffness, load = _system(points, triangles)
    free = np.flatnonzero(~wall & (load > 0))
    speed = np.zeros(len(points))
    if len(free) and wall[np.unique(triangles)].any():
        speed[free] = spsolve(stiffness[free][:, free].tocsc(), load[free])
    else:
        speed[load > 0] = 1.0
    return speed / _mean(speed, load)


def turbulent_profile(
    points: Floats, triangles: Ints, wall: NDArray[np.bool_], reynolds: float
) -> Floats:
    """The same of a turbulent flow at a Reynolds number on the hydraulic diameter."""
    _, load = _system(points, triangles)
    inside = load > 0
    if not wall[inside].any():
        return np.where(inside, 1.0, 0.0)
    away, _ = cKDTree(points[wall & inside]).query(points)
    away[wall | ~inside] = 0.0
    exponent = np.interp(np.log(reynolds), np.log(_EXPONENT[:, 0]), _EXPONENT[:, 1])
    speed = (away / away.max()) ** (1.0 / exponent) if away.max() > 0 else inside.astype(float)
    return speed / _mean(speed, load)


def over_faces(
    speed: Floats, triangles: Ints, areas: Floats, face: NDArray[np.int64], count: int
) -> Floats:
    """Mean (count,) over each face of the speed at the nodes; face (m,): that each triangle of the
    areas (m,) is part of."""
    total = np.bincount(face, areas * speed[triangles].mean(axis=1), count)
    size = np.bincount(face, areas, count)
    return total / np.where(size > 0, size, 1.0)


def _mean(speed: Floats, load: Floats) -> float:
    total = float(load.sum())
    mean = float(speed @ load) / total if total > 0 else 1.0
    return mean if mean > 0 else 1.0


def _system(points: Floats, triangles: Ints) -> tuple[sp.csr_matrix, Floats]:
    """Stiffness of -∇² (n, n) and the integral (n,) of each node's shape function."""
    n = len(points)
    p = points[triangles]
    rows, columns, values = [], [], []
    normal = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    twice = np.linalg.norm(normal, axis=1)
    safe = np.where(twice > 0, twice, 1.0)
    for i in range(3):
        j, k = (i + 1) % 3, (i + 2) % 3
        u, v = p[:, j] - p[:, i], p[:, k] - p[:, i]
        half = np.where(twice > 0, 0.5 * np.einsum("ij,ij->i", u, v) / safe, 0.0)
        a, b = triangles[:, j], triangles[:, k]
        for r, c, sign in ((a, b, -1), (b, a, -1), (a, a, 1), (b, b, 1)):
            rows.append(r)
            columns.append(c)
            values.append(sign * half)
    matrix = sp.csr_matrix(
        (np.concatenate(values), (np.concatenate(rows), np.concatenate(columns))), shape=(n, n)
    )
    load: Floats = np.bincount(triangles.ravel(), np.repeat(twice / 6.0, 3), n).astype(float)
    return matrix, load
