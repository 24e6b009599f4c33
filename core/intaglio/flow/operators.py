"""Sums over faces and gradients of cells as sparse matrices, made once for a mesh."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import csr_array

from intaglio.flow.geometry import Volumes
from intaglio.mesh.mesh import Floats

Three = tuple[csr_array, csr_array, csr_array]


@dataclass(frozen=True)
class Operators:
    """What a discretisation needs of the volumes. Faces are numbered links first, then rim.

    outward (n, i + b): sums what leaves through faces; gradients: three (n, n + b), of values of
    cells and then of rim, by least squares; means: the same by Gauss's theorem, what a pressure
    does to a cell over its volume; over (i,), rim_over (b,): area over distance along the way, in m
    (over-relaxed: H. Jasak, Ph.D. thesis, Imperial College 1996, 3.3.1.3).
    """

    volumes: Volumes
    outward: csr_array
    gradients: Three
    means: Three
    over: Floats
    rim_over: Floats

    def at_faces(self, values: Floats) -> Floats:
        """Values (n, …) of cells at the links (i, …), linear between the cells."""
        k = self.volumes.links
        share = k.share.reshape(-1, *([1] * (values.ndim - 1)))
        return (1.0 - share) * values[k.left] + share * values[k.right]

    def gradient(self, values: Floats, rim: Floats) -> Floats:
        """Gradient (n, 3) of values of cells (n,) and rim (b,)."""
        every = np.concatenate([values, rim])
        return np.stack([g @ every for g in self.gradients], axis=1)

    def pull(self, values: Floats, rim: Floats) -> Floats:
        """Gradient (n, 3) by Gauss's theorem, which together with `outward` keeps energy."""
        every = np.concatenate([values, rim])
        return np.stack([g @ every for g in self.means], axis=1)

    @cached_property
    def oblique(self) -> Floats:
        """Of each link the part (i, 3) of the area vector that the over-relaxed way misses."""
        k = self.volumes.links
        return k.area - self.over[:, None] * k.way

    @cached_property
    def rim_oblique(self) -> Floats:
        """The same (b, 3) of the rim."""
        return self.volumes.rim.area - self.rim_over[:, None] * self.volumes.rim.way


def operators_of(volumes: Volumes) -> Operators:
    """Operators for volumes."""
    k, r = volumes.links, volumes.rim
    n, i, b = volumes.count, len(k.left), len(r.cell)
    rows = np.concatenate([k.left, k.right, r.cell])
    columns = np.concatenate([np.arange(i), np.arange(i), i + np.arange(b)])
    signs = np.concatenate([np.ones(i), -np.ones(i), np.ones(b)])
    outward = csr_array((signs, (rows, columns)), shape=(n, i + b))
    return Operators(
        volumes,
        outward,
        least_squares(volumes, np.ones(b, bool)),
        _gauss(volumes),
        _over(k.area, k.way),
        _over(r.area, r.way),
    )


def _over(area: Floats, way: Floats) -> Floats:
    """Squared area over its part along the way; where they are nearly at right angles, no more
    than at 85 degrees."""
    size, length = np.linalg.norm(area, axis=1), np.linalg.norm(way, axis=1)
    along = np.maximum((area * way).sum(axis=1), np.cos(np.radians(85.0)) * size * length)
    return np.divide(size**2, along, out=np.zeros_like(size), where=along > 0)


def _gauss(volumes: Volumes) -> Three:
    """Sums of area vectors times values at faces, linear between cells, over the volumes."""
    k, r = volumes.links, volumes.rim
    n, b = volumes.count, len(r.cell)
    rows = np.concatenate([k.left, k.left, k.right, k.right, r.cell])
    columns = np.concatenate([k.left, k.right, k.left, k.right, n + np.arange(b)])
    made = []
    for a in range(3):
        one, other = (1.0 - k.share) * k.area[:, a], k.share * k.area[:, a]
        values = np.concatenate([one, other, -one, -other, r.area[:, a]]) / volumes.volume[rows]
        made.append(csr_array((values, (rows, columns)), shape=(n, n + b)))
    return made[0], made[1], made[2]


def least_squares(volumes: Volumes, known: NDArray[np.bool_]) -> Three:
    """Gradients by least squares over the ways to neighbours and to those faces of the rim whose
    value is known (b,), weighed by the inverse of their squared lengths (T. Barth, AIAA
    93-0668)."""
    k, r = volumes.links, volumes.rim
    n, b = volumes.count, len(r.cell)
    at = np.flatnonzero(known)
    cell = np.concatenate([k.left, k.right, r.cell[at]])
    other = np.concatenate([k.right, k.left, n + at])
    way = np.concatenate([k.way, -k.way, r.way[at]])
    weight = 1.0 / np.maximum((way**2).sum(axis=1), 1e-300)
    moment = np.zeros((n, 3, 3))
    for a in range(3):
        for c in range(3):
            moment[:, a, c] = np.bincount(cell, weight * way[:, a] * way[:, c], n)
    inverse = np.linalg.pinv(moment, rcond=1e-10, hermitian=True)
    pull = np.einsum("kij,kj->ki", inverse[cell], weight[:, None] * way)
    rows, columns = np.concatenate([cell, cell]), np.concatenate([other, cell])
    made = [
        csr_array((np.concatenate([pull[:, a], -pull[:, a]]), (rows, columns)), shape=(n, n + b))
        for a in range(3)
    ]
    return made[0], made[1], made[2]
