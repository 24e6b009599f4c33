"""Triangulated shapes with known faults, for tests of facets."""

from dataclasses import replace

import numpy as np
import trimesh

from intaglio.facets.part import FacetPart, joined, kept

CENTRES = ("icosphere", "box", "torus", "capsule", "cylinder", "annulus")


def part_of(mesh, name: str = "part") -> FacetPart:
    """A welded facet part of a trimesh mesh: one region, one body."""
    n = len(mesh.faces)
    none = np.zeros(n, np.int32)
    return FacetPart(
        np.asarray(mesh.vertices, float), np.asarray(mesh.faces, np.int32), none, none.copy(),
        (name,), (name,), "mm",
    )  # fmt: skip


def sphere(radius: float = 10.0, fine: int = 3, at=(0.0, 0.0, 0.0)) -> FacetPart:
    part = part_of(trimesh.creation.icosphere(fine, radius))
    return replace(part, points=part.points + np.array(at))


def fine_box(size=(20.0, 10.0, 6.0), edge: float = 1.5) -> FacetPart:
    mesh = trimesh.creation.box(size).subdivide_to_size(edge)
    return part_of(mesh)


def holed(part: FacetPart, at, radius: float) -> FacetPart:
    """Without the triangles whose middle lies within a radius of a point."""
    middle = part.points[part.triangles].mean(axis=1)
    return kept(part, np.linalg.norm(middle - at, axis=1) > radius)


def gapped(part: FacetPart, width: float) -> FacetPart:
    """Cut in two across x and drawn apart."""
    right = part.points[part.triangles].mean(axis=1)[:, 0] > 1e-9
    a, b = kept(part, right), kept(part, ~right)
    return joined([replace(a, points=a.points + np.array([width, 0, 0])), b])


def flipped(part: FacetPart, which) -> FacetPart:
    triangles = part.triangles.copy()
    triangles[which] = triangles[which][:, ::-1]
    return replace(part, triangles=triangles)


def soup(part: FacetPart) -> FacetPart:
    """Every triangle with corners of its own."""
    m = len(part.triangles)
    return replace(
        part,
        points=part.points[part.triangles.ravel()],
        triangles=np.arange(3 * m, dtype=np.int32).reshape(-1, 3),
    )


def as_trimesh(part: FacetPart) -> trimesh.Trimesh:
    """For what trimesh says of it, as it stands."""
    return trimesh.Trimesh(part.points, part.triangles, process=False)
