"""Open facets that are thin walls rather than bodies with a hole in them."""

import numpy as np
from scipy.spatial import cKDTree

from intaglio.facets.closing import rims_of
from intaglio.facets.part import FacetPart, Floats, Ints, kept, scale_of
from intaglio.findings import PLACES, Finding, offer, two_digits
from intaglio.triangles.edges import edge_table
from intaglio.triangles.measures import enclosed_volume, triangle_areas

# capped flat, a plate holds less than this share of a ball with as large a surface
_PLATE = 0.05
# a rim goes round a sheet if its length squared is more than this times the sheet's area
_RIM = 9.0
# a rim within this share of the model from another may run on to it; closer than the second it does
_NEAR = 0.03
_MEETS = 1e-6
# a surface that runs on along more than this share of its rim is to be sewn
_MUCH = 0.2
# what is offered as a thickness where nobody says, as a share of the model
THICKNESS = 0.01


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


def standing_plates(part: FacetPart, shut: dict[int, bool] | None = None) -> list[int]:
    """Numbers of the bodies that are sheets, where other bodies are closed: walls drawn without a
    thickness, as a baffle or a fin, and no bodies that lack a face, nor pieces of a surface that
    still are to be sewn.

    shut: whether each body is closed, where that is known.
    """
    bodies = np.unique(part.body).tolist()
    if shut is None:
        # each for itself: what stands on a wall shares its nodes
        shut = {b: _closes(part.triangles[part.body == b]) for b in bodies}
    if not any(shut[b] for b in bodies):
        return []
    left = [b for b in bodies if not shut[b] and is_sheet(kept(part, part.body == b))]
    going_on = _going_on(kept(part, ~np.isin(part.body, [b for b in bodies if shut[b]])))
    return [b for b in left if b not in going_on]


def _closes(triangles: Ints) -> bool:
    return bool((edge_table(triangles).uses == 2).all())


def _going_on(part: FacetPart) -> set[int]:
    """Bodies of which much of the rim runs on, along its surface, to the rim of another body."""
    table = edge_table(part.triangles)
    lone = np.flatnonzero(table.uses == 1)
    if not len(lone):
        return set()
    own = table.half[table.start[lone]] // 3
    ends = part.points[table.nodes[lone]]
    middle, length = ends.mean(axis=1), np.linalg.norm(ends[:, 0] - ends[:, 1], axis=1)
    # out of the surface, in its plane
    out = middle - part.points[part.triangles[own]].mean(axis=1)
    along = (ends[:, 1] - ends[:, 0]) / np.maximum(length, 1e-300)[:, None]
    out -= np.einsum("ij,ij->i", out, along)[:, None] * along
    scale = scale_of(part.points)
    body = part.body[own]
    met = np.zeros(len(lone), bool)
    for b in np.unique(body).tolist():
        mine, others = np.flatnonzero(body == b), np.flatnonzero(body != b)
        if not len(others):
            continue
        tree = cKDTree(np.concatenate([middle[others], ends[others].reshape(-1, 3)]))
        apart, at = tree.query(middle[mine], distance_upper_bound=_NEAR * scale)
        near = np.isfinite(apart)
        to = tree.data[np.minimum(at, tree.n - 1)] - middle[mine]
        to -= np.einsum("ij,ij->i", to, along[mine])[:, None] * along[mine]
        width = np.linalg.norm(to, axis=1)
        ahead = np.einsum("ij,ij->i", to, out[mine])
        ahead /= np.maximum(np.linalg.norm(out[mine], axis=1), 1e-300)
        # past the other rim or short of it, but not beside it
        on = near & ((width < _MEETS * scale) | (np.abs(ahead) > 0.5 * width))
        met[mine[on]] = True
        # what runs on to a rim, that rim runs on to
        edge = np.concatenate([others, np.repeat(others, 2)])
        met[edge[at[on]]] = True
    share = np.bincount(body, length * met) / np.maximum(np.bincount(body, length), 1e-300)
    return set(np.flatnonzero(share > _MUCH).tolist())


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
                offer("Thicken them", "thicken", thickness=two_digits(THICKNESS * scale)),
                offer("Cap their rims", "cap", shape="flat"),
                offer("Drop them", "drop_bodies", bodies=names),
            ],
        )
    ]
