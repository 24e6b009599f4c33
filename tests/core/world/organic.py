"""Facets of the set: surfaces of sums of soft balls and tubes, and noise on spheres."""

import math
from collections.abc import Callable
from functools import partial

import manifold3d
import numpy as np

from intaglio.facets.part import FacetPart
from tests.core.scans import sphere
from tests.core.world.model import Model


def _part(points: np.ndarray, triangles: np.ndarray) -> FacetPart:
    m = len(triangles)
    return FacetPart(
        np.ascontiguousarray(points, np.float64),
        np.ascontiguousarray(triangles, np.int32),
        np.zeros(m, np.int32),
        np.zeros(m, np.int32),
        ("face_1",),
        ("part",),
        "mm",
    )


def _level(inside: Callable[[float, float, float], float], half: float, edge: float) -> FacetPart:
    """The surface where `inside` is zero, within a cube of 2 `half`."""
    box = [-half, -half, -half, half, half, half]
    mesh = manifold3d.Manifold.level_set(inside, box, edge).to_mesh()
    return _part(mesh.vert_properties[:, :3].astype(float), mesh.tri_verts.astype(np.int32))


Point = tuple[float, float, float]


def _capsule(p: Point, a: Point, b: Point, r: float) -> float:
    """How far p is inside a round bar from a to b; plain arithmetic, for it is asked a million
    times."""
    way = (b[0] - a[0], b[1] - a[1], b[2] - a[2])
    off = (p[0] - a[0], p[1] - a[1], p[2] - a[2])
    along = off[0] * way[0] + off[1] * way[1] + off[2] * way[2]
    t = min(1.0, max(0.0, along / (way[0] ** 2 + way[1] ** 2 + way[2] ** 2)))
    return r - math.dist(off, (t * way[0], t * way[1], t * way[2]))


def _blend(values: list[float], soft: float) -> float:
    """A smooth maximum."""
    top = max(values)
    return top + soft * math.log(sum(math.exp((v - top) / soft) for v in values))


def tubes(seed: int) -> FacetPart:
    """Tubes in random directions, blended."""
    rng = np.random.default_rng(2000 + seed)
    ends = rng.normal(size=(4, 3))
    ends *= 9 / np.linalg.norm(ends, axis=1)[:, None]
    bars = list(zip(map(tuple, ends.tolist()), rng.uniform(1.2, 2.5, 4).tolist(), strict=True))

    def inside(x: float, y: float, z: float) -> float:
        return _blend([_capsule((x, y, z), (0.0, 0.0, 0.0), tip, r) for tip, r in bars], 0.4)

    return _level(inside, 14, 0.7)


def fingers(seed: int) -> FacetPart:
    """A palm with fingers close to each other."""
    rng = np.random.default_rng(2100 + seed)
    gap = rng.uniform(0.35, 0.8)

    def inside(x: float, y: float, z: float) -> float:
        p = (x, y, z)
        spread = [(2.0 + gap) * (k - 1.5) for k in range(4)]
        tips = [_capsule(p, (0.0, s, 0.0), (9.0, s, 0.3 * k), 1.0) for k, s in enumerate(spread)]
        palm = _capsule(p, (-3.0, -3.5, 0.0), (-3.0, 3.5, 0.0), 3.0)
        return max(*tips, palm)

    return _level(inside, 13, 0.45)


def ears(seed: int) -> FacetPart:
    """A ball with flat ears."""
    rng = np.random.default_rng(2200 + seed)
    thick = rng.uniform(0.35, 0.6)

    def inside(x: float, y: float, z: float) -> float:
        ball = 5.0 - math.hypot(x, y, z)
        ear = 1.0 - math.hypot(x / thick, (abs(y) - 5.5) / 3, (z - 3) / 4)
        return max(ball, ear * thick)

    return _level(inside, 11, 0.4)


def noisy(seed: int) -> FacetPart:
    """A sphere with noise of a few wave lengths."""
    rng = np.random.default_rng(2300 + seed)
    ball = sphere(10.0, 5)
    way = ball.points / 10.0
    height = np.zeros(len(way))
    for k in range(1, 7):
        wave = rng.normal(size=3) * 1.8 * k
        height += rng.uniform(0.2, 0.6) / k * np.sin(way @ wave + rng.uniform(0, 6))
    return _part(way * (10.0 + height)[:, None], ball.triangles)


def _family(name: str, make, count: int) -> list[Model]:
    return [Model(f"{name} {k}", name, partial(make, k)) for k in range(count)]


ORGANIC = (
    *_family("noise on a sphere", noisy, 5),
    *_family("blended tubes", tubes, 4),
    *_family("fingers", fingers, 4),
    *_family("flat ears", ears, 3),
)
