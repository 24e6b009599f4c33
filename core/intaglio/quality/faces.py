"""Metrics of faces: how a face lies between the centroids of its cells.

The centroid of a face with more than three nodes is that of its triangles about the mean of its
nodes, weighed by their areas.
"""

from dataclasses import dataclass

import numpy as np
from numba import njit

from intaglio.mesh.mesh import Floats, Mesh
from intaglio.numeric.chunks import in_chunks

# ways shorter than this share of the other count as none: the growth stays finite
_LEAST_SHARE = 1e-30


@dataclass(frozen=True)
class FaceMeasures:
    """Per face (f,) the cosine between its normal and the way to its centroid from the centroid of
    the owner, and of the neighbour (1 where there is none); per interior face (i,) offset and
    growth, as METRICS describes them."""

    owner_cosine: Floats
    neighbour_cosine: Floats
    offset: Floats
    growth: Floats


@njit(cache=True, error_model="numpy")
def _face_of(points, start, nodes, f, out):
    """Area vector and centroid of face f into out (6,)."""
    a, b = start[f], start[f + 1]
    size = b - a
    mx = my = mz = 0.0
    for j in range(a, b):
        mx += points[nodes[j], 0]
        my += points[nodes[j], 1]
        mz += points[nodes[j], 2]
    mx, my, mz = mx / size, my / size, mz / size
    nx = ny = nz = 0.0
    for j in range(a, b):
        p, q = nodes[j], nodes[j + 1 if j + 1 < b else a]
        ux, uy, uz = points[p, 0] - mx, points[p, 1] - my, points[p, 2] - mz
        vx, vy, vz = points[q, 0] - mx, points[q, 1] - my, points[q, 2] - mz
        nx += 0.5 * (uy * vz - uz * vy)
        ny += 0.5 * (uz * vx - ux * vz)
        nz += 0.5 * (ux * vy - uy * vx)
    out[0], out[1], out[2] = nx, ny, nz
    out[3], out[4], out[5] = mx, my, mz
    if size == 3:
        return
    cx = cy = cz = total = 0.0
    for j in range(a, b):
        p, q = nodes[j], nodes[j + 1 if j + 1 < b else a]
        ux, uy, uz = points[p, 0] - mx, points[p, 1] - my, points[p, 2] - mz
        vx, vy, vz = points[q, 0] - mx, points[q, 1] - my, points[q, 2] - mz
        wx, wy, wz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
        area = np.sqrt(wx * wx + wy * wy + wz * wz)
        total += area
        cx += area * (ux + vx) / 3.0
        cy += area * (uy + vy) / 3.0
        cz += area * (uz + vz) / 3.0
    if total > 0.0:
        out[3] += cx / total
        out[4] += cy / total
        out[5] += cz / total


@njit(cache=True, nogil=True, error_model="numpy")
def _measure(
    points, start, nodes, owner, neighbour, centroid, low, high, one, other, offset, growth
):
    face = np.empty(6)
    for f in range(low, high):
        _face_of(points, start, nodes, f, face)
        nx, ny, nz = face[0], face[1], face[2]
        area = np.sqrt(nx * nx + ny * ny + nz * nz)
        if area > 0.0:
            nx, ny, nz = nx / area, ny / area, nz / area
        o = owner[f]
        ax, ay, az = face[3] - centroid[o, 0], face[4] - centroid[o, 1], face[5] - centroid[o, 2]
        way = np.sqrt(ax * ax + ay * ay + az * az)
        rise = nx * ax + ny * ay + nz * az
        one[f] = rise / way if way > 0.0 else 0.0
        other[f] = 1.0
        u = neighbour[f]
        if u < 0:
            continue
        bx, by, bz = centroid[u, 0] - face[3], centroid[u, 1] - face[4], centroid[u, 2] - face[5]
        way = np.sqrt(bx * bx + by * by + bz * bz)
        beyond = nx * bx + ny * by + nz * bz
        other[f] = beyond / way if way > 0.0 else 0.0
        lx, ly, lz = ax + bx, ay + by, az + bz
        length = np.sqrt(lx * lx + ly * ly + lz * lz)
        # where the line between the centroids meets the face's plane, no farther than they are
        steep = rise + beyond
        share = rise / steep if steep > 0.0 else (0.0 if rise <= 0.0 else 1.0)
        share = min(1.0, max(0.0, share))
        dx, dy, dz = share * lx - ax, share * ly - ay, share * lz - az
        offset[f] = np.sqrt(dx * dx + dy * dy + dz * dz) / length if length > 0.0 else 0.0
        small, large = min(abs(rise), abs(beyond)), max(abs(rise), abs(beyond))
        growth[f] = large / small if small > large * _LEAST_SHARE else 1.0 / _LEAST_SHARE


def measure_faces(mesh: Mesh, centroid: Floats) -> FaceMeasures:
    """Every metric of faces; centroid (c, 3) of the cells. Interior faces must come first."""
    inner = mesh.interior_faces
    one, other = np.empty(mesh.faces), np.empty(mesh.faces)
    offset, growth = np.empty(inner), np.empty(inner)
    centroid = np.ascontiguousarray(centroid)
    in_chunks(
        lambda low, high: _measure(
            mesh.points, mesh.face_start, mesh.face_nodes, mesh.owner, mesh.neighbour, centroid,
            low, high, one, other, offset, growth,
        ),
        mesh.faces,
    )  # fmt: skip
    return FaceMeasures(one, other, offset, growth)


@njit(cache=True, error_model="numpy")
def _least(owner, neighbour, one, other, out):
    for f in range(one.shape[0]):
        out[owner[f]] = min(out[owner[f]], one[f])
        if neighbour[f] >= 0:
            out[neighbour[f]] = min(out[neighbour[f]], other[f])


def face_orthogonality(mesh: Mesh, measured: FaceMeasures) -> Floats:
    """Least cosine (c,) over each cell's faces."""
    out = np.ones(mesh.cells)
    _least(mesh.owner, mesh.neighbour, measured.owner_cosine, measured.neighbour_cosine, out)
    return out


@njit(cache=True, error_model="numpy")
def _largest(owner, neighbour, value, out):
    for f in range(value.shape[0]):
        out[owner[f]] = max(out[owner[f]], value[f])
        if neighbour[f] >= 0:
            out[neighbour[f]] = max(out[neighbour[f]], value[f])


def worst_face_of_cells(mesh: Mesh, value: Floats, least: float) -> Floats:
    """Largest value (c,) over each cell's faces of value (n,) of the first n faces; least where
    there are none."""
    out = np.full(mesh.cells, least)
    _largest(mesh.owner, mesh.neighbour, value, out)
    return out
