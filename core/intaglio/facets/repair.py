"""Repairs of facets: each takes a part and gives a part and how many things it changed."""

from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from intaglio.errors import StepFailed
from intaglio.facets.booleans import united
from intaglio.facets.capping import cap_triangles, faired, refined_cap
from intaglio.facets.faults import extra_copies, flat_triangles, spikes
from intaglio.facets.openings import Hole, free_edges
from intaglio.facets.part import FacetPart, Ints, kept, scale_of, with_triangles
from intaglio.facets.pieces import (
    Pieces,
    find_pieces,
    pieces_by_pairs,
    turned_triangles,
    twin_pieces,
)
from intaglio.numeric.intersections import crossing_triangles
from intaglio.triangles.edges import EdgeTable, edge_table, pairs_across

Repaired = tuple[FacetPart, int]


def drop_duplicates(part: FacetPart) -> Repaired:
    """Triangles and whole pieces that are there more than once go; one of each stays."""
    extra = extra_copies(part.triangles)
    part = kept(part, ~extra)
    groups = find_pieces(part, edge_table(part.triangles))
    twin = twin_pieces(groups, scale_of(part.points))
    gone = twin[groups.piece]
    return kept(part, ~gone), int(extra.sum() + gone.sum())


def drop_slivers(part: FacetPart, thinner: float) -> Repaired:
    """Triangles thinner than a length go: short edges are drawn together, flat ones swapped away.

    No hole is left: each goes by merging two nodes or by giving its longest edge's neighbour the
    point in between.
    """
    scale = scale_of(part.points)
    before = len(part.triangles)
    points = part.points
    triangles = part.triangles.astype(np.int64)
    region, body = part.region, part.body
    for _ in range(50):
        corner = points[triangles]
        length = np.linalg.norm(np.roll(corner, -1, axis=1) - corner, axis=2)
        same = (triangles == np.roll(triangles, 1, axis=1)).any(axis=1)
        alive = ~same
        triangles, region, body = triangles[alive], region[alive], body[alive]
        length = length[alive]
        short = np.flatnonzero(length.min(axis=1) < thinner)
        if len(short):
            number = np.arange(len(points))
            touched = np.zeros(len(points), bool)
            for t in short[np.argsort(length[short].min(axis=1))]:
                i = int(length[t].argmin())
                a, b = int(triangles[t, i]), int(triangles[t, (i + 1) % 3])
                if not touched[a] and not touched[b]:
                    number[max(a, b)] = min(a, b)
                    touched[a] = touched[b] = True
            triangles = number[triangles]
            continue
        now = replace(
            part, points=points, triangles=triangles.astype(np.int32), region=region, body=body
        )
        flat = _needles(now, thinner, scale)
        if not len(flat):
            break
        changed = _swap_needles(triangles, points, flat)
        if not changed:
            break
    out = with_triangles(part, triangles.astype(np.int32), region, body, points)
    return out, before - len(out.triangles)


def _needles(part: FacetPart, thinner: float, scale: float) -> NDArray[np.int64]:
    corner = part.points[part.triangles]
    length = np.linalg.norm(np.roll(corner, -1, axis=1) - corner, axis=2)
    cross = np.cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0])
    height = np.linalg.norm(cross, axis=1) / np.maximum(length.max(axis=1), 1e-300)
    return np.flatnonzero((height < thinner) | flat_triangles(part, scale))


def _swap_needles(
    triangles: NDArray[np.int64], points: NDArray[np.float64], flat: NDArray[np.int64]
) -> int:
    """The longest edge of a flat triangle swapped with its neighbour's, in place; how many."""
    table = edge_table(triangles.astype(np.int32))
    edge_of = np.empty(3 * len(triangles), np.int64)
    edge_of[table.half] = np.repeat(np.arange(len(table.uses)), table.uses)
    busy = np.zeros(len(triangles), bool)
    linked = {(int(a), int(b)) for a, b in table.nodes}
    changed = 0
    for t in flat:
        corner = points[triangles[t]]
        i = int(np.linalg.norm(np.roll(corner, -1, axis=0) - corner, axis=1).argmax())
        e = edge_of[3 * t + i]
        if table.uses[e] != 2:
            continue
        half = table.half[table.start[e] : table.start[e] + 2]
        other = int(half[1] if half[0] // 3 == t else half[0])
        u, j = other // 3, other % 3
        if busy[t] or busy[u] or u == t:
            continue
        a, b, c = (int(triangles[t, (i + k) % 3]) for k in range(3))
        d = int(triangles[u, (j + 2) % 3])
        if c == d or (min(c, d), max(c, d)) in linked or triangles[u, j] != b:
            continue
        triangles[t] = (a, d, c)
        triangles[u] = (d, b, c)
        linked.add((min(c, d), max(c, d)))
        busy[t] = busy[u] = True
        changed += 1
    return changed


def unify_normals(part: FacetPart) -> Repaired:
    """Every piece agrees with itself; closed ones point outward, cavities inward."""
    table = edge_table(part.triangles)
    groups = find_pieces(part, table)
    flip, _ = turned_triangles(part.triangles, table, groups.piece)
    triangles = np.where(flip[:, None], part.triangles[:, ::-1], part.triangles)
    turned = replace(part, triangles=np.ascontiguousarray(triangles, np.int32))
    groups = find_pieces(turned, edge_table(turned.triangles))
    # an open piece: most of its normals away from its middle
    inward = groups.volume < 0
    wrong = inward ^ (groups.closed & (groups.depth % 2 == 1) & _was_inward(part, groups))
    triangles = np.where(wrong[groups.piece][:, None], turned.triangles[:, ::-1], turned.triangles)
    changed = int((triangles != part.triangles).any(axis=1).sum())
    return replace(part, triangles=np.ascontiguousarray(triangles, np.int32)), changed


def _was_inward(part: FacetPart, groups: Pieces) -> NDArray[np.bool_]:
    """Pieces inside others whose triangles mostly pointed inward: cavities, not bodies."""
    corner = part.points[part.triangles]
    origin = part.points.mean(axis=0)
    share = np.einsum(
        "ij,ij->i",
        np.cross(corner[:, 0] - origin, corner[:, 1] - origin),
        corner[:, 2] - origin,
    )
    return np.bincount(groups.piece, share, len(groups.closed)) < 0


def drop_pieces(part: FacetPart, smaller: float) -> Repaired:
    """Pieces with a box of a smaller diagonal go, but for the largest."""
    groups = find_pieces(part, edge_table(part.triangles))
    size = np.linalg.norm(groups.high - groups.low, axis=1)
    gone = (size < smaller) & (size < size.max())
    return kept(part, ~gone[groups.piece]), int(gone.sum())


def drop_inside(part: FacetPart) -> Repaired:
    """Bodies inside other bodies go; cavities stay."""
    groups = find_pieces(part, edge_table(part.triangles))
    gone = (groups.depth > 0) & ~(groups.closed & (groups.volume < 0))
    return kept(part, ~gone[groups.piece]), int(gone.sum())


def drop_bodies(part: FacetPart, names: list[str]) -> Repaired:
    """Named bodies go."""
    gone = np.array([n in names for n in part.body_names])
    if gone.all():
        raise StepFailed("nothing-left", "Dropping these bodies would leave nothing.")
    return kept(part, ~gone[part.body]), int(gone.sum())


def drop_fins(part: FacetPart) -> Repaired:
    """Sheets that hang on the surface by a branching edge and are open elsewhere go."""
    gone = 0
    for _ in range(20):
        table = edge_table(part.triangles)
        pairs, _ = pairs_across(table)
        sheet = pieces_by_pairs(pairs, len(part.triangles))
        count = int(sheet.max()) + 1
        edge = np.repeat(np.arange(len(table.uses)), table.uses)
        free, many = np.zeros(count, bool), np.zeros(count, bool)
        free[sheet[table.half[table.uses[edge] == 1] // 3]] = True
        many[sheet[table.half[table.uses[edge] > 2] // 3]] = True
        area = np.bincount(sheet, minlength=count)
        fin = free & (many | (area < 0.02 * area.sum()))
        if not fin.any() or fin.all():
            break
        # the largest open piece is the model itself, not a fin
        fin[int(area.argmax())] = False
        if not fin.any():
            break
        gone += int(fin.sum())
        part = kept(part, ~fin[sheet])
    return part, gone


def cap_holes(part: FacetPart, shape: str, wider: float, narrower: float) -> Repaired:
    """Holes of diameters between the limits (0: none) are closed, flat or running on smoothly.

    A cap takes the region of the triangles next to it.
    """
    total = 0
    # caps of rims that touch can leave a small hole between them
    for _ in range(4):
        table = edge_table(part.triangles)
        free = free_edges(part.points, part.triangles, table)
        holes = (*free.holes, *free.slits)
        chosen = [
            h for h in holes if h.diameter >= wider and (not narrower or h.diameter <= narrower)
        ]
        if not chosen:
            break
        part = _capped(part, table, chosen, shape)
        total += len(chosen)
    return part, total


def _capped(part: FacetPart, table: EdgeTable, holes: list[Hole], shape: str) -> FacetPart:
    points = [part.points]
    triangles, region, body = [part.triangles], [part.region], [part.body]
    count = len(part.points)
    owner = {}
    for e in np.flatnonzero(table.uses == 1):
        half = int(table.half[table.start[e]])
        t, i = half // 3, half % 3
        owner[int(part.triangles[t, i]), int(part.triangles[t, (i + 1) % 3])] = t
    for hole in holes:
        loop = hole.nodes
        # against the direction of the triangles around
        ahead = sum((int(a), int(b)) in owner for a, b in zip(loop, np.roll(loop, -1), strict=True))
        if 2 * ahead > len(loop):
            loop = loop[::-1]
        cap = cap_triangles(part.points, loop, _linked(table, loop))
        if not len(cap):
            # every way across is taken by an edge already: a fan from a new point in the middle
            points.append(part.points[loop].mean(axis=0)[None])
            ahead_of = np.roll(loop, -1)
            cap = np.stack([loop, ahead_of, np.full(len(loop), count)], axis=1).astype(np.int32)
            count += 1
            shape_here = "flat"
        else:
            shape_here = shape
        beside = [
            owner.get((int(b), int(a)), owner.get((int(a), int(b)), 0))
            for a, b in zip(loop, np.roll(loop, -1), strict=True)
        ]
        values, votes = np.unique(part.region[beside], return_counts=True)
        own_region = int(values[votes.argmax()])
        own_body = int(part.body[beside[0]])
        if shape_here == "smooth":
            new, cap = _smooth_cap(part, loop, cap, count)
            points.append(new)
            count += len(new)
        triangles.append(cap.astype(np.int32))
        region.append(np.full(len(cap), own_region, np.int32))
        body.append(np.full(len(cap), own_body, np.int32))
    return replace(
        part,
        points=np.concatenate(points),
        triangles=np.concatenate(triangles),
        region=np.concatenate(region),
        body=np.concatenate(body),
    )


def _linked(table: EdgeTable, loop: NDArray[np.int64]) -> NDArray[np.bool_]:
    """Pairs of loop nodes (n, n) that an edge joins already, but for the loop's own sides."""
    spot = {int(v): k for k, v in enumerate(loop)}
    out = np.zeros((len(loop), len(loop)), bool)
    both = np.isin(table.nodes, loop).all(axis=1)
    for a, b in table.nodes[both].tolist():
        i, j = spot[a], spot[b]
        if abs(i - j) not in (1, len(loop) - 1):
            out[i, j] = out[j, i] = True
    return out


def _smooth_cap(
    part: FacetPart, loop: NDArray[np.int64], cap: Ints, count: int
) -> tuple[NDArray[np.float64], Ints]:
    """New points, and the cap on them, tangent to the surface around. count: points so far."""
    near = np.isin(part.triangles, loop).any(axis=1)
    ring = np.unique(part.triangles[near])
    around = part.triangles[np.isin(part.triangles, ring).any(axis=1)]
    nodes, local = np.unique(np.concatenate([around.ravel(), loop]), return_inverse=True)
    spot = {int(v): k for k, v in enumerate(nodes)}
    rim = part.points[loop]
    edge = float(np.median(np.linalg.norm(rim - np.roll(rim, 1, axis=0), axis=1)))
    start = np.array([[spot[int(v)] for v in t] for t in cap], np.int32)
    pts, fine = refined_cap(part.points[nodes], start, edge)
    free = np.zeros(len(pts), bool)
    free[len(nodes) :] = True
    whole = np.concatenate([local[: around.size].reshape(-1, 3).astype(np.int32), fine])
    pts = faired(pts, whole, free)
    back = np.concatenate([nodes, np.arange(count, count + len(pts) - len(nodes))])
    return pts[len(nodes) :], back[fine].astype(np.int32)


def drop_spikes(part: FacetPart) -> Repaired:
    """Needles are drawn down to the middle of the points around them."""
    table = edge_table(part.triangles)
    sharp = spikes(part, table, scale_of(part.points))
    points = part.points.copy()
    for v in sharp:
        on = (table.nodes == v).any(axis=1)
        ring = np.setdiff1d(table.nodes[on], [v])
        points[v] = part.points[ring].mean(axis=0)
    return replace(part, points=points), len(sharp)


def untangle(part: FacetPart) -> Repaired:
    """Triangles that cross others of their own surface are cut out with those around them, and
    the holes that leaves are capped."""
    total = 0
    for _ in range(4):
        bad = crossing_triangles(part.points, part.triangles)
        if not len(bad):
            break
        total += len(bad)
        touched = np.asarray(np.isin(part.triangles, part.triangles[bad])).any(axis=1)
        touched = np.asarray(touched, bool)
        if touched.all():
            raise StepFailed(
                "all-crossing", "Every triangle is next to one that crosses; nothing would be left."
            )
        before = edge_table(part.triangles)
        old = {tuple(e) for e in part.points[before.nodes[before.uses == 1]].reshape(-1, 6)}
        part = kept(part, ~touched)
        part, _ = drop_fins(part)
        table = edge_table(part.triangles)
        holes = [
            h
            for h in free_edges(part.points, part.triangles, table).holes
            if not _known(part.points[h.nodes], old)
        ]
        part = _capped(part, table, holes, "flat")
    return part, total


def _known(loop: NDArray[np.float64], old: set[Any]) -> bool:
    """Whether a loop was a hole before."""
    first = (*loop[0], *loop[1])
    return first in old or (*loop[1], *loop[0]) in old


def union(part: FacetPart) -> Repaired:
    """Closed bodies that run into each other become one. Raises StepFailed if any is open."""
    groups = find_pieces(part, edge_table(part.triangles))
    if not groups.closed.all():
        raise StepFailed(
            "open-body",
            "Bodies can be united only when all are closed. Cap the holes first.",
            (0.5 * (groups.low + groups.high))[~groups.closed][:20].tolist(),
        )
    return united(part, groups.piece), len(groups.closed)
