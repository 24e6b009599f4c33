"""What a child reaches of the file system: the program to read, a folder of its own, nothing else
(Landlock, Linux 5.13; https://docs.kernel.org/userspace-api/landlock.html)."""

import ctypes
import os
from collections.abc import Iterable
from pathlib import Path

from sandbox.ways import checked

_CREATE, _ADD, _RESTRICT = 444, 445, 446
_NO_NEW_RIGHTS = 38
_WRITE, _READ, _LIST = 1 << 1, 1 << 2, 1 << 3
_REMOVE, _MAKE = (1 << 4) | (1 << 5), (1 << 7) | (1 << 8)
_TRUNCATE = 1 << 14
# rights over files that each version of the kernel's rules knows: the first has 13, the second one
# for links between folders, the third one for truncating, the fifth one for devices
_RIGHTS = {1: 13, 2: 14, 3: 15, 5: 16}
# and from these versions on: connections, and signals and sockets beyond one's own
_NETWORK, _BEYOND = 4, 6
# what a program looks at besides its own files
_LOOKED_AT = (
    "/usr", "/lib", "/lib64", "/etc/ld.so.cache", "/etc/localtime", "/dev/urandom",
    "/proc/cpuinfo", "/proc/meminfo", "/sys/devices/system/cpu", "/sys/devices/system/node",
)  # fmt: skip


class _Ruleset(ctypes.Structure):
    _fields_ = (
        ("files", ctypes.c_uint64), ("network", ctypes.c_uint64), ("beyond", ctypes.c_uint64)
    )  # fmt: skip


class _Beneath(ctypes.Structure):
    _pack_ = 1
    _fields_ = (("allowed", ctypes.c_uint64), ("folder", ctypes.c_int32))


def version() -> int:
    """Of the kernel's rules; 0 where it has none."""
    return max(0, int(ctypes.CDLL(None).syscall(_CREATE, None, 0, 1)))


def reach_only(own: Path, program: Iterable[Path]) -> None:
    """Let the kernel refuse all files from now on, for good, but those below `own`, to read, write,
    make and remove, and those below `program`, to read. Raises OSError where it takes no such
    rules."""
    known = version()
    if known == 0:
        raise OSError("this kernel has no rules for files (Landlock)")
    libc = ctypes.CDLL(None, use_errno=True)
    bits = _RIGHTS[max(v for v in _RIGHTS if v <= known)]
    files = (1 << bits) - 1
    ruleset = _Ruleset(files, 3 if known >= _NETWORK else 0, 3 if known >= _BEYOND else 0)
    handle = checked(libc.syscall(_CREATE, ctypes.byref(ruleset), ctypes.sizeof(ruleset), 0))
    try:
        here = Path(f"/proc/{os.getpid()}")
        reads, writes = _READ | _LIST, _WRITE | _TRUNCATE
        for path, allowed in (
            (own, reads | writes | _REMOVE | _MAKE),
            # how much memory it needed is counted from anew
            (here, reads | writes),
            (Path("/dev/null"), _READ | writes),
            *((path, reads) for path in (*program, *map(Path, _LOOKED_AT))),
        ):
            if path.exists():
                _allow(libc, handle, path, allowed & files)
        checked(libc.prctl(_NO_NEW_RIGHTS, 1, 0, 0, 0))
        checked(libc.syscall(_RESTRICT, handle, 0))
    finally:
        os.close(handle)


def _allow(libc: ctypes.CDLL, ruleset: int, path: Path, allowed: int) -> None:
    at = os.open(path, os.O_PATH)
    try:
        if not path.is_dir():
            allowed &= _READ | _WRITE | _TRUNCATE
        rule = _Beneath(allowed, at)
        checked(libc.syscall(_ADD, ruleset, 1, ctypes.byref(rule), 0))
    finally:
        os.close(at)
