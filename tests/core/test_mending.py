"""A surface that does not hold is meshed again with shorter edges, and says where."""

import numpy as np
import pytest

from intaglio.errors import StepFailed
from intaglio.facets.part import FacetPart
from intaglio.remeshing.remesh import RemeshedSurface
from intaglio.remeshing.surface import CORNER, ON_CURVE, ON_FACE
from intaglio.sizing.octree import build_field
from intaglio.stages.sizing.settings import Sizing
from intaglio.stages.surface.mending import faults, flattened, lowered, regions_around
from intaglio.stages.surface.step import _refuse_crossing_geometry
from intaglio.triangles.facets import Facets
from tests.core.shapes import cut, cylinder, run, source


def _bearing(tmp_path):
    """The film between a shaft and its bore that nearly touch: 0.015 at the narrowest, 0.585 at the
    widest."""
    return source(
        cut(cylinder((0, 0, 0), (0, 0, 1), 10.3, 8), cylinder((0.285, 0, -1), (0, 0, 1), 10.0, 10)),
        tmp_path,
    )


def _given(**surface):
    sizing = {"smallest": 4.0, "largest": 4.0, "angle": 60.0, "gap_cells": 0.0}
    return {"domain": {"where": "as-is"}, "sizing": sizing, "surface": surface}


def test_walls_closer_than_the_edges_are_mended_and_the_sizes_can_be_kept(tmp_path):
    film = _bearing(tmp_path)
    with pytest.raises(StepFailed) as caught:
        run(film, "surface", _given(mend=0.0))
    assert caught.value.code == "surface-crosses" and caught.value.places
    states, _ = run(film, "volume", _given())
    report = states["surface"].report
    assert report["rounds"] > 1 and report["mended"] >= 1
    # area of the two ends times the height; chords of the shorter edges cut off little of it
    exact = np.pi * (10.3**2 - 10.0**2) * 8
    assert states["volume"].report["volume"] == pytest.approx(exact, rel=0.15)
    found = next(f for f in report["findings"] if f["code"] == "mended")
    rows = found["repairs"][0]["operation"]["rows"]
    assert len(rows) == report["mended"] and found["size"] >= 1.0
    # kept, the sizes lead to the same surface at once
    kept = _given()
    kept["sizing"]["regions"] = rows
    again = run(film, "surface", kept)[0]["surface"].report
    assert again["rounds"] == 1 and again["mended"] == 0
    assert again["triangles"] == report["triangles"]


def test_mending_ends_at_its_floor(tmp_path):
    with pytest.raises(StepFailed) as caught:
        run(_bearing(tmp_path), "surface", _given(mend=0.5))
    assert caught.value.code == "surface-crosses"
    assert "Edges down to 2 mm were tried" in str(caught.value)


def _flat(points, triangles, kind, edges) -> RemeshedSurface:
    n, m = len(points), len(triangles)
    return RemeshedSurface(
        np.array(points, float),
        np.array(triangles, np.int32),
        np.zeros(m, np.int32),
        np.array(kind, np.int8),
        np.zeros(n, np.int32),
        np.zeros(n),
        np.array(edges, np.int32).reshape(-1, 2),
        np.zeros(len(edges), np.int32),
    )


def _plane() -> Facets:
    points = np.array([[-9.0, -9, 0], [9, -9, 0], [9, 9, 0], [-9, 9, 0]])
    return Facets(
        points, np.array([[0, 1, 2], [0, 2, 3]], np.int32), np.zeros(2, np.int32), np.zeros(4)
    )


def test_what_is_wrong_is_told_apart():
    # a good triangle, a thin one, and one whose tip stands off the plane
    points = [[0, 0, 0], [1, 0, 0], [0.5, 0.9, 0], [0.5, -0.05, 0], [1.6, 0.9, 0.9]]
    triangles = [[0, 1, 2], [1, 0, 3], [2, 1, 4]]
    surface = _flat(points, triangles, [ON_FACE] * 5, [])
    found = faults(surface, _plane())
    assert (len(found.crossing), len(found.folded)) == (0, 0)
    assert found.thin.tolist() == [1] and found.off.tolist() == [2]
    # folded back over its neighbour along an edge that is no edge of the model
    points[4] = [0.6, 0.2, 0.1]
    assert faults(_flat(points, triangles, [ON_FACE] * 5, []), _plane()).folded.tolist() == [0, 2]
    edge = [[1, 2]]
    kinds = [ON_FACE, ON_CURVE, ON_CURVE, ON_FACE, ON_FACE]
    assert len(faults(_flat(points, triangles, kinds, edge), _plane()).folded) == 0


def test_an_angle_that_two_edges_of_the_model_make_is_no_fault():
    points = [[0, 0, 0], [2, 0, 0], [2, 0.3, 0]]
    kinds = [CORNER, ON_CURVE, ON_CURVE]
    edges = [[0, 1], [0, 2]]
    assert len(faults(_flat(points, [[0, 1, 2]], kinds, edges), _plane()).thin) == 0
    assert len(faults(_flat(points, [[0, 1, 2]], kinds, edges[:1]), _plane()).thin) == 1


def test_edges_are_halved_down_to_the_floor_in_as_few_balls_as_do():
    points = [[0, 0, 0], [1, 0, 0], [0.5, 0.9, 0], [0.5, -0.05, 0]]
    surface = _flat(points, [[0, 1, 2], [1, 0, 3]], [ON_FACE] * 4, [])
    found = faults(surface, _plane())
    even = np.array([[-9.0, -9, -9], [9, 9, 9]])
    field = build_field(even, np.full(2, 1.0), 1.0, 1.2, even[0], even[1])
    assert len(found.severe()) == 0 < len(found.triangles())
    spot, _, size = lowered(surface, found.triangles(), field, 0.1)
    assert spot == pytest.approx(np.array([[0.5, -0.05 / 3, 0]]))
    assert 0.25 <= size[0] <= 0.5
    assert len(lowered(surface, found.triangles(), field, 1.0)[0]) == 0
    rng = np.random.default_rng(3)
    spots = rng.random((3000, 3)) * 100
    balls = regions_around(spots, np.full(3000, 0.5), rng.uniform(0.2, 0.4, 3000), 7)
    assert len(balls) <= 40 and balls[0].name == "mended_7"
    # every place lies in a ball
    inside = [np.linalg.norm(spots - b.start, axis=1) <= b.radius * (1 + 1e-3) for b in balls]
    assert np.any(inside, axis=0).all()


def test_geometry_that_crosses_itself_is_named():
    corner = np.array([[0.0, 0, 0], [3, 0, 0], [0, 3, 0], [0, 0, 3]])
    faces = np.array([[0, 2, 1], [0, 1, 3], [0, 3, 2], [1, 2, 3]], np.int32)

    def two(shift):
        return FacetPart(
            np.concatenate([corner, corner + shift]),
            np.concatenate([faces, faces + 4]),
            np.repeat(np.arange(2, dtype=np.int32), 4),
            np.zeros(8, np.int32),
            ("hull", "keel"),
            ("body",),
            "mm",
        )

    names = ["hull", "keel"]
    _refuse_crossing_geometry(two(9.0), Sizing(), names)
    with pytest.raises(StepFailed) as caught:
        _refuse_crossing_geometry(two(0.5), Sizing(), names)
    assert caught.value.code == "geometry-crosses" and "(hull and keel)" in str(caught.value)
    assert np.ptp(np.array(caught.value.places), axis=0).max() < 3.5


def test_a_needle_is_flattened_and_told():
    # an even plane of nodes; a second sheet close above it, which a needle of the first pierces
    x, y = np.meshgrid(np.arange(7.0), np.arange(7.0), indexing="ij")
    sheet = np.stack([x.ravel(), y.ravel(), np.zeros(49)], axis=1)
    cell = np.array([7 * i + j for i in range(6) for j in range(6)])
    rows = np.concatenate(
        [np.stack([cell, cell + 7, cell + 8], 1), np.stack([cell, cell + 8, cell + 1], 1)]
    )
    above = sheet + np.array([0.13, 0.21, 0.3])
    sheet[24, 2] = 0.9
    points, triangles = np.concatenate([sheet, above]), np.concatenate([rows, rows + 49])
    surface = _flat(points, triangles, [ON_FACE] * 98, [])
    crossing = faults(surface, _plane()).crossing
    assert 24 in surface.triangles[crossing]
    out, moved = flattened(surface, crossing)
    assert len(faults(out, _plane()).crossing) == 0
    assert 24 in moved and 0 <= out.points[24, 2] < 0.3
    # nodes on edges of the model stay, and then it cannot be done
    fixed = _flat(points, triangles, [ON_CURVE] * 98, [])
    assert flattened(fixed, crossing) is None
