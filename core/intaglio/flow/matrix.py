"""Matrices of cells and their neighbours: one pattern, filled anew in every iteration."""

from dataclasses import dataclass

import numpy as np
from scipy.sparse import csr_matrix

from intaglio.flow.geometry import Volumes
from intaglio.mesh.mesh import Floats, Longs


@dataclass(frozen=True)
class Pattern:
    """Where the entries of a matrix (n, n) are: for links the entry (left, right), then for links
    (right, left), then the diagonal; `slot` is the place of each in the compressed rows."""

    indices: Longs
    starts: Longs
    slot: Longs
    count: int

    def matrix(self, of_left: Floats, of_right: Floats, diagonal: Floats) -> csr_matrix:
        """The matrix with what a link (i,) puts into its left cell's row, its right cell's row, and
        the diagonal (n,)."""
        values = np.concatenate([of_left, of_right, diagonal])
        data = np.bincount(self.slot, values, len(self.indices))
        return csr_matrix((data, self.indices, self.starts), shape=(self.count, self.count))


def pattern_of(volumes: Volumes) -> Pattern:
    """The pattern of volumes; two cells may share several links."""
    k, n = volumes.links, volumes.count
    every = np.arange(n)
    row = np.concatenate([k.left, k.right, every])
    column = np.concatenate([k.right, k.left, every])
    codes, slot = np.unique(row * n + column, return_inverse=True)
    starts = np.searchsorted(codes, np.arange(n + 1) * n)
    return Pattern((codes % n).astype(np.int32), starts.astype(np.int32), slot.ravel(), n)


def row_sums(volumes: Volumes, of_left: Floats, of_right: Floats) -> Floats:
    """Sums (n,) over the links of each cell."""
    k, n = volumes.links, volumes.count
    return np.asarray(np.bincount(k.left, of_left, n) + np.bincount(k.right, of_right, n), float)
