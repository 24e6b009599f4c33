"""Sizes that follow the typing: one process stays, with the models, and works as any other."""

import threading
import time

import pytest
from django.db import connection

from intaglio.mesh.pack import unpack
from studies import runner
from studies.models import Job, Product
from studies.store import load_bytes
from studies.tasks import enqueue

# other connections and processes look in
pytestmark = pytest.mark.django_db(transaction=True)


def _change(ada, variant, **sizing):
    answer = ada.patch(f"/api/variants/{variant.id}/settings", {"sizing": sizing}, format="json")
    assert answer.status_code == 200, answer.content


def _live(ada, variant, live=True) -> Job:
    body = {"target": "sizing", "live": live}
    answer = ada.post(f"/api/variants/{variant.id}/runs", body, format="json")
    return Job.objects.get(id=answer.data["id"])


def _ran(job) -> Job:
    runner.run(str(job.id))
    job.refresh_from_db()
    return job


@pytest.fixture
def sized(ada, variant, work, known):
    known(lambda: (_live(ada, variant, live=False), work()))
    return variant


def test_the_process_stays_and_gives_what_any_other_gives(ada, sized):
    _change(ada, sized, largest=4.0)
    assert _ran(_live(ada, sized)).state == "done"
    child = runner._warm[0][1].process.pid
    _change(ada, sized, largest=4.5)
    assert _ran(_live(ada, sized)).state == "done"
    assert [c.process.pid for _, c in runner._warm] == [child]
    sized.refresh_from_db()
    key = sized.shown["sizing"]
    warm, told = unpack(load_bytes(key))
    Product.objects.filter(key=key).delete()
    assert _ran(_live(ada, sized, live=False)).state == "done"
    cold, again = unpack(load_bytes(key))
    assert warm.keys() == cold.keys()
    assert all((warm[name] == cold[name]).all() for name in warm)
    assert told["forecast"] == again["forecast"]


def test_what_fails_is_told_and_the_process_stays(ada, sized):
    _change(ada, sized, largest=4.0)
    _ran(_live(ada, sized))
    child = runner._warm[0][1].process.pid
    rows = [{"name": "all", "shape": "box", "low": [-50, -50, -50], "high": [90, 50, 50]}]
    _change(ada, sized, regions=[{**rows[0], "size": 0.001, "easing": 0.0}])
    failed = _ran(_live(ada, sized))
    assert failed.state == "failed" and failed.problem["blank"] == "sizing.regions"
    _change(ada, sized, regions=[], largest=4.2)
    assert _ran(_live(ada, sized)).state == "done"
    assert runner._warm[0][1].process.pid == child


def test_one_that_died_is_replaced(ada, sized):
    _change(ada, sized, largest=4.0)
    _ran(_live(ada, sized))
    gone = runner._warm[0][1].process
    gone.kill()
    gone.join()
    _change(ada, sized, largest=4.6)
    assert _ran(_live(ada, sized)).state == "done"
    assert runner._warm[0][1].process.pid != gone.pid


def test_a_cancelled_one_takes_the_process_along(ada, sized):
    _change(ada, sized, largest=4.0)
    _ran(_live(ada, sized))
    before = runner._warm[0][1].process
    _change(ada, sized, largest=4.3)
    job = _live(ada, sized)
    # asked while it runs: the watcher finds it at its first look
    Job.objects.filter(id=job.id).update(target="volume")
    worker = threading.Thread(target=lambda: (runner.run(str(job.id)), connection.close()))
    worker.start()
    while Job.objects.get(id=job.id).state == "waiting":
        time.sleep(0.01)
    ada.post(f"/api/jobs/{job.id}/cancel")
    worker.join(200)
    job.refresh_from_db()
    assert job.state == "cancelled" and not before.is_alive() and not runner._warm
    assert _ran(_live(ada, sized)).state == "done"


def test_the_request_waits_for_a_live_run_but_not_for_ever(ada, sized, settings):
    settings.LIVE_SECONDS = 200.0
    _change(ada, sized, largest=4.0)
    answered = []

    def ask():
        answered.append(_live(ada, sized).state)
        connection.close()

    asking = threading.Thread(target=ask)
    asking.start()
    while not (job := Job.objects.filter(live=True).first()):
        time.sleep(0.01)
    time.sleep(0.2)
    assert not answered
    _ran(job)
    asking.join(200)
    assert answered == ["done"]
    # nobody takes this one up
    settings.LIVE_SECONDS = 0.05
    _change(ada, sized, largest=4.6)
    assert _live(ada, sized).state == "waiting"


def test_live_runs_have_a_queue_of_their_own(ada, sized, monkeypatch):
    queues = []
    monkeypatch.setattr(
        "studies.tasks.run_job.configure",
        lambda queue, priority: queues.append(queue) or _Deferred(),
    )
    _change(ada, sized, largest=4.0)
    job = _live(ada, sized)
    job.live = False
    enqueue(job)
    assert queues == ["live", "jobs"]


class _Deferred:
    def defer(self, job_id):
        return 1
