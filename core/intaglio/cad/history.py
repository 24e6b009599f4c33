"""Booleans of the kernel with the source of every face of the result."""

from typing import Any

from OCP.BRepAlgoAPI import BRepAlgoAPI_BooleanOperation, BRepAlgoAPI_Common, BRepAlgoAPI_Cut
from OCP.TopoDS import TopoDS, TopoDS_Shape
from OCP.TopTools import TopTools_ListOfShape

from intaglio.cad.part import Part
from intaglio.errors import StepFailed

# the argument that a face comes from, and its number there
Origin = tuple[int, int]


def listed(shapes: list[TopoDS_Shape]) -> TopTools_ListOfShape:
    """The shapes as the kernel takes them."""
    out = TopTools_ListOfShape()
    for shape in shapes:
        out.Append(shape)
    return out


def combined(how: str, first: Part, second: list[TopoDS_Shape]) -> tuple[Part, dict[int, Origin]]:
    """The first part minus (difference) or common with (intersection) other shapes.

    Origins by face of the result: (0, face of the first part) or (1, face counted over the other
    shapes in turn). Raises StepFailed.
    """
    tool: BRepAlgoAPI_BooleanOperation
    tool = BRepAlgoAPI_Cut() if how == "difference" else BRepAlgoAPI_Common()
    tool.SetArguments(listed([first.shape]))
    tool.SetTools(listed(second))
    tool.Build()
    if not tool.IsDone():
        raise StepFailed("boolean", "The CAD kernel could not cut these shapes.")
    out = Part(tool.Shape(), first.unit, first.body_names)
    if not out.solids:
        raise StepFailed("nothing-left", "Nothing is left of the geometry there.")
    return out, origins(tool, out, [first.faces, [f for s in second for f in Part(s, "").faces]])


def origins(tool: Any, out: Part, sources: list[list[TopoDS_Shape]]) -> dict[int, Origin]:
    """Where each face of a result comes from, by the operation's own record."""
    found: dict[int, Origin] = {}
    for group, faces in enumerate(sources):
        for number, face in enumerate(faces):
            images = list(tool.Modified(face))
            if not images and not tool.IsDeleted(face):
                images = [face]
            for image in images:
                k = out.face_map.FindIndex(TopoDS.Face_s(image)) - 1
                if k >= 0:
                    found.setdefault(k, (group, number))
    return found
