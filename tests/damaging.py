"""Files of every format that is read, and seeded damage to them: bits flipped, cuts, lies."""

import io
import re
import tempfile
import zipfile
from collections.abc import Callable
from functools import cache
from pathlib import Path

import numpy as np
from OCP.IGESControl import IGESControl_Writer

from intaglio.cad.read import read_cad
from intaglio.cad.write import brep_bytes
from intaglio.facets.part import FacetPart
from intaglio.formats.format import Surface
from intaglio.formats.registry import FACETS_BY_SUFFIX, MESH_BY_SUFFIX
from intaglio.stages.volume import volume_mesh
from tests.core.scans import sphere
from tests.core.shapes import pipe, run, source

Rng = np.random.Generator


@cache
def originals() -> tuple[tuple[str, bytes], ...]:
    """Name and bytes of a good file of each kind."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        step = source(pipe(), folder, "pipe")
        iges = IGESControl_Writer()
        iges.AddShape(pipe())
        iges.Write(str(folder / "pipe.iges"))
        out = {
            "pipe.step": step.data,
            "pipe.iges": (folder / "pipe.iges").read_bytes(),
            "pipe.brep": brep_bytes(read_cad(step.data, step.name)),
        }
        ball = sphere(fine=2)
        group = np.zeros(len(ball.triangles), np.int32)
        surface = Surface(ball.points, ball.triangles, group, ("ball",), "ball")
        for suffix, facets in FACETS_BY_SUFFIX.items():
            out[f"ball{suffix}"] = facets.write(surface)
        out["ball ascii.stl"] = _ascii(ball)
        given = {"sizing": {"smallest": 4.0, "largest": 6.0}}
        states, store = run(step, "volume", given)
        mesh = volume_mesh(store.get(states["volume"].key))
        for suffix, finished in MESH_BY_SUFFIX.items():
            finished.write(mesh, folder / f"pipe{suffix}", {})
            out[f"pipe{suffix}"] = (folder / f"pipe{suffix}").read_bytes()
    held = io.BytesIO()
    with zipfile.ZipFile(held, "w", zipfile.ZIP_DEFLATED) as archive:
        for inner in ("ball.stl", "ball ascii.stl"):
            archive.writestr(inner, out[inner])
    out["both.zip"] = held.getvalue()
    return tuple(out.items())


def _ascii(part: FacetPart) -> bytes:
    rows = ["solid ball"]
    for triangle in part.points[part.triangles]:
        rows.append("facet normal 0 0 0\nouter loop")
        rows += ["vertex " + " ".join(f"{x:.6g}" for x in point) for point in triangle]
        rows.append("endloop\nendfacet")
    return "\n".join([*rows, "endsolid ball\n"]).encode()


def _flips(data: bytearray, rng: Rng) -> bytearray:
    for at in rng.integers(0, len(data), rng.choice([1, 4, 40, 400])):
        data[at] ^= 1 << int(rng.integers(8))
    return data


def _cut(data: bytearray, rng: Rng) -> bytearray:
    return data[: int(len(data) * rng.uniform(0, 1))]


def _hole(data: bytearray, rng: Rng) -> bytearray:
    start = int(rng.integers(len(data)))
    del data[start : start + int(rng.choice([1, 7, 100, 5000]))]
    return data


def _zeros(data: bytearray, rng: Rng) -> bytearray:
    start = int(rng.integers(len(data)))
    for at in range(start, min(start + int(rng.choice([4, 64, 1000])), len(data))):
        data[at] = 0
    return data


def _twice(data: bytearray, rng: Rng) -> bytearray:
    start, size = int(rng.integers(len(data))), int(rng.choice([8, 200, 4000]))
    return data[:start] + data[start : start + size] + data[start:]


_LIES = (b"-1", b"0", b"999999999", b"1e308", b"-1e-308", b"nan", b"2147483648", b"")


def _lie(data: bytearray, rng: Rng) -> bytearray:
    """Numbers that are written out become others; in binary files, words of four bytes."""
    numbers = list(re.finditer(rb"-?\d+(\.\d+)?", bytes(data)))
    if len(numbers) > 40 and rng.random() < 0.7:
        for k in sorted(rng.integers(0, len(numbers), rng.choice([1, 3, 20])), reverse=True):
            data[numbers[k].start() : numbers[k].end()] = _LIES[int(rng.integers(len(_LIES)))]
        return data
    for _ in range(int(rng.choice([1, 5]))):
        # heads are where counts are
        at = int(rng.integers(0, min(len(data) - 4, rng.choice([100, 4000, len(data)]))))
        word = rng.choice([0, 1, 2**31 - 1, 2**32 - 1, int(rng.integers(2**32))])
        data[at : at + 4] = int(word).to_bytes(4, "little")
    return data


DAMAGE: dict[str, Callable[[bytearray, Rng], bytearray]] = {
    "flips": _flips,
    "cut": _cut,
    "hole": _hole,
    "zeros": _zeros,
    "twice": _twice,
    "lie": _lie,
}


def damaged(seed: int) -> tuple[str, str, bytes]:
    """Name, damage and bytes of one damaged file; seeds go round the formats."""
    rng = np.random.default_rng(seed)
    files = originals()
    name, data = files[seed % len(files)]
    kind = str(rng.choice(list(DAMAGE)))
    return name, kind, bytes(DAMAGE[kind](bytearray(data), rng))
