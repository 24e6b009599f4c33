"""Sums over faces and gradients of cells as sparse matrices, made once for a mesh."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from scipy.sparse import csr_array

from intaglio.flow.geometry import Volumes
from intaglio.mesh.mesh import Floats


@dataclass(frozen=True)
class Operators:
    """What a discretisation needs of the volumes. Faces are numbered links first, then rim.

    outward (n, i + b): sums what leaves through faces; gradients: three (n, n + b), of values of
    cells and then of rim; over (i,), rim_over (b,): area over distance along the way, in m
    (over-relaxed: H. Jasak, Ph.D. thesis, Imperial College 1996, 3.3.1.3).
    """

    volumes: Volumes
    outward: csr_array
    gradients: tuple[csr_array, csr_array, csr_array]
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
        volumes, outward, _least_squares(volumes), _over(k.area, k.way), _over(r.area, r.way)
    )


def _over(area: Floats, way: Floats) -> Floats:
    """Squared area over its part along the way; where they are nearly at right angles, no more
    than at 85 degrees."""
    size, length = np.linalg.norm(area, axis=1), np.linalg.norm(way, axis=1)
    along = np.maximum((area * way).sum(axis=1), np.cos(np.radians(85.0)) * size * length)
    return np.divide(size**2, along, out=np.zeros_like(size), where=along > 0)


def _least_squares(volumes: Volumes) -> tuple[csr_array, csr_array, csr_array]:
    """Gradients by least squares over the ways to neighbours and rim, weighed by the inverse of
    their squared lengths (T. Barth, AIAA 93-0668)."""
    k, r = volumes.links, volumes.rim
    n, b = volumes.count, len(r.cell)
    cell = np.concatenate([k.left, k.right, r.cell])
    other = np.concatenate([k.right, k.left, n + np.arange(b)])
    way = np.concatenate([k.way, -k.way, r.way])
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
