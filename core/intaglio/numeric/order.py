"""Spatial order of points: Hilbert curve and biased randomised insertion order.

Sources: J. Skilling, "Programming the Hilbert curve" (2004); N. Amenta, S. Choi, G. Rote,
"Incremental constructions con BRIO" (2003).
"""

import numpy as np
from numba import njit
from numpy.typing import NDArray

_BITS = 16


@njit(cache=True)
def _hilbert_keys(cells, bits):
    """Place of each cell (n, 3) on the Hilbert curve (J. Skilling 2004)."""
    keys = np.empty(cells.shape[0], np.uint64)
    x = np.empty(3, np.uint32)
    for k in range(cells.shape[0]):
        for i in range(3):
            x[i] = cells[k, i]
        q = np.uint32(1 << (bits - 1))
        while q > 1:
            p = np.uint32(q - 1)
            for i in range(3):
                if x[i] & q:
                    x[0] ^= p
                else:
                    t = (x[0] ^ x[i]) & p
                    x[0] ^= t
                    x[i] ^= t
            q >>= np.uint32(1)
        x[1] ^= x[0]
        x[2] ^= x[1]
        t = np.uint32(0)
        q = np.uint32(1 << (bits - 1))
        while q > 1:
            if x[2] & q:
                t ^= np.uint32(q - 1)
            q >>= np.uint32(1)
        for i in range(3):
            x[i] ^= t
        key = np.uint64(0)
        for b in range(bits - 1, -1, -1):
            for i in range(3):
                key = (key << np.uint64(1)) | np.uint64((x[i] >> np.uint32(b)) & np.uint32(1))
        keys[k] = key
    return keys


def hilbert_order(points: NDArray[np.float64]) -> NDArray[np.int64]:
    """Permutation (n,) that visits points (n, 3) along a Hilbert curve through their box."""
    bits = min(_BITS, int(np.log2(len(points) + 1) / 3) + 4)
    low = points.min(axis=0)
    span = float((points.max(axis=0) - low).max()) or 1.0
    cells = np.minimum((points - low) / span * (2**bits), 2**bits - 1).astype(np.uint32)
    return np.argsort(_hilbert_keys(cells, bits))


def insertion_order(points: NDArray[np.float64], seed: int = 1) -> NDArray[np.int64]:
    """Rounds of growing random samples, each along a Hilbert curve (BRIO)."""
    n = len(points)
    shuffled = np.random.default_rng(seed).permutation(n)
    rounds = []
    end = n
    while end > 1000:
        start = end // 8
        rounds.append(shuffled[start:end])
        end = start
    rounds.append(shuffled[:end])
    return np.concatenate([part[hilbert_order(points[part])] for part in reversed(rounds)])
