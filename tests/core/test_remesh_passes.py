"""Each pass of remeshing by itself: what it promises, and what it must not do."""

import numpy as np
import pytest
from scipy.spatial import Delaunay

from intaglio.numeric import chunks
from intaglio.numeric.boxtree import beyond, box_tree, nearest
from intaglio.remeshing.collapsing import (
    TURN,
    collapse_pass,
    may_collapse,
    mend_pass,
    thin_out_pass,
)
from intaglio.remeshing.flipping import flip_far_pass, flip_pass
from intaglio.remeshing.ordering import in_order
from intaglio.remeshing.reference import arc_of, on_curve, reference
from intaglio.remeshing.remesh import compact
from intaglio.remeshing.smoothing import smooth_pass
from intaglio.remeshing.splitting import NO_ROOM, split_pass
from intaglio.remeshing.surface import (
    CORNER,
    LAST_FLIP,
    MAX_STAR,
    ON_CURVE,
    ON_FACE,
    POINTS,
    TRIANGLES,
    Pull,
    fan,
    look_everywhere,
    make_surface,
    neighbours,
    split,
    star,
)
from intaglio.sizing.octree import build_field
from intaglio.triangles.closure import edge_uses, open_edges
from intaglio.triangles.compiled import (
    FACING,
    length_in_field,
    normal_of,
    shape,
    square_length,
    turned_away,
)
from intaglio.triangles.facets import Curves, Facets
from intaglio.triangles.measures import triangle_areas

SIDE = 4.0


def _disc(n=24):
    """A flat square, its rim one curve per side, cut into a fan of long triangles."""
    t = np.linspace(0, SIDE, n + 1)[:-1]
    rim = np.concatenate(
        [
            np.column_stack([t, 0 * t]),
            np.column_stack([0 * t + SIDE, t]),
            np.column_stack([SIDE - t, 0 * t + SIDE]),
            np.column_stack([0 * t, SIDE - t]),
        ]
    )
    m = len(rim)
    points = np.column_stack([np.vstack([rim, [[SIDE / 3, SIDE / 2]]]), np.zeros(m + 1)])
    after = (np.arange(m) + 1) % m
    triangles = np.column_stack([np.full(m, m), np.arange(m), after]).astype(np.int32)
    facets = Facets(points, triangles, np.zeros(m, np.int32), np.zeros(m + 1))
    return facets, _rim_curves(points, n)


def _rim_curves(points, n):
    """The four sides of the square as curves from corner to corner."""
    lines, edges = [], []
    m = 4 * n
    for side in range(4):
        nodes = (np.arange(side * n, side * n + n + 1)) % m
        lines.append(points[nodes])
        edges.append(np.column_stack([nodes[:-1], nodes[1:]]))
    arc = np.linspace(0, SIDE, n + 1)
    return Curves(
        np.arange(5, dtype=np.int32) * (n + 1),
        np.concatenate(lines),
        np.tile(arc, 4),
        np.tile(arc, 4),
        np.array([[k * n, (k + 1) * n % m] for k in range(4)], np.int32),
        np.concatenate(edges).astype(np.int32),
        np.repeat(np.arange(4, dtype=np.int32), n),
        np.tile(np.column_stack([arc[:-1], arc[1:]]), (4, 1)),
    )


def _prepared(h=0.4, n=24, capacity=20_000, held=None):
    facets, curves = _disc(n)
    low, high = np.zeros(3), np.array([SIDE, SIDE, 0.0])
    field = build_field(np.array([low, high]), np.array([h, h]), h, 1.2, low, high)
    s = make_surface(facets, curves, capacity)
    s.size[: len(facets.points)] = h
    held = np.zeros(4, bool) if held is None else held
    return s, reference(facets, curves, field, held)


def _rows(s):
    tri = s.tri[: s.tally[TRIANGLES]]
    return tri[tri[:, 0] >= 0]


def _lengths(s):
    edges = edge_uses(_rows(s))[0]
    return np.linalg.norm(s.points[edges[:, 0]] - s.points[edges[:, 1]], axis=1)


def _sound(s):
    """Still the flat square, every triangle turned up, its rim the only free edges."""
    rows = _rows(s)
    assert triangle_areas(s.points, rows).sum() == pytest.approx(SIDE**2)
    up = np.cross(s.points[rows[:, 1]] - s.points[rows[:, 0]],
                  s.points[rows[:, 2]] - s.points[rows[:, 0]])[:, 2]  # fmt: skip
    assert (up > 0).all()
    free = open_edges(rows)
    assert np.linalg.norm(s.points[free[:, 0]] - s.points[free[:, 1]], axis=1).sum() == (
        pytest.approx(4 * SIDE)
    )


def _split_all(s, ref, limit):
    while made := split_pass(s, ref, limit):
        assert made != NO_ROOM
        flip_pass(s)


def _even(h=0.4):
    """The square remeshed until its triangles are nearly equal, and its nodes inside."""
    s, ref = _prepared(h=h)
    for _ in range(4):
        _split_all(s, ref, 1.38)
        collapse_pass(s, ref.held, 0.7, 1.38)
        flip_pass(s)
        for k in range(3):
            smooth_pass(s, ref, k == 2)
            flip_pass(s)
    n = int(s.tally[POINTS])
    return s, ref, np.flatnonzero((s.kind[:n] == ON_FACE) & (s.at[:n] >= 0))


def _shapes(s):
    return np.array([shape(s.points, *row) for row in _rows(s)])


def test_splitting_leaves_no_edge_longer_than_asked():
    s, ref = _prepared()
    assert _lengths(s).max() > 2.0
    _split_all(s, ref, 1.0)
    assert _lengths(s).max() <= 0.4 * (1 + 1e-12)
    _sound(s)


def test_split_edges_of_a_curve_stay_on_it_at_their_arc_length():
    s, ref = _prepared(n=2)
    _split_all(s, ref, 1.0)
    n = int(s.tally[POINTS])
    spot = np.empty(3)
    on = np.flatnonzero(s.kind[:n] == ON_CURVE)
    assert len(on) > 4 * 9
    for v in on:
        on_curve(ref.start, ref.line, ref.arc, s.owner[v], s.arc[v], spot)
        assert np.allclose(spot, s.points[v], atol=1e-12)


def test_held_curves_are_not_split_nor_moved():
    held = np.array([True, False, False, False])
    s, ref = _prepared(h=0.3, n=9, held=held)
    before = s.points[: s.tally[POINTS]].copy()
    _split_all(s, ref, 1.0)
    smooth_pass(s, ref, True)
    collapse_pass(s, held, 2.0, 10.0)
    bottom = np.flatnonzero(
        (s.kind[: s.tally[POINTS]] == ON_CURVE) & (s.owner[: s.tally[POINTS]] == 0)
    )
    # edges of 0.44 where 0.3 is wanted are left as they are there, and split elsewhere
    assert len(bottom) == 8
    assert np.array_equal(s.points[bottom], before[bottom])
    assert ((s.kind[: s.tally[POINTS]] == ON_CURVE) & (s.owner[: s.tally[POINTS]] == 1)).sum() > 8


def test_splitting_says_when_the_arrays_are_full():
    s, ref = _prepared(h=0.05, capacity=10)
    while (made := split_pass(s, ref, 1.0)) > 0:
        flip_pass(s)
    assert made == NO_ROOM
    _sound(s)


def test_collapsing_leaves_few_short_edges_and_no_long_one():
    s, ref = _prepared(h=0.4, n=60)
    _split_all(s, ref, 1.0)
    short = (_lengths(s) < 0.28).mean()
    assert short > 0.5
    while collapse_pass(s, ref.held, 0.7, 1.38):
        _sound(s)
    lengths = _lengths(s)
    assert (lengths < 0.28).mean() < short / 3
    # what collapsing makes is not longer than it may be
    assert lengths.max() <= 0.4 * 1.38 * (1 + 1e-12)
    _sound(s)


def test_corners_never_go():
    s, ref = _prepared(h=50.0)
    for _ in range(5):
        collapse_pass(s, ref.held, 0.7, 1e9)
        flip_pass(s)
    rows = _rows(s)
    corners = np.flatnonzero(s.kind[: s.tally[POINTS]] == CORNER)
    assert len(corners) == 4 and set(corners) <= set(rows.ravel().tolist())
    # of 96 triangles hardly more are left than the corners and the rules of features ask for
    assert len(rows) <= 16
    _sound(s)


def test_flips_of_a_plane_lead_to_the_triangles_of_delaunay():
    s, _, inner = _even()
    rng = np.random.default_rng(3)
    s.points[inner, :2] += rng.uniform(-0.06, 0.06, (len(inner), 2))
    before = _shapes(s).min()
    while flip_pass(s):
        after = _shapes(s).min()
        assert after >= before * (1 - 1e-12)
        before = after
    _sound(s)
    used = np.unique(_rows(s))
    plain = Delaunay(s.points[used, :2]).simplices
    plain = plain[triangle_areas(s.points[used], plain.astype(np.int32)) > 1e-9]
    own = {tuple(sorted(r)) for r in _rows(s).tolist()}
    peer = {tuple(sorted(used[r].tolist())) for r in plain}
    # the best worst shape is nearly always Delaunay's choice
    assert len(own) == len(peer) and len(own & peer) > 0.9 * len(own)


def test_smoothing_raises_the_mean_shape_and_keeps_the_plane():
    s, ref, inner = _even()
    even = _shapes(s).mean()
    rng = np.random.default_rng(4)
    s.points[inner, :2] += rng.uniform(-0.08, 0.08, (len(inner), 2))
    look_everywhere(s)
    _sound(s)
    before = _shapes(s).mean()
    for k in range(6):
        smooth_pass(s, ref, k % 2 == 1)
        _sound(s)
    # nearly all that the shaking cost is won back
    assert _shapes(s).mean() > even - 0.2 * (even - before)
    assert np.abs(s.points[: s.tally[POINTS], 2]).max() == 0.0


def test_smoothing_spreads_the_nodes_of_a_curve_evenly():
    s, ref, _ = _even()
    n = int(s.tally[POINTS])
    on = np.flatnonzero((s.kind[:n] == ON_CURVE) & (s.owner[:n] == 0) & (s.at[:n] >= 0))
    on = on[np.argsort(s.arc[on])]

    def spread():
        gaps = np.diff([0.0, *np.sort(s.arc[on]), SIDE])
        return gaps.max() / gaps.min()

    s.arc[on[::2]] += 0.08
    for v in on:
        on_curve(ref.start, ref.line, ref.arc, 0, s.arc[v], s.points[v])
    before = spread()
    for _ in range(10):
        smooth_pass(s, ref, True)
    assert before > 1.4 and spread() < 1.1
    assert np.allclose(s.points[on, 0], s.arc[on]) and np.abs(s.points[on, 1]).max() == 0.0
    _sound(s)


def test_mending_takes_out_what_stayed_thin():
    s, ref = _prepared()
    _split_all(s, ref, 1.0)
    for _ in range(3):
        smooth_pass(s, ref, True)
        flip_pass(s)
    inner = np.flatnonzero((s.kind[: s.tally[POINTS]] == 2) & (s.at[: s.tally[POINTS]] >= 0))
    v = int(inner[len(inner) // 2])
    row = s.tri[s.at[v]]
    other = int(next(u for u in row if u != v and s.kind[u] == 2))
    # a node pushed almost onto its neighbour leaves two thin triangles
    s.points[v] = 0.05 * s.points[v] + 0.95 * s.points[other]
    thin = sum(shape(s.points, *r) < 0.3 for r in _rows(s))
    assert thin >= 2
    mend_pass(s, ref.held)
    assert sum(shape(s.points, *r) < 0.3 for r in _rows(s)) < thin
    _sound(s)


def test_a_collapse_that_would_fold_or_pinch_the_surface_is_refused():
    s, ref = _prepared(h=1e6, n=3)
    rows, other = np.empty(MAX_STAR, np.int32), np.empty(MAX_STAR, np.int32)
    hub = int(s.tally[POINTS]) - 1

    def may(t, e, gone, kept):
        n = star(s.tri, s.nbr, s.seen, s.at, s.tally, gone, rows)
        return may_collapse(
            s, Pull(t, e, gone, kept), rows, n, other, ref.held, 1e9, 0.0, TURN, FACING
        )

    for t in range(int(s.tally[TRIANGLES])):
        _, b, c = (int(v) for v in s.tri[t])
        # corners stay; nodes of a curve may go along it, but not into the face
        for gone, kept in ((b, c), (c, b)):
            if s.kind[gone] == CORNER:
                assert not may(t, 0, gone, kept)
        if s.kind[b] == ON_CURVE:
            assert not may(t, 2, b, hub)
    # the hub pulled onto the rim makes flat triangles there
    flat = [may(t, 1, hub, int(s.tri[t, 2])) for t in range(int(s.tally[TRIANGLES]))]
    assert not any(flat)


def test_compacting_keeps_the_edges_of_curves():
    s, ref = _prepared(n=2)
    _split_all(s, ref, 1.0)
    made = compact(s)
    length = np.linalg.norm(made.points[made.edges[:, 0]] - made.points[made.edges[:, 1]], axis=1)
    assert length.sum() == pytest.approx(4 * SIDE)
    for c in range(4):
        assert length[made.edge_curve == c].sum() == pytest.approx(SIDE)


def test_the_arc_of_a_corner_depends_on_its_end_of_the_curve():
    s, ref = _prepared(n=4)
    first, last = (int(v) for v in ref.ends[1])
    assert arc_of(s, ref, 1, first, last) == 0.0
    assert arc_of(s, ref, 1, last, first) == pytest.approx(SIDE)


def test_measures_of_known_triangles():
    p = np.array([[0, 0, 0], [2, 0, 0], [1, np.sqrt(3), 0], [5, 0, 0], [0, 0, 1.0]])
    assert shape(p, 0, 1, 2) == pytest.approx(1.0)
    assert shape(p, 0, 1, 3) == 0.0 and shape(p, 0, 0, 0) == 0.0
    # legs 2 and 1: 4√3·1 / (4 + 1 + 5)
    assert shape(p, 0, 1, 4) == pytest.approx(4 * np.sqrt(3) / 10)
    assert normal_of(p, 0, 1, 2) == pytest.approx((0, 0, 2 * np.sqrt(3)))
    assert square_length(p, 1, 4) == 5.0
    assert length_in_field(p, np.array([1.0, 3.0]), 0, 1) == pytest.approx(1.0)
    up = np.array([[0, 0, 1.0], [0, 0, 1.0], [0, 0, 0]])
    assert not turned_away(up, 0, 1, 2, 0.0, 0.0, 2.0, 2.0, FACING)
    assert turned_away(up, 0, 1, 2, 0.0, 0.0, -2.0, 2.0, FACING)
    assert turned_away(up, 0, 1, 2, 2.0, 0.0, 0.1, 2.0025, FACING)
    # a node without a normal does not judge
    assert not turned_away(up, 2, 2, 2, 0.0, 0.0, -2.0, 2.0, FACING)


def _tube(around=24, along=8, radius=1.0, length=2.0):
    """The side of a cylinder, its two rims one closed curve each."""
    angle = 2 * np.pi * np.arange(around) / around
    ring = radius * np.column_stack([np.cos(angle), np.sin(angle)])
    points = np.concatenate(
        [np.column_stack([ring, np.full(around, z)]) for z in np.linspace(0, length, along + 1)]
    )
    k, j = np.meshgrid(np.arange(along), np.arange(around), indexing="ij")
    a, b = (k * around + j).ravel(), (k * around + (j + 1) % around).ravel()
    triangles = np.concatenate(
        [np.column_stack([a, b, b + around]), np.column_stack([a, b + around, a + around])]
    ).astype(np.int32)
    lines, edges = [], []
    for first in (0, along * around):
        nodes = first + (np.arange(around + 1) % around)
        lines.append(points[nodes])
        edges.append(np.column_stack([nodes[:-1], nodes[1:]]))
    step = 2 * radius * np.sin(np.pi / around)
    arc = step * np.arange(around + 1)
    curves = Curves(
        np.array([0, around + 1, 2 * around + 2], np.int32),
        np.concatenate(lines),
        np.tile(arc, 2),
        np.tile(arc, 2),
        np.array([[0, 0], [along * around, along * around]], np.int32),
        np.concatenate(edges).astype(np.int32),
        np.repeat(np.arange(2, dtype=np.int32), around),
        np.tile(np.column_stack([arc[:-1], arc[1:]]), (2, 1)),
    )
    flat = np.zeros(len(points))
    return Facets(points, triangles, np.zeros(len(triangles), np.int32), flat + 1 / radius), curves


def _tube_prepared(h):
    facets, curves = _tube()
    low, high = facets.points.min(axis=0), facets.points.max(axis=0)
    field = build_field(np.array([low, high]), np.array([h, h]), h, 1.2, low, high)
    s = make_surface(facets, curves, 20_000)
    s.size[: len(facets.points)] = h
    return s, reference(facets, curves, field, np.zeros(2, bool))


def _radii(s):
    """Distance from the axis of the middles of all edges: how far the facets are cut across."""
    edges = edge_uses(_rows(s))[0]
    middle = s.points[edges].mean(axis=1)
    return np.linalg.norm(middle[:, :2], axis=1)


def test_thinning_out_takes_nodes_from_a_bent_face_without_cutting_across_it():
    s, ref = _tube_prepared(0.5)
    before, nodes = len(_rows(s)), int((s.kind[: s.tally[POINTS]] == ON_CURVE).sum())
    least = _radii(s).min()
    # far below any edge that these limits allow: only what bends may hold nodes back
    for _ in range(6):
        thin_out_pass(s, ref.held, 4.0, 8.0)
        flip_far_pass(s, ref.flat)
    rows = _rows(s)
    assert len(rows) < before / 3
    # all nodes of the rims stay, and chords span hardly more than two of the 24 pieces around
    assert (s.kind[np.unique(rows)] != ON_FACE).sum() == nodes + 2
    assert _radii(s).min() > np.cos(np.radians(30)) > np.cos(np.radians(45))
    assert least == pytest.approx(np.cos(np.pi / 24))


def test_passes_look_only_at_what_changed_since_the_last_of_their_kind():
    s, ref, _ = _even()
    while split_pass(s, ref, 1.38) or flip_pass(s):
        pass
    flip_pass(s)
    look_everywhere(s)
    # a full look finds nothing that the passes between had not looked at
    assert flip_pass(s) == 0 and split_pass(s, ref, 1.38) == 0
    last = int(s.tally[LAST_FLIP])
    quiet = s.changed[: s.tally[TRIANGLES]] < last
    assert quiet.all()
    # one edge split: its triangles and those that the pass then turns are all that changed
    t = int(np.flatnonzero(s.tri[: s.tally[TRIANGLES], 0] >= 0)[0])
    e = next(e for e in range(3) if s.curve[t, e] < 0)
    a, b = s.tri[t, (e + 1) % 3], s.tri[t, (e + 2) % 3]
    x, y, z = 0.5 * (s.points[a] + s.points[b])
    split(s, t, e, x, y, z, ON_FACE, 0, 0.0, 0.4)
    m = int(s.tally[TRIANGLES])
    assert (s.changed[:m] >= last).sum() == 4


def test_order_renumbers_and_changes_nothing_else():
    s, ref, _ = _even()
    before, areas = compact(s), triangle_areas(s.points, _rows(s))
    ends = s.points[ref.ends]
    s, ref = in_order(s, ref)
    assert np.sort(triangle_areas(s.points, _rows(s))) == pytest.approx(np.sort(areas))
    assert (s.points[ref.ends] == ends).all() and len(_rows(s)) == s.tally[TRIANGLES]
    after = compact(s)
    assert {tuple(p) for p in after.points} == {tuple(p) for p in before.points}
    # neighbours lead back to each other, and triangles follow their nodes
    assert (neighbours(s.tri[: s.tally[TRIANGLES]]) == s.nbr[: s.tally[TRIANGLES]]).all()
    assert (np.diff(_rows(s).min(axis=1)) >= 0).all()
    rows, walked = np.empty(MAX_STAR, np.int32), np.empty(MAX_STAR, np.int32)
    for v in np.flatnonzero(s.kind[: s.tally[POINTS]] == ON_FACE):
        n = star(s.tri, s.nbr, s.seen, s.at, s.tally, v, rows)
        assert fan(s.tri, s.nbr, s.at, v, walked) == n
        assert set(rows[:n]) == set(walked[:n])


@pytest.mark.parametrize("processors", [1, 2, 5])
def test_smoothing_gives_the_same_on_any_number_of_processors(monkeypatch, processors):
    made = []
    for count in (1, processors):
        monkeypatch.setattr(chunks.os, "sched_getaffinity", lambda _, n=count: set(range(n)))
        monkeypatch.setattr(chunks, "_FEW", 10)
        s, ref, _ = _even(0.1)
        s, ref = in_order(s, ref)
        look_everywhere(s)
        for k in range(4):
            smooth_pass(s, ref, k == 3)
        made.append(s.points[: s.tally[POINTS]].copy())
    assert (made[0] == made[1]).all()


def test_what_is_beyond_a_limit_agrees_with_distances():
    facets, _ = _tube()
    tree = box_tree(facets.points, facets.triangles)
    spots = np.random.default_rng(4).uniform(-2, 3, (30_000, 3))
    out = np.empty(3)
    near = np.array([np.linalg.norm(out - p) if nearest(tree, 0, p, out) >= 0 else np.inf
                     for p in spots[:3000]])  # fmt: skip
    limit = np.random.default_rng(5).uniform(0, 2, len(spots))
    far = beyond(tree, spots, limit)
    assert (far[:3000] == (near > limit[:3000])).all()
    assert 0.1 < far.mean() < 0.9
