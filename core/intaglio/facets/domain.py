"""Getting the fluid out of facets: openings, the pin, the space that closing openings leaves; and
what is left of an enclosure around bodies.

The method is that for CAD: closing an opening cuts the surface apart along its rim, and what then
hangs together is one side of a wall.
"""

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from intaglio.errors import StepFailed
from intaglio.facets.capping import cap_triangles
from intaglio.facets.openings import free_edges, vector_area
from intaglio.facets.part import FacetPart, Floats, Ints, scale_of
from intaglio.facets.pieces import find_pieces
from intaglio.numeric.boxtree import box_tree, first_hits
from intaglio.numeric.winding import winding_numbers
from intaglio.triangles.edges import EdgeTable, chains, edge_table, pieces
from intaglio.triangles.measures import enclosed_volume, triangle_areas, triangle_normals


@dataclass(frozen=True)
class FacetOpening:
    """A rim of nodes where a space meets the outside: on a flat region, or (free) a hole of a
    sheet. name, region, nodes in order, centre, normal, area, diameter of the circle of equal
    area."""

    name: str
    region: int
    nodes: NDArray[np.int64]
    centre: Floats
    normal: Floats
    area: float
    diameter: float
    free: bool


@dataclass(frozen=True)
class FacetSpace:
    """A closed space: the openings that bound it, its volume and a point in it."""

    openings: tuple[str, ...]
    volume: float
    pin: tuple[float, float, float]


def openings(part: FacetPart) -> list[FacetOpening]:
    """Openings of a part, largest first."""
    table = edge_table(part.triangles)
    found = _rims(part, table)
    for hole in free_edges(part.points, part.triangles, table).holes:
        corner = part.points[hole.nodes]
        normal = vector_area(corner)
        if normal @ (hole.centre - part.points.mean(axis=0)) < 0:
            normal = -normal
        area = float(np.linalg.norm(normal))
        if area > 0:
            found.append((area, -1, hole.nodes, hole.centre, normal / area, True))
    found.sort(key=lambda f: (-round(f[0], 9), f[1]))
    return [
        FacetOpening(
            f"opening_{k + 1}",
            region,
            nodes,
            centre,
            normal,
            area,
            2 * float(np.sqrt(area / np.pi)),
            free,
        )
        for k, (area, region, nodes, centre, normal, free) in enumerate(found)
    ]


def _rims(part: FacetPart, table: EdgeTable) -> list[tuple[Any, ...]]:
    """Inner loops of flat regions beyond which the surface goes in."""
    two = np.flatnonzero(table.uses == 2)
    one, other = table.half[table.start[two]] // 3, table.half[table.start[two] + 1] // 3
    border = part.region[one] != part.region[other]
    one, other, edges = one[border], other[border], table.nodes[two[border]]
    normal = triangle_normals(part.points, part.triangles)
    areas = triangle_areas(part.points, part.triangles)
    scale = scale_of(part.points)
    found = []
    for region in np.unique(np.concatenate([part.region[one], part.region[other]])):
        own = part.region == region
        mean = areas[own] @ normal[own]
        length = float(np.linalg.norm(mean))
        if length < 0.9999 * areas[own].sum():
            continue
        mean /= length
        here = (part.region[one] == region) | (part.region[other] == region)
        loops = [c for c in chains(edges[here]) if c[0] == c[-1] and len(c) > 3]
        if len(loops) < 2:
            continue
        size = [float(np.linalg.norm(vector_area(part.points[c[:-1]]))) for c in loops]
        level = float((part.points[part.triangles[own][:, 0]] @ mean).mean())
        beyond = np.where(part.region[one[here]] == region, other[here], one[here])
        for k, loop in enumerate(loops):
            if k == int(np.argmax(size)) or size[k] < 1e-10 * scale**2:
                continue
            on = np.isin(part.triangles[beyond], loop).sum(axis=1) >= 2
            depth = (part.points[part.triangles[beyond[on]]] @ mean).mean() - level
            if depth < 0:
                corner = part.points[loop[:-1]]
                found.append((size[k], int(region), loop[:-1], corner.mean(axis=0), mean, False))
    return found


def _closed_along(part: FacetPart, table: EdgeTable, closed: list[FacetOpening]) -> Ints:
    """Piece of each triangle after cutting along the rims of closed openings."""
    n = np.int64(len(part.points))
    code = table.nodes[:, 0].astype(np.int64) * n + table.nodes[:, 1]
    barrier = np.zeros(len(code), bool)
    for o in closed:
        a, b = o.nodes, np.roll(o.nodes, -1)
        barrier |= np.isin(code, np.minimum(a, b) * n + np.maximum(a, b))
    return pieces(table, len(part.triangles), ~barrier & (table.uses == 2))


def _cap_of(triangles: Ints, points: Floats, rim: NDArray[np.int64]) -> Ints:
    """Triangles that close a rim against the given ones, or none if they do not border on it."""
    directed = {
        (int(t[i]), int(t[(i + 1) % 3]))
        for t in triangles[np.isin(triangles, rim).sum(axis=1) >= 2]
        for i in range(3)
    }
    pairs = [(int(a), int(b)) for a, b in zip(rim, np.roll(rim, -1), strict=True)]
    ahead = sum(p in directed for p in pairs)
    back = sum((b, a) in directed for a, b in pairs)
    if max(ahead, back) < len(rim) or ahead == back:
        return np.zeros((0, 3), np.int32)
    loop = rim[::-1] if ahead > back else rim
    return cap_triangles(points, loop, np.zeros((len(loop),) * 2, bool))


@dataclass(frozen=True)
class _Shell:
    """A piece with the caps on its rims: triangles, the opening (or -1) of each, whether closed."""

    triangles: Ints
    origin: NDArray[np.int64]  # triangle of the part, -1 on caps
    cap: Ints
    rims: tuple[int, ...]
    closed: bool
    volume: float


def _shells(part: FacetPart, closed: list[FacetOpening]) -> list[_Shell]:
    table = edge_table(part.triangles)
    piece = _closed_along(part, table, closed)
    beside = [
        set(piece[np.isin(part.triangles, o.nodes).sum(axis=1) >= 2].tolist()) for o in closed
    ]
    out = []
    for p in range(int(piece.max()) + 1):
        own = np.flatnonzero(piece == p)
        triangles, cap, rims = [part.triangles[own]], [np.full(len(own), -1, np.int32)], []
        for k, o in enumerate(closed):
            # the host region's own piece does not lie behind the opening
            if p not in beside[k] or (not o.free and (part.region[own] == o.region).any()):
                continue
            lid = _cap_of(part.triangles[own], part.points, o.nodes)
            if len(lid):
                triangles.append(lid)
                cap.append(np.full(len(lid), k, np.int32))
                rims.append(k)
        whole = np.concatenate(triangles)
        uses = edge_table(whole).uses
        out.append(
            _Shell(
                whole,
                np.concatenate([own, np.full(len(whole) - len(own), -1)]),
                np.concatenate(cap),
                tuple(rims),
                bool((uses == 2).all()),
                enclosed_volume(part.points, whole),
            )
        )
    return out


def spaces(part: FacetPart, found: list[FacetOpening]) -> list[FacetSpace]:
    """Closed spaces when every opening to the outside is closed, largest first."""
    outer = _outer_openings(part, found)
    out = []
    for shell in _shells(part, outer):
        sheet = bool(shell.rims) and all(outer[k].free for k in shell.rims)
        if not shell.closed or (shell.volume > 0 and not sheet) or shell.volume == 0:
            continue
        turned = shell.triangles if shell.volume > 0 else shell.triangles[:, ::-1]
        pin = inner_point(part.points, np.ascontiguousarray(turned))
        if pin is not None:
            names = tuple(outer[k].name for k in shell.rims)
            out.append(FacetSpace(names, abs(shell.volume), tuple(float(x) for x in pin)))  # type: ignore[arg-type]
    return sorted(out, key=lambda s: -s.volume)


def _outer_openings(part: FacetPart, found: list[FacetOpening]) -> list[FacetOpening]:
    """Openings from the outside into a space; not those between two spaces."""
    if not found:
        return found
    table = edge_table(part.triangles)
    piece = _closed_along(part, table, found)
    far = part.points[part.triangles].mean(axis=1)
    rng = np.random.default_rng(7)
    outside = {int(piece[int((far @ d).argmax())]) for d in rng.normal(size=(8, 3))}
    out = []
    for o in found:
        if o.free:
            out.append(o)
            continue
        host = set(piece[part.region == o.region].tolist())
        on = np.isin(part.triangles, o.nodes).sum(axis=1) >= 2
        wall = set(piece[on & (part.region != o.region)].tolist())
        if host & outside and not wall & outside:
            out.append(o)
    return out


def inner_point(points: Floats, triangles: Ints) -> Floats | None:
    """A point well inside a closed, outward surface: half way along the longest way in from some
    of its largest triangles; None if there is none."""
    if not len(triangles):
        return None
    area = triangle_areas(points, triangles)
    pick = np.argsort(-area)[:: max(1, len(area) // 200)][:200]
    normal = triangle_normals(points, triangles)[pick]
    middle = points[triangles[pick]].mean(axis=1)
    tree = box_tree(points, triangles)
    skip = np.full(len(pick), 1e-7 * scale_of(points))
    distance, _ = first_hits(tree, middle, np.ascontiguousarray(-normal), skip)
    spot = middle - 0.5 * np.where(np.isfinite(distance), distance, 0.0)[:, None] * normal
    order = np.argsort(-np.where(np.isfinite(distance), distance, -1))
    for k in order[:20]:
        if (
            np.isfinite(distance[k])
            and winding_numbers(points, triangles, spot[k : k + 1])[0] > 0.5
        ):
            return spot[k]
    return None


def fluid_inside(
    part: FacetPart, found: list[FacetOpening], closed: list[str], pin: list[float], zone: str
) -> FacetPart:
    """The space that holds the pin when the named openings are closed, outward; caps are regions
    named after their openings. Raises StepFailed as the function for CAD does."""
    spot = np.array([pin], float)
    groups = find_pieces(part, edge_table(part.triangles))
    solid = groups.closed[groups.piece]
    if solid.any() and winding_numbers(part.points, part.triangles[solid], spot)[0] > 0.5:
        raise StepFailed(
            "pin-in-solid",
            "The pin lies in solid material. Move it into the space where fluid is.",
            [list(pin)],
        )
    chosen = [o for o in found if o.name in closed]
    shells = _shells(part, chosen)
    best: _Shell | None = None
    for shell in shells:
        sheet = bool(shell.rims) and all(chosen[k].free for k in shell.rims)
        if not shell.closed or (shell.volume > 0 and not sheet):
            continue
        around = abs(winding_numbers(part.points, shell.triangles, spot)[0]) > 0.5
        if around and (best is None or abs(shell.volume) < abs(best.volume)):
            best = shell
    if best is None:
        _refuse(part, found, closed, pin)
    assert best is not None
    return _fluid(part, chosen, best, shells, zone)


def _fluid(
    part: FacetPart,
    chosen: list[FacetOpening],
    outer: _Shell,
    shells: list[_Shell],
    zone: str,
) -> FacetPart:
    """The outer shell of a space, and bodies that stand free within it, as one fluid."""
    wanted = outer.triangles if outer.volume > 0 else outer.triangles[:, ::-1]
    triangles, origin, cap = [wanted], [outer.origin], [outer.cap]
    for shell in shells:
        if shell is outer or not shell.closed or shell.volume <= 0 or shell.rims:
            continue
        spot = part.points[shell.triangles[:1]].mean(axis=1)
        if winding_numbers(part.points, np.ascontiguousarray(wanted), spot)[0] > 0.5:
            triangles.append(shell.triangles[:, ::-1])
            origin.append(shell.origin)
            cap.append(shell.cap)
    whole = np.concatenate(triangles)
    start, lid = np.concatenate(origin), np.concatenate(cap)
    names = [*part.region_names, *(o.name for o in chosen)]
    region = np.where(lid >= 0, len(part.region_names) + lid, part.region[np.maximum(start, 0)])
    return compact(
        FacetPart(
            part.points,
            np.ascontiguousarray(whole, np.int32),
            region.astype(np.int32),
            np.zeros(len(whole), np.int32),
            tuple(names),
            (zone,),
            part.unit,
        )
    )


def compact(part: FacetPart) -> FacetPart:
    """Without unused points, and without regions and bodies that hold no triangle."""
    used, region = np.unique(part.region, return_inverse=True)
    bodies, body = np.unique(part.body, return_inverse=True)
    nodes, local = np.unique(part.triangles, return_inverse=True)
    return replace(
        part,
        points=part.points[nodes],
        triangles=local.reshape(-1, 3).astype(np.int32),
        region=region.astype(np.int32),
        body=body.astype(np.int32),
        region_names=tuple(part.region_names[k] for k in used),
        body_names=tuple(part.body_names[k] for k in bodies),
    )


def _refuse(
    part: FacetPart, found: list[FacetOpening], closed: list[str], pin: list[float]
) -> None:
    spot = np.array([pin], float)
    outer = _outer_openings(part, found)
    for shell in _shells(part, outer):
        if shell.closed and abs(winding_numbers(part.points, shell.triangles, spot)[0]) > 0.5:
            left = [outer[k] for k in shell.rims if outer[k].name not in closed]
            if left:
                names = ", ".join(o.name for o in left)
                raise StepFailed(
                    "not-closed",
                    f"The space at the pin is still open at {names}. Tick it to close it.",
                    [o.centre.tolist() for o in left],
                )
    raise StepFailed(
        "pin-outside",
        "The pin does not lie in a closed space of the part. "
        "Move it into the part, or close the openings around it.",
        [list(pin)],
    )


def fluid_as_is(part: FacetPart, zone: str) -> FacetPart:
    """The facets taken as the fluid. Raises StepFailed with the places where they do not close."""
    table = edge_table(part.triangles)
    bad = table.nodes[table.uses != 2]
    if len(bad):
        raise StepFailed(
            "open-surface",
            f"The facets have {len(bad):,} free or branching edges, so they bound no fluid. "
            "Repair the findings of Geometry first.",
            part.points[bad].mean(axis=1)[:20].tolist(),
        )
    if enclosed_volume(part.points, part.triangles) <= 0:
        raise StepFailed("inverted", "The facets are inside out. Unify their normals in Geometry.")
    return compact(replace(part, body=np.zeros(len(part.triangles), np.int32), body_names=(zone,)))
