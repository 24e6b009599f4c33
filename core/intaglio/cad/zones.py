"""Several zones at once: every space and every body as a solid of its own, sharing their faces.

The kernel's general fuse makes all volumes that the faces bound; each is then told apart by what
lies at a point inside it: a body's material, or a space.
"""

from dataclasses import dataclass

import numpy as np
from OCP.BOPAlgo import BOPAlgo_MakerVolume
from OCP.TopoDS import TopoDS, TopoDS_Face, TopoDS_Shape, TopoDS_Solid

from intaglio.cad.domain import any_inside, contains
from intaglio.cad.history import origins
from intaglio.cad.measures import bounds, volume
from intaglio.cad.part import Part
from intaglio.cad.read import compound
from intaglio.errors import StepFailed


@dataclass(frozen=True)
class ZonedFluid:
    """part: a compound with a solid per zone, faces shared; kinds: fluid or solid, by zone; caps:
    opening number of faces that close one; sides: zones (one or two) of each face."""

    part: Part
    kinds: tuple[str, ...]
    caps: dict[int, int]
    sides: tuple[tuple[int, ...], ...]


def zoned_fluid(
    part: Part,
    caps: list[TopoDS_Face],
    pins: list[tuple[str, list[float]]],
    keep: list[str],
) -> ZonedFluid:
    """Zones at the pins, and bodies kept as solid zones. Raises StepFailed for a pin in material or
    in no closed space."""
    from OCP.TopTools import TopTools_ListOfShape

    arguments = TopTools_ListOfShape()
    for solid in part.solids:
        arguments.Append(solid)
    for cap in caps:
        arguments.Append(cap)
    tool = BOPAlgo_MakerVolume()
    tool.SetArguments(arguments)
    tool.SetIntersect(True)
    tool.SetAvoidInternalShapes(True)
    tool.Perform()
    if tool.HasErrors():
        raise StepFailed("zones", "The CAD kernel could not tell the spaces of the bodies apart.")
    cells = [TopoDS.Solid_s(s) for s in Part(tool.Shape(), part.unit).solids]
    low, high = bounds(part.shape)
    tolerance = 1e-7 * float(np.linalg.norm(high - low))
    material = [_material(part, cell, tolerance) for cell in cells]
    zones: list[tuple[str, str, TopoDS_Solid]] = []
    taken: set[int] = set()
    for name, at in pins:
        spot = np.array(at, float)
        inside = [k for k, c in enumerate(cells) if contains(c, spot, tolerance)]
        if inside and material[inside[0]] >= 0:
            raise StepFailed(
                "pin-in-solid",
                f"The pin of {name} lies in {part.body_name(material[inside[0]])}. "
                "Move it into the space where fluid is.",
                [list(at)],
            )
        if not inside:
            raise StepFailed(
                "pin-outside",
                f"The pin of {name} does not lie in a closed space. Move it, or close the openings "
                "around it.",
                [list(at)],
            )
        if inside[0] in taken:
            raise StepFailed(
                "same-space", f"The pin of {name} lies in the space of another pin.", [list(at)]
            )
        taken.add(inside[0])
        zones.append((name, "fluid", cells[inside[0]]))
    for k, cell in enumerate(cells):
        if material[k] >= 0 and (part.body_name(material[k]) in keep or "*" in keep):
            zones.append((part.body_name(material[k]), "solid", cell))
    shapes: list[TopoDS_Shape] = [z[2] for z in zones]
    body = Part(compound(shapes), part.unit, tuple(z[0] for z in zones))
    found = origins(tool, body, [[f for s in part.solids for f in Part(s, "").faces], list(caps)])
    sides: list[list[int]] = [[] for _ in body.faces]
    for z, shape in enumerate(shapes):
        for face in Part(shape, part.unit).faces:
            sides[body.face_map.FindIndex(face) - 1].append(z)
    return ZonedFluid(
        body,
        tuple(z[1] for z in zones),
        {k: number for k, (group, number) in found.items() if group == 1},
        tuple(tuple(s) for s in sides),
    )


def _material(part: Part, cell: TopoDS_Solid, tolerance: float) -> int:
    """The body whose material a cell is, the smallest of them, or -1 for a space."""
    spot = any_inside(cell, tolerance)
    if spot is None:
        return -1
    holding = [k for k, s in enumerate(part.solids) if contains(s, spot, tolerance)]
    return min(holding, key=lambda k: volume(part.solids[k])) if holding else -1
