"""The size field: limits, growth, and the forecast against meshes."""

import numpy as np
import pytest

from intaglio.errors import SettingRejected
from intaglio.sizing.octree import build_field, sizes
from tests.core.shapes import box, pipe, run, source


def test_smallest_wins_and_growth_is_limited():
    spots = np.array([[0.0, 0, 0], [10.0, 10, 10]])
    field = build_field(spots, np.array([0.2, 0.5]), 3.0, 1.2, np.zeros(3), np.full(3, 10.0))
    assert sizes(field, spots)[0] == pytest.approx(0.2, rel=0.6)
    rng = np.random.default_rng(2)
    a, b = rng.uniform(0, 10, (4000, 3)), rng.uniform(0, 10, (4000, 3))
    apart = np.linalg.norm(a - b, axis=1)
    far = apart > 1.0
    slope = np.abs(sizes(field, a) - sizes(field, b))[far] / apart[far]
    assert slope.max() < 0.2 * 1.15
    assert sizes(field, rng.uniform(0, 10, (4000, 3))).max() <= 3.0
    # a cone around each source is an upper bound everywhere
    d = np.linalg.norm(a, axis=1)
    assert (sizes(field, a) <= 0.2 + 0.2 * 1.15 * d + 0.3).all()


@pytest.mark.parametrize("make", [lambda: box(0, 0, 0, 4, 4, 4), pipe], ids=["box", "pipe"])
def test_forecast_within_a_fifth(make, tmp_path):
    states, _ = run(source(make(), tmp_path), "volume")
    forecast = states["sizing"].report["forecast"]
    assert forecast["cells"] == pytest.approx(states["volume"].report["cells"], rel=0.2)
    assert forecast["triangles"] == pytest.approx(states["surface"].report["triangles"], rel=0.2)


def test_smaller_edges_make_more_cells(tmp_path):
    part = source(box(0, 0, 0, 4, 4, 4), tmp_path)
    cells = []
    for h in (1.0, 0.5):
        states, _ = run(part, "volume", {"sizing": {"smallest": h, "largest": h}})
        cells.append(states["volume"].report["cells"])
    assert 5 < cells[1] / cells[0] < 11  # eight times, but for the boundary


@pytest.mark.parametrize(
    "sizing, blank",
    [
        ({"smallest": 2.0, "largest": 1.0}, "sizing.smallest"),
        ({"growth": 1.0}, "sizing.growth"),
        ({"largest": -1.0}, "sizing.largest"),
        ({"smallest": 0.0}, "sizing.smallest"),
        ({"smallest": float("nan")}, "sizing.smallest"),
        ({"smallest": "two"}, "sizing.smallest"),
        ({"angle": 90.0}, "sizing.angle"),
        ({"smallest": 0.001, "largest": 0.001}, "sizing.largest"),
    ],
)
def test_bad_settings_name_their_blank(sizing, blank, tmp_path):
    with pytest.raises(SettingRejected) as caught:
        run(source(box(0, 0, 0, 4, 4, 4), tmp_path), "sizing", {"sizing": sizing})
    assert caught.value.blank == blank


def test_the_wake_is_on_offer_until_it_is_there(tmp_path):
    given = {"domain": {"where": "around", "along": "-y"}, "sizing": {"smallest": 1, "largest": 6}}
    part = source(box(0, 0, 0, 3, 4, 2), tmp_path)
    states, _ = run(part, "sizing", given)
    report = states["sizing"].report
    found = next(f for f in report["findings"] if f["code"] == "wake")
    row = found["repairs"][0]["operation"]["rows"][0]
    # from the middle of the body two of its lengths behind it, a quarter of its width aside
    assert row["low"] == pytest.approx([-0.75, -8.0, -0.75])
    assert row["high"] == pytest.approx([3.75, 2.0, 2.75])
    given["sizing"]["regions"] = [row]
    states, _ = run(part, "sizing", given)
    refined = states["sizing"].report
    assert not any(f["code"] == "wake" for f in refined["findings"])
    assert refined["forecast"]["cells"] > report["forecast"]["cells"]
    inside = run(part, "sizing", {"domain": {"where": "as-is"}})[0]["sizing"].report
    assert not any(f["code"] == "wake" for f in inside["findings"])
