"""Layers against closed forms, and the meshes that they are part of against VTK's measures."""

import math
import subprocess
from dataclasses import dataclass

import numpy as np
import pytest
import vtk
from OCP.BRepPrimAPI import BRepPrimAPI_MakeSphere
from vtk.util.numpy_support import vtk_to_numpy

from intaglio.case.friction import wall_flow
from intaglio.errors import SettingRejected
from intaglio.formats.cgns import read_cgns, write_cgns
from intaglio.layers.heights import (
    Heights,
    fitted,
    last,
    of_last,
    of_total,
    reached,
    total,
)
from intaglio.mesh.cells import PRISM
from intaglio.mesh.drawing import peeled_arrays
from intaglio.mesh.mesh import Mesh
from intaglio.parts.source import Source
from intaglio.quality.cells import measure
from intaglio.quality.report import mesh_findings
from intaglio.recipe.plan import MemoryStore, run_to
from intaglio.stages.layers import step
from intaglio.stages.layers.rows import LAYER_ROWS
from intaglio.stages.layers.stack import stack_at
from intaglio.stages.volume import named_mesh, volume_mesh
from tests.core.shapes import box, cut, cylinder, pipe, source
from tests.core.test_any_cells import vtk_grid
from tests.core.test_mesh_files import same


@dataclass(frozen=True)
class Made:
    """A mesh with layers, and the same with its patches by name; layer (c,) of each cell; reports
    of Layers and Volume; the surface."""

    mesh: Mesh
    layer: np.ndarray
    told: dict
    volume: dict
    surface: dict
    domain: dict
    named: Mesh


def layered_mesh(shape, folder, layers, sizing, domain=None, patches=None, **more) -> Made:
    given = {
        "sizing": sizing,
        "layers": {"layers": layers, **more},
        **({"domain": domain} if domain else {}),
        **({"patches": {"patches": patches}} if patches else {}),
    }
    store = MemoryStore()
    part = shape if isinstance(shape, Source) else source(shape, folder)
    states = {s.stage: s for s in run_to("volume", part, "part", given, store)}
    product = store.get(str(states["volume"].key))
    return Made(
        volume_mesh(product),
        product.arrays["layer"],
        dict(states["layers"].report),
        dict(product.report),
        store.get(str(states["surface"].key)).arrays,
        dict(states["domain"].report),
        named_mesh(product, store.get(str(states["patches"].key))),
    )


def all_sound(made: Made) -> None:
    assert not [f for f in mesh_findings(made.mesh, measure(made.mesh)) if f.level == "error"]


def volumes(made: Made) -> np.ndarray:
    return measure(made.mesh).volume


def scaled_jacobians(mesh: Mesh) -> np.ndarray:
    """Of the prisms, by VTK."""
    quality = vtk.vtkMeshQuality()
    quality.SetWedgeQualityMeasureToScaledJacobian()
    quality.SetInputData(vtk_grid(mesh))
    quality.Update()
    told = vtk_to_numpy(quality.GetOutput().GetCellData().GetArray("Quality"))
    return told[mesh.shape == PRISM]


def test_heights_follow_from_the_first_from_all_or_from_the_last():
    heights = Heights(0.1, 1.5, 4)
    assert reached(heights) == pytest.approx([0, 0.1, 0.25, 0.475, 0.8125])
    assert total(heights) == pytest.approx(0.8125) and last(heights) == pytest.approx(0.3375)
    assert of_total(0.8125, 1.5, 4).first == pytest.approx(0.1)
    assert of_last(0.3375, 1.5, 4).first == pytest.approx(0.1)
    assert total(Heights(0.2, 1.0, 5)) == pytest.approx(1.0)


@pytest.fixture(scope="module")
def tube(tmp_path_factory):
    """A pipe of radius 7 and length 60, six layers of a first of 0.1 that grow by 1.3."""
    layers = [{"patches": ["wall*"], "count": 6, "growth": 1.3, "first": 0.1}]
    return layered_mesh(
        pipe(), tmp_path_factory.mktemp("tube"), layers, {"smallest": 1.0, "largest": 1.5}
    )


def test_layers_in_a_pipe_are_the_ring_that_they_should_be(tube):
    thick = total(Heights(0.1, 1.3, 6))
    ring = math.pi * (7.0**2 - (7.0 - thick) ** 2) * 60.0
    assert volumes(tube)[tube.layer > 0].sum() == pytest.approx(ring, rel=0.02)
    assert set(tube.volume["cells_by_shape"]) == {"prism", "tetrahedron"}
    all_sound(tube)
    (row,) = tube.told["patches"]
    assert row["full"] == 1.0 and row["lowered"] == row["none"] == 0.0
    assert row["area"] == pytest.approx(2 * math.pi * 7 * 60, rel=0.01)
    # nothing is lost and nothing covered twice: core and layers are what the surface encloses
    inside = sum(z["volume"] for z in tube.volume["zones"].values())
    assert inside == pytest.approx(math.pi * 49 * 60, rel=0.01)


def test_the_sides_of_layers_lie_on_inlet_and_outlet(tube):
    mesh = tube.mesh
    names = [p.name for p in mesh.patches]
    area = dict.fromkeys(names, 0.0)
    corners: dict[str, set[int]] = {name: set() for name in names}
    for f in np.flatnonzero(mesh.neighbour < 0):
        nodes = mesh.face_nodes[mesh.face_start[f] : mesh.face_start[f + 1]]
        p = mesh.points[nodes]
        name = names[mesh.patch[f]]
        across = sum(np.cross(p[i] - p[0], p[i + 1] - p[0]) for i in range(1, len(p) - 1))
        area[name] += 0.5 * float(np.linalg.norm(across))
        corners[name].add(len(nodes))
        if "opening" in name:
            assert np.abs(p[:, 0] - p[0, 0]).max() < 1e-9
    flat = [name for name in names if "opening" in name]
    assert len(flat) == 2
    for name in flat:
        assert corners[name] == {3, 4}
        assert area[name] == pytest.approx(math.pi * 49, rel=0.01)


def test_first_height_and_growth_are_those_asked_for(tube):
    mesh = tube.mesh
    starts = mesh.cell_start[:-1]
    first = starts[tube.layer == 1]
    base = mesh.points[mesh.cell_nodes[first[:, None] + np.arange(3)]]
    top = mesh.points[mesh.cell_nodes[first[:, None] + np.arange(3, 6)]]
    normal = np.cross(base[:, 1] - base[:, 0], base[:, 2] - base[:, 0])
    normal /= np.linalg.norm(normal, axis=1)[:, None]
    height = np.einsum("ijk,ik->ij", top - base, normal).mean(axis=1)
    assert (np.abs(height / 0.1 - 1) < 0.05).mean() > 0.99
    # layer above layer: heights by the lengths of the columns' edges
    lengths = []
    for k in range(1, 7):
        own = starts[tube.layer == k]
        low = mesh.points[mesh.cell_nodes[own]]
        high = mesh.points[mesh.cell_nodes[own + 3]]
        lengths.append(np.linalg.norm(high - low, axis=1))
    growth = np.array(lengths)[1:] / np.array(lengths)[:-1]
    assert np.abs(growth - 1.3).max() < 0.05


def test_layers_without_the_core_are_drawn_closed(tube):
    normal, offset = np.array([0.6, 0.8, 0.0]), 21.0
    value = np.arange(tube.mesh.cells, dtype=float)
    drawn, cells = peeled_arrays(tube.mesh, tube.layer, normal, offset, value)
    assert 0 < cells < (tube.layer > 0).sum()
    shown = np.unique(drawn["value"]).astype(int)
    assert (tube.layer[shown] > 0).all()
    middle = measure(tube.mesh).centroid
    assert (middle[shown] @ normal > offset - 1.0).all()
    # what is drawn encloses what lies there: by the divergence theorem, against the cells' volumes
    p = drawn["points"][drawn["triangles"]].astype(float)
    enclosed = np.einsum("ij,ij->i", p[:, 0], np.cross(p[:, 1], p[:, 2])).sum() / 6
    there = (tube.layer > 0) & (middle @ normal >= offset)
    assert enclosed == pytest.approx(volumes(tube)[there].sum(), rel=0.02)


def test_prisms_are_well_shaped_by_vtk(tube):
    jacobian = scaled_jacobians(tube.mesh)
    assert len(jacobian) == (tube.layer > 0).sum()
    assert jacobian.min() > 0.2 and np.percentile(jacobian, 1) > 0.5


def test_layers_around_a_ball_are_its_shell(tmp_path):
    ball = BRepPrimAPI_MakeSphere(6.0).Shape()
    part = cut(box(-20, -20, -20, 20, 20, 20), ball)
    rows = [
        {"name": "ball", "kind": "wall", "faces": ["face_7"]},
        {"name": "far", "kind": "far_field", "faces": "rest"},
    ]
    layers = [{"patches": ["ball"], "count": 12, "growth": 1.2, "last": 0.5}]
    made = layered_mesh(
        part,
        tmp_path,
        layers,
        {"smallest": 1.0, "largest": 4.0},
        {"where": "as-is"},
        rows,
    )
    all_sound(made)
    (row,) = made.told["patches"]
    assert row["area"] == pytest.approx(4 * math.pi * 36, rel=0.02) and row["full"] == 1.0
    thick = row["total"]
    shell = 4 / 3 * math.pi * ((6 + thick) ** 3 - 6**3)
    assert volumes(made)[made.layer > 0].sum() == pytest.approx(shell, rel=0.05)
    assert scaled_jacobians(made.mesh).min() > 0.5


@pytest.mark.parametrize("growth, lowest", [(1.2, 0.02), (1.0, 1.0)])
def test_where_two_walls_come_near_layers_are_lowered_and_end(tmp_path, growth, lowest):
    # a slot that narrows from 8 to 1, with layers 1.2 high asked for on both sides
    wedge = cut(box(0, 0, 0, 40, 10, 8), _slope())
    layers = [{"patches": ["*"], "count": 6, "growth": growth, "total": 1.2}]
    sizing = {"smallest": 0.6, "largest": 1.2}
    made = layered_mesh(wedge, tmp_path, layers, sizing, {"where": "as-is"}, lowest=lowest)
    all_sound(made)
    (row,) = made.told["patches"]
    assert row["full"] + row["some"] + row["none"] == pytest.approx(1)
    codes = {f["code"] for f in made.told["findings"]}
    if lowest < 1:
        # the outer ones grow no more, and all are thinner in the end
        assert row["full"] == 1 and row["lowered"] > 0.05
    else:
        # nothing to give way: they end
        assert row["full"] < 1 and "layers-short" in codes
    # the core between them is left everywhere: no cell of a layer touches one of another wall's
    assert (made.layer == 0).any()


def _slope():
    from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace, BRepBuilderAPI_MakePolygon
    from OCP.BRepPrimAPI import BRepPrimAPI_MakePrism
    from OCP.gp import gp_Pnt, gp_Vec

    polygon = BRepBuilderAPI_MakePolygon()
    for x, z in ((0, 8), (40, 1), (40, 9), (0, 9)):
        polygon.Add(gp_Pnt(x, -1.0, z))
    polygon.Close()
    face = BRepBuilderAPI_MakeFace(polygon.Wire()).Face()
    return BRepPrimAPI_MakePrism(face, gp_Vec(0, 12, 0)).Shape()


def test_what_stands_is_drawn_triangle_by_triangle(tmp_path):
    # four layers from the end of a rod, whose round side holds none: they end before its rim
    part = source(cylinder((0, 0, 0), (0, 0, 1), 10, 20), tmp_path)
    rows = [
        {"name": "end", "kind": "wall", "faces": ["face_2"]},
        {"name": "side", "kind": "inlet", "faces": "rest"},
    ]
    layers = [{"patches": ["end"], "count": 4, "growth": 1.2, "last": 0.2}]
    given = {
        "domain": {"where": "as-is"},
        "patches": {"patches": rows},
        "sizing": {"smallest": 1.5, "largest": 2.5},
        "layers": {"layers": layers},
    }
    store = MemoryStore()
    states = {s.stage: s for s in run_to("layers", part, "rod", given, store)}
    arrays = store.get(str(states["layers"].key)).arrays
    cover, points = arrays["display_cover"], arrays["display_points"]
    triangles, region = arrays["display_triangles"], arrays["display_region"]
    names = [f["id"] for f in states["domain"].report["faces"]]
    on_end = region == names.index("face_2")
    assert set(cover[~on_end]) == {step.COVER.index("unasked")}
    far = np.linalg.norm(points[triangles][..., :2].mean(axis=1), axis=1)
    full, some = (on_end & (cover == step.COVER.index(k)) for k in ("full", "some"))
    assert full.any() and some.any() and far[full].max() < far[some].max()
    # the shares that are told are those that are drawn
    p = points[triangles[on_end]]
    area = np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1)
    (told,) = states["layers"].report["patches"]
    whole = np.isin(cover[on_end], [step.COVER.index("full"), step.COVER.index("lowered")])
    assert told["full"] == pytest.approx(area[whole].sum() / area.sum(), rel=1e-4)
    # at one place: in the middle all four, at the rim none, on the side nothing to tell
    product = store.get(str(states["layers"].key))
    face = names.index("face_2")
    height = float(points[triangles[on_end]][..., 2].mean())
    here = stack_at(product, face, np.array([0.3, 0.2, height + 1]))
    assert here and here["number"] == 4 and len(here["reached"]) == 5
    assert here["at"] == pytest.approx([0.3, 0.2, height], abs=1e-6)
    heights = np.diff(here["reached"])
    np.testing.assert_allclose(heights[1:] / heights[:-1], 1.2, rtol=1e-6)
    np.testing.assert_allclose(here["reached"], here["asked"], rtol=1e-6)
    # the last one is a fifth of the edges around its nodes
    assert heights[-1] == pytest.approx(0.2 * here["edge"], rel=0.3)
    rim = stack_at(product, face, np.array([9.9, 0.0, height]))
    assert rim and rim["number"] == 0 and rim["asked"] != rim["reached"]
    assert stack_at(product, names.index("face_1"), np.array([10.0, 0.0, 5.0])) is None
    assert stack_at(product, 99, np.zeros(3)) is None


def test_layers_end_before_a_face_that_is_not_plane_and_say_so(tmp_path):
    # a rod's end is a wall, its round side is not: the side is no plane that could hold layers
    rod = cylinder((0, 0, 0), (0, 0, 1), 10, 20)
    layers = [{"patches": ["end"], "count": 4, "growth": 1.2, "last": 0.4}]
    flat = [k for k in (1, 2, 3) if k != 1]
    rows = [
        {"name": "end", "kind": "wall", "faces": [f"face_{flat[0]}"]},
        {"name": "side", "kind": "inlet", "faces": "rest"},
    ]
    made = layered_mesh(
        rod, tmp_path, layers, {"smallest": 1.5, "largest": 2.5}, {"where": "as-is"}, rows
    )
    all_sound(made)
    (row,) = made.told["patches"]
    assert 0 < row["full"] < 1 and row["some"] > 0
    assert "layers-blocked" in {f["code"] for f in made.told["findings"]}
    assert {"pyramid", "tetrahedron", "prism"} <= set(made.volume["cells_by_shape"])


@pytest.mark.parametrize("count, growth", [(4, 1.35), (24, 1.2), (36, 1.15)])
def test_many_and_thin_layers_stay_valid(tmp_path, count, growth):
    layers = [{"patches": ["wall*"], "count": count, "growth": growth, "last": 0.3}]
    made = layered_mesh(pipe(), tmp_path, layers, {"smallest": 1.5, "largest": 2.0})
    all_sound(made)
    assert made.told["patches"][0]["full"] > 0.99
    assert made.told["cells"] == (made.layer > 0).sum()
    assert made.layer.max() == count


def test_scopes_that_cannot_be_are_told_or_refused(tmp_path, monkeypatch):
    part = source(pipe(), tmp_path)
    one = {"patches": ["wal*"], "count": 2, "growth": 1.2, "last": 0.3}
    given = {"sizing": {"smallest": 2.0, "largest": 3.0}}

    def told(rows):
        own = {**given, "layers": {"layers": rows}}
        states = run_to("layers", part, "pipe", own, MemoryStore())
        return next(s.report for s in states if s.stage == "layers")

    with pytest.raises(SettingRejected, match=r"Row 2 .*vane\*.* Walls are wall\.") as refused:
        told([one, {**one, "patches": ["vane*"]}])
    assert refused.value.blank == "layers.layers"
    # a metre high in a pipe of centimetres
    high = told([{"patches": ["*"], "count": 3, "growth": 1.2, "first": 1000.0}])
    (found,) = [f for f in high["findings"] if f["code"] == "layers-nowhere"]
    assert "on wall" in found["message"]
    assert high["cells"] == 0
    with pytest.raises(SettingRejected, match="Rows 1 and 2") as refused:
        told([one, {**one, "patches": ["wall*"]}])
    assert refused.value.blank == "layers.layers"
    monkeypatch.setattr(step, "_MOST_CELLS", 5000)
    with pytest.raises(SettingRejected, match="memory"):
        told([{**one, "count": 100}])


@pytest.mark.parametrize(
    "row, words",
    [
        ({"count": 3, "first": 1}, "needs the patches"),
        ({"patches": []}, "one of first"),
        ({"patches": ["a"], "first": 1, "total": 2}, "one of first"),
        ({"patches": ["a"], "first": 0}, "greater than 0"),
        ({"patches": ["a"], "first": 1, "growth": 0.9}, "at least 1"),
        ({"patches": ["a"], "first": 1, "count": 0}, "at least 1"),
        ({"patches": ["a"], "first": 1, "colour": 2}, "no “colour”"),
        ({"patches": [3], "first": 1}, "Name patches"),
    ],
)
def test_rows_of_layers_that_cannot_be_used_are_refused(row, words):
    with pytest.raises(SettingRejected, match=words):
        LAYER_ROWS.check("layers.layers", "layers", [row], {})


def test_only_layers_and_core_are_made_again(tmp_path):
    part = source(pipe(), tmp_path)
    store = MemoryStore()
    sizing = {"smallest": 2.0, "largest": 3.0}
    row = {"patches": ["wall*"], "count": 2, "growth": 1.2, "last": 0.3}
    kept = {}
    for count in (2, 3):
        layers = {"layers": [{**row, "count": count}]}
        given = {"sizing": sizing, "layers": layers}
        now = {s.stage: s.key for s in run_to("volume", part, "pipe", given, store)}
        changed = [stage for stage, key in now.items() if kept and kept[stage] != key]
        kept = now
    assert changed == ["layers", "volume", "case"]


def test_a_mesh_with_layers_is_written_and_read_again(tmp_path, tube):
    write_cgns(tube.mesh, tmp_path / "mesh.cgns")
    done = subprocess.run(
        ["cgnscheck", str(tmp_path / "mesh.cgns")], capture_output=True, text=True, check=False
    )
    told = (done.stdout + done.stderr).upper()
    assert done.returncode == 0 and "CHECKING COMPLETE" in told
    assert "WARNING" not in told and "ERROR" not in told, told
    same(tube.mesh, read_cgns(tmp_path / "mesh.cgns"))


def test_a_worked_example_of_a_plate_boundary_layer():
    # White, Fluid Mechanics, example 7.4: a hydrofoil 1.2 ft long in seawater at 40 ft/s; its
    # boundary layer is 0.0216 ft thick at the end, its drag coefficient on one side 0.00349
    foot = 0.3048
    flow = wall_flow(1.0, 40 * foot, 1.2 * foot, 0.000011 * foot**2, "plate")
    assert flow.reynolds == pytest.approx(4.36e6, rel=2e-3)
    assert flow.thickness == pytest.approx(0.0216 * foot, rel=5e-3)
    # of a one-seventh law the friction at the end is six sevenths of the mean
    assert flow.friction == pytest.approx(6 / 7 * 0.00349, rel=0.02)
    assert flow.height == pytest.approx(
        2 * 0.000011 * foot**2 / (40 * foot * math.sqrt(flow.friction / 2))
    )


@pytest.mark.parametrize("reynolds", [5e3, 2e4, 1e5])
def test_the_friction_of_a_smooth_pipe_is_prandtls(reynolds):
    flow = wall_flow(1.0, reynolds * 1e-6 / 0.1, 0.1, 1e-6, "pipe")
    darcy = 4 * flow.friction
    # Prandtl's universal law of friction for smooth pipes
    assert 1 / math.sqrt(darcy) == pytest.approx(
        2 * math.log10(reynolds * math.sqrt(darcy)) - 0.8, rel=0.02
    )
    assert flow.thickness == 0.05


def test_layers_by_y_plus_are_as_high_as_its_flow_asks_for(tmp_path):
    # water at 1 m/s in a pipe 14 mm wide, y+ of 3: 2 * 3 * nu / u_tau by hand
    friction = 0.316 / (1.0 * 0.014 / 1e-6) ** 0.25 / 4
    first = 1e3 * 6 * 1e-6 / math.sqrt(friction / 2)
    row = {"patches": ["wall*"], "count": 4, "growth": 1.3, "yplus": 3}
    flow = {"speed": 1.0, "length": 14.0, "viscosity": 1e-6, "along": "pipe"}
    part = source(pipe(), tmp_path)
    given = {"sizing": {"smallest": 1.5, "largest": 2.0}, "layers": {"layers": [row | flow]}}
    states = run_to("layers", part, "pipe", given, MemoryStore())
    (told,) = next(s.report for s in states if s.stage == "layers")["patches"]
    assert told["first"] == pytest.approx(first) and told["full"] == 1.0
    with pytest.raises(SettingRejected, match="speed belongs to a wanted y+".replace("+", "[+]")):
        LAYER_ROWS.check("layers", "layers", [{"patches": ["a"], "first": 1, "speed": 1}], {})
    with pytest.raises(SettingRejected, match="likened"):
        LAYER_ROWS.check("layers", "layers", [row | flow | {"along": "wing"}], {})
    with pytest.raises(SettingRejected, match="speed for y"):
        LAYER_ROWS.check("layers", "layers", [row], {})


@pytest.mark.parametrize("room", [0.9, 0.5, 0.3, 0.05])
def test_layers_that_fit_keep_their_first_height_as_long_as_they_can(room):
    # eight layers from 0.1 that grow by 1.3 want 2.385; as even ones they want 0.8
    one = np.ones(3)
    whole = total(Heights(0.1, 1.3, 8))
    height = room * whole * one
    eight = np.full(3, 8, np.int32)
    made = fitted(0.1 * one, 1.3 * one, eight, height)
    assert made.ends[:, 0].tolist() == [0, 0, 0]
    steps = np.diff(made.ends, axis=1)[0]
    if room * whole >= 0.8:
        assert made.number[0] == 8 and made.thinned[0] == 1.0
        assert made.ends[0, -1] == pytest.approx(room * whole, rel=1e-4)
        assert steps[0] == pytest.approx(0.1)
        # all grow, but slower
        growth = steps[1:] / steps[:-1]
        assert growth == pytest.approx(growth[0]) and 1 <= growth[0] < 1.3
        # those under a height grow as asked for, and those over it slower
        series = 0.1 * 1.3 ** np.arange(8)
        held = fitted(0.1 * one, 1.3 * one, eight, height, 0.15 * one)
        outer = np.diff(held.ends, axis=1)[0]
        assert held.ends[0, -1] == pytest.approx(room * whole, rel=1e-9)
        if room > 0.6:
            assert outer[:2] == pytest.approx(series[:2])
            rest = outer[2:] / outer[1:-1]
            assert rest == pytest.approx(rest[0]) and 1 <= rest[0] < 1.3
        # where that is too much they stop growing, the inner ones as asked for
        level = fitted(0.1 * one, 1.3 * one, eight, height, one)
        even = np.diff(level.ends, axis=1)[0]
        grows = np.isclose(even, series)
        assert grows[0] and (np.diff(grows.astype(int)) <= 0).all()
        assert even[~grows] == pytest.approx(even[-1])
        assert series[grows][-1] <= even[-1] <= series[-1]
    else:
        # all are thinner, however little room there is
        assert made.number[0] == 8 and steps == pytest.approx(room * whole / 8)
        assert made.thinned[0] == pytest.approx(room * whole / 0.8)


def _step_to_core(made: Made) -> tuple[np.ndarray, np.ndarray]:
    """Of each face between a layer and the core its area, and the height of the core's cell over
    that of the last layer."""
    mesh, size = made.mesh, volumes(made)
    inner = np.flatnonzero(mesh.neighbour >= 0)
    owner, beyond = mesh.owner[inner], mesh.neighbour[inner]
    cap = (made.layer[owner] > 0) != (made.layer[beyond] > 0)
    own = np.where(made.layer[owner] > 0, owner, beyond)[cap]
    core = np.where(made.layer[owner] > 0, beyond, owner)[cap]
    p = mesh.points[mesh.face_nodes[mesh.face_start[inner[cap]][:, None] + np.arange(3)]]
    area = 0.5 * np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1)
    return area, 3 * size[core] / area / (size[own] / area)


@pytest.mark.slow
def test_layers_grow_on_until_they_meet_the_core(tmp_path):
    row = {"patches": ["wall*"], "count": 3, "growth": 1.3, "first": 0.05}
    sizing = {"smallest": 0.8, "largest": 1.0}
    made = layered_mesh(pipe(), tmp_path, [row], sizing)
    (found,) = [f for f in made.told["findings"] if f["code"] == "layers-step"]
    area, step = _step_to_core(made)
    assert found["size"] == pytest.approx(np.median(step), rel=0.3) and found["size"] > 2
    (offer,) = found["repairs"]
    settings = offer["operation"]["settings"]
    assert settings == {"onward": "meet"}
    met = layered_mesh(pipe(), tmp_path, [row], sizing, onward="meet")
    all_sound(met)
    assert "layers-step" not in {f["code"] for f in met.told["findings"]}
    assert met.layer.max() > 3
    area, step = _step_to_core(met)
    assert area[(step > 0.5) & (step < 2)].sum() > 0.95 * area.sum()
    # the first stays as high as it was asked for
    first = volumes(met)[met.layer == 1].sum()
    assert first == pytest.approx(math.pi * (49 - 6.95**2) * 60, rel=0.03)


def test_what_would_give_room_is_offered(tmp_path):
    # a slot 2 wide, with layers 3 high asked for on both sides
    row = {"patches": ["*"], "count": 6, "growth": 1.0, "total": 3.0}
    slot = box(0, 0, 0, 20, 10, 2)
    sizing = {"smallest": 0.5, "largest": 0.6}
    made = layered_mesh(slot, tmp_path, [row], sizing, {"where": "as-is"})
    (found,) = [f for f in made.told["findings"] if f["code"] == "layers-thin"]
    (offer,) = found["repairs"]
    (fits,) = offer["operation"]["settings"]["layers"]
    assert fits["total"] < 1 and fits["count"] == 6 and offer["operation"]["stage"] == "layers"
    again = layered_mesh(slot, tmp_path, [fits], sizing, {"where": "as-is"})
    all_sound(again)
    before, after = (m.told["patches"][0]["lowered"] for m in (made, again))
    assert after < before
    thin = [f["count"] for f in again.told["findings"] if f["code"] == "layers-thin"]
    assert sum(thin) < 0.75 * found["count"]


def test_where_layers_would_break_the_mesh_they_are_left_out(tmp_path, monkeypatch):
    from intaglio.findings import Finding
    from intaglio.stages.volume import step as stage

    told = stage.mesh_findings
    spot = [30.0, 7.0, 0.0]
    tries = []

    def find(mesh, measured):
        tries.append(mesh)
        bad = Finding("turned", "error", "A cell is turned.", 1, [spot])
        return [*told(mesh, measured), *([bad] if len(tries) == 1 else [])]

    monkeypatch.setattr(stage, "mesh_findings", find)
    row = {"patches": ["wall*"], "count": 3, "growth": 1.2, "last": 0.4}
    made = layered_mesh(pipe(), tmp_path, [row], {"smallest": 1.5, "largest": 2.0})
    assert len(tries) == 2
    all_sound(made)
    assert "layers-for-core" in {f["code"] for f in made.volume["findings"]}
    away = np.linalg.norm(measure(made.mesh).centroid - spot, axis=1)
    within = made.layer > 0
    assert away[within].min() > 3.0 and within.sum() > 0.5 * made.told["cells"]
