"""Working on geometry through the API: repairs, ruler, selections, enclosure, files."""

import io
import zipfile
from itertools import pairwise

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from intaglio.cad.measures import volume
from intaglio.cad.part import Part
from intaglio.cad.read import compound, read_cad
from intaglio.formats.stl import read_stl, stl_bytes
from intaglio.mesh.pack import unpack
from studies.models import Study
from tests.core.scans import fine_box, gapped, sphere
from tests.server.conftest import body


@pytest.fixture
def read(ada, study, variant, work, known):
    """The pipe read and its fluid settled."""
    assert ada.post(f"/api/variants/{variant.id}/runs", {"target": "patches"}).status_code == 202
    (job,) = known(work)
    assert job.state == "done", job.problem
    return variant


def _stl(part) -> SimpleUploadedFile:
    return SimpleUploadedFile("scan.stl", stl_bytes(part.points, part.triangles, "scan"))


def _report(client, variant, stage):
    rows = client.get(f"/api/variants/{variant.id}").data["stages"]
    return next(r for r in rows if r["stage"] == stage)


def test_operations_are_described_with_their_blanks(ada):
    known = {o["key"]: o for o in ada.get("/api/operations").data}
    assert known["sew"]["cad"] and known["sew"]["facets"] and not known["remove"]["facets"]
    assert known["cap"]["blanks"][0]["choices"][0] == ["flat", "flat"]
    stages = {s["key"]: s for s in ada.get("/api/stages").data}
    assert {"where": ["around"]} in [s["only"] for s in stages["domain"]["sentences"]]


def test_a_scan_is_taken_in_repaired_and_compared(ada, work):
    ada.post("/api/studies", {"file": _stl(gapped(fine_box(edge=3.0), 0.05))})
    (job,) = work()
    assert job.state == "done", job.problem
    variant = Study.objects.get().variants.get()
    state = _report(ada, variant, "geometry")
    assert not state["report"]["closed"]
    gap = next(f for f in state["report"]["findings"] if f["code"] == "gaps")
    view = f"/api/variants/{variant.id}/stages/geometry/view"
    arrays, _ = unpack(ada.get(view).content)
    assert len(arrays["free_lines"]) > 0
    assert ada.get(f"{view}?before=true").status_code == 404
    repairs = [{"on": True, **gap["repairs"][0]["operation"]}]
    answer = ada.patch(
        f"/api/variants/{variant.id}/settings", {"geometry": {"repairs": repairs}}, format="json"
    )
    assert answer.status_code == 200
    ada.post(f"/api/variants/{variant.id}/runs", {"target": "geometry"})
    work()
    state = _report(ada, variant, "geometry")
    assert state["report"]["closed"] and state["report"]["log"][0]["count"] > 0
    after, _ = unpack(ada.get(view).content)
    before, _ = unpack(ada.get(f"{view}?before=true").content)
    assert len(after["free_lines"]) == 0
    assert len(before["triangles"]) == len(arrays["triangles"])
    # undo takes the repair back, and the result before it is found again
    ada.post(f"/api/variants/{variant.id}/undo")
    state = _report(ada, variant, "geometry")
    assert state["condition"] == "current" and not state["report"]["closed"]


@pytest.mark.parametrize(
    "repairs",
    [
        "sew",
        [{"do": "paint"}],
        [{"do": "sew", "tolerance": -1}],
        [{"do": "sew", "tolerance": "x"}],
        [{"do": "cap", "wider": None}],
        [7],
    ],
)
def test_wrong_repairs_are_refused_and_nothing_changes(ada, variant, repairs):
    answer = ada.patch(
        f"/api/variants/{variant.id}/settings", {"geometry": {"repairs": repairs}}, format="json"
    )
    assert answer.status_code == 400 and answer.data["blank"] == "geometry.repairs"
    variant.refresh_from_db()
    assert "geometry" not in variant.settings


def test_the_ruler(ada, read):
    faces = _report(ada, read, "geometry")["report"]["faces"]
    outer = next(k for k, f in enumerate(faces) if f["radius"] == pytest.approx(10))
    url = f"/api/variants/{read.id}/stages/geometry/measure"
    first = {"face": outer, "at": [30.0, 0.0, 10.0]}
    found = ada.post(url, {"first": first}, format="json").data
    assert found["diameter"] == pytest.approx(20) and found["thickness"] == pytest.approx(3)
    second = {"face": outer, "at": [30.0, 0.0, -10.0]}
    found = ada.post(url, {"first": first, "second": second}, format="json").data
    assert found["distance"] == pytest.approx(20)
    for wrong in ({}, {"first": {"face": 99, "at": [0, 0, 0]}}, {"first": {"face": 0, "at": [1]}}):
        assert ada.post(url, wrong, format="json").status_code == 400
    assert (
        ada.post(url.replace("geometry", "sizing"), {"first": first}, format="json").status_code
        == 404
    )


def test_selections_grow(ada, read):
    url = f"/api/variants/{read.id}/stages/domain/select"
    faces = [f["id"] for f in _report(ada, read, "domain")["report"]["faces"]]
    found = ada.post(url, {"faces": faces[:1], "how": "connected"}, format="json").data
    assert sorted(found["faces"]) == sorted(faces)
    for wrong in ({"faces": ["nobody"], "how": "plane"}, {"faces": faces, "how": "magic"}):
        assert ada.post(url, wrong, format="json").status_code == 400


def test_the_enclosure_before_it_is_made(ada, read):
    url = f"/api/variants/{read.id}/enclosure"
    change = {"domain": {"where": "around", "along": "+x", "ahead": 2, "behind": 3}}
    ada.patch(f"/api/variants/{read.id}/settings", change, format="json")
    shape = ada.get(url).data
    assert shape["length"] == pytest.approx(60)
    assert shape["low"][0] == pytest.approx(-120) and shape["high"][0] == pytest.approx(240)


def test_geometry_is_downloaded(ada, read):
    url = f"/api/variants/{read.id}/stages/domain/geometry"
    whole = ada.get(f"{url}?as=step")
    assert "pipe_domain.step" in whole["Content-Disposition"]
    fluid = read_cad(body(whole), "fluid.step")
    assert volume(fluid.shape) == pytest.approx(3.14159265 * 49 * 60, rel=1e-6)
    patches = zipfile.ZipFile(io.BytesIO(body(ada.get(f"{url}?as=stl&per=patch"))))
    names = {p["name"] for p in _report(ada, read, "patches")["report"]["patches"]}
    assert {n.removesuffix(".stl") for n in patches.namelist()} == names
    assert len(read_stl(patches.read("wall.stl"), "wall.stl").triangles) > 10
    assert ada.get(f"{url}?as=docx").status_code == 400
    assert ada.get(f"{url}?as=stl&per=face").status_code == 400


def test_files_sent_together_are_one_study_and_more_can_be_added(ada, work):
    answer = ada.post("/api/studies", {"file": [_stl(sphere()), _stl(sphere(at=(30, 0, 0)))]})
    assert answer.status_code == 202
    work()
    study = Study.objects.get()
    variant = study.variants.get()
    assert len(_report(ada, variant, "geometry")["report"]["bodies"]) == 2
    answer = ada.post(f"/api/studies/{study.id}/files", {"file": _stl(sphere(at=(60, 0, 0)))})
    assert answer.status_code == 202
    work()
    assert len(_report(ada, variant, "geometry")["report"]["bodies"]) == 3
    # one that cannot be read leaves the study as it was
    ada.post(f"/api/studies/{study.id}/files", {"file": SimpleUploadedFile("odd.stl", b"words")})
    (job,) = work()
    assert job.state == "failed" and "odd.stl" in job.problem["message"]
    assert len(_report(ada, variant, "geometry")["report"]["bodies"]) == 3
    assert _report(ada, variant, "geometry")["condition"] == "current"
    empty = SimpleUploadedFile("void.stl", b"")
    assert ada.post(f"/api/studies/{study.id}/files", {"file": empty}).status_code == 400


def test_patches_outlive_a_change_upstream(ada, study, variant, work):
    """Named by place: mirroring renumbers nothing that the analyst has to do again."""
    ada.post(f"/api/variants/{variant.id}/runs", {"target": "patches"})
    work()
    rows = _report(ada, variant, "patches")["settings"]["patches"]
    rows[0] = {**rows[0], "name": "supply"}
    ada.patch(f"/api/variants/{variant.id}/settings", {"patches": {"patches": rows}}, format="json")
    repairs = [{"do": "merge_faces"}, {"do": "split_plane", "at": [30, 0, 0], "normal": [1, 0, 0]}]
    ada.patch(
        f"/api/variants/{variant.id}/settings", {"geometry": {"repairs": repairs}}, format="json"
    )
    ada.post(f"/api/variants/{variant.id}/runs", {"target": "patches"})
    (job,) = work()
    assert job.state == "done", job.problem
    report = _report(ada, variant, "patches")["report"]
    supply = next(p for p in report["patches"] if p["name"] == "supply")
    assert supply["area"] == pytest.approx(3.14159265 * 49, rel=1e-6)
    assert not [f for f in report["findings"] if f["level"] == "error"]


def test_part_of_two_bodies_is_listed(ada, work):
    from intaglio.cad.write import step_bytes
    from tests.core.shapes import box

    part = Part(compound([box(0, 0, 0, 1, 1, 1), box(2, 0, 0, 3, 1, 1)]), "mm", ("left", "right"))
    ada.post("/api/studies", {"file": SimpleUploadedFile("two.step", step_bytes(part))})
    work()
    variant = Study.objects.get().variants.get()
    bodies = _report(ada, variant, "geometry")["report"]["bodies"]
    assert [b["name"] for b in bodies] == ["left", "right"] and all(b["solid"] for b in bodies)


def test_the_size_at_places_and_along_a_line(read, ada, work):
    variant = read
    url = f"/api/variants/{variant.id}/sizes"
    assert ada.post(url, {"points": [[0, 0, 0]]}, format="json").status_code == 404
    regions = [{"name": "jet", "shape": "sphere", "size": 0.8, "start": [30, 0, 0], "radius": 3}]
    sizing = {"smallest": 1.0, "largest": 4.0, "regions": regions}
    answer = ada.patch(f"/api/variants/{variant.id}/settings", {"sizing": sizing}, format="json")
    assert answer.status_code == 200
    ada.post(f"/api/variants/{variant.id}/runs", {"target": "sizing"})
    work()
    line = [[30 + 2.0 * k, 0, 0] for k in range(10)]
    found = ada.post(url, {"points": line}, format="json").data["sizes"]
    # the first two places lie within the region
    assert found[:2] == pytest.approx([0.8, 0.8], rel=0.05)
    assert found[6] > 1.5 and all(b >= a for a, b in pairwise(found[1:7]))
    assert ada.post(url, {"points": [[1, 2]]}, format="json").status_code == 400


def test_a_bad_region_is_told_at_its_blank(read, ada):
    bad = {"sizing": {"regions": [{"name": "jet", "shape": "sphere", "size": -1}]}}
    answer = ada.patch(f"/api/variants/{read.id}/settings", bad, format="json")
    state = _report(ada, read, "sizing")
    told = str(answer.data) + str(state)
    assert "greater than 0" in told and "sizing.regions" in told
