"""Sheets standing in solids: cut to what lies inside, and their edges drawn on the walls.

The kernel's general fuse splits solids and sheets by each other; what of a sheet lies in a solid
comes back as an inner face of it, or as a face that two solids share.
"""

from dataclasses import dataclass

from OCP.BRep import BRep_Builder
from OCP.BRepAlgoAPI import BRepAlgoAPI_BuilderAlgo
from OCP.TopAbs import TopAbs_Orientation, TopAbs_ShapeEnum
from OCP.TopoDS import TopoDS, TopoDS_Face, TopoDS_Shape, TopoDS_Solid

from intaglio.cad.history import Origin, listed, origins
from intaglio.cad.measures import centroid, volume
from intaglio.cad.normals import face_normal
from intaglio.cad.part import Part
from intaglio.cad.read import compound, sheet_of
from intaglio.cad.topology import explore
from intaglio.errors import StepFailed


@dataclass(frozen=True)
class Embedded:
    """part: a compound of the solids and of a shell for each sheet; origins by face: (0, face of
    the solids before) or (1, sheet); around: the solid before in which a face of a sheet stands, by
    face; pieces: the solid before that each solid comes from."""

    part: Part
    origins: dict[int, Origin]
    around: dict[int, int]
    pieces: tuple[int, ...]


def embedded(part: Part, sheets: list[list[TopoDS_Face]]) -> Embedded:
    """The solids of a part with faces of sheets standing in them. Raises StepFailed."""
    solids = part.solids
    tool = BRepAlgoAPI_BuilderAlgo()
    tool.SetArguments(listed([*solids, *(f for own in sheets for f in own)]))
    tool.Build()
    if not tool.IsDone():
        raise StepFailed(
            "sheets",
            "The CAD kernel could not place the sheets in the fluid. Mend where they meet each "
            "other or the walls, or leave them out.",
        )
    whole: list[TopoDS_Shape] = []
    pieces: list[int] = []
    # every face in or at a solid, with that solid
    inner: list[TopoDS_Shape] = []
    at: list[tuple[int, TopoDS_Shape]] = []
    for k, solid in enumerate(solids):
        for image in list(tool.Modified(solid)) or [solid]:
            at += [(k, f) for f in explore(image, TopAbs_ShapeEnum.TopAbs_FACE)]
            hull, within = _parted(TopoDS.Solid_s(image))
            whole.append(hull)
            pieces.append(k)
            inner += within
    inside = Part(compound(inner), part.unit).face_map
    for own in sheets:
        standing: list[TopoDS_Shape] = [
            _looking(image, face)
            for face in own
            for image in list(tool.Modified(face)) or [face]
            if inside.Contains(image)
        ]
        if standing:
            whole.append(sheet_of(standing))
    out = Part(compound(whole), part.unit)
    found = origins(tool, out, [part.faces, [f for own in sheets for f in own]])
    sheet_of_face = [k for k, own in enumerate(sheets) for _ in own]
    around = {out.face_map.FindIndex(f) - 1: k for k, f in at}
    return Embedded(
        out,
        {k: (g, sheet_of_face[n] if g else n) for k, (g, n) in found.items()},
        around,
        tuple(pieces),
    )


def _parted(solid: TopoDS_Solid) -> tuple[TopoDS_Shape, list[TopoDS_Shape]]:
    """A solid without what stands in it, and the faces that do."""
    builder = BRep_Builder()
    hull = TopoDS_Solid()
    builder.MakeSolid(hull)
    inner: list[TopoDS_Shape] = []
    for shell in explore(solid, TopAbs_ShapeEnum.TopAbs_SHELL):
        faces = explore(shell, TopAbs_ShapeEnum.TopAbs_FACE)
        if any(f.Orientation() == TopAbs_Orientation.TopAbs_INTERNAL for f in faces):
            inner += faces
        else:
            builder.Add(hull, shell)
    whole = hull if inner else solid
    # the kernel's record of a solid that is kept reversed loses its turn
    return whole if volume(whole) > 0 else whole.Reversed(), inner


def _looking(image: TopoDS_Shape, face: TopoDS_Face) -> TopoDS_Face:
    """A piece of a face, looking the same way."""
    out = TopoDS.Face_s(image.Oriented(TopAbs_Orientation.TopAbs_FORWARD))
    spot = centroid(out)
    if face_normal(out, spot) @ face_normal(face, spot) < 0:
        out = TopoDS.Face_s(out.Reversed())
    return out
