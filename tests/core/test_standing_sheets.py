"""Walls drawn without a thickness, standing in the fluid: two sides from CAD to the case."""

import numpy as np
import pytest
import trimesh
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace, BRepBuilderAPI_MakePolygon
from OCP.gp import gp_Ax3, gp_Cylinder, gp_Dir, gp_Pnt

from intaglio.cad.embedding import embedded
from intaglio.cad.measures import area, centroid, volume
from intaglio.cad.part import Part
from intaglio.cad.read import compound
from intaglio.cad.write import step_bytes
from intaglio.cli import main
from intaglio.errors import SettingRejected, StepFailed
from intaglio.facets.plates import is_sheet
from intaglio.formats.cgns.reading import read_cgns
from intaglio.formats.cgns.writing import write_cgns
from intaglio.mesh.mesh import rows
from intaglio.mesh.validity import check
from intaglio.parts.source import Source
from intaglio.recipe.drafting import draft
from intaglio.recipe.recipe import plain_settings, read_recipe
from intaglio.stages.volume import named_mesh, volume_mesh
from tests.core.scans import part_of
from tests.core.shapes import box, cut, run

CELLS = {"sizing": {"cells": 20_000}}


def quad(*corners):
    wire = BRepBuilderAPI_MakePolygon()
    for corner in corners:
        wire.Add(gp_Pnt(*corner))
    wire.Close()
    return BRepBuilderAPI_MakeFace(wire.Wire()).Face()


def across(x, y0, y1, z0, z1):
    """A plate square to x."""
    return quad((x, y0, z0), (x, y1, z0), (x, y1, z1), (x, y0, z1))


def duct():
    """A square duct along x, 20 wide and 100 long, open at both ends."""
    return cut(box(0, -12, -12, 100, 12, 12), box(-1, -10, -10, 101, 10, 10))


def step(*bodies):
    """A STEP file of bodies by name."""
    shapes, names = [b[1] for b in bodies], tuple(b[0] for b in bodies)
    return Source("part.step", step_bytes(Part(compound(shapes), "mm", names)))


# stands on the floor and both sides; a guide plate that touches nothing
BAFFLED = (
    ("duct", duct()),
    ("baffle", across(30, -10, 10, -10, 3)),
    ("guide", quad((60, -5, -3), (60, 5, -3), (66, 5, 4), (66, -5, 4))),
)


def sheet_rows(states):
    return {f["id"]: f for f in states["domain"].report["faces"] if f["role"] == "sheet"}


def codes(states, stage):
    return [f["code"] for f in states[stage].report["findings"]]


@pytest.fixture(scope="module")
def baffled():
    return run(step(*BAFFLED), "case", CELLS)


def test_nobody_has_to_ask_for_it(baffled):
    """A sheet beside a solid is no fault, is kept by default, and each side is a patch."""
    states, _ = baffled
    report = states["geometry"].report
    assert [f["level"] for f in report["findings"]] == ["note"]
    assert codes(states, "geometry") == ["standing-sheets"] and report["closed"]
    assert states["domain"].settings["sheets"] == ["baffle", "guide"]
    assert [p["name"] for p in states["patches"].report["patches"]] == [
        "opening_1", "opening_2", "baffle", "baffle_back", "guide", "guide_back", "wall",
    ]  # fmt: skip
    assert codes(states, "domain") == [] and codes(states, "volume") == []


def test_the_sheets_are_as_large_as_drawn_and_take_no_room(baffled):
    states, _ = baffled
    found = {name: row["area"] for name, row in sheet_rows(states).items()}
    guide = 10 * np.hypot(6, 7)
    expected = {"baffle": 260, "baffle_back": 260, "guide": guide, "guide_back": guide}
    assert found == pytest.approx(expected, rel=1e-9)
    assert states["domain"].report["volume"] == pytest.approx(40_000, rel=1e-9)
    assert states["volume"].report["volume"] == pytest.approx(40_000, rel=1e-9)


def test_both_sides_lie_on_each_other_and_nothing_else_is_there_twice(baffled):
    states, store = baffled
    mesh = named_mesh(store.get(states["volume"].key), store.get(states["patches"].key))
    assert check(mesh) == []
    names = [p.name for p in mesh.patches]
    one, other = (np.flatnonzero(mesh.patch == names.index(n)) for n in ("baffle", "baffle_back"))
    assert len(one) == len(other) > 50
    corners = [
        mesh.points[rows(mesh.face_start, mesh.face_nodes, f)[1]].reshape(-1, 3, 3)
        for f in (one, other)
    ]
    total = [
        0.5 * np.linalg.norm(np.cross(c[:, 1] - c[:, 0], c[:, 2] - c[:, 0]), axis=1).sum()
        for c in corners
    ]
    assert total == pytest.approx([260, 260], rel=1e-9)
    middles = [c.mean(axis=1)[np.lexsort(c.mean(axis=1).T)] for c in corners]
    np.testing.assert_allclose(*middles, atol=1e-12)
    # the fluid before and behind it: in front of the one, behind the other
    ahead = [
        np.sign(mesh.points[mesh.tets[mesh.owner[f]]].mean(axis=1)[:, 0] - 30) for f in (one, other)
    ]
    assert [set(a) for a in ahead] in ([{-1.0}, {1.0}], [{1.0}, {-1.0}])
    # nodes: twice within the plates and on the walls, once on the free rims
    place, count = np.unique(mesh.points, axis=0, return_counts=True)
    twice = place[count == 2]
    assert count.max() == 2
    on_baffle = np.abs(place[:, 0] - 30) < 1e-9
    on_baffle &= place[:, 2] <= 3 + 1e-9
    rim = on_baffle & (np.abs(place[:, 2] - 3) < 1e-9)
    assert (count[rim] == 1).all() and (count[on_baffle & ~rim] == 2).all()
    assert (np.abs(place[on_baffle & ~rim][:, 1]) > 10 - 1e-9).any()
    off = np.abs(twice[:, 0] - 30) > 1e-9
    on_guide = np.abs(7 * (twice[off, 0] - 60) - 6 * (twice[off, 2] + 3)) < 1e-8
    assert off.any() and on_guide.all()


def test_the_case_names_both_sides_and_the_file_keeps_them(baffled, tmp_path):
    states, store = baffled
    mesh = named_mesh(store.get(states["volume"].key), store.get(states["patches"].key))
    write_cgns(mesh, tmp_path / "mesh.cgns")
    again = read_cgns(tmp_path / "mesh.cgns")
    assert check(again) == []
    assert len(again.sheets) == len(mesh.sheets) > 80
    for name in ("baffle", "baffle_back", "guide", "guide_back"):
        k = [p.name for p in mesh.patches].index(name)
        assert (again.patch == k).sum() == (mesh.patch == k).sum() > 20


def test_a_size_on_one_side_is_a_size_on_the_sheet():
    given = {
        "sizing": {"cells": 20_000, "sizes": [{"patches": ["guide_back"], "size": 0.5}]},
    }
    states, store = run(step(*BAFFLED), "surface", given)
    arrays = store.get(states["surface"].key).arrays
    guide = list(sheet_rows(states)).index("guide") + 7
    corner = arrays["points"][arrays["triangles"][arrays["region"] == guide]]
    edge = np.linalg.norm(corner - np.roll(corner, 1, axis=1), axis=2).mean()
    assert edge == pytest.approx(0.5, rel=0.15)


def test_patches_that_take_in_both_sides_are_one_wall():
    rows_ = [
        {"name": "out", "kind": "outlet", "faces": ["opening_1"]},
        {"name": "in", "kind": "inlet", "faces": ["opening_2"]},
        {"name": "plates", "kind": "wall", "faces": ["baffle*", "guide*"]},
        {"name": "wall", "kind": "wall", "faces": "rest"},
    ]
    states, store = run(step(*BAFFLED), "case", {**CELLS, "patches": {"patches": rows_}})
    mesh = named_mesh(store.get(states["volume"].key), store.get(states["patches"].key))
    assert check(mesh) == []
    plates = next(p for p in states["patches"].report["patches"] if p["name"] == "plates")
    assert plates["area"] == pytest.approx(2 * (260 + 10 * np.hypot(6, 7)), rel=1e-9)


def test_plates_that_cross_are_split_by_each_other():
    made = embedded(
        Part(compound([box(0, -10, -10, 100, 10, 10)]), "mm"),
        [[across(30, -6, 6, -6, 6)], [quad((24, 0, -5), (36, 0, -5), (36, 0, 5), (24, 0, 5))]],
    )
    size: dict[int, list[float]] = {0: [], 1: []}
    for k, (group, sheet) in made.origins.items():
        if group == 1:
            size[sheet].append(area(made.part.faces[k]))
    # the second ends within the first, which is split along a line only
    assert size[0] == pytest.approx([144]) and sorted(size[1]) == pytest.approx([60, 60])


def test_a_plate_beyond_the_walls_counts_only_within():
    states, _ = run(step(("duct", duct()), ("shut", across(50, -30, 30, -30, 30))), "volume", CELLS)
    row = sheet_rows(states)["shut"]
    assert row["area"] == pytest.approx(400, rel=1e-9)
    # ... and parts the fluid: that is told
    assert codes(states, "domain") == ["sheet-parts-zone"]
    assert states["volume"].report["volume"] == pytest.approx(40_000, rel=1e-9)


def test_a_plate_outside_is_told_and_left_out():
    states, _ = run(step(*BAFFLED[:2], ("lost", across(50, 30, 40, 0, 8))), "domain")
    (finding,) = states["domain"].report["findings"]
    assert finding["code"] == "sheet-outside" and "lost" in finding["message"]
    assert finding["places"][0] == pytest.approx([50, 35, 4], abs=1e-5)
    assert set(sheet_rows(states)) == {"baffle", "baffle_back"}


def test_a_domain_without_any_of_its_sheets_is_as_it_was():
    """One lies outside, the other on the floor, where it is that wall."""
    floor = quad((40, -5, -10), (60, -5, -10), (60, 5, -10), (40, 5, -10))
    states, _ = run(step(BAFFLED[0], ("lost", across(50, 30, 40, 0, 8)), ("mat", floor)), "domain")
    report = states["domain"].report
    assert [f["code"] for f in report["findings"]] == ["sheet-outside"]
    assert "lost, mat" in report["findings"][0]["message"]
    assert sheet_rows(states) == {} and report["volume"] == pytest.approx(40_000, rel=1e-9)


def test_a_round_sheet_keeps_its_shape():
    face = BRepBuilderAPI_MakeFace(
        gp_Cylinder(gp_Ax3(gp_Pnt(40, 0, -5), gp_Dir(0, 0, 1)), 4), 0, np.pi, 0, 10
    ).Face()
    source = step(("duct", duct()), ("scoop", face))
    states, _ = run(source, "domain")
    assert states["domain"].settings["sheets"] == ["scoop"]
    states, store = run(source, "volume", CELLS)
    assert sheet_rows(states)["scoop"]["area"] == pytest.approx(40 * np.pi, rel=1e-9)
    mesh = volume_mesh(store.get(states["volume"].key))
    spots = mesh.points[np.unique(rows(mesh.face_start, mesh.face_nodes, mesh.sheets[:, 0])[1])]
    away = np.hypot(spots[:, 0] - 40, spots[:, 1])
    np.testing.assert_allclose(away, 4.0, atol=1e-6)


def test_a_tube_could_be_a_body_that_lacks_faces_and_is_kept_when_it_is_ticked():
    face = BRepBuilderAPI_MakeFace(
        gp_Cylinder(gp_Ax3(gp_Pnt(40, 0, -5), gp_Dir(0, 0, 1)), 4), 0, 2 * np.pi, 0, 10
    ).Face()
    source = step(("duct", duct()), ("liner", face))
    states, _ = run(source, "domain")
    assert states["domain"].settings["sheets"] == []
    assert {"holes", "open-body"} <= set(codes(states, "geometry"))
    states, _ = run(source, "volume", {**CELLS, "domain": {"sheets": ["*"]}})
    assert sheet_rows(states)["liner_back"]["area"] == pytest.approx(80 * np.pi, rel=1e-9)


def test_a_sail_alone_stands_in_its_stream():
    sail = quad((0, 0, 0), (10, 0, 0), (10, 1, 8), (0, 1, 8))
    given = {**CELLS, "domain": {"where": "around", "sheets": ["*"]}}
    states, _ = run(step(("sail", sail)), "volume", given)
    report = states["domain"].report
    assert report["volume"] == pytest.approx(np.prod(report["size"]), rel=1e-9)
    assert sheet_rows(states)["sail_back"]["area"] == pytest.approx(10 * np.hypot(1, 8), rel=1e-9)
    assert states["volume"].report["quality"]["smallest_dihedral"]["min"] > 12


def test_sheets_alone_hold_no_fluid_inside():
    sail = quad((0, 0, 0), (10, 0, 0), (10, 1, 8), (0, 1, 8))
    with pytest.raises(StepFailed, match="around them"):
        run(step(("sail", sail)), "domain", {"domain": {"where": "as-is", "sheets": ["sail"]}})


@pytest.mark.parametrize(
    ("name", "why"), [("duct", "bounds a volume"), ("nobody", "no body called nobody")]
)
def test_what_is_no_sheet_cannot_be_kept_as_one(name, why):
    with pytest.raises(SettingRejected, match=why):
        run(step(*BAFFLED), "domain", {"domain": {"sheets": [name]}})


def test_a_narrow_strip_has_two_sides_too():
    """One element wide, all its nodes lie on the rim: it is parted until its sides differ."""
    source = step(("duct", duct()), ("wire", across(30, -8, 8, 0, 0.35)))
    states, store = run(source, "volume", CELLS)
    mesh = volume_mesh(store.get(states["volume"].key))
    assert check(mesh) == [] and len(mesh.sheets) > 20
    assert sheet_rows(states)["wire"]["area"] == pytest.approx(16 * 0.35, rel=1e-9)


def test_two_zones_and_a_solid_each_have_their_sheet():
    """A wall between two spaces, kept as a solid zone; a plate in each space."""
    shell = cut(cut(box(0, 0, 0, 42, 20, 20), box(1, 1, 1, 20, 19, 19)), box(22, 1, 1, 41, 19, 19))
    source = step(
        ("case", shell), ("left", across(10, 1, 19, 1, 10)), ("right", across(30, 5, 15, 5, 15))
    )
    pins = [
        {"name": "warm", "at": [3, 10, 10], "kind": "fluid"},
        {"name": "cold", "at": [25, 10, 10], "kind": "fluid"},
    ]
    given = {**CELLS, "domain": {"where": "inside", "pin": pins, "solids": ["case"], "closed": []}}
    states, store = run(source, "volume", given)
    found = sheet_rows(states)
    assert found["left"]["zones"] == [0, 0] and found["right_back"]["zones"] == [1, 1]
    volumes = {z["name"]: z["volume"] for z in states["domain"].report["zones"]}
    space = 19 * 18 * 18
    solid = 42 * 400 - 2 * space
    assert volumes == pytest.approx({"warm": space, "cold": space, "case": solid}, rel=1e-9)
    mesh = volume_mesh(store.get(states["volume"].key))
    assert check(mesh) == [] and len(mesh.zones) == 3


def test_a_draft_keeps_sheets_instead_of_closing_them(tmp_path):
    made = draft(step(*BAFFLED), "part", None)
    assert made.closed and made.left == []
    assert made.settings["domain"]["sheets"] == ["baffle", "guide"]
    assert made.settings["geometry"]["repairs"] == []
    source = tmp_path / "part.step"
    source.write_bytes(step(*BAFFLED).data)
    assert main(["draft", str(source), "-o", str(tmp_path / "recipe.yaml")]) == 0
    told = plain_settings(read_recipe(tmp_path / "recipe.yaml"))
    assert told["domain"]["sheets"] == ["baffle", "guide"]


def test_a_recipe_says_nothing_of_sheets_where_there_are_none(tmp_path):
    (tmp_path / "part.step").write_bytes(step(BAFFLED[0]).data)
    assert main(["draft", str(tmp_path / "part.step"), "-o", str(tmp_path / "recipe.yaml")]) == 0
    told = (tmp_path / "recipe.yaml").read_text()
    assert "sheets" not in told and "angle: 40" not in told


def test_the_kernel_and_the_fluid_agree_on_what_is_split():
    """The floor is there in two pieces where a plate stands on it from wall to wall."""
    whole = Part(compound([box(0, -10, -10, 100, 10, 10)]), "mm")
    made = embedded(whole, [[across(30, -10, 10, -10, 3)]])
    assert sum(volume(s) for s in made.part.solids) == pytest.approx(40_000)
    floor = [f for f in made.part.faces if abs(centroid(f)[2] + 10) < 1e-9]
    assert sorted(area(f) for f in floor) == pytest.approx([600, 1400])
    # the sides are not parted: the plate's edges end on them
    assert len(made.part.faces) == 6 + 1 + 1


def grid(n, place):
    """A square of triangles, placed."""
    u, v = (g.ravel() for g in np.meshgrid(*[np.linspace(0, 1, n + 1)] * 2, indexing="ij"))
    at = np.arange((n + 1) ** 2).reshape(n + 1, n + 1)
    a, b, c, d = at[:-1, :-1], at[1:, :-1], at[1:, 1:], at[:-1, 1:]
    rows_ = np.concatenate([np.stack(t, -1).reshape(-1, 3) for t in ((a, b, c), (a, c, d))])
    return trimesh.Trimesh(place(u, v), rows_, process=False)


def scan(**bodies):
    """An STL file in text, a solid for each body."""
    out = []
    for name, mesh in bodies.items():
        out.append(f"solid {name}")
        for triangle in mesh.triangles:
            corners = "\n".join("vertex " + " ".join(f"{x:.9g}" for x in p) for p in triangle)
            out.append(f"facet normal 0 0 0\nouter loop\n{corners}\nendloop\nendfacet")
        out.append(f"endsolid {name}")
    return Source("scan.stl", "\n".join(out).encode())


def room():
    """A closed box, 40 × 20 × 20, of facets turned outward."""
    mesh = trimesh.creation.box((40, 20, 20))
    return mesh.subdivide().subdivide()


def test_facets_keep_a_sheet_that_stands_free():
    fin = grid(6, lambda u, v: np.column_stack([8 * u - 4, 2 * np.sin(2 * u), 6 * v - 3]))
    given = {**CELLS, "domain": {"where": "as-is"}}
    states, store = run(scan(room=room(), fin=fin), "volume", given)
    assert codes(states, "geometry") == ["unit-unknown", "standing-sheets"]
    assert states["domain"].settings["sheets"] == ["fin"]
    assert sheet_rows(states)["fin"]["area"] == pytest.approx(fin.area, rel=1e-6)
    assert states["domain"].report["volume"] == pytest.approx(16_000, rel=1e-6)
    assert states["volume"].report["volume"] == pytest.approx(16_000, rel=1e-6)
    mesh = volume_mesh(store.get(states["volume"].key))
    assert check(mesh) == [] and len(mesh.sheets) > 20


def test_a_sheet_of_facets_may_be_called_like_the_zone():
    fin = grid(4, lambda u, v: np.column_stack([8 * u - 4, 0 * u, 6 * v - 3]))
    other = grid(4, lambda u, v: np.column_stack([8 * u - 4, 0 * u + 5, 6 * v - 3]))
    source = scan(room=room(), fluid=fin, fluid_2=other)
    states, _ = run(source, "domain", {"domain": {"where": "as-is"}})
    assert codes(states, "domain") == []
    assert set(sheet_rows(states)) == {"fluid", "fluid_2", "fluid_back", "fluid_2_back"}


def test_facets_are_joined_where_their_nodes_meet():
    """A plate on the floor, whose nodes are nodes of the floor, which has edges there."""
    # the box's own nodes lie every 5 along y and 10 along x
    plate = grid(4, lambda u, v: np.column_stack([0 * u, 20 * u - 10, 20 * v - 10]))
    plate.update_faces(plate.triangles_center[:, 2] < 0)
    states, store = run(
        scan(room=room(), plate=plate), "volume", {**CELLS, "domain": {"where": "as-is"}}
    )
    mesh = volume_mesh(store.get(states["volume"].key))
    assert check(mesh) == []
    place, count = np.unique(mesh.points, axis=0, return_counts=True)
    foot = (np.abs(place[:, 0]) < 1e-9) & (np.abs(place[:, 2] + 10) < 1e-9)
    assert foot.sum() > 5 and (count[foot] == 2).all()


@pytest.mark.parametrize("steps", [3, 4])
def test_facets_that_touch_between_nodes_are_refused(steps):
    """Nodes of the plate between those of the floor, or its edges across the floor's."""
    shift = 0 if steps == 3 else 5
    plate = grid(steps, lambda u, v: np.column_stack([shift * u, 20 * u - 10, 5 * v - 10]))
    with pytest.raises(StepFailed, match="share no nodes"):
        run(scan(room=room(), plate=plate), "domain", {"domain": {"where": "as-is"}})


def test_facets_are_not_cut_and_the_places_are_told():
    through = grid(5, lambda u, v: np.column_stack([0 * u + 1, 30 * u - 15, 30 * v - 15]))
    with pytest.raises(StepFailed, match="share no nodes") as told:
        run(scan(room=room(), wall=through), "domain", {"domain": {"where": "as-is"}})
    assert told.value.code == "sheet-crosses" and len(told.value.places) > 3
    assert np.abs(np.array(told.value.places)[:, 0] - 1).max() < 1e-6


def test_what_lacks_a_face_is_no_sheet():
    """A disc is a sheet; a half ball, and a box without a lid, are bodies that lack a face."""
    disc = trimesh.creation.cylinder(2.0, 1.0, sections=40)
    disc.update_faces(disc.triangles_center[:, 2] > 0.49)
    half = trimesh.creation.icosphere(4)
    half.update_faces(half.triangles_center[:, 2] > 0)
    tray = trimesh.creation.box((2, 2, 2))
    tray.update_faces(tray.triangles_center[:, 2] < 0.99)
    assert [is_sheet(part_of(m)) for m in (disc, half, tray)] == [True, False, False]
