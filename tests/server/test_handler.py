"""A request on its way through the server as it is started: in one thread, with few steps to it."""

import asyncio
import threading

import pytest
from asgiref.testing import ApplicationCommunicator
from django.contrib.auth import get_user_model
from django.test import AsyncClient

from intaglio_server import handler
from studies.api.jobs import JobsView

# other connections and processes look in
pytestmark = pytest.mark.django_db(transaction=True)


def asked(application, path, cookie):
    return ApplicationCommunicator(
        application,
        {
            "type": "http", "method": "GET", "path": path, "query_string": b"",
            "headers": [(b"host", b"testserver"), (b"cookie", f"sessionid={cookie}".encode())],
        },
    )  # fmt: skip


def test_a_call_goes_to_its_thread_once(ada, monkeypatch):
    """With what the framework does before and after it: not one step for each layer."""
    views, steps = [], []
    get = JobsView.get

    def noted(*args):
        views.append(threading.current_thread())
        return get(*args)

    monkeypatch.setattr(JobsView, "get", noted)

    async def ask():
        client = AsyncClient()
        await client.aforce_login(await get_user_model().objects.aget(username="ada"))
        loop, application = asyncio.get_running_loop(), handler.application()
        go = loop.run_in_executor
        monkeypatch.setattr(loop, "run_in_executor", lambda *a: (steps.append(a), go(*a))[1])
        one = asked(application, "/api/jobs", client.cookies["sessionid"].value)
        await one.send_input({"type": "http.request", "body": b"", "more_body": False})
        assert (await one.receive_output(10))["status"] == 200
        assert (await one.receive_output(10))["body"] == b"[]"
        await one.wait(90)

    asyncio.run(asyncio.wait_for(ask(), 240))
    assert len(views) == 1 and views[0] is not threading.main_thread()
    # the call itself; the framework's signals before and after it, and the end of the reply
    assert len(steps) <= 4


@pytest.mark.parametrize("path, status", [("/api/nothing", 404), ("/api/studies", 403)])
def test_what_is_refused_is_refused_in_words(db, path, status):
    async def ask():
        one = asked(handler.application(), path, "")
        await one.send_input({"type": "http.request", "body": b"", "more_body": False})
        assert (await one.receive_output(10))["status"] == status
        await one.wait(90)

    asyncio.run(asyncio.wait_for(ask(), 240))
