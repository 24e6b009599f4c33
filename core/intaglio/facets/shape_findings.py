"""Findings about the shape of facets: slivers, tiny edges, spikes, thin walls, narrow gaps."""

import numpy as np

from intaglio.facets.faults import edge_lengths, flat_triangles, places, spikes
from intaglio.facets.part import FacetPart
from intaglio.findings import Finding, offer, two_digits
from intaglio.numeric.boxtree import box_tree, first_hits
from intaglio.triangles.edges import EdgeTable
from intaglio.triangles.measures import triangle_areas, triangle_normals

# shares of the model's diagonal
TINY = 2e-5
THIN = 2e-3
_RAYS = 60_000


def shape_findings(part: FacetPart, table: EdgeTable, scale: float) -> list[Finding]:
    found = []
    points, triangles = part.points, part.triangles
    length = edge_lengths(points, table.nodes)
    tiny = table.nodes[(length < TINY * scale) & (length > 0)]
    if len(tiny):
        found.append(
            Finding(
                "tiny-edges",
                "note",
                f"Edges shorter than {two_digits(TINY * scale):g} {part.unit}.",
                len(tiny),
                places(points[tiny].mean(axis=1)),
                "They do no harm to a mesh that walks over them; sewing draws them together.",
                size=float(length[length > 0].min()),
                measure=f"{part.unit} the shortest",
                cause="Faces that nearly meet in a point.",
                repairs=[offer("Drop slivers and tiny edges", "drop_slivers")],
            )
        )
    area = triangle_areas(points, triangles)
    corner = points[triangles]
    longest = np.linalg.norm(corner - np.roll(corner, 1, axis=1), axis=2).max(axis=1)
    height = 2 * area / np.maximum(longest, 1e-300)
    flat = flat_triangles(part, scale)
    thin = np.flatnonzero((height < TINY * scale) & ~flat & (longest > 10 * height))
    if len(thin):
        found.append(
            Finding(
                "slivers",
                "note",
                f"Triangles thinner than {two_digits(TINY * scale):g} {part.unit}.",
                len(thin),
                places(corner[thin].mean(axis=1)),
                "Drop them if remeshing leaves thin triangles there.",
                size=float(height[thin].min()),
                measure=f"{part.unit} the thinnest",
                cause="Faces that nearly touch were triangulated one by one.",
                repairs=[offer("Drop slivers and tiny edges", "drop_slivers")],
            )
        )
    sharp = spikes(part, table, scale)
    if len(sharp):
        found.append(
            Finding(
                "spikes",
                "caution",
                "Points that stand out like needles.",
                len(sharp),
                places(points[sharp]),
                "Cut them off.",
                cause="Noise of a scan, or a wrong digit.",
                repairs=[offer("Cut the spikes off", "drop_spikes")],
            )
        )
    return found


def thin_places(part: FacetPart, scale: float) -> list[Finding]:
    """Thin walls and narrow gaps, by rays from the middles of triangles to both sides."""
    points, triangles = part.points, part.triangles
    pick = np.arange(len(triangles))
    if len(pick) > _RAYS:
        pick = np.random.default_rng(3).choice(len(pick), _RAYS, replace=False)
    normal = triangle_normals(points, triangles)
    origin = points[triangles[pick]].mean(axis=1)
    tree = box_tree(points, triangles)
    found = []
    limit = THIN * scale
    for code, sign, words, cause in (
        ("thin-walls", -1.0, "Walls thinner", "Sheet metal, or two faces that should be one."),
        ("narrow-gaps", 1.0, "Gaps narrower", "Parts that nearly touch."),
    ):
        ray = np.ascontiguousarray(sign * normal[pick])
        distance, hit = first_hits(tree, origin, ray, np.full(len(pick), 1e-7 * scale))
        # only where the other side faces this one: not the flank of a sharp edge
        facing = np.einsum("ij,ij->i", normal[pick], normal[np.maximum(hit, 0)]) < -0.7
        near = np.flatnonzero((distance < limit) & (hit >= 0) & facing)
        if len(near):
            near = near[np.argsort(distance[near])]
            found.append(
                Finding(
                    code,
                    "note",
                    f"{words} than {two_digits(limit):g} {part.unit}.",
                    len(near),
                    places(origin[near]),
                    "The mesh needs edges as small as that there, or they must be closed up.",
                    size=float(distance[near[0]]),
                    measure=f"{part.unit} the least",
                    cause=cause,
                )
            )
    return found
