"""The child that reads foreign files: it has no secrets, no network, no other processes, and is not
believed."""

import fcntl
import os
import shutil
import tempfile
from collections import OrderedDict
from functools import partial
from pathlib import Path

import pytest

from sandbox.confine import few_words, user_of
from sandbox.ways import closed
from studies import asking, children, runner
from studies.models import Job, Product
from studies.problems import NotAnswered
from studies.store import save_bytes
from tests import prying


@pytest.fixture
def ran(ada, variant, monkeypatch):
    """A job whose child does something of its own."""

    def run(act):
        monkeypatch.setattr("sandbox.child.compute", act)
        ada.post(f"/api/variants/{variant.id}/runs", {"target": "geometry"}, format="json")
        job = Job.objects.latest("created")
        runner.run(str(job.id))
        job.refresh_from_db()
        return job

    return run


@pytest.mark.parametrize("act", [prying.pry, prying.pry_as_the_same_user])
def test_a_child_can_do_nothing_but_compute(ran, settings, monkeypatch, act):
    monkeypatch.setenv("INTAGLIO_SECRET", "a secret of the server")
    settings.JOB_BYTES = 3 * 2**30
    came = ran(act).problem["came"]
    for other in Path(tempfile.gettempdir()).glob("intaglio-child-*-other"):
        assert (other / "secret").read_text() == "another's"
        shutil.rmtree(other)
    assert came.pop("memory") == "MemoryError"
    # neither the server's modules nor what it knows
    assert came.pop("django") == "KeyError"
    password = settings.DATABASES["default"]["PASSWORD"]
    told = str(came.pop("environment")) + came.pop("initial")
    assert "a secret of the server" not in told and password not in told
    # but for where compiled code is kept, where that is said
    assert "INTAGLIO" not in told.replace("intaglio", "").replace("INTAGLIO_KERNELS", "")
    # a user of its own where root can see to it, without any rights, and the line for a handle
    before, after = came.pop("user")
    becomes_another = before == 0 and act is prying.pry
    assert before == os.getuid() and (after > 60000 if becomes_another else after == before)
    assert came.pop("rights") == ["CapEff:\t0000000000000000"]
    assert came.pop("handles") == [came.pop("line")]
    assert came.pop("thread") == came.pop("file") == "done" and came.pop("own program")
    # all else that was tried; a number of bytes, and limits, are no matter of rights
    assert came.pop("large file") == "OSError" and came.pop("limits") == "ValueError"
    assert came.pop("process") in ("PermissionError", "BlockingIOError")
    assert set(came.values()) == {"PermissionError"}, came


def test_where_the_kernel_has_no_rules_nothing_is_read_but_by_a_word(
    ran, ada, settings, monkeypatch
):
    monkeypatch.setattr("sandbox.confine.version", lambda: 0)
    assert "no jobs" in ada.get("/api/session").data["unguarded"]
    assert ada.get("/api/health").data == {"server": True, "database": True, "guarded": False}
    refused = ran(prying.unruled)
    assert refused.state == "failed" and refused.problem["code"] == "unconfined"
    assert "Landlock" in refused.problem["message"]
    settings.TRUST_EVERY_FILE = True
    assert "trust every file" in ada.get("/api/session").data["unguarded"]
    assert ran(prying.unruled).state == "done"
    monkeypatch.undo()
    assert ada.get("/api/session").data["unguarded"] == ""


def test_a_child_is_given_only_what_its_job_is_about(ran, ben):
    secret = save_bytes("5" * 64, "source", {}, b"another's part")
    for kind in ("get", "report"):
        job = ran(partial(prying.wish, kind=kind, key=secret.key))
        assert job.state == "failed" and job.problem["code"] == "unexpected"
        assert "Untrue" in job.problem["message"]


def test_a_childs_files_are_counted_and_gone_with_it(ran, settings, monkeypatch, tmp_path):
    monkeypatch.setattr(tempfile, "tempdir", str(tmp_path))
    settings.JOB_BYTES = 2**20
    monkeypatch.setattr(runner, "_WEIGH_SECONDS", 0.0)
    for act in (prying.dig, prying.heap):
        job = ran(act)
        assert job.state == "failed" and job.problem["code"] == "too-large", job.problem
        assert list(tmp_path.iterdir()) == []


@pytest.mark.parametrize(
    "act", [prying.lie, prying.poison, prying.shout, prying.climb, prying.boast, prying.babble]
)
def test_a_child_that_lies_is_not_believed(ran, act, variant):
    before = Product.objects.count()
    job = ran(act)
    assert job.state == "failed" and len(job.problem["message"]) < 1000
    variant.refresh_from_db()
    assert variant.shown == {}
    assert Product.objects.count() == before


def test_folders_that_a_killed_worker_left_are_removed_and_no_others(tmp_path, monkeypatch):
    monkeypatch.setattr(tempfile, "tempdir", str(tmp_path))
    left, young, held, another = (tmp_path / name for name in (
        "intaglio-child-left", "intaglio-child-young", "intaglio-child-held", "intaglio-other",
    ))  # fmt: skip
    for folder in (left, held, another):
        folder.mkdir()
        (folder / "file").write_text("x")
    at = os.open(held, os.O_RDONLY)
    fcntl.flock(at, fcntl.LOCK_EX)
    monkeypatch.setattr(children, "_YOUNG", -1.0)
    children.forget_orphans()
    assert sorted(tmp_path.iterdir()) == sorted([held, another])
    os.close(at)
    monkeypatch.undo()
    monkeypatch.setattr(tempfile, "tempdir", str(tmp_path))
    young.mkdir()
    children.forget_orphans()
    assert young.is_dir()


@pytest.fixture
def folders(tmp_path, monkeypatch):
    """Where the folders of children are, with whatever lies beside them."""
    monkeypatch.setattr(tempfile, "tempdir", str(tmp_path))
    return tmp_path


def test_a_name_that_a_child_took_first_is_not_written_through(ran, folders):
    job = ran(prying.trap)
    assert job.state == "failed"
    (outside,) = folders.glob("*-outside")
    assert outside.read_text() == "as it was"


def test_a_link_in_the_place_of_a_childs_folder_leads_nowhere(ran, folders):
    came = ran(prying.swap).problem["came"]
    assert came == {"moved": ["get-1"], "outside": []}


@pytest.fixture
def asked(ada, study, variant, work, monkeypatch):
    """The ruler and a file of a part that was read, by a child that does something of its own."""
    ada.post(f"/api/variants/{variant.id}/runs", {"target": "geometry"}, format="json")
    work()
    base = f"/api/variants/{variant.id}/stages/geometry"
    first = {"first": {"face": 0, "at": [0, 0, 0]}}

    def close():
        for desk in asking._desks.values():
            desk.close()
        asking._desks.clear()

    def ask(act=None):
        close()
        if act is not None:
            monkeypatch.setattr("sandbox.answers.answer_many", act)
        ruler = ada.post(f"{base}/measure", first, format="json")
        return ruler, ada.get(f"{base}/geometry?as=step")

    yield ask
    close()


def test_the_ruler_and_files_of_geometry_crash_alone(asked, monkeypatch):
    for answer in asked(prying.fall):
        assert answer.status_code == 400
        assert answer.data["code"] == "crashed" and "SIGSEGV" in answer.data["message"]
        assert "pipe.step" in answer.data["message"]
    monkeypatch.undo()
    ruler, file = asked()
    assert ruler.status_code == 200 and file.status_code == 200


def test_an_answer_that_does_not_come_is_not_waited_for(asked, settings):
    settings.ASK_SECONDS = 1
    for answer in asked(prying.dream):
        assert answer.status_code == 503 and "1 s" in answer.data["message"]
    assert all(desk.child is None for desk in asking._desks.values())


def test_an_answer_that_fills_the_disk_is_stopped(asked, settings, monkeypatch):
    monkeypatch.setattr(asking, "_WEIGH_SECONDS", 0.05)
    settings.JOB_BYTES = 2**20
    for answer in asked(prying.heap):
        assert answer.status_code == 507 and "grew" in answer.data["message"]
    assert all(desk.child is None for desk in asking._desks.values())


def test_who_answers_is_not_believed(asked):
    for answer in asked(prying.palm_off):
        assert answer.status_code == 500
        assert "root:" not in str(answer.content)


def test_a_child_stays_with_its_study(asked, ada, variant):
    asked()
    (desk,) = (d for (_, about), d in asking._desks.items() if about == "places")
    assert desk.child is not None
    process = desk.child.process.pid
    base = f"/api/variants/{variant.id}/stages/geometry"
    wrong = {"first": {"face": 9999, "at": [0, 0, 0]}}
    answer = ada.post(f"{base}/measure", wrong, format="json")
    assert answer.status_code == 400 and answer.data["code"] == "setting"
    assert desk.child.process.pid == process
    # others' studies have others
    for number in range(asking._MOST):
        with asking._at_desk((-1 - number, "places")):
            pass
    assert desk.child is None and len(asking._desks) == asking._MOST


def test_who_comes_while_another_is_served_waits_and_is_told(settings):
    settings.ASK_SECONDS = 0
    with asking._at_desk((0, "files")), pytest.raises(NotAnswered, match="another request"):
        asking.files(0, "pipe.step", {"about": "files"})


def test_the_environment_is_as_it_was_after_a_child_was_begun(monkeypatch):
    monkeypatch.setenv("INTAGLIO_SECRET", "kept")
    held = dict(os.environ)
    with few_words():
        assert "INTAGLIO_SECRET" not in os.environ and "PATH" in os.environ
    assert dict(os.environ) == held


def test_the_environment_is_changed_only_where_no_process_is_there_to_begin_children(monkeypatch):
    children.prepare()
    assert children._runs()

    def refuse():
        raise AssertionError("the environment was changed")

    monkeypatch.setattr(children, "few_words", refuse)
    children.prepare()
    monkeypatch.setattr(children, "_runs", lambda: False)
    with pytest.raises(AssertionError, match="was changed"):
        children.prepare()


def test_ways_to_the_program_are_looked_for_where_others_are_kept_out(tmp_path):
    below = tmp_path / "closed" / "deeper" / "program"
    below.mkdir(parents=True)
    for folder in (tmp_path, *tmp_path.parents):
        if not folder.stat().st_mode & 0o001:
            tmp_path = folder
    if tmp_path != below.parents[2]:
        assert closed([below]) == {tmp_path}
        return
    tmp_path.chmod(0o755)
    assert closed([below]) == set()
    below.parent.chmod(0o700)
    assert closed([below, below / "x"]) == {below.parent}
    below.parents[1].chmod(0o700)
    assert closed([below]) == {below.parents[1]}


def test_no_two_processes_are_one_user(monkeypatch):
    users = {user_of(process) for process in range(1, 5000)}
    assert len(users) == 4999 and min(users) > 65536


def test_who_waits_at_a_desk_that_is_closed_meanwhile_is_served_at_another(monkeypatch):
    monkeypatch.setattr(asking, "_desks", OrderedDict())
    monkeypatch.setattr(asking, "_MOST", 1)
    with asking._at_desk((1, "places")) as first:
        pass
    with asking._at_desk((2, "places")):
        pass
    # the first was closed; one that found it before gets its lock, and looks again
    assert list(asking._desks) == [(2, "places")]
    assert first.lock.acquire(blocking=False)
