"""The quality of the surface mesh, as the page asks for it."""

import numpy as np
import pytest
import vtk
from vtkmodules.util.numpy_support import numpy_to_vtk, vtk_to_numpy

from intaglio.mesh.pack import unpack


@pytest.fixture
def meshed(ada, variant, work, known):
    ada.post(f"/api/variants/{variant.id}/runs", {"target": "surface"}, format="json")
    stages = ["geometry", "domain", "patches", "sizing", "surface"]
    (job,) = known(work, stages)
    assert job.state == "done", job.problem
    return ada


def _state(client, variant):
    stages = client.get(f"/api/variants/{variant.id}").json()["stages"]
    return next(s for s in stages if s["stage"] == "surface")


def _by_vtk(points, triangles, measure):
    """A measure of triangles by VTK's quality filter."""
    data, cells = vtk.vtkPolyData(), vtk.vtkCellArray()
    corners = vtk.vtkPoints()
    corners.SetData(numpy_to_vtk(points.astype(float), deep=True))
    for row in triangles.tolist():
        cells.InsertNextCell(3, row)
    data.SetPoints(corners)
    data.SetPolys(cells)
    quality = vtk.vtkMeshQuality()
    quality.SetInputData(data)
    getattr(quality, f"SetTriangleQualityMeasureTo{measure}")()
    quality.Update()
    return vtk_to_numpy(quality.GetOutput().GetCellData().GetArray("Quality"))


def test_all_triangles_are_coloured_as_vtk_finds_them(meshed, variant):
    base = f"/api/variants/{variant.id}/cells?stage=surface"
    report = _state(meshed, variant)["report"]
    for metric, measure in (
        ("smallest_angle", "MinAngle"),
        ("largest_angle", "MaxAngle"),
        ("aspect_ratio", "AspectRatio"),
    ):
        arrays, meta = unpack(meshed.get(f"{base}&metric={metric}").content)
        assert meta["cells"] == report["triangles"] == len(arrays["value"])
        exact = _by_vtk(arrays["points"], arrays["triangles"], measure)
        # drawn in single precision
        assert arrays["value"] == pytest.approx(exact, rel=2e-3)


def test_the_worst_triangles_come_first_with_where_they_lie(meshed, variant):
    url = f"/api/variants/{variant.id}/quality?stage=surface&metric=smallest_angle"
    told = meshed.get(f"{url}&worst=7&bars=10").json()
    report = _state(meshed, variant)["report"]
    values = [row["value"] for row in told["worst"]]
    assert values == sorted(values) and len(values) == 7
    assert values[0] == pytest.approx(report["quality"]["smallest_angle"]["min"], rel=1e-6)
    assert told["cells"] == sum(told["histogram"]["count"]) == report["triangles"]
    assert len(told["histogram"]["count"]) == 10
    assert told["limit"] == 10.0 and told["beyond"] == 0
    assert all(row["cause"] for row in told["worst"])


def test_the_triangles_around_one(meshed, variant):
    base = f"/api/variants/{variant.id}/around?stage=surface&cell=5"
    alone, one = unpack(meshed.get(f"{base}&rings=0").content)
    assert one["cells"] == 1 == len(alone["own_triangles"]) == len(alone["triangles"])
    more, wide = unpack(meshed.get(f"{base}&rings=1").content)
    whole, _ = unpack(meshed.get(f"/api/variants/{variant.id}/cells?stage=surface").content)
    own = set(whole["triangles"][5].tolist())
    beside = [t for t, row in enumerate(whole["triangles"].tolist()) if own & set(row)]
    assert sorted(more["cell"].tolist()) == beside and wide["cells"] == len(beside)


def test_limits_of_a_surface_change_its_verdict_and_nothing_else(meshed, variant):
    before = _state(meshed, variant)
    assert before["report"]["verdict"] == {
        **before["report"]["verdict"],
        "limits": "general",
        "passed": True,
    }
    own = {"limits": "own", "own_limits": [{"of": "smallest_angle", "value": 59.9}]}
    url = f"/api/variants/{variant.id}/settings"
    meshed.patch(url, {"surface": own}, format="json")
    state = _state(meshed, variant)
    assert state["condition"] == "current" and state["product"] == before["product"]
    (row,) = state["report"]["verdict"]["rows"]
    assert not row["passed"] and row["beyond"] == 200 and row["more"]
    told = meshed.get(f"/api/variants/{variant.id}/quality?stage=surface&metric=smallest_angle")
    assert told.json()["beyond"] > 200
    # it is a limit of triangles: cells have others
    wrong = {"surface": {"own_limits": [{"of": "warp", "value": 1}]}}
    answer = meshed.patch(url, wrong, format="json")
    assert answer.status_code == 400 and "smallest_angle" in str(answer.json())


@pytest.mark.parametrize(
    "query",
    [
        "metric=warp",
        "metric=beauty",
        "bars=0",
        "worst=-1",
        "low=x",
        "metric=aspect_ratio&bars=9999",
    ],
)
def test_bad_questions_are_refused(meshed, variant, query):
    url = f"/api/variants/{variant.id}/quality?stage=surface&{query}"
    assert meshed.get(url).status_code == 400
    assert meshed.get(f"/api/variants/{variant.id}/around?stage=surface&cell=-1").status_code == 400


def test_before_there_is_a_surface_there_is_nothing_to_judge(ada, variant):
    assert ada.get(f"/api/variants/{variant.id}/quality?stage=surface").status_code == 404


def test_values_between_two_are_those_alone(meshed, variant):
    base = f"/api/variants/{variant.id}/cells?stage=surface&metric=edge_ratio"
    whole, _ = unpack(meshed.get(base).content)
    middle = float(np.median(whole["value"]))
    few, meta = unpack(meshed.get(f"{base}&low={middle}&high=1e9").content)
    assert meta["cells"] == np.count_nonzero(whole["value"] >= np.float32(middle))
    assert few["value"].min() >= np.float32(middle)


def test_a_finding_is_accepted_with_a_reason_taken_back_and_undone(meshed, variant):
    url = f"/api/variants/{variant.id}"
    own = {"limits": "own", "own_limits": [{"of": "smallest_angle", "value": 59.9}]}
    meshed.patch(f"{url}/settings", {"surface": own}, format="json")

    def reason():
        rows = _state(meshed, variant)["report"]["findings"]
        (row,) = [f for f in rows if f["code"] == "beyond-smallest-angle"]
        return row.get("accepted")

    def accept(why, name="surface.beyond-smallest-angle"):
        asked = {"accepted": {name: why}}
        return meshed.patch(f"{url}/settings", asked, format="json").status_code

    assert reason() is None
    assert accept("  a trial  ") == 200 and reason() == "a trial"
    assert accept("two") == 200 and reason() == "two"
    meshed.post(f"{url}/undo")
    assert reason() == "a trial"
    assert accept(None) == 200 and reason() is None
    assert accept("") == 400 and accept("why", "magic.x") == 400
    answer = meshed.patch(f"{url}/settings", {"accepted": "all"}, format="json")
    assert answer.status_code == 400
