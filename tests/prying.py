"""A child that tries what none may, and says what came of it. As in `dying`, no server here."""

import ctypes
import fcntl
import mmap
import os
import resource
import signal
import socket
import subprocess
import sys
import threading
from pathlib import Path

import sandbox.confine as confining
from sandbox import reach
from sandbox.child import compute
from sandbox.confine import confine
from sandbox.line import hear, say
from sandbox.ways import checked


def pry(there, folder, limits):
    outside = Path(f"{folder}-other")
    outside.mkdir()
    secret = outside / "secret"
    secret.write_text("another's")
    secret.chmod(0o644)
    outside.chmod(0o755)
    before = os.getuid()
    # a handle that it was left with
    os.dup2(0, 90)
    confine(limits, Path(folder), there.fileno())
    came: dict[str, object] = {
        "environment": dict(os.environ),
        "user": [before, os.getuid()],
        "rights": [x for x in _read("/proc/self/status").splitlines() if x.startswith("CapEff")],
        "initial": _read("/proc/self/environ"),
        "line": there.fileno(),
        "handles": [fd for fd in range(3, 100) if _is_open(fd)],
    }
    program = Path(confining.__file__)
    for name, attempt in {
        "network": lambda: socket.create_connection(("127.0.0.1", 9), timeout=1),
        "socket": lambda: socket.socket(socket.AF_UNIX),
        "program": lambda: subprocess.run(["true"], check=True),
        "process": os.fork,
        "kill": lambda: os.kill(os.getppid(), 0),
        "signal by a handle": lambda: fcntl.fcntl(there.fileno(), fcntl.F_SETOWN, os.getppid()),
        "large file": lambda: _write(Path(folder) / "large", limits.file + 2**20),
        "django": lambda: sys.modules["django"],
        "memory": lambda: bytearray(limits.memory + 2**28),
        "shared memory": lambda: mmap.mmap(-1, 2**20),
        "shared memory to read": lambda: mmap.mmap(-1, 2**20, prot=mmap.PROT_READ),
        "another's file": secret.read_text,
        "into another's": lambda: _write(secret, 1),
        "another's folder": lambda: os.listdir(outside),
        "all folders": lambda: os.listdir(Path(folder).parent),
        "take away": secret.unlink,
        "a link": lambda: os.symlink(secret, Path(folder) / "link"),
        "a second name": lambda: os.link(secret, Path(folder) / "link"),
        "passwords": lambda: _read("/etc/passwd"),
        "the server": lambda: os.listdir(program.parents[1]),
        "into the program": lambda: program.open("a"),
        "rights of files": lambda: program.chmod(0o666),
        "another process": lambda: _read(f"/proc/{os.getppid()}/environ"),
        "all processes": lambda: os.listdir("/proc"),
        "root": lambda: os.setuid(0),
        "mount": lambda: checked(ctypes.CDLL(None, use_errno=True).unshare(0x20000)),
        "limits": lambda: resource.setrlimit(resource.RLIMIT_DATA, (-1, -1)),
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
    (Path(folder) / "below").mkdir()
    came["file"], came["own program"] = "done", len(program.read_text()) > 1000
    Path("/proc/self/clear_refs").write_text("5")
    problem = {"code": "pried", "message": "…", "places": [], "blank": None, "came": came}
    say(there, {"kind": "failed", "problem": problem})


def pry_as_the_same_user(there, folder, limits):
    """Where no way to the program can be made for another user."""

    def refused(paths):
        raise PermissionError("not here")

    confining.open_ways = refused
    pry(there, folder, limits)


def _read(path):
    return Path(path).read_bytes().decode(errors="replace")


def _is_open(handle):
    try:
        os.fstat(handle)
    except OSError:
        return False
    return True


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


def wish(there, folder, limits, kind, key):
    """Ask for what is another's."""
    hear(there)
    say(there, {"kind": kind, "key": key})
    there.poll(20)


def unruled(there, folder, limits):
    """Compute, where the kernel has no rules for files."""
    reach.version = lambda: 0
    compute(there, folder, limits)


def heap(there, folder, limits):
    """Write one file after the other."""
    hear(there)
    for number in range(9):
        (Path(folder) / f"heap-{number}").write_bytes(bytes(2**18))
    there.poll(20)


def dig(there, folder, limits):
    """Make folders in folders without end."""
    hear(there)
    at = os.open(folder, os.O_RDONLY)
    for _ in range(3000):
        os.mkdir("x", dir_fd=at)
        at, before = os.open("x", os.O_RDONLY, dir_fd=at), at
        os.close(before)
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
