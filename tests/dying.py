"""Children that end as none should. They are found by the process that children come from, which
knows nothing of the server: nothing of it may be imported here."""

import os
import signal
from pathlib import Path

from sandbox.line import say


def crash(there, folder, limits):
    os.kill(os.getpid(), signal.SIGSEGV)


def crash_at_geometry(there, folder, limits):
    say(there, {"kind": "progress", "stage": "geometry", "share": 0.1, "doing": "reading"})
    crash(there, folder, limits)


def die(there, folder, limits):
    (Path(folder) / "mesh.cgns").write_bytes(bytes(1000))
    os.kill(os.getpid(), signal.SIGKILL)
