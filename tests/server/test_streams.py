"""Pages that are open: told of changes by one listener, and never in the way of ordinary calls."""

import asyncio
import threading
import time

import psycopg
import pytest
from asgiref.testing import ApplicationCommunicator
from django.contrib.auth import get_user_model
from django.db import connection
from django.test import AsyncClient

from accounts import keeping
from accounts.models import Session
from intaglio_server import handler
from studies import hub
from studies.models import Job

# other connections and processes look in
pytestmark = pytest.mark.django_db(transaction=True)


# more than the database takes connections
OPEN = 70


async def page(name):
    client = AsyncClient()
    await client.aforce_login(await get_user_model().objects.aget(username=name))
    return await client.get("/api/events")


async def following(answer):
    """The next event of a stream, greetings and signs of life left out."""
    async for part in answer.streaming_content:
        text = part.decode()
        if text.startswith("event:"):
            return text
    return None


def changed(job, **fields):
    """A change from elsewhere, as a worker makes it."""

    def change():
        time.sleep(0.8)
        Job.objects.filter(id=job.id).update(**fields)
        connection.close()

    thread = threading.Thread(target=change)
    thread.start()
    return thread


@pytest.fixture
def job(ada, variant):
    ada.post(f"/api/variants/{variant.id}/runs", {"target": "geometry"}, format="json")
    return Job.objects.latest("created")


def connections():
    with connection.cursor() as cursor:
        cursor.execute("SELECT count(*) FROM pg_stat_activity WHERE datname = current_database()")
        return cursor.fetchone()[0]


def test_many_open_pages_hear_of_a_change_over_few_connections(job, monkeypatch):
    monkeypatch.setattr(hub, "MOST_STREAMS", OPEN)
    # nothing is told by asking now and then
    monkeypatch.setattr(hub, "ALIVE", 1000.0)
    held = []

    async def listen():
        answers = [await page("ada") for _ in range(OPEN)]
        first = await asyncio.gather(*(following(a) for a in answers))
        assert all('"doing": ""' in text for text in first)
        held.append(await asyncio.to_thread(lambda: (connections(), connection.close())))
        worker = changed(job, doing="reading pipe.step")
        told = await asyncio.gather(*(following(a) for a in answers))
        worker.join()
        assert all("reading pipe.step" in text for text in told)

    asyncio.run(asyncio.wait_for(listen(), 240))
    # the tests' own, that of the count, the listener, and two that read
    assert held[0][0] <= 8


def test_an_open_page_keeps_no_connection_of_its_own(job, monkeypatch):
    """As the server has it, each request with a thread of its own, which notes that the session is
    in use."""
    monkeypatch.setattr(keeping, "_NOTED", 0.0)
    monkeypatch.setattr(hub, "ALIVE", 1000.0)
    application, held = handler.application(), []

    async def opened(cookie):
        scope = {
            "type": "http", "method": "GET", "path": "/api/events", "query_string": b"",
            "headers": [(b"host", b"testserver"), (b"cookie", f"sessionid={cookie}".encode())],
        }  # fmt: skip
        one = ApplicationCommunicator(application, scope)
        await one.send_input({"type": "http.request", "body": b"", "more_body": False})
        assert (await one.receive_output(10))["status"] == 200
        assert b"retry" in (await one.receive_output(10))["body"]
        return one

    async def listen():
        client = AsyncClient()
        await client.aforce_login(await get_user_model().objects.aget(username="ada"))
        pages = [await opened(client.cookies["sessionid"].value) for _ in range(20)]
        held.append(await asyncio.to_thread(lambda: (connections(), connection.close())))
        for one in pages:
            await one.send_input({"type": "http.disconnect"})
            await one.wait(90)

    asyncio.run(asyncio.wait_for(listen(), 240))
    assert held[0][0] <= 8


def test_nobody_hears_of_the_jobs_of_others(ada, ben, job, monkeypatch):
    monkeypatch.setattr(hub, "ALIVE", 0.3)

    async def listen():
        answer = await page("ben")
        worker = changed(job, doing="reading")
        with pytest.raises(TimeoutError):
            await asyncio.wait_for(following(answer), 2.5)
        worker.join()

    asyncio.run(listen())


def test_a_shared_study_tells_all_its_people(ada, ben, study, variant, job, monkeypatch):
    """Ben hears of Ada's job and of her change of a setting."""
    monkeypatch.setattr(hub, "ALIVE", 1000.0)
    study.shares.create(user=get_user_model().objects.get(username="ben"))

    def change():
        time.sleep(0.8)
        address = f"/api/variants/{variant.id}/settings"
        assert ada.patch(address, {"sizing": {"largest": 5.0}}, format="json").status_code == 200
        connection.close()

    async def listen():
        answer = await page("ben")
        assert str(job.id) in await following(answer)
        worker = threading.Thread(target=change)
        worker.start()
        told = await following(answer)
        worker.join()
        assert told == f'event: variant\ndata: {{"id": {variant.id}, "version": 1}}\n\n'

    asyncio.run(asyncio.wait_for(listen(), 240))


def test_a_stream_ends_with_its_session(ada, monkeypatch):
    monkeypatch.setattr(hub, "ALIVE", 0.2)

    async def listen():
        answer = await page("ada")
        stream = answer.streaming_content.__aiter__()
        await stream.__anext__()
        assert b"still here" in await stream.__anext__()
        await asyncio.to_thread(lambda: (Session.objects.all().delete(), connection.close()))
        with pytest.raises(StopAsyncIteration):
            for _ in range(20):
                await stream.__anext__()

    asyncio.run(asyncio.wait_for(listen(), 240))


def test_one_user_has_no_more_pages_open_than_fit(job, monkeypatch):
    monkeypatch.setattr(hub, "MOST_STREAMS", 2)

    async def open_three():
        answers = [await page("ada") for _ in range(2)]
        for answer in answers:
            await following(answer)
        assert (await page("ada")).status_code == 429
        # one that is closed makes room
        await answers[0]._iterator.aclose()
        assert (await page("ada")).status_code == 200

    asyncio.run(asyncio.wait_for(open_three(), 240))


def test_a_listener_that_lost_the_database_tells_what_changed_meanwhile(job, monkeypatch):
    monkeypatch.setattr(hub, "ALIVE", 1000.0)

    def cut():
        with psycopg.connect(**connection.get_connection_params(), autocommit=True) as other:
            found = other.execute(
                "SELECT pg_terminate_backend(pid) FROM pg_stat_activity "
                "WHERE datname = current_database() AND query LIKE 'LISTEN%'"
            ).fetchall()
        Job.objects.filter(id=job.id).update(doing="unheard")
        connection.close()
        return len(found)

    async def listen():
        answer = await page("ada")
        await following(answer)
        assert await asyncio.to_thread(cut) == 1
        assert "unheard" in await following(answer)

    asyncio.run(asyncio.wait_for(listen(), 240))


def test_who_has_not_signed_in_hears_nothing(db):
    async def ask():
        return (await AsyncClient().get("/api/events")).status_code

    assert asyncio.run(ask()) == 403
