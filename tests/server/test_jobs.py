"""Jobs: progress, cancelling, a worker that dies, limits, damaged products."""

import asyncio
import threading
import time

import psycopg
import pytest
from django.db import OperationalError, connection
from procrastinate.contrib.django import app
from procrastinate.contrib.django.models import ProcrastinateJob

from intaglio_server.failing import lacks_room
from sandbox import child
from studies import runner, tasks
from studies.ending import insisting
from studies.models import Chunk, Job, Product
from studies.problems import handle
from studies.store import DamagedProduct, load_bytes, save_bytes
from tests import dying

# other connections and processes look in
pytestmark = pytest.mark.django_db(transaction=True)


def _start(client, variant, target="volume"):
    answer = client.post(f"/api/variants/{variant.id}/runs", {"target": target}, format="json")
    assert answer.status_code == 202
    return Job.objects.get(id=answer.data["id"])


def test_a_run_tells_its_progress(ada, variant):
    job = _start(ada, variant)
    seen = set()

    def look():
        while not (over := Job.objects.get(id=job.id)).over:
            seen.add(over.stage)
            time.sleep(0.05)
        connection.close()

    watcher = threading.Thread(target=look)
    watcher.start()
    runner.run(str(job.id))
    watcher.join()
    job.refresh_from_db()
    assert job.state == "done" and job.share == 1.0
    assert len(seen - {""}) >= 2


def test_the_same_run_twice_is_one_job(ada, variant):
    first = _start(ada, variant)
    assert _start(ada, variant).id == first.id
    # the queue's own tables are not emptied between tests: look for this job
    assert ProcrastinateJob.objects.filter(args={"job_id": str(first.id)}).count() == 1


def test_a_waiting_job_is_cancelled_at_once(ada, variant, work):
    job = _start(ada, variant)
    assert ada.post(f"/api/jobs/{job.id}/cancel").data["state"] == "cancelled"
    assert work() == []
    assert not Product.objects.exclude(stage="source").exists()


def test_a_running_job_is_cancelled_within_two_seconds(ada, variant):
    Variant = type(variant)
    Variant.objects.filter(id=variant.id).update(
        settings={"sizing": {"smallest": 0.4, "largest": 0.5}}
    )
    job = _start(ada, variant)
    worker = threading.Thread(target=lambda: (runner.run(str(job.id)), connection.close()))
    worker.start()
    while Job.objects.get(id=job.id).stage not in ("surface", "volume"):
        assert not Job.objects.get(id=job.id).over
        time.sleep(0.05)
    asked = time.monotonic()
    ada.post(f"/api/jobs/{job.id}/cancel")
    worker.join(200)
    # two on a quiet machine, where the whole run takes minutes; other tests run beside this one
    assert time.monotonic() - asked < 60.0
    assert Job.objects.get(id=job.id).state == "cancelled"
    # what was complete before stays, nothing half-written shows
    assert not Product.objects.filter(stage="volume").exists()
    assert ada.post(f"/api/jobs/{job.id}/cancel").data["state"] == "cancelled"


def test_a_failed_run_says_why_and_where(ada, variant, work):
    ada.patch(
        f"/api/variants/{variant.id}/settings",
        {"domain": {"where": "inside", "closed": ["opening_1"], "pin": [30, 0, 0]}},
        format="json",
    )
    _start(ada, variant, "domain")
    (job,) = work()
    assert job.state == "failed" and job.problem["code"] == "not-closed"
    assert "opening_2" in job.problem["message"] and len(job.problem["places"]) == 1


def test_a_child_that_dies_fails_the_job_with_the_reason(ada, variant, monkeypatch, tmp_path):
    monkeypatch.setattr("sandbox.child.compute", dying.die)
    monkeypatch.setattr("tempfile.tempdir", str(tmp_path))
    job = _start(ada, variant)
    runner.run(str(job.id))
    job.refresh_from_db()
    assert job.state == "failed" and job.problem["code"] == "died"
    # nor does it leave half of an export behind
    assert list(tmp_path.iterdir()) == []


@pytest.mark.parametrize("stage", ["", "geometry"])
def test_a_crash_of_the_cad_kernel_is_told_as_one(ada, variant, monkeypatch, stage):
    monkeypatch.setattr("sandbox.child.compute", dying.crash_at_geometry if stage else dying.crash)
    job = _start(ada, variant)
    runner.run(str(job.id))
    job.refresh_from_db()
    told = job.problem
    assert job.state == "failed" and told["code"] == "crashed"
    assert "CAD kernel" in told["message"] and "pipe.step" in told["message"]
    assert "SIGSEGV" in told["message"] and "larger edges" not in told["message"]
    assert ("at Geometry" in told["message"]) == bool(stage)


def test_a_job_that_takes_too_long_is_stopped(ada, variant, settings):
    settings.JOB_SECONDS = 0
    job = _start(ada, variant)
    runner.run(str(job.id))
    job.refresh_from_db()
    assert job.state == "failed" and job.problem["code"] == "too-long"


def _lose_worker(job):
    """The queue's job as one whose worker stopped sending heartbeats."""
    with connection.cursor() as cursor:
        cursor.execute(
            "INSERT INTO procrastinate_workers (last_heartbeat) VALUES (now() - interval '1 hour')"
            " RETURNING id"
        )
        worker = cursor.fetchone()[0]
        cursor.execute(
            "UPDATE procrastinate_jobs SET status = 'doing', worker_id = %s WHERE id = %s",
            [worker, job.queue_id],
        )
    Job.objects.filter(id=job.id).update(state="running", attempts=job.attempts + 1, share=0.4)
    job.refresh_from_db()


def _find_lost():
    async def find():
        manager = app.job_manager
        for stalled in await manager.get_stalled_jobs(
            seconds_since_heartbeat=tasks.STALLED_SECONDS
        ):
            await tasks.take_back(manager, stalled)

    asyncio.run(find())


def test_a_lost_job_runs_again_once_then_fails_with_the_reason(ada, variant):
    job = _start(ada, variant)
    _lose_worker(job)
    _find_lost()
    job.refresh_from_db()
    assert (job.state, job.share) == ("waiting", 0.0)
    assert ProcrastinateJob.objects.get(id=job.queue_id).status == "todo"
    _lose_worker(job)
    _find_lost()
    job.refresh_from_db()
    assert job.state == "failed" and job.problem["code"] == "lost"
    assert ProcrastinateJob.objects.get(id=job.queue_id).status == "failed"


def test_a_lost_job_that_was_to_be_cancelled_is(ada, variant):
    job = _start(ada, variant)
    _lose_worker(job)
    Job.objects.filter(id=job.id).update(cancel_asked=True)
    _find_lost()
    job.refresh_from_db()
    assert job.state == "cancelled"


def test_a_product_is_whole_or_not_at_all(db, monkeypatch):
    monkeypatch.setattr("studies.store.CHUNK_BYTES", 10)
    made = Chunk.objects.create

    def fail_at_second(**fields):
        if fields["number"] == 1:
            raise RuntimeError("the power went")
        return made(**fields)

    monkeypatch.setattr(Chunk.objects, "create", fail_at_second)
    with pytest.raises(RuntimeError):
        save_bytes("k" * 64, "volume", {}, bytes(range(256)) * 50)
    assert not Product.objects.exists() and not Chunk.objects.exists()


def test_a_damaged_product_is_found_out(db, monkeypatch, settings, tmp_path):
    settings.PRODUCT_CACHE = tmp_path
    monkeypatch.setattr("studies.store.CHUNK_BYTES", 64)
    data = bytes(range(256)) * 500
    key = "d" * 64
    save_bytes(key, "volume", {}, data)
    assert load_bytes(key) == data
    # a damaged copy in the cache is passed over, and so is one that is gone
    cached = next(tmp_path.glob("**/*.val"))
    assert cached.read_bytes() == data
    cached.write_bytes(b"rust")
    assert load_bytes(key) == data
    next(tmp_path.glob("**/*.val")).unlink()
    assert load_bytes(key) == data
    # so is a cache whose index is damaged
    settings.PRODUCT_CACHE = tmp_path / "other"
    settings.PRODUCT_CACHE.mkdir()
    (settings.PRODUCT_CACHE / "cache.db").write_bytes(b"rust" * 1000)
    assert load_bytes(key) == data
    settings.PRODUCT_CACHE = tmp_path / "empty"
    chunk = Chunk.objects.filter(product_id=key).last()
    Chunk.objects.filter(id=chunk.id).update(data=bytes(len(chunk.data)))
    with pytest.raises(DamagedProduct, match="checksum"):
        load_bytes(key)


def test_the_cache_makes_room_for_what_was_looked_at_last(db, settings, tmp_path):
    settings.PRODUCT_CACHE = tmp_path
    settings.CACHE_BYTES = 2**20
    for number in range(40):
        data = bytes([number]) * 100_000
        save_bytes(f"{number:064d}", "volume", {}, data)
        assert load_bytes(f"{number:064d}") == data
    kept = sum(p.stat().st_size for p in tmp_path.glob("**/*.val"))
    assert 0 < kept <= 1.5 * 2**20
    assert load_bytes("0" * 64) == bytes(100_000)


def test_a_damaged_result_is_told_on_the_screen(ada, variant, work, settings, tmp_path):
    _start(ada, variant, "domain")
    work()
    settings.PRODUCT_CACHE = tmp_path / "empty"
    from studies.api.held import product_arrays

    product_arrays.cache_clear()
    key = Product.objects.get(stage="domain").key
    Product.objects.filter(key=key).update(sha256="0" * 64)
    answer = ada.get(f"/api/variants/{variant.id}/stages/domain/view")
    assert answer.status_code == 500 and answer.json()["code"] == "damaged"


class Heard:
    """A child's line, of which nobody is at the other end."""

    def __init__(self):
        self.told = []

    def say(self, message):
        self.told.append(message)


def test_a_full_disk_is_said(monkeypatch):
    def on_a_full_disk(*_):
        with open("/dev/full", "w") as full:
            full.write("x")

    monkeypatch.setattr(child, "compute_order", on_a_full_disk)
    heard = Heard()
    child.work(heard, None, {"kind": "order"}, {})
    assert heard.told[-1]["problem"]["code"] == "no-room"


@pytest.mark.django_db(transaction=True)
def test_so_is_that_of_the_database():
    error = OperationalError("could not extend file")
    error.__cause__ = psycopg.errors.DiskFull("No space left on device")
    assert lacks_room(error)
    assert not lacks_room(OperationalError("gone"))
    # the API tells it so, and not as a database that is away
    told = handle(error, {})
    assert told.status_code == 507 and told.data["code"] == "no-room"
    assert handle(OperationalError("gone"), {}).status_code == 503
    tries = []

    def write():
        tries.append(1)
        raise error

    # what is large is not tried again, the end of a job is
    for large, most in ((True, 1), (False, 2)):
        tries.clear()
        with pytest.raises(OperationalError):
            insisting(write, patience=0.1, large=large)
        assert len(tries) == most
