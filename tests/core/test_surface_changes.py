"""Elementary changes of a surface keep it closed; remeshing keeps features and shape."""

import numpy as np
import pytest

from intaglio.errors import StepFailed
from intaglio.numeric.intersections import crossing_triangles
from intaglio.quality.cells import tet_volumes
from intaglio.quality.triangles import triangle_angles
from intaglio.remeshing.remesh import compact, remesh
from intaglio.remeshing.surface import (
    MAX_STAR,
    ON_FACE,
    Pull,
    collapse,
    flip,
    linked,
    make_surface,
    neighbours,
    split,
    star,
)
from intaglio.sizing.octree import build_field, sizes
from intaglio.triangles.closure import edge_uses, open_edges, unclosed_edges
from intaglio.triangles.facets import Curves, Facets
from intaglio.triangles.measures import enclosed_volume, triangle_areas
from intaglio.volume.fill import fill
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


def _star(s, v, out):
    return star(s.tri, s.nbr, s.seen, s.at, s.tally, v, out)


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
            assert s.nbr[other >> 2, other & 3] == 4 * t + e
            mine = {s.tri[t, (e + 1) % 3], s.tri[t, (e + 2) % 3]}
            u, f = other >> 2, other & 3
            assert mine == {s.tri[u, (f + 1) % 3], s.tri[u, (f + 2) % 3]}
    return out


def test_neighbours_name_each_other():
    triangles = _sphere(1).triangles
    nbr = neighbours(triangles)
    for t in range(len(triangles)):
        for e in range(3):
            other = nbr[t, e]
            assert nbr[other >> 2, other & 3] == 4 * t + e


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
    scratch = np.empty(MAX_STAR, np.int32)
    for t in range(0, 100, 7):
        a = s.tri[t, 0]
        d = s.tri[s.nbr[t, 0] >> 2, s.nbr[t, 0] & 3]
        assert not linked(s.tri, s.nbr, s.seen, s.at, s.tally, a, d, scratch)
        flip(s, t, 0)
        assert linked(s.tri, s.nbr, s.seen, s.at, s.tally, a, d, scratch)
    _sound(s)


def test_collapses_keep_the_surface_closed():
    s = _surface()
    scratch = np.empty(MAX_STAR, np.int32)
    done = 0
    for t in range(0, 120, 11):
        if s.tri[t, 0] < 0:
            continue
        gone, kept = int(s.tri[t, 1]), int(s.tri[t, 2])
        n = _star(s, gone, scratch)
        # only where exactly two nodes neighbour both ends
        around = {int(v) for k in scratch[:n] for v in s.tri[k]} - {gone, kept}
        m = _star(s, kept, other := np.empty(MAX_STAR, np.int32))
        near = {int(v) for k in other[:m] for v in s.tri[k]} - {gone, kept}
        if len(around & near) == 2:
            collapse(s, Pull(t, 0, gone, kept), scratch, n)
            done += 1
    assert done > 5
    _sound(s)


def test_a_star_holds_every_triangle_once():
    s = _surface()
    scratch = np.empty(MAX_STAR, np.int32)
    for v in range(20):
        n = _star(s, v, scratch)
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


def _two_boxes():
    """Two unit cubes that share the square x = 1: five nodes-to-node curves meet at its corners."""
    points = np.array([[x, y, z] for x in (0, 1, 2) for y in (0, 1) for z in (0, 1)], float)

    def n(x, y, z):
        return 4 * x + 2 * y + z

    def side(x):
        return (n(x, 0, 0), n(x, 1, 0), n(x, 1, 1), n(x, 0, 1))

    quads = [side(0)[::-1], side(1), side(2)]
    for a, b in ((0, 1), (1, 2)):
        quads += [
            (n(a, 0, 0), n(b, 0, 0), n(b, 0, 1), n(a, 0, 1)),
            (n(a, 1, 0), n(a, 1, 1), n(b, 1, 1), n(b, 1, 0)),
            (n(a, 0, 0), n(a, 1, 0), n(b, 1, 0), n(b, 0, 0)),
            (n(a, 0, 1), n(b, 0, 1), n(b, 1, 1), n(a, 1, 1)),
        ]
    triangles = np.array([t for a, b, c, d in quads for t in ((a, b, c), (a, c, d))], np.int32)
    region = np.repeat(np.arange(len(quads)), 2).astype(np.int32)
    sides = np.array([[0, -1], [0, 1], [1, -1]] + [[0, -1]] * 4 + [[1, -1]] * 4, np.int32)
    pairs = sorted({tuple(sorted((q[i], q[(i + 1) % 4]))) for q in quads for i in range(4)})
    ends = np.array(pairs, np.int32)
    count = len(ends)
    arc = np.tile([0.0, 1.0], count)
    curves = Curves(
        2 * np.arange(count + 1, dtype=np.int32), points[ends].reshape(-1, 3), arc, arc, ends, ends,
        np.arange(count, dtype=np.int32), np.tile([0.0, 1.0], (count, 1)),
    )  # fmt: skip
    return Facets(points, triangles, region, np.zeros(len(points))), curves, sides


@pytest.mark.parametrize("h", [0.4, 0.13])
def test_two_zones_share_the_nodes_of_their_interface(h):
    facets, curves, sides = _two_boxes()
    low, high = facets.points.min(axis=0), facets.points.max(axis=0)
    field = build_field(facets.points, np.full(len(facets.points), h), h, 1.2, low, high)
    out = remesh(facets, curves, field)
    assert len(unclosed_edges(out.triangles, sides[out.region])) == 0
    assert triangle_angles(out.points, out.triangles).min() > 25
    filled = fill(out.points, out.triangles, out.region, field, sides=sides[out.region])
    volume = tet_volumes(filled.points, filled.tets)
    assert (volume > 0).all()
    for zone in (0, 1):
        assert volume[filled.zone == zone].sum() == pytest.approx(1.0, rel=1e-12)
    # the interface is the same triangles seen from both zones
    own = [
        {tuple(sorted(f)) for t in filled.tets[filled.zone == z].tolist()
         for f in ((t[0], t[1], t[2]), (t[0], t[1], t[3]), (t[0], t[2], t[3]), (t[1], t[2], t[3]))}
        for z in (0, 1)
    ]  # fmt: skip
    shared = {tuple(sorted(t)) for t in filled.triangles[out.region[filled.origin] == 1].tolist()}
    assert own[0] & own[1] == shared and len(shared) >= 2 / h**2


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
