"""Open bodies: what would close them, in which order, and what comes of it."""

import numpy as np
import pytest
import trimesh
from OCP.TopAbs import TopAbs_ShapeEnum

from intaglio.cad.measures import area, centroid, volume
from intaglio.cad.part import Part
from intaglio.cad.read import compound, sheet_of
from intaglio.cad.repair import without_faces
from intaglio.cad.topology import explore
from intaglio.cad.write import step_bytes
from intaglio.cli import main
from intaglio.errors import StepFailed
from intaglio.facets.part import FacetPart
from intaglio.formats.stl import stl_bytes
from intaglio.parts.acting import apply
from intaglio.parts.closing import closed, ways
from intaglio.parts.kinds import kind_of
from intaglio.parts.source import Source
from intaglio.recipe.drafting import draft
from intaglio.settings.blanks import build
from intaglio.stages.geometry.settings import Geometry
from intaglio.stages.geometry.step import geometry_step
from intaglio.triangles.edges import edge_table, pairs_across
from intaglio.triangles.measures import inner_angles
from tests.core.scans import as_trimesh, fine_box, gapped, holed, part_of, sphere
from tests.core.shapes import box, cut, cylinder, run

RING = np.pi * (2.0**2 - 1.5**2)


def _cad(shape) -> Part:
    return Part(compound([shape]), "mm")


def _thick_pipe(ends) -> Part:
    """A pipe without the rings at the given heights: there a rim lies within a rim."""
    whole = _cad(cut(cylinder((0, 0, 0), (0, 0, 1), 2, 5), cylinder((0, 0, -1), (0, 0, 1), 1.5, 7)))
    rings = {
        k for k, f in enumerate(whole.faces) if any(abs(centroid(f)[2] - z) < 1e-6 for z in ends)
    }
    assert len(rings) == len(ends)
    return without_faces(whole, rings)


def _tube_of_facets() -> FacetPart:
    made = trimesh.creation.annulus(1.5, 2.0, 5.0)
    side = np.abs(made.face_normals[:, 2]) < 0.5
    tube = trimesh.Trimesh(made.vertices, made.faces[side])
    tube.merge_vertices()
    return part_of(tube)


def _terrain(n=16) -> FacetPart:
    x, y = np.meshgrid(np.linspace(0, 10, n), np.linspace(0, 8, n), indexing="ij")
    z = 3.0 + 0.8 * np.sin(x) * np.cos(y)
    at = np.arange(n * n).reshape(n, n)
    a, b, c, d = at[:-1, :-1], at[1:, :-1], at[1:, 1:], at[:-1, 1:]
    rows = np.concatenate([np.stack(t, -1).reshape(-1, 3) for t in ((a, b, c), (a, c, d))])
    return part_of(trimesh.Trimesh(np.column_stack([x.ravel(), y.ravel(), z.ravel()]), rows))


def _order(model) -> list[str]:
    return [w.operation["do"] for w in ways(model, kind_of(model).diagnosed(model).findings)]


def _volume(model) -> float:
    return float(kind_of(model).volume(model))


def _no_errors(model) -> bool:
    return not any(f.level == "error" for f in kind_of(model).diagnosed(model).findings)


def test_a_closed_model_needs_nothing():
    assert _order(_cad(box(0, 0, 0, 4, 3, 2))) == [] and _order(fine_box()) == []
    assert closed(fine_box())[1] == []


@pytest.mark.parametrize("gone", [{0}, {0, 1}])
def test_missing_faces_are_capped(gone):
    part = without_faces(_cad(box(0, 0, 0, 4, 3, 2)), gone)
    assert _order(part)[0] == "cap"
    out, actions = closed(part)
    assert [a["do"] for a in actions] == ["cap"]
    assert volume(out.shape) == pytest.approx(24.0) and _no_errors(out)


@pytest.mark.parametrize("ends", [(5.0,), (0.0, 5.0)])
def test_rims_within_each_other_are_closed_in_their_plane(ends):
    part = _thick_pipe(ends)
    assert _order(part)[0] == "close_plane"
    out, actions = closed(part)
    assert [a["do"] for a in actions] == ["close_plane"] * len(ends)
    assert {a["title"] for a in actions} == {f"Close 2 rims in the plane z = {z:g}" for z in ends}
    assert volume(out.shape) == pytest.approx(5.0 * RING, rel=1e-6) and _no_errors(out)
    rings = [f for f in out.faces if any(abs(centroid(f)[2] - z) < 1e-6 for z in ends)]
    assert [area(f) for f in rings] == pytest.approx([RING] * len(ends))


def test_so_are_those_of_facets():
    tube = _tube_of_facets()
    exact = trimesh.creation.annulus(1.5, 2.0, 5.0).volume
    out, actions = closed(tube)
    assert [a["do"] for a in actions] == ["close_plane"] * 2
    assert _volume(out) == pytest.approx(exact) and _no_errors(out)
    assert as_trimesh(out).is_watertight
    # what was made can be named
    assert set(out.region_names) - set(tube.region_names)


def test_gaps_come_first():
    part = holed(gapped(fine_box(), 0.05), (6, 1, 3), 1.8)
    assert _order(part)[0] == "sew"
    out, actions = closed(part)
    assert [a["do"] for a in actions] == ["sew", "cap"] and as_trimesh(out).is_watertight


def test_a_sheet_is_thickened_on_the_side_of_its_normals():
    flat = Part(compound([sheet_of([_cad(box(0, 0, 0, 4, 3, 2)).faces[0]])]), "mm")
    assert _order(flat)[0] == "thicken"
    out, count = apply(flat, {"do": "thicken", "thickness": 0.05})
    assert count == 1 and volume(out.shape) == pytest.approx(3 * 2 * 0.05) and _no_errors(out)
    # half a ball's skin becomes a shell; the exact one lies between two spheres
    ball = sphere(10.0, fine=5)
    skin = part_of(trimesh.Trimesh(ball.points, ball.triangles[
        ball.points[ball.triangles].mean(axis=1)[:, 2] > 0]))  # fmt: skip
    thick, _ = apply(skin, {"do": "thicken", "thickness": 1.0})
    exact = skin_area = trimesh.Trimesh(skin.points, skin.triangles).area
    exact *= (11.0**3 - 10.0**3) / (3 * 10.0**2)
    assert skin_area == pytest.approx(2 * np.pi * 100, rel=0.03)
    assert _volume(thick) == pytest.approx(exact, rel=1e-3)
    assert as_trimesh(thick).is_watertight and _no_errors(thick)
    assert {"rim"} < set(thick.region_names)


def test_a_crease_keeps_its_thickness():
    points = np.array([[0, 0, 0], [4, 0, 0], [4, 0, 3], [0, 0, 3], [4, 2, 0], [4, 2, 3.0]])
    rows = np.array([[0, 1, 2], [0, 2, 3], [1, 4, 5], [1, 5, 2]])
    out, _ = apply(part_of(trimesh.Trimesh(points, rows, process=False)),
                   {"do": "thicken", "thickness": 0.1})  # fmt: skip
    # two plates that meet square, on the outer side of the corner
    assert _volume(out) == pytest.approx(3 * (0.1 * 4 + 0.1 * 2 + 0.1**2), rel=1e-9)


def test_a_terrain_is_closed_against_a_plane():
    land = _terrain()
    assert "close_plane" in _order(land)
    out, count = apply(land, {"do": "close_plane", "at": [0, 0, 0], "normal": [0, 0, 1]})
    corner = land.points[land.triangles]
    flat = np.cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0])[:, 2] / 2
    under = float((flat * corner[:, :, 2].mean(axis=1)).sum())
    assert count == 1 and _volume(out) == pytest.approx(under)
    assert as_trimesh(out).is_watertight and _no_errors(out)
    # a bottom of its own, and walls that stand square to it
    bottom = out.region == out.region_names.index("plane")
    assert (out.points[out.triangles[bottom]][:, :, 2] == 0).all()
    assert np.abs(flat).sum() == pytest.approx(80.0)


def test_cad_is_brought_to_a_plane_by_walls():
    whole = _cad(cylinder((0, 0, 1), (0, 0, 1), 2, 3))
    lid = {k for k, f in enumerate(whole.faces) if abs(centroid(f)[2] - 1) < 1e-6}
    out, _ = apply(without_faces(whole, lid), {"do": "close_plane", "at": [0, 0, 0]})
    assert volume(out.shape) == pytest.approx(4 * np.pi * 4, rel=1e-6) and _no_errors(out)


def test_rims_out_of_reach_stay_open():
    part = _thick_pipe((0.0, 5.0))
    out, count = apply(part, {"do": "close_plane", "at": [0, 0, 5], "reach": 0.1})
    assert count == 2
    left = [f for f in kind_of(out).diagnosed(out).findings if f.code == "holes"]
    assert left[0].count == 2
    with pytest.raises(StepFailed, match="No closed rim"):
        apply(part, {"do": "close_plane", "at": [0, 0, 50], "reach": 0.1})


def _band() -> FacetPart:
    """A band with half a turn, which has no sides to be thick between."""
    u = np.linspace(0, 2 * np.pi, 41)[:-1]
    v = np.array([-0.4, 0.4])
    r = 2 + v[None] * np.cos(u / 2)[:, None]
    points = np.stack(
        [r * np.cos(u)[:, None], r * np.sin(u)[:, None], v[None] * np.sin(u / 2)[:, None]], -1
    ).reshape(-1, 3)
    rows = []
    for k in range(40):
        a, b = 2 * k, 2 * k + 1
        c, d = (2 * k + 2, 2 * k + 3) if k < 39 else (1, 0)
        rows += [[a, c, b], [b, c, d]]
    return part_of(trimesh.Trimesh(points, np.array(rows), process=False))


def _dome(height: float, n=24) -> FacetPart:
    """A shallow paraboloid of radius 10, open below: it leaves its rim at 0.2 heights, in rad."""
    around = np.linspace(0, 2 * np.pi, n, endpoint=False)
    share = np.linspace(0, 1, 9)[1:, None]
    x, y = 10 * share * np.cos(around), 10 * share * np.sin(around)
    z = np.broadcast_to(height * (1 - share**2), x.shape)
    points = np.concatenate([[[0, 0, height]], np.stack([x, y, z], -1).reshape(-1, 3)])
    at = 1 + np.arange(8 * n).reshape(8, n)
    a, b, c, d = at[:-1], at[1:], np.roll(at[1:], -1, 1), np.roll(at[:-1], -1, 1)
    fan = np.stack([np.zeros(n, int), at[0], np.roll(at[0], -1)], -1)
    rows = [np.stack(t, -1).reshape(-1, 3) for t in ((a, b, c), (a, c, d))]
    return part_of(trimesh.Trimesh(points, np.concatenate([fan, *rows])))


@pytest.mark.parametrize(("height", "shape"), [(0.2, "smooth"), (0.5, "flat")])
def test_a_cap_that_lies_back_on_the_skin_is_not_taken(height, shape):
    dome = _dome(height)
    found = kind_of(dome).diagnosed(dome).findings
    assert ways(dome, found)[0].operation == {"do": "cap", "shape": "flat"}
    out, (action,) = closed(dome)
    assert action["title"].endswith({"smooth": "smoothly", "flat": "flat"}[shape])
    table = edge_table(out.triangles)
    pairs = pairs_across(table)[0]
    angle = inner_angles(out.points, out.triangles, table.nodes, pairs)
    if shape == "flat":
        # at its rim the paraboloid's own angle, less what its facets cut off
        assert angle.min() == pytest.approx(0.2 * height, rel=0.15)
    assert np.degrees(angle.min()) > 3.0


def test_what_cannot_be_closed_says_what_is_left(tmp_path, capsys):
    band = _band()
    with pytest.raises(StepFailed, match="stays open") as caught:
        closed(band)
    assert caught.value.code == "not-closed" and caught.value.places
    # a draft of it does not try in vain
    drafted = draft(
        Source("band.stl", stl_bytes(band.points, band.triangles, "band")), "band", None
    )
    assert not drafted.closed and drafted.left
    (tmp_path / "band.stl").write_bytes(stl_bytes(band.points, band.triangles, "band"))
    asked = ["draft", str(tmp_path / "band.stl"), "-o", str(tmp_path / "r.yaml")]
    assert main(asked) == 1 and "left:" in capsys.readouterr().out
    assert [r["do"] for r in drafted.settings["geometry"]["repairs"]] == ["repair_safe"]


def test_the_finding_offers_the_ways_and_the_first_closes():
    source = Source("scan.stl", stl_bytes(*_skin_with_a_hole(), "scan"))

    def told(repairs):
        settings = build("geometry", Geometry, {"repairs": repairs})
        return geometry_step(settings, source, lambda share, doing: None).report

    first = told([])
    found = next(f for f in first["findings"] if f["code"] == "open-body")
    assert found["level"] == "note" and not first["closed"]
    offers = [r["operation"]["do"] for r in found["repairs"]]
    assert offers[:2] == ["close", "cap"]
    after = told([found["repairs"][0]["operation"]])
    assert after["closed"] and not any(f["code"] == "open-body" for f in after["findings"])
    assert [a["do"] for a in after["log"][0]["actions"]] == ["cap"]


def _skin_with_a_hole():
    part = holed(sphere(), (0, 0, 10), 3)
    return part.points, part.triangles


def test_a_draft_sews_faces_that_close_and_are_no_solid():
    (shell,) = explore(box(0, 0, 0, 4, 3, 2), TopAbs_ShapeEnum.TopAbs_SHELL)
    source = Source("shell.step", step_bytes(Part(shell, "mm")))
    drafted = draft(source, "shell", None)
    assert drafted.closed and drafted.left == []
    assert [r["do"] for r in drafted.settings["geometry"]["repairs"]] == ["repair_safe", "sew"]
    states, _ = run(source, "domain", {"geometry": drafted.settings["geometry"]})
    assert states["domain"].report["volume"] == pytest.approx(24.0)


def test_a_draft_closes_what_is_open_and_its_recipe_runs():
    shape = without_faces(_cad(box(0, 0, 0, 4, 3, 2)), {0}).shape
    source = Source("open.step", step_bytes(Part(shape, "mm")))
    drafted = draft(source, "open", "as-is")
    assert drafted.closed and drafted.left == []
    rows = drafted.settings["geometry"]["repairs"]
    assert [r["do"] for r in rows] == ["repair_safe", "close"]
    states, _ = run(source, "domain", {"geometry": {"repairs": rows}, "domain": {"where": "as-is"}})
    assert states["domain"].report["volume"] == pytest.approx(24.0)
