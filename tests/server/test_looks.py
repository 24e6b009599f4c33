"""What a job shows before it is done: a study begins with its first picture."""

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from intaglio.mesh.pack import pack, unpack
from intaglio.parts.source import Source
from intaglio.recipe.plan import run_to
from studies import runner
from studies.ending import end
from studies.looks import keep_look
from studies.models import Job, Product, Study
from studies.store import DatabaseStore, load_bytes


def _geometry(client, job):
    data = client.get(f"/api/variants/{job.variant_id}").data
    return next(s for s in data["stages"] if s["stage"] == "geometry")


def _take_in(client, pipe_file):
    answer = client.post("/api/studies", {"file": SimpleUploadedFile("pipe.step", pipe_file.data)})
    return answer.data["id"]


@pytest.fixture
def stepwise(ada, pipe_file):
    """A job that takes in a file, run here: what is given is called with it at every look, when the
    worker has taken it in, and before the stage is done."""

    def run(at_look):
        job = Job.objects.get(id=_take_in(ada, pipe_file))
        Job.objects.filter(id=job.id).update(state=Job.State.RUNNING)
        job.refresh_from_db()

        def show(stage, key, product):
            data = pack(product.arrays, {}) if key not in seen else None
            seen.add(key)
            runner._look(job, job.attempts, stage, keep_look(job, stage, key, product.report, data))
            at_look(job)

        seen = set()
        source = Source(job.file_name, load_bytes(job.source_id))
        made = run_to("geometry", source, "pipe", {}, DatabaseStore(), show=show)
        keys = {s.stage: s.key for s in made if s.report is not None}
        runner._finish(job, job.attempts, {"keys": keys})
        return job

    return run


def test_a_study_begins_with_the_first_picture(ada, ben, stepwise):
    seen = []

    def look(job):
        base = f"/api/variants/{job.variant_id}/stages/geometry"
        touch = {"first": {"face": 0, "at": [0, 0, 0]}}
        grow = {"faces": ["face_1"], "how": "invert"}
        seen.append(
            {
                "state": _geometry(ada, job),
                "job": ada.get(f"/api/jobs/{job.id}").data,
                "view": unpack(ada.get(f"{base}/view").content)[0],
                "picture": ada.get(f"{base}/picture").status_code,
                "ruler": ada.post(f"{base}/measure", touch, format="json"),
                "file": ada.get(f"{base}/geometry?as=step").status_code,
                "grown": ada.post(f"{base}/select", grow, format="json").status_code,
                "ben": ben.get(f"{base}/view").status_code,
                "domain": ada.get(f"/api/variants/{job.variant_id}").data["stages"][1]["settings"],
            }
        )

    job = stepwise(look)
    first = seen[0]
    assert first["job"]["state"] == "running" and first["job"]["study"] == job.study_id
    assert [s["job"]["looks"] for s in seen] == list(range(1, len(seen) + 1)) and len(seen) > 2
    assert first["state"]["condition"] == "looking"
    assert first["state"]["report"]["closed"] is None and first["state"]["report"]["faces"]
    assert len(first["view"]["triangles"]) and first["picture"] == 200
    assert first["grown"] == 200 and first["ben"] == 404
    # what needs the part itself is told to wait, and nothing is derived from half a report
    assert first["ruler"].status_code == first["file"] == 409
    assert "still being looked at" in first["ruler"].data["message"]
    assert first["domain"] is None
    # of later looks only the report is new
    assert len({s["state"]["product"] for s in seen}) == 1
    assert seen[-1]["state"]["report"]["closed"] is True
    after = _geometry(ada, job)
    assert after["condition"] == "current" and after["product"] != first["state"]["product"]
    assert Study.objects.count() == 1
    assert not Product.objects.filter(key=first["state"]["product"]).exists() and job.look == ""


def test_the_worker_takes_in_what_a_child_shows(ada, pipe_file, work):
    _take_in(ada, pipe_file)
    (job,) = work()
    assert job.state == "done" and job.looks >= 1 and job.look == ""
    assert Study.objects.get().id == job.study_id
    assert not Product.objects.filter(live=True).exists()


def test_cancelled_after_the_first_picture_the_study_stays_and_can_be_read(ada, stepwise, work):
    class Cancelled(Exception):
        pass

    held = []

    def cancel(job):
        held.append(job)
        ada.post(f"/api/jobs/{job.id}/cancel")
        raise Cancelled

    with pytest.raises(Cancelled):
        stepwise(cancel)
    (job,) = held
    end(job.id, Job.State.CANCELLED)
    assert _geometry(ada, job)["condition"] == "none"
    assert not Product.objects.exclude(stage="source").exists()
    ada.post(f"/api/variants/{job.variant_id}/runs", {"target": "geometry"}, format="json")
    again = work()[-1]
    assert again.state == "done" and _geometry(ada, job)["condition"] == "current"


def test_what_a_lost_worker_showed_is_shown_until_it_is_given_up(ada, stepwise):
    class Lost(Exception):
        pass

    held = []

    def lose(job):
        held.append(job)
        raise Lost

    with pytest.raises(Lost):
        stepwise(lose)
    (job,) = held
    Job.objects.filter(id=job.id).update(state="waiting")
    assert _geometry(ada, job)["condition"] == "looking"
    Job.objects.filter(id=job.id).update(state="failed")
    assert _geometry(ada, job)["condition"] == "none"
