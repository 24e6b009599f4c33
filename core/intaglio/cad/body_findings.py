"""Findings about bodies of CAD: doubled, overlapping, inside each other, loose, no solid."""

import numpy as np
from OCP.Bnd import Bnd_Box
from OCP.BRepAlgoAPI import BRepAlgoAPI_Common
from OCP.BRepBndLib import BRepBndLib
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeSolid
from OCP.BRepClass3d import BRepClass3d
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopoDS import TopoDS, TopoDS_Shape

from intaglio.cad.domain import any_inside, contains
from intaglio.cad.duplicates import body_of_face, twin_bodies
from intaglio.cad.face_names import diagonal
from intaglio.cad.measures import bounds, centroid, volume
from intaglio.cad.part import Part
from intaglio.cad.topology import (
    Use,
    explore,
)
from intaglio.findings import PLACES, Finding, offer, two_digits


def box_of(shape: TopoDS_Shape) -> Bnd_Box:
    box = Bnd_Box()
    BRepBndLib.Add_s(shape, box, False)
    return box


def body_findings(part: Part, scale: float) -> list[Finding]:
    found = []
    bodies = part.bodies
    if len(bodies) < 2:
        return []
    twins = twin_bodies(part, scale)
    centre = [centroid(b).tolist() for b in bodies]
    if twins:
        found.append(
            Finding(
                "duplicate-bodies",
                "error",
                f"Bodies that lie exactly on another: {_names(part, twins)}.",
                len(twins),
                [centre[k] for k in twins[:PLACES]],
                "Drop the copies.",
                cause="The same body was exported twice.",
                repairs=[offer("Drop the copies", "drop_duplicates")],
            )
        )
    solid = [
        k
        for k, b in enumerate(bodies)
        if b.ShapeType() == TopAbs_ShapeEnum.TopAbs_SOLID and k not in twins
    ]
    boxes = {k: box_of(bodies[k]) for k in solid}
    overlap, inside = [], []
    for i, a in enumerate(solid):
        for b in solid[i + 1 :]:
            if boxes[a].IsOut(boxes[b]):
                continue
            small, large = sorted((a, b), key=lambda k: abs(volume(bodies[k])))
            common = BRepAlgoAPI_Common(bodies[small], bodies[large])
            shared = volume(common.Shape()) if common.IsDone() else 0.0
            own = abs(volume(bodies[small]))
            if shared > (1 - 1e-6) * own:
                inside.append(small)
            elif shared > 1e-7 * own:
                overlap.append((small, large, shared, centroid(common.Shape()).tolist()))
            elif _enclosed(bodies[small], bodies[large], scale):
                inside.append(small)
    if overlap:
        found.append(
            Finding(
                "overlapping-bodies",
                "error",
                "Pairs of bodies that run into each other.",
                len(overlap),
                [o[3] for o in overlap[:PLACES]],
                "Unite them.",
                size=float(max(o[2] for o in overlap)),
                measure=f"{part.unit}³ shared at the most",
                cause="Parts of an assembly were drawn into each other.",
                repairs=[offer("Unite the bodies", "union")],
            )
        )
    if inside:
        found.append(
            Finding(
                "body-inside",
                "caution",
                f"Bodies wholly inside others: {_names(part, inside)}.",
                len(inside),
                [centre[k] for k in inside[:PLACES]],
                "Drop them if the flow never sees them.",
                cause="Inner parts were exported too.",
                repairs=[
                    offer("Drop them", "drop_bodies", bodies=[part.body_name(k) for k in inside])
                ],
            )
        )
    sheets = _sheets(part)
    size = [float(np.linalg.norm(np.subtract(*bounds(b)))) for b in bodies]
    loose = [
        k
        for k in range(len(bodies))
        if size[k] < 0.05 * scale and k not in twins and k not in inside
    ]
    loose = [k for k in loose if k not in sheets or solid]
    if loose and len(loose) < len(bodies):
        across = max(size[k] for k in loose)
        found.append(
            Finding(
                "loose-pieces",
                "note",
                "Bodies small against the model.",
                len(loose),
                [centre[k] for k in loose[:PLACES]],
                "Drop them if the flow does not care.",
                size=across,
                measure=f"{part.unit} across the largest",
                cause="Fasteners.",
                repairs=[
                    offer("Drop them", "drop_bodies", bodies=[part.body_name(k) for k in loose])
                ],
            )
        )
    return found


def _sheets(part: Part) -> list[int]:
    return [k for k, b in enumerate(part.bodies) if b.ShapeType() != TopAbs_ShapeEnum.TopAbs_SOLID]


def unsolid_findings(
    part: Part, free: list[Use], copies: set[int], standing: list[int]
) -> list[Finding]:
    """Sheets that close around a volume together but are no solid; standing: those that are meant
    to be open."""
    sheets = [k for k in _sheets(part) if k not in standing]
    body = body_of_face(part)
    if not sheets or any(body[u.face] in sheets for u in free) or copies:
        return []
    return [
        Finding(
            "no-solid",
            "error",
            "Sheets that close around a volume but are no solid yet.",
            len(sheets),
            [centroid(part.bodies[k]).tolist() for k in sheets[:PLACES]],
            "Sew them to a solid.",
            cause="The file holds surfaces only.",
            repairs=[offer("Sew to a solid", "sew", tolerance=two_digits(1e-6 * diagonal(part)))],
        )
    ]


def _names(part: Part, bodies: list[int]) -> str:
    names = ", ".join(part.body_name(k) for k in bodies[:5])
    return names + (" …" if len(bodies) > 5 else "")


def _enclosed(inner: TopoDS_Shape, outer: TopoDS_Shape, scale: float) -> bool:
    """Whether a solid lies in a closed cavity of another."""
    if len(explore(outer, TopAbs_ShapeEnum.TopAbs_SHELL)) < 2:
        return False
    hull = BRepBuilderAPI_MakeSolid(BRepClass3d.OuterShell_s(TopoDS.Solid_s(outer))).Solid()
    spot = any_inside(inner, 1e-7 * scale)
    return spot is not None and contains(hull, spot, 1e-7 * scale)
