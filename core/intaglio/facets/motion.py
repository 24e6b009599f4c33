"""Facets scaled, moved, turned, mirrored, and their regions split by a plane."""

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from intaglio.facets.part import FacetPart, free_name

Changed = tuple[FacetPart, int]


def scaled(part: FacetPart, factor: float) -> Changed:
    """Larger by a factor about the origin."""
    return replace(part, points=part.points * factor), 1


def moved(part: FacetPart, by: list[float]) -> Changed:
    """Shifted by a vector."""
    return replace(part, points=part.points + np.asarray(by, float)), 1


def rotated(part: FacetPart, at: list[float], axis: list[float], angle: float) -> Changed:
    """Turned about an axis through a point by degrees (Rodrigues' formula)."""
    k = np.asarray(axis, float) / np.linalg.norm(axis)
    t = np.radians(angle)
    p = part.points - at
    turned = p * np.cos(t) + np.cross(k, p) * np.sin(t) + np.outer(p @ k, k) * (1 - np.cos(t))
    return replace(part, points=turned + at), 1


def mirrored(part: FacetPart, at: list[float], normal: list[float]) -> Changed:
    """Mirrored in a plane; triangles are turned, so that outward stays outward."""
    n = np.asarray(normal, float) / np.linalg.norm(normal)
    points = part.points - 2 * np.outer((part.points - at) @ n, n)
    return replace(part, points=points, triangles=part.triangles[:, ::-1].copy()), 1


def split_plane(
    part: FacetPart, at: list[float], normal: list[float], regions: set[int]
) -> Changed:
    """Regions cut in two along a plane: triangles that cross it are cut, and what lies on its
    positive side becomes a region of its own. No regions given: all that it meets."""
    n = np.asarray(normal, float) / np.linalg.norm(normal)
    chosen = np.isin(part.region, list(regions)) if regions else np.ones(len(part.triangles), bool)
    height = (part.points - at) @ n
    height[np.abs(height) < 1e-9 * max(np.abs(height).max(), 1e-300)] = 0.0
    part, height, chosen = _cut(part, height, chosen)
    middle = height[part.triangles].sum(axis=1)
    names = list(part.region_names)
    region = part.region.copy()
    before = len(names)
    for r in np.unique(part.region[chosen]):
        own = chosen & (part.region == r)
        above = own & (middle > 0)
        if above.any() and (own & ~above).any():
            region[above] = len(names)
            names.append(free_name(f"{part.region_names[r]}_2", names))
    return replace(part, region=region, region_names=tuple(names)), len(names) - before


def _cut(
    part: FacetPart, height: np.ndarray, chosen: np.ndarray
) -> tuple[FacetPart, np.ndarray, np.ndarray]:
    """Every edge that crosses the plane and touches a chosen triangle gets a node on it."""
    points = part.points.tolist()
    heights = height.tolist()
    made: dict[tuple[int, int], int] = {}

    def node(a: int, b: int) -> int:
        key = (min(a, b), max(a, b))
        if key not in made:
            share = heights[a] / (heights[a] - heights[b])
            p = part.points[a] + share * (part.points[b] - part.points[a])
            made[key] = len(points)
            points.append(p.tolist())
            heights.append(0.0)
        return made[key]

    crossing = set()
    for t in np.flatnonzero(chosen).tolist():
        for i in range(3):
            a, b = int(part.triangles[t, i]), int(part.triangles[t, (i + 1) % 3])
            if height[a] * height[b] < 0:
                crossing.add((min(a, b), max(a, b)))
    triangles, region, body, picked = [], [], [], []
    for t, row in enumerate(part.triangles.tolist()):
        cut = [
            (min(row[i], row[(i + 1) % 3]), max(row[i], row[(i + 1) % 3])) in crossing
            for i in range(3)
        ]
        pieces = _pieces(row, cut, node)
        triangles += pieces
        region += [part.region[t]] * len(pieces)
        body += [part.body[t]] * len(pieces)
        picked += [chosen[t]] * len(pieces)
    out = replace(
        part,
        points=np.array(points),
        triangles=np.array(triangles, np.int32),
        region=np.array(region, np.int32),
        body=np.array(body, np.int32),
    )
    return out, np.array(heights), np.array(picked, bool)


def _pieces(row: list[int], cut: list[bool], node: Callable[[int, int], int]) -> list[list[int]]:
    """A triangle cut at one or two of its edges."""
    if not any(cut):
        return [row]
    if sum(cut) == 1:
        i = cut.index(True)
        a, b, c = row[i], row[(i + 1) % 3], row[(i + 2) % 3]
        m = node(a, b)
        return [[a, m, c], [m, b, c]]
    i = cut.index(False)
    # the edge that is whole runs from a to b; c is alone on its side
    a, b, c = row[i], row[(i + 1) % 3], row[(i + 2) % 3]
    p, q = node(b, c), node(c, a)
    return [[a, b, p], [a, p, q], [q, p, c]]
