"""Velocities in a plane as arrows: lines over the cut through the cells."""

import numpy as np
from numpy.typing import NDArray

from intaglio.mesh.mesh import Floats, Mesh
from intaglio.mesh.slices import Cut, flat_cut

# squares along the cut's diagonal, one arrow in each; an arrow of the fastest is so many of their
# sides long; barbs over the arrow, along it and beside it
_ALONG, _LONGEST, _BARB = 60, 2.0, (0.3, 0.12)


def arrows(
    mesh: Mesh, velocity: NDArray[np.floating], normal: Floats, offset: float
) -> NDArray[np.float32]:
    """Segments (3 k, 2, 3) of k arrows in the plane normal · x = offset: the parts along the plane
    of the velocities (c, 3) in some of the cells that it meets, as long as these are fast."""
    cut = flat_cut(mesh, normal, offset)
    known = np.isfinite(velocity[cut.cell]).all(axis=1) if len(cut.cell) else np.zeros(0, bool)
    if not known.any():
        return np.zeros((0, 2, 3), np.float32)
    normal = np.asarray(normal, float) / np.linalg.norm(normal)
    place = _middles(cut)[known]
    v = velocity[cut.cell[known]].astype(float)
    along = v - (v @ normal)[:, None] * normal
    size = float(np.linalg.norm(np.ptp(cut.points, axis=0))) / _ALONG
    one = _one_each(place, normal, size)
    start, along = place[one], along[one]
    fastest = float(np.linalg.norm(along, axis=1).max())
    if fastest == 0.0:
        return np.zeros((0, 2, 3), np.float32)
    way = along * (_LONGEST * size / fastest)
    end, beside = start + way, np.cross(normal, way)
    back, aside = (share * w for share, w in zip(_BARB, (way, beside), strict=True))
    segments = [[start, end], [end, end - back + aside], [end, end - back - aside]]
    return np.asarray(segments, np.float32).transpose(2, 0, 1, 3).reshape(-1, 2, 3)


def _middles(cut: Cut) -> Floats:
    """The mean (k, 3) of each polygon's points."""
    count = np.diff(cut.start)
    return np.asarray(np.add.reduceat(cut.points, cut.start[:-1], axis=0) / count[:, None])


def _one_each(place: Floats, normal: Floats, size: float) -> NDArray[np.int64]:
    """Of places (k, 3) in a plane the one nearest to the middle of each square of a side."""
    across = np.eye(3)[np.abs(normal).argmin()]
    u = np.cross(normal, across)
    u /= np.linalg.norm(u)
    flat = np.stack([place @ u, place @ np.cross(normal, u)], axis=1) / size
    square = np.floor(flat)
    far = ((flat - square - 0.5) ** 2).sum(axis=1)
    order = np.lexsort((far, square[:, 1], square[:, 0]))
    new = np.any(np.diff(square[order], axis=0, prepend=np.nan) != 0, axis=1)
    return order[new]
