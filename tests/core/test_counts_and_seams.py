"""Counted edges stand where they were asked to, also between zones; seams are walked over."""

import numpy as np
import pytest

from intaglio.errors import SettingRejected
from intaglio.facets.features import facet_turns
from intaglio.quality.triangles import triangle_angles
from intaglio.recipe.plan import MemoryStore, run_to, source_key, states
from intaglio.remeshing.remesh import remesh
from intaglio.remeshing.surface_mesh import mesh_surface
from intaglio.sizing.octree import build_field
from intaglio.sizing.sources import on_curve
from intaglio.sizing.spacing import positions
from intaglio.triangles.closure import edge_uses, unclosed_edges
from intaglio.triangles.measures import triangle_areas
from intaglio.triangles.seams import seams, walked
from tests.core.shapes import box, cylinder, fuse, run, source
from tests.core.test_surface_changes import _two_boxes


def _field(facets, h):
    low, high = facets.points.min(axis=0), facets.points.max(axis=0)
    return build_field(facets.points, np.full(len(facets.points), h), h, 1.2, low, high)


@pytest.mark.parametrize("count, cluster", [(7, "uniform"), (9, "both"), (6, "first")])
def test_counted_edges_stand_at_their_places_between_zones(count, cluster):
    facets, curves, sides = _two_boxes()
    # an edge at which both boxes and their common side meet
    c = next(
        k
        for k, (a, b) in enumerate(curves.ends.tolist())
        if facets.points[a][0] == facets.points[b][0] == 1
    )
    at = positions(1.0, count, cluster, 3.0)
    out = remesh(facets, curves, _field(facets, 0.2), counted={c: at})
    assert len(unclosed_edges(out.triangles, sides[out.region])) == 0
    a, b = facets.points[curves.ends[c]]
    wanted = a + at[:, None] * (b - a)
    nodes = np.unique(out.edges[out.edge_curve == c])
    got = out.points[nodes]
    got = got[np.argsort((got - a) @ (b - a))]
    assert got == pytest.approx(wanted, abs=1e-12)


def _halved_square_box():
    """Two boxes without their common side: four flat pairs of faces meet at x = 1."""
    from dataclasses import replace

    facets, curves, _ = _two_boxes()
    kept = facets.region != 1
    return replace(facets, triangles=facets.triangles[kept], region=facets.region[kept]), curves


def _seams(facets, curves, label=None, angle=5.0, size=0.3):
    label = np.zeros(int(facets.region.max()) + 1, np.int32) if label is None else label
    turn = facet_turns(facets, curves)
    sizes = np.full(len(facets.points), size)
    kept = np.zeros(len(curves.ends), bool)
    return seams(facets, curves, turn, label, np.radians(angle), sizes, kept), kept, sizes


def test_flat_neighbours_are_one_and_sharp_ones_are_not():
    facets, curves = _halved_square_box()
    seam, kept, size = _seams(facets, curves)
    assert seam.sum() == 4
    walk = walked(facets, curves, seam, kept, np.radians(5), size)
    # the four long sides of the box become one each, its two ends stay
    used = np.unique(facets.region)
    assert len(np.unique(walk.group[used])) == 6
    # and each edge along them, of two pieces, becomes one
    assert len(walk.curves.ends) == 12
    length = np.diff(
        walk.curves.arc[np.stack([walk.curves.start[:-1], walk.curves.start[1:] - 1])], axis=0
    )
    assert sorted(np.round(length.ravel(), 9)) == [1.0] * 8 + [2.0] * 4
    # another label beyond the seam keeps it
    label = np.zeros(11, np.int32)
    label[7:] = 1
    assert not _seams(facets, curves, label)[0].any()


def test_joined_curves_know_their_former_ones():
    facets, curves = _halved_square_box()
    seam, kept, size = _seams(facets, curves)
    walk = walked(facets, curves, seam, kept, np.radians(5), size)
    for c in range(len(walk.curves.ends)):
        at = np.linspace(0, walk.curves.arc[walk.curves.start[c + 1] - 1], 9)
        former, arc = walk.former(np.full(9, c), at)
        for k in range(9):
            spot = on_curve(walk.curves, c, at[k : k + 1])
            assert spot == pytest.approx(on_curve(curves, former[k], arc[k : k + 1]), abs=1e-12)
    # the surface's edges stand on the joined curves where they stood on the former
    lines = walk.curves
    for (a, b), c, arc in zip(lines.edge_nodes, lines.edge_curve, lines.edge_arc, strict=True):
        assert on_curve(lines, c, arc) == pytest.approx(facets.points[[a, b]], abs=1e-12)


def test_a_seam_walked_over_leaves_no_row_of_nodes():
    facets, curves = _halved_square_box()
    field = _field(facets, 0.3)

    def on_seam(angle):
        seam, kept, size = _seams(facets, curves, angle=angle)
        walk = walked(facets, curves, seam, kept, np.radians(angle), size) if angle else None
        out = mesh_surface(facets, curves, field, walk=walk)
        _, count, net = edge_uses(out.triangles)
        assert (count == 2).all() and (net == 0).all()
        assert triangle_areas(out.points, out.triangles).sum() == pytest.approx(10.0)
        assert triangle_angles(out.points, out.triangles).min() > 25
        assert set(np.unique(out.region)) == set(np.unique(facets.region))
        on_curves = out.points[out.edges][:, :, 0]
        return (np.abs(on_curves - 1) < 1e-9).all(axis=1).sum()

    assert on_seam(0.0) >= 12
    assert on_seam(5.0) == 0


def test_counts_and_sizes_are_named_by_faces(tmp_path):
    given = {
        "domain": {"where": "as-is"},
        "sizing": {
            "smallest": 0.3,
            "largest": 0.8,
            "sizes": [
                {"patches": ["wall*"], "size": 0.5},
                {"between": ["face_1", "face_3"], "count": 5, "cluster": "uniform"},
            ],
        },
    }
    part = source(box(0, 0, 0, 2, 2, 2), tmp_path)
    states, _ = run(part, "surface", given)
    assert states["surface"].report["volume"] == pytest.approx(8.0)


@pytest.mark.parametrize(
    ("rows", "words"),
    [
        ({"sizes": [{"patches": ["lids"], "size": 0.5}]}, "lids, and nothing there"),
        (
            {"sizes": [{"between": ["face_1", "lid"], "count": 5, "cluster": "uniform"}]},
            "face_1 and lid, and nothing there",
        ),
        ({"sizes": [{"between": ["face_1", "face_2"], "size": 0.5}]}, "share no edge"),
        (
            {"regions": [{"name": "near", "shape": "shell", "patches": ["lid"], "size": 0.5,
                          "thickness": 1.0}]},
            "lid, and nothing there",
        ),
    ],
)  # fmt: skip
def test_sizes_that_are_meant_for_nothing_are_refused(tmp_path, rows, words):
    given = {"domain": {"where": "as-is"}, "sizing": {"smallest": 0.3, "largest": 0.8, **rows}}
    with pytest.raises(SettingRejected, match=words) as refused:
        run(source(box(0, 0, 0, 2, 2, 2), tmp_path), "sizing", given)
    assert refused.value.blank == f"sizing.{next(iter(rows))}"


def test_counts_far_coarser_than_the_sizes_are_refused_with_one_that_would_do(tmp_path):
    given = {
        "domain": {"where": "as-is"},
        "sizing": {
            "smallest": 0.1,
            "largest": 0.2,
            "sizes": [{"between": ["*", "*"], "count": 3}],
        },
    }
    with pytest.raises(SettingRejected) as caught:
        run(source(box(0, 0, 0, 1, 1, 1), tmp_path), "sizing", given)
    assert caught.value.blank == "sizing.sizes" and "at least 4" in str(caught.value)
    given["sizing"]["sizes"][0]["count"] = 4
    states, _ = run(source(box(0, 0, 0, 1, 1, 1), tmp_path), "surface", given)
    # five places on each of the twelve edges, before the surface is meshed
    assert len(states["sizing"].report["counted"]) == 12 * 5


def test_naming_costs_a_mesh_only_where_it_parts_a_seam(tmp_path):
    half = fuse(cylinder((0, 0, 0), (0, 0, 1), 3, 4), cylinder((0, 0, 4), (0, 0, 1), 3, 4))
    given = {"domain": {"where": "as-is"}, "sizing": {"smallest": 1.5, "largest": 2.0}}
    part, store = source(half, tmp_path), MemoryStore()
    first = {s.stage: s for s in run_to("surface", part, "part", given, store)}
    faces = first["domain"].report["faces"]
    flat = [f["id"] for f in faces if f["surface"] == "plane"]
    round_ = [f["id"] for f in faces if f["surface"] == "cylinder"]
    assert len(round_) == 2 and len(first["sizing"].report["seams"]) == 1

    def named(*rows):
        patches = [{"name": n, "kind": k, "faces": f} for n, k, f in rows]
        settings = given | {"patches": {"patches": patches}}
        key = source_key(part.data)
        now = {s.stage: s for s in states(key, "part", settings, store.report)}
        # neither has been settled yet
        assert now["patches"].report is None
        return now["surface"], settings

    other, _ = named(
        ("lid", "inlet", flat[:1]), ("floor", "outlet", flat[1:]), ("side", "wall", round_)
    )
    assert other.key == first["surface"].key and other.report is not None
    parted, settings = named(
        ("ends", "inlet", flat), ("low", "wall", round_[:1]), ("high", "wall", round_[1:])
    )
    assert parted.key != first["surface"].key and parted.report is None
    # then there is a row of nodes along the seam
    made = {s.stage: s for s in run_to("surface", part, "part", settings, store)}
    assert made["surface"].key == parted.key
    on_seam = [
        int((np.abs(store.get(s["surface"].key).arrays["points"][:, 2] - 4) < 1e-9).sum())
        for s in (first, made)
    ]
    assert on_seam[1] >= 9 and on_seam[0] < 5
