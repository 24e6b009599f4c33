"""Quality metrics of cells of any shape by their textbook definitions.

Sources: P. M. Knupp et al., "The Verdict geometric quality library" (SAND2007-1751) for equiangle
skewness and dihedral angle; non-orthogonality as the angle between a face's area vector and the
line between the centroids of its two cells. Faces with more than three nodes are parted from their
centre; for four nodes that gives the volume under the bilinear patch exactly.
"""

from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from intaglio.mesh.cells import DIHEDRAL, POLYHEDRON, TETRAHEDRON
from intaglio.mesh.loading import (
    Raw,
    cell_room,
    face_vector,
    load_cell,
    raw_arrays,
    room_for,
)
from intaglio.mesh.mesh import Mesh
from intaglio.numeric.chunks import in_chunks
from intaglio.quality.corners import (
    FACE_CORNER_COUNT,
    FACE_CORNERS,
    corner_cosines,
    edge_ways,
)

Floats = NDArray[np.float64]

# beyond this share of the larger one a smaller volume counts as none: the ratio stays finite
_LEAST_SHARE = 1e-30
_CORNERS = (FACE_CORNERS, FACE_CORNER_COUNT)
# columns of what is measured per cell
_VOLUME, _SKEWNESS, _LEAST, _LARGEST, _X = range(5)


@njit(cache=True, error_model="numpy")
def _degrees(cosine):
    return np.degrees(np.arccos(max(-1.0, min(1.0, cosine))))


@njit(cache=True, error_model="numpy")
def _corner_skewness(cell, faces):
    """Worst of (θmax - θe)/(180 - θe) and (θe - θmin)/θe over the corners of the faces.

    θe is the angle of the regular polygon. Extremes of cosines are kept for triangles and for
    quadrilaterals, so that few angles need an arc cosine.
    """
    # cosines: the least belongs to the largest angle
    low3 = low4 = 2.0
    high3 = high4 = -2.0
    worst = 0.0
    for k in range(faces):
        size = cell.size[k]
        low = 2.0
        high = -2.0
        a = cell.local[k, size - 1]
        b = cell.local[k, 0]
        ux = cell.xyz[a, 0] - cell.xyz[b, 0]
        uy = cell.xyz[a, 1] - cell.xyz[b, 1]
        uz = cell.xyz[a, 2] - cell.xyz[b, 2]
        uu = ux * ux + uy * uy + uz * uz
        for j in range(size):
            c = cell.local[k, j + 1 if j + 1 < size else 0]
            vx = cell.xyz[c, 0] - cell.xyz[b, 0]
            vy = cell.xyz[c, 1] - cell.xyz[b, 1]
            vz = cell.xyz[c, 2] - cell.xyz[b, 2]
            vv = vx * vx + vy * vy + vz * vz
            product = np.sqrt(uu * vv)
            cosine = (ux * vx + uy * vy + uz * vz) / product if product > 0.0 else 1.0
            low = min(low, cosine)
            high = max(high, cosine)
            b = c
            ux, uy, uz, uu = -vx, -vy, -vz, vv
        if size == 3:
            low3 = min(low3, low)
            high3 = max(high3, high)
        elif size == 4:
            low4 = min(low4, low)
            high4 = max(high4, high)
        else:
            ideal = 180.0 - 360.0 / size
            worst = max(
                worst, (_degrees(low) - ideal) / (180.0 - ideal), 1.0 - _degrees(high) / ideal
            )
    return max(worst, _skewness_of(low3, high3, low4, high4))


@njit(cache=True, error_model="numpy")
def _skewness_of(low3, high3, low4, high4):
    """The same of the extreme cosines in triangles and in quadrilaterals; 2 and -2 where there are
    none."""
    worst = 0.0
    if high3 > -2.0:
        worst = max(worst, (_degrees(low3) - 60.0) / 120.0, 1.0 - _degrees(high3) / 60.0)
    if high4 > -2.0:
        worst = max(worst, (_degrees(low4) - 90.0) / 90.0, 1.0 - _degrees(high4) / 90.0)
    return worst


@njit(cache=True, error_model="numpy")
def edge_opening(cell, normal, e):
    """A measure of the dihedral angle at edge e that rises with it from 0 to 4, without an arc
    cosine: 1 - cos up to 180 degrees, 3 + cos beyond. normal (m, 3): unit normals of the faces."""
    a = cell.edge[e, 0]
    b = cell.edge[e, 1]
    f = cell.edge[e, 2]
    g = cell.edge[e, 3]
    cosine = normal[f, 0] * normal[g, 0] + normal[f, 1] * normal[g, 1] + normal[f, 2] * normal[g, 2]
    turn = (
        (normal[f, 1] * normal[g, 2] - normal[f, 2] * normal[g, 1])
        * (cell.xyz[b, 0] - cell.xyz[a, 0])
        + (normal[f, 2] * normal[g, 0] - normal[f, 0] * normal[g, 2])
        * (cell.xyz[b, 1] - cell.xyz[a, 1])
        + (normal[f, 0] * normal[g, 1] - normal[f, 1] * normal[g, 0])
        * (cell.xyz[b, 2] - cell.xyz[a, 2])
    )
    return 1.0 + cosine if turn >= 0.0 else 3.0 - cosine


@njit(cache=True, error_model="numpy")
def opening_degrees(opening):
    """The angle in degrees of a measure of edge_opening."""
    if opening <= 2.0:
        return _degrees(1.0 - opening)
    return 360.0 - _degrees(opening - 3.0)


@njit(cache=True, error_model="numpy")
def unit_normals(cell, faces, normal):
    """Unit normals (faces, 3) of the loaded cell's faces; zero for one without area."""
    for k in range(faces):
        face_vector(cell, k, normal[k])
        length = np.sqrt(normal[k, 0] ** 2 + normal[k, 1] ** 2 + normal[k, 2] ** 2)
        for i in range(3):
            normal[k, i] = normal[k, i] / length if length > 0.0 else 0.0


@njit(cache=True, error_model="numpy")
def _quad_content(cell, k):
    """Six times the volume between the first node and a face of four nodes, parted from its centre
    into wedges, and 24 times their first moment.

    The centre is the mean of the nodes, so that the triple product of a wedge is a quarter of the
    sum of two over nodes: four of them give all.
    """
    x = cell.xyz
    a, b, c, d = cell.local[k, 0], cell.local[k, 1], cell.local[k, 2], cell.local[k, 3]
    ux = x[a, 1] * x[b, 2] - x[a, 2] * x[b, 1]
    uy = x[a, 2] * x[b, 0] - x[a, 0] * x[b, 2]
    uz = x[a, 0] * x[b, 1] - x[a, 1] * x[b, 0]
    vx = x[c, 1] * x[d, 2] - x[c, 2] * x[d, 1]
    vy = x[c, 2] * x[d, 0] - x[c, 0] * x[d, 2]
    vz = x[c, 0] * x[d, 1] - x[c, 1] * x[d, 0]
    abc = ux * x[c, 0] + uy * x[c, 1] + uz * x[c, 2]
    abd = ux * x[d, 0] + uy * x[d, 1] + uz * x[d, 2]
    acd = vx * x[a, 0] + vy * x[a, 1] + vz * x[a, 2]
    bcd = vx * x[b, 0] + vy * x[b, 1] + vz * x[b, 2]
    # of the wedges over the edges ab, bc, cd, da
    one, two = 0.25 * (abc + abd), 0.25 * (abc + bcd)
    three, four = 0.25 * (acd + bcd), 0.25 * (abd + acd)
    total = one + two + three + four
    wa, wb, wc, wd = four + one, one + two, two + three, three + four
    q = 0.25 * total
    wa, wb, wc, wd = wa + q, wb + q, wc + q, wd + q
    return (
        wa * x[a, 0] + wb * x[b, 0] + wc * x[c, 0] + wd * x[d, 0],
        wa * x[a, 1] + wb * x[b, 1] + wc * x[c, 1] + wd * x[d, 1],
        wa * x[a, 2] + wb * x[b, 2] + wc * x[c, 2] + wd * x[d, 2],
        total,
    )


@njit(cache=True, error_model="numpy")
def _content(cell, faces, out):
    """Volume of the loaded cell, and its centroid relative to its first node into out."""
    mx = my = mz = total = 0.0
    for k in range(faces):
        size = cell.size[k]
        if size == 4:
            sx, sy, sz, six = _quad_content(cell, k)
            mx, my, mz, total = mx + sx, my + sy, mz + sz, total + six
            continue
        cx = cy = cz = 0.0
        if size == 3:
            c = cell.local[k, 2]
            cx, cy, cz = cell.xyz[c, 0], cell.xyz[c, 1], cell.xyz[c, 2]
            turns = 1
        else:
            for j in range(size):
                c = cell.local[k, j]
                cx += cell.xyz[c, 0]
                cy += cell.xyz[c, 1]
                cz += cell.xyz[c, 2]
            cx /= size
            cy /= size
            cz /= size
            turns = size
        # of a triangle one wedge, of a wider face one over each edge
        a = cell.local[k, 0] if size == 3 else cell.local[k, size - 1]
        ax, ay, az = cell.xyz[a, 0], cell.xyz[a, 1], cell.xyz[a, 2]
        for j in range(turns):
            b = cell.local[k, 1] if size == 3 else cell.local[k, j]
            bx, by, bz = cell.xyz[b, 0], cell.xyz[b, 1], cell.xyz[b, 2]
            six = ax * (by * cz - bz * cy) + ay * (bz * cx - bx * cz) + az * (bx * cy - by * cx)
            total += six
            mx += six * (ax + bx + cx)
            my += six * (ay + by + cy)
            mz += six * (az + bz + cz)
            ax, ay, az = bx, by, bz
    out[0], out[1], out[2] = mx, my, mz
    for i in range(3):
        out[i] = out[i] / (4.0 * total) if total != 0.0 else 0.0
    return total / 6.0


@njit(cache=True, error_model="numpy")
def _tet_content(cell, out):
    """The same of a tetrahedron, whose first node is the origin: only one face is away from it."""
    x = cell.xyz
    for i in range(3):
        out[i] = 0.25 * (x[1, i] + x[2, i] + x[3, i])
    return (
        x[1, 0] * (x[2, 1] * x[3, 2] - x[2, 2] * x[3, 1])
        + x[1, 1] * (x[2, 2] * x[3, 0] - x[2, 0] * x[3, 2])
        + x[1, 2] * (x[2, 0] * x[3, 1] - x[2, 1] * x[3, 0])
    ) / 6.0


@njit(cache=True, nogil=True, error_model="numpy")
def _measure_cells(raw, low, high, most, dihedral, corners, count, out):
    """The columns of out (cells, k) that a cell by itself decides, for cells low..high; dihedral:
    whether angles between faces are wanted where skewness does not need them."""
    cell = cell_room(most[0], most[1], most[2])
    normal = np.empty((most[1], 3))
    middle = np.empty(3)
    way, length, cosine = np.empty((12, 3)), np.empty(12), np.empty(4)
    for c in range(low, high):
        _, faces, edges = load_cell(raw, c, cell)
        if raw.shape[c] == TETRAHEDRON:
            out[c, _VOLUME] = _tet_content(cell, middle)
        else:
            out[c, _VOLUME] = _content(cell, faces, middle)
        for i in range(3):
            out[c, _X + i] = middle[i] + cell.base[i]
        if raw.shape[c] == POLYHEDRON:
            skewness = _corner_skewness(cell, faces)
        else:
            edge_ways(cell, edges, way, length)
            s = raw.shape[c]
            corner_cosines(way, corners[s], count[s], cosine)
            skewness = _skewness_of(cosine[0], cosine[1], cosine[2], cosine[3])
        ideal = DIHEDRAL[raw.shape[c]]
        if not dihedral and ideal == 0.0:
            out[c, _SKEWNESS] = skewness
            continue
        unit_normals(cell, faces, normal)
        least = 4.0
        largest = 0.0
        for e in range(edges):
            opening = edge_opening(cell, normal, e)
            least = min(least, opening)
            largest = max(largest, opening)
        out[c, _LEAST] = opening_degrees(least)
        out[c, _LARGEST] = opening_degrees(largest)
        if ideal > 0.0:
            skewness = max(
                skewness,
                (out[c, _LARGEST] - ideal) / (180.0 - ideal),
                1.0 - out[c, _LEAST] / ideal,
            )
        out[c, _SKEWNESS] = skewness


@njit(cache=True, nogil=True, error_model="numpy")
def _measure_faces(raw, owner, neighbour, cells, low, high, angle, ratio):
    """Non-orthogonality in degrees and volume ratio of interior faces low..high."""
    for f in range(low, high):
        a = raw.face_start[f]
        p = raw.face_nodes[a]
        nx = ny = nz = 0.0
        for j in range(a + 1, raw.face_start[f + 1] - 1):
            q = raw.face_nodes[j]
            r = raw.face_nodes[j + 1]
            ux = raw.points[q, 0] - raw.points[p, 0]
            uy = raw.points[q, 1] - raw.points[p, 1]
            uz = raw.points[q, 2] - raw.points[p, 2]
            vx = raw.points[r, 0] - raw.points[p, 0]
            vy = raw.points[r, 1] - raw.points[p, 1]
            vz = raw.points[r, 2] - raw.points[p, 2]
            nx += uy * vz - uz * vy
            ny += uz * vx - ux * vz
            nz += ux * vy - uy * vx
        o = owner[f]
        u = neighbour[f]
        lx = cells[u, _X] - cells[o, _X]
        ly = cells[u, _X + 1] - cells[o, _X + 1]
        lz = cells[u, _X + 2] - cells[o, _X + 2]
        product = np.sqrt((nx * nx + ny * ny + nz * nz) * (lx * lx + ly * ly + lz * lz))
        dot = nx * lx + ny * ly + nz * lz
        angle[f] = _degrees(dot / product if product > 0.0 else 0.0)
        small = min(abs(cells[o, _VOLUME]), abs(cells[u, _VOLUME]))
        large = max(abs(cells[o, _VOLUME]), abs(cells[u, _VOLUME]))
        ratio[f] = large / small if small > large * _LEAST_SHARE else 1.0 / _LEAST_SHARE


@dataclass(frozen=True)
class Measured:
    """A mesh's quality: per cell (c,) equiangle skewness, least and largest dihedral angle
    (degrees), volume (unit³), centroid (c, 3); per interior face (i,) non-orthogonality (degrees)
    and the ratio of the larger to the smaller volume beside it."""

    skewness: Floats
    least_dihedral: Floats
    largest_dihedral: Floats
    volume: Floats
    centroid: Floats
    non_orthogonality: Floats
    volume_ratio: Floats


def _per_cell(mesh: Mesh, raw: Raw, dihedral: bool = True) -> Floats:
    out = np.full((mesh.cells, 7), np.nan) if not dihedral else np.empty((mesh.cells, 7))
    most = room_for(mesh, raw)
    in_chunks(
        lambda low, high: _measure_cells(raw, low, high, most, dihedral, *_CORNERS, out), mesh.cells
    )
    return out


def measure(mesh: Mesh) -> Measured:
    """Every metric of a mesh, computed once. The mesh's arrays must be sound (see `check`)."""
    raw = raw_arrays(mesh)
    out = _per_cell(mesh, raw)
    n = mesh.interior_faces
    angle, ratio = np.empty(n), np.empty(n)
    in_chunks(
        lambda low, high: _measure_faces(
            raw, mesh.owner, mesh.neighbour, out, low, high, angle, ratio
        ),
        n,
    )
    return Measured(
        out[:, _SKEWNESS].copy(),
        out[:, _LEAST].copy(),
        out[:, _LARGEST].copy(),
        out[:, _VOLUME].copy(),
        out[:, _X:].copy(),
        angle,
        ratio,
    )


def measure_cells(mesh: Mesh, dihedral: bool = True) -> Measured:
    """What can be measured cell by cell; nothing of faces. dihedral False: dihedral angles are NaN
    where skewness needs none."""
    out = _per_cell(mesh, raw_arrays(mesh), dihedral)
    none = np.zeros(0)
    return Measured(
        out[:, _SKEWNESS], out[:, _LEAST], out[:, _LARGEST], out[:, _VOLUME], out[:, _X:],
        none, none,
    )  # fmt: skip


def tet_volumes(points: Floats, tets: NDArray[np.int32]) -> Floats:
    """Signed volumes (c,) of tetrahedra in unit³."""
    a, b, c, d = (points[tets[:, i]] for i in range(4))
    return np.einsum("ij,ij->i", np.cross(b - a, c - a), d - a) / 6.0


def _of_tets(points: Floats, tets: NDArray[np.int32]) -> Floats:
    """Columns per tetrahedron, without a mesh around them."""
    count = len(tets)
    none = np.zeros(0, np.int32)
    raw = Raw(
        np.ascontiguousarray(points, np.float64),
        np.full(count, TETRAHEDRON, np.int8),
        np.arange(count + 1, dtype=np.int64) * 4,
        np.ascontiguousarray(tets, np.int32).ravel(),
        np.zeros(1, np.int64),
        none,
        np.zeros(1, np.int64),
        none,
    )
    out = np.empty((count, 7))
    in_chunks(
        lambda low, high: _measure_cells(raw, low, high, (8, 6, 4), True, *_CORNERS, out), count
    )
    return out


def equiangle_skewness(points: Floats, tets: NDArray[np.int32]) -> Floats:
    """Equiangle skewness (c,) of tetrahedra, 0 for regular ones, 1 for flat ones."""
    return _of_tets(points, tets)[:, _SKEWNESS]


def dihedral_angles(points: Floats, tets: NDArray[np.int32]) -> tuple[Floats, Floats]:
    """Smallest and largest dihedral angle (c,) of each tetrahedron in degrees."""
    out = _of_tets(points, tets)
    return out[:, _LEAST], out[:, _LARGEST]
