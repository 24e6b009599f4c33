"""Ways to the program for a user that others keep out: where Python lies in a home that is closed,
the child of root sees folders of its own there, with the program in them and nothing else (mount
namespaces, mount_namespaces(7))."""

import ctypes
import os
from collections.abc import Iterable
from pathlib import Path

_NEW_VIEW = 0x00020000
_BIND, _BELOW, _PRIVATE = 0x1000, 0x4000, 0x40000


def closed(paths: Iterable[Path]) -> set[Path]:
    """Outermost folders that keep other users from these paths."""
    out = set()
    for path in paths:
        kept = [f for f in path.parents if not f.stat().st_mode & 0o001]
        if kept:
            out.add(kept[-1])
    return out


def open_ways(paths: Iterable[Path]) -> None:
    """Let this process and its children see the closed folders over these paths as folders that are
    open and hold only these paths. Raises OSError where that is not allowed."""
    paths = [path for path in paths if path.exists()]
    folders = closed(paths)
    if not folders:
        return
    libc = ctypes.CDLL(None, use_errno=True)
    checked(libc.unshare(_NEW_VIEW))
    _mount(libc, None, Path("/"), _BELOW | _PRIVATE)
    for folder in folders:
        below = [path for path in paths if folder in path.parents]
        held = [os.open(path, os.O_PATH) for path in below]
        _mount(libc, "tmpfs", folder, 0, b"mode=755,size=1m")
        for path, handle in sorted(zip(below, held, strict=True)):
            path.mkdir(mode=0o755, parents=True, exist_ok=True)
            _mount(libc, f"/proc/self/fd/{handle}", path, _BIND | _BELOW)
            os.close(handle)


def _mount(
    libc: ctypes.CDLL, what: str | None, at: Path, how: int, options: bytes | None = None
) -> None:
    kind = b"tmpfs" if what == "tmpfs" else None
    source = None if what is None else what.encode()
    checked(libc.mount(source, str(at).encode(), kind, ctypes.c_ulong(how), options))


def checked(result: int) -> int:
    """What a call of the C library gave. Raises OSError where it failed."""
    if result < 0:
        number = ctypes.get_errno()
        raise OSError(number, os.strerror(number))
    return result
