"""Proving what is handed over: verdict, going on, stopping, and fields in the mesh of Volume."""

import numpy as np
import pytest

import intaglio
from intaglio.errors import StepFailed
from intaglio.flow.geometry import face_vectors
from intaglio.flow.solve import Residuals
from intaglio.mesh.mesh import cell_middles, face_middles
from intaglio.parts.reading import source_of
from intaglio.proof.fields import cell_field, rim_field
from intaglio.proof.placing import faces_in
from intaglio.proof.profile import profile
from intaglio.proof.verdict import verdict
from intaglio.recipe.plan import MemoryStore
from intaglio.recipe.proving import FLOW, run_proof
from intaglio.stages.volume import volume_mesh
from tests.core import any_cells
from tests.core.shapes import pipe, source
from tests.core.test_parting import cut_open

FLUID = {"zones": ["*"], "is": "own_fluid", "density": 1000.0, "viscosity": 0.01}
ROWS = [
    {"patches": ["opening_2"], "is": "developed", "speed": 0.01},
    {"patches": ["opening_1"], "is": "pressure", "pressure": 0.0},
    {"patches": ["*"], "is": "no_slip"},
]
SETTINGS = {
    "sizing": {"largest": 2.5, "smallest": 2.5},
    "layers": {"layers": [{"patches": ["*"], "count": 3, "growth": 1.2, "total": 2.0}]},
    "case": {"closure": "laminar", "materials": [FLUID], "conditions": ROWS, "files": ["cgns"]},
}


@pytest.fixture(scope="module")
def part(tmp_path_factory):
    folder = tmp_path_factory.mktemp("proof")
    source(pipe(length=30.0), folder, "pipe")
    return source_of([folder / "pipe.step"])


@pytest.fixture(scope="module")
def store():
    return MemoryStore()


def run(part, store, iterations, settings=SETTINGS, before=None, **more):
    return run_proof(part, "pipe", settings, store, iterations, before, **more)


def mesh_of(store, keys):
    return volume_mesh(store.get(keys["volume"]))


def test_a_good_mesh_is_proven_with_evidence(part, store):
    keys = run(part, store, 60)
    report = store.get(keys[FLOW]).report
    assert report["verdict"] == "proven" and report["case"] == keys["case"]
    assert "fell by" in report["sentence"] or "settled" in report["sentence"]
    assert all(row["holds"] is not False for row in report["evidence"])
    assert len(report["residuals"]["mass"]) == report["iterations"] <= 60
    rate = np.pi * 0.007**2 * 0.01
    monitors = report["monitors"]
    assert set(monitors) == {"opening_1", "opening_2"}
    assert monitors["opening_1"]["flow_rate"][-1] == pytest.approx(rate, rel=0.03)
    assert report["patches"]["wall"]["flow_rate"] == 0.0


def test_fields_are_where_the_mesh_of_volume_has_its_cells(part, store):
    """The export is numbered anew and in another unit; a parabola knows where it belongs."""
    settings = {**SETTINGS, "case": {**SETTINGS["case"], "numbering": "narrow", "length": "m"}}
    keys = run(part, store, 60, settings)
    product, mesh = store.get(keys[FLOW]), mesh_of(store, keys)
    middle = cell_middles(mesh, np.arange(mesh.cells))
    radius = np.linalg.norm(middle[:, 1:], axis=1)
    inside = (middle[:, 0] > 8) & (middle[:, 0] < 22)
    exact = 0.02 * (1 - (radius / 7.0) ** 2)
    speed = cell_field(product.arrays, "speed")
    assert np.abs(speed - exact)[inside].max() < 0.1 * 0.02
    # the shear of Hagen and Poiseuille, 4 μ U / R, on walls alone
    shear = rim_field(mesh, product.arrays, "shear")
    vector, centre = face_vectors(mesh)
    ends = np.abs(vector[:, 0]) > 0.9 * np.linalg.norm(vector, axis=1)
    walls = (mesh.neighbour < 0) & ~ends
    assert (np.isfinite(shear) == walls).all()
    developed = walls & (centre[:, 0] > 8) & (centre[:, 0] < 22)
    assert shear[developed] == pytest.approx(4 * 0.01 * 0.01 / 0.007, rel=0.1)
    yplus = rim_field(mesh, product.arrays, "yplus")
    assert (np.isfinite(yplus) == walls).all()
    # the first of three layers by 1.2 that are 2 mm high: its middle by the friction speed
    middle_height = 0.5 * 2.0e-3 / (1.0 + 1.2 + 1.44)
    friction = np.sqrt(4 * 0.01 * 0.01 / 0.007 / 1000.0)
    assert yplus[developed] == pytest.approx(1000.0 * friction * middle_height / 0.01, rel=0.15)
    # the pressure of a face is that at its place
    push = rim_field(mesh, product.arrays, "wall_pressure")
    slope = np.polyfit(centre[developed, 0], push[developed], 1)
    assert np.abs(push[developed] - np.polyval(slope, centre[developed, 0])).max() < 0.05 * np.ptp(
        push[developed]
    )
    # across the pipe, from outside to outside
    made = profile(mesh, product.arrays, np.array([15.0, -9.0, 0.5]), np.array([15.0, 9, 0.5]), 91)
    radius = np.hypot(made.distance - 9.0, 0.5)
    assert np.isnan(made.pressure[radius > 7.05]).all()
    flows = radius < 6.8
    exact = 0.02 * (1 - (radius[flows] / 7.0) ** 2)
    assert np.abs(np.abs(made.velocity[flows, 0]) - exact).max() < 0.1 * 0.02
    # the pressure falls by 8 μ U / R² a metre
    along = profile(mesh, product.arrays, np.array([5.0, 0, 0]), np.array([25.0, 0, 0]), 21)
    fall = abs(along.pressure[-1] - along.pressure[0]) / 0.02
    assert fall == pytest.approx(8 * 0.01 * 0.01 / 0.007**2, rel=0.06)


def test_it_goes_on_from_where_it_was_and_stops_when_asked(part, store):
    first = run(part, store, 6)
    told = store.get(first[FLOW]).report
    assert told["iterations"] == 6 and not told["stopped"]
    on = store.get(run(part, store, 4, before=first[FLOW])[FLOW]).report
    whole = store.get(run(part, store, 10)[FLOW]).report
    assert on["iterations"] == whole["iterations"] == 10
    np.testing.assert_allclose(on["residuals"]["mass"], whole["residuals"]["mass"], rtol=0.2)
    assert len(on["monitors"]["opening_1"]["flow_rate"]) == 10
    shown = []
    stopped = run(part, store, 50, show=lambda stage, key, p: shown.append(p), stop=lambda: True)
    report = store.get(stopped[FLOW]).report
    assert report["stopped"] and report["iterations"] == 1
    assert shown[-1].report["verdict"] == "running" and not shown[-1].arrays


def test_of_another_hand_over_nothing_is_gone_on_with(part, store):
    first = run(part, store, 3)
    other = {**SETTINGS, "case": {**SETTINGS["case"], "gravity": [0.0, 0.0, -9.81]}}
    report = store.get(run(part, store, 2, other, before=first[FLOW])[FLOW]).report
    assert report["iterations"] == 2


def test_what_cannot_be_computed_is_said(part, store):
    no_file = {**SETTINGS, "case": {**SETTINGS["case"], "files": ["vtu"]}}
    with pytest.raises(StepFailed, match="the CGNS file"):
        run(part, store, 2, no_file)
    undone = {**SETTINGS, "case": {**SETTINGS["case"], "conditions": ROWS[1:]}}
    with pytest.raises(StepFailed, match="cannot be handed over"):
        run(part, store, 2, undone)


def test_a_mesh_for_a_turbulent_case_is_tried_by_a_thicker_fluid(part, store):
    water = {"zones": ["*"], "is": "own_fluid", "density": 1000.0, "viscosity": 0.001}
    rows = [{"patches": ["opening_2"], "is": "speed", "speed": 3.0}, *ROWS[1:]]
    case = {**SETTINGS["case"], "closure": "k_epsilon", "materials": [water], "conditions": rows}
    report = store.get(run(part, store, 60, {**SETTINGS, "case": case})[FLOW]).report
    assert report["verdict"] == "proven"
    # four volumes over the surface of a pipe of radius 7 and length 30
    length = 4 * 7.0**2 * 30 / (2 * 7 * 30 + 2 * 7.0**2) * 1e-3
    words = next(r["words"] for r in report["evidence"] if "times as viscous" in r["words"])
    times = float(words.split("fluid ")[1].split(" times")[0].replace(",", ""))
    assert times == pytest.approx(1000.0 * 3.0 * length / 0.001 / 100.0, rel=0.02)


def history(*masses):
    return tuple(Residuals((m, m, m), m) for m in masses)


@pytest.mark.parametrize(
    ("masses", "word"),
    [((1.0, 0.1, 1e-3), "proven"), ((1.0, 0.3, 0.02), "falling"), ((1.0, 0.9, 0.8), "failed")],
)
def test_the_verdict_follows_the_residuals(masses, word):
    told = history(*masses, *masses[-1:] * 5)
    assert verdict(told, 1e-4, 10, None, [])[0] == word
    # what does not balance is not proven, however far it fell
    word, words, _ = verdict(told, 0.5, 10, None, [])
    assert word != "proven" and (word == "failed" or "does not flow out" in words)


def test_the_sides_of_a_sheet_are_each_seen_from_their_own_cell():
    """A sheet's two faces lie at one place; an export numbers them as it pleases."""
    whole = any_cells.hexahedra((6, 4, 2), any_cells.flat_sided)
    middle = np.flatnonzero(whole.neighbour >= 0)
    height = face_middles(whole, middle)[:, 1]
    mesh, *_ = cut_open(whole, middle[np.abs(height - 0.5) < 1e-9])
    assert len(mesh.sheets)
    faces = mesh.sheets.ravel()
    found = faces_in(mesh, 1.0, mesh, 1.0, faces, mesh.owner[faces])
    np.testing.assert_array_equal(found, faces)


def test_it_is_had_in_python(tmp_path):
    source(pipe(length=30.0), tmp_path, "pipe")
    study = intaglio.open(tmp_path / "pipe.step", quiet=True).set(**SETTINGS)
    assert study.prove(3)["iterations"] == 3 and study.prove(2)["iterations"] == 5
