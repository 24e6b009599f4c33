"""A job ends whatever happens to the write that says so, and one that nobody works on is found."""

import asyncio
import json
import threading
import time
from datetime import timedelta

import psycopg
import pytest
from django.db import OperationalError, connection
from django.utils import timezone
from procrastinate.contrib.django.models import ProcrastinateJob

from studies import ending, runner, tasks
from studies.models import Job, Product
from studies.storable import TooMuch, bounded, storable, words
from studies.store import save_bytes

# other connections and processes look in
pytestmark = pytest.mark.django_db(transaction=True)


LONG_AGO = timedelta(hours=1)


def start(client, variant, target="sizing"):
    answer = client.post(f"/api/variants/{variant.id}/runs", {"target": target}, format="json")
    assert answer.status_code == 202, answer.data
    return Job.objects.get(id=answer.data["id"])


class Child:
    """A child that says what it is told to, with a pause at None; `exitcode` as of a process."""

    exitcode = 1

    def __init__(self, messages, alive=False):
        self.messages, self.alive = list(messages), alive

    def poll(self, _=0):
        waits = bool(self.messages) and self.messages[0] is None
        if waits:
            self.messages.pop(0)
        return bool(self.messages) and not waits

    def recv_bytes(self, _):
        return json.dumps(self.messages.pop(0)).encode()

    @property
    def here(self):
        return self

    def stop(self):
        self.alive = False
        return 0

    def send_bytes(self, _):
        pass


def watched(job, *messages):
    Job.objects.filter(id=job.id).update(state=Job.State.RUNNING)
    child = Child(messages)
    runner._watch(job, child)
    job.refresh_from_db()
    return job


FAILED = {
    "kind": "failed",
    "problem": {"code": "odd", "message": "a\x00b \ud800", "places": [[1e400, 2]], "blank": None},
}


def test_a_message_that_the_database_refuses_ends_the_job_all_the_same(ada, variant):
    job = watched(start(ada, variant), FAILED)
    assert job.state == "failed"
    assert job.problem["message"] == "a\ufffdb \ufffd" and job.problem["places"] == [[None, 2]]
    assert ada.get(f"/api/jobs/{job.id}").data["problem"]["code"] == "odd"


def test_so_does_progress_that_does_not_fit(ada, variant):
    long = {"kind": "progress", "stage": "sizing", "share": 0.5, "doing": "x\x00" * 300}
    job = watched(start(ada, variant), long, None, FAILED)
    assert job.state == "failed" and job.doing == ("x\ufffd" * 100)[:199] + "…"


def test_a_connection_that_dies_while_a_job_runs_costs_nothing(ada, variant):
    """Those of the runner and of its child are ended again and again; the job is done."""
    job = start(ada, variant)

    def work():
        runner.run(str(job.id))
        connection.close()

    worker = threading.Thread(target=work)
    worker.start()
    ended = 0
    with psycopg.connect(**connection.get_connection_params(), autocommit=True) as other:
        while worker.is_alive():
            time.sleep(0.3)
            rows = other.execute(
                "SELECT pg_terminate_backend(pid) FROM pg_stat_activity "
                "WHERE datname = current_database() AND pid <> pg_backend_pid()"
            ).fetchall()
            ended += len(rows)
            if ended > 12:
                break
    worker.join(600)
    connection.close()
    job.refresh_from_db()
    assert ended > 3 and job.state == "done", job.problem


def test_an_end_is_tried_again_until_the_database_is_back(monkeypatch):
    tried = []

    def write():
        tried.append(1)
        if len(tried) < 3:
            raise OperationalError("terminating connection due to administrator command")
        return "written"

    monkeypatch.setattr(ending.time, "sleep", lambda _: None)
    assert ending.insisting(write) == "written" and len(tried) == 3
    with pytest.raises(OperationalError):
        ending.insisting(lambda: (_ for _ in ()).throw(OperationalError("gone")), patience=-1.0)


def test_what_goes_wrong_in_the_watch_ends_the_job(ada, variant, monkeypatch):
    def broken(*_):
        raise RuntimeError("no such thing")

    monkeypatch.setattr(runner, "_watch", broken)
    job = start(ada, variant)
    runner.run(str(job.id))
    job.refresh_from_db()
    assert job.state == "failed" and job.problem["code"] == "unexpected"
    assert "RuntimeError" in job.problem["message"]


def forgotten(job, **more):
    """As if whoever ran the job had gone without a word; the queue thinks that it is worked on."""
    with connection.cursor() as cursor:
        cursor.execute(
            "UPDATE procrastinate_jobs SET status = 'doing' WHERE id = %s", [job.queue_id]
        )
    Job.objects.filter(id=job.id).update(
        state=Job.State.RUNNING, beat=timezone.now() - LONG_AGO, **more
    )


def test_a_job_without_a_beat_is_found_whatever_the_queue_thinks(ada, variant):
    job = start(ada, variant)
    forgotten(job)
    tasks.end_forgotten()
    job.refresh_from_db()
    assert job.state == "failed" and job.problem["code"] == "lost"


def test_one_that_beats_is_left_alone(ada, variant):
    job = start(ada, variant)
    forgotten(job)
    Job.objects.filter(id=job.id).update(beat=timezone.now())
    tasks.end_forgotten()
    job.refresh_from_db()
    assert job.state == "running"


@pytest.mark.parametrize("state", [Job.State.WAITING, Job.State.RUNNING])
@pytest.mark.parametrize("last", [None, FAILED])
def test_a_worker_that_was_paused_leaves_the_job_to_the_next(ada, variant, state, last):
    """Its job waits to run again, or is another worker's by now: it neither cancels nor ends it."""
    job = start(ada, variant)
    Job.objects.filter(id=job.id).update(state=Job.State.RUNNING, attempts=1)
    job.refresh_from_db()
    child = Child([last], alive=True)
    attempts = 1 if state == Job.State.WAITING else 2
    Job.objects.filter(id=job.id).update(state=state, attempts=attempts)
    runner._watch(job, child)
    assert child.alive == bool(last)
    ending.beat(job.id, 1, doing="of the one before")
    job.refresh_from_db()
    assert (job.state, job.attempts, job.doing) == (state, attempts, "")


def test_a_job_that_ended_meanwhile_is_not_put_back(ada, variant, monkeypatch):
    job = start(ada, variant)
    forgotten(job, attempts=1)
    stalled = ProcrastinateJob.objects.get(id=job.queue_id).procrastinate_job
    said = []

    class Manager:
        async def finish_job(self, *_, status, **__):
            said.append(status.value)

        async def retry_job(self, *_, **__):
            said.append("again")

    def done():
        Job.objects.filter(id=job.id).update(state=Job.State.DONE)
        connection.close()

    def meanwhile(*_):
        """Between the look at the job and the write."""
        other = threading.Thread(target=done)
        other.start()
        other.join()

    monkeypatch.setattr(tasks.log, "warning", meanwhile)
    asyncio.run(tasks.take_back(Manager(), stalled))
    job.refresh_from_db()
    assert job.state == "done" and said == ["failed"]


def test_cancelling_a_forgotten_job_ends_it(ada, variant):
    job = start(ada, variant)
    forgotten(job)
    assert ada.post(f"/api/jobs/{job.id}/cancel").data["state"] == "cancelled"


def test_running_again_does_not_hand_out_a_forgotten_job(ada, variant):
    job = start(ada, variant)
    forgotten(job)
    again = start(ada, variant)
    assert again.id != job.id and again.state == "waiting"


def test_a_waiting_job_that_the_queue_has_lost_is_told(ada, variant):
    job = start(ada, variant)
    with connection.cursor() as cursor:
        cursor.execute("DELETE FROM procrastinate_events WHERE job_id = %s", [job.queue_id])
        cursor.execute("DELETE FROM procrastinate_jobs WHERE id = %s", [job.queue_id])
    tasks.end_forgotten()
    job.refresh_from_db()
    assert job.state == "waiting"  # it may just be on its way there
    Job.objects.filter(id=job.id).update(updated=timezone.now() - LONG_AGO)
    tasks.end_forgotten()
    job.refresh_from_db()
    assert job.state == "failed" and job.problem["code"] == "lost"


def test_what_is_over_stays_as_it_ended(ada, variant):
    job = start(ada, variant)
    assert ending.end(job.id, Job.State.CANCELLED)
    assert not ending.end(job.id, Job.State.FAILED, ending.told("odd", "too late"))
    job.refresh_from_db()
    assert job.state == "cancelled" and job.problem is None


def test_plain_data_is_made_fit_to_be_kept():
    told = {"a\x00": [10**400, 10**30, -(2**53), float("nan"), float("inf"), True, None, "\udcff"]}
    out = storable(told)
    assert out == {"a\ufffd": [None, 1e30, -(2**53), None, None, True, None, "\ufffd"]}
    assert words("x" * 10, 4) == "xxx…"
    with pytest.raises(TypeError):
        storable({1, 2})
    with pytest.raises(TooMuch, match="MiB"):
        bounded(["x" * 1000] * 1000, 1000)


def test_a_report_beyond_all_numbers_is_kept_and_read(db):
    report = {"volume": 10**500, "cells": 10**25, "size": float("inf"), "name": "a\x00"}
    save_bytes("k" * 64, "geometry", report, b"x")
    kept = Product.objects.get(key="k" * 64).report
    assert kept == {"volume": None, "cells": 1e25, "size": None, "name": "a\ufffd"}
