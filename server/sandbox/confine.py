"""What a child gives up before it looks at a foreign file: secrets, its user and all rights of
root, the network, other processes, other files, and more of the machine than a job may have."""

import ctypes
import os
import resource
import sys
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import intaglio
from intaglio.numeric import kernels
from sandbox.calls import allow_only
from sandbox.reach import reach_only, version
from sandbox.ways import open_ways

# what a child may know of the environment
_KNOWN = (
    "PATH", "LANG", "LC_ALL", "TZ", "PYTHONPATH", "VIRTUAL_ENV",
    "INTAGLIO_KERNELS", "XDG_CACHE_HOME",
)  # fmt: skip
# numbers of users that nobody is given: one for each process there can be (2^22 of them), or one of
# those that are kept for passing services where a container has few numbers
_OWN, _FEW, _FEWEST = 0x70000000, 61184, 4336
_FILES, _THREADS = 1024, 1024
_CAPABILITIES_3, _DUMPABLE = 0x20080522, 4


class Unconfined(Exception):
    """A child cannot be kept from what is not its own. The message says of what, and why."""


@dataclass(frozen=True)
class Limits:
    """Bytes of memory and of one file, and whether to go on where the kernel has no rules, since
    whoever runs the server trusts every file."""

    memory: int
    file: int
    trusted: bool = False


@contextmanager
def few_words() -> Iterator[None]:
    """The environment without what a child need not know, for as long as it is started."""
    held = dict(os.environ)
    try:
        for name in held:
            if name not in _KNOWN:
                del os.environ[name]
        yield
    finally:
        os.environ.clear()
        os.environ.update(held)


def program() -> list[Path]:
    """Where the files of the program are: Python, its packages, this code, compiled kernels."""
    code = (Path(intaglio.__file__).parent, Path(__file__).parent, kernels.folder())
    python = (Path(sys.prefix), Path(sys.base_prefix))
    return [path.resolve() for path in (*python, *code)]


def missing() -> list[str]:
    """What this kernel lacks to keep children from what is not theirs, in words."""
    out = []
    if version() == 0:
        out.append("rules for files (Landlock, Linux 5.13)")
    actions = Path("/proc/sys/kernel/seccomp/actions_avail")
    if not actions.exists() or "errno" not in actions.read_text().split():
        out.append("rules for calls (seccomp)")
    return out


def user_of(process: int) -> int:
    """The number of the user that a process becomes."""
    own = _OWN + process
    for known in Path("/proc/self/uid_map").read_text().splitlines():
        first, _, count = map(int, known.split())
        if first <= own < first + count:
            return own
    return _FEW + process % _FEWEST


def confine(limits: Limits, folder: Path, line: int | None = None) -> None:
    """Give all that up, for good. line: the handle of the line to the worker, which is kept, while
    all others but 0 to 2 are closed. Raises Unconfined where the kernel does not see to it, and
    none said to go on."""
    for name in list(os.environ):
        if name not in _KNOWN:
            del os.environ[name]
    os.environ["HOME"] = os.environ["TMPDIR"] = str(folder)
    for limit, most in (
        (resource.RLIMIT_DATA, limits.memory),
        (resource.RLIMIT_FSIZE, limits.file),
        (resource.RLIMIT_NOFILE, _FILES),
        (resource.RLIMIT_CORE, 0),
    ):
        _limit(limit, most)
    if line is not None:
        os.closerange(3, line)
        os.closerange(line + 1, _FILES)
    os.chdir(folder)
    if os.geteuid() == 0:
        _become_another(user_of(os.getpid()), folder)
    os.umask(0o077)
    _drop_rights()
    _keep_no_kernels()
    for what, rules in (
        ("other files", lambda: reach_only(folder, program())),
        ("other processes and the network", allow_only),
    ):
        try:
            rules()
        except OSError as error:
            if not limits.trusted:
                raise Unconfined(f"{what}: {error}") from error


def _limit(what: int, most: int) -> None:
    _, hard = resource.getrlimit(what)
    most = most if hard == resource.RLIM_INFINITY else min(most, hard)
    resource.setrlimit(what, (most, most))


def _become_another(user: int, folder: Path) -> None:
    """Become a user that owns nothing but the folder, where such a one reaches the program. Where
    not, this one is left, whose files the rules for files keep."""
    # others pass through the folders that lead to the program
    os.umask(0o022)
    needed = [path for path in program() if path.exists()]
    try:
        open_ways([*needed, folder])
    except OSError:
        return
    if not all(path.stat().st_mode & 0o001 for path in needed):
        return
    os.chown(folder, user, user)
    os.setgroups([])
    os.setresgid(user, user, user)
    os.setresuid(user, user, user)
    _limit(resource.RLIMIT_NPROC, _THREADS)
    # what the kernel tells of this process belongs to it again
    ctypes.CDLL(None).prctl(_DUMPABLE, 1, 0, 0, 0)


def _drop_rights() -> None:
    """Keep nothing of what root may beyond others (capabilities, capset(2))."""
    libc = ctypes.CDLL(None, use_errno=True)
    header = (ctypes.c_uint32 * 2)(_CAPABILITIES_3, 0)
    if libc.capset(header, (ctypes.c_uint32 * 6)()) != 0:
        raise Unconfined(f"rights of root: {os.strerror(ctypes.get_errno())}")


def _keep_no_kernels() -> None:
    """What is compiled anew is used and not kept: the folder of kernels is only to be read, and
    what of it is closed is compiled."""
    from numba.core import caching

    for name in ("save_overload", "load_overload"):
        act = getattr(caching.Cache, name)

        def try_to(self: Any, *what: Any, act: Any = act) -> Any:
            with suppress(OSError):
                return act(self, *what)
            return None

        setattr(caching.Cache, name, try_to)
