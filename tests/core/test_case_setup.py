"""The case worked out, its checks, and how it goes out in CGNS and comes back."""

import dataclasses
import shutil
import subprocess

import h5py
import jsonschema
import numpy as np
import pytest
from vtkmodules.util.numpy_support import vtk_to_numpy
from vtkmodules.vtkIOCGNSReader import vtkCGNSReader

from intaglio.case.checks import checks
from intaglio.case.inflow import face_velocities
from intaglio.case.kinds import CLOSURES, CONDITION_ROWS, MATERIAL_ROWS
from intaglio.case.measuring import first_distances, patch_faces, zone_widths, zones_of_patches
from intaglio.case.passing import yplus
from intaglio.case.setup import set_up
from intaglio.errors import SettingRejected
from intaglio.formats.cgns import read_cgns, write_cgns
from intaglio.quality.report import patch_rows
from intaglio.recipe.recipe import read_recipe
from intaglio.settings.blanks import build
from intaglio.settings.kinded import rows_of
from intaglio.stages.case.defaults import case_defaults
from intaglio.stages.case.earlier import of_today
from intaglio.stages.case.settings import Case
from tests.core import any_cells


def settings(**given):
    """Settings of a case of water through a block, changed."""
    usual = {
        "materials": [
            {"zones": ["*"], "is": "water", "temperature": 20.0},
            {"zones": ["*"], "is": "carbon_steel"},
        ],
        "conditions": [
            {"patches": ["left"], "is": "speed", "speed": 2.0},
            {"patches": ["right"], "is": "pressure", "pressure": 0.0},
            {"patches": ["top"], "is": "stream", "velocity": [1, 0, 0], "pressure": 0.0},
            {"patches": ["*"], "is": "no_slip"},
        ],
    }
    return dataclasses.asdict(build("case", Case, {**usual, **given}))


def measured(mesh):
    sides = zones_of_patches(mesh)
    return [{**row, "zones": own} for row, own in zip(patch_rows(mesh), sides, strict=True)]


def worked_out(mesh, **given):
    own = settings(**given)
    case = set_up(own, {z.name: z.kind for z in mesh.zones}, measured(mesh), mesh.unit)
    return case, own


def found(mesh, near=None, widths=None, **given):
    case, own = worked_out(mesh, **given)
    return {f.code: f for f in checks(case, own, near or {}, widths or {})}


@pytest.fixture(scope="module")
def block():
    return any_cells.hexahedra((4, 3, 3), any_cells.flat_sided)


@pytest.fixture(scope="module")
def duct(block):
    """The same with walls all around, so that what enters is no stream in the open."""
    kinds = [any_cells.KINDS[k] if k < 5 else "wall" for k in range(6)]
    return any_cells.on_patches(block, any_cells.SIDES, kinds)


def replaced(rows, patch, **row):
    """The usual conditions with another for one patch."""
    return [
        {"patches": [patch], **row} if r["patches"] == [patch] else r for r in rows["conditions"]
    ]


# rows and their description


@pytest.mark.parametrize(
    "rows",
    [
        "all",
        [{"patches": ["a"]}],
        [{"patches": ["a"], "is": "magic"}],
        [{"patches": [], "is": "no_slip"}],
        [{"patches": [3], "is": "no_slip"}],
        [{"patches": ["a"], "is": "speed"}],
        [{"patches": ["a"], "is": "speed", "speed": "fast"}],
        [{"patches": ["a"], "is": "no_slip", "speed": 1}],
        [{"patches": ["a"], "is": "velocity", "velocity": [1, 2]}],
        [{"patches": ["a"], "is": "mass_flow", "rate": 0}],
    ],
)
def test_rows_that_say_nothing_usable_are_refused(rows):
    with pytest.raises(SettingRejected) as told:
        build("case", Case, {"conditions": rows})
    assert told.value.blank == "case.conditions"


def test_rows_take_arithmetic_and_one_name_without_a_list():
    check = rows_of(CONDITION_ROWS).check
    row = {"patches": "in*", "is": "speed", "speed": "2 * bore", "intensity": 5}
    assert check("x", "", [row], {"bore": 3.0}) == [
        {"patches": ["in*"], "is": "speed", "speed": 6.0, "intensity": 5.0}
    ]


def test_the_schema_takes_what_the_check_takes_and_no_more():
    schema = rows_of(MATERIAL_ROWS).schema()
    good = [
        {"zones": ["*"], "is": "water", "temperature": 20},
        {"zones": ["oil"], "is": "own_fluid", "density": 870, "viscosity": 0.05},
    ]
    jsonschema.validate(good, schema)
    rows_of(MATERIAL_ROWS).check("x", "", good, {})
    for bad in ({"zones": ["*"], "is": "water"}, {"zones": ["*"], "is": "own_fluid", "density": 1}):
        with pytest.raises(jsonschema.ValidationError):
            jsonschema.validate([bad], schema)
        with pytest.raises(SettingRejected):
            rows_of(MATERIAL_ROWS).check("x", "", [bad], {})


# working out


def test_an_inflow_is_told_in_si_units_whatever_the_mesh_is_in(duct):
    for unit, metre in (("mm", 1e-3), ("m", 1.0), ("in", 0.0254)):
        case, _ = worked_out(dataclasses.replace(duct, unit=unit))
        left = next(p for p in case.patches if p.name == "left")
        # a square of side 1, sheared by 0.3 along the flow
        side, long = metre, metre * np.hypot(1.0, 0.3)
        width = 4 * side * long / (2 * (side + long))
        assert left.diameter == pytest.approx(width, rel=1e-9)
        own = case.zone("fluid").properties
        assert left.inflow.reynolds == pytest.approx(
            own.density * 2.0 * width / own.viscosity, rel=1e-9
        )
        assert left.inflow.volume == pytest.approx(2.0 * side * long, rel=1e-9)
        assert left.inflow.eddies == pytest.approx(0.07 * width, rel=1e-9)


@pytest.mark.parametrize(
    "row, speed",
    [
        ({"is": "velocity", "velocity": [3.0, 4.0, 0.0]}, 5.0),
        ({"is": "developed", "speed": 1.5}, 1.5),
        ({"is": "flow_rate", "rate": 1e-6}, None),
        ({"is": "mass_flow", "rate": 1e-3}, None),
    ],
)
def test_every_way_in_comes_to_a_mean_speed(block, row, speed):
    case, _ = worked_out(block, conditions=replaced(settings(), "left", **row))
    left = next(p for p in case.patches if p.name == "left")
    if speed is None:
        density = 1.0 if row["is"] == "flow_rate" else case.zone("fluid").properties.density
        speed = row["rate"] / density / left.area
    assert left.inflow.speed == pytest.approx(speed, rel=1e-12)


def test_a_speed_that_a_pressure_drives_is_not_told(block, tmp_path):
    rows = replaced(settings(), "left", **{"is": "total_pressure", "pressure": 100.0})
    case, _ = worked_out(block, conditions=rows)
    assert next(p for p in case.patches if p.name == "left").inflow is None
    written(block, tmp_path / "mesh.cgns", conditions=rows)
    with h5py.File(tmp_path / "mesh.cgns") as file:
        assert set(data_of(file, "fluid", "left")) == {"PressureStagnation"}


def test_a_stream_brings_ten_times_the_viscosity_of_the_fluid(block):
    case, _ = worked_out(block)
    top = next(p for p in case.patches if p.name == "top").inflow
    own = case.zone("fluid").properties
    assert top.turbulence.eddy_viscosity == pytest.approx(10 * own.viscosity / own.density)
    assert top.turbulence.energy == pytest.approx(1.5 * (0.01 * 1.0) ** 2)
    still = [{**r, "intensity": 0.0} if r["patches"] == ["top"] else r
             for r in settings()["conditions"]]  # fmt: skip
    case, _ = worked_out(block, conditions=still)
    top = next(p for p in case.patches if p.name == "top").inflow
    assert top.turbulence.energy == top.turbulence.eddy_viscosity == 0.0


def test_what_only_solids_touch_needs_no_condition():
    mesh = any_cells.two_zones()
    # the outlet's end is of steel there, as are parts of other sides
    case, own = worked_out(mesh, conditions=[{"patches": ["left"], "is": "speed", "speed": 1.0}])
    bare = next(f for f in checks(case, own, {}, {}) if f.code == "no-condition")
    dry = {p.name for p in case.patches if p.zones == ("steel",)}
    assert dry and not dry & set(bare.message.rstrip(".").replace(",", "").split())


def test_the_first_row_that_suits_holds_and_patterns_stand_below(block):
    rows = [
        {"patches": ["front"], "is": "slip"},
        *settings()["conditions"],
    ]
    case, _ = worked_out(block, conditions=rows)
    held = {p.name: p.condition for p in case.patches}
    assert held == {
        "left": "speed", "right": "pressure", "front": "slip", "back": "no_slip",
        "bottom": "symmetry", "top": "stream",
    }  # fmt: skip
    assert not case.twice and not case.unmatched


def test_a_material_beyond_its_temperatures_and_an_axis_without_direction_are_refused(block):
    with pytest.raises(SettingRejected, match="at most 100"):
        worked_out(block, materials=[{"zones": ["*"], "is": "water", "temperature": 130}])
    axis = {"zones": ["*"], "is": "turning", "point": [0, 0, 0], "axis": [0, 0, 0], "rpm": 1}
    with pytest.raises(SettingRejected, match="direction"):
        worked_out(block, frames=[axis])


# checks


def test_a_case_that_holds_together_has_no_findings(block):
    assert found(block, closure="laminar") == {}


def test_a_patch_without_a_condition_is_an_error_with_one_on_offer(block):
    own = settings()
    rows = [r for r in own["conditions"] if r["patches"] != ["right"]]
    told = found(block, conditions=rows)["no-condition"]
    assert told.level == "error" and "right" in told.message
    offered = told.repairs[0]["operation"]
    assert offered["do"] == "set" and offered["stage"] == "case"
    assert "no-condition" not in found(block, **offered["settings"])


def test_rows_of_nothing_and_names_given_twice_are_told(block):
    own = settings()["conditions"]
    told = found(block, conditions=[*own, {"patches": ["lid"], "is": "slip"}])["case-of-nothing"]
    assert "lid" in told.message
    assert "case-of-nothing" not in found(block, **told.repairs[0]["operation"]["settings"])
    twice = found(block, conditions=[*own, {"patches": ["front"], "is": "slip"}])["case-twice"]
    assert twice.level == "error" and "front" in twice.message


def test_what_enters_must_leave_and_be_as_much(block):
    own = settings()
    # the far field would let it out
    closed = [r for r in own["conditions"] if r["patches"] not in (["right"], ["top"])]
    walls = [*closed, {"patches": ["right"], "is": "mass_out", "rate": 1e-3}]
    mesh = dataclasses.replace(
        block,
        patches=tuple(
            dataclasses.replace(p, kind="wall") if p.name == "top" else p for p in block.patches
        ),
    )
    case, _ = worked_out(mesh, conditions=walls)
    left = next(p for p in case.patches if p.name == "left")
    told = found(mesh, conditions=walls)
    assert told["unbalanced"].level == "error"
    assert told["unbalanced"].size == pytest.approx(abs(left.inflow.mass - 1e-3), rel=1e-9)
    assert "no-pressure-level" in told
    even = [*closed, {"patches": ["right"], "is": "mass_out", "rate": left.inflow.mass}]
    assert "unbalanced" not in found(mesh, conditions=even)
    shut = dataclasses.replace(
        mesh,
        patches=tuple(
            dataclasses.replace(p, kind="wall") if p.name == "right" else p for p in mesh.patches
        ),
    )
    told = found(shut, conditions=closed)
    assert told["no-way-out"].level == "error" and "left" in told["no-way-out"].message
    still = dataclasses.replace(
        shut, patches=tuple(dataclasses.replace(p, kind="wall") for p in shut.patches)
    )
    told = found(still, conditions=[{"patches": ["*"], "is": "no_slip"}])
    assert {"nothing-drives", "no-pressure-level"} <= set(told)


def test_reynolds_and_mach_are_held_against_the_closure(duct):
    slow = replaced(settings(), "left", **{"is": "speed", "speed": 0.1})
    told = found(duct, conditions=slow, closure="k_epsilon")["closure-unfit"]
    assert told.repairs[0]["operation"]["settings"] == {"closure": "laminar"}
    assert "closure-unfit" not in found(duct, conditions=slow, closure="laminar")
    fast = replaced(settings(), "left", **{"is": "speed", "speed": 20.0})
    assert "closure-unfit" in found(duct, conditions=fast, closure="laminar")
    air = [{"zones": ["*"], "is": "air", "temperature": 20}]
    quick = replaced(settings(), "left", **{"is": "speed", "speed": 200.0})
    told = found(duct, conditions=quick, materials=air)["compressible"]
    assert told.size == pytest.approx(200 / 343.2, rel=1e-3)


def test_first_cells_are_held_against_the_treatment_of_walls(block):
    case, _ = worked_out(block)
    widths, near = {"fluid": 1e-3}, {"front": 1e-5, "back": 1e-5}
    told = yplus(case, near, widths)
    # a stream beside: like a plate as long as the zone is wide, White 7.4
    kinematic = case.zone("fluid").properties.viscosity / case.zone("fluid").properties.density
    friction = 0.027 / (2.0 * 1e-3 / kinematic) ** (1 / 7)
    assert told["front"] == pytest.approx(1e-5 * 2.0 * np.sqrt(friction / 2) / kinematic, rel=1e-9)
    far = {"front": 1e-5 * 15 / told["front"]}
    assert found(block, far, widths)["first-height"].level == "note"
    assert found(block, far, widths, closure="k_epsilon")["first-height"].level == "caution"
    bridged = {"front": 1e-5 * 60 / told["front"]}
    assert "first-height" not in found(block, bridged, widths, closure="k_epsilon")
    assert "first-height" in found(block, bridged, widths, closure="one_equation")


def test_heat_wants_properties_and_temperatures(block, tmp_path):
    oil = [{"zones": ["*"], "is": "own_fluid", "density": 870.0, "viscosity": 0.05}]
    told = found(block, heat="with", materials=oil)
    assert told["no-heat-properties"].level == "error"
    assert told["no-temperature"].level == "caution"
    assert not {"no-heat-properties", "no-temperature"} & set(found(block, materials=oil))
    # an error, but no reason to fail: mesh and case are written as far as they go
    written(block, tmp_path / "mesh.cgns", heat="with", materials=oil)
    checked(tmp_path / "mesh.cgns")


def test_what_is_measured_of_the_mesh(block):
    # first cells of a sheared block: half a cell high, whatever the shear along the wall
    near = first_distances(block)
    assert near["front"] == pytest.approx(0.5 / 3) and near["back"] == pytest.approx(0.5 / 3)
    assert zones_of_patches(any_cells.two_zones())[-1] == ["water", "steel"]
    rows = measured(block)
    total = sum(r["area"] for r in rows)
    assert zone_widths({"fluid": {"volume": 2.0}}, rows)["fluid"] == pytest.approx(8.0 / total)


def test_defaults_follow_names_and_kinds():
    domain = {
        "zones": [
            {"name": "sea_side", "kind": "fluid"},
            {"name": "glycol", "kind": "fluid"},
            {"name": "copper_tube", "kind": "solid"},
        ],
        "faces": [{"area": 100.0}, {"area": 100.0}],
        "volume": 1000.0,
        "unit": "mm",
    }
    patches = {"patches": [{"name": n, "kind": k} for n, k in
                           (("in", "inlet"), ("out", "outlet"), ("shell", "wall"))]}  # fmt: skip
    made, reasons = case_defaults(domain, patches)
    assert [m["is"] for m in made["materials"]] == ["sea_water", "glycol_mixture", "copper"]
    assert made["heat"] == "with" and made["closure"] == "shear_transport"
    assert [r["is"] for r in made["conditions"]] == ["speed", "pressure", "no_slip"]
    assert set(reasons) == set(made)
    assert dataclasses.asdict(build("case", Case, made)) == made


# out and back


def written(mesh, path, **given):
    case, _ = worked_out(mesh, **given)
    write_cgns(mesh, path, case=case)
    return case


def data_of(file, zone, patch, kind="DirichletData"):
    held = file[f"Intaglio/{zone}/ZoneBC/{patch}/Data/{kind}"]
    return {name: held[name][" data"][()] for name in held}


EVERY = [
    ("left", {"is": "speed", "speed": 2.0, "temperature": 35.0, "intensity": 4.0, "eddies": 0.1}),
    ("left", {"is": "velocity", "velocity": [2.0, 0.5, -0.25]}),
    ("left", {"is": "developed", "speed": 0.7}),
    ("left", {"is": "flow_rate", "rate": 2.5e-6}),
    ("left", {"is": "mass_flow", "rate": 1.25e-3}),
    ("left", {"is": "total_pressure", "pressure": 1234.5}),
    ("right", {"is": "pressure", "pressure": -20.125}),
    ("right", {"is": "mass_out", "rate": 1e-3}),
    ("top", {"is": "stream", "velocity": [3.0, 0.0, 0.5], "pressure": 12.5}),
]
WALLS = [
    {"is": "no_slip"},
    {"is": "slip"},
    {"is": "moving", "velocity": [0.1, 0.2, 0.3]},
    {"is": "turning", "point": [1, 2, 3], "axis": [0, 0, 2], "rpm": 30},
]
HEATS = [
    {"is": "temperature", "temperature": 60.0},
    {"is": "flux", "flux": 1500.0},
    {"is": "transfer", "coefficient": 12.5, "temperature": 15.0},
]


def checked(path):
    assert shutil.which("cgnscheck"), "install cgns-convert"
    done = subprocess.run(["cgnscheck", str(path)], capture_output=True, text=True, check=False)
    told = done.stdout + done.stderr
    assert "checking complete" in told
    assert "WARNING" not in told.upper() and "ERROR" not in told.upper(), told


@pytest.mark.parametrize("patch, row", EVERY)
def test_every_way_in_and_out_is_in_the_file_to_the_last_bit(block, tmp_path, patch, row):
    path = tmp_path / "mesh.cgns"
    rows = replaced(settings(), patch, **row)
    case = written(block, path, conditions=rows, heat="with")
    checked(path)
    own = next(p for p in case.patches if p.name == patch)
    number = [p.name for p in block.patches].index(patch)
    velocity = face_velocities(block, number, own, case)
    with h5py.File(path) as file:
        held = data_of(file, "fluid", patch)
        if velocity is not None:
            # the left side lies at the least x: what enters there runs on
            assert patch != "left" or (velocity[:, 0] > 0).all()
            if row["is"] == "speed":
                assert np.linalg.norm(velocity, axis=1) == pytest.approx(
                    np.full(len(velocity), 2.0)
                )
            for i, axis in enumerate("XYZ"):
                wanted = velocity[:, i]
                got = held[f"Velocity{axis}"]
                assert len(got) in (1, len(wanted))
                if len(got) == 1:
                    assert wanted == pytest.approx(
                        np.full(len(wanted), got[0]), rel=1e-11, abs=1e-11
                    )
                else:
                    assert np.array_equal(got, wanted)
        for key, name in (("pressure", "Pressure"), ("rate", "MassFlowTotal")):
            known = {"total_pressure": "PressureStagnation", "flow_rate": "VolumeFlow"}
            if key in row:
                assert held[known.get(row["is"], name)][0] == row[key]
        if "rate" in row and row["is"] != "flow_rate":
            # the side is 1 mm wide and 0.3 mm sheared over its height of 1 mm
            side = 1e-6 * np.hypot(1.0, 0.3) if patch == "left" else own.area
            assert held["MassFlow"][0] == pytest.approx(row["rate"] / side, rel=1e-9)
        if "temperature" in row:
            assert held["Temperature"][0] == row["temperature"] + 273.15
        if own.inflow is not None:
            assert held["TurbulentEnergyKinetic"][0] == own.inflow.turbulence.energy
            assert held["TurbulentDissipationRate"][0] == own.inflow.turbulence.rate
    again = read_cgns(path)
    assert {p.name: p.kind for p in again.patches} == {p.name: p.kind for p in block.patches}


@pytest.mark.parametrize("wall", WALLS)
@pytest.mark.parametrize("heat", HEATS)
def test_every_wall_is_in_the_file(block, tmp_path, wall, heat):
    path = tmp_path / "mesh.cgns"
    rows = [{"patches": ["front"], **wall}, *settings()["conditions"]]
    written(block, path, conditions=rows, heat="with", warmth=[{"patches": ["front"], **heat}])
    checked(path)
    with h5py.File(path) as file:
        kind = bytes(file["Intaglio/fluid/ZoneBC/front"][" data"][()].astype(np.int8)).decode()
        slip = {"slip": "BCWallInviscid"}.get(wall["is"])
        warm = {"temperature": "BCWallViscousIsothermal", "flux": "BCWallViscousHeatFlux"}
        assert kind == (slip or warm.get(heat["is"], "BCWallViscous"))
        if wall["is"] == "moving":
            held = data_of(file, "fluid", "front")
            assert [held[f"Velocity{a}"][0] for a in "XYZ"] == wall["velocity"]
        if wall["is"] == "turning":
            held = data_of(file, "fluid", "front")
            # 30 turns a minute are 180 degrees a second; the point in metres
            assert held["RotationRateZ"][0] == pytest.approx(180.0)
            assert held["RotationCenterX"][0] == pytest.approx(1e-3)
        if heat["is"] == "temperature":
            assert data_of(file, "fluid", "front")["Temperature"][0] == 333.15
        elif heat["is"] == "flux":
            assert data_of(file, "fluid", "front", "NeumannData")["HeatFlux"][0] == 1500.0
        else:
            passing = data_of(file, "fluid", "front", "NeumannData")
            assert passing["HeatTransferCoefficient"][0] == 12.5
            assert passing["TemperatureAround"][0] == 288.15
    assert {p.name: p.kind for p in read_cgns(path).patches}["front"] == "wall"


@pytest.mark.parametrize("closure", [c.key for c in CLOSURES])
def test_equations_and_materials_are_in_the_file_and_vtk_reads_it(tmp_path, closure):
    mesh = any_cells.two_zones()
    path = tmp_path / "mesh.cgns"
    turning = {
        "zones": ["water"],
        "is": "turning",
        "point": [0, 0, 1],
        "axis": [0, 3, 0],
        "rpm": 60,
    }
    case = written(
        mesh, path, heat="with", closure=closure, frames=[turning], gravity=[0, 0, -9.81],
        time="unsteady",
    )  # fmt: skip
    checked(path)

    def text(group):
        return bytes(group[" data"][()].astype(np.int8)).decode()

    with h5py.File(path) as file:
        top = file["Intaglio"]
        assert text(top["SimulationType"]) == "TimeAccurate"
        assert top["Gravity/GravityVector"][" data"][()] == pytest.approx([0, 0, -9.81])
        water, steel = top["water"], top["steel"]
        state = water["ReferenceState"]
        own = case.zone("water").properties
        for name, value in (
            ("Density", own.density),
            ("ViscosityMolecular", own.viscosity),
            ("SpecificHeatPressure", own.heat_capacity),
            ("ThermalConductivity", own.conductivity),
        ):
            assert state[name][" data"][0] == value
        assert steel["ReferenceState/Density"][" data"][0] == 7854.0
        assert "FlowEquationSet" not in steel
        equations = water["FlowEquationSet"]
        standard = {c.key: c.standard for c in CLOSURES}[closure]
        governs = "NSTurbulent" if standard else "NSLaminar"
        assert text(equations["GoverningEquations"]) == governs
        assert ("TurbulenceModel" in equations) == bool(standard)
        if standard:
            assert text(equations["TurbulenceModel"]) == standard
        rate = water["RotatingCoordinates/RotationRateVector"][" data"][()]
        assert rate == pytest.approx([0, 360.0, 0])
    reader = vtkCGNSReader()
    reader.SetFileName(str(path))
    reader.UpdateInformation()
    reader.EnableAllBases()
    reader.Update()
    base = reader.GetOutput().GetBlock(0)
    assert sum(base.GetBlock(k).GetNumberOfCells() for k in range(2)) == mesh.cells
    points = vtk_to_numpy(base.GetBlock(0).GetPoints().GetData())
    assert points.min() >= mesh.points.min() and points.max() <= mesh.points.max()


def test_a_developed_inflow_carries_its_mean(block):
    rows = replaced(settings(), "left", **{"is": "developed", "speed": 3.0})
    fine = any_cells.hexahedra((3, 14, 14), any_cells.flat_sided)
    for mesh in (block, fine):
        case, _ = worked_out(mesh, conditions=rows)
        number = [p.name for p in mesh.patches].index("left")
        own = next(p for p in case.patches if p.name == "left")
        velocity = face_velocities(mesh, number, own, case)
        faces = patch_faces(mesh, number)
        area = np.bincount(faces.face, np.linalg.norm(faces.vectors, axis=1))
        inward = -(velocity * faces.normals()).sum(axis=1)
        assert (inward * area).sum() / area.sum() == pytest.approx(3.0, rel=1e-9)
        assert inward.max() > 1.05 * inward.min()


def test_settings_of_earlier_versions_say_the_same_in_rows(block, tmp_path):
    old = {"density": 870.0, "viscosity": 0.05, "velocity": 3.0, "pressure": 7.0}
    now = of_today(old)
    case, _ = worked_out(
        dataclasses.replace(
            block,
            patches=tuple(
                dataclasses.replace(p, kind="wall") if p.kind == "far_field" else p
                for p in block.patches
            ),
        ),
        **now,
    )
    held = {p.name: (p.condition, dict(p.numbers)) for p in case.patches}
    assert held["left"] == ("speed", {"speed": 3.0})
    assert held["right"] == ("pressure", {"pressure": 7.0})
    assert held["front"] == ("no_slip", {})
    assert case.zone("fluid").properties.density == 870.0
    assert case.zone("fluid").properties.viscosity == 0.05
    assert of_today({"velocity": 2.0})["conditions"][0]["speed"] == 2.0
    assert "materials" not in of_today({"velocity": 2.0})
    # today's stay
    for same in ({}, {"iterations": 5}, settings()):
        assert of_today(same) == same
    path = tmp_path / "old.yaml"
    path.write_text("recipe: 1\npart: a.step\ncase: {velocity: 3.0}\n", encoding="utf-8")
    assert read_recipe(path).settings["case"] == of_today({"velocity": 3.0})
