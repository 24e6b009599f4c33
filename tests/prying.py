"""A child that tries what none may, and says what came of it. As in `dying`, no server here."""

import contextlib
import os
import signal
import socket
import subprocess
import sys
import threading
from pathlib import Path

from sandbox.confine import confine
from sandbox.line import hear, say


def pry(there, folder, limits):
    filtered = confine(limits, Path(folder))
    came: dict[str, object] = {
        "filtered": filtered,
        "environment": dict(os.environ),
        "user": os.getuid(),
    }
    came["initial"] = ""
    with contextlib.suppress(PermissionError):  # of one that became another user
        came["initial"] = Path("/proc/self/environ").read_bytes().decode(errors="replace")
    for name, attempt in {
        "network": lambda: socket.create_connection(("127.0.0.1", 9), timeout=1),
        "socket": lambda: socket.socket(socket.AF_UNIX),
        "program": lambda: subprocess.run(["true"], check=True),
        "process": os.fork,
        "kill": lambda: os.kill(os.getppid(), 0),
        "large file": lambda: _write(Path(folder) / "large", limits.file + 2**20),
        "django": lambda: sys.modules["django"],
        "memory": lambda: bytearray(limits.memory + 2**28),
    }.items():
        try:
            attempt()
            came[name] = "done"
        except BaseException as error:
            came[name] = f"{type(error).__name__}"
    # what a computation needs is there
    thread = threading.Thread(target=came.setdefault, args=("thread", "done"))
    thread.start()
    thread.join()
    _write(Path(folder) / "small", 1000)
    came["file"] = "done"
    problem = {"code": "pried", "message": "…", "places": [], "blank": None, "came": came}
    say(there, {"kind": "failed", "problem": problem})


def _write(path: Path, size: int) -> None:
    signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
    with path.open("wb") as file:
        file.truncate(size)


def lie(there, folder, limits):
    """Ask to keep what is none of its own."""
    os.symlink("/etc/passwd", Path(folder) / "put-1")
    key = "0" * 64
    say(there, {"kind": "put", "key": key, "stage": "geometry", "file": "put-1", "report": {}})
    there.poll(20)


def poison(there, folder, limits):
    """Keep something under the key of another's product."""
    (Path(folder) / "put-1").write_bytes(b"poison")
    key = "0" * 64
    say(there, {"kind": "put", "key": key, "stage": "geometry", "file": "put-1", "report": {}})
    there.poll(20)


def shout(there, folder, limits):
    """Send what is no message."""
    there.send({"kind": "done", "keys": {}})
    there.poll(20)


def climb(there, folder, limits):
    say(there, {"kind": "put", "key": "0" * 64, "stage": "geometry", "file": "../x", "report": {}})
    there.poll(20)


def boast(there, folder, limits):
    say(there, {"kind": "done", "keys": {"geometry": "f" * 64}})
    there.poll(20)


def babble(there, folder, limits):
    say(there, {"kind": "failed", "problem": {"code": "x", "message": "x" * 2**23}})
    there.poll(20)


def trap(there, folder, limits):
    """Take the name of the file that comes next, as a link to one outside."""
    outside = Path(f"{folder}-outside")
    outside.write_text("as it was")
    os.symlink(outside, Path(folder) / "get-1")
    say(there, {"kind": "get", "key": hear(there)["source"]})
    there.poll(20)


def swap(there, folder, limits):
    """Put a link to another folder in the place of one's own."""
    outside = Path(f"{folder}-outside")
    outside.mkdir()
    os.rename(folder, f"{folder}-moved")
    os.symlink(outside, folder)
    say(there, {"kind": "get", "key": hear(there)["source"]})
    hear(there)
    came = {"moved": os.listdir(f"{folder}-moved"), "outside": os.listdir(outside)}
    problem = {"code": "pried", "message": "…", "places": [], "blank": None, "came": came}
    say(there, {"kind": "failed", "problem": problem})


def fall(there, folder, limits):
    """Crash as the CAD kernel does, on whatever is asked."""
    hear(there)
    signal.raise_signal(signal.SIGSEGV)


def dream(there, folder, limits):
    """Never answer."""
    there.poll(600)
    hear(there)
    there.poll(600)


def palm_off(there, folder, limits):
    """Answer with a file that is another's."""
    hear(there)
    os.symlink("/etc/passwd", Path(folder) / "put-1")
    say(there, {"kind": "done", "files": [["a.stl", "put-1"]], "found": ["nothing"]})
    there.poll(20)
