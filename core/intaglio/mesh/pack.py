"""Arrays and a JSON header as one block of bytes: for storage and for the page.

Layout: `INTG`, uint32 length of the header, the header as UTF-8 JSON padded to 8 bytes, then each
array, little-endian, padded to 8 bytes. The header has `meta` and `arrays`: a list of
{name, dtype, shape, offset} with offsets from the end of the header.
"""

import json
import struct
from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

_MAGIC = b"INTG"


def pack(arrays: Mapping[str, NDArray[Any]], meta: Any = None) -> bytes:
    """Bytes of named arrays and a JSON-able meta."""
    entries, parts, offset = [], [], 0
    for name, array in arrays.items():
        array = np.ascontiguousarray(array)
        if array.dtype.byteorder == ">":
            array = array.astype(array.dtype.newbyteorder("<"))
        data = array.tobytes()
        entries.append(
            {"name": name, "dtype": array.dtype.str, "shape": array.shape, "offset": offset}
        )
        pad = -len(data) % 8
        parts.append(data + b"\0" * pad)
        offset += len(data) + pad
    header = json.dumps({"meta": meta, "arrays": entries}, separators=(",", ":")).encode()
    header += b" " * (-(len(header) + 8) % 8)
    return b"".join([_MAGIC, struct.pack("<I", len(header)), header, *parts])


def unpack(data: bytes | bytearray) -> tuple[dict[str, NDArray[Any]], Any]:
    """Inverse of pack; arrays are views, read-only of bytes. Raises ValueError for other data."""
    if data[:4] != _MAGIC:
        raise ValueError("not a block of packed arrays")
    (length,) = struct.unpack_from("<I", data, 4)
    header = json.loads(data[8 : 8 + length])
    base = 8 + length
    arrays = {}
    for e in header["arrays"]:
        dtype = np.dtype(e["dtype"])
        count = int(np.prod(e["shape"], dtype=np.int64))
        arrays[e["name"]] = np.frombuffer(data, dtype, count, base + e["offset"]).reshape(
            e["shape"]
        )
    return arrays, header["meta"]
