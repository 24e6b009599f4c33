"""What is wrong with facets: each problem counted, measured, placed, with a cause and repairs."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from intaglio.facets.body_findings import body_findings, crossing_findings, normal_findings
from intaglio.facets.faults import edge_lengths, extra_copies, flat_triangles, places
from intaglio.facets.openings import FreeEdges, free_edges
from intaglio.facets.part import FacetPart, Floats, scale_of
from intaglio.facets.pieces import find_pieces
from intaglio.facets.plates import standing_finding, standing_plates
from intaglio.facets.shape_findings import shape_findings, thin_places
from intaglio.findings import PLACES, Finding, offer, two_digits
from intaglio.triangles.edges import edge_table
from intaglio.triangles.measures import triangle_areas


@dataclass(frozen=True)
class Diagnosis:
    """findings; closed: whether the facets bound a volume as they are; free_lines, branch_lines
    (k, 2, 3) for drawing."""

    findings: tuple[Finding, ...]
    closed: bool
    free_lines: Floats
    branch_lines: Floats


def diagnose(
    part: FacetPart,
    progress: Callable[[float, str], None] = lambda share, doing: None,
    so_far: Callable[[list[Finding]], None] = lambda found: None,
) -> Diagnosis:
    """Findings about welded facets; so_far is told those there are, again and again on the way."""

    def next_look(share: float, doing: str) -> None:
        progress(share, doing)
        so_far(found)

    found: list[Finding] = []
    points, triangles = part.points, part.triangles
    scale = scale_of(points)
    if not len(triangles) or scale == 0.0:
        nothing = Finding("no-triangles", "error", "There are no triangles with an area.")
        return Diagnosis((nothing,), False, np.zeros((0, 2, 3)), np.zeros((0, 2, 3)))
    next_look(0.0, "looking for triangles that count twice")
    found += _flat(part, scale)
    alive, copies = _duplicates(part)
    found += copies
    # twice the same triangle is one fault, not three branching edges
    sound = part if alive.all() else _subset(part, alive)
    triangles = sound.triangles
    table = edge_table(triangles)
    next_look(0.2, "looking for free edges")
    plates = standing_plates(sound)
    bodies = ~np.isin(sound.body, plates)
    if plates:
        # their rims are no faults
        spots = [points[triangles[sound.body == k][0]].mean(axis=0).tolist() for k in plates]
        found += standing_finding([part.body_names[k] for k in plates], spots, scale)
    walls = edge_table(triangles[bodies]) if plates else table
    free = free_edges(points, triangles[bodies], walls)
    found += _open(points, free, part.unit)
    branching = walls.nodes[walls.uses > 2]
    if len(branching):
        length = edge_lengths(points, branching)
        found.append(
            Finding(
                "branching-edges",
                "error",
                "Edges with more than two triangles.",
                len(branching),
                places(points[branching].mean(axis=1)),
                "Drop the fins, or unite bodies that share a wall.",
                size=float(length.sum()),
                measure=f"{part.unit} in all",
                cause="A sheet hangs on the surface, or two bodies share an edge.",
                repairs=[offer("Drop the fins", "drop_fins")],
            )
        )
    next_look(0.35, "looking for normals that disagree")
    groups = find_pieces(sound, table)
    found += normal_findings(sound, table, groups)
    found += body_findings(sound, groups, scale)
    next_look(0.5, "looking for triangles that cross")
    found += crossing_findings(sound, groups)
    next_look(0.8, "looking for slivers, spikes and thin walls")
    found += shape_findings(sound, table, scale)
    if not len(free.edges) and not len(branching):
        found += thin_places(sound, scale)
    closed = not any(f.level == "error" for f in found)
    return Diagnosis(tuple(found), closed, points[free.edges], points[branching])


def _subset(part: FacetPart, alive: NDArray[np.bool_]) -> FacetPart:
    """The part with some triangles only, its points as they are."""
    return FacetPart(
        part.points,
        part.triangles[alive],
        part.region[alive],
        part.body[alive],
        part.region_names,
        part.body_names,
        part.unit,
    )


def _flat(part: FacetPart, scale: float) -> list[Finding]:
    flat = np.flatnonzero(flat_triangles(part, scale))
    if not len(flat):
        return []
    return [
        Finding(
            "flat-triangles",
            "caution",
            "Triangles without an area.",
            len(flat),
            places(part.points[part.triangles[flat]].mean(axis=1)),
            "Drop them.",
            cause="Written in too few digits, or left over from welding.",
            repairs=[offer("Drop them", "drop_slivers")],
        )
    ]


def _duplicates(part: FacetPart) -> tuple[NDArray[np.bool_], list[Finding]]:
    extra = extra_copies(part.triangles)
    if not extra.any():
        return ~extra, []
    spot = part.points[part.triangles[extra]].mean(axis=1)
    area = triangle_areas(part.points, part.triangles[extra]).sum()
    found = Finding(
        "duplicate-faces",
        "error",
        "Triangles that are there more than once.",
        int(extra.sum()),
        places(spot),
        "Drop the copies.",
        size=float(area),
        measure=f"{part.unit}² in all",
        cause="The same body or face was exported twice.",
        repairs=[offer("Drop the copies", "drop_duplicates")],
    )
    return ~extra, [found]


def _open(points: Floats, free: FreeEdges, unit: str) -> list[Finding]:
    found = []
    on_gap = np.flatnonzero(free.gap >= 0)
    if len(on_gap):
        width = free.width[on_gap]
        width = width[np.isfinite(width)]
        widest = float(width.max())
        numbers = np.unique(free.gap[on_gap])
        spots = [
            points[free.edges[on_gap[free.gap[on_gap] == g]]].mean(axis=1) for g in numbers[:PLACES]
        ]
        count, edges = np.histogram(width, 12, (0.0, widest * (1 + 1e-9)))
        found.append(
            Finding(
                "gaps",
                "error",
                "Gaps between edges that nearly meet.",
                len(numbers),
                [s[len(s) // 2].tolist() for s in spots],
                "Sew within a tolerance just over the widest gap.",
                size=widest,
                measure=f"{unit} at the widest",
                cause="Faces were exported one by one, or rounded.",
                repairs=[
                    offer(
                        f"Sew within {two_digits(1.3 * widest):g} {unit}",
                        "sew",
                        tolerance=two_digits(1.3 * widest),
                    ),
                    *([offer("Cap the slits", "cap", shape="flat")] if free.slits else []),
                ],
                histogram={"edges": edges.tolist(), "count": count.tolist()},
            )
        )
    if free.holes:
        widest = max(h.diameter for h in free.holes)
        found.append(
            Finding(
                "holes",
                "error",
                "Holes in the surface.",
                len(free.holes),
                [h.centre.tolist() for h in free.holes[:PLACES]],
                "Cap them.",
                size=widest,
                measure=f"{unit} across the widest",
                cause="A face is missing.",
                repairs=[
                    offer("Cap the holes flat", "cap", shape="flat"),
                    offer("Cap the holes smoothly", "cap", shape="smooth"),
                ],
            )
        )
    if free.rest.any():
        edges = free.edges[free.rest]
        found.append(
            Finding(
                "free-edges",
                "error",
                "Free edges that are on no gap and close to no hole.",
                len(edges),
                places(points[edges].mean(axis=1)),
                "Drop the fins, then cap what is open.",
                size=float(edge_lengths(points, edges).sum()),
                measure=f"{unit} in all",
                cause="Triangles are missing, or a sheet hangs on the surface.",
                repairs=[offer("Drop the fins", "drop_fins")],
            )
        )
    return found
