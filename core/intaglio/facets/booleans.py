"""Booleans of closed facets, with the region of each triangle carried through.

The set operation itself is that of the manifold3d package, whose result is a closed surface.
"""

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import manifold3d
import numpy as np
from numpy.typing import NDArray

from intaglio.errors import StepFailed
from intaglio.facets.part import FacetPart, Floats, Ints


def solid_of(points: Floats, triangles: Ints, tag: Ints) -> manifold3d.Manifold:
    """A closed surface for set operations; tag (m,) comes back on the result's triangles."""
    used, local = np.unique(triangles, return_inverse=True)
    mesh = manifold3d.Mesh64(
        vert_properties=np.ascontiguousarray(points[used], np.float64),
        tri_verts=np.ascontiguousarray(local.reshape(-1, 3), np.uint64),
        face_id=np.ascontiguousarray(tag, np.uint64),
    )
    solid = manifold3d.Manifold(mesh)
    if solid.status() != manifold3d.Error.NoError or solid.is_empty():
        raise StepFailed(
            "not-closed",
            "The facets do not close around a volume, so nothing can be cut from them or joined to "
            "them. Repair the findings of Geometry first.",
        )
    return solid


def _result(solid: manifold3d.Manifold) -> tuple[Floats, Ints, NDArray[np.int64]]:
    mesh = solid.to_mesh64()
    triangles = np.asarray(mesh.tri_verts).astype(np.int64)
    points = np.asarray(mesh.vert_properties, np.float64)[:, :3]
    # points that meet in one place for reasons of properties are one point
    merged = np.arange(len(points))
    merged[np.asarray(mesh.merge_from_vert, np.int64)] = np.asarray(mesh.merge_to_vert, np.int64)
    triangles = merged[triangles]
    return points, triangles.astype(np.int32), np.asarray(mesh.face_id).astype(np.int64)


def combined(
    a: tuple[Floats, Ints, Ints],
    b: tuple[Floats, Ints, Ints],
    how: str,
) -> tuple[Floats, Ints, NDArray[np.int64]]:
    """Points, triangles and tags of `a` minus, common with, or united with `b`.

    a, b: points, triangles, tag of each triangle; how: difference, intersection or union. Raises
    StepFailed if either is open or nothing is left.
    """
    act: dict[str, Callable[..., Any]] = {
        "difference": lambda x, y: x - y,
        "intersection": lambda x, y: x ^ y,
        "union": lambda x, y: x + y,
    }
    out = act[how](solid_of(*a), solid_of(*b))
    if out.is_empty():
        raise StepFailed("nothing-left", "Nothing is left of the geometry there.")
    return _result(out)


def united(part: FacetPart, piece: Ints) -> FacetPart:
    """The union of the pieces of a part; each triangle keeps its region and body."""
    tag = np.arange(len(part.triangles), dtype=np.int64)
    solids = [
        solid_of(part.points, part.triangles[piece == k], tag[piece == k])
        for k in range(int(piece.max()) + 1)
    ]
    points, triangles, origin = _result(
        manifold3d.Manifold.batch_boolean(solids, manifold3d.OpType.Add)
    )
    return replace(
        part,
        points=points,
        triangles=triangles,
        region=part.region[origin],
        body=part.body[origin],
    )
