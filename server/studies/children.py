"""Children: processes of the sandbox with a line to this one and a folder, and where they come
from."""

import contextlib
import fcntl
import logging
import multiprocessing
import os
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import dataclass
from multiprocessing import forkserver
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

from django.conf import settings

from intaglio.cad.files import CAD_READ
from intaglio.numeric import kernels
from sandbox.confine import Limits, few_words, missing

# what ends a program that does what none may
_CRASHES = {getattr(signal, f"SIG{name}") for name in ("SEGV", "BUS", "FPE", "ILL", "ABRT", "SYS")}

# how folders of children are called, and for how many seconds nobody need hold one
_FOLDERS, _YOUNG = "intaglio-child-", 60.0
# files and folders that a child may have at a time
_MOST_FILES = 100_000

_UNGUARDED = (
    "This server's kernel has no {}, which keep what reads foreign files from everything else."
)
_NO_JOBS = "So it runs no jobs. Whoever runs it finds in docs/operating.md what it needs."
log = logging.getLogger(__name__)

Act = Callable[[Connection, str, Limits], None]


@dataclass(frozen=True)
class Child:
    """A process, this end of its line, the folder where files go to and fro, and a handle on it.

    The folder is the child's, which may put a link in its place: files are reached by the handle.
    """

    process: Any
    here: Connection
    folder: Path
    at: int
    _over: contextlib.ExitStack

    @property
    def user(self) -> int:
        """The user that the process became, to whom its folder belongs."""
        return os.fstat(self.at).st_uid

    @property
    def holds(self) -> int:
        """Bytes of the files in its folder; without end where they are too many, or too deep."""
        total = seen = 0
        try:
            for _, _, names, folder in os.fwalk(dir_fd=self.at):
                seen += 1 + len(names)
                if seen > _MOST_FILES:
                    return sys.maxsize
                for name in names:
                    with contextlib.suppress(FileNotFoundError):
                        told = os.stat(name, dir_fd=folder, follow_symlinks=False)
                        total += told.st_blocks * 512
        except RecursionError:
            return sys.maxsize
        return total

    @property
    def alive(self) -> bool:
        return bool(self.process.is_alive())

    def stop(self) -> int:
        """End the process; what it ended with."""
        if self.process.is_alive():
            self.process.kill()
        self.process.join()
        return self.process.exitcode or 0

    def end(self) -> None:
        """End the process, and take its folder away."""
        self.stop()
        self.here.close()
        self._over.close()


def unguarded() -> str:
    """In words, where the kernel cannot keep children from what is not theirs, and what follows;
    empty where it can."""
    lacking = " and no ".join(missing())
    if not lacking:
        return ""
    if settings.TRUST_EVERY_FILE:
        return f"{_UNGUARDED.format(lacking)} Whoever runs it has said that they trust every file."
    return f"{_UNGUARDED.format(lacking)} {_NO_JOBS}"


def prepare() -> None:
    """Begin the process that children come from, which has loaded the computation and knows no
    secrets. While that is done, this one has few words in its environment: a server does it before
    it begins threads."""
    _context()


def _context() -> multiprocessing.context.ForkServerContext:
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload(["sandbox.loaded"])
    # a server's threads may look at the environment: it is changed only where it must be
    if not _runs():
        if unguarded():
            log.warning("%s", unguarded())
        if os.geteuid() == 0:
            # children become others
            kernels.let_others_read()
        forget_orphans()
        with few_words():
            forkserver.ensure_running()
    return context


def _runs() -> bool:
    """Whether the process that children come from is there."""
    number = getattr(forkserver, "_forkserver")._forkserver_pid  # noqa: B009
    try:
        words = Path(f"/proc/{number}/stat").read_text()
    except OSError:
        return False
    return words.rpartition(")")[2].split()[0] != "Z"


def forget_orphans() -> None:
    """Remove folders of children whose worker was killed: nobody holds them any more."""
    for folder in Path(tempfile.gettempdir()).glob(f"{_FOLDERS}*"):
        try:
            at = os.open(folder, os.O_RDONLY | os.O_DIRECTORY | os.O_NOFOLLOW)
        except OSError:
            continue  # another user's
        try:
            if time.time() - os.fstat(at).st_ctime > _YOUNG:
                fcntl.flock(at, fcntl.LOCK_EX | fcntl.LOCK_NB)
                subprocess.run(["rm", "-rf", "--", str(folder)], check=False)
        except BlockingIOError:
            continue
        finally:
            os.close(at)


def begun(act: Act) -> Child:
    """A child that does `act`; the caller ends it."""
    context = _context()
    with contextlib.ExitStack() as over:
        name = tempfile.mkdtemp(prefix=_FOLDERS)
        # of one that is stopped, large files would stay; folders in folders without end are no
        # matter for this program, but for that of the system
        over.callback(subprocess.run, ["rm", "-rf", "--", name], check=False)
        at = os.open(name, os.O_RDONLY | os.O_DIRECTORY | os.O_NOFOLLOW)
        over.callback(os.close, at)
        # for as long as this process lives
        fcntl.flock(at, fcntl.LOCK_EX | fcntl.LOCK_NB)
        here, there = context.Pipe()
        limits = Limits(settings.JOB_BYTES, settings.JOB_BYTES, settings.TRUST_EVERY_FILE)
        process = context.Process(target=act, args=(there, name, limits), daemon=True)
        process.start()
        there.close()
        return Child(process, here, Path(name), at, over.pop_all())
    raise AssertionError


def died(file_name: str, where: str, code: int) -> tuple[str, str]:
    """Code and words for a child that ended without a result. where: at what it was, as words that
    follow the file's name."""
    if -code in _CRASHES:
        cad = file_name.lower().endswith(tuple(CAD_READ))
        return (
            "crashed",
            f"{'The CAD kernel' if cad else 'The computation'} crashed on {file_name}{where} "
            f"({signal.Signals(-code).name}); memory was not the cause. Nothing was changed. Mend "
            "the part in the CAD program or export it in another format, and try again.",
        )
    return (
        "died",
        f"The computation ended without a result (signal or exit {code}). It may have needed more "
        "memory than allowed; try larger edges.",
    )
