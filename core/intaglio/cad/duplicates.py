"""Faces and bodies of CAD that are there twice."""

import numpy as np
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopoDS import TopoDS, TopoDS_Face

from intaglio.cad.face_names import face_ids
from intaglio.cad.measures import area, bounds, centroid
from intaglio.cad.part import Part
from intaglio.cad.topology import (
    edge_samples,
    explore,
    point_distance,
)
from intaglio.findings import PLACES, Finding, offer


def duplicate_faces(part: Part, scale: float) -> list[tuple[int, int]]:
    """Pairs of faces that lie on each other, the earlier one first."""
    centre = np.array([centroid(f) for f in part.faces])
    size = np.array([area(f) for f in part.faces])
    order = np.argsort(size)
    out = []
    for i, a in enumerate(order):
        for b in order[i + 1 :]:
            if size[b] - size[a] > 1e-6 * max(size[a], 1e-12):
                break
            if np.linalg.norm(centre[a] - centre[b]) > 1e-6 * scale:
                continue
            if _same_place(part.faces[a], part.faces[b], scale):
                out.append((int(min(a, b)), int(max(a, b))))
    return sorted(out)


def faces_twice(part: Part, scale: float) -> list[tuple[int, int]]:
    """Duplicate faces that are a fault: not where two solids touch."""
    body = body_of_face(part)
    bodies = part.bodies

    def solid(face: int) -> bool:
        return bodies[body[face]].ShapeType() == TopAbs_ShapeEnum.TopAbs_SOLID

    return [
        (a, b)
        for a, b in duplicate_faces(part, scale)
        if body[a] == body[b] or not (solid(a) and solid(b))
    ]


def _same_place(a: TopoDS_Face, b: TopoDS_Face, scale: float) -> bool:
    """Whether the edges of two faces run along each other."""
    for edge in explore(a, TopAbs_ShapeEnum.TopAbs_EDGE)[:6]:
        for p in edge_samples(TopoDS.Edge_s(edge), 3)[:2]:
            if point_distance(p, b) > 1e-5 * scale:
                return False
    low_a, high_a = bounds(a)
    low_b, high_b = bounds(b)
    return bool(max(np.abs(low_a - low_b).max(), np.abs(high_a - high_b).max()) < 1e-4 * scale)


def duplicate_findings(part: Part, twins: list[tuple[int, int]]) -> list[Finding]:
    copies = sorted({b for _, b in twins})
    body_of = body_of_face(part)
    # two whole bodies on each other are told as bodies
    copies = [f for f in copies if not _whole_body(part, body_of.get(f), copies)]
    if not copies:
        return []
    return [
        Finding(
            "duplicate-faces",
            "error",
            "Faces that lie exactly on another.",
            len(copies),
            [centroid(part.faces[f]).tolist() for f in copies[:PLACES]],
            "Drop the copies.",
            size=float(sum(area(part.faces[f]) for f in copies)),
            measure=f"{part.unit}² in all",
            cause="A face was exported twice.",
            faces=face_ids(copies),
            repairs=[offer("Drop the copies", "drop_duplicates")],
        )
    ]


def body_of_face(part: Part) -> dict[int, int]:
    out = {}
    for b, body in enumerate(part.bodies):
        for face in explore(body, TopAbs_ShapeEnum.TopAbs_FACE):
            out[part.face_map.FindIndex(face) - 1] = b
    return out


def _whole_body(part: Part, body: int | None, faces: list[int]) -> bool:
    if body is None:
        return False
    own = explore(part.bodies[body], TopAbs_ShapeEnum.TopAbs_FACE)
    if len(own) == 1:
        return False
    return all(part.face_map.FindIndex(f) - 1 in faces for f in own)


def twin_bodies(part: Part, scale: float) -> list[int]:
    """Bodies that lie exactly on an earlier one."""
    sign = []
    for body in part.bodies:
        low, high = bounds(body)
        sign.append(np.concatenate([low, high, [area(body) / scale]]) / scale)
    return [
        j for j in range(len(sign)) if any(np.abs(sign[i] - sign[j]).max() < 1e-6 for i in range(j))
    ]
