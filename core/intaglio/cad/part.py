"""A part: the kernel's shape with numbered faces, edges and vertices, and its measures."""

import tempfile
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path
from typing import Any

from OCP.BinTools import BinTools
from OCP.BRepTools import BRepTools
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopExp import TopExp, TopExp_Explorer
from OCP.TopoDS import TopoDS, TopoDS_Edge, TopoDS_Face, TopoDS_Shape, TopoDS_Solid, TopoDS_Vertex
from OCP.TopTools import TopTools_IndexedMapOfShape

import intaglio.cad.kernel  # noqa: F401 (keeps the kernel from printing)


@dataclass(frozen=True)
class Part:
    """A shape of the CAD kernel in `unit` (mm, m, inch …). Numbers of faces start at 0.

    body_names by body; face_names and face_colours (#rrggbb) by face, empty texts where the file
    gives none.
    """

    shape: TopoDS_Shape
    unit: str
    body_names: tuple[str, ...] = ()
    face_names: tuple[str, ...] = ()
    face_colours: tuple[str, ...] = ()

    def _map(self, kind: TopAbs_ShapeEnum) -> TopTools_IndexedMapOfShape:
        shapes = TopTools_IndexedMapOfShape()
        TopExp.MapShapes_s(self.shape, kind, shapes)
        return shapes

    @cached_property
    def face_map(self) -> TopTools_IndexedMapOfShape:
        return self._map(TopAbs_ShapeEnum.TopAbs_FACE)

    @cached_property
    def edge_map(self) -> TopTools_IndexedMapOfShape:
        return self._map(TopAbs_ShapeEnum.TopAbs_EDGE)

    @cached_property
    def vertex_map(self) -> TopTools_IndexedMapOfShape:
        return self._map(TopAbs_ShapeEnum.TopAbs_VERTEX)

    @cached_property
    def tessellations(self) -> dict[tuple[float, float], Any]:
        """What `tessellation.tessellate` made of the part, by deflection; kept there."""
        return {}

    @cached_property
    def faces(self) -> list[TopoDS_Face]:
        m = self.face_map
        return [TopoDS.Face_s(m.FindKey(i + 1)) for i in range(m.Extent())]

    @cached_property
    def edges(self) -> list[TopoDS_Edge]:
        m = self.edge_map
        return [TopoDS.Edge_s(m.FindKey(i + 1)) for i in range(m.Extent())]

    @cached_property
    def vertices(self) -> list[TopoDS_Vertex]:
        m = self.vertex_map
        return [TopoDS.Vertex_s(m.FindKey(i + 1)) for i in range(m.Extent())]

    @cached_property
    def bodies(self) -> list[TopoDS_Shape]:
        """Solids, then sheets: shells in no solid, and faces in no shell."""
        out = []
        for kind, avoid in (
            (TopAbs_ShapeEnum.TopAbs_SOLID, TopAbs_ShapeEnum.TopAbs_SHAPE),
            (TopAbs_ShapeEnum.TopAbs_SHELL, TopAbs_ShapeEnum.TopAbs_SOLID),
            (TopAbs_ShapeEnum.TopAbs_FACE, TopAbs_ShapeEnum.TopAbs_SHELL),
        ):
            walk = TopExp_Explorer(self.shape, kind, avoid)
            while walk.More():
                out.append(walk.Current())
                walk.Next()
        return out

    def body_name(self, body: int) -> str:
        return self.body_names[body] if body < len(self.body_names) else f"body_{body + 1}"

    def face_name(self, face: int) -> str:
        """The file's own name of a face, or an empty text."""
        return self.face_names[face] if face < len(self.face_names) else ""

    def face_colour(self, face: int) -> str:
        return self.face_colours[face] if face < len(self.face_colours) else ""

    @cached_property
    def solids(self) -> list[TopoDS_Solid]:
        m = self._map(TopAbs_ShapeEnum.TopAbs_SOLID)
        return [TopoDS.Solid_s(m.FindKey(i + 1)) for i in range(m.Extent())]


def to_bytes(part: Part) -> bytes:
    """The shape in the kernel's own binary form, for storage only."""
    BRepTools.Clean_s(part.shape)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "shape"
        if not BinTools.Write_s(part.shape, str(path)):
            raise RuntimeError("the CAD kernel could not write the shape")
        return path.read_bytes()


def from_bytes(
    data: bytes,
    unit: str,
    body_names: tuple[str, ...] = (),
    face_names: tuple[str, ...] = (),
    face_colours: tuple[str, ...] = (),
) -> Part:
    """Inverse of to_bytes; faces and bodies keep their numbers."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "shape"
        path.write_bytes(data)
        shape = TopoDS_Shape()
        if not BinTools.Read_s(shape, str(path)):
            raise ValueError("the stored shape cannot be read")
    return Part(shape, unit, body_names, face_names, face_colours)
