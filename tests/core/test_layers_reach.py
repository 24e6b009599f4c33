"""Faces between columns that part from each other: what they would be bent by."""

import numpy as np
import pytest

from intaglio.layers.reach import Twisted, warped
from intaglio.mesh.building import face_mesh
from intaglio.mesh.mesh import Patch, Zone
from intaglio.mesh.validity import face_warp


def _bent_by(angle: float, one: float, other: float) -> float:
    """Of a face over an edge 100 long, whose ends are so high and part by an angle, in degrees."""
    half = angle / 2
    foot = np.array([[0.0, 0, 0], [100.0, 0, 0]])
    up = [
        np.array([0.0, np.sin(way), np.cos(way)]) * high
        for way, high in ((half, one), (-half, other))
    ]
    points = np.concatenate([foot, foot + np.array(up)])
    # a body of this face and some others, of which only the first is looked at
    faces = [[0, 1, 3, 2], [0, 2, 3], [0, 3, 1]]
    start = np.concatenate([[0], np.cumsum([len(f) for f in faces])])
    mesh = face_mesh(
        points,
        start.astype(np.int64),
        np.concatenate(faces).astype(np.int32),
        np.zeros(3, np.int32),
        np.full(3, -1, np.int32),
        np.zeros(3, np.int32),
        (Patch("wall", "wall"),),
        np.zeros(1, np.int32),
        (Zone("fluid"),),
    )
    return float(face_warp(mesh)[0])


@pytest.mark.parametrize("one, other", [(1, 1), (1, 0.5), (0.3, 1), (1, 0.05)])
def test_bent_faces_are_known_before_they_are_made(one, other):
    seen = []
    for degrees in range(58, 176, 4):
        at = Twisted(np.array([[0, 1]], np.int32), np.radians([float(degrees)]), np.ones((1, 2)))
        ends = np.array([[0.0, one], [0.0, other]])
        would = _bent_by(np.radians(degrees), one, other)
        if abs(would - 57.0) > 1.0:
            assert (len(warped(at, ends)) == 2) == (would > 57.0)
            seen.append(would > 57.0)
    # of both kinds
    assert len(set(seen)) == 2


def test_a_triangle_is_never_bent():
    at = Twisted(np.array([[0, 1]], np.int32), np.radians([120.0]), np.ones((1, 2)))
    assert not len(warped(at, np.array([[0.0, 1.0], [0.0, 0.0]])))
    assert len(warped(at, np.array([[0.0, 1.0], [0.0, 1.0]]))) == 2
