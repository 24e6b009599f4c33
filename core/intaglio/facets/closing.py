"""Closing facets that are open for good reason: rims brought to a plane and capped there, sheets
thickened."""

from dataclasses import replace

import manifold3d
import numpy as np
from numpy.typing import NDArray

from intaglio.errors import StepFailed
from intaglio.facets.openings import Hole, free_edges
from intaglio.facets.part import FacetPart, free_name, scale_of
from intaglio.facets.pieces import find_pieces
from intaglio.facets.repair import unify_normals
from intaglio.triangles.edges import edge_table
from intaglio.triangles.measures import triangle_normals

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]
Repaired = tuple[FacetPart, int]

# nodes this near to the plane, as a share of the model, are on it
_ON = 1e-6
# a node at a crease is moved farther than its faces, by no more than this
_MITRE = 3.0


def rims_of(part: FacetPart) -> list[NDArray[np.int64]]:
    """Nodes of each closed rim, slits included, in the direction in which new triangles pass it."""
    table = edge_table(part.triangles)
    free = free_edges(part.points, part.triangles, table)
    return [_against_its_triangles(part, rim) for rim in (*free.holes, *free.slits)]


def closed_against(
    part: FacetPart, at: list[float], normal: list[float], reach: float = 0.0
) -> Repaired:
    """Every rim is brought square to a plane by a wall, and the plane is closed within all of them.

    reach: rims that go farther from the plane are left open; 0 for none. A rim within another
    leaves its inside open, as the end of a thick pipe. Raises StepFailed where there is no closed
    rim, or where the plane cannot be triangulated within them.
    """
    n = np.asarray(normal, float) / np.linalg.norm(normal)
    loops = [
        loop
        for loop in rims_of(part)
        if not reach or np.abs((part.points[loop] - at) @ n).max() <= reach
    ]
    if not loops:
        raise StepFailed("no-rim", "No closed rim is there to be closed. Sew the gaps first.")
    points, walls, bases = [part.points], [], []
    count = len(part.points)
    for loop in loops:
        height = (part.points[loop] - at) @ n
        off = np.abs(height) > _ON * scale_of(part.points)
        foot = loop.copy()
        foot[off] = count + np.arange(off.sum())
        count += int(off.sum())
        points.append(part.points[loop[off]] - height[off][:, None] * n)
        after, foot_after = np.roll(loop, -1), np.roll(foot, -1)
        walls.append(np.column_stack([loop, after, foot_after])[after != foot_after])
        walls.append(np.column_stack([loop, foot_after, foot])[loop != foot])
        bases.append(foot)
    every = np.concatenate(points)
    cap = _plane_within(every, bases, n)
    own = part.body[np.isin(part.triangles, loops[0]).any(axis=1)][0]
    wall = np.concatenate(walls).astype(np.int32)
    names = list(part.region_names)
    region = [part.region]
    for rows, name in ((wall, "wall_to_plane"), (cap, "plane")):
        region.append(np.full(len(rows), len(names), np.int32))
        if len(rows):
            names.append(free_name(name, names))
    made = np.concatenate([part.triangles, wall, cap])
    body = np.concatenate([part.body, np.full(len(wall) + len(cap), own, np.int32)])
    out = replace(
        part,
        points=every,
        triangles=made,
        region=np.concatenate(region),
        body=body,
        region_names=tuple(names),
    )
    # a sheet may have looked either way
    return unify_normals(out)[0], len(loops)


def _against_its_triangles(part: FacetPart, rim: Hole) -> NDArray[np.int64]:
    """The rim's nodes in the direction in which new triangles pass it."""
    t = part.triangles
    pairs = np.concatenate([t[:, [0, 1]], t[:, [1, 2]], t[:, [2, 0]]]).astype(np.int64)
    passed = (pairs[:, 0] << 32) | pairs[:, 1]
    loop = rim.nodes.astype(np.int64)
    wanted = (loop << 32) | np.roll(loop, -1)
    return loop[::-1] if 2 * np.isin(wanted, passed).sum() > len(loop) else loop


def _plane_within(points: Floats, loops: list[NDArray[np.int64]], normal: Floats) -> Ints:
    """Triangles of a plane within loops of its nodes, which they pass in the loops' direction."""
    first = np.cross(normal, np.eye(3)[np.abs(normal).argmin()])
    first /= np.linalg.norm(first)
    second = np.cross(normal, first)
    flat = [np.column_stack([points[loop] @ first, points[loop] @ second]) for loop in loops]
    turned = sum(_signed_area(polygon) for polygon in flat) < 0
    if turned:
        flat = [polygon[:, ::-1] for polygon in flat]
    try:
        rows = np.asarray(manifold3d.triangulate(flat))
    except (RuntimeError, ValueError) as error:
        raise StepFailed("plane", "The plane cannot be closed within the rims.") from error
    if not len(rows):
        raise StepFailed("plane", "The rims enclose nothing of the plane.")
    return np.concatenate(loops)[rows].astype(np.int32)


def _signed_area(polygon: Floats) -> float:
    x, y = polygon.T
    return 0.5 * float((x * np.roll(y, -1) - np.roll(x, -1) * y).sum())


def thickened(part: FacetPart, thickness: float) -> Repaired:
    """Every open piece gets a second side at a distance, on the side of its normals, and a rim.

    Each region gets one for its second side, and the rim is a region of its own. How many pieces.
    """
    table = edge_table(part.triangles)
    pieces = find_pieces(part, table)
    chosen = ~pieces.closed[pieces.piece]
    if not chosen.any():
        return part, 0
    sheet = part.triangles[chosen]
    nodes = np.unique(sheet)
    copy = np.full(len(part.points), -1, np.int64)
    copy[nodes] = len(part.points) + np.arange(len(nodes))
    far = part.points[nodes] + thickness * _directions(part.points, sheet)[nodes]
    # the sheet becomes the side that looks away from its normals
    near_side, far_side = sheet[:, ::-1], copy[sheet].astype(np.int32)
    lone = table.uses == 1
    half = table.half[table.start[:-1][lone]]
    t, i = half // 3, half % 3
    a, b = part.triangles[t, i], part.triangles[t, (i + 1) % 3]
    # the far side passes the edge from a to b
    side = np.concatenate(
        [np.column_stack([copy[b], copy[a], a]), np.column_stack([copy[b], a, b])]
    ).astype(np.int32)
    names = list(part.region_names)
    second = np.full(len(names), -1, np.int32)
    for r in np.unique(part.region[chosen]).tolist():
        second[r] = len(names)
        names.append(free_name(f"{part.region_names[r]}_back", names))
    names.append(free_name("rim", names))
    keep = part.triangles[~chosen]
    out = replace(
        part,
        points=np.concatenate([part.points, far]),
        triangles=np.concatenate([keep, near_side, far_side, side]),
        region=np.concatenate(
            [
                part.region[~chosen],
                second[part.region[chosen]],
                part.region[chosen],
                np.full(len(side), len(names) - 1, np.int32),
            ]
        ).astype(np.int32),
        body=np.concatenate(
            [part.body[~chosen], part.body[chosen], part.body[chosen], np.tile(part.body[t], 2)]
        ).astype(np.int32),
        region_names=tuple(names),
    )
    return out, int((~pieces.closed).sum())


def _directions(points: Floats, triangles: Ints) -> Floats:
    """Where each node (n, 3) goes when its triangles move by one along their normals."""
    normal = triangle_normals(points, triangles)
    corner = points[triangles]
    total, times = np.zeros((len(points), 3)), np.zeros(len(points))
    for i in range(3):
        u = corner[:, (i + 1) % 3] - corner[:, i]
        v = corner[:, (i + 2) % 3] - corner[:, i]
        size = np.linalg.norm(np.cross(u, v), axis=1)
        angle = np.arctan2(size, np.einsum("ij,ij->i", u, v))
        np.add.at(total, triangles[:, i], angle[:, None] * normal)
        np.add.at(times, triangles[:, i], angle)
    length = np.linalg.norm(total, axis=1)
    # the mean of the normals is the shorter the sharper the crease
    share = np.maximum(length / np.where(times > 0, times, 1.0), 1.0 / _MITRE)
    return total / np.where(length > 0, length, 1.0)[:, None] / share[:, None]
