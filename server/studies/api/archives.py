"""Files as they are sent: one in pieces, or several in a zip that is made while it is sent."""

import asyncio
import io
import zipfile
from collections.abc import AsyncIterator, Iterator, Mapping

import numpy as np
from django.http import StreamingHttpResponse
from django.utils.http import content_disposition_header
from numpy.typing import NDArray

from intaglio.formats.file_names import file_name, inner_path
from studies.api.connections import give_back

_PIECE = 1 << 20
_DAY = (2026, 1, 1, 0, 0, 0)

Bytes = bytes | NDArray[np.uint8]


def sent(pieces: Iterator[bytes], name: str, kind: str) -> StreamingHttpResponse:
    """A reply that is sent while it is made, as a file of a name."""
    response = StreamingHttpResponse(_apart(pieces), content_type=kind)
    response["Content-Disposition"] = content_disposition_header(True, file_name(name))
    return response


async def _apart(pieces: Iterator[bytes]) -> AsyncIterator[bytes]:
    """The pieces, each made beside the loop that serves everybody. Who takes them slowly has no
    connection to the database meanwhile."""
    await give_back()
    while (piece := await asyncio.to_thread(next, pieces, None)) is not None:
        yield piece


def pieces_of(data: Bytes) -> Iterator[bytes]:
    """The bytes of a file in pieces."""
    for start in range(0, len(data), _PIECE):
        piece = data[start : start + _PIECE]
        yield piece if isinstance(piece, bytes) else piece.tobytes()


class _Passing(io.RawIOBase):
    """What is written waits until it is taken."""

    def __init__(self) -> None:
        self.waiting: list[bytes] = []

    def writable(self) -> bool:
        return True

    def write(self, data: object) -> int:
        piece = bytes(data)  # type: ignore[call-overload]
        self.waiting.append(piece)
        return len(piece)

    def take(self) -> bytes:
        out = b"".join(self.waiting)
        self.waiting.clear()
        return out


def _free(path: str, taken: set[str]) -> str:
    """A path that no entry has yet, even where capitals do not count."""
    stem, dot, suffix = path.rpartition(".")
    number, out = 2, path
    while out.lower() in taken:
        out = f"{stem}_{number}.{suffix}" if dot else f"{path}_{number}"
        number += 1
    taken.add(out.lower())
    return out


def zipped(files: Mapping[str, Bytes]) -> Iterator[bytes]:
    """A zip of these files in pieces, in a fixed order and with a fixed date."""
    out = _Passing()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as archive:
        taken: set[str] = set()
        for path, data in files.items():
            info = zipfile.ZipInfo(_free(inner_path(path), taken), _DAY)
            info.compress_type = zipfile.ZIP_DEFLATED
            info.external_attr = 0o644 << 16
            with archive.open(info, "w", force_zip64=len(data) > 2**30) as entry:
                for piece in pieces_of(data):
                    entry.write(piece)
                    if made := out.take():
                        yield made
    yield out.take()
