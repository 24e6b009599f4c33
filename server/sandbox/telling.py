"""Problems as plain data: what a child, a worker and the API tell in the same form."""

import errno
from typing import Any

from intaglio.errors import IntaglioError, SettingRejected

UNEXPECTED = (
    "The computation failed unexpectedly ({}). Nothing was changed. The server's log has the "
    "details."
)
NO_ROOM = (
    "The server's disk is full. Nothing was changed, and what was there before is kept. Make room, "
    "and run it again."
)
UNCONFINED = (
    "This server does not keep what reads foreign files from what is not its own ({}), so it reads "
    "none. Nothing was changed. Whoever runs it finds in docs/operating.md what it needs."
)
NO_MEMORY = "There is not enough memory for these sizes. Use larger edges."


def told(code: str, message: str) -> dict[str, Any]:
    """A problem without places."""
    return {"code": code, "message": message, "places": [], "blank": None}


def problem_of(error: IntaglioError) -> dict[str, Any]:
    """A core error as plain data."""
    out = {**told(error.code, error.message), "places": error.places}
    if isinstance(error, SettingRejected):
        out["blank"] = error.blank
    return out


def disk_is_full(error: BaseException | None) -> bool:
    """Whether an error, or one that it came from, says that a disk has no room left."""
    while error is not None:
        if isinstance(error, OSError) and error.errno in (errno.ENOSPC, errno.EDQUOT, errno.EFBIG):
            return True
        error = error.__cause__ or error.__context__
    return False
