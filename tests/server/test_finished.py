"""A finished mesh brought to the shelf."""

from django.core.files.uploadedfile import SimpleUploadedFile

from intaglio.mesh.pack import unpack
from tests.core import any_cells


def _bring(client, name="brought.vtu", data=None):
    data = any_cells.vtu_bytes(any_cells.mixed(), {}) if data is None else data
    upload = SimpleUploadedFile(name, data)
    answer = client.post("/api/studies", {"file": upload}, format="multipart")
    assert answer.status_code == 202, answer.json()
    return answer.json()


def test_a_mesh_becomes_a_study_that_begins_at_volume(ada, work):
    begun = _bring(ada)
    assert begun["target"] == "volume"
    (job,) = work()
    assert job.state == "done", job.problem
    (study,) = ada.get("/api/studies").json()
    assert study["kind"] == "mesh" and study["furthest"] == "volume" and study["picture"]
    base = f"/api/variants/{study['variants'][0]['id']}"
    told = ada.get(base).json()
    assert [s["stage"] for s in told["stages"]] == ["domain", "volume", "patches", "case"]
    volume = told["stages"][1]
    mesh = any_cells.mixed()
    assert volume["condition"] == "current" and volume["report"]["cells"] == mesh.cells
    arrays, _ = unpack(ada.get(f"{base}/stages/volume/view").content)
    assert set(arrays["region"]) == set(range(len(mesh.patches)))
    _, meta = unpack(ada.get(f"{base}/slice?nx=1&ny=0&nz=0&offset=0.9").content)
    assert meta["cells"] > 0
    worst = ada.get(f"{base}/quality?metric=scaled_jacobian&worst=3").json()["worst"]
    assert len(worst) == 3
    assert ada.get(f"{base}/stages/domain/view").status_code == 200


def test_its_patches_are_renamed_and_it_is_exported(ada, work):
    _bring(ada)
    work()
    (study,) = ada.get("/api/studies").json()
    base = f"/api/variants/{study['variants'][0]['id']}"
    rows = [{"name": "shell", "kind": "wall", "faces": "rest"}]
    answer = ada.patch(f"{base}/settings", {"patches": {"patches": rows}}, format="json")
    assert answer.status_code == 200
    assert ada.post(f"{base}/runs", {"target": "sizing"}, format="json").status_code == 400
    ada.post(f"{base}/runs", {"target": "case"}, format="json")
    job = work()[-1]
    assert job.state == "done", job.problem
    assert ada.get(f"{base}/export").status_code == 200
    told = ada.get(f"{base}/case").json()
    assert told["inlets"] == [] and [m["material"] for m in told["materials"]] == ["water"]


def test_the_stages_of_a_mesh_have_their_own_words(ada):
    told = ada.get("/api/stages?kind=mesh").json()
    assert [s["key"] for s in told] == ["volume", "patches", "case"]
    assert "read" in told[0]["sentences"][0]["text"]
    assert [b["name"] for b in told[0]["blanks"]]


def test_a_file_that_is_no_mesh_begins_no_study(ada, work):
    _bring(ada, data=b"nothing of the kind")
    (job,) = work()
    assert job.state == "failed" and "brought.vtu" in job.problem["message"]
    assert ada.get("/api/studies").json() == []


def test_a_mesh_takes_no_more_files(ada, work):
    _bring(ada)
    work()
    (study,) = ada.get("/api/studies").json()
    upload = SimpleUploadedFile("more.vtu", b"x")
    answer = ada.post(f"/api/studies/{study['id']}/files", {"file": upload}, format="multipart")
    assert answer.status_code == 400 and "no more files" in answer.json()["message"]
