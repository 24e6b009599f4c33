"""Floating-point expansions: exact sums and products as arrays of non-overlapping doubles.

Source: J. R. Shewchuk, "Adaptive precision floating-point arithmetic and fast robust geometric
predicates", Discrete & Computational Geometry 18 (1997), sections 2.1 to 2.8.
An expansion is a float64 array in increasing order of magnitude; an empty array is zero.
"""

import numpy as np
from numba import njit

_SPLITTER = 134217729.0  # 2^27 + 1


@njit(cache=True, inline="always")
def two_sum(a, b):
    x = a + b
    bv = x - a
    av = x - bv
    return x, (a - av) + (b - bv)


@njit(cache=True, inline="always")
def two_product(a, b):
    x = a * b
    c = _SPLITTER * a
    ah = c - (c - a)
    al = a - ah
    c = _SPLITTER * b
    bh = c - (c - b)
    bl = b - bh
    return x, al * bl - (((x - ah * bh) - al * bh) - ah * bl)


@njit(cache=True)
def difference(a, b):
    """a - b exactly, as an expansion of at most two components."""
    x, y = two_sum(a, -b)
    if y != 0.0:
        out = np.empty(2)
        out[0] = y
        out[1] = x
        return out
    if x != 0.0:
        out = np.empty(1)
        out[0] = x
        return out
    return np.empty(0)


@njit(cache=True)
def add(e, f):
    """Exact sum of two expansions (fast expansion sum with zero elimination, fig. 13)."""
    ne = e.size
    nf = f.size
    if ne == 0:
        return f
    if nf == 0:
        return e
    out = np.empty(ne + nf)
    i = 0
    j = 0
    n = 0
    if (f[0] > e[0]) == (f[0] > -e[0]):
        q = e[0]
        i = 1
    else:
        q = f[0]
        j = 1
    while i < ne or j < nf:
        if j >= nf or (i < ne and (f[j] > e[i]) == (f[j] > -e[i])):
            q, h = two_sum(q, e[i])
            i += 1
        else:
            q, h = two_sum(q, f[j])
            j += 1
        if h != 0.0:
            out[n] = h
            n += 1
    if q != 0.0:
        out[n] = q
        n += 1
    return out[:n]


@njit(cache=True)
def scale(e, b):
    """Exact product of an expansion and a double (fig. 19, with zero elimination)."""
    if e.size == 0 or b == 0.0:
        return np.empty(0)
    out = np.empty(2 * e.size)
    n = 0
    q, h = two_product(e[0], b)
    if h != 0.0:
        out[n] = h
        n += 1
    for i in range(1, e.size):
        p1, p0 = two_product(e[i], b)
        s, h = two_sum(q, p0)
        if h != 0.0:
            out[n] = h
            n += 1
        q, h = two_sum(p1, s)
        if h != 0.0:
            out[n] = h
            n += 1
    if q != 0.0:
        out[n] = q
        n += 1
    return out[:n]


@njit(cache=True)
def multiply(e, f):
    """Exact product of two expansions."""
    if e.size < f.size:
        e, f = f, e
    total = np.empty(0)
    for j in range(f.size):
        total = add(total, scale(e, f[j]))
    return total


@njit(cache=True)
def negate(e):
    return -e


@njit(cache=True)
def sign(e):
    """Sign of an expansion: that of its largest component."""
    if e.size == 0:
        return 0
    return 1 if e[e.size - 1] > 0.0 else -1
