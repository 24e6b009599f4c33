"""Solids of known volume and area, and the way from a solid to a mesh in a test."""

import math
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

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
from intaglio.parts.taking import Source
from intaglio.recipe.plan import MemoryStore, run_to


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


def source(shape: TopoDS_Shape, folder: Path, name: str = "part") -> Source:
    """A shape as the STEP file that an analyst would bring."""
    path = folder / f"{name}.step"
    write_step(shape, path)
    return Source(path.name, path.read_bytes())


def run(
    part: Source, target: str, given: dict[str, dict[str, Any]] | None = None
) -> tuple[dict[str, Any], MemoryStore]:
    """States by stage after a run, without layers unless they are asked for, and the store with the
    products."""
    store = MemoryStore()
    states = run_to(target, part, "test", {**BARE, **(given or {})}, store)
    return {s.stage: s for s in states}, store
