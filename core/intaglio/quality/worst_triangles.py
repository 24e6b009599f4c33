"""The worst triangles of a surface mesh, why each is as it is, and those around one."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from intaglio.findings import PLACES
from intaglio.quality.catalogue import Metric
from intaglio.quality.triangles import SURFACE_METRICS
from intaglio.quality.worst import TOLD, Tail, WorstCell, worst_cells
from intaglio.triangles.closure import edge_keys

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]
Longs = NDArray[np.int64]
# nodes of each side of a triangle
_SIDES = np.array([[0, 1], [1, 2], [2, 0]])


def described_triangles(
    points: Floats, triangles: Ints, region: Ints, chosen: Longs, value: Floats, names: list[str]
) -> list[WorstCell]:
    """A row for each of the triangles `chosen` (k,) with value (k,); names of the regions."""
    why = triangle_causes(points, triangles, region, chosen, names)
    middle = points[triangles[chosen]].mean(axis=1)
    return [
        {
            "cell": int(t),
            "value": float(value[k]),
            "place": middle[k].tolist(),
            "shape": "triangle",
            "zone": "",
            "layer": 0,
            "cause": why[k],
        }
        for k, t in enumerate(chosen.tolist())
    ]


@dataclass(frozen=True)
class _Edges:
    """Edges of a surface by their keys (e,), ascending; the triangles at each, one after the other
    from `start` (e,) on, `count` (e,) of them; whether each is an edge of its faces too (e,)."""

    key: Longs
    start: Longs
    count: Longs
    triangle: Longs
    rim: NDArray[np.bool_]


def _edges(triangles: Ints, region: Ints) -> _Edges:
    sides = edge_keys(triangles[:, _SIDES].reshape(-1, 2))
    order = np.argsort(sides, kind="stable")
    triangle = np.repeat(np.arange(len(triangles)), 3)[order]
    key, start, count = np.unique(sides[order], return_index=True, return_counts=True)
    low = np.minimum.reduceat(region[triangle], start)
    high = np.maximum.reduceat(region[triangle], start)
    return _Edges(key, start, count, triangle, (low != high) | (count != 2))


def triangle_causes(
    points: Floats, triangles: Ints, region: Ints, chosen: Longs, names: list[str]
) -> list[str]:
    """Why each triangle is as it is: two of its sides are edges of its face, which leave it no
    other angle; it reaches from edge to edge; or merely where it lies."""
    edges = _edges(triangles, region)
    on_rim = np.zeros(len(points), bool)
    on_rim[edges.key[edges.rim] >> 32] = True
    on_rim[edges.key[edges.rim] & 0xFFFFFFFF] = True
    out = []
    for t in chosen.tolist():
        own = names[region[t]]
        at = np.searchsorted(edges.key, edge_keys(triangles[t, _SIDES]))
        rims = np.flatnonzero(edges.rim[at]).tolist()
        if len(rims) == 2:
            out.append(f"forced by a corner of {own} of {_corner(points[triangles[t]], rims):.3g}°")
        elif on_rim[triangles[t]].all():
            out.append(f"reaches from edge to edge of {own}")
        else:
            beside = [region[edges.triangle[s : s + n]] for s, n in zip(edges.start[at[rims]],
                      edges.count[at[rims]], strict=True)]  # fmt: skip
            others = dict.fromkeys(names[r] for faces in beside for r in faces.tolist())
            told = " and ".join(name for name in others if name != own)
            out.append(f"on {own}, at its edge with {told}" if told else f"on {own}")
    return out


def _corner(corners: Floats, sides: list[int]) -> float:
    """Angle in degrees between two sides of a triangle (3, 3)."""
    node = next(n for n in _SIDES[sides[0]].tolist() if n in _SIDES[sides[1]])
    u, v = (corners[(node + i) % 3] - corners[node] for i in (1, 2))
    return float(np.degrees(np.arctan2(np.linalg.norm(np.cross(u, v)), float(u @ v))))


def triangle_tails(points: Floats, triangles: Ints, values: dict[str, Floats]) -> dict[str, Tail]:
    """{metric: its worst end} of metrics (m,) of triangles."""
    out: dict[str, Tail] = {}
    for metric in SURFACE_METRICS:
        own = values[metric.key]
        worst = worst_cells(own, metric.large_is_bad, TOLD)
        out[metric.key] = {
            "values": own[worst].tolist(),
            "places": points[triangles[worst[:PLACES]]].mean(axis=1).tolist(),
        }
    return out


def triangles_around(triangles: Ints, chosen: Longs, rings: int) -> Longs:
    """Triangles (k,) with those around them, in the order of their numbers: in each ring all that
    share a node with one that there is."""
    held = np.zeros(len(triangles), bool)
    held[chosen] = True
    for _ in range(rings):
        near = np.zeros(int(triangles.max()) + 1, bool)
        near[triangles[held]] = True
        held |= near[triangles].any(axis=1)
    return np.flatnonzero(held)


def triangle_metric(key: str) -> Metric | None:
    """The metric of triangles that is called so."""
    return next((m for m in SURFACE_METRICS if m.key == key), None)
