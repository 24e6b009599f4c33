"""Room: deleting with a way back, what a study keeps, how much one may keep and ask for."""

from datetime import timedelta

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db.models import Sum
from django.db.models.functions import Length
from django.utils import timezone

from studies.models import Chunk, Job, Kept, Product, Study
from studies.room import bytes_kept_by
from studies.sweeping import sweep


@pytest.fixture
def run(ada, study, variant, work, known):
    """The study, run to its patches."""
    ada.post(f"/api/variants/{variant.id}/runs", {"target": "patches"}, format="json")
    known(work)
    return study


def _stored(keys):
    """Bytes that the chunks of some products take, counted by the database."""
    told = Chunk.objects.filter(product__in=keys).aggregate(sum=Sum(Length("data")))
    return told["sum"]


def test_what_a_study_keeps_is_what_its_chunks_take(ada, run):
    row = ada.get(f"/api/studies/{run.id}").json()
    keys = [run.source_id, *run.variants.get().shown.values()]
    assert row["kept"] == _stored(keys) > 0
    assert ada.get("/api/room").json()["kept"] == row["kept"]
    # a copy keeps the same, and both of them together no more
    copy = ada.post(f"/api/studies/{run.id}/duplicate").json()
    assert copy["kept"] == row["kept"] == ada.get("/api/room").json()["kept"]


def test_a_deleted_study_comes_back(ada, ben, run):
    ben_sees = run.shares.create(user_id=ben.get("/api/session").wsgi_request.user.pk)
    url = f"/api/studies/{run.id}"
    assert ada.delete(url).status_code == 204
    for client in (ada, ben):
        assert client.get("/api/studies").json() == [] and client.get(url).status_code == 404
        assert client.get(f"/api/variants/{run.variants.get().id}").status_code == 404
    assert ben.get("/api/studies?deleted=true").json() == []
    assert [s["id"] for s in ada.get("/api/studies?deleted=true").json()] == [run.id]
    assert ben.post(f"{url}/deleted").status_code == 404
    assert ada.post(f"{url}/deleted").json()["deleted"] is None
    assert ben.get(url).json()["role"] == "look" and ben_sees.pk
    stages = ada.get(f"/api/variants/{run.variants.get().id}").json()["stages"]
    assert [s["condition"] for s in stages[:3]] == ["current"] * 3


def test_deleting_a_study_cancels_its_jobs(ada, run, variant):
    ada.post(f"/api/variants/{variant.id}/runs", {"target": "volume"}, format="json")
    ada.delete(f"/api/studies/{run.id}")
    assert Job.objects.get(target="volume").state == "cancelled"


def test_a_deleted_study_goes_for_good_after_a_while(ada, run, settings):
    ada.delete(f"/api/studies/{run.id}")
    held = timezone.now() - timedelta(days=settings.DELETED_DAYS)
    Study.objects.update(deleted=held + timedelta(minutes=1))
    sweep()
    assert Study.objects.exists() and Product.objects.filter(stage="geometry").exists()
    Study.objects.update(deleted=held - timedelta(minutes=1))
    Product.objects.update(created=timezone.now() - timedelta(hours=settings.KEEP_HOURS + 1))
    sweep()
    assert not Study.objects.exists() and not Product.objects.exists()
    assert not Chunk.objects.exists() and not Kept.objects.exists()


def test_a_deleted_study_is_removed_at_once_when_asked(ada, run):
    url = f"/api/studies/{run.id}/deleted"
    assert ada.delete(url).status_code == 404
    ada.delete(f"/api/studies/{run.id}")
    assert ada.delete(url).status_code == 204
    assert not Study.objects.exists() and not Job.objects.exists()


def test_a_file_that_could_not_be_read_is_not_kept_for_ever(ada, work, settings):
    ada.post("/api/studies", {"file": SimpleUploadedFile("a.stl", b"solid nothing here")})
    (job,) = work()
    assert job.state == "failed" and Product.objects.filter(stage="source").exists()
    old = timezone.now() - timedelta(hours=settings.KEEP_HOURS + 1)
    Product.objects.update(created=old)
    Job.objects.update(ended=old)
    sweep()
    assert not Job.objects.exists() and not Product.objects.exists()


def test_nobody_keeps_more_than_they_may(ada, run, variant, settings):
    kept = ada.get("/api/room").json()["kept"]
    settings.QUOTA_BYTES = kept + 1000
    # what is there can be looked at and run again, and a small file comes in
    assert (
        ada.post("/api/studies", {"file": SimpleUploadedFile("a.stl", b"solid a")}).status_code
        == 202
    )
    large = SimpleUploadedFile("b.stl", b"solid b" + b" " * 2000)
    answer = ada.post("/api/studies", {"file": large})
    assert answer.status_code == 409 and "Delete studies" in answer.data["message"]
    assert (
        not Product.objects.filter(stage="source", size__gt=2000)
        .exclude(key=run.source_id)
        .exists()
    )
    settings.QUOTA_BYTES = kept - 1
    runs = f"/api/variants/{variant.id}/runs"
    assert ada.post(runs, {"target": "volume"}, format="json").status_code == 409
    assert ada.post(f"/api/studies/{run.id}/duplicate").status_code == 409
    ada.delete(f"/api/studies/{run.id}")
    ada.delete(f"/api/studies/{run.id}/deleted")
    # what waits to be read is all that is left
    assert bytes_kept_by(run.owner) == _stored(Job.objects.values("source")) < 200
    large.seek(0)
    assert ada.post("/api/studies", {"file": large}).status_code == 202


def test_nobody_asks_for_more_jobs_than_may_be(ada, ben, run, variant, settings):
    settings.JOBS_MOST = 2
    runs = f"/api/variants/{variant.id}/runs"
    for target in ("sizing", "surface"):
        assert ada.post(runs, {"target": target}, format="json").status_code == 202
    # the same again is the one that waits
    assert ada.post(runs, {"target": "surface"}, format="json").status_code == 202
    answer = ada.post(runs, {"target": "volume"}, format="json")
    assert answer.status_code == 429 and "2 jobs" in answer.data["message"]
    # what follows the typing is no such job, and others have their own
    assert ada.post(runs, {"target": "sizing", "live": True}, format="json").status_code == 202
    file = {"file": SimpleUploadedFile("a.stl", b"solid a")}
    assert ben.post("/api/studies", file).status_code == 202
    assert ada.get("/api/room").json()["jobs"] == 2
