"""PLY (polygon file format) files, text and binary."""

import numpy as np
from numpy.typing import NDArray

from intaglio.errors import FileRejected
from intaglio.formats.format import FacetFormat
from intaglio.formats.triangles import TriangleFile, without_nonsense

_TYPES = {
    "char": "i1",
    "int8": "i1",
    "uchar": "u1",
    "uint8": "u1",
    "short": "i2",
    "int16": "i2",
    "ushort": "u2",
    "uint16": "u2",
    "int": "i4",
    "int32": "i4",
    "uint": "u4",
    "uint32": "u4",
    "float": "f4",
    "float32": "f4",
    "double": "f8",
    "float64": "f8",
}


def ply_bytes(points: NDArray[np.float64], triangles: NDArray[np.int32], title: str) -> bytes:
    """Binary little-endian PLY, double precision."""
    head = (
        f"ply\nformat binary_little_endian 1.0\ncomment {title}\n"
        f"element vertex {len(points)}\n"
        "property double x\nproperty double y\nproperty double z\n"
        f"element face {len(triangles)}\nproperty list uchar int vertex_indices\nend_header\n"
    )
    faces = np.zeros(len(triangles), np.dtype([("n", "u1"), ("v", "<i4", 3)]))
    faces["n"] = 3
    faces["v"] = triangles
    return head.encode() + points.astype("<f8").tobytes() + faces.tobytes()


def _header(data: bytes, name: str) -> tuple[str, list[tuple[str, int, list[list[str]]]], int]:
    end = data.find(b"end_header")
    if not data.startswith(b"ply") or end < 0:
        raise FileRejected("not-ply", f"{name} is not a PLY file: its header is missing.")
    form = ""
    elements: list[tuple[str, int, list[list[str]]]] = []
    for line in data[:end].decode("ascii", "replace").splitlines():
        words = line.split()
        if not words:
            continue
        try:
            if words[0] == "format":
                form = words[1]
            elif words[0] == "element":
                elements.append((words[1], int(words[2]), []))
            elif words[0] == "property":
                elements[-1][2].append(words[1:])
        except (IndexError, ValueError) as error:
            raise FileRejected(
                "unreadable", f"{name}: the header line “{line}” is wrong."
            ) from error
    body = data.index(b"\n", end) + 1 if b"\n" in data[end : end + 14] else len(data)
    return form, elements, body


def read_ply(data: bytes, name: str) -> TriangleFile:
    """Triangles of a PLY file; faces with more corners are fanned. Raises FileRejected."""
    form, elements, body = _header(data, name)
    problems: list[tuple[str, str]] = []
    points = np.zeros((0, 3))
    corners: list[NDArray[np.int64]] = []
    if form not in ("ascii", "binary_little_endian", "binary_big_endian"):
        raise FileRejected("unreadable", f"{name}: its format “{form}” is unknown.")
    text = data[body:].split() if form == "ascii" else []
    order = ">" if form == "binary_big_endian" else "<"
    at = 0 if form == "ascii" else body
    try:
        for element, count, properties in elements:
            if any(p[0] == "list" for p in properties):
                rows, at = (
                    _text_lists(text, at, count, properties)
                    if form == "ascii"
                    else _binary_lists(data, at, count, properties, order)
                )
                if element == "face":
                    corners = rows
                if len(rows) < count:
                    problems.append(
                        (
                            "cut-short",
                            f"The file promises {count:,} faces and holds {len(rows):,}: "
                            "it is cut short.",
                        )
                    )
                    break
                continue
            names = [p[1] for p in properties]
            if form == "ascii":
                width = len(properties)
                whole = min(count, (len(text) - at) // max(width, 1))
                table = np.array(text[at : at + whole * width], np.float64).reshape(whole, width)
                at += whole * width
                columns = {n: table[:, k] for k, n in enumerate(names)}
            else:
                kind = np.dtype([(p[1], order + _TYPES[p[0]]) for p in properties])
                whole = min(count, (len(data) - at) // max(kind.itemsize, 1))
                rows_ = np.frombuffer(data, kind, whole, at)
                at += whole * kind.itemsize
                columns = {n: rows_[n].astype(np.float64) for n in names}
            if element == "vertex":
                points = np.stack([columns[c] for c in "xyz"], axis=1)
            if whole < count:
                problems.append(
                    (
                        "cut-short",
                        f"The file promises {count:,} of {element} and holds {whole:,}: "
                        "it is cut short.",
                    )
                )
                break
    except (KeyError, ValueError, IndexError) as error:
        raise FileRejected("unreadable", f"{name}: its records cannot be read.") from error
    if len(corners) and all(len(c) == 3 for c in corners):
        triangles = np.array(corners)
    else:
        fans = [
            np.stack([np.full(len(c) - 2, c[0]), c[1:-1], c[2:]], axis=1)
            for c in corners
            if len(c) > 2
        ]
        triangles = np.concatenate(fans) if fans else np.zeros((0, 3), np.int64)
    if not len(triangles) and problems:
        raise FileRejected("cut-short", f"{name}: {problems[0][1]} Copy it again.")
    if not len(triangles):
        raise FileRejected("no-triangles", f"{name} holds no faces.")
    all_triangles = triangles.clip(-1, 2**31 - 1).astype(np.int32)
    return without_nonsense(
        points, all_triangles, np.zeros(len(all_triangles), np.int32), ("part",), problems
    )


def _text_lists(
    text: list[bytes], at: int, count: int, properties: list[list[str]]
) -> tuple[list[NDArray[np.int64]], int]:
    rows: list[NDArray[np.int64]] = []
    for _ in range(count):
        row = np.zeros(0, np.int64)
        for p in properties:
            if at >= len(text):
                return rows, at
            if p[0] == "list":
                n = int(text[at])
                if n < 0 or at + 1 + n > len(text):
                    return rows, at
                row = np.array(text[at + 1 : at + 1 + n], np.float64).astype(np.int64)
                at += 1 + n
            else:
                at += 1
        rows.append(row)
    return rows, at


def _binary_lists(
    data: bytes, at: int, count: int, properties: list[list[str]], order: str
) -> tuple[list[NDArray[np.int64]], int]:
    if len(properties) == 1:
        # the usual case: every face a triangle, read at once
        kind = np.dtype(
            [("n", order + _TYPES[properties[0][1]]), ("v", order + _TYPES[properties[0][2]], 3)]
        )
        whole = min(count, (len(data) - at) // kind.itemsize)
        table = np.frombuffer(data, kind, whole, at)
        if whole == count and (table["n"] == 3).all():
            return list(table["v"].astype(np.int64)), at + whole * kind.itemsize
    rows: list[NDArray[np.int64]] = []
    for _ in range(count):
        row = np.zeros(0, np.int64)
        for p in properties:
            if p[0] != "list":
                at += np.dtype(_TYPES[p[0]]).itemsize
                continue
            size = np.dtype(order + _TYPES[p[1]])
            if at + size.itemsize > len(data):
                return rows, at
            n = int(np.frombuffer(data, size, 1, at)[0])
            at += size.itemsize
            item = np.dtype(order + _TYPES[p[2]])
            if n < 0 or at + n * item.itemsize > len(data):
                return rows, at
            row = np.frombuffer(data, item, n, at).astype(np.int64)
            at += n * item.itemsize
        if at > len(data):
            return rows, at
        rows.append(row)
    return rows, at


FORMAT = FacetFormat(
    "PLY",
    (".ply",),
    read_ply,
    lambda s: ply_bytes(s.points, s.triangles, s.title),
)
