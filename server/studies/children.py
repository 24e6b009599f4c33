"""Children: processes of the sandbox with a line to this one and a folder, and where they come
from."""

import contextlib
import functools
import multiprocessing
import os
import signal
import sys
import tempfile
from collections.abc import Callable
from dataclasses import dataclass
from multiprocessing import forkserver
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

from django.conf import settings

from intaglio.cad.files import CAD_READ
from intaglio.numeric import kernels
from sandbox.confine import Limits, few_words, other_user

# what ends a program that does what none may
_CRASHES = {getattr(signal, f"SIG{name}") for name in ("SEGV", "BUS", "FPE", "ILL", "ABRT", "SYS")}

Act = Callable[[Connection, str, Limits], None]


@dataclass(frozen=True)
class Child:
    """A process, this end of its line, the folder where files go to and fro with a handle on it,
    and whom the process became, if not this user.

    The folder is the child's, which may put a link in its place: files are reached by the handle.
    """

    process: Any
    here: Connection
    folder: Path
    at: int
    user: int | None
    _over: contextlib.ExitStack

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


@functools.cache
def _user() -> int | None:
    """Whom children become."""
    code = (Path(sys.prefix), Path(sys.base_prefix), settings.ROOT / "core")
    return other_user(*code, kernels.folder())


def begun(act: Act) -> Child:
    """A child that does `act`; the caller ends it."""
    context = _context()
    user = _user()
    with contextlib.ExitStack() as over:
        # of one that is stopped, large files would stay
        name = over.enter_context(
            tempfile.TemporaryDirectory(prefix="intaglio-", ignore_cleanup_errors=True)
        )
        if user is not None:
            os.chown(name, user, user)
        at = os.open(name, os.O_RDONLY | os.O_DIRECTORY | os.O_NOFOLLOW)
        over.callback(os.close, at)
        here, there = context.Pipe()
        limits = Limits(settings.JOB_BYTES, settings.JOB_BYTES, user)
        process = context.Process(target=act, args=(there, name, limits), daemon=True)
        process.start()
        there.close()
        return Child(process, here, Path(name), at, user, over.pop_all())
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
