"""Welding: triangles that share corners by position share them by number."""

from itertools import pairwise

import numpy as np
from numba import njit
from numpy.typing import NDArray
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components
from scipy.spatial import cKDTree

from intaglio.facets.part import FacetPart, with_triangles
from intaglio.triangles.edges import edge_table

Floats = NDArray[np.float64]


@njit(cache=True)
def _weld(bits, number, table):
    """Equal rows of bits (n, 3) get equal numbers; open addressing in table. Count of rows."""
    mask = np.uint64(table.size - 1)
    count = 0
    for k in range(bits.shape[0]):
        h = bits[k, 0] * np.uint64(0x9E3779B97F4A7C15)
        h ^= h >> np.uint64(29)
        h = (h + bits[k, 1]) * np.uint64(0xBF58476D1CE4E5B9)
        h ^= h >> np.uint64(32)
        h = (h + bits[k, 2]) * np.uint64(0x94D049BB133111EB)
        h ^= h >> np.uint64(31)
        spot = h & mask
        while True:
            first = table[spot]
            if first < 0:
                table[spot] = k
                number[k] = count
                count += 1
                break
            if (
                bits[first, 0] == bits[k, 0]
                and bits[first, 1] == bits[k, 1]
                and bits[first, 2] == bits[k, 2]
            ):
                number[k] = number[first]
                break
            spot = (spot + np.uint64(1)) & mask
    return count


def equal_points(points: Floats) -> tuple[NDArray[np.int64], int]:
    """Number (n,) per point so that equal points have equal numbers, and how many there are."""
    bits = np.ascontiguousarray(points + 0.0).view(np.uint64)  # + 0.0: no negative zero
    size = 1 << max(4, int(2 * len(points)).bit_length())
    number = np.empty(len(points), np.int64)
    count = _weld(bits, number, np.full(size, -1, np.int64))
    return number, count


def welded(part: FacetPart) -> FacetPart:
    """Equal points become one. Triangles left without three different corners are kept."""
    number, count = equal_points(part.points)
    points = np.empty((count, 3))
    points[number] = part.points
    return with_triangles(
        part, number[part.triangles].astype(np.int32), part.region, part.body, points
    )


def sewn(part: FacetPart, tolerance: float) -> tuple[FacetPart, int]:
    """Nodes of free edges within the tolerance of each other become one; the count of those gone.

    Only free edges are touched, so that no fine detail elsewhere is lost. A free edge whose nodes
    lie along a longer one is met by splitting that one.
    """
    part = _split_at_neighbours(part, tolerance)
    table = edge_table(part.triangles)
    free = np.unique(table.nodes[table.uses == 1])
    if not len(free):
        return part, 0
    near = cKDTree(part.points[free]).query_pairs(tolerance, output_type="ndarray")
    if not len(near):
        return part, 0
    graph = coo_array((np.ones(len(near)), (near[:, 0], near[:, 1])), shape=(len(free),) * 2)
    label = connected_components(graph, directed=False)[1]
    count = np.bincount(label)
    centre = np.stack([np.bincount(label, part.points[free, i]) / count for i in range(3)], axis=1)
    # a cluster longer than the tolerance would draw far nodes together: the nearest pairs only
    reach = np.linalg.norm(part.points[free] - centre[label], axis=1)
    wide = np.zeros(len(count), bool)
    np.logical_or.at(wide, label, reach > tolerance)
    number = np.arange(len(part.points))
    points = part.points.copy()
    tight = ~wide[label]
    lowest = np.full(len(count), len(points), np.int64)
    np.minimum.at(lowest, label, free)
    number[free[tight]] = lowest[label[tight]]
    points[lowest[~wide]] = centre[~wide]
    for a, b in near[wide[label[near[:, 0]]]]:
        a, b = free[a], free[b]
        if number[a] == a and number[b] == b:
            number[b] = a
    triangles = number[part.triangles]
    alive = _three(triangles)
    gone = int((number != np.arange(len(number))).sum())
    return (
        with_triangles(
            part, triangles[alive].astype(np.int32), part.region[alive], part.body[alive], points
        ),
        gone,
    )


def _three(triangles: NDArray[np.int64]) -> NDArray[np.bool_]:
    a, b, c = triangles.T
    return (a != b) & (b != c) & (a != c)


def _split_at_neighbours(part: FacetPart, tolerance: float) -> FacetPart:
    """Free edges split where a free node of another edge lies beside them, within the tolerance."""
    table = edge_table(part.triangles)
    lone = np.flatnonzero(table.uses == 1)
    if not len(lone):
        return part
    nodes = table.nodes[lone]
    free = np.unique(nodes)
    a, b = part.points[nodes[:, 0]], part.points[nodes[:, 1]]
    length = np.linalg.norm(b - a, axis=1)
    tree = cKDTree(part.points[free])
    hits = tree.query_ball_point((a + b) / 2, length / 2 + tolerance)
    points = [part.points]
    count = len(part.points)
    triangles, region, body = part.triangles.tolist(), part.region.tolist(), part.body.tolist()
    for k, near in enumerate(hits):
        i, j = int(nodes[k, 0]), int(nodes[k, 1])
        others = free[near]
        others = others[(others != i) & (others != j)]
        if not len(others) or length[k] == 0:
            continue
        along = (part.points[others] - a[k]) @ (b[k] - a[k]) / length[k] ** 2
        foot = a[k] + along[:, None] * (b[k] - a[k])
        beside = np.linalg.norm(part.points[others] - foot, axis=1)
        margin = min(0.49, tolerance / length[k])
        on = (along > margin) & (along < 1 - margin) & (beside <= tolerance)
        shares = np.sort(along[on])
        if not len(shares):
            continue
        shares = shares[np.concatenate([[True], np.diff(shares) > 1e-9])]
        half = int(table.half[table.start[lone[k]]])
        t, corner = half // 3, half % 3
        row = triangles[t]
        p, q, apex = row[corner], row[(corner + 1) % 3], row[(corner + 2) % 3]
        if (p, q) != (i, j):
            shares = 1 - shares[::-1]
        if {p, q} != {i, j}:
            continue  # this triangle was split already along another of its edges
        new = part.points[p] + shares[:, None] * (part.points[q] - part.points[p])
        points.append(new)
        line = [p, *range(count, count + len(new)), q]
        count += len(new)
        triangles[t] = [line[0], line[1], apex]
        for u, v in pairwise(line[1:]):
            triangles.append([u, v, apex])
            region.append(region[t])
            body.append(body[t])
    if len(points) == 1:
        return part
    return with_triangles(
        part,
        np.array(triangles, np.int32),
        np.array(region, np.int32),
        np.array(body, np.int32),
        np.concatenate(points),
    )
