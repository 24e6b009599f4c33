"""A flat section of a solid, drawn out to a slab one cell thick."""

import numpy as np
from OCP.BRepAlgoAPI import BRepAlgoAPI_Common
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace
from OCP.BRepPrimAPI import BRepPrimAPI_MakePrism
from OCP.gp import gp_Dir, gp_Pln, gp_Pnt, gp_Vec
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopoDS import TopoDS

from intaglio.cad.measures import bounds, volume
from intaglio.cad.part import Part
from intaglio.cad.read import compound
from intaglio.cad.topology import edge_samples, explore, point_distance
from intaglio.errors import StepFailed


def cad_section(part: Part, axis: int, at: float, thickness: float) -> tuple[Part, list[int | str]]:
    """The slab, and per face the number of the part's face that it continues, or front or back.

    The slab reaches from the plane along the positive axis; where the section falls into pieces it
    has all of them. Raises StepFailed if the plane misses the part.
    """
    low, high = bounds(part.shape)
    scale = float(np.linalg.norm(high - low))
    normal = np.zeros(3)
    normal[axis] = 1.0
    point = 0.5 * (low + high)
    point[axis] = at
    plane = gp_Pln(gp_Pnt(*(float(x) for x in point)), gp_Dir(*(float(x) for x in normal)))
    sheet = BRepBuilderAPI_MakeFace(plane, -2 * scale, 2 * scale, -2 * scale, 2 * scale).Face()
    common = BRepAlgoAPI_Common(sheet, part.shape)
    flat = explore(common.Shape(), TopAbs_ShapeEnum.TopAbs_FACE) if common.IsDone() else []
    if not flat:
        raise StepFailed(
            "no-section",
            f"The plane at {at:g} does not meet the fluid, which reaches from {low[axis]:g} to "
            f"{high[axis]:g}.",
        )
    vector = gp_Vec(*(float(x) for x in thickness * normal))
    slabs = [BRepPrimAPI_MakePrism(face, vector).Shape() for face in flat]
    slabs = [s.Reversed() if volume(s) < 0 else s for s in slabs]
    solids = [b for s in slabs for b in explore(s, TopAbs_ShapeEnum.TopAbs_SOLID)]
    out = Part(compound(solids), part.unit)
    sources: list[int | str] = []
    for face in out.faces:
        edges = explore(face, TopAbs_ShapeEnum.TopAbs_EDGE)
        points = np.concatenate([edge_samples(TopoDS.Edge_s(e), 5) for e in edges])
        height = points[:, axis] - at
        if np.ptp(height) < 1e-9 * scale:
            sources.append("front" if abs(height[0]) < 0.5 * thickness else "back")
            continue
        rim = points[np.abs(height) < 1e-9 * scale]
        spot = rim[len(rim) // 2]
        apart = [point_distance(spot, f) for f in part.faces]
        sources.append(int(np.argmin(apart)))
    return out, sources
