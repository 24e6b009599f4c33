"""What the page draws, and the export."""

import io
import zipfile

import numpy as np
import pytest

from intaglio.mesh.pack import unpack
from intaglio.stages.registry import STAGES
from tests.server.conftest import body


@pytest.fixture
def done(ada, variant, work, known):
    ada.post(f"/api/variants/{variant.id}/runs", {"target": "case"}, format="json")
    (job,) = known(work, [stage.key for stage in STAGES])
    assert job.state == "done", job.problem
    return ada


def test_views_draw_what_the_reports_count(done, variant):
    stages = {s["stage"]: s for s in done.get(f"/api/variants/{variant.id}").data["stages"]}
    for stage in ("geometry", "domain", "sizing", "surface", "volume"):
        answer = done.get(f"/api/variants/{variant.id}/stages/{stage}/view")
        arrays, _ = unpack(answer.content)
        assert arrays["triangles"].max() < len(arrays["points"])
        assert len(arrays["region"]) == len(arrays["triangles"])
        if stage == "surface":
            assert len(arrays["triangles"]) == stages["surface"]["report"]["triangles"]
        if stage == "domain":
            assert set(arrays["region"]) == set(range(len(stages["domain"]["report"]["faces"])))
    assert done.get(f"/api/variants/{variant.id}/stages/case/view").status_code == 404
    assert done.get(f"/api/variants/{variant.id}/stages/magic/view").status_code == 404


def test_a_slice_and_chosen_cells(done, variant):
    base = f"/api/variants/{variant.id}"
    arrays, meta = unpack(done.get(f"{base}/slice?nx=1&ny=0&nz=0&offset=30").content)
    assert meta["cells"] > 10
    x = arrays["points"][:, 0]
    assert x.min() < 30 < x.max()
    assert len(arrays["value"]) == len(arrays["triangles"])
    _, none = unpack(done.get(f"{base}/slice?nx=1&ny=0&nz=0&offset=500").content)
    assert none["cells"] == 0
    report = next(s for s in done.get(base).data["stages"] if s["stage"] == "volume")["report"]
    histogram = report["histograms"]["equiangle_skewness"]
    assert sum(histogram["count"]) == report["cells"]
    query = f"metric=equiangle_skewness&low={histogram['edges'][-2]}&high={histogram['edges'][-1]}"
    arrays, meta = unpack(done.get(f"{base}/cells?{query}").content)
    # single precision may move a cell on the bar's edge
    assert abs(meta["cells"] - histogram["count"][-1]) <= 1
    assert np.all(arrays["value"] >= np.float32(histogram["edges"][-2]))


def test_layers_are_peeled_on_one_side_of_a_plane(done, variant):
    base = f"/api/variants/{variant.id}"
    stages = {s["stage"]: s["report"] for s in done.get(base).data["stages"]}
    # whoever says nothing gets layers on the walls
    assert stages["layers"]["cells"] == stages["volume"]["layer_cells"] > 0
    counts = []
    for sign in (1, -1):
        query = f"slice?nx={sign}&ny=0&nz=0&offset={sign * 30}&peel=true"
        arrays, meta = unpack(done.get(f"{base}/{query}").content)
        x = sign * arrays["points"][:, 0]
        assert x.min() > sign * 30 - 6 and len(arrays["value"]) == len(arrays["triangles"])
        counts.append(meta["cells"])
    assert sum(counts) == stages["layers"]["cells"] and min(counts) > 0


def test_the_stack_at_a_place_of_a_wall(done, variant):
    base = f"/api/variants/{variant.id}"
    stages = {s["stage"]: s["report"] for s in done.get(base).data["stages"]}
    faces = stages["domain"]["faces"]
    (wall,) = stages["layers"]["patches"]
    face = next(k for k, f in enumerate(faces) if f["id"] in wall["faces"])
    x, y, z = faces[face]["at"]
    here = done.get(f"{base}/stack?x={x}&y={y}&z={z}&face={face}").json()
    assert here["number"] == wall["count"] == len(here["asked"]) - 1
    # in this narrow pipe there is less room than they ask for
    assert 0 < here["reached"][1] <= here["asked"][1] * 1.0001
    assert here["reached"][-1] < here["asked"][-1]
    drawn, _ = unpack(done.get(f"{base}/stages/layers/view").content)
    assert drawn["first"].max() <= here["asked"][1] * 1.5
    inlet = next(k for k, f in enumerate(faces) if f["id"] not in wall["faces"])
    assert done.get(f"{base}/stack?x=0&y=0&z=0&face={inlet}").status_code == 404
    assert done.get(f"{base}/stack?x=0&y=0&z=0&face=7777").status_code == 404
    for query in ("", "x=0&y=0&z=0", "x=0&y=0&z=b&face=1", "x=nan&y=0&z=0&face=1"):
        answer = done.get(f"{base}/stack?{query}")
        assert answer.status_code == 400 and answer.json()["message"]


def test_bad_planes_are_refused(done, variant):
    for query in (
        "",
        "nx=0&ny=0&nz=0&offset=1",
        "nx=a&ny=0&nz=0&offset=1",
        "nx=1&ny=0&nz=0&offset=nan",
        "nx=1&ny=0&nz=0&offset=1&metric=beauty",
    ):
        answer = done.get(f"/api/variants/{variant.id}/slice?{query}")
        assert answer.status_code == 400 and answer.json()["message"]


def test_the_export_is_one_zip_and_only_while_up_to_date(done, variant):
    answer = done.get(f"/api/variants/{variant.id}/export")
    assert answer.headers["Content-Disposition"] == 'attachment; filename="pipe.zip"'
    whole = zipfile.ZipFile(io.BytesIO(body(answer)))
    names = set(whole.namelist())
    assert {"mesh.cgns", "mesh.vtu", "case.yaml", "report.json", "README.txt"} < names
    assert {n for n in names if n.startswith("patches/")} == {
        "patches/opening_1.stl", "patches/opening_2.stl", "patches/wall.stl",
    }  # fmt: skip
    one = done.get(f"/api/variants/{variant.id}/export?file=patches/wall.stl")
    assert one.headers["Content-Disposition"] == 'attachment; filename="wall.stl"'
    assert body(one) == whole.read("patches/wall.stl") and whole.testzip() is None
    none = done.get(f"/api/variants/{variant.id}/export?file=../settings.py")
    assert none.status_code == 404 and "mesh.cgns" in none.json()["message"]
    done.patch(f"/api/variants/{variant.id}/settings", {"case": {"iterations": 9}}, format="json")
    stale = done.get(f"/api/variants/{variant.id}/export")
    assert stale.status_code == 400 and "out of date" in stale.json()["message"]


def test_no_view_before_a_run(ada, variant):
    assert ada.get(f"/api/variants/{variant.id}/stages/geometry/view").status_code == 404
    stages = ada.get(f"/api/variants/{variant.id}").data["stages"]
    assert {s["condition"] for s in stages} == {"none"}
    assert stages[1]["settings"] is None


def test_the_stages_are_described(ada):
    told = ada.get("/api/stages").data
    assert [s["key"] for s in told] == [
        "geometry", "domain", "patches", "sizing", "surface", "layers", "volume", "case",
    ]  # fmt: skip
    for stage in told:
        assert stage["title"] and stage["action"] and stage["sentences"]


@pytest.mark.django_db(transaction=True)
def test_the_stream_sends_each_change(done):
    import asyncio

    from django.test import AsyncClient

    async def first_events():
        client = AsyncClient()
        from django.contrib.auth import get_user_model

        await client.aforce_login(await get_user_model().objects.aget(username="ada"))
        answer = await client.get("/api/events")
        parts = []
        async for part in answer.streaming_content:
            parts.append(part.decode())
            if len(parts) == 2:
                return parts

    parts = asyncio.run(asyncio.wait_for(first_events(), 120))
    assert parts[1].startswith("event: job") and '"state": "done"' in parts[1]


def _volume(client, variant):
    stages = client.get(f"/api/variants/{variant.id}").data["stages"]
    return next(s for s in stages if s["stage"] == "volume")


def test_one_metric_with_its_bars_limit_and_worst_cells(done, variant):
    base = f"/api/variants/{variant.id}"
    state = _volume(done, variant)
    patches = {"opening_1", "opening_2", "wall"}
    for key, spread in state["report"]["quality"].items():
        told = done.get(f"{base}/quality?metric={key}&bars=7&worst=4").json()
        assert told["metric"] == key and told["product"] == state["product"]
        # the edge length over the field is kept in single precision
        for name in ("min", "max", "mean", "deviation", "percentiles"):
            assert told["spread"][name] == pytest.approx(spread[name], rel=1e-6)
        assert len(told["histogram"]["count"]) == 7 and len(told["worst"]) == 4
        held = sum(told["histogram"]["count"])
        whole = key not in ("equivolume_skewness",)
        assert held == state["report"]["cells"] if whole else held > 0
        for row in told["worst"]:
            for name in row["cause"].split(": ")[-1].removeprefix("at ").split(" and "):
                assert not name.startswith("face") or name in patches
    skew = done.get(f"{base}/quality?metric=equiangle_skewness&worst=2").json()
    top = state["report"]["worst"]["equiangle_skewness"]
    assert [w["value"] for w in skew["worst"]] == top["values"][:2]
    # the first limit of the general set
    assert skew["limit"] == 0.95
    assert skew["beyond"] == sum(v > 0.95 for v in top["values"])
    part = done.get(f"{base}/quality?metric=equiangle_skewness&low=0.2&high=0.4&bars=2").json()
    assert part["histogram"]["edges"] == pytest.approx([0.2, 0.3, 0.4])


def test_bad_questions_about_quality_are_refused(done, variant):
    base = f"/api/variants/{variant.id}"
    for query in (
        "metric=beauty", "bars=0", "bars=2.5", "bars=x", "worst=-1", "worst=1e9", "low=nan",
    ):  # fmt: skip
        answer = done.get(f"{base}/quality?{query}")
        assert answer.status_code == 400 and answer.json()["message"], query
    cells = _volume(done, variant)["report"]["cells"]
    for query in ("", "cell=-1", f"cell={cells}", "cell=0&rings=99", "cell=0&metric=beauty"):
        answer = done.get(f"{base}/around?{query}")
        assert answer.status_code == 400 and answer.json()["message"], query


def test_the_cells_around_one(done, variant):
    base = f"/api/variants/{variant.id}"
    alone, meta = unpack(done.get(f"{base}/around?cell=5&rings=0&metric=zone").content)
    assert meta["cells"] == 1
    np.testing.assert_array_equal(alone["points"], alone["own_points"])
    assert set(alone["value"]) == {0.0}
    more, wide = unpack(done.get(f"{base}/around?cell=5&rings=2&metric=volume").content)
    assert wide["cells"] > 20 and len(more["own_triangles"]) == len(alone["own_triangles"])


def test_cells_are_coloured_by_kinds_too(done, variant):
    base = f"/api/variants/{variant.id}/slice?nx=1&ny=0&nz=0&offset=30"
    shapes, meta = unpack(done.get(f"{base}&metric=shape").content)
    assert {1.0, 3.0} <= set(shapes["value"].tolist()) and meta["step"] > 0
    layers, _ = unpack(done.get(f"{base}&metric=layer&flat=true").content)
    assert 0.0 in layers["value"] and layers["value"].max() >= 1
    ratio, _ = unpack(done.get(f"{base}&metric=size_ratio").content)
    assert 0.1 < np.median(ratio["value"]) < 3


def test_limits_change_the_verdict_at_once(done, variant):
    before = _volume(done, variant)
    assert before["report"]["verdict"]["limits"] == "general"
    own = {"limits": "own", "own_limits": [{"of": "equiangle_skewness", "value": 0.01}]}
    url = f"/api/variants/{variant.id}/settings"
    answer = done.patch(url, {"volume": own}, format="json")
    state = next(s for s in answer.json()["stages"] if s["stage"] == "volume")
    assert state["condition"] == "current" and state["product"] == before["product"]
    (row,) = state["report"]["verdict"]["rows"]
    assert not row["passed"] and row["more"]
    assert "beyond-equiangle-skewness" in {f["code"] for f in state["report"]["findings"]}
    told = done.get(f"/api/variants/{variant.id}/quality?metric=equiangle_skewness").json()
    # of all cells, not just of those that the report lists
    assert told["limit"] == 0.01 and told["beyond"] > state["report"]["cells"] // 2
    wrong = {"volume": {"own_limits": [{"of": "beauty", "value": 1}]}}
    assert done.patch(url, wrong, format="json").status_code == 400


def test_the_report_is_a_page_that_runs_nothing(done, variant, ben):
    url = f"/api/variants/{variant.id}/report"
    answer = done.get(url)
    assert answer.headers["Content-Type"].startswith("text/html")
    assert "default-src 'none'" in answer.headers["Content-Security-Policy"]
    text = answer.content.decode()
    assert "within the general limits" in text and text.count("data:image/png") == 3
    assert ben.get(url).status_code == 404


def test_there_is_no_report_of_nothing(ada, variant):
    answer = ada.get(f"/api/variants/{variant.id}/report")
    assert answer.status_code == 404 and "Run a stage first" in answer.json()["message"]
