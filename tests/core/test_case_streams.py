"""A body in a stream: one statement for all that it enters and leaves through."""

import dataclasses
import json

import h5py
import numpy as np
import pytest

import intaglio
from intaglio.case.checks import checks
from intaglio.case.measuring import patch_faces, zones_of_patches
from intaglio.case.setup import set_up
from intaglio.formats.cgns import write_cgns
from intaglio.formats.registry import read_mesh
from intaglio.quality.report import patch_rows
from intaglio.settings.blanks import build
from intaglio.stages.case.defaults import case_defaults
from intaglio.stages.case.foretold import back
from intaglio.stages.case.settings import Case
from tests.core import any_cells
from tests.core.shapes import box, source

WAYS = {
    "+x": (1, 0, 0), "-x": (-1, 0, 0), "+y": (0, 1, 0), "-y": (0, -1, 0), "+z": (0, 0, 1),
    "-z": (0, 0, -1), "oblique": (0.8, 0.36, 0.48),
}  # fmt: skip
NORMALS = [(-1, 0, 0), (1, 0, 0), (0, -1, 0), (0, 1, 0), (0, 0, -1), (0, 0, 1)]


def cube(way):
    """A cube's mesh: the side that most of a stream enters by is `ahead`, that across `behind`."""
    most = np.dot(NORMALS, way)
    ends = {int(most.argmin()): ("ahead", "inlet"), int(most.argmax()): ("behind", "outlet")}
    named = [ends.get(k, (f"far_{k}", "far_field")) for k in range(6)]
    mesh = any_cells.hexahedra((3, 3, 3), lambda u: u)
    names, kinds = zip(*named, strict=True)
    return any_cells.on_patches(mesh, names, kinds)


def domain_of(mesh, way):
    """What Domain and Patches would tell of it; way None: as of a domain that was drawn."""
    faces = [
        {"id": p.name, "surface": "plane", "area": 1.0, "normal": list(n), "zones": [0],
         "role": "far"}
        for p, n in zip(mesh.patches, NORMALS, strict=True)
    ]  # fmt: skip
    zones = [{"name": "fluid", "kind": "fluid", "volume": 1.0}]
    domain = {"unit": "mm", "zones": zones, "faces": faces, "volume": 1.0, "area": 6.0}
    patches = [
        {"name": p.name, "kind": p.kind, "area": 1.0, "faces": [p.name]} for p in mesh.patches
    ]
    return domain | ({"stream": list(way)} if way else {}), {"patches": patches}


def worked_out(mesh, settings):
    own = dataclasses.asdict(build("case", Case, settings))
    rows = [
        {**row, "zones": zones, "facing": patch_faces(mesh, k).vectors.sum(axis=0).tolist()}
        for k, (row, zones) in enumerate(zip(patch_rows(mesh), zones_of_patches(mesh), strict=True))
    ]
    case = set_up(own, {"fluid": "fluid"}, rows, mesh.unit)
    return case, {f.code: f for f in checks(case, own, {}, {})}


def held(path):
    """Of each patch of a file what is held there: {name: {quantity: values}}."""
    with h5py.File(path) as file:
        out = {}
        for name, patch in file["Intaglio/fluid/ZoneBC"].items():
            data = patch.get("Data/DirichletData", {})
            out[name] = {key: data[key][" data"][()] for key in data}
        return out


@pytest.mark.parametrize("way", WAYS.values(), ids=WAYS)
def test_a_stream_goes_one_way_wherever_it_enters(tmp_path, way):
    mesh = cube(way)
    settings, _ = case_defaults(*domain_of(mesh, way))
    (row,) = settings["conditions"]
    assert row["velocity"] == list(way)
    case, found = worked_out(mesh, settings | {"closure": "shear_transport"})
    assert not {"stream-contradicts", "stream-backwards"} & set(found)
    write_cgns(mesh, tmp_path / "mesh.cgns", case=case)
    told = held(tmp_path / "mesh.cgns")
    through = {}
    for k, patch in enumerate(mesh.patches):
        own = told[patch.name]
        if patch.kind == "outlet":
            assert own["Pressure"] == 0.0 and "VelocityX" not in own
            continue
        velocity = [float(own[f"Velocity{axis}"][0]) for axis in "XYZ"]
        assert velocity == pytest.approx(list(way))
        through[patch.name] = patch_faces(mesh, k).vectors.sum(axis=0) @ velocity
    # of what enters ahead nothing leaves by the sides, but where the stream is oblique to them
    assert through.pop("ahead") == pytest.approx(np.dot(NORMALS, way).min())
    beside = sum(through.values())
    assert beside == pytest.approx(0.0, abs=1e-12)
    assert (max(map(abs, through.values())) < 1e-12) == (way != WAYS["oblique"])
    # and its turbulence is the same everywhere: ten times the fluid's own viscosity
    for name in ("ViscosityEddyKinematic", "TurbulentEnergyKinetic"):
        values = {float(own[name][0]) for own in told.values() if name in own}
        assert len(values) == 1, name
    kinematic = 1.002e-3 / 998.2
    assert told["ahead"]["ViscosityEddyKinematic"][0] == pytest.approx(10 * kinematic, rel=5e-3)


def test_in_a_domain_that_was_drawn_it_goes_in_by_the_inlet():
    for way in list(WAYS.values())[:6]:
        settings, _ = case_defaults(*domain_of(cube(way), None))
        assert settings["conditions"][0]["velocity"] == list(way)


def test_two_ways_of_one_stream_are_told_and_mended():
    mesh = cube(WAYS["+y"])
    settings, _ = case_defaults(*domain_of(mesh, WAYS["+y"]))
    sides = [p.name for p in mesh.patches if p.kind == "far_field"]
    far = {"patches": sides, "is": "stream", "velocity": [1, 0, 0], "pressure": 3.0}
    into = {"patches": ["ahead"], "is": "speed", "speed": 1.0, "temperature": 25.0}
    out = {"patches": ["behind"], "is": "pressure", "pressure": 3.0}
    _, found = worked_out(mesh, settings | {"conditions": [far, into, out]})
    told = found["stream-contradicts"]
    assert "(1, 0, 0) m/s" in told.message and "(0, 1, 0) m/s at ahead" in told.message
    into_it, far_off = told.repairs
    kept = far_off["operation"]["settings"]["conditions"]
    assert kept[0]["velocity"] == [1, 0, 0] and kept[0]["temperature"] == 25.0
    mended = into_it["operation"]["settings"]["conditions"]
    assert mended == [
        {"patches": [p.name for p in mesh.patches], "is": "stream", "velocity": [0, 1, 0],
         "pressure": 3.0, "temperature": 25.0}
    ]  # fmt: skip
    _, after = worked_out(mesh, settings | {"conditions": mended})
    assert "stream-contradicts" not in after
    # the same said in two rows is one stream
    alike = {**far, "velocity": [0, 1, 0]}
    case, found = worked_out(mesh, settings | {"conditions": [alike, into, out]})
    assert "stream-contradicts" not in found
    # and what enters open air brings no turbulence of a pipe
    assert {p.inflow.intensity for p in case.patches if p.inflow} == {0.01}


def test_a_stream_that_comes_in_by_the_outlet_is_told():
    mesh = cube(WAYS["-z"])
    settings, _ = case_defaults(*domain_of(mesh, WAYS["-z"]))
    rows = [{**settings["conditions"][0], "velocity": [0, 0, 1]}]
    _, found = worked_out(mesh, settings | {"conditions": rows})
    told = found["stream-backwards"]
    assert told.level == "error" and ("ahead" in told.message or "behind" in told.message)


def test_a_reynolds_number_is_worked_back_to_the_whole_stream():
    way = WAYS["oblique"]
    domain, patches = domain_of(cube(way), way)
    settings, _ = case_defaults(domain, patches)
    own = dataclasses.asdict(build("case", Case, settings))
    told = back(
        own, domain, patches, patch="ahead", reynolds=1e6, length=500.0, what="speed"
    )["conditions"]  # fmt: skip
    (row,) = told
    assert len(row["patches"]) == 6
    # ν Re / L of water at 20 °C
    speed = np.linalg.norm(row["velocity"])
    assert speed == pytest.approx(1.004e-6 * 1e6 / 0.5, rel=5e-3)
    assert np.array(row["velocity"]) / speed == pytest.approx(way)


@pytest.mark.slow
def test_a_body_longest_in_y_is_drafted_run_and_handed_over(tmp_path):
    part = source(box(0, 0, 0, 10, 30, 10), tmp_path, "hull")
    (tmp_path / part.name).write_bytes(part.data)
    study = intaglio.open(tmp_path / part.name, quiet=True).set(
        domain={"where": "around"}, sizing={"cells": 4000}
    )
    study.export(tmp_path / "out")
    told = held(tmp_path / "out/mesh.cgns")
    mesh = read_mesh(tmp_path / "out/mesh.cgns")
    entered, passed = 0.0, 0.0
    for k, patch in enumerate(mesh.patches):
        if patch.kind not in ("inlet", "far_field"):
            continue
        velocity = [told[patch.name][f"Velocity{axis}"][0] for axis in "XYZ"]
        flux = patch_faces(mesh, k).vectors @ velocity
        entered -= flux[flux < 0].sum()
        passed += flux[flux > 0].sum()
    assert entered > 0 and passed < 1e-9 * entered
    report = json.loads((tmp_path / "out/report.json").read_text())
    assert not [f for f in report["findings"] if f["code"].startswith("stream")]
