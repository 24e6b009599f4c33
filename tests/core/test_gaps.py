"""Gaps are looked for once for each triangle and spacing, and give the widths that are there."""

import numpy as np
import pytest
import trimesh

from intaglio.sizing import gaps
from intaglio.sizing.gaps import samples
from intaglio.triangles.facets import Facets


def _facets(mesh) -> Facets:
    t = np.asarray(mesh.faces, np.int32)
    return Facets(np.asarray(mesh.vertices, float), t, np.zeros(len(t), np.int32),
                  np.zeros(len(mesh.vertices)))  # fmt: skip


def _slab(depth=0.4) -> Facets:
    return _facets(trimesh.creation.box((4.0, 3.0, depth)).subdivide().subdivide())


def _sides(facets):
    return np.column_stack(
        [np.zeros(len(facets.triangles), np.int32), np.full(len(facets.triangles), -1, np.int32)]
    )


def test_widths_across_a_slab():
    facets = _slab()
    found = samples(facets, np.full(len(facets.points), 0.2), _sides(facets), True)
    normal = np.abs(found.spot[:, 2]) > 0.2 - 1e-9
    inner = normal & (np.abs(found.spot[:, 0]) < 1.9) & (np.abs(found.spot[:, 1]) < 1.4)
    assert found.width[inner] == pytest.approx(0.4, rel=1e-2) and inner.sum() > 100
    # the long way, between the narrow sides
    ends = (np.abs(found.spot[:, 0]) > 2 - 1e-9) & (np.abs(found.spot[:, 2]) < 0.15)
    ends &= np.abs(found.spot[:, 1]) < 1.4
    assert found.width[ends] == pytest.approx(4.0, rel=1e-2) and ends.sum() > 10


@pytest.mark.parametrize("size", [0.05, 0.11, 0.4, 1.7])
def test_points_are_no_farther_apart_than_sizes_ask_for(size):
    facets = _slab()
    found = samples(facets, np.full(len(facets.points), size), None, False)
    corner = facets.points[facets.triangles[found.triangle]]
    first = 1 - found.weight.sum(axis=1)
    weights = np.column_stack([first, found.weight])
    assert np.einsum("ij,ijk->ik", weights, corner) == pytest.approx(found.spot)
    # of any place of the surface, some point is within the size
    surface = trimesh.Trimesh(facets.points, facets.triangles)
    spots, _ = trimesh.sample.sample_surface(surface, 400, seed=3)
    near = np.linalg.norm(spots[:, None] - found.spot[None], axis=2).min(axis=1)
    assert near.max() < size


def test_only_what_changed_is_looked_for_again(monkeypatch):
    facets, asked = _slab(), []
    whole = gaps.gap_widths

    def counted(facets, spot, triangle, sides):
        asked.append(len(spot))
        return whole(facets, spot, triangle, sides)

    monkeypatch.setattr(gaps, "gap_widths", counted)
    sides, size = _sides(facets), np.full(len(facets.points), 0.25)
    first = samples(facets, size, sides, True)
    assert sum(asked) == len(first.spot)
    asked.clear()
    again = samples(facets, 1.1 * size, sides, True)
    assert sum(asked) == 0 and (again.width == first.width).all()
    # finer at one corner: only the triangles there are new
    finer = np.where(facets.points[:, 0] < -1.5, 0.1, 0.25)
    mixed = samples(facets, finer, sides, True)
    changed = np.flatnonzero(finer[facets.triangles].min(axis=1) < 0.25)
    assert 0 < sum(asked) == np.isin(mixed.triangle, changed).sum() < len(mixed.spot)
    # what comes of it is what comes without anything kept
    bare = samples(_slab(), finer, sides, True)
    assert (mixed.spot == bare.spot).all() and (mixed.width == bare.width).all()


def test_widths_asked_for_later_are_found_then():
    facets = _slab()
    size = np.full(len(facets.points), 0.25)
    assert np.isnan(samples(facets, size, _sides(facets), False).width).all()
    assert not np.isnan(samples(facets, size, _sides(facets), True).width).any()
