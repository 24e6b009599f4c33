"""The flow on what is handed over, through the API: asked for, gone on with, stopped, looked at."""

import csv
import io
import threading
import time

import numpy as np
import pytest
from django.db import connection

from intaglio.mesh.pack import unpack
from studies import runner
from studies.models import Job, Product, Variant

FLUID = {"zones": ["*"], "is": "own_fluid", "density": 1000.0, "viscosity": 0.05}
CASE = {
    "closure": "laminar",
    "materials": [FLUID],
    "conditions": [
        {"patches": ["opening_2"], "is": "developed", "speed": 0.01},
        {"patches": ["opening_1"], "is": "pressure", "pressure": 0.0},
        {"patches": ["*"], "is": "no_slip"},
    ],
    "files": ["cgns"],
}
STAGES = ("geometry", "domain", "patches", "sizing", "surface", "layers", "volume", "case")


@pytest.fixture
def laminar(variant):
    variant.settings = {**variant.settings, "case": CASE, "layers": {"layers": []}}
    variant.save()
    return variant


@pytest.fixture
def proven(ada, laminar, work, known):
    def run():
        assert ask(ada, laminar, iterations=5).status_code == 202
        (job,) = work()
        assert job.state == Job.State.DONE, job.problem
        return laminar

    return known(run, STAGES)


def ask(client, variant, **given):
    return client.post(f"/api/variants/{variant.id}/flow", given, format="json")


def shown(client, variant):
    return client.get(f"/api/variants/{variant.id}/flow").data


def test_a_flow_is_computed_told_and_gone_on_with(ada, proven, work):
    told = shown(ada, proven)
    assert told["condition"] == "current" and told["report"]["iterations"] == 5
    assert {r["words"] for r in told["report"]["evidence"]}
    assert ask(ada, proven, iterations=3, go_on=True).data["target"] == "flow"
    work()
    assert shown(ada, proven)["report"]["iterations"] == 8
    # from the beginning again, unless it is to go on
    ask(ada, proven, iterations=5)
    work()
    assert shown(ada, proven)["report"]["iterations"] == 5
    # another case: what was computed is of an earlier one
    change = {"case": {"gravity": [0.0, 0.0, -9.81]}}
    ada.patch(f"/api/variants/{proven.id}/settings", change, format="json")
    assert shown(ada, proven)["condition"] == "outdated"


def arrays_of(client, address):
    return unpack(client.get(address).content)[0]


def test_a_flow_stands_beside_that_of_another_variant(ada, proven):
    made = {"name": "twin", "source": proven.id}
    at = f"/api/studies/{proven.study_id}/variants"
    other = ada.post(at, made, format="json").data["id"]
    # a branch shows what its source has come to
    Variant.objects.filter(id=other).update(shown={})
    asked = f"/api/studies/{proven.study_id}/comparison?variants={proven.id},{other}"
    rows = {r["key"]: r for r in ada.get(asked).data["figures"]}
    assert rows["flow.iterations"]["values"] == [5, None]
    assert rows["flow.opening_2.flow_rate"]["values"][0] < 0
    ada.patch(
        f"/api/variants/{proven.id}/settings",
        {"case": {"gravity": [0.0, 0.0, -9.81]}},
        format="json",
    )
    # of an earlier hand-over: not compared
    assert not any(r["group"] == "flow" for r in ada.get(asked).data["figures"])


def test_fields_are_drawn_on_slices_and_walls(ada, proven):
    at = f"/api/variants/{proven.id}"
    plane = "nx=0&ny=1&nz=0&offset=0.1&flat=true&peel=false"
    arrays, _ = unpack(ada.get(f"{at}/slice?{plane}&field=speed").content)
    assert 0.005 < arrays["value"].max() < 0.03
    arrays, _ = unpack(ada.get(f"{at}/flow/walls?field=shear").content)
    assert len(arrays["triangles"]) > 100 and arrays["value"].max() > 0
    lines = len(arrays_of(ada, f"{at}/slice?{plane}&field=speed")["lines"])
    assert len(arrays_of(ada, f"{at}/slice?{plane}&field=arrows")["lines"]) > lines + 100
    whole = plane.replace("flat=true", "flat=false")
    assert len(arrays_of(ada, f"{at}/slice?{whole}&field=arrows")["lines"]) > 100
    assert ada.get(f"{at}/slice?{plane}&field=temperature").status_code == 404
    assert ada.get(f"{at}/slice?{plane}&field=colour").status_code == 400
    assert ada.get(f"{at}/flow/walls?field=speed").status_code == 400
    assert ada.get(f"{at}/flow/walls?field=wall_temperature").status_code == 404


def test_a_profile_is_told_and_written(ada, proven):
    at = f"/api/variants/{proven.id}/flow/profile?x0=1&y0=0&z0=0&x1=58&y1=0&z1=0"
    told = ada.get(f"{at}&count=11").data
    assert told["temperature"] == [None] * 11
    assert len(told["speed"]) == 11 and told["distance"][-1] == pytest.approx(57.0)
    rows = list(csv.reader(io.StringIO(ada.get(f"{at}&as=csv").content.decode())))
    assert rows[0][3] == "u m/s" and len(rows) == 102
    assert float(rows[1][0]) == pytest.approx(0.001)
    assert ada.get(f"/api/variants/{proven.id}/flow/profile?x0=1").status_code == 400
    nowhere = "x0=1&y0=0&z0=0&x1=1&y1=0&z1=0"
    answer = ada.get(f"/api/variants/{proven.id}/flow/profile?{nowhere}")
    assert "no length" in str(answer.data)


def test_what_cannot_be_proven_is_said_and_nothing_is_lost(ada, laminar, work, known):
    laminar.settings = {**laminar.settings, "case": {**CASE, "files": ["vtu"]}}
    laminar.save()
    assert shown(ada, laminar)["condition"] == "none"
    assert ada.get(f"/api/variants/{laminar.id}/flow/walls?field=shear").status_code == 404

    def run():
        ask(ada, laminar, iterations=5)
        return work()

    (job,) = known(run, STAGES)
    assert job.state == Job.State.FAILED and "mesh.cgns" in job.problem["message"]
    for wrong in ({"iterations": 0}, {"iterations": "many"}, {"iterations": 10**9}):
        assert ask(ada, laminar, **wrong).status_code == 400


@pytest.mark.django_db(transaction=True)
def test_it_stops_when_asked_and_keeps_what_there_is(ada, proven):
    """Asked while it runs, with residuals told on the way."""
    ask(ada, proven, iterations=20_000)
    job = Job.objects.get(state=Job.State.WAITING)
    same = ask(ada, proven, iterations=7)
    assert same.data["id"] == str(job.id)
    running = threading.Thread(target=_run, args=(str(job.id),))
    running.start()
    try:
        _until(lambda: shown(ada, proven)["condition"] == "looking")
        _until(lambda: shown(ada, proven)["report"]["iterations"] > 3)
        assert ada.post(f"/api/jobs/{job.id}/stop").status_code == 200
    finally:
        running.join(600)
    job.refresh_from_db()
    assert job.state == Job.State.DONE
    told = shown(ada, proven)
    assert told["condition"] == "current" and told["report"]["iterations"] > 3
    assert told["report"]["stopped"] or told["report"]["converged"]
    assert not Product.objects.filter(key=job.look).exists()


def _run(job_id):
    try:
        runner.run(job_id)
    finally:
        connection.close()


def _until(holds, seconds=600):
    end = time.monotonic() + seconds
    while not holds():
        assert time.monotonic() < end
        time.sleep(0.05)


def test_only_a_flow_stops_and_keeps(ada, laminar):
    job = Job.objects.create(owner=laminar.study.owner, study=laminar.study, target="case")
    assert ada.post(f"/api/jobs/{job.id}/stop").status_code == 400
    waits = Job.objects.create(owner=laminar.study.owner, study=laminar.study, target="flow")
    assert ada.post(f"/api/jobs/{waits.id}/stop").data["state"] == "cancelled"


def test_a_field_of_another_mesh_is_not_drawn(ada, proven):
    other = Variant.objects.create(study=proven.study, name="other", settings=proven.settings)
    arrays, _ = unpack(ada.get(f"/api/variants/{proven.id}/flow/walls?field=shear").content)
    assert np.isfinite(arrays["value"]).all()
    assert ada.get(f"/api/variants/{other.id}/flow/walls?field=shear").status_code == 404


def test_three_grids_are_made_and_tell_an_order(ada, proven, work, known):
    study = proven.study
    at = f"/api/variants/{proven.id}/flow/convergence"
    # a flow that has hardly begun is no result
    assert ada.get(at).data["names"] == []
    ask(ada, proven, iterations=40, go_on=True)
    work()
    table = ada.get(at).data
    assert table["names"] == ["first"] and {r["order"] for r in table["rows"]} == {None}
    assert "Three grids" in table["rows"][0]["words"]
    asked = {"iterations": 45, "ratio": 1.3}
    made = ada.post(at, asked, format="json")
    assert made.status_code == 201, made.data
    # its own flow is up to date
    assert len(made.data["jobs"]) == 2
    assert [v["name"] for v in made.data["variants"]] == [
        "first, edges × 1.30", "first, edges × 1.69"
    ]  # fmt: skip
    assert all(job.state == Job.State.DONE for job in work())
    table = ada.get(at).data
    assert len(table["cells"]) == 3 and table["cells"] == sorted(table["cells"], reverse=True)
    assert any(r["order"] or r["words"] for r in table["rows"])
    for wrong in ({"ratio": 9.0}, {"iterations": 0}):
        assert ada.post(at, wrong, format="json").status_code == 400
    assert study.variants.count() == 3
    # a variant of another case is no grid of this one
    other = f"/api/variants/{made.data['variants'][1]['id']}"
    change = {"case": {"gravity": [0.0, 0.0, -9.81]}}
    ada.patch(f"{other}/settings", change, format="json")
    ask(ada, study.variants.last(), iterations=45)
    work()
    assert len(ada.get(at).data["cells"]) == 2
    assert len(ada.get(f"{other}/flow/convergence").data["cells"]) == 1


def test_shelf_and_report_tell_the_verdict(ada, proven):
    (row,) = ada.get("/api/studies").data
    assert row["proof"] in ("proven", "falling", "failed")
    page = ada.get(f"/api/variants/{proven.id}/report").content.decode()
    assert "<h2>Proof</h2>" in page and "it replaces no flow solver" in page
    ada.patch(f"/api/variants/{proven.id}/settings", {"case": {"gravity": [0.0, 0.0, -9.81]}},
              format="json")  # fmt: skip
    page = ada.get(f"/api/variants/{proven.id}/report").content.decode()
    assert "<h2>Proof</h2>" not in page
