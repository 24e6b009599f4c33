"""The child that reads foreign files: it has no secrets, no network, no other processes, and is not
believed."""

import os
import tempfile
from collections import OrderedDict

import pytest

from sandbox.confine import few_words, other_user
from studies import asking, children, runner
from studies.models import Job, Product
from studies.problems import NotAnswered
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


def test_a_child_can_do_nothing_but_compute(ran, settings, monkeypatch):
    monkeypatch.setenv("INTAGLIO_SECRET", "a secret of the server")
    settings.JOB_BYTES = 3 * 2**30
    came = ran(prying.pry).problem["came"]
    assert came["large file"] == "OSError" and came["memory"] == "MemoryError"
    assert came["thread"] == came["file"] == "done"
    # neither the server's modules nor what it knows
    assert came["django"] == "KeyError"
    password = settings.DATABASES["default"]["PASSWORD"]
    told = str(came["environment"]) + came["initial"]
    assert "a secret of the server" not in told and password not in told
    # but for where compiled code is kept, where that is said
    assert "INTAGLIO" not in told.replace("intaglio", "").replace("INTAGLIO_KERNELS", "")
    if children._user() is not None:
        assert came["user"] == children._user() != os.getuid()
    if not came["filtered"]:
        pytest.skip("this kernel takes no rules for its calls")
    for name in ("network", "socket", "program", "process", "kill"):
        assert came[name] in ("PermissionError", "BlockingIOError"), (name, came[name])


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


@pytest.fixture
def folders(tmp_path, monkeypatch):
    """Where the folders of children are, with whatever lies beside them."""
    monkeypatch.setattr(tempfile, "tempdir", str(tmp_path))
    # others do not reach it
    monkeypatch.setattr(children, "_user", lambda: None)
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


def test_another_user_is_taken_where_it_reaches_what_is_needed(tmp_path, monkeypatch):
    monkeypatch.setattr(os, "geteuid", lambda: 0)
    open_to_all, closed = tmp_path / "open", tmp_path / "closed"
    open_to_all.mkdir(mode=0o755)
    closed.mkdir(mode=0o700)
    for folder in (tmp_path, *tmp_path.parents):
        if folder.stat().st_mode & 0o001 == 0:
            break
    else:
        assert other_user(open_to_all) is not None
    assert other_user(closed) is None
    monkeypatch.setattr(os, "geteuid", lambda: 1000)
    assert other_user(open_to_all) is None


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
