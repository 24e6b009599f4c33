"""Open facets that are thin walls rather than bodies with a hole in them."""

import numpy as np

from intaglio.facets.closing import rims_of
from intaglio.facets.edges import edge_table
from intaglio.facets.facets import enclosed_volume, triangle_areas
from intaglio.facets.part import FacetPart, Floats, kept
from intaglio.findings import PLACES, Finding, offer, two_digits

# capped flat, a plate holds less than this share of a ball with as large a surface
_PLATE = 0.05
# a rim goes round a sheet if its length squared is more than this times the sheet's area
_RIM = 9.0
# what is offered as a thickness where nobody says, as a share of the model
_THICKNESS = 0.01


def is_plate(part: FacetPart, rims: list[Floats]) -> bool:
    """Whether what rims, each of points (k, 3), close in, capped flat, is next to nothing."""
    fans, points = [part.triangles], [part.points]
    count = len(part.points)
    for rim in rims:
        fan = count + np.arange(len(rim))
        points += [rim, rim.mean(axis=0)[None]]
        middle = np.full(len(rim), count + len(rim))
        fans.append(np.column_stack([fan, np.roll(fan, -1), middle]).astype(np.int32))
        count += len(rim) + 1
    every = np.concatenate(points)
    area = float(triangle_areas(part.points, part.triangles).sum())
    ball = area**1.5 / (6.0 * np.sqrt(np.pi))
    return abs(enclosed_volume(every, np.concatenate(fans))) < _PLATE * ball


def is_sheet(part: FacetPart) -> bool:
    """Whether the longest rim goes round all of it, and not round an opening of something hollow.

    The square of a rim's length is 4π times the area of a flat disc within it, and more for any
    other flat shape; 2π times that of a half ball, 3.2 times that of a cube without a lid.
    """
    rims = [part.points[loop] for loop in rims_of(part)]
    if not rims:
        return False
    length = max(float(np.linalg.norm(rim - np.roll(rim, 1, axis=0), axis=1).sum()) for rim in rims)
    return length**2 > _RIM * float(triangle_areas(part.points, part.triangles).sum())


def standing_plates(part: FacetPart) -> list[int]:
    """Numbers of the bodies that are sheets, where other bodies are closed: walls drawn without a
    thickness, as a baffle or a fin, and no bodies that lack a face."""
    bodies = np.unique(part.body).tolist()
    # each for itself: what stands on a wall shares its nodes
    shut = {b: bool((edge_table(part.triangles[part.body == b]).uses == 2).all()) for b in bodies}
    if len(bodies) < 2 or not any(shut.values()):
        return []
    return [b for b in bodies if not shut[b] and is_sheet(kept(part, part.body == b))]


def standing_finding(names: list[str], spots: list[list[float]], scale: float) -> list[Finding]:
    """A note about such bodies, by names and a place on each; scale: diagonal of the model."""
    if not names:
        return []
    told = ", ".join(names[:5]) + (" …" if len(names) > 5 else "")
    return [
        Finding(
            "standing-sheets",
            "note",
            f"Walls without a thickness: {told}.",
            len(names),
            spots[:PLACES],
            "Domain keeps them as walls with two sides where they stand in the fluid.",
            cause="Thin plates are often drawn as surfaces.",
            repairs=[
                offer("Thicken them", "thicken", thickness=two_digits(_THICKNESS * scale)),
                offer("Cap their rims", "cap", shape="flat"),
                offer("Drop them", "drop_bodies", bodies=names),
            ],
        )
    ]
