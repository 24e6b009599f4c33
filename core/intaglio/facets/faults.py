"""Triangles and nodes at fault, one by one: flat, copied, spiky."""

import numpy as np
from numpy.typing import NDArray

from intaglio.facets.part import FacetPart, Floats, Ints
from intaglio.findings import PLACES
from intaglio.triangles.edges import EdgeTable
from intaglio.triangles.measures import triangle_areas

# a spike stands this many times as high as its foot is wide
SPIKE = 3.0


def flat_triangles(part: FacetPart, scale: float) -> NDArray[np.bool_]:
    """Triangles (m,) without an area: corners equal or in one line."""
    a, b, c = part.triangles.T
    same = (a == b) | (b == c) | (c == a)
    area = triangle_areas(part.points, part.triangles)
    corner = part.points[part.triangles]
    longest = np.linalg.norm(corner - np.roll(corner, 1, axis=1), axis=2).max(axis=1)
    return same | (2 * area <= 1e-9 * scale * longest)


def extra_copies(triangles: Ints) -> NDArray[np.bool_]:
    """Triangles (m,) on the same three nodes as an earlier one."""
    key = np.sort(triangles, axis=1).astype(np.int64)
    n = np.int64(key.max()) + 1 if len(key) else np.int64(1)
    if n < 2_000_000:
        code = (key[:, 0] * n + key[:, 1]) * n + key[:, 2]
        order = np.argsort(code, kind="stable")
        again = code[order][1:] == code[order][:-1]
    else:
        order = np.lexsort((key[:, 2], key[:, 1], key[:, 0]))
        again = (key[order][1:] == key[order][:-1]).all(axis=1)
    out = np.zeros(len(triangles), bool)
    out[order[1:][again]] = True
    return out


def spikes(part: FacetPart, table: EdgeTable, scale: float) -> NDArray[np.int64]:
    """Nodes that stand out as needles: far higher over their ring than it is wide."""
    points = part.points
    n = len(points)
    a, b = table.nodes.T
    degree = np.bincount(a, minlength=n) + np.bincount(b, minlength=n)
    total = np.zeros((n, 3))
    for i in range(3):
        total[:, i] = np.bincount(a, points[b, i], n) + np.bincount(b, points[a, i], n)
    centre = total / np.maximum(degree, 1)[:, None]
    wide = np.zeros(n)
    np.maximum.at(wide, a, np.linalg.norm(points[b] - centre[a], axis=1))
    np.maximum.at(wide, b, np.linalg.norm(points[a] - centre[b], axis=1))
    high = np.linalg.norm(points - centre, axis=1)
    return np.flatnonzero((high > SPIKE * wide) & (wide < 0.1 * scale) & (degree > 2))


def places(points: Floats) -> list[list[float]]:
    return points[:PLACES].tolist()


def edge_lengths(points: Floats, edges: Ints) -> Floats:
    return np.linalg.norm(points[edges[:, 0]] - points[edges[:, 1]], axis=1)
