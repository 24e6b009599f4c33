"""Whether what a command is to write can be written, told before it computes for minutes."""

import argparse
import os
import tempfile
from pathlib import Path

from intaglio.commands.arguments import Command
from intaglio.errors import FileRejected


def check_outputs(command: Command, args: argparse.Namespace) -> None:
    """Raises FileRejected where a file or folder that the command writes cannot be written; the
    folder of a file is made where it is missing."""
    for name in command.files:
        path = getattr(args, name)
        if path is not None:
            _check_file(path)
    for name in command.folders:
        _check_folder(getattr(args, name), getattr(args, name))


def _check_file(path: Path) -> None:
    if path.is_dir():
        raise _refused(path, "it is a folder")
    if not path.parent.is_dir():
        _check_folder(path.parent, path)
        path.parent.mkdir(parents=True)
    if not path.exists():
        _try_in(path.parent, path)
    elif not os.access(path, os.W_OK):
        raise _refused(path, "it may not be changed")


def _check_folder(path: Path, meant: Path) -> None:
    """The folder, or the nearest that is there of those in which it is to be made; meant: what is
    to be written."""
    above = path.absolute()
    while not os.path.lexists(above):
        above = above.parent
    if not above.is_dir():
        raise _refused(meant, f"{above} is no folder")
    _try_in(above, meant)


def _try_in(folder: Path, meant: Path) -> None:
    try:
        with tempfile.TemporaryFile(dir=folder):
            pass
    except OSError as error:
        raise _refused(meant, f"nothing can be written into {folder} ({error.strerror})") from error


def _refused(path: Path, why: str) -> FileRejected:
    return FileRejected("unwritable", f"{path} cannot be written: {why}. Name another place.")
