"""Connections to the database, of which there are few for all calls."""

from asgiref.sync import sync_to_async
from django.db import connection


def _close() -> None:
    # within a transaction nobody answers for long
    if not connection.in_atomic_block:
        connection.close()


async def give_back() -> None:
    """Give back the connection of the request that this answers, whose reply goes on for long: the
    framework does so only at its end."""
    await sync_to_async(_close)()
