"""The shapes of cells: one reference table that building, metrics, checks, slices and files use.

Nodes are numbered as in the open standards for unstructured grids: the base first, seen from
inside counter-clockwise, then the top in the same order. A cell that is no such shape is a
polyhedron, which only its faces describe.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

POLYHEDRON, TETRAHEDRON, PYRAMID, PRISM, HEXAHEDRON = range(5)


@dataclass(frozen=True)
class Shape:
    """faces: nodes of each face, outward by the right-hand rule. dihedral: the angle between the
    faces of the ideal cell in degrees where skewness counts it, else 0."""

    name: str
    nodes: int
    faces: tuple[tuple[int, ...], ...]
    dihedral: float = 0.0

    @property
    def plural(self) -> str:
        """What several of them are called."""
        return f"{self.name[:-2]}a" if self.name.endswith("hedron") else f"{self.name}s"

    @property
    def edges(self) -> list[tuple[int, int, int, int]]:
        """Per edge its nodes (a, b), the face that runs from a to b and the one from b to a."""
        of = {
            (face[i], face[(i + 1) % len(face)]): k
            for k, face in enumerate(self.faces)
            for i in range(len(face))
        }
        return [(a, b, k, of[b, a]) for (a, b), k in of.items() if a < b]


SHAPES = (
    Shape("polyhedron", 0, ()),
    Shape(
        "tetrahedron",
        4,
        ((1, 2, 3), (0, 3, 2), (0, 1, 3), (0, 2, 1)),
        float(np.degrees(np.arccos(1.0 / 3.0))),
    ),
    Shape("pyramid", 5, ((0, 3, 2, 1), (0, 1, 4), (1, 2, 4), (2, 3, 4), (3, 0, 4))),
    Shape("prism", 6, ((0, 2, 1), (3, 4, 5), (0, 1, 4, 3), (1, 2, 5, 4), (2, 0, 3, 5))),
    Shape(
        "hexahedron",
        8,
        (
            (0, 3, 2, 1),
            (0, 1, 5, 4),
            (1, 2, 6, 5),
            (2, 3, 7, 6),
            (3, 0, 4, 7),
            (4, 5, 6, 7),
        ),
    ),
)

# the same as arrays for compiled code; rows of shapes, padded with -1
NODES = np.array([s.nodes for s in SHAPES], np.int64)
FACES = np.array([len(s.faces) for s in SHAPES], np.int64)
FACE_SIZE = np.full((len(SHAPES), 6), 0, np.int64)
FACE_NODES = np.full((len(SHAPES), 6, 4), -1, np.int64)
EDGES = np.array([len(s.edges) for s in SHAPES], np.int64)
EDGE = np.full((len(SHAPES), 12, 4), -1, np.int64)
DIHEDRAL = np.array([s.dihedral for s in SHAPES])
for _k, _shape in enumerate(SHAPES):
    for _f, _face in enumerate(_shape.faces):
        FACE_SIZE[_k, _f] = len(_face)
        FACE_NODES[_k, _f, : len(_face)] = _face
    for _e, _edge in enumerate(_shape.edges):
        EDGE[_k, _e] = _edge


def counts_by_shape(shape: NDArray[np.int8]) -> dict[str, int]:
    """{name of shape: cells} of those that occur."""
    count = np.bincount(shape, minlength=len(SHAPES))
    return {s.name: int(n) for s, n in zip(SHAPES, count, strict=True) if n}
