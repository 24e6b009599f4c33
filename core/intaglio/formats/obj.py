"""OBJ files: points, faces of any number of corners, groups."""

import numpy as np
from numpy.typing import NDArray

from intaglio.errors import FileRejected
from intaglio.formats.format import FacetFormat
from intaglio.formats.triangles import TriangleFile, without_nonsense


def obj_bytes(
    points: NDArray[np.float64],
    triangles: NDArray[np.int32],
    group: NDArray[np.int32],
    names: tuple[str, ...],
    title: str,
) -> bytes:
    """Text OBJ, one group per name, double precision."""
    lines = [f"# {title}"]
    lines += [f"v {x:.17g} {y:.17g} {z:.17g}" for x, y, z in points.tolist()]
    for k, name in enumerate(names):
        lines.append(f"g {name}")
        lines += [f"f {a} {b} {c}" for a, b, c in (triangles[group == k] + 1).tolist()]
    return ("\n".join(lines) + "\n").encode()


def read_obj(data: bytes, name: str) -> TriangleFile:
    """Triangles of an OBJ file; faces with more corners are fanned. Raises FileRejected."""
    points: list[list[float]] = []
    triangles: list[tuple[int, int, int]] = []
    group: list[int] = []
    names: list[str] = []
    number: dict[str, int] = {}
    current = "part"
    for count, line in enumerate(data.decode("utf-8", "replace").splitlines(), 1):
        words = line.split()
        if not words:
            continue
        try:
            if words[0] == "v":
                points.append([float(w) for w in words[1:4]])
                if len(points[-1]) != 3:
                    raise ValueError
            elif words[0] in ("g", "o"):
                current = words[1] if len(words) > 1 else "part"
            elif words[0] == "f":
                corners = [int(w.split("/")[0]) for w in words[1:]]
                corners = [c - 1 if c > 0 else len(points) + c for c in corners]
                if current not in number:
                    number[current] = len(names)
                    names.append(current)
                for i in range(1, len(corners) - 1):
                    triangles.append((corners[0], corners[i], corners[i + 1]))
                    group.append(number[current])
        except ValueError as error:
            raise FileRejected(
                "unreadable", f"{name}, line {count}: “{line.strip()[:60]}” is not understood."
            ) from error
    if not triangles:
        raise FileRejected("no-triangles", f"{name} holds no faces.")
    return without_nonsense(
        np.array(points, np.float64).reshape(-1, 3),
        np.array(triangles, np.int64).clip(-1, 2**31 - 1).astype(np.int32),
        np.array(group, np.int32),
        tuple(names),
        [],
    )


FORMAT = FacetFormat(
    "OBJ",
    (".obj",),
    read_obj,
    lambda s: obj_bytes(s.points, s.triangles, s.group, s.names, s.title),
)
