"""Findings about faces of CAD: slivers, tiny ones, crossings, thin walls, high curvature."""

from itertools import pairwise

import numpy as np
from OCP.BRepExtrema import BRepExtrema_DistShapeShape
from OCP.BRepGProp import BRepGProp
from OCP.BRepTools import BRepTools
from OCP.GeomAbs import GeomAbs_SurfaceType
from OCP.GProp import GProp_GProps
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopoDS import TopoDS_Shape

from intaglio.cad.duplicates import body_of_face
from intaglio.cad.face_names import face_id, face_ids
from intaglio.cad.measures import area, centroid, once
from intaglio.cad.normals import surface_of
from intaglio.cad.part import Part
from intaglio.cad.tessellation import as_shown, surface_curvature
from intaglio.cad.topology import (
    Use,
    edge_length,
    edge_samples,
    edge_uses,
    explore,
)
from intaglio.errors import StepFailed
from intaglio.facets.part import FacetPart
from intaglio.facets.shape_findings import thin_places
from intaglio.findings import PLACES, Finding, offer, two_digits
from intaglio.numeric.intersections import crossing_pairs
from intaglio.triangles.closure import open_edges
from intaglio.triangles.facets import Facets

# shares of the model's diagonal
TINY_EDGE = 1e-4
TINY_FACE = 3e-4
SLIVER = 3e-4
_SLIVER_ASPECT = 30.0


def perimeter(face: TopoDS_Shape) -> float:
    def measured() -> float:
        props = GProp_GProps()
        BRepGProp.LinearProperties_s(face, props)
        return float(props.Mass())

    return once("perimeter", face, measured)


def sliver_faces(part: Part, width: float) -> list[int]:
    """Faces narrower than a width and much longer than they are wide."""
    out = []
    for f, face in enumerate(part.faces):
        rim = perimeter(face)
        across = 2 * area(face) / rim if rim > 0 else 0.0
        if across < width and rim / 2 > _SLIVER_ASPECT * across:
            out.append(f)
    return out


def small_findings(part: Part, scale: float) -> list[Finding]:
    found = []
    thin = sliver_faces(part, SLIVER * scale)
    if thin:
        width = [2 * area(part.faces[f]) / perimeter(part.faces[f]) for f in thin]
        found.append(
            Finding(
                "slivers",
                "caution",
                f"Faces narrower than {two_digits(SLIVER * scale):g} {part.unit}.",
                len(thin),
                [centroid(part.faces[f]).tolist() for f in thin[:PLACES]],
                "Drop them; their neighbours close over them.",
                size=float(min(width)),
                measure=f"{part.unit} the narrowest",
                cause="Two surfaces were trimmed not quite in the same line.",
                faces=face_ids(thin),
                repairs=[
                    offer("Drop the slivers", "drop_slivers", thinner=two_digits(2.5 * max(width)))
                ],
            )
        )
    small = [
        f
        for f, face in enumerate(part.faces)
        if f not in thin and np.sqrt(max(area(face), 0.0)) < TINY_FACE * scale
    ]
    if small:
        found.append(
            Finding(
                "tiny-faces",
                "caution",
                "Faces too small to matter.",
                len(small),
                [centroid(part.faces[f]).tolist() for f in small[:PLACES]],
                "Drop them; their neighbours close over them.",
                size=float(min(np.sqrt(max(area(part.faces[f]), 0)) for f in small)),
                measure=f"{part.unit} across the smallest",
                cause="Left over from a cut in CAD.",
                faces=face_ids(small),
                repairs=[offer("Drop them", "drop_slivers", thinner=two_digits(TINY_FACE * scale))],
            )
        )
    of_thin = {
        part.edge_map.FindIndex(e) - 1
        for f in [*thin, *small]
        for e in explore(part.faces[f], TopAbs_ShapeEnum.TopAbs_EDGE)
    }
    used = {u.edge for u in edge_uses(part)}
    tiny = [e for e in sorted(used - of_thin) if edge_length(part.edges[e]) < TINY_EDGE * scale]
    if tiny:
        found.append(
            Finding(
                "tiny-edges",
                "note",
                f"Edges shorter than {two_digits(TINY_EDGE * scale):g} {part.unit}.",
                len(tiny),
                [edge_samples(part.edges[e], 3)[1].tolist() for e in tiny[:PLACES]],
                "Merging faces across seams often takes them away.",
                size=float(min(edge_length(part.edges[e]) for e in tiny)),
                measure=f"{part.unit} the shortest",
                cause="Left over from a cut in CAD.",
                repairs=[offer("Merge faces across seams", "merge_faces")],
            )
        )
    return found


def facet_part(part: Part, facets: Facets) -> FacetPart:
    """A tessellation as facets with the part's faces as regions."""
    return FacetPart(
        facets.points,
        facets.triangles,
        facets.region,
        np.zeros(len(facets.triangles), np.int32),
        tuple(face_id(k) for k in range(len(part.faces))),
        ("part",),
        part.unit,
    )


def facet_findings(part: Part, scale: float, by_edge: dict[int, list[Use]]) -> list[Finding]:
    """Faces that cross, thin walls and narrow gaps, seen on a tessellation."""
    broken: list[int] = []
    try:
        facets, _ = as_shown(part, broken)
    except StepFailed:
        return []
    found = []
    if broken:
        found.append(
            Finding(
                "broken-faces",
                "error",
                "Faces that cannot be triangulated.",
                len(broken),
                [centroid(part.faces[f]).tolist() for f in broken[:PLACES]],
                "Rebuild them.",
                cause="The face's boundary does not close on its surface.",
                faces=face_ids(broken),
                repairs=[offer("Rebuild the faces", "rebuild_faces", faces=face_ids(broken))],
            )
        )
    found += _crossing(part, facets, by_edge)
    if not len(open_edges(facets.triangles)) and len(facets.triangles):
        found += thin_places(facet_part(part, facets), scale)
    return found


def _crossing(part: Part, facets: Facets, by_edge: dict[int, list[Use]]) -> list[Finding]:
    if not len(facets.triangles):
        return []
    pairs = facets.region[crossing_pairs(facets.points, facets.triangles)]
    if not len(pairs):
        return []
    codes, count = np.unique(np.sort(pairs, axis=1), axis=0, return_counts=True)
    linked = {frozenset((u.face, v.face)) for own in by_edge.values() for u, v in pairwise(own)}
    body = body_of_face(part)
    bad = []
    for (a, b), times in zip(codes.tolist(), count, strict=True):
        if a == b:
            # a face folded over itself, not the noise of its tessellation
            if times > 4:
                bad.append((a, b))
        elif (
            frozenset((a, b)) not in linked
            and body.get(a) == body.get(b)
            and BRepExtrema_DistShapeShape(part.faces[a], part.faces[b]).Value() == 0.0
        ):
            bad.append((a, b))
    if not bad:
        return []
    faces = sorted({f for pair in bad for f in pair})
    return [
        Finding(
            "self-crossing",
            "error",
            "Pairs of faces of one body that cross each other.",
            len(bad),
            [centroid(part.faces[a]).tolist() for a, _ in bad[:PLACES]],
            "Redraw them in CAD, or drop one of them and cap the hole.",
            cause="A feature was pushed through a wall.",
            faces=face_ids(faces),
        )
    ]


def curvature_findings(part: Part, scale: float) -> list[Finding]:
    """Free-form faces with a spot that curves far more tightly than the rest of them."""
    plain = (
        GeomAbs_SurfaceType.GeomAbs_Plane,
        GeomAbs_SurfaceType.GeomAbs_Cylinder,
        GeomAbs_SurfaceType.GeomAbs_Cone,
        GeomAbs_SurfaceType.GeomAbs_Sphere,
        GeomAbs_SurfaceType.GeomAbs_Torus,
    )
    bad, places, radii = [], [], []
    for f, face in enumerate(part.faces):
        surface = surface_of(face)
        if surface.GetType() in plain:
            continue
        u0, u1, v0, v1 = BRepTools.UVBounds_s(face)
        grid = [
            (u, v) for u in np.linspace(u0, u1, 21)[1:-1] for v in np.linspace(v0, v1, 21)[1:-1]
        ]
        bend = np.array([surface_curvature(surface, u, v) for u, v in grid])
        top = int(bend.argmax())
        if bend[top] > 30 * max(float(np.median(bend)), 1e-3 / scale) and bend[top] * scale > 150:
            p = surface.Value(*grid[top])
            bad.append(f)
            places.append([p.X(), p.Y(), p.Z()])
            radii.append(1 / bend[top])
    if not bad:
        return []
    return [
        Finding(
            "high-curvature",
            "caution",
            "Faces with a spot that curves far more tightly than all around it.",
            len(bad),
            places[:PLACES],
            "Remove the feature, or the mesh will be fine there.",
            size=float(min(radii)),
            measure=f"{part.unit} the tightest radius",
            cause="A wrinkle of a fitted surface.",
            faces=face_ids(bad),
        )
    ]
