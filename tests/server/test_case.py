"""What a case comes to as its settings stand, and settings of earlier versions."""

import importlib
import json

import pytest
from django.apps import apps

from studies.models import Change, Job


@pytest.fixture
def named(ada, variant, work, known):
    ada.post(f"/api/variants/{variant.id}/runs", {"target": "patches"}, format="json")
    (job,) = known(work, ["geometry", "domain", "patches"])
    assert job.state == "done", job.problem
    return ada


def _case(client, variant):
    return client.get(f"/api/variants/{variant.id}/case")


def _set(client, variant, **case):
    url = f"/api/variants/{variant.id}/settings"
    return client.patch(url, {"case": case}, format="json")


def _conditions(client, variant):
    stages = client.get(f"/api/variants/{variant.id}").json()["stages"]
    return next(s for s in stages if s["stage"] == "case")["settings"]["conditions"]


def test_figures_follow_the_settings_at_once(named, variant):
    told = _case(named, variant).json()
    (inflow,) = told["inlets"]
    (fluid,) = told["materials"]
    expected = fluid["density"] * 1.0 * inflow["hydraulic_diameter"] / fluid["viscosity"]
    assert inflow["reynolds"] == pytest.approx(expected, rel=1e-9)
    rows = _conditions(named, variant)
    faster = [{**r, "speed": 3.0} if r["is"] == "speed" else r for r in rows]
    assert _set(named, variant, conditions=faster).status_code == 200
    (again,) = _case(named, variant).json()["inlets"]
    assert again["reynolds"] == pytest.approx(3 * inflow["reynolds"], rel=1e-9)
    # and so does the flow that a wanted y+ goes by
    past = named.get(f"/api/variants/{variant.id}/layers/foretold").json()["flow"]
    assert past["speed"] == 3.0 and past["told"]
    assert past["viscosity"] == pytest.approx(fluid["viscosity"] / fluid["density"], rel=5e-3)


def test_what_does_not_fit_is_told_before_anything_runs(named, variant):
    assert [f["level"] for f in _case(named, variant).json()["findings"]] == []
    rows = [r for r in _conditions(named, variant) if r["is"] != "pressure"]
    _set(named, variant, conditions=rows)
    found = {f["code"]: f for f in _case(named, variant).json()["findings"]}
    assert found["no-condition"]["level"] == "error" and "no-way-out" in found
    offered = found["no-condition"]["repairs"][0]["operation"]
    _set(named, variant, **offered["settings"])
    assert _case(named, variant).json()["findings"] == []


def test_a_material_that_is_not_known_so_hot_is_refused_at_its_blank(named, variant):
    hot = [{"zones": ["*"], "is": "water", "temperature": 300}]
    answer = _set(named, variant, materials=hot)
    assert answer.status_code == 400 and answer.json()["blank"] == "case.materials"
    assert _case(named, variant).status_code == 200


def test_an_axis_without_a_direction_is_told_and_nothing_is_lost(named, variant):
    turning = {"zones": ["*"], "is": "turning", "point": [0, 0, 0], "axis": [0, 0, 0], "rpm": 9}
    _set(named, variant, frames=[turning])
    answer = _case(named, variant)
    assert answer.status_code == 400 and "direction" in answer.json()["message"]
    assert _set(named, variant, frames=None).status_code == 200
    assert _case(named, variant).status_code == 200


def test_before_patches_are_settled_there_is_nothing_to_tell(ada, variant):
    assert _case(ada, variant).status_code == 404


def test_a_case_with_errors_is_not_handed_over(named, variant, work, known):
    rows = [r for r in _conditions(named, variant) if r["is"] != "pressure"]
    _set(named, variant, conditions=rows)
    named.post(f"/api/variants/{variant.id}/runs", {"target": "case"}, format="json")
    (job,) = known(work, ["geometry", "domain", "patches", "sizing", "surface", "layers", "volume"])
    assert job.state == "done", job.problem
    answer = named.get(f"/api/variants/{variant.id}/export")
    assert answer.status_code == 400
    assert "Nothing says what holds on" in json.dumps(answer.json())


def test_settings_of_earlier_versions_become_rows(ada, variant):
    old = {"case": {"velocity": 4.0}, "volume": {"passes": 9}}
    job = Job.objects.create(owner=variant.study.owner, variant=variant, settings=old)
    variant.settings = old
    variant.save()
    change = Change.objects.create(variant=variant, before={}, after=old)
    importlib.import_module("studies.migrations.0005_case_in_rows").into_rows(apps, None)
    variant.refresh_from_db()
    change.refresh_from_db()
    job.refresh_from_db()
    assert job.settings == variant.settings
    assert variant.settings["volume"] == {"passes": 9}
    assert variant.settings["case"]["conditions"][0]["speed"] == 4.0
    assert change.after == variant.settings and change.before == {}


def test_a_reynolds_number_is_worked_back_and_changes_nothing_by_itself(named, variant):
    url = f"/api/variants/{variant.id}/case/back"
    (inflow,) = _case(named, variant).json()["inlets"]
    wanted = {"patch": inflow["name"], "reynolds": 5000, "length": 14.0, "what": "speed"}
    change = named.post(url, wanted, format="json").json()
    assert _case(named, variant).json()["inlets"] == [inflow]
    _set(named, variant, **change)
    (again,) = _case(named, variant).json()["inlets"]
    diameter = inflow["hydraulic_diameter"]
    assert again["reynolds"] == pytest.approx(5000 * diameter / 0.014, rel=1e-9)
    for wrong in ({"patch": "wall"}, {"reynolds": -1}, {"length": "long"}, {"what": "magic"}):
        answer = named.post(url, {**wanted, **wrong}, format="json")
        assert answer.status_code == 400 and answer.json()["message"]


def test_expected_names_are_checked_at_once(named, variant):
    names = [p["name"] for p in _case(named, variant).json()["inlets"]]
    _set(named, variant, expected=[*names, "Drain_outlet", "Wall"])
    found = [f for f in _case(named, variant).json()["findings"] if f["code"] == "name-unexpected"]
    renamed = found[-1]["repairs"][-1]["operation"]["names"]
    assert sorted(renamed.values()) == ["Drain_outlet", "Wall"]
