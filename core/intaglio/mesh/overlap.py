"""Whether the boundary of a mesh winds exactly once around its inside."""

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from intaglio.findings import PLACES, Finding
from intaglio.mesh.mesh import Ints, Longs, Mesh, cell_middles, following, ragged_mean, rows
from intaglio.mesh.sheets import joined_nodes
from intaglio.numeric.intersections import CROSSING, meeting_pairs
from intaglio.numeric.winding import winding_numbers


def boundary_triangles(mesh: Mesh) -> tuple[np.ndarray, Ints, Longs]:
    """Points (p, 3), triangles (t, 3) outward and the face (t,) each came from, of the boundary;
    a face with more than three nodes is parted from its centre, as its volume is. Sheets are
    closed: their two sides cover each other."""
    outer = mesh.neighbour < 0
    outer[mesh.sheets] = False
    rim = np.flatnonzero(outer)
    start, nodes = rows(mesh.face_start, mesh.face_nodes, rim)
    nodes = joined_nodes(mesh)[nodes]
    used, local = np.unique(nodes, return_inverse=True)
    size = np.diff(start)
    many = np.flatnonzero(size > 3)
    three = np.flatnonzero(size == 3)
    wide_start, wide = rows(start, local.ravel(), many)
    after = following(wide_start, wide)
    owner = np.repeat(np.arange(len(many)), size[many])
    points = mesh.points[used]
    if not len(many):
        return points, local.reshape(-1, 3).astype(np.int32), rim
    centres = ragged_mean(wide_start, points[wide])
    fans = np.stack([wide, after, len(points) + owner], axis=1)
    plain = local.ravel()[start[three][:, None] + np.arange(3)]
    return (
        np.concatenate([points, centres]),
        np.concatenate([plain.reshape(-1, 3), fans]).astype(np.int32),
        rim[np.concatenate([three, many[owner]])],
    )


def overlaps(mesh: Mesh) -> list[Finding]:
    """A finding where the boundary crosses itself, or lies within another piece of it.

    Pieces may touch: only what crosses for certain, or winds twice around a place, is an error.
    """
    points, triangles, face = boundary_triangles(mesh)
    pairs = meeting_pairs(points, triangles, flat=True)
    certain = pairs[pairs[:, 2] == CROSSING][:, :2]
    if len(certain):
        own = np.unique(certain)
        return [_found(len(np.unique(face[own])), points[triangles[own[:PLACES]]].mean(axis=1))]
    surface = _Surface.of(points, triangles)
    # closed pieces that do not cross: each must wind once around the cells along it
    first = np.unique(surface.piece, return_index=True)[1]
    beside = cell_middles(mesh, mesh.owner[face[first]])
    lost = [spot for spot in beside if abs(surface.turns(spot) - 1.0) > _SURE]
    # where rims touch, pieces may cross after all: then it winds twice in a corner between them
    some = pairs[np.linspace(0, len(pairs) - 1, min(len(pairs), _TOUCHES)).astype(int)]
    for one, other, _ in some:
        lost += [
            spot
            for spot in _corners(points, triangles[one], triangles[other])
            if surface.turns(spot) > 1.0 + _SURE
        ][:1]
    return [_found(len(lost), np.array(lost[:PLACES]))] if lost else []


# winding numbers are whole but for rounding
_SURE = 0.1
# of pairs that only touch so many are looked at more closely
_TOUCHES = 200


@dataclass(frozen=True)
class _Surface:
    """Closed pieces of a surface: piece (t,) of each triangle, triangles and box of each piece."""

    points: np.ndarray
    piece: Longs
    parts: list[Ints]
    boxes: list[tuple[np.ndarray, np.ndarray]]

    @classmethod
    def of(cls, points: np.ndarray, triangles: Ints) -> "_Surface":
        piece = _pieces(triangles, len(points))
        order = np.argsort(piece, kind="stable")
        bounds = np.searchsorted(piece[order], np.arange(piece.max() + 2))
        parts = [triangles[order[a:b]] for a, b in pairwise(bounds)]
        boxes = [(points[t].min(axis=(0, 1)), points[t].max(axis=(0, 1))) for t in parts]
        return cls(points, piece, parts, boxes)

    def turns(self, spot: np.ndarray) -> float:
        """How often the surface winds around a place: pieces whose box it is out of do not."""
        return sum(
            float(winding_numbers(self.points, part, spot[None])[0])
            for part, (low, high) in zip(self.parts, self.boxes, strict=True)
            if (spot >= low).all() and (spot <= high).all()
        )


def _corners(points: np.ndarray, one: Ints, other: Ints) -> list[np.ndarray]:
    """Places close to where two triangles meet, in the four corners between them."""
    a, b = points[one], points[other]
    # the triangles meet near the two places on them that are nearest to each other
    spots = [np.concatenate([t, (t + np.roll(t, -1, axis=0)) / 2, t.mean(axis=0)[None]])
             for t in (a, b)]  # fmt: skip
    apart = np.linalg.norm(spots[0][:, None] - spots[1][None], axis=2)
    i, j = np.unravel_index(apart.argmin(), apart.shape)
    at = 0.5 * (spots[0][i] + spots[1][j])
    normals = [np.cross(t[1] - t[0], t[2] - t[0]) for t in (a, b)]
    step = [n / np.linalg.norm(n) * 1e-3 * np.ptp(t, axis=0).max()
            for n, t in zip(normals, (a, b), strict=True)]  # fmt: skip
    return [at + p * step[0] + q * step[1] for p in (-1, 1) for q in (-1, 1)]


def _pieces(triangles: Ints, points: int) -> Longs:
    """Piece (t,) of each triangle; pieces share no node."""
    a = triangles[:, [0, 1]].ravel()
    b = triangles[:, [1, 2]].ravel()
    graph = coo_matrix((np.ones(len(a), bool), (a, b)), shape=(points, points))
    label = connected_components(graph, directed=False)[1]
    return np.unique(label[triangles[:, 0]], return_inverse=True)[1].ravel()


def _found(count: int, places: np.ndarray) -> Finding:
    return Finding(
        "overlap",
        "error",
        "Cells lie in the same space: the boundary of the mesh crosses itself or lies within it.",
        count,
        places.tolist(),
        "Part the bodies there, or refine where walls come close.",
    )
