"""What holds layers where their wall meets faces that grow none: their sides lie on these faces.

A column that starts on such a face stays in its plane; one that starts where two of them meet stays
on the edge between them. Faces that are not plane, and those that another zone shares, hold none:
layers end before them.
"""

from dataclasses import dataclass

import numpy as np

from intaglio.layers.shell import Bools, Floats, Ints, Shell
from intaglio.triangles.measures import triangle_areas

# a face is plane if its nodes stand off by no more than this share of its size
_FLAT = 1e-5
# an edge is straight as long as it turns by less (cosine)
_STRAIGHT = np.cos(np.radians(1.0))


@dataclass(frozen=True)
class Constraints:
    """plane (n, 3): unit normal of the face that a node's column stays in, or zero; line (n, 3):
    unit vector of the edge that it stays on, or zero; room (n,): length that such an edge leaves
    it; blocked (n,): nothing may grow; trail: nodes along the edge from each node that stays on
    one, it first."""

    plane: Floats
    line: Floats
    room: Floats
    blocked: Bools
    trail: dict[int, list[int]]

    def within(self, way: Floats) -> Floats:
        """Directions (n, 3) turned into planes and edges, unit vectors or zero."""
        out = way - np.einsum("ij,ij->i", way, self.plane)[:, None] * self.plane
        held = self.line.any(axis=1)
        out[held] = self.line[held]
        length = np.linalg.norm(out, axis=1)
        return np.where(length[:, None] > 1e-6, out / np.maximum(length, 1e-300)[:, None], 0.0)


def plane_of(shell: Shell, region: int) -> Floats | None:
    """Unit normal (3,) out of the zone of a face that does not grow, None if it is not plane."""
    own = shell.triangles[(shell.region == region) & ~shell.grown]
    p = shell.points[own]
    across = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]).sum(axis=0)
    length = float(np.linalg.norm(across))
    if length <= 0.5 * 2.0 * float(triangle_areas(shell.points, own).sum()):
        return None
    normal = across / length
    height = p.reshape(-1, 3) @ normal
    size = float(np.linalg.norm(np.ptp(p.reshape(-1, 3), axis=0)))
    return normal if np.ptp(height) <= _FLAT * size else None


def constraints(shell: Shell) -> Constraints:
    """What holds the columns of a shell's walls."""
    n = len(shell.points)
    pairs, across = shell.edges
    own = np.repeat(np.arange(len(shell.triangles)), 3)
    still = ~shell.grown
    border = still[own] & shell.grown[across]
    beside = np.bincount(pairs[border].ravel(), minlength=n)
    # edges between two faces that do not grow, once each, both ways
    seam = still[own] & still[across] & (shell.region[own] != shell.region[across])
    seam |= still[own] & still[across] & (shell.fixed[own] != shell.fixed[across])
    follow: dict[int, list[int]] = {}
    for a, b in pairs[seam].tolist():
        follow.setdefault(a, []).append(b)
    normals: dict[int, Floats | None] = {}
    held = shell.closed.copy()
    bad = {int(r) for r in np.unique(shell.region[still & shell.fixed])}
    plane, line, room = np.zeros((n, 3)), np.zeros((n, 3)), np.full(n, np.inf)
    trail: dict[int, list[int]] = {}
    faces: dict[int, set[int]] = {}
    touching = np.flatnonzero(still[own] & shell.walls[pairs[:, 0]])
    for node, r in zip(
        pairs[touching, 0].tolist(), shell.region[own[touching]].tolist(), strict=True
    ):
        faces.setdefault(node, set()).add(r)
    for node, regions in faces.items():
        for r in regions:
            if r not in normals:
                normals[r] = None if r in bad else plane_of(shell, r)
        told = [normals[r] for r in regions]
        leaving = follow.get(node, [])
        if beside[node] != 2 or any(m is None for m in told):
            held[node] = True
        elif len(regions) == 1 and not leaving:
            plane[node] = told[0]
        elif len(regions) == 2 and len(leaving) == 1:
            walk, length, ends = _straight(shell, follow, node, leaving[0])
            along = shell.points[walk[1]] - shell.points[node]
            line[node] = along / np.linalg.norm(along)
            last = float(np.linalg.norm(shell.points[walk[-1]] - shell.points[walk[-2]]))
            room[node] = 0.4 * length if ends else max(0.0, length - 0.7 * last)
            trail[node] = walk
        else:
            held[node] = True
    # three columns stay in one plane; along an edge there is but one
    first = shell.arcs.nodes[:, 0]
    held[first[line[first].any(axis=1)]] = True
    for k in (1, 2):
        plane[shell.arcs.nodes[:, k]], held[shell.arcs.nodes[:, k]] = plane[first], held[first]
    return Constraints(plane, line, room, held, trail)


def _straight(
    shell: Shell, follow: dict[int, list[int]], start: int, second: int
) -> tuple[list[int], float, bool]:
    """The nodes along an edge from a wall as far as it is straight, its length, and whether it ends
    at another wall."""
    walk = [start, second]
    first = shell.points[second] - shell.points[start]
    first = first / np.linalg.norm(first)
    while not shell.walls[walk[-1]]:
        after = [v for v in follow.get(walk[-1], []) if v != walk[-2]]
        if len(after) != 1 or after[0] == start:
            break
        step = shell.points[after[0]] - shell.points[walk[-1]]
        if first @ step < _STRAIGHT * np.linalg.norm(step):
            break
        walk.append(after[0])
    length = float(np.linalg.norm(shell.points[walk[-1]] - shell.points[start]))
    return walk, length, bool(shell.walls[walk[-1]])


def borders(shell: Shell) -> Ints:
    """Half edges (k, 2) of faces that do not grow, across which one does."""
    pairs, across = shell.edges
    own = np.repeat(np.arange(len(shell.triangles)), 3)
    return pairs[~shell.grown[own] & shell.grown[across]]
