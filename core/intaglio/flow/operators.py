"""Gradients, sums over faces and values at faces: what a discretisation needs of the volumes."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import csr_array, diags_array

from intaglio.flow.geometry import Volumes
from intaglio.flow.sweeps import leaving, moments, slopes, through
from intaglio.mesh.mesh import Floats, Mesh, cell_middles

# cells whose moments are inverted at once
_AT_ONCE = 50_000
# moment of the ways to neighbours, of length one each, along a direction in which they lie too flat
# to tell a slope: what such a slope carries to a wall drives the flow and feeds itself
_FLAT = 0.1


@dataclass(frozen=True)
class Operators:
    """Faces are numbered links first, then rim. over (i,), rim_over (b,): area over distance along
    the way, in m (over-relaxed: H. Jasak, Ph.D. thesis, Imperial College 1996, 3.3.1.3); inverse
    (n, 6): of the moments of least squares, in compressed symmetric form."""

    volumes: Volumes
    inverse: Floats
    over: Floats
    rim_over: Floats

    def at_faces(self, values: Floats) -> Floats:
        """Values (n, …) of cells at the links (i, …), linear between the cells."""
        k = self.volumes.links
        share = k.share.reshape(-1, *([1] * (values.ndim - 1)))
        return (1.0 - share) * values[k.left] + share * values[k.right]

    def through(self, vectors: Floats, slope: Floats) -> Floats:
        """Fluxes (i,) of vectors (n, 3) of cells, with slopes (n, 3, 3), through the links."""
        k = self.volumes.links
        out = through(k.left, k.right, k.area, k.share, k.beside, vectors, slope)
        return np.asarray(out)

    def leaving(self, flux: Floats) -> Floats:
        """What leaves the cells (n,) by fluxes (i + b,) of links and rim."""
        k, r, count = self.volumes.links, self.volumes.rim, len(self.volumes.links.left)
        out = leaving(k.left, k.right, flux[:count], r.cell, flux[count:], self.volumes.count)
        return np.asarray(out)

    def gradient(self, values: Floats, rim: Floats) -> Floats:
        """Gradients (n, …, 3) of values of cells (n, …) and rim (b, …), of one axis or none more:
        by least squares, exact for linear fields (T. Barth, AIAA 93-0668)."""
        k, r = self.volumes.links, self.volumes.rim
        shape = (*values.shape, 3)
        values, rim = values.reshape(len(values), -1), rim.reshape(len(rim), -1)
        out = slopes(k.left, k.right, k.way, r.cell, r.way, self.inverse, values, rim)
        return np.asarray(out.reshape(shape))

    @cached_property
    def rim_oblique(self) -> Floats:
        """Of each face of the rim the part (b, 3) of its area that the over-relaxed way misses."""
        return self.volumes.rim.area - self.rim_over[:, None] * self.volumes.rim.way


def in_cells(ops: Operators, mesh: Mesh, metres: float, values: Floats, rim: Floats) -> Floats:
    """Values (c, ...) in the cells of a mesh whose unit is `metres` long, of those (n, ...) of the
    volumes and (b, ...) of the rim: nan where there is no volume; in cells that share one, carried
    on from its centroid by its slope, within the values around it."""
    v = ops.volumes
    out = np.full((mesh.cells, *values.shape[1:]), np.nan)
    known = v.of_cell >= 0
    out[known] = values[v.of_cell[known]]
    shared = np.flatnonzero(v.shared)
    if len(shared):
        own = v.of_cell[shared]
        way = cell_middles(mesh, shared) * metres - v.centroid[own]
        slope = ops.gradient(values, rim)[own]
        least, most = around(v, values, rim)
        carried = out[shared] + np.einsum("k...a,ka->k...", slope, way)
        out[shared] = np.clip(carried, least[own], most[own])
    return out


def around(v: Volumes, values: Floats, rim: Floats) -> tuple[Floats, Floats]:
    """The least and the most (n, ...) of each volume's own value, its neighbours' and those of the
    rim (b, ...) at it."""
    k, least, most = v.links, values.copy(), values.copy()
    for bound, out in ((np.minimum, least), (np.maximum, most)):
        bound.at(out, k.left, values[k.right])
        bound.at(out, k.right, values[k.left])
        bound.at(out, v.rim.cell, rim)
    return least, most


def operators_of(volumes: Volumes) -> Operators:
    """Operators for volumes."""
    k, r = volumes.links, volumes.rim
    known = np.ones(len(r.cell), bool)
    moment = moments(k.left, k.right, k.way, r.cell, r.way, known, volumes.count)
    return Operators(volumes, inverted(moment), _over(k.area, k.way), _over(r.area, r.way))


def _over(area: Floats, way: Floats) -> Floats:
    """Squared area over its part along the way; where they are nearly at right angles, no more
    than at 85 degrees."""
    size, length = np.linalg.norm(area, axis=1), np.linalg.norm(way, axis=1)
    along = np.maximum((area * way).sum(axis=1), np.cos(np.radians(85.0)) * size * length)
    return np.divide(size**2, along, out=np.zeros_like(size), where=along > 0)


def inverted(moment: Floats, least: float = 0.0) -> Floats:
    """Inverses (k, 6) of symmetric matrices (k, 6): xx, xy, xz, yy, yz, zz; where there is none,
    what comes nearest; directions with moments under `least` have none."""
    out = np.empty_like(moment)
    for start in range(0, len(moment), _AT_ONCE):
        part = moment[start : start + _AT_ONCE]
        whole = part[:, [0, 1, 2, 1, 3, 4, 2, 4, 5]].reshape(-1, 3, 3)
        size, way = np.linalg.eigh(whole)
        held = size > np.maximum(least, 1e-10 * np.abs(size).max(axis=1, keepdims=True))
        over = np.divide(1.0, size, out=np.zeros_like(size), where=held)
        made = np.einsum("kia,ka,kja->kij", way, over, way)
        out[start : start + _AT_ONCE] = made.reshape(-1, 9)[:, [0, 1, 2, 4, 5, 8]]
    return out


@dataclass(frozen=True)
class Carrying:
    """What carries values of cells, and of faces of the rim where they are known, on to the whole
    rim by the slopes of least squares, by no more than the largest step to a neighbour: a matrix
    (b, n + b)."""

    matrix: csr_array

    def to_rim(self, values: Floats, rim: Floats) -> Floats:
        """Values (b,) at the rim of values (n,) of cells and (b,) of the rim."""
        return np.asarray(self.matrix @ np.concatenate([values, rim]))


def carrying_of(volumes: Volumes, known: NDArray[np.bool_]) -> Carrying:
    """For faces of the rim whose value is known (b,)."""
    k, r = volumes.links, volumes.rim
    n, b = volumes.count, len(r.cell)
    moment = moments(k.left, k.right, k.way, r.cell, r.way, known, n)
    cells = np.unique(r.cell)
    inverse = np.zeros((n, 6))
    inverse[cells] = inverted(moment[cells], _FLAT)
    outer = np.zeros(n, bool)
    outer[cells] = True
    one, other = np.flatnonzero(outer[k.left]), np.flatnonzero(outer[k.right])
    at = np.flatnonzero(known)
    cell = np.concatenate([k.left[one], k.right[other], r.cell[at]])
    beyond = np.concatenate([k.right[one], k.left[other], n + at])
    way = np.concatenate([k.way[one], -k.way[other], r.way[at]])
    weight = 1.0 / np.maximum((way**2).sum(axis=1), 1e-300)
    full = inverse[cell][:, [0, 1, 2, 1, 3, 4, 2, 4, 5]].reshape(-1, 3, 3)
    pull = np.einsum("kij,kj->ki", full, weight[:, None] * way)
    # of the step to each neighbour the share that reaches each face of the rim
    shares = csr_array((b, n + b))
    for a in range(3):
        of_cell = csr_array((pull[:, a], (cell, beyond)), shape=(n, n + b))
        shares = csr_array(shares + of_cell[r.cell].multiply(r.way[:, [a]]))
    # in cells with few neighbours slopes reach far beyond their values, and a pressure that is
    # carried so feeds itself
    whole = np.abs(shares).sum(axis=1)
    shares = csr_array(diags_array(1.0 / np.maximum(whole, 1.0)) @ shares)
    own = csr_array((1.0 - shares.sum(axis=1), (np.arange(b), r.cell)), shape=(b, n + b))
    return Carrying(csr_array(own + shares))
