"""What the page draws, and the export."""

import io
import zipfile

import numpy as np
import pytest

from intaglio.mesh.pack import unpack
from intaglio.stages.registry import STAGES


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
    names = set(zipfile.ZipFile(io.BytesIO(answer.content)).namelist())
    assert {"mesh.cgns", "mesh.vtu", "case.yaml", "report.json", "README.txt"} < names
    assert {n for n in names if n.startswith("patches/")} == {
        "patches/opening_1.stl", "patches/opening_2.stl", "patches/wall.stl",
    }  # fmt: skip
    done.patch(f"/api/variants/{variant.id}/settings", {"case": {"velocity": 9.0}}, format="json")
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

    parts = asyncio.run(asyncio.wait_for(first_events(), 10))
    assert parts[1].startswith("event: job") and '"state": "done"' in parts[1]
