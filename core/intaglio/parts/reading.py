"""Files of the disk as the source of a study."""

from collections.abc import Sequence
from pathlib import Path

from intaglio.errors import FileRejected
from intaglio.parts.source import Source, together


def source_of(paths: Sequence[Path]) -> Source:
    """Files as one source. Raises FileRejected."""
    files = []
    for path in paths:
        try:
            files.append((path.name, path.read_bytes()))
        except OSError as error:
            raise FileRejected("unreadable", f"{path} cannot be read: {error.strerror}.") from error
    return together(files)
