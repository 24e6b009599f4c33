"""STL (stereolithography) files, text and binary. Binary is single precision by its definition."""

import re
import struct
from collections.abc import Iterator
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from intaglio.errors import FileRejected
from intaglio.formats.file_names import distinct
from intaglio.formats.format import FacetFormat
from intaglio.formats.triangles import TriangleFile, without_nonsense
from intaglio.mesh.mesh import Mesh, fan, rows

_RECORD = np.dtype([("normal", "<f4", 3), ("corner", "<f4", (3, 3)), ("rest", "<u2")])
_HEAD = 84
_WORDS = re.compile(rb"endfacet|endloop|facet|normal|outer|loop|vertex")


def stl_bytes(points: NDArray[np.float64], triangles: NDArray[np.int32], title: str) -> bytes:
    """Binary STL of triangles (m, 3)."""
    p = points[triangles]
    normal = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    length = np.linalg.norm(normal, axis=1)
    record = np.zeros(len(triangles), _RECORD)
    record["normal"] = normal / np.where(length > 0, length, 1.0)[:, None]
    record["corner"] = p
    return title.encode()[:80].ljust(80) + struct.pack("<I", len(triangles)) + record.tobytes()


def write_patches(mesh: Mesh, folder: Path) -> None:
    """Write `NAME.stl` for each patch into a folder, normals out of the fluid; wider faces are
    split."""
    folder.mkdir(parents=True, exist_ok=True)
    files = distinct([patch.name for patch in mesh.patches])
    for k, patch in enumerate(mesh.patches):
        title = f"{patch.name} in {mesh.unit}"
        data = stl_bytes(mesh.points, _patch_triangles(mesh, k), title)
        (folder / f"{files[k]}.stl").write_bytes(data)


def patch_differences(mesh: Mesh, folder: Path) -> Iterator[str]:
    """What the files of patches say else than the mesh, in the format's single precision."""
    files = distinct([patch.name for patch in mesh.patches])
    for k, patch in enumerate(mesh.patches):
        data = (folder / f"{files[k]}.stl").read_bytes()
        triangles = _patch_triangles(mesh, k)
        count = struct.unpack_from("<I", data, 80)[0]
        if count != len(triangles) or len(data) != _HEAD + _RECORD.itemsize * count:
            yield f"how many triangles {patch.name} has"
            continue
        corner = np.frombuffer(data, _RECORD, count, _HEAD)["corner"]
        if not np.array_equal(corner, mesh.points[triangles].astype("<f4")):
            yield f"triangles of {patch.name}"


def _patch_triangles(mesh: Mesh, patch: int) -> NDArray[np.int32]:
    own = rows(mesh.face_start, mesh.face_nodes, np.flatnonzero(mesh.patch == patch))
    return fan(*own)[0]


def read_stl(data: bytes, name: str) -> TriangleFile:
    """Triangles of an STL file; each text solid is a group. Raises FileRejected."""
    if len(data) >= _HEAD:
        count = struct.unpack_from("<I", data, 80)[0]
        # many binary files begin with the text's first word: the length decides
        if len(data) == _HEAD + _RECORD.itemsize * count:
            return _binary(data, count)
    text = data[:2048].lstrip().lower()
    if text.startswith(b"solid") and (b"facet" in text or b"endsolid" in text):
        return _text(data, name)
    if len(data) >= _HEAD + _RECORD.itemsize and b"\0" in data[:4096]:
        return _binary(data, count)
    raise FileRejected(
        "not-stl",
        f"{name} is neither a text nor a binary STL file. Export the triangles again.",
    )


def _binary(data: bytes, count: int) -> TriangleFile:
    whole = min(count, (len(data) - _HEAD) // _RECORD.itemsize)
    problems = []
    if whole < count:
        problems.append(
            (
                "cut-short",
                f"The file promises {count:,} triangles and holds {whole:,}: it is cut short.",
            )
        )
    beyond = len(data) - _HEAD - _RECORD.itemsize * count
    if beyond >= _RECORD.itemsize:
        problems.append(
            (
                "more-than-told",
                f"The file tells {count:,} triangles and holds room for "
                f"{beyond // _RECORD.itemsize:,} more, which were left out: its head is wrong.",
            )
        )
    corner = np.frombuffer(data, _RECORD, whole, _HEAD)["corner"].reshape(-1, 3)
    triangles = np.arange(3 * whole, dtype=np.int32).reshape(-1, 3)
    return without_nonsense(
        corner.astype(np.float64), triangles, np.zeros(whole, np.int32), ("solid",), problems
    )


def _text(data: bytes, name: str) -> TriangleFile:
    problems: list[tuple[str, str]] = []
    corners, groups = [], []
    names: list[str] = []
    if not re.search(rb"endsolid", data[-4096:], re.IGNORECASE):
        problems.append(("cut-short", "The file is cut short: its last line is missing."))
    for part in re.split(rb"(?im)^[ \t]*solid\b", data)[1:]:
        title, _, body = part.partition(b"\n")
        body, end, _ = body.lower().partition(b"endsolid")
        if not end:
            # cut short: up to the last triangle that is whole
            body = body[: max(0, body.rfind(b"endfacet"))]
        numbers = _WORDS.sub(b" ", body)
        try:
            values = np.fromstring(numbers.decode("ascii", "replace"), dtype=np.float64, sep=" ")
        except ValueError as error:
            raise FileRejected(
                "unreadable", f"{name} has words among its numbers where none belong."
            ) from error
        rest = len(values) % 12
        if rest:
            values = values[: len(values) - rest]
            if not problems:
                problems.append(("cut-short", "A triangle of the file is not complete."))
        corners.append(values.reshape(-1, 4, 3)[:, 1:].reshape(-1, 3))
        groups.append(len(values) // 12)
        words = title.decode("utf-8", "replace").strip()
        names.append(words.split()[0] if words else f"solid_{len(names) + 1}")
    if not sum(groups):
        raise FileRejected("no-triangles", f"{name} holds no triangles.")
    points = np.concatenate(corners)
    return without_nonsense(
        points,
        np.arange(len(points), dtype=np.int32).reshape(-1, 3),
        np.repeat(np.arange(len(groups)), groups).astype(np.int32),
        tuple(names),
        problems,
    )


FORMAT = FacetFormat(
    "STL",
    (".stl",),
    read_stl,
    lambda s: stl_bytes(s.points, s.triangles, s.title),
)
