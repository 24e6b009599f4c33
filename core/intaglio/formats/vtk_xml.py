"""Files of the Visualization Toolkit's open XML format: data arrays, written and read.

Written raw and appended: a head in XML names every array with its place; the arrays follow, one
after the other, so that a large file is written in pieces and never stands in memory. Read in
every form that the format knows.
"""

import base64
import mmap
import struct
import zlib
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any, NamedTuple
from xml.etree import ElementTree

import numpy as np
from numpy.typing import NDArray

_TYPES = {"UInt8": "<u1", "Int32": "<i4", "Int64": "<i8", "Float64": "<f8"}
# values that are turned into bytes at a time
_PIECE = 1 << 20


class Named(NamedTuple):
    """An array under its name, of one of the format's types."""

    name: str
    kind: str
    data: NDArray[Any]
    components: int = 1


@dataclass(frozen=True)
class VtkData:
    """What a file holds: its type, how many there are of each (attributes of its piece), arrays by
    the part of the piece, and arrays that belong to no point or cell."""

    type: str
    counts: Mapping[str, int]
    parts: Mapping[str, Sequence[Named]]
    fields: Sequence[Named] = ()


def write_vtk(path: Path, data: VtkData) -> None:
    """Write a file, in pieces."""
    end = 0

    def element(array: Named, more: str = "") -> str:
        nonlocal end
        text = (
            f'<DataArray type="{array.kind}" Name="{array.name}" '
            f'NumberOfComponents="{array.components}" {more}format="appended" offset="{end}"/>'
        )
        end += _bytes(array) + 8
        return text

    counts = " ".join(f'{name}="{count}"' for name, count in data.counts.items())
    head = [
        '<?xml version="1.0"?>',
        f'<VTKFile type="{data.type}" version="1.0" byte_order="LittleEndian" '
        f'header_type="UInt64"><{data.type}><FieldData>',
        *(element(a, f'NumberOfTuples="{len(a.data)}" ') for a in data.fields),
        f"</FieldData><Piece {counts}>",
    ]
    for part, arrays in data.parts.items():
        head += [f"<{part}>", *(element(a) for a in arrays), f"</{part}>"]
    head += [f"</Piece></{data.type}>", '<AppendedData encoding="raw">_']
    with path.open("wb") as file:
        file.write("\n".join(head).encode())
        for array in (*data.fields, *(a for arrays in data.parts.values() for a in arrays)):
            file.write(struct.pack("<Q", _bytes(array)))
            flat = np.ascontiguousarray(array.data).reshape(-1)
            for start in range(0, len(flat), _PIECE):
                piece = flat[start : start + _PIECE].astype(_TYPES[array.kind], copy=False)
                file.write(piece.data.cast("B"))
        file.write(b"\n</AppendedData></VTKFile>\n")


def _bytes(array: Named) -> int:
    return int(array.data.size) * np.dtype(_TYPES[array.kind]).itemsize


def vtk_differences(path: Path, data: VtkData) -> Iterator[str]:
    """What a file says else than was meant, by the names of its arrays."""
    file = VtkFile(path, data.type)
    piece = file.root.find(".//Piece")
    if piece is None or any(piece.get(n) != str(c) for n, c in data.counts.items()):
        yield "how many points or cells there are"
        return
    places = [("FieldData", data.fields), *data.parts.items()]
    for part, arrays in places:
        held = {e.get("Name"): e for e in file.root.findall(f".//{part}/DataArray")}
        if set(held) != {a.name for a in arrays}:
            yield f"the arrays of {part}"
            return
        for array in arrays:
            told = file.read(held[array.name])
            meant = np.ascontiguousarray(array.data).reshape(-1)
            equal_nan = meant.dtype.kind == "f"
            if not np.array_equal(told, meant, equal_nan=equal_nan):
                yield f"{array.name} in {part}"


_KINDS = {
    "Int8": "i1", "UInt8": "u1", "Int16": "i2", "UInt16": "u2", "Int32": "i4", "UInt32": "u4",
    "Int64": "i8", "UInt64": "u8", "Float32": "f4", "Float64": "f8",
}  # fmt: skip


class VtkFile:
    """The data arrays of a file: inline as text or base64, or appended raw or as base64."""

    def __init__(self, path: Path, kind: str = "UnstructuredGrid") -> None:
        with path.open("rb") as file:
            held = mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ)
        mark = held.find(b"<AppendedData")
        self.appended, self.raw = memoryview(b""), True
        head = held[:] if mark < 0 else held[:mark] + b"</VTKFile>"
        if mark >= 0:
            end = held.find(b">", mark)
            self.raw = b"base64" not in held[mark:end]
            first = held.find(b"_", end)
            if end < 0 or first < 0:
                raise ValueError("its appended data do not begin")
            self.appended = memoryview(held)[first + 1 :]
        self.root = ElementTree.fromstring(head)
        if self.root.get("type") != kind:
            raise ValueError(f"its type is not {kind}")
        self.order = ">" if self.root.get("byte_order") == "BigEndian" else "<"
        self.head = np.dtype(
            self.order + ("u8" if self.root.get("header_type") == "UInt64" else "u4")
        )
        self.compressed = self.root.get("compressor")
        if self.compressed not in (None, "vtkZLibDataCompressor"):
            raise ValueError(f"its data are compressed by {self.compressed}")

    def read(self, element: ElementTree.Element) -> NDArray[Any]:
        kind = np.dtype(self.order + _KINDS[element.get("type", "")])
        how = element.get("format")
        if how == "ascii":
            return np.array((element.text or "").split(), dtype=kind)
        if how == "appended":
            at = int(element.get("offset", "0"))
            if at < 0 or at > len(self.appended):
                raise ValueError("data lie beyond the end of the file")
            source = self.appended[at:] if self.raw else bytes(self.appended[at:])
        else:
            source = (element.text or "").strip().encode()
        raw = self._block(source, how == "appended" and self.raw)
        return np.frombuffer(raw, kind, len(raw) // kind.itemsize)

    def _block(self, source: Any, raw: bool) -> bytes:
        size = self.head.itemsize

        def piece(start: int, length: int) -> bytes:
            if not raw:
                return base64.b64decode(source)[start : start + length]
            out = bytes(source[start : start + length])
            if len(out) < length:
                raise ValueError("the file is cut short")
            return out

        if not self.compressed:
            if not raw:
                # the head is encoded together with the data
                source = _base64_run(bytes(source))
            (length,) = np.frombuffer(piece(0, size), self.head)
            out = piece(size, int(length))
            if len(out) < int(length):
                raise ValueError("the file is cut short")
            return out
        return self._inflated(source, raw, size)

    def _inflated(self, source: Any, raw: bool, size: int) -> bytes:
        if not raw:
            # head and blocks are two runs of base64
            text = bytes(source)
            count = int(np.frombuffer(base64.b64decode(text[: 4 * ((size + 2) // 3) ])[:size],
                                      self.head)[0])  # fmt: skip
            length = 4 * ((size * (3 + count) + 2) // 3)
            head = base64.b64decode(text[:length])
            body = base64.b64decode(_base64_run(text[length:]))
        else:
            count = int(np.frombuffer(bytes(source[:size]), self.head)[0])
            head = bytes(source[: size * (3 + count)])
            body = source[size * (3 + count) :]
        sizes = np.frombuffer(head, self.head, count, 3 * size).astype(np.int64)
        ends = np.cumsum(sizes)
        return b"".join(
            zlib.decompress(bytes(body[e - s : e])) for s, e in zip(sizes, ends, strict=True)
        )


def _base64_run(text: bytes) -> bytes:
    """The first run of base64 characters of a text that may go on with something else."""
    end = next((i for i, c in enumerate(text) if c in b"<\n \t_"), len(text))
    return text[:end]
