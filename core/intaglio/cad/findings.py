"""What is wrong with a CAD part: each problem counted, measured, placed, with cause and repairs."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from OCP.BRepCheck import BRepCheck_Analyzer
from OCP.TopAbs import TopAbs_ShapeEnum

from intaglio.cad.body_findings import body_findings, unsolid_findings
from intaglio.cad.duplicates import duplicate_findings, faces_twice
from intaglio.cad.face_findings import curvature_findings, facet_findings, small_findings
from intaglio.cad.face_names import diagonal, face_ids
from intaglio.cad.measures import area, bounds, centroid, volume
from intaglio.cad.part import Part
from intaglio.cad.standing import standing_sheets
from intaglio.cad.topology import (
    FreeLoop,
    Gap,
    Use,
    edge_length,
    edge_samples,
    edge_uses,
    explore,
    free_uses,
    gaps_and_holes,
    neighbours,
    uses_by_edge,
)
from intaglio.facets.plates import standing_finding
from intaglio.findings import PLACES, Finding, offer, two_digits
from intaglio.triangles.edges import consistent_turns


@dataclass(frozen=True)
class CadDiagnosis:
    """findings; free_edges, branch_edges: edge numbers for drawing."""

    findings: tuple[Finding, ...]
    free_edges: tuple[int, ...]
    branch_edges: tuple[int, ...]


def diagnose(
    part: Part,
    progress: Callable[[float, str], None] = lambda share, doing: None,
    so_far: Callable[[list[Finding]], None] = lambda found: None,
) -> CadDiagnosis:
    """Findings about a part as the kernel holds it; so_far is told those there are, again and
    again on the way."""

    def next_look(share: float, doing: str) -> None:
        progress(share, doing)
        so_far(found)

    low, high = bounds(part.shape)
    scale = float(np.linalg.norm(high - low))
    uses = edge_uses(part)
    by_edge = uses_by_edge(uses)
    free = free_uses(uses)
    found: list[Finding] = []
    next_look(0.0, "looking for faces that count twice")
    twins = faces_twice(part, scale)
    copies = {b for _, b in twins}
    found += duplicate_findings(part, twins)
    # the edges of a copy are no fault of their own
    free = [u for u in free if u.face not in copies]
    standing = standing_sheets(part)
    if standing:
        spots = [centroid(part.bodies[k]).tolist() for k in standing]
        found += standing_finding([part.body_name(k) for k in standing], spots, scale)
        # nor are the rims of walls without a thickness
        free = [u for u in free if u.body not in standing]
    next_look(0.1, "looking for free edges")
    gaps, holes = gaps_and_holes(part, free, scale)
    found += _open(part, free, gaps, holes)
    found += unsolid_findings(part, free, copies, standing)
    branching = [
        e
        for e, own in by_edge.items()
        if len([u for u in own if u.face not in copies]) > 2 and _one_body(own)
    ]
    if branching:
        found.append(
            Finding(
                "branching-edges",
                "error",
                "Edges with more than two faces.",
                len(branching),
                [edge_samples(part.edges[e], 3)[1].tolist() for e in branching[:PLACES]],
                "Drop the faces that hang on, or unite bodies that share a wall.",
                cause="A sheet hangs on the body, or two bodies share an edge.",
                faces=face_ids(sorted({u.face for e in branching for u in by_edge[e]})),
            )
        )
    next_look(0.2, "looking for normals that disagree")
    found += _normals(part, [u for u in uses if u.face not in copies])
    next_look(0.3, "looking for slivers and tiny edges")
    found += small_findings(part, scale)
    next_look(0.45, "comparing bodies")
    found += body_findings(part, scale)
    next_look(0.6, "looking for faces that cross")
    found += facet_findings(part, scale, by_edge)
    next_look(0.9, "looking at curvature")
    found += curvature_findings(part, scale)
    found += _unsound(part, found)
    return CadDiagnosis(tuple(found), tuple(u.edge for u in free), tuple(branching))


def _one_body(own: list[Use]) -> bool:
    """Whether the uses are of one body; two solids that share a face each use its edges twice."""
    bodies = [u.body for u in own]
    return max(bodies.count(b) for b in bodies) > 2 or len(set(bodies)) == 1


def _open(part: Part, free: list[Use], gaps: list[Gap], holes: list[FreeLoop]) -> list[Finding]:
    found = []
    if gaps:
        widths = np.array([w for g in gaps for w in g.widths])
        widest = float(widths.max())
        tolerance = two_digits(max(1.3 * widest, 1e-6 * diagonal(part)))
        count, edges = np.histogram(widths, 12, (0.0, max(widest, 1e-12) * (1 + 1e-9)))
        found.append(
            Finding(
                "gaps",
                "error",
                "Gaps between edges that nearly meet.",
                len(gaps),
                [g.at.tolist() for g in gaps[:PLACES]],
                "Sew within a tolerance just over the widest gap.",
                size=widest,
                measure=f"{part.unit} at the widest",
                cause="Faces were exported one by one, or drawn not quite to meet.",
                faces=face_ids(sorted({f for g in gaps for f in g.faces})),
                repairs=[
                    offer(f"Sew within {tolerance:g} {part.unit}", "sew", tolerance=tolerance)
                ],
                histogram={"edges": edges.tolist(), "count": count.tolist()},
            )
        )
    if holes:
        found.append(
            Finding(
                "holes",
                "error",
                "Holes in the surface of a body.",
                len(holes),
                [h.centre.tolist() for h in holes[:PLACES]],
                "Cap them.",
                size=max(h.diameter for h in holes),
                measure=f"{part.unit} across the widest",
                cause="A face is missing.",
                faces=face_ids(sorted({f for h in holes for f in h.faces})),
                repairs=[
                    offer("Cap the holes flat", "cap", shape="flat"),
                    offer("Cap the holes smoothly", "cap", shape="smooth"),
                ],
            )
        )
    explained = {e for g in gaps for e in g.edges} | {e for h in holes for e in h.edges}
    rest = [u for u in free if u.edge not in explained]
    if rest:
        found.append(
            Finding(
                "free-edges",
                "error",
                "Free edges that are on no gap and close to no hole.",
                len(rest),
                [edge_samples(part.edges[u.edge], 3)[1].tolist() for u in rest[:PLACES]],
                "Drop the sheets, or complete the body in CAD.",
                size=float(sum(edge_length(part.edges[u.edge]) for u in rest)),
                measure=f"{part.unit} in all",
                cause="Faces are missing, or a sheet hangs on the body.",
                faces=face_ids(sorted({u.face for u in rest})),
                repairs=[offer("Drop the sheets", "drop_sheets")],
            )
        )
    return found


def turned_faces(part: Part, uses: list[Use]) -> np.ndarray:
    """Faces (n,) that disagree with most of what they hang together with."""
    pairs, same = neighbours(uses)
    n = len(part.faces)
    own = np.zeros(n, np.int32)
    if not len(pairs):
        return np.zeros(n, bool)
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import connected_components

    graph = coo_array((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(n, n))
    own = connected_components(graph, directed=False)[1].astype(np.int32)
    flip, _ = consistent_turns(pairs, same, own)
    size = np.array([area(f) for f in part.faces])
    most = np.bincount(own, size * flip) * 2 > np.bincount(own, size)
    return flip ^ most[own]


def _normals(part: Part, uses: list[Use]) -> list[Finding]:
    found = []
    repairs = [offer("Unify the normals", "unify_normals")]
    turned = np.flatnonzero(turned_faces(part, uses))
    if len(turned):
        found.append(
            Finding(
                "mixed-normals",
                "error",
                "Faces whose normal disagrees with their neighbours'.",
                len(turned),
                [centroid(part.faces[f]).tolist() for f in turned[:PLACES]],
                "Unify the normals.",
                cause="Faces were joined or mirrored without turning them.",
                faces=face_ids(turned),
                repairs=repairs,
            )
        )
    inverted = []
    for k, body in enumerate(part.bodies):
        own = [u for u in uses if u.body == k]
        closed = all(len(v) == 2 for v in uses_by_edge(own).values()) and bool(own)
        if closed and volume(body) < 0 and not any(u.face in turned for u in own):
            inverted.append(k)
    if inverted:
        found.append(
            Finding(
                "inverted",
                "error",
                "Closed bodies whose normals point inward.",
                len(inverted),
                [centroid(part.bodies[k]).tolist() for k in inverted[:PLACES]],
                "Unify the normals.",
                cause="The body was mirrored or exported inside out.",
                faces=face_ids(
                    part.face_map.FindIndex(f) - 1
                    for k in inverted
                    for f in explore(part.bodies[k], TopAbs_ShapeEnum.TopAbs_FACE)
                ),
                repairs=repairs,
            )
        )
    return found


def _unsound(part: Part, found: list[Finding]) -> list[Finding]:
    """Faces that the kernel's own check rejects, if nothing said above explains it."""
    if any(f.level == "error" for f in found):
        return []
    check = BRepCheck_Analyzer(part.shape, True)
    if check.IsValid():
        return []
    bad = [k for k, f in enumerate(part.faces) if not check.IsValid(f)]
    return [
        Finding(
            "unsound",
            "caution",
            "Faces or edges that do not fit each other exactly, as the CAD kernel sees it.",
            max(1, len(bad)),
            [centroid(part.faces[k]).tolist() for k in bad[:PLACES]],
            "Rebuild them if meshing fails there.",
            cause="Written with a coarse tolerance.",
            faces=face_ids(bad),
            repairs=[offer("Rebuild the faces", "rebuild_faces", faces=face_ids(bad))],
        )
    ]
