"""Findings about pieces of facets: their normals, bodies in bodies, crossings."""

import numpy as np

from intaglio.facets.faults import places
from intaglio.facets.part import FacetPart
from intaglio.facets.pieces import Pieces, turned_triangles, twin_pieces
from intaglio.findings import PLACES, Finding, offer, two_digits
from intaglio.numeric.intersections import crossing_pairs
from intaglio.triangles.edges import EdgeTable

# share of the model's diagonal
LOOSE = 0.05


def normal_findings(part: FacetPart, table: EdgeTable, groups: Pieces) -> list[Finding]:
    found = []
    repairs = [offer("Unify the normals", "unify_normals")]
    flip, two_sided = turned_triangles(part.triangles, table, groups.piece)
    if flip.any():
        spot = part.points[part.triangles[flip]].mean(axis=1)
        found.append(
            Finding(
                "mixed-normals",
                "error",
                "Triangles whose normal disagrees with their neighbours'.",
                int(flip.sum()),
                places(spot),
                "Unify the normals.",
                cause="Bodies were joined or mirrored without turning their faces.",
                repairs=repairs,
            )
        )
    if not two_sided.all():
        found.append(
            Finding(
                "one-sided",
                "error",
                "Pieces that have only one side, like a twisted band.",
                int((~two_sided).sum()),
                advice="Drop the triangles at the twist and cap the hole.",
                cause="A strip was closed with a twist.",
            )
        )
    inward = groups.closed & (groups.depth % 2 == 0) & (groups.volume < 0)
    inward &= ~np.isin(np.arange(len(inward)), groups.piece[flip])
    empty = groups.closed & (np.abs(groups.volume) < 1e-9 * groups.area**1.5)
    if empty.any():
        middle = 0.5 * (groups.low + groups.high)[empty]
        found.append(
            Finding(
                "no-volume",
                "error",
                "Closed pieces that enclose no volume: two sheets on each other.",
                int(empty.sum()),
                places(middle),
                "Drop them.",
                cause="A flat sheet was closed with itself.",
            )
        )
    inward &= ~empty
    if inward.any():
        middle = 0.5 * (groups.low + groups.high)[inward]
        found.append(
            Finding(
                "inverted",
                "error",
                "Closed pieces whose normals point inward.",
                int(inward.sum()),
                places(middle),
                "Unify the normals.",
                cause="The body was mirrored or exported inside out.",
                repairs=repairs,
            )
        )
    return found


def body_findings(part: FacetPart, groups: Pieces, scale: float) -> list[Finding]:
    found = []
    middle = 0.5 * (groups.low + groups.high)
    size = np.linalg.norm(groups.high - groups.low, axis=1)
    twin = twin_pieces(groups, scale)
    if twin.any():
        found.append(
            Finding(
                "duplicate-bodies",
                "error",
                "Bodies that lie exactly on another.",
                int(twin.sum()),
                places(middle[twin]),
                "Drop the copies.",
                cause="The same body was exported twice.",
                repairs=[offer("Drop the copies", "drop_duplicates")],
            )
        )
    # a cavity has its normals the other way
    inside = (groups.depth > 0) & groups.closed & (groups.volume > 0) & ~twin
    if inside.any():
        found.append(
            Finding(
                "body-inside",
                "caution",
                "Bodies inside other bodies.",
                int(inside.sum()),
                places(middle[inside]),
                "Drop them if the flow never sees them.",
                size=float(size[inside].max()),
                measure=f"{part.unit} across the largest",
                cause="Inner parts were exported too.",
                repairs=[offer("Drop what lies inside", "drop_inside")],
            )
        )
    loose = (size < LOOSE * scale) & (size < size.max()) & ~inside & ~twin
    if loose.any():
        across = float(size[loose].max())
        found.append(
            Finding(
                "loose-pieces",
                "caution",
                "Loose pieces, small against the model.",
                int(loose.sum()),
                places(middle[loose]),
                "Drop them if the flow does not care.",
                size=across,
                measure=f"{part.unit} across the largest",
                cause="Fasteners or debris of a scan.",
                repairs=[
                    offer(
                        f"Drop pieces under {two_digits(1.1 * across):g} {part.unit}",
                        "drop_pieces",
                        smaller=two_digits(1.1 * across),
                    )
                ],
            )
        )
    return found


def crossing_findings(part: FacetPart, groups: Pieces) -> list[Finding]:
    pairs = crossing_pairs(part.points, part.triangles)
    if not len(pairs):
        return []
    found = []
    of = groups.piece[pairs]
    apart = of[:, 0] != of[:, 1]
    if apart.any():
        bodies = np.unique(np.sort(of[apart], axis=1), axis=0)
        spots = [
            part.points[part.triangles[pairs[apart & (np.sort(of, axis=1) == b).all(axis=1)][0]]]
            .mean(axis=(0, 1))
            .tolist()
            for b in bodies[:PLACES]
        ]
        found.append(
            Finding(
                "overlapping-bodies",
                "error",
                "Pairs of bodies that run into each other.",
                len(bodies),
                spots,
                "Unite them, once all of them are closed.",
                cause="Parts of an assembly were drawn into each other.",
                repairs=[offer("Unite the bodies", "union")],
            )
        )
    own = np.unique(pairs[~apart])
    if len(own):
        found.append(
            Finding(
                "self-crossing",
                "error",
                "Triangles that cross others of their own surface.",
                len(own),
                places(part.points[part.triangles[own]].mean(axis=1)),
                "Cut them out and cap the hole.",
                cause="A surface was folded or pushed through itself.",
                repairs=[offer("Cut out and cap", "untangle")],
            )
        )
    return found
