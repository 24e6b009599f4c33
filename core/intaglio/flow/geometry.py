"""The mesh as finite volumes see it: cells, the faces between them, the faces of the boundary."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from intaglio.errors import StepFailed
from intaglio.flow.merging import merged
from intaglio.flow.sweeps import flattest, kept_within
from intaglio.mesh.mesh import Floats, Longs, Mesh, fan, rows
from intaglio.quality.cells import measure

# turns of periodic pairs that differ less from none are none
_STRAIGHT = 1e-9
# how far beside the way between two cells their face's middle may count: over the way, and across
# a flat cell over its height
_ASIDE, _ACROSS = 0.5, 0.5


@dataclass(frozen=True)
class Links:
    """Faces between two cells: face (i,) in the mesh, cells left (i,) and right (i,), area vector
    (i, 3) from left to right in m², way (i, 3) from the left centroid to the right one in m, across
    periodic pairs as it is there, share (i,) of the right cell's value at the face, beside (i, 3):
    from the place on the way that has this share to the face's middle, in m, half the way at
    the most, and no farther across a cell than half of its height."""

    face: Longs
    left: Longs
    right: Longs
    area: Floats
    way: Floats
    share: Floats
    beside: NDArray[np.float32]


@dataclass(frozen=True)
class Rim:
    """Faces of the boundary: face (b,) in the mesh, cell (b,), the one behind it in the mesh (b,),
    area vector (b, 3) outward in m², way (b, 3) from the cell's centroid to the face's in m, centre
    (b, 3) in m."""

    face: Longs
    cell: Longs
    behind: Longs
    area: Floats
    way: Floats
    centre: Floats


@dataclass(frozen=True)
class Volumes:
    """Cells as volumes: the largest cell (n,) of the mesh in each, which as a rule is alone there,
    the volume (c,) of each cell of the mesh, -1 for those left out, volume (n,) in m³, centroid
    (n, 3) in m, links between volumes and the rim around them."""

    cells: Longs
    of_cell: Longs
    volume: Floats
    centroid: Floats
    links: Links
    rim: Rim

    @property
    def count(self) -> int:
        return len(self.cells)

    @property
    def mesh_cells(self) -> int:
        """How many cells of the mesh the volumes are."""
        return int((self.of_cell >= 0).sum())

    @property
    def shared(self) -> NDArray[np.bool_]:
        """Which cells (c,) of the mesh share their volume with others."""
        size = np.append(np.bincount(self.of_cell[self.of_cell >= 0], minlength=self.count), 0)
        return np.asarray(size[self.of_cell] > 1)

    @property
    def merged(self) -> int:
        """How many cells of the mesh share their volume with others."""
        return int(self.shared.sum())

    @property
    def stacks(self) -> int:
        """How many volumes are of several cells."""
        return self.count - (self.mesh_cells - self.merged)


def volumes_of(mesh: Mesh, metres: float, of_cells: NDArray[np.bool_]) -> Volumes:
    """The volumes of some cells (c,) of a mesh, whose unit is `metres` long; cells that taper
    share one (see `merging`). Faces to other cells, and those between cells that lie on a patch,
    are rim on both sides. Raises StepFailed for periodic pairs that turn."""
    measured = measure(mesh)
    vector, middle = face_vectors(mesh)
    vector, middle = vector * metres**2, middle * metres
    of_cell = merged(mesh, vector, of_cells)
    cells = np.flatnonzero(of_cells)
    own, weight = of_cell[cells], measured.volume[cells] * metres**3
    volume = np.asarray(np.bincount(own, weight), float)
    moment = weight[:, None] * measured.centroid[cells] * metres
    sums = [np.asarray(np.bincount(own, moment[:, k]), float) for k in range(3)]
    middles = np.stack(sums, axis=1) / volume[:, None]
    centroid = np.zeros((mesh.cells, 3))
    centroid[cells] = middles[own]
    number = np.append(of_cell, -1)  # the last for -1, no cell
    smallest_first = np.argsort(weight, kind="stable")
    largest = np.empty(len(volume), np.int64)
    largest[own[smallest_first]] = cells[smallest_first]
    one, other = number[mesh.owner], number[mesh.neighbour]
    inner = np.flatnonzero((one >= 0) & (other >= 0) & (mesh.patch < 0) & (one != other))
    left, right = mesh.owner[inner], mesh.neighbour[inner]
    parts = [_links(inner, left, right, vector[inner], middle[inner], centroid, np.zeros(3))]
    paired = np.zeros(mesh.faces, bool)
    for pair in mesh.periodic:
        if np.abs(pair.turn - np.eye(3)).max() > _STRAIGHT:
            raise StepFailed(
                "turning-pair", "The solver does not know periodic pairs that turn, only shifted."
            )
        a, b = pair.faces[:, 0], pair.faces[:, 1]
        held = (one[a] >= 0) & (one[b] >= 0)
        a, b = a[held], b[held]
        paired[a] = paired[b] = True
        # the right cell is looked for where the shift brings it from
        shift = -pair.shift * metres
        left, right = mesh.owner[a], mesh.owner[b]
        parts.append(_links(a, left, right, vector[a], middle[a], centroid, shift))
    links = Links(
        np.concatenate([p.face for p in parts]),
        *(np.concatenate([number[getattr(p, n)] for p in parts]) for n in ("left", "right")),
        *(
            np.concatenate([getattr(p, n) for p in parts])
            for n in ("area", "way", "share", "beside")
        ),
    )
    ends = (mesh.neighbour < 0) | (mesh.patch >= 0) | ((one >= 0) != (other >= 0))
    outer = np.flatnonzero((one >= 0) & ends & ~paired)
    behind = np.flatnonzero((other >= 0) & ends & ~paired)
    face = np.concatenate([outer, behind])
    cell = np.concatenate([mesh.owner[outer], mesh.neighbour[behind]])
    sign = np.repeat([1.0, -1.0], [len(outer), len(behind)])[:, None]
    way = middle[face] - centroid[cell]
    rim = Rim(face, number[cell], cell.astype(np.int64), sign * vector[face], way, middle[face])
    # around a bend the way between two flat cells passes outside of both, where slopes say nothing
    normal, height = flattest(links.left, links.right, links.area, rim.cell, rim.area, volume)
    kept_within(links.left, links.right, normal, height, _ACROSS, links.beside)
    return Volumes(largest, of_cell, volume, middles, links, rim)


def _links(
    face: NDArray[np.integer],
    left: NDArray[np.int32],
    right: NDArray[np.int32],
    area: Floats,
    middle: Floats,
    centroid: Floats,
    shift: Floats,
) -> Links:
    way = centroid[right] + shift - centroid[left]
    # shares by the heights of the centroids over the face
    one = np.abs(((middle - centroid[left]) * area).sum(axis=1))
    other = np.abs(((centroid[right] + shift - middle) * area).sum(axis=1))
    share = one / np.maximum(one + other, 1e-300)
    beside = middle - centroid[left] - share[:, None] * way
    # of slivers the way passes far beside the face, and what slopes bring there grows by itself
    far = np.linalg.norm(beside, axis=1) / np.maximum(_ASIDE * np.linalg.norm(way, axis=1), 1e-300)
    beside = (beside / np.maximum(far, 1.0)[:, None]).astype(np.float32)
    ends = left.astype(np.int64), right.astype(np.int64)
    return Links(face.astype(np.int64), *ends, area, way, share, beside)


def face_vectors(mesh: Mesh) -> tuple[Floats, Floats]:
    """Area vectors (f, 3) out of the owners and centroids (f, 3) of faces, in the mesh's unit and
    its square; of wider faces as of their triangles about the mean of their nodes."""
    size = np.diff(mesh.face_start)
    total = np.add.reduceat(mesh.points[mesh.face_nodes], mesh.face_start[:-1], axis=0)
    mean = total / size[:, None]
    vector, centre = np.zeros((mesh.faces, 3)), mean.copy()
    plain = np.flatnonzero(size == 3)
    start, nodes = rows(mesh.face_start, mesh.face_nodes, plain)
    p = mesh.points[fan(start, nodes)[0]]
    vector[plain] = 0.5 * np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    wide = np.flatnonzero(size > 3)
    if len(wide):
        start, nodes = rows(mesh.face_start, mesh.face_nodes, wide)
        row = np.repeat(np.arange(len(wide)), np.diff(start))
        after = np.roll(nodes, -1)
        after[start[1:] - 1] = nodes[start[:-1]]
        a, b = mesh.points[nodes], mesh.points[after]
        m = mean[wide][row]
        cross = 0.5 * np.cross(a - m, b - m)
        vector[wide] = np.add.reduceat(cross, start[:-1], axis=0)
        weight = np.linalg.norm(cross, axis=1)
        sums = np.add.reduceat(weight[:, None] * (a + b + m) / 3.0, start[:-1], axis=0)
        centre[wide] = sums / np.add.reduceat(weight, start[:-1])[:, None]
    return vector, centre
