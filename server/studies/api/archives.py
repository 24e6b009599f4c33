"""Files as they are sent: one in pieces, or several in a zip that is made while it is sent."""

import asyncio
import io
import zipfile
from collections.abc import AsyncIterator, Iterator, Mapping

import numpy as np
from django.http import StreamingHttpResponse
from numpy.typing import NDArray

_PIECE = 1 << 20
_DAY = (2026, 1, 1, 0, 0, 0)

Bytes = bytes | NDArray[np.uint8]


def sent(pieces: Iterator[bytes], name: str, kind: str) -> StreamingHttpResponse:
    """A reply that is sent while it is made, as a file of a name."""
    response = StreamingHttpResponse(_apart(pieces), content_type=kind)
    response["Content-Disposition"] = f'attachment; filename="{name}"'
    return response


async def _apart(pieces: Iterator[bytes]) -> AsyncIterator[bytes]:
    """The pieces, each made beside the loop that serves everybody."""
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


def zipped(files: Mapping[str, Bytes]) -> Iterator[bytes]:
    """A zip of these files in pieces, in a fixed order and with a fixed date."""
    out = _Passing()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as archive:
        for path, data in files.items():
            info = zipfile.ZipInfo(path, _DAY)
            info.compress_type = zipfile.ZIP_DEFLATED
            info.external_attr = 0o644 << 16
            with archive.open(info, "w", force_zip64=len(data) > 2**30) as entry:
                for piece in pieces_of(data):
                    entry.write(piece)
                    if made := out.take():
                        yield made
    yield out.take()
