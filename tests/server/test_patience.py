"""Connections on which no request comes, or half of one, are closed; slow replies are not."""

import asyncio

import pytest
from uvicorn.config import Config
from uvicorn.server import ServerState

from intaglio_server import patience
from intaglio_server.patience import PatientProtocol

WHOLE = b"GET / HTTP/1.1\r\nHost: here\r\n\r\n"


class Wire(asyncio.Transport):
    """A transport that keeps what is written; closed: set where the server closes it."""

    def __init__(self):
        super().__init__()
        self.out, self.closed = b"", asyncio.Event()

    def write(self, data):
        self.out += data

    def is_closing(self):
        return self.closed.is_set()

    def close(self):
        self.closed.set()

    def resume_reading(self):
        pass


async def replies(scope, receive, send):
    """Later than anyone waits for headers."""
    await asyncio.sleep(0.2)
    await send({"type": "http.response.start", "status": 204, "headers": []})
    await send({"type": "http.response.body", "body": b""})


def told(*pieces):
    """All that comes back until the server closes; pieces: what is sent, each after the reply to
    those before where that was a whole request."""

    async def talk():
        config = Config(replies, lifespan="off", ws="none", log_config=None, timeout_keep_alive=600)
        protocol = PatientProtocol(config=config, server_state=ServerState(), app_state={})
        wire = Wire()
        protocol.connection_made(wire)
        for piece in pieces:
            protocol.data_received(piece)
            if piece == WHOLE:
                await asyncio.gather(*protocol.tasks)
        await asyncio.wait_for(wire.closed.wait(), 60)
        protocol.connection_lost(None)
        return wire.out

    return asyncio.run(talk())


@pytest.fixture(autouse=True)
def hurry(monkeypatch):
    """What is not there yet is late."""
    monkeypatch.setattr(patience, "HEADERS_WITHIN", 0.0)


def test_who_sends_nothing_or_half_a_request_is_closed():
    assert told() == b""
    assert told(WHOLE[:20]) == b""


def test_a_reply_may_take_longer_and_the_next_request_may_not():
    assert told(WHOLE, WHOLE[:20]).count(b" 204 ") == 1
    assert told(WHOLE, WHOLE, WHOLE[:1]).count(b" 204 ") == 2
