"""Elementary changes of a surface keep it closed; remeshing keeps features and shape."""

import numpy as np
import pytest

from intaglio.errors import StepFailed
from intaglio.facets.facets import (
    Curves,
    Facets,
    edge_uses,
    enclosed_volume,
    open_edges,
    triangle_areas,
)
from intaglio.facets.intersections import crossing_triangles
from intaglio.facets.remesh import compact, remesh
from intaglio.facets.surface import (
    MAX_RING,
    ON_FACE,
    collapse,
    flip,
    linked,
    make_surface,
    neighbours,
    ring,
    split,
)
from intaglio.mesh.quality import triangle_angles
from intaglio.sizing.octree import build_field, sizes
from tests.core.test_boxtree import _octahedron_sphere

NO_CURVES = Curves(
    np.zeros(1, np.int32),
    np.zeros((0, 3)),
    np.zeros(0),
    np.zeros(0),
    np.zeros((0, 2), np.int32),
    np.zeros((0, 2), np.int32),
    np.zeros(0, np.int32),
    np.zeros((0, 2)),
)


def _sphere(levels=2):
    points, triangles = _octahedron_sphere(levels)
    region = np.zeros(len(triangles), np.int32)
    return Facets(points, triangles, region, np.ones(len(points)))


def _surface():
    facets = _sphere()
    s = make_surface(facets, NO_CURVES, 5000)
    s.size[: len(facets.points)] = 0.3
    return s


def _sound(s):
    """Closed, consistent neighbours, and Euler's number of a sphere."""
    out = compact(s)
    assert len(open_edges(out.triangles)) == 0
    edges, _, _ = edge_uses(out.triangles)
    assert len(out.points) - len(edges) + len(out.triangles) == 2
    m = int(s.tally[0])
    for t in np.flatnonzero(s.tri[:m, 0] >= 0):
        for e in range(3):
            other = s.nbr[t, e]
            assert s.nbr[other // 3, other % 3] == 3 * t + e
            mine = {s.tri[t, (e + 1) % 3], s.tri[t, (e + 2) % 3]}
            u, f = other // 3, other % 3
            assert mine == {s.tri[u, (f + 1) % 3], s.tri[u, (f + 2) % 3]}
    return out


def test_neighbours_name_each_other():
    triangles = _sphere(1).triangles
    nbr = neighbours(triangles)
    for t in range(len(triangles)):
        for e in range(3):
            other = nbr[t, e]
            assert nbr[other // 3, other % 3] == 3 * t + e


def test_splits_keep_the_surface():
    s = _surface()
    before = enclosed_volume(*(lambda c: (c.points, c.triangles))(compact(s)))
    rng = np.random.default_rng(1)
    for _ in range(60):
        t, e = int(rng.integers(s.tally[0])), int(rng.integers(3))
        middle = 0.5 * (s.points[s.tri[t, (e + 1) % 3]] + s.points[s.tri[t, (e + 2) % 3]])
        split(s, t, e, *middle, ON_FACE, 0, 0.0, 0.3)
    out = _sound(s)
    assert enclosed_volume(out.points, out.triangles) == pytest.approx(before)


def test_flips_and_back():
    s = _surface()
    scratch = np.empty(MAX_RING, np.int32)
    for t in range(0, 100, 7):
        a = s.tri[t, 0]
        d = s.tri[s.nbr[t, 0] // 3, s.nbr[t, 0] % 3]
        assert not linked(s, a, d, scratch)
        flip(s, t, 0)
        assert linked(s, a, d, scratch)
    _sound(s)


def test_collapses_keep_the_surface_closed():
    s = _surface()
    scratch = np.empty(MAX_RING, np.int32)
    done = 0
    for t in range(0, 120, 11):
        if s.tri[t, 0] < 0:
            continue
        gone, kept = int(s.tri[t, 1]), int(s.tri[t, 2])
        n = ring(s, gone, scratch)
        # only where exactly two nodes neighbour both ends
        around = {int(v) for k in scratch[:n] for v in s.tri[k]} - {gone, kept}
        m = ring(s, kept, other := np.empty(MAX_RING, np.int32))
        near = {int(v) for k in other[:m] for v in s.tri[k]} - {gone, kept}
        if len(around & near) == 2:
            collapse(s, t, 0, gone, kept, scratch, n)
            done += 1
    assert done > 5
    _sound(s)


def test_a_ring_goes_round_once():
    s = _surface()
    scratch = np.empty(MAX_RING, np.int32)
    for v in range(20):
        n = ring(s, v, scratch)
        assert set(scratch[:n]) == set(np.flatnonzero((s.tri[: s.tally[0]] == v).any(axis=1)))


def _field(h):
    spots = np.array([[0.0, 0, 0]])
    return build_field(spots, np.array([h]), h, 1.2, np.full(3, -1.2), np.full(3, 1.2))


@pytest.mark.parametrize("h", [0.08, 0.15, 0.5])
def test_facets_without_cad_are_remeshed_to_size(h):
    facets = _sphere(4)
    out = remesh(facets, NO_CURVES, _field(h))
    assert len(open_edges(out.triangles)) == 0
    edges, _, _ = edge_uses(out.triangles)
    length = np.linalg.norm(out.points[edges[:, 0]] - out.points[edges[:, 1]], axis=1)
    assert ((length / h > 0.7) & (length / h < 1.5)).mean() > 0.95
    assert triangle_angles(out.points, out.triangles).min() > 20
    # nodes stay on the given facets, which lie within their sagitta of the sphere
    assert np.abs(np.linalg.norm(out.points, axis=1) - 1).max() < 0.01
    area = triangle_areas(out.points, out.triangles).sum()
    assert area == pytest.approx(4 * np.pi, rel=0.02 if h < 0.3 else 0.12)


def test_open_facets_are_refused_with_the_place():
    facets = _sphere(1)
    torn = Facets(facets.points, facets.triangles[1:], facets.region[1:], facets.curvature)
    with pytest.raises(StepFailed) as caught:
        make_surface(torn, NO_CURVES, 1000)
    assert caught.value.code == "open-surface" and len(caught.value.places) == 3


def test_crossing_triangles_are_found_and_touching_ones_are_not():
    a = _octahedron_sphere(1)
    n = len(a[0])
    triangles = np.concatenate([a[1], a[1] + n])
    apart = np.concatenate([a[0], a[0] + [3.0, 0, 0]])
    assert len(crossing_triangles(apart, triangles)) == 0
    through = np.concatenate([a[0], a[0] + [1.0, 0.1, 0.05]])
    found = crossing_triangles(through, triangles)
    assert 0 < len(found) < len(triangles)
    # all of them near where the spheres meet
    centre = through[triangles[found]].mean(axis=1)
    assert (np.abs(centre[:, 0] - 0.5) < 0.6).all()


def test_sizes_outside_of_the_field_take_the_nearest():
    field = _field(0.3)
    assert sizes(field, np.array([[99.0, 0, 0]]))[0] == pytest.approx(0.3)
