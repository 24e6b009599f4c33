"""Accounts, clients, and jobs run in place of a worker."""

import asyncio
import hashlib
import os
from pathlib import Path

import pytest
from django.contrib.auth import get_user_model
from django.db import connection
from rest_framework.test import APIClient

from studies import runner
from studies.models import Job, Product, Study
from studies.store import load_bytes, save_bytes
from tests.core.shapes import pipe, source

ROOT = Path(__file__).parents[2]
# as the start command does: else the server that jobs are forked from loads nothing beforehand
os.environ["PYTHONPATH"] = f"{ROOT / 'core'}:{ROOT / 'server'}"


@pytest.fixture(scope="session")
def pipe_file(tmp_path_factory):
    return source(pipe(), tmp_path_factory.mktemp("pipe"), "pipe")


@pytest.fixture(autouse=True)
def children_use_the_test_database(db):
    """A job's child process reads the name of the database from the environment. Each test is a
    transaction that is taken back; one where threads or other processes look in says so by the
    mark `django_db(transaction=True)`."""
    os.environ["INTAGLIO_DB_NAME"] = connection.settings_dict["NAME"]


@pytest.fixture(autouse=True)
def nobody_waits_for_live_runs(settings):
    """There is no worker that would do them meanwhile."""
    settings.LIVE_SECONDS = 0.0


@pytest.fixture(autouse=True)
def passwords_are_hashed_quickly(settings):
    """The usual hash takes a third of a second, so that guessing does."""
    settings.PASSWORD_HASHERS = [
        "django.contrib.auth.hashers.MD5PasswordHasher",
        *settings.PASSWORD_HASHERS,
    ]


def _client(name: str) -> APIClient:
    client = APIClient()
    client.force_login(get_user_model().objects.create_user(name, password="quiet-water"))
    return client


@pytest.fixture
def ada(db):
    return _client("ada")


@pytest.fixture
def ben(db):
    return _client("ben")


@pytest.fixture
def work():
    """Run every waiting job to its end, as a worker would."""

    def run_all() -> list[Job]:
        done = []
        for job in Job.objects.filter(state=Job.State.WAITING):
            runner.run(str(job.id))
            done.append(Job.objects.get(id=job.id))
        return done

    return run_all


# what a run of the pipe made, by key: a product is the same whichever test made it
_KNOWN: dict[str, tuple[str, dict, bytes]] = {}


@pytest.fixture
def known():
    """Run something with the products that earlier tests made, so that it computes only once."""

    def with_known(run, stages=("geometry", "domain", "patches")):
        for key, (stage, report, data) in _KNOWN.items():
            if stage in stages:
                save_bytes(key, stage, report, data)
        outcome = run()
        for product in Product.objects.filter(stage__in=stages):
            _KNOWN[product.key] = (product.stage, product.report, load_bytes(product.key))
        return outcome

    return with_known


@pytest.fixture
def study(ada, pipe_file):
    """Ada's study of a pipe, not read yet; coarse, so that runs are short."""
    user = get_user_model().objects.get(username="ada")
    kept = save_bytes(hashlib.sha256(pipe_file.data).hexdigest(), "source", {}, pipe_file.data)
    made = Study.objects.create(owner=user, name="pipe", file_name="pipe.step", source=kept)
    made.variants.create(name="first", settings={"sizing": {"smallest": 3.0, "largest": 4.0}})
    return made


@pytest.fixture
def variant(study):
    return study.variants.get()


def body(response) -> bytes:
    """What a reply that is sent in pieces comes to."""

    async def whole() -> bytes:
        return b"".join([piece async for piece in response.streaming_content])

    return asyncio.run(whole())
