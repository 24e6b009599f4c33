"""Whether a mesh is valid: what must hold before it is stored or handed over.

That every point of the domain lies in exactly one cell follows from what is checked: a point is
covered as often as the boundary winds around it, since interior faces cancel; every cell is seen
whole from its centre and so covers no point twice nor negatively; and the boundary winds once
around its inside (`overlap`). All of it takes time linear in the mesh but for the search among
boundary triangles, which are far fewer.
"""

import numpy as np
from numba import njit

from intaglio.findings import PLACES, Finding
from intaglio.mesh.building import faces_around
from intaglio.mesh.cells import FACES, POLYHEDRON
from intaglio.mesh.loading import (
    Raw,
    cell_room,
    face_centre,
    face_vector,
    load_cell,
    raw_arrays,
    room_for,
    wedge_volume,
)
from intaglio.mesh.mesh import Mesh, cell_middles, face_middles, following, rows
from intaglio.mesh.overlap import overlaps
from intaglio.mesh.periodic import periodic_findings
from intaglio.mesh.polygons import turning
from intaglio.mesh.sheets import sheet_findings
from intaglio.mesh.soundness import duplicate_points, unsound
from intaglio.numeric.chunks import in_chunks

# a face bent more than this has no normal that a solver could use
WARP_LIMIT = 60.0
# volumes by cells and by boundary agree to this share
_SAME = 1e-9

# a cell whose height over its largest face is less than this share of its shortest edge is flat
FLAT = 1e-6

_NEGATIVE, _FOLDED, _OPEN, _TURNED, _FLAT = 1, 2, 4, 8, 16


@njit(cache=True, nogil=True)
def _inspect(raw, low, high, most, volume, flags):
    """Volume of each cell, and what is wrong with it."""
    cell = cell_room(most[0], most[1], most[2])
    apex, middle, centre = np.empty(3), np.empty(3), np.empty(3)
    mine, theirs = np.empty(most[2], np.int64), np.empty(most[2], np.int64)
    for c in range(low, high):
        nodes, faces, edges = load_cell(raw, c, cell)
        flags[c] = _joined(raw, c, cell, faces, mine, theirs) if edges >= 0 else _OPEN
        for i in range(3):
            apex[i] = 0.0
            for j in range(nodes):
                apex[i] += cell.xyz[j, i]
            apex[i] /= nodes
        least, total = _seen_from(cell, faces, apex, centre)
        volume[c] = total
        if not total > 0.0:
            flags[c] |= _NEGATIVE
            continue
        if edges > 0 and _height(cell, faces, total, centre) < FLAT * _shortest(cell, edges):
            flags[c] |= _FLAT
        if not least > 0.0:
            # a cell that is not convex may yet be seen whole from its centroid
            _centroid(cell, faces, apex, centre, middle)
            least, _ = _seen_from(cell, faces, middle, centre)
            if not least > 0.0:
                flags[c] |= _FOLDED


@njit(cache=True)
def _seen_from(cell, faces, apex, centre):
    """Least and total volume of the wedges that the cell's faces span with an apex."""
    least = np.inf
    total = 0.0
    for k in range(faces):
        face_centre(cell, k, centre)
        one, part = wedge_volume(cell, k, apex, centre)
        least = min(least, one)
        total += part
    return least, total


@njit(cache=True)
def _height(cell, faces, volume, area):
    """Height of the loaded cell over its largest face, were it a pyramid on it."""
    largest = 0.0
    for k in range(faces):
        face_vector(cell, k, area)
        largest = max(largest, area[0] ** 2 + area[1] ** 2 + area[2] ** 2)
    return 3.0 * volume / np.sqrt(largest)


@njit(cache=True)
def _shortest(cell, edges):
    """Length of the shortest edge of the loaded cell."""
    least = np.inf
    for e in range(edges):
        a, b = cell.edge[e, 0], cell.edge[e, 1]
        length = 0.0
        for i in range(3):
            length += (cell.xyz[b, i] - cell.xyz[a, i]) ** 2
        least = min(least, length)
    return np.sqrt(least)


@njit(cache=True)
def _centroid(cell, faces, apex, centre, out):
    """Centroid of the loaded cell, from its wedges about apex."""
    out[:] = 0.0
    total = 0.0
    for k in range(faces):
        face_centre(cell, k, centre)
        _, part = wedge_volume(cell, k, apex, centre)
        total += part
        for i in range(3):
            out[i] += part * (0.75 * centre[i] + 0.25 * apex[i])
    for i in range(3):
        out[i] /= total


@njit(cache=True)
def _joined(raw, c, cell, faces, mine, theirs):
    """0 if the mesh's faces around a standard cell are the faces of its shape, seen outward."""
    if raw.shape[c] == POLYHEDRON:
        return 0
    a, b = raw.first[c], raw.first[c + 1]
    if b - a != FACES[raw.shape[c]]:
        return _OPEN
    flag = 0
    for k in range(faces):
        size = cell.size[k]
        for i in range(size):
            mine[i] = cell.node[cell.local[k, i]]
        found = 0
        for j in range(a, b):
            g = raw.around[j]
            f = g if g >= 0 else ~g
            s = raw.face_start[f]
            if raw.face_start[f + 1] - s != size:
                continue
            for i in range(size):
                theirs[i] = raw.face_nodes[s + i]
            turn = turning(mine, theirs, size)
            if turn != 0:
                found = turn if g >= 0 else -turn
                break
        if found == 0:
            return _OPEN
        if found < 0:
            flag = _TURNED
    return flag


@njit(cache=True)
def _warp(points, start, nodes, out):
    """Largest angle in degrees between a face's normal and those of its triangles about its
    centre; 0 for triangles."""
    for f in range(start.shape[0] - 1):
        size = start[f + 1] - start[f]
        out[f] = 0.0
        if size == 3:
            continue
        cx = cy = cz = 0.0
        for j in range(start[f], start[f + 1]):
            cx += points[nodes[j], 0] / size
            cy += points[nodes[j], 1] / size
            cz += points[nodes[j], 2] / size
        tx = ty = tz = 0.0
        least = 1.0
        for rounds in range(2):
            for j in range(size):
                p = nodes[start[f] + j]
                q = nodes[start[f] + (j + 1) % size]
                ux, uy, uz = points[p, 0] - cx, points[p, 1] - cy, points[p, 2] - cz
                vx, vy, vz = points[q, 0] - cx, points[q, 1] - cy, points[q, 2] - cz
                nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
                if rounds == 0:
                    tx += nx
                    ty += ny
                    tz += nz
                    continue
                own = np.sqrt(nx * nx + ny * ny + nz * nz)
                whole = np.sqrt(tx * tx + ty * ty + tz * tz)
                # a triangle without area, as in a polygon with three nodes in line, says nothing
                if own > 1e-9 * whole or whole == 0.0:
                    dot = nx * tx + ny * ty + nz * tz
                    least = min(least, dot / (own * whole) if own * whole > 0.0 else -1.0)
        out[f] = np.degrees(np.arccos(max(-1.0, min(1.0, least))))


def face_warp(mesh: Mesh) -> np.ndarray:
    """Warp (f,) of each face in degrees: how far its triangles about its centre lean from it."""
    out = np.empty(mesh.faces)
    _warp(mesh.points, mesh.face_start, mesh.face_nodes, out)
    return out


@njit(cache=True)
def _enclosed(points, start, nodes, owner, neighbour, zone, origin, out):
    """Six times the volume inside the faces around each zone, by the divergence theorem."""
    ox, oy, oz = origin
    for f in range(owner.shape[0]):
        own = zone[owner[f]]
        beyond = zone[neighbour[f]] if neighbour[f] >= 0 else -1
        if own == beyond:
            continue
        size = start[f + 1] - start[f]
        cx = cy = cz = 0.0
        for j in range(start[f], start[f + 1]):
            cx += (points[nodes[j], 0] - ox) / size
            cy += (points[nodes[j], 1] - oy) / size
            cz += (points[nodes[j], 2] - oz) / size
        total = 0.0
        for j in range(size):
            p = nodes[start[f] + j]
            q = nodes[start[f] + (j + 1) % size]
            ux, uy, uz = (
                points[p, 0] - origin[0],
                points[p, 1] - origin[1],
                points[p, 2] - origin[2],
            )
            vx, vy, vz = (
                points[q, 0] - origin[0],
                points[q, 1] - origin[1],
                points[q, 2] - origin[2],
            )
            total += cx * (uy * vz - uz * vy) + cy * (uz * vx - ux * vz) + cz * (ux * vy - uy * vx)
        out[own] += total
        if beyond >= 0:
            out[beyond] -= total


def enclosed_by_boundary(mesh: Mesh) -> np.ndarray:
    """Volume (zones,) inside the faces around each zone by the divergence theorem, in unit³."""
    out = np.zeros(len(mesh.zones))
    _enclosed(
        mesh.points,
        mesh.face_start,
        mesh.face_nodes,
        mesh.owner,
        mesh.neighbour,
        mesh.zone,
        mesh.points.mean(axis=0),
        out,
    )
    return out / 6.0


def check(mesh: Mesh) -> list[Finding]:
    """Findings of level error; an empty list says that the mesh is valid."""
    out = unsound(mesh)
    if out:
        return out
    n_in = mesh.interior_faces
    if (mesh.neighbour[n_in:] >= 0).any() or (mesh.neighbour == mesh.owner).any():
        return [Finding("face-order", "error", "Faces do not lie between two cells.")]
    first, around = faces_around(mesh.owner, mesh.neighbour, mesh.cells)
    raw = raw_arrays(mesh)._replace(first=first, around=around)
    volumes, out = _cell_findings(mesh, raw)
    out += _warped(mesh)
    out += _without_patch(mesh)
    out += _open_boundary(mesh)
    filled = np.bincount(mesh.zone, volumes, len(mesh.zones))
    enclosed = enclosed_by_boundary(mesh)
    for k in np.flatnonzero(~(np.abs(filled - enclosed) <= _SAME * np.abs(enclosed))):
        out.append(
            Finding(
                "volume-mismatch",
                "error",
                f"The cells of zone {mesh.zones[k].name} fill {filled[k]:.9g}, "
                f"but its surface encloses {enclosed[k]:.9g}.",
            )
        )
    used = np.zeros(len(mesh.points), bool)
    used[mesh.cell_nodes] = True
    if not used.all():
        out.append(
            Finding(
                "unused-points",
                "error",
                "Points that no cell uses.",
                int((~used).sum()),
                mesh.points[~used][:PLACES].tolist(),
            )
        )
    out += duplicate_points(mesh)
    out += periodic_findings(mesh)
    out += sheet_findings(mesh)
    if not out:
        # whether the boundary winds once asks for a boundary that closes
        out += overlaps(mesh)
    return out


_WRONG = (
    (_NEGATIVE, "negative-volume", "Cells without a positive volume.",
     "Refine there, or repair the surface."),
    (_FOLDED, "folded-cell", "Cells that fold over: their centre does not see all their faces.",
     "Refine there, or repair the surface."),
    (_FLAT, "flat-cell",
     "Cells without a height: less than a millionth of their shortest edge.",
     "Where faces of the geometry touch or lie on each other, part or join them."),
    (_OPEN, "open-cell", "Cells that their faces do not close.", ""),
    (_TURNED, "face-order", "Cells whose faces run the wrong way round.", ""),
)  # fmt: skip


def _cell_findings(mesh: Mesh, raw: Raw) -> tuple[np.ndarray, list[Finding]]:
    """Volumes (c,), and what is wrong with single cells."""
    volume, flags = np.empty(mesh.cells), np.zeros(mesh.cells, np.uint8)
    most = room_for(mesh, raw)
    in_chunks(lambda low, high: _inspect(raw, low, high, most, volume, flags), mesh.cells)
    out = []
    for flag, code, message, advice in _WRONG:
        bad = np.flatnonzero(flags & flag)
        if len(bad):
            places = cell_middles(mesh, bad[:PLACES]).tolist()
            out.append(Finding(code, "error", message, len(bad), places, advice))
    return volume, out


def _warped(mesh: Mesh) -> list[Finding]:
    if (np.diff(mesh.face_start) == 3).all():
        return []
    warp = face_warp(mesh)
    bad = np.flatnonzero(warp > WARP_LIMIT)
    if not len(bad):
        return []
    bad = bad[np.argsort(-warp[bad])]
    return [
        Finding(
            "warped-face",
            "error",
            f"Faces bent by more than {WARP_LIMIT:g}°.",
            len(bad),
            face_middles(mesh, bad[:PLACES]).tolist(),
            "Refine there, or smooth the nodes.",
            size=float(warp[bad[0]]),
            measure="bend in °",
        )
    ]


def _without_patch(mesh: Mesh) -> list[Finding]:
    beyond = np.where(mesh.neighbour >= 0, mesh.zone[mesh.neighbour], -1)
    lost = np.flatnonzero((mesh.zone[mesh.owner] != beyond) & (mesh.patch < 0))
    if not len(lost):
        return []
    return [
        Finding(
            "no-patch",
            "error",
            "Faces of the boundary, or between zones, that belong to no patch.",
            len(lost),
            face_middles(mesh, lost[:PLACES]).tolist(),
            "Name the CAD faces there in Patches.",
        )
    ]


def _open_boundary(mesh: Mesh) -> list[Finding]:
    start, nodes = rows(mesh.face_start, mesh.face_nodes, np.flatnonzero(mesh.neighbour < 0))
    a = nodes.astype(np.int64)
    b = following(start, a)
    n = len(mesh.points)
    forward, backward = np.sort(a * n + b), np.sort(b * n + a)
    if np.array_equal(forward, backward):
        return []
    lone = np.setdiff1d(forward, backward)
    middle = 0.5 * (mesh.points[lone // n] + mesh.points[lone % n])
    return [
        Finding(
            "open-zone",
            "error",
            "Free edges: the boundary does not close around the zone.",
            max(1, len(lone)),
            middle[:PLACES].tolist(),
        )
    ]
