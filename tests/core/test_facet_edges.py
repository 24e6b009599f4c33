"""Edges, rims and turns of facets, on shapes made to be awkward."""

from dataclasses import replace

import numpy as np
import pytest
import trimesh

from intaglio.facets.capping import cap_triangles, faired, refined_cap
from intaglio.facets.diagnosis import diagnose
from intaglio.facets.faults import extra_copies
from intaglio.facets.openings import free_edges, rim_centre, vector_area
from intaglio.facets.part import FacetPart, kept
from intaglio.facets.welding import equal_points
from intaglio.triangles.edges import chains, edge_table, rims
from tests.core.scans import fine_box, part_of, sphere


def _without(part: FacetPart, gone) -> FacetPart:
    keep = np.ones(len(part.triangles), bool)
    keep[gone] = False
    return kept(part, keep)


@pytest.mark.parametrize("seed", range(20))
def test_rims_use_every_free_edge_once_and_are_simple(seed):
    rng = np.random.default_rng(seed)
    part = sphere(fine=2)
    broken = _without(part, rng.choice(len(part.triangles), rng.integers(1, 120), replace=False))
    table = edge_table(broken.triangles)
    walks = rims(broken.triangles, table)
    edges = np.concatenate([e for _, e in walks])
    assert sorted(edges) == sorted(np.flatnonzero(table.uses == 1))
    for nodes, along in walks:
        assert len(set(nodes.tolist())) == len(nodes) == len(along) >= 2
        ahead = np.roll(nodes, -1)
        pairs = np.sort(np.stack([nodes, ahead], axis=1), axis=1)
        np.testing.assert_array_equal(pairs, table.nodes[along])


def test_rims_that_touch_in_a_node_keep_to_their_own_fan():
    part = sphere(fine=3)
    v = 200
    around = np.flatnonzero((part.triangles == v).any(axis=1))
    opposite = [around[0]]
    for t in around[1:]:
        shared = set(part.triangles[t]) & set(part.triangles[around[0]])
        if shared == {v}:
            opposite.append(t)
            break
    broken = _without(part, opposite)
    walks = rims(broken.triangles, edge_table(broken.triangles))
    assert sorted(len(n) for n, _ in walks) == [3, 3]


def test_chains_end_where_other_than_two_edges_meet():
    # a circle of four with a tail of two
    edges = np.array([[0, 1], [1, 2], [2, 3], [3, 0], [0, 4], [4, 5]], np.int32)
    found = sorted(chains(edges), key=len)
    assert [len(c) for c in found] == [3, 5]
    assert found[1][0] == found[1][-1] == 0


def test_a_twisted_band_has_one_side():
    n = 24
    t = np.linspace(0, 2 * np.pi, n, endpoint=False)
    points = []
    for k in range(n):
        for s in (-1.0, 1.0):
            r = 5 + s * np.cos(t[k] / 2)
            points.append([r * np.cos(t[k]), r * np.sin(t[k]), s * np.sin(t[k] / 2)])
    rows = []
    for k in range(n):
        a, b = 2 * k, 2 * k + 1
        c, d = (2 * k + 2, 2 * k + 3) if k + 1 < n else (1, 0)
        rows += [[a, c, b], [b, c, d]]
    none = np.zeros(len(rows), np.int32)
    band = FacetPart(np.array(points), np.array(rows, np.int32), none, none, ("b",), ("b",), "mm")
    assert "one-sided" in [f.code for f in diagnose(band).findings]


def test_a_closed_flat_sheet_encloses_nothing():
    square = trimesh.creation.box((4, 3, 1))
    top = part_of(square)
    flat = np.flatnonzero((top.points[top.triangles][:, :, 2] > 0).all(axis=1))
    sheet = kept(top, np.isin(np.arange(len(top.triangles)), flat))
    both = np.concatenate([sheet.triangles, sheet.triangles[:, ::-1]])
    none = np.zeros(len(both), np.int32)
    part = replace(sheet, triangles=both, region=none, body=none)
    codes = {f.code for f in diagnose(part).findings}
    assert codes & {"duplicate-faces", "no-volume"}


@pytest.mark.parametrize("n", [3, 4, 7, 40, 900])
def test_caps_of_a_round_rim_have_its_area(n):
    t = np.linspace(0, 2 * np.pi, n, endpoint=False)
    rim = np.stack([np.cos(t), np.sin(t), 0 * t], axis=1)
    cap = cap_triangles(rim, np.arange(n), np.zeros((n, n), bool))
    assert len(cap) == n - 2
    mesh = trimesh.Trimesh(rim, cap, process=False)
    assert mesh.area == pytest.approx(0.5 * n * np.sin(2 * np.pi / n), rel=1e-9)
    assert float(np.linalg.norm(vector_area(rim))) == pytest.approx(mesh.area, rel=1e-9)
    assert rim_centre(rim) == pytest.approx([0, 0, 0], abs=1e-12)


def test_no_cap_where_every_way_across_is_taken():
    square = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], float)
    linked = np.ones((4, 4), bool)
    assert len(cap_triangles(square, np.arange(4), linked)) == 0


def test_a_refined_cap_keeps_its_rim_and_a_faired_one_stays_flat_in_a_plane():
    t = np.linspace(0, 2 * np.pi, 32, endpoint=False)
    rim = np.stack([5 * np.cos(t), 5 * np.sin(t), 0 * t], axis=1)
    coarse = cap_triangles(rim, np.arange(32), np.zeros((32, 32), bool))
    points, fine = refined_cap(rim, coarse, 1.0)
    assert len(points) > 50
    table = edge_table(fine)
    assert set(table.nodes[table.uses == 1].ravel().tolist()) == set(range(32))
    inner = points.copy()
    free = np.arange(len(points)) >= 32
    inner[free, 2] = 3.0
    flat = faired(inner, fine, free)
    np.testing.assert_allclose(flat[:, 2], 0.0, atol=1e-9)


def test_equal_points_agree_with_numpy():
    rng = np.random.default_rng(4)
    points = rng.integers(0, 6, (5000, 3)).astype(float)
    points[::7] *= -0.0
    number, count = equal_points(points)
    unique = np.unique(points + 0.0, axis=0)
    assert count == len(unique)
    back = np.empty((count, 3))
    back[number] = points + 0.0
    np.testing.assert_array_equal(back[number], points + 0.0)


def test_copies_are_counted_whatever_their_order():
    triangles = np.array([[0, 1, 2], [2, 0, 1], [3, 4, 5], [1, 0, 2], [5, 3, 4]], np.int32)
    assert extra_copies(triangles).tolist() == [False, True, False, True, True]


@pytest.mark.parametrize("width", [0.05, 0.2])
def test_free_edges_of_a_slit_can_be_capped(width):
    """A slit cut into a box face: two long sides that face each other along one closed rim."""
    part = fine_box(edge=1.0)
    points = part.points.copy()
    top = np.isclose(points[:, 2], 3.0)
    line = np.flatnonzero(top & np.isclose(points[:, 1], 0.0) & (np.abs(points[:, 0]) < 6.0))
    line = line[np.argsort(points[line, 0])]
    if len(line) < 4:
        pytest.skip("the box has no row of nodes there")
    twin = {int(v): len(points) + k for k, v in enumerate(line[1:-1])}
    extra = points[line[1:-1]] + np.array([0, width, 0])
    triangles = part.triangles.copy()
    middle = points[triangles].mean(axis=1)
    beyond = (middle[:, 1] > 0) & (middle[:, 2] > 2.99)
    for t in np.flatnonzero(beyond):
        triangles[t] = [twin.get(int(v), int(v)) for v in triangles[t]]
    slit = replace(part, points=np.concatenate([points, extra]), triangles=triangles)
    free = free_edges(slit.points, slit.triangles, edge_table(slit.triangles))
    assert len(free.slits) == 1 and free.holes == () and not free.rest.any()
    assert free.width[np.isfinite(free.width)].max() == pytest.approx(width, rel=0.05)
