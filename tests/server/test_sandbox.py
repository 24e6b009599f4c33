"""The child that reads foreign files: it has no secrets, no network, no other processes, and is not
believed."""

import os

import pytest

from sandbox.confine import few_words, other_user
from studies import runner
from studies.models import Job, Product
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
    assert "INTAGLIO" not in told.replace("intaglio", "")
    if runner._user() is not None:
        assert came["user"] == runner._user() != os.getuid()
    if not came["filtered"]:
        pytest.skip("this kernel takes no rules for its calls")
    for name in ("network", "socket", "program", "process", "kill"):
        assert came[name] in ("PermissionError", "BlockingIOError"), (name, came[name])


@pytest.mark.parametrize(
    "act", [prying.lie, prying.shout, prying.climb, prying.boast, prying.babble]
)
def test_a_child_that_lies_is_not_believed(ran, act, variant):
    before = Product.objects.count()
    job = ran(act)
    assert job.state == "failed" and len(job.problem["message"]) < 1000
    variant.refresh_from_db()
    assert variant.shown == {}
    assert Product.objects.count() == before


def test_the_environment_is_as_it_was_after_a_child_was_begun(monkeypatch):
    monkeypatch.setenv("INTAGLIO_SECRET", "kept")
    held = dict(os.environ)
    with few_words():
        assert "INTAGLIO_SECRET" not in os.environ and "PATH" in os.environ
    assert dict(os.environ) == held


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
