"""What a model of the set is, and its file."""

from collections.abc import Callable
from dataclasses import dataclass

from OCP.TopoDS import TopoDS_Shape

from intaglio.cad.part import Part
from intaglio.cad.read import compound, scaled
from intaglio.cad.write import step_bytes
from intaglio.facets.part import FacetPart
from intaglio.formats.stl import stl_bytes
from intaglio.parts.kinds import cad
from intaglio.parts.source import Source
from tests.core.shapes import steady


@dataclass(frozen=True)
class Model:
    """make(seed) gives a closed body in mm; `slow`: for the long tests only."""

    name: str
    family: str
    make: Callable[[], TopoDS_Shape | FacetPart]
    slow: bool = False


def source(made: TopoDS_Shape | FacetPart) -> Source:
    """The model's file: STEP for cad(), STL for facets."""
    if isinstance(made, FacetPart):
        return Source("part.stl", stl_bytes(made.points, made.triangles, "part"))
    return Source("part.step", steady(step_bytes(Part(compound([made]), "mm"))))


def grown(shape: TopoDS_Shape, factor: float) -> TopoDS_Shape:
    return scaled(shape, factor)


def as_facets(shape: TopoDS_Shape, share: float) -> FacetPart:
    """A shape as a coarse exporter would write it, off by up to `share` of its diagonal."""
    return cad().facets(Part(compound([shape]), "mm"), share)
