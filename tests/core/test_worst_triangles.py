"""The worst triangles of a surface mesh, against counting by hand."""

import numpy as np
import pytest

from intaglio.quality.limits import TRIANGLES, judged
from intaglio.quality.statistics import histogram, spread
from intaglio.quality.triangles import SURFACE_METRICS, triangle_angles, triangle_aspect
from intaglio.quality.worst import worst_cells
from intaglio.quality.worst_triangles import (
    described_triangles,
    triangle_causes,
    triangle_metric,
    triangle_tails,
    triangles_around,
)


def plate(n):
    """A plane square of n by n quads cut in two, left half region 0, right half region 1."""
    at = np.linspace(0.0, 1.0, n + 1)
    x, y = np.meshgrid(at, at)
    points = np.column_stack([x.ravel(), y.ravel(), np.zeros(x.size)])
    a = (np.arange(n)[:, None] * (n + 1) + np.arange(n)).ravel()
    lower = np.column_stack([a, a + 1, a + n + 2])
    upper = np.column_stack([a, a + n + 2, a + n + 1])
    triangles = np.concatenate([lower, upper]).astype(np.int32)
    middle = points[triangles].mean(axis=1)
    return points, triangles, (middle[:, 0] > 0.5).astype(np.int32)


def test_a_triangle_in_a_corner_of_its_face_is_forced_by_it():
    points, triangles, region = plate(4)
    # the corner (1, 0) has one triangle, whose two short sides lie on the rim
    corner = np.flatnonzero((triangles == 4).any(axis=1))
    assert len(corner) == 1
    why = triangle_causes(points, triangles, region, corner, ["left", "right"])
    assert why == ["forced by a corner of right of 90°"]


@pytest.mark.parametrize("angle", [5.0, 24.5, 130.0])
def test_the_angle_told_is_that_of_the_corner(angle):
    """A triangle of its own has three sides on the rim; beside another it has two."""
    way = np.radians(angle)
    points = np.array([[0, 0, 0], [2, 0, 0], [np.cos(way), np.sin(way), 0], [3, 3, 0]])
    for turn in range(3):
        first = np.roll([0, 1, 2], turn)
        triangles = np.array([first, [1, 3, 2]], np.int32)
        why = triangle_causes(points, triangles, np.zeros(2, np.int32), np.array([0]), ["blade"])
        assert why == [f"forced by a corner of blade of {angle:.3g}°"]


def test_others_are_told_by_where_they_lie():
    points, triangles, region = plate(8)
    middle = points[triangles].mean(axis=1)
    names = ["left", "right"]

    def why(x, y):
        near = np.linalg.norm(middle[:, :2] - [x, y], axis=1).argmin()
        return triangle_causes(points, triangles, region, np.array([near]), names)[0]

    assert why(0.25, 0.55) == "on left"
    assert why(0.49, 0.55) == "on left, at its edge with right"
    # one quad wide from rim to rim
    thin = np.array([[i, j, 0] for j in (0, 1) for i in range(4)], float)
    strip = np.array([[0, 1, 5], [0, 5, 4], [1, 2, 6], [1, 6, 5], [2, 3, 7], [2, 7, 6]], np.int32)
    told = triangle_causes(thin, strip, np.zeros(6, np.int32), np.array([2]), ["lip"])
    assert told == ["reaches from edge to edge of lip"]


def test_rings_hold_what_shares_a_node_with_one_before():
    _, triangles, _ = plate(9)
    chosen = np.array([17])
    assert triangles_around(triangles, chosen, 0).tolist() == [17]
    held = {17}
    for rings in (1, 2, 3):
        nodes = {n for t in held for n in triangles[t].tolist()}
        held = {t for t, row in enumerate(triangles.tolist()) if nodes & set(row)}
        assert triangles_around(triangles, chosen, rings).tolist() == sorted(held)


def report_of(points, triangles):
    angles = triangle_angles(points, triangles)
    values = {m.key: np.ones(len(triangles)) for m in SURFACE_METRICS}
    values |= {
        "smallest_angle": angles.min(axis=1),
        "largest_angle": angles.max(axis=1),
        "aspect_ratio": triangle_aspect(points, triangles),
        "deviation": np.zeros(len(triangles)),
    }
    return values, {
        "quality": {key: spread(own) for key, own in values.items()},
        "histograms": {m.key: histogram(values[m.key], m) for m in SURFACE_METRICS},
        "worst": triangle_tails(points, triangles, values),
        "findings": [],
    }


def test_a_surface_is_judged_by_limits_of_its_own():
    points, triangles, _ = plate(10)
    points[:, 1] *= 0.1  # 1 to 10: angles of 5.71, 84.3 and 90 degrees
    values, report = report_of(points, triangles)
    least = np.degrees(np.arctan(0.1))
    assert values["smallest_angle"] == pytest.approx(np.full(200, least), rel=1e-12)
    told = judged(report, "general", [], TRIANGLES)
    beyond = {row["metric"]: row["beyond"] for row in told["verdict"]["rows"] if not row["passed"]}
    assert beyond == {"smallest_angle": 200, "aspect_ratio": 200}
    codes = {f["code"]: f for f in told["findings"]}
    assert codes["beyond-smallest-angle"]["message"].startswith("Triangles with smallest angle")
    own = judged(report, "own", [{"of": "smallest_angle", "value": 5.0}], TRIANGLES)
    assert own["verdict"]["passed"] and not own["findings"]


def test_a_row_tells_number_value_place_and_cause():
    points, triangles, region = plate(4)
    points[6] += [0.2, 0.2, 0.0]
    value = triangle_angles(points, triangles).min(axis=1)
    metric = triangle_metric("smallest_angle")
    worst = worst_cells(value, metric.large_is_bad, 3)
    rows = described_triangles(points, triangles, region, worst, value[worst], ["left", "right"])
    assert [r["value"] for r in rows] == sorted(value.tolist())[:3]
    for row in rows:
        assert row["place"] == points[triangles[row["cell"]]].mean(axis=0).tolist()
        assert row["shape"] == "triangle" and row["cause"].startswith(("on ", "reaches"))
    assert triangle_metric("beauty") is None
