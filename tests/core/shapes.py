"""Solids of known volume and area, and the way from a solid to a mesh in a test."""

import math
import re
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import pytest
from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut, BRepAlgoAPI_Fuse
from OCP.BRepPrimAPI import (
    BRepPrimAPI_MakeBox,
    BRepPrimAPI_MakeCone,
    BRepPrimAPI_MakeCylinder,
    BRepPrimAPI_MakeSphere,
    BRepPrimAPI_MakeTorus,
)
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt
from OCP.TopoDS import TopoDS_Shape

from intaglio.cad.step import write_step
from intaglio.parts.source import Source
from intaglio.recipe.plan import run_to
from tests.made import SharedStore


def box(x0, y0, z0, x1, y1, z1) -> TopoDS_Shape:
    return BRepPrimAPI_MakeBox(gp_Pnt(x0, y0, z0), gp_Pnt(x1, y1, z1)).Shape()


def cylinder(at, along, r, h) -> TopoDS_Shape:
    return BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(*at), gp_Dir(*along)), r, h).Shape()


def cut(a, b) -> TopoDS_Shape:
    return BRepAlgoAPI_Cut(a, b).Shape()


def fuse(a, b) -> TopoDS_Shape:
    return BRepAlgoAPI_Fuse(a, b).Shape()


def pipe(outer: float = 10.0, inner: float = 7.0, length: float = 60.0) -> TopoDS_Shape:
    """A straight pipe along x: two openings, one space."""
    return cut(
        cylinder((0, 0, 0), (1, 0, 0), outer, length),
        cylinder((-1, 0, 0), (1, 0, 0), inner, length + 2),
    )


@dataclass(frozen=True)
class Solid:
    """A solid with its closed-form volume and area."""

    name: str
    make: Callable[[], TopoDS_Shape]
    volume: float
    area: float


SOLIDS = (
    Solid("box", lambda: box(0, 0, 0, 1, 2, 3), 6.0, 22.0),
    Solid(
        "cylinder",
        lambda: cylinder((0, 0, 0), (0, 0, 1), 1, 5),
        5 * math.pi,
        2 * math.pi + 10 * math.pi,
    ),
    Solid("sphere", lambda: BRepPrimAPI_MakeSphere(1.5).Shape(), 4.5 * math.pi, 9 * math.pi),
    Solid("torus", lambda: BRepPrimAPI_MakeTorus(3, 1).Shape(), 6 * math.pi**2, 12 * math.pi**2),
    Solid(
        "cone",
        lambda: BRepPrimAPI_MakeCone(1, 0, 2).Shape(),
        2 * math.pi / 3,
        math.pi * (1 + math.sqrt(5)),
    ),
)


# walls of fluids get layers if nobody says otherwise
BARE: dict[str, dict[str, Any]] = {"layers": {"layers": []}}


def steady(step: bytes) -> bytes:
    """A STEP file without the time when it was written and the count of files written before: the
    same shape is the same file, and so has the same products."""
    step = re.sub(rb"'\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d'", b"'2001-01-01T00:00:00'", step, count=1)
    return re.sub(rb"(STEP translator [\d.]+) \d+'", rb"\1'", step)


def source(shape: TopoDS_Shape, folder: Path, name: str = "part") -> Source:
    """A shape as the STEP file that an analyst would bring."""
    path = folder / f"{name}.step"
    write_step(shape, path)
    return Source(path.name, steady(path.read_bytes()))


# as Domain would say of a part for which any edge makes the usual number of cells
_AIM = {
    "largest": 1.0, "wall": 0.0, "fine": 0.0, "feature": 0.0, "why": "none",
    "scales": [[1.0, 300_000.0]],
}  # fmt: skip


@contextmanager
def uncounted() -> Iterator[SharedStore]:
    """A store for runs in which all sizes are given, or none are wanted: Domain counts no cells at
    several scales, which is most of its time and which no size then follows from."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("intaglio.stages.domain.step.aim", lambda fluid, volume, radius: _AIM)
        yield SharedStore("uncounted")


@contextmanager
def store_for(given: Mapping[str, Mapping[str, Any]]) -> Iterator[SharedStore]:
    """A store for a run with these settings: uncounted, if they give both limits of the sizes."""
    if {"smallest", "largest"} <= given.get("sizing", {}).keys():
        with uncounted() as store:
            yield store
    else:
        yield SharedStore()


def run(
    part: Source, target: str, given: dict[str, dict[str, Any]] | None = None
) -> tuple[dict[str, Any], SharedStore]:
    """States by stage after a run, without layers unless they are asked for, and the store with the
    products."""
    given = {**BARE, **(given or {})}
    with store_for(given) as store:
        states = run_to(target, part, "test", given, store)
    return {s.stage: s for s in states}, store
