"""Facets as a part: triangles in regions and bodies with names, before they are known to close."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]


@dataclass(frozen=True)
class FacetPart:
    """points (n, 3) in `unit`; triangles (m, 3); region (m,) index into region_names; body (m,)
    index into body_names."""

    points: Floats
    triangles: Ints
    region: Ints
    body: Ints
    region_names: tuple[str, ...]
    body_names: tuple[str, ...]
    unit: str

    @cached_property
    def memo(self) -> dict[str, Any]:
        """What others found out about the part and may need again; kept with it."""
        return {}


def scale_of(points: Floats) -> float:
    """Diagonal of the box around points (n, 3); 0 without points."""
    return float(np.linalg.norm(np.ptp(points, axis=0))) if len(points) else 0.0


def kept(part: FacetPart, keep: NDArray[np.bool_]) -> FacetPart:
    """The part with the triangles of keep (m,) only; unused points are dropped."""
    return with_triangles(part, part.triangles[keep], part.region[keep], part.body[keep])


def with_triangles(
    part: FacetPart, triangles: Ints, region: Ints, body: Ints, points: Floats | None = None
) -> FacetPart:
    """The part with other triangles, and only the points that they use."""
    points = part.points if points is None else points
    used = np.zeros(len(points), bool)
    used[triangles.ravel()] = True
    number = np.cumsum(used) - 1
    return replace(
        part,
        points=points[used],
        triangles=number[triangles].astype(np.int32),
        region=region.astype(np.int32),
        body=body.astype(np.int32),
    )


def joined(parts: Sequence[FacetPart]) -> FacetPart:
    """Several parts side by side; names that occur twice get a number."""
    points, triangles, region, body = [], [], [], []
    region_names: list[str] = []
    body_names: list[str] = []
    offset = 0
    for p in parts:
        points.append(p.points)
        triangles.append(p.triangles + offset)
        region.append(p.region + len(region_names))
        body.append(p.body + len(body_names))
        region_names += [free_name(n, region_names) for n in p.region_names]
        body_names += [free_name(n, body_names) for n in p.body_names]
        offset += len(p.points)
    return FacetPart(
        np.concatenate(points),
        np.concatenate(triangles).astype(np.int32),
        np.concatenate(region).astype(np.int32),
        np.concatenate(body).astype(np.int32),
        tuple(region_names),
        tuple(body_names),
        parts[0].unit,
    )


def free_name(name: str, taken: Sequence[str]) -> str:
    """The name, or with _2, _3 … if it is taken."""
    out, n = name, 1
    while out in taken:
        n += 1
        out = f"{name}_{n}"
    return out
