"""Closing a loop of edges with a face: flat where it is flat, else a smooth one through its rim."""

import numpy as np
from OCP.BRep import BRep_Tool
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace, BRepBuilderAPI_MakeWire
from OCP.BRepFill import BRepFill_Filling
from OCP.GeomAbs import GeomAbs_Shape
from OCP.TopAbs import TopAbs_Orientation
from OCP.TopoDS import TopoDS, TopoDS_Edge, TopoDS_Face
from OCP.TopTools import TopTools_ListOfShape

from intaglio.cad.kernel import KERNEL_ERRORS
from intaglio.cad.measures import area
from intaglio.cad.topology import edge_samples
from intaglio.errors import StepFailed
from intaglio.facets.openings import vector_area


def flush_face(edges: list[TopoDS_Edge], host: TopoDS_Face) -> TopoDS_Face | None:
    """A face on the host's own surface inside a loop of its edges, flush with it; None if the
    kernel finds none that is about as large as the loop."""
    loop = _loop(edges)
    tool = BRepBuilderAPI_MakeWire()
    tool.Add(loop)
    if not tool.IsDone():
        return None
    try:
        made = BRepBuilderAPI_MakeFace(BRep_Tool.Surface_s(host), tool.Wire(), True)
    except KERNEL_ERRORS:
        return None
    if not made.IsDone():
        return None
    rim = np.concatenate([edge_samples(e, 17)[:-1] for e in edges])
    wanted = float(np.linalg.norm(vector_area(rim))) if len(edges) == 1 else 0.0
    size = area(made.Face())
    if size <= 0 or (wanted and not 0.8 * wanted < size < 2.0 * wanted):
        return None
    return made.Face()


def _loop(edges: list[TopoDS_Edge]) -> TopTools_ListOfShape:
    loop = TopTools_ListOfShape()
    for edge in edges:
        loop.Append(edge.Oriented(TopAbs_Orientation.TopAbs_FORWARD))
    return loop


def cap_face(edges: list[TopoDS_Edge], beside: list[TopoDS_Face] | None = None) -> TopoDS_Face:
    """A face on a closed loop of edges. Raises StepFailed with the place if none was found.

    beside: the face at each edge; the cap then runs on tangent from them instead of being flat.
    """
    if beside is None:
        tool = BRepBuilderAPI_MakeWire()
        tool.Add(_loop(edges))
        if tool.IsDone():
            flat = BRepBuilderAPI_MakeFace(tool.Wire(), True)
            if flat.IsDone():
                return flat.Face()
    try:
        # with its usual 15 points per edge and two rounds the kernel's filling bulges
        filling = BRepFill_Filling(3, 30, 4)
        for k, edge in enumerate(edges):
            if beside is None:
                filling.Add(edge, GeomAbs_Shape.GeomAbs_C0)
            else:
                filling.Add(edge, beside[k], GeomAbs_Shape.GeomAbs_G1)
        filling.Build()
        if filling.IsDone():
            return TopoDS.Face_s(filling.Face())
    except KERNEL_ERRORS:
        pass
    raise StepFailed(
        "cap",
        "A loop of edges cannot be closed by a face.",
        [edge_samples(edges[0], 3)[1].tolist()],
    )
