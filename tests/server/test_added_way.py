"""A made-up way of making the mesh, in the server: chosen, run, drawn, judged, handed over."""

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from intaglio.mesh.pack import unpack
from intaglio.settings.blanks import blanks_of
from intaglio.stages.volume import ways
from intaglio.stages.volume.settings import VolumeMesh
from tests import made_up_way
from tests.core.shapes import box, source
from tests.made_up_way import WAY
from tests.server.conftest import body


@pytest.fixture
def with_way(monkeypatch):
    """Both this process and those of its jobs know the way."""
    monkeypatch.setattr(ways, "WAYS", (*ways.WAYS, WAY))
    described = blanks_of(VolumeMesh)["cells"]
    before = described.choices
    object.__setattr__(described, "choices", (*before, (WAY.key, WAY.title)))
    monkeypatch.setattr("sandbox.child.compute", made_up_way.compute)
    monkeypatch.setattr("sandbox.child.compute_many", made_up_way.compute_many)
    yield
    object.__setattr__(described, "choices", before)


def test_a_study_is_meshed_another_way(ada, work, with_way, tmp_path):
    part = source(box(0, 0, 0, 20, 20, 30), tmp_path, "block")
    sent = SimpleUploadedFile("block.step", part.data)
    ada.post("/api/studies", {"file": sent}, format="multipart")
    assert [job.problem for job in work()] == [None]
    variant = ada.get("/api/studies").data[0]["variants"][0]["id"]
    base = f"/api/variants/{variant}"
    settings = {
        "domain": {"where": "as-is"},
        "sizing": {"smallest": 4.0, "largest": 6.0},
        "volume": {"cells": "fan"},
    }
    answer = ada.patch(f"{base}/settings", settings, format="json")
    assert answer.status_code == 200, answer.data
    through = [s["stage"] for s in answer.data["stages"]]
    assert "layers" not in through and through[-2:] == ["volume", "case"]
    refused = ada.post(f"{base}/runs", {"target": "layers"}, format="json")
    assert refused.status_code == 400
    ada.post(f"{base}/runs", {"target": "case"}, format="json")
    assert [job.problem for job in work()] == [None]
    stages = {s["stage"]: s for s in ada.get(base).data["stages"]}
    cells = stages["volume"]["report"]["cells"]
    assert stages["volume"]["gives"] == ["mesh"]
    assert cells == stages["surface"]["report"]["triangles"]
    drawn, told = unpack(ada.get(f"{base}/stages/volume/view").content)
    assert told["triangles"] == cells == len(drawn["triangles"])
    cut, told = unpack(ada.get(f"{base}/slice?nx=1&ny=0&nz=0&offset=10").content)
    assert 0 < told["cells"] <= cells and len(cut["value"])
    judged = ada.get(f"{base}/quality?metric=equiangle_skewness&stage=mesh").data
    assert judged["cells"] == cells
    exported = ada.get(f"{base}/export")
    assert exported.status_code == 200 and body(exported).startswith(b"PK")
