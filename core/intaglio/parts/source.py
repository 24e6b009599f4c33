"""The files that a study begins with, as one source. Nothing here loads the CAD kernel."""

import io
import lzma
import re
import struct
import zipfile
import zlib
from dataclasses import dataclass
from pathlib import Path

from intaglio.cad.files import CAD_READ
from intaglio.errors import FileRejected
from intaglio.facets.part import free_name
from intaglio.formats.registry import FACETS_BY_SUFFIX, MESH_BY_SUFFIX

ACCEPTED = (*CAD_READ, *FACETS_BY_SUFFIX, ".zip")
# suffixes of finished meshes
MESHES = tuple(MESH_BY_SUFFIX)
_MOST_FILES = 200
_MOST_BYTES = 2 * 2**30
# a zip's list of what it holds, which is read whole before anything is known of it
_LONGEST_LIST = 4 * 2**20


# what the archive's reader raises for damaged ones
_NO_ZIP = (
    zipfile.BadZipFile, zlib.error, lzma.LZMAError, NotImplementedError, RuntimeError, EOFError,
    ValueError, OSError, struct.error,
)  # fmt: skip


@dataclass(frozen=True)
class Source:
    """The file, or the zip of files, that a study began with."""

    name: str
    data: bytes

    def files(self, most: int = _MOST_BYTES) -> list[tuple[str, bytes]]:
        """The files in it, by name. Raises FileRejected, also where they have more bytes."""
        if not self.name.lower().endswith(".zip"):
            return [(self.name, self.data)]
        try:
            if _list_length(self.data) > _LONGEST_LIST:
                raise FileRejected("too-large", f"{self.name} holds more files than are taken.")
            with zipfile.ZipFile(io.BytesIO(self.data)) as archive:
                entries = [
                    i
                    for i in archive.infolist()
                    if Path(i.filename).suffix.lower() in ACCEPTED[:-1]
                ]
                if len(entries) > _MOST_FILES or sum(i.file_size for i in entries) > most:
                    raise FileRejected(
                        "too-large",
                        f"{self.name} unpacks to more than fits: {_MOST_FILES} files of "
                        f"{most / 2**20:,.0f} MiB in all.",
                    )
                out = [(Path(i.filename).name, archive.read(i)) for i in entries]
        except _NO_ZIP as error:
            raise FileRejected("not-zip", f"{self.name} cannot be unpacked.") from error
        if not out:
            raise FileRejected(
                "no-geometry", f"{self.name} holds no geometry file of a known kind."
            )
        return out


def _list_length(data: bytes) -> int:
    """Bytes of the list at a zip's end, as the archive's reader will take it."""
    record = getattr(zipfile, "_EndRecData")(io.BytesIO(data))  # noqa: B009
    return int(record[getattr(zipfile, "_ECD_SIZE")]) if record else 0  # noqa: B009


def together(files: list[tuple[str, bytes]], most: int = _MOST_BYTES) -> Source:
    """One source of several files, and of those in zips among them; the same bytes for the same
    files. Raises FileRejected, also where the files have more bytes than `most` in all."""
    if len(files) == 1:
        return Source(*files[0])
    held: list[tuple[str, bytes]] = []
    for name, data in files:
        own = Source(name, data).files(most)
        most -= sum(len(data) for _, data in own)
        held += own
    out = io.BytesIO()
    taken: list[str] = []
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as archive:
        for name, data in held:
            path = Path(name)
            taken.append(free_name(path.stem, taken))
            archive.writestr(zipfile.ZipInfo(taken[-1] + path.suffix, (2026, 1, 1, 0, 0, 0)), data)
    return Source(f"{taken[0]}.zip", out.getvalue())


def plain_name(words: str, fallback: str) -> str:
    """A name of letters, digits and underscores, beginning with a letter."""
    out = re.sub(r"[^A-Za-z0-9]+", "_", words).strip("_")
    if not out or not out[0].isalpha():
        out = f"{fallback}_{out}".rstrip("_")
    return out[:28]
