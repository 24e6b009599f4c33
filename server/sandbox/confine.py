"""What a child gives up before it looks at a foreign file: secrets, its user, the network, other
processes, and more of the machine than a job may have."""

import errno
import logging
import os
import resource
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import pyseccomp

log = logging.getLogger(__name__)

# what a child may know of the environment
_KNOWN = (
    "PATH", "LANG", "LC_ALL", "TZ", "PYTHONPATH", "VIRTUAL_ENV",
    "INTAGLIO_KERNELS", "XDG_CACHE_HOME",
)  # fmt: skip
# an account that owns nothing
_NOBODY = 65534
# the kernel's calls that nothing here needs: other machines, other processes, the system itself
_FORBIDDEN = (
    "socket", "socketpair", "connect", "bind", "listen", "accept", "accept4", "sendto", "sendmmsg",
    "execve", "execveat", "fork", "vfork", "kill", "tkill", "ptrace", "process_vm_readv",
    "process_vm_writev", "pidfd_open", "pidfd_getfd", "pidfd_send_signal", "mount", "umount2",
    "pivot_root", "chroot", "unshare", "setns", "keyctl", "add_key", "request_key", "bpf",
    "perf_event_open", "userfaultfd", "io_uring_setup", "open_by_handle_at", "init_module",
    "finit_module", "kexec_load", "reboot", "setuid", "setgid", "setgroups", "link", "linkat",
)  # fmt: skip
_CLONE_THREAD = 0x00010000
_FILES, _THREADS = 1024, 1024


@dataclass(frozen=True)
class Limits:
    """Bytes of memory and of one file, and the number of the user to become, if any."""

    memory: int
    file: int
    user: int | None


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


def other_user(*needed: Path) -> int | None:
    """The user that children become: one that owns nothing, if this one is root and the other can
    read what is needed; None: this one."""
    if os.geteuid() != 0:
        return None
    for path in needed:
        for folder in (path, *path.resolve().parents):
            if not folder.exists() or not folder.stat().st_mode & 0o001:
                log.warning("children stay this user: others do not reach %s", folder)
                return None
    return _NOBODY


def confine(limits: Limits, folder: Path) -> bool:
    """Give all that up, for good; whether the kernel refuses calls from now on. Where it takes no
    such rules, the log says so, and the rest holds."""
    for name in list(os.environ):
        if name not in _KNOWN:
            del os.environ[name]
    os.environ["HOME"] = os.environ["TMPDIR"] = str(folder)
    for what, most in (
        (resource.RLIMIT_DATA, limits.memory),
        (resource.RLIMIT_FSIZE, limits.file),
        (resource.RLIMIT_NOFILE, _FILES),
        (resource.RLIMIT_CORE, 0),
    ):
        _limit(what, most)
    os.chdir(folder)
    os.umask(0o077)
    if limits.user is not None:
        os.setgroups([])
        os.setgid(limits.user)
        os.setuid(limits.user)
        _limit(resource.RLIMIT_NPROC, _THREADS)
        _keep_no_kernels()
    try:
        _forbid()
    except OSError as error:
        log.warning("this kernel takes no rules for its calls: %s", error)
        return False
    return True


def _limit(what: int, most: int) -> None:
    _, hard = resource.getrlimit(what)
    most = most if hard == resource.RLIM_INFINITY else min(most, hard)
    resource.setrlimit(what, (most, most))


def _keep_no_kernels() -> None:
    """What is compiled anew is used and not kept: the folder of kernels is another user's."""
    from numba.core import caching

    keep = caching.Cache.save_overload

    def try_to_keep(self: Any, *what: Any) -> None:
        with suppress(OSError):
            keep(self, *what)

    setattr(caching.Cache, "save_overload", try_to_keep)  # noqa: B010


def _forbid() -> None:
    """Let the kernel refuse calls (seccomp, Linux 3.17)."""
    rules = pyseccomp.SyscallFilter(pyseccomp.ALLOW)
    for name in _FORBIDDEN:
        try:
            rules.add_rule(pyseccomp.ERRNO(errno.EPERM), name)
        except (ValueError, OSError):
            continue  # this machine's kernel has no such call
    # threads are begun, processes are not; the newer call hides which, and the library then takes
    # the older one
    rules.add_rule(pyseccomp.ERRNO(errno.ENOSYS), "clone3")
    process = pyseccomp.Arg(0, pyseccomp.MASKED_EQ, _CLONE_THREAD, 0)
    rules.add_rule(pyseccomp.ERRNO(errno.EPERM), "clone", process)
    rules.load()
