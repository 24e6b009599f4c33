"""Matrices of cells and their neighbours: one pattern, filled anew in every iteration."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import csr_matrix

from intaglio.mesh.mesh import Floats, Longs


@dataclass(frozen=True)
class Pattern:
    """Where the entries of a matrix (n, n) are: for links the entry (left, right), then for links
    (right, left), then the diagonal; `slot` is the place of each in the compressed rows."""

    indices: NDArray[np.int32]
    starts: NDArray[np.int32]
    slot: Longs
    count: int
    left: Longs
    right: Longs

    def matrix(self, of_left: Floats, of_right: Floats, diagonal: Floats) -> csr_matrix:
        """The matrix with what a link (i,) puts into its left cell's row, its right cell's row, and
        the diagonal (n,)."""
        values = np.concatenate([of_left, of_right, diagonal])
        data = np.bincount(self.slot, values, len(self.indices))
        return csr_matrix((data, self.indices, self.starts), shape=(self.count, self.count))

    def sums(self, of_left: Floats, of_right: Floats) -> Floats:
        """Sums (n,) over the links of each cell of what they put to their left and right cells."""
        left = np.bincount(self.left, of_left, self.count)
        return np.asarray(left + np.bincount(self.right, of_right, self.count), float)


def pattern_of(left: Longs, right: Longs, count: int) -> Pattern:
    """The pattern of links (i,) between `count` cells; two cells may share several links."""
    every = np.arange(count)
    row = np.concatenate([left, right, every])
    column = np.concatenate([right, left, every])
    codes, slot = np.unique(row * count + column, return_inverse=True)
    starts = np.searchsorted(codes, np.arange(count + 1) * count).astype(np.int32)
    return Pattern((codes % count).astype(np.int32), starts, slot.ravel(), count, left, right)
