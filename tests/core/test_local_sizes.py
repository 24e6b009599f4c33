"""Sizes of regions, patches and counted edges: against closed forms and in whole meshes."""

import numpy as np
import pytest

from intaglio.errors import SettingRejected
from intaglio.settings.blanks import build
from intaglio.sizing.octree import build_field, sizes
from intaglio.sizing.regions import Region, bounds, distance, region_samples, region_sizes
from intaglio.sizing.spacing import positions
from intaglio.stages.sizing.rows import FIELDS
from intaglio.stages.sizing.settings import Sizing

AXIS = {"start": np.array([1.0, 2.0, 0.0]), "end": np.array([1.0, 2.0, 4.0])}
SHAPES = {
    "box": Region("r", "box", 0.1, 1.0, low=np.zeros(3), high=np.array([1.0, 2.0, 3.0])),
    "sphere": Region("r", "sphere", 0.1, 1.0, start=np.ones(3), radius=0.75),
    "cylinder": Region("r", "cylinder", 0.1, 1.0, **AXIS, radius=0.5),
    "frustum": Region("r", "frustum", 0.1, 1.0, **AXIS, radius=0.5, end_radius=1.5),
}


def _surface_points(region, n=20000):
    """Points on the shape's own surface, from its definition alone."""
    rng = np.random.default_rng(3)
    if region.shape == "box":
        p = region.low + rng.random((n, 3)) * (region.high - region.low)
        axis = rng.integers(0, 3, n)
        p[np.arange(n), axis] = np.where(rng.random(n) < 0.5, region.low[axis], region.high[axis])
        return p
    if region.shape == "sphere":
        d = rng.normal(size=(n, 3))
        return region.start + region.radius * d / np.linalg.norm(d, axis=1)[:, None]
    end = region.radius if region.shape == "cylinder" else region.end_radius
    share = rng.random(n)
    angle = rng.random(n) * 2 * np.pi
    radius = region.radius + share * (end - region.radius)
    flat = rng.random(n) < 0.4
    share = np.where(flat, np.round(share), share)
    cap = np.where(share < 0.5, region.radius, end) * np.sqrt(rng.random(n))
    radius = np.where(flat, cap, radius)
    ring = radius[:, None] * np.stack([np.cos(angle), np.sin(angle), 0 * angle], axis=1)
    return region.start + ring + share[:, None] * (region.end - region.start)


@pytest.mark.parametrize("shape", list(SHAPES))
def test_distances_agree_with_the_nearest_of_many_surface_points(shape):
    from scipy.spatial import cKDTree

    region = SHAPES[shape]
    low, high = bounds(region)
    spots = low - 1 + np.random.default_rng(1).random((400, 3)) * (high - low + 2)
    away = distance(region, spots)
    near = cKDTree(_surface_points(region, 200_000)).query(spots)[0]
    outside = away > 0
    assert 20 < outside.sum() < 400 - 5
    assert np.abs(away[outside] - near[outside]).max() < 0.04
    # the box around the shape holds all of its surface
    own = _surface_points(region)
    assert (own >= low - 1e-9).all() and (own <= high + 1e-9).all()


def test_a_shell_is_as_far_as_its_triangles():
    points = np.array([[0.0, 0, 0], [1, 0, 0], [0, 1, 0]])
    shell = Region("s", "shell", 0.1, 1.0, thickness=0.25, points=points,
                   triangles=np.array([[0, 1, 2]], np.int32))  # fmt: skip
    spots = np.array([[0.2, 0.2, 0.2], [0.2, 0.2, 1.0], [-1.0, 0, 0]])
    assert distance(shell, spots) == pytest.approx([0.0, 0.75, 0.75])


@pytest.mark.parametrize("shape", list(SHAPES))
def test_the_field_holds_the_size_inside_and_eases_off(shape):
    region = SHAPES[shape]
    low, high = np.full(3, -3.0), np.full(3, 7.0)
    spots, wanted = region_samples(region, 1.0, low, high)
    field = build_field(spots, wanted, 1.0, 2.0, low, high)
    probe = low + np.random.default_rng(2).random((4000, 3)) * (high - low)
    away = distance(region, probe)
    got = sizes(field, probe)
    assert got[away == 0].max() < 0.2
    assert got[away > 1.5].min() > 0.75
    assert np.abs(got - region_sizes(region, away, 1.0))[away > 0].max() < 0.4


def test_counted_edges_stand_in_geometric_progression():
    even = positions(6.0, 4, "uniform", 5.0)
    assert even == pytest.approx([0, 1.5, 3, 4.5, 6])
    first = np.diff(positions(1.0, 8, "first", 10.0))
    assert first[-1] / first[0] == pytest.approx(10)
    assert (first[1:] / first[:-1]) == pytest.approx(10 ** (1 / 7))
    assert np.diff(positions(1.0, 8, "last", 10.0)) == pytest.approx(first[::-1])
    both = np.diff(positions(1.0, 9, "both", 4.0))
    assert both == pytest.approx(both[::-1]) and both.max() / both.min() == pytest.approx(4)
    assert positions(2.0, 1, "both", 4.0) == pytest.approx([0, 2])


GOOD = {"name": "wake", "shape": "sphere", "size": 1, "easing": 2, "start": [0, 0, 0], "radius": 3}


@pytest.mark.parametrize(
    "field, value, words",
    [
        ("regions", [{**GOOD, "size": 0}], "greater than 0"),
        ("regions", [{**GOOD, "size": -1}], "greater than 0"),
        ("regions", [{**GOOD, "easing": -1}], "at least 0"),
        ("regions", [{**GOOD, "radius": "x"}], "not defined"),
        ("regions", [{**GOOD, "start": [0, 0]}], "three coordinates"),
        ("regions", [{**GOOD, "shape": "torus"}], "one of"),
        ("regions", [{**GOOD, "low": [0, 0, 0]}], "low belongs to a box, not to a sphere"),
        ("regions", [GOOD, GOOD], "“wake” stands in two rows"),
        ("regions", [{**GOOD, "name": "1 2"}], "cannot name"),
        ("regions", {"a": 1}, "list"),
        (
            "regions",
            [{"shape": "box", "size": 1, "low": [0, 0, 0], "high": [1, 0, 1]}],
            "must lie below",
        ),
        (
            "regions",
            [{"shape": "cylinder", "size": 1, "start": [0, 0, 0], "end": [0, 0, 0], "radius": 1}],
            "no length",
        ),
        ("sizes", [{"patches": ["a"], "size": 0}], "greater than 0"),
        ("sizes", [{"patches": ["a"], "between": ["a", "b"], "size": 1}], "either"),
        ("sizes", [{"patches": ["a"], "count": 4}], "an edge between two"),
        ("sizes", [{"between": ["a"], "size": 1}], "name 2"),
        ("sizes", [{"between": ["a", "b"], "count": 0}], "at least 1"),
        ("sizes", [{"between": ["a", "b"], "count": 4, "cluster": "odd"}], "one of"),
        ("sizes", [{"between": ["a", "b"], "count": 4, "ratio": 0.5}], "at least 1"),
        ("smallest", 99.0, "larger than the largest"),
        ("growth", 1.0, "greater than 1"),
        ("largest", 0.0, "greater than 0"),
    ],
)
def test_bad_sizes_are_refused_at_their_blank(field, value, words):
    with pytest.raises(SettingRejected) as caught:
        build("sizing", Sizing, {"smallest": 1.0, "largest": 9.0} | {field: value})
    assert caught.value.blank == f"sizing.{field}" and words in str(caught.value)


def test_every_shape_says_what_it_needs():
    assert set(FIELDS) == {"box", "cylinder", "sphere", "frustum", "shell"}
    made = build("sizing", Sizing, {"regions": [GOOD | {"size": "2 * 3"}]})
    assert made.regions[0]["size"] == 6.0
