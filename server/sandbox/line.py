"""The line between a worker and its child: JSON both ways, so that what a child says is data and
nothing that runs."""

import json
import os
import queue
import threading
from multiprocessing.connection import Connection
from typing import Any

Message = dict[str, Any]
# no message is longer; products go by files
_MOST = 256 * 2**20


def say(there: Connection, message: Message) -> None:
    """Send a message. Raises OSError where nobody listens."""
    there.send_bytes(json.dumps(message).encode())


def hear(here: Connection) -> Message:
    """The next message. Raises EOFError, OSError, ValueError."""
    message = json.loads(here.recv_bytes(_MOST))
    if not isinstance(message, dict) or not isinstance(message.get("kind"), str):
        raise ValueError("not a message")
    return message


class Line:
    """The child's end. It lives no longer than the worker: when the other end is gone, this process
    ends."""

    def __init__(self, there: Connection) -> None:
        self._there = there
        self._lock = threading.Lock()
        self._orders: queue.Queue[Message] = queue.Queue()
        self._answers: queue.Queue[Message] = queue.Queue()
        self.stop = threading.Event()
        threading.Thread(target=self._listen, daemon=True).start()

    def _listen(self) -> None:
        while True:
            try:
                message = hear(self._there)
            except (EOFError, OSError, ValueError):
                os._exit(1)
            if message["kind"] == "stop":
                self.stop.set()
            elif message["kind"] == "order":
                self.stop.clear()
                self._orders.put(message)
            else:
                self._answers.put(message)

    def order(self, patience: float | None = None) -> Message | None:
        """The next order, None if none comes within so many seconds."""
        try:
            return self._orders.get(timeout=patience)
        except queue.Empty:
            return None

    def say(self, message: Message) -> None:
        with self._lock:
            say(self._there, message)

    def ask(self, message: Message) -> Message:
        """The worker's answer to a message."""
        self.say(message)
        return self._answers.get()
