"""What Geometry shows before it is done: the picture before any finding, then findings as found."""

import numpy as np
import pytest
from pydantic import TypeAdapter

from intaglio.cad.part import Part
from intaglio.cad.read import compound
from intaglio.parts.source import Source
from intaglio.parts.writing import geometry_bytes
from intaglio.recipe.plan import MemoryStore, run_to
from intaglio.stages.geometry.report import GeometryReport
from tests.core.shapes import box, cylinder


@pytest.fixture(scope="module", params=[".step", ".stl"])
def told(request):
    """A rod twice in one place, beside a thin plate: (events in order, the stage's product)."""
    rods = [cylinder((0, 0, 0), (0, 0, 1), 10, 10) for _ in range(2)]
    part = Part(compound([*rods, box(30, 0, 0, 80, 40, 0.1)]), "mm")
    name = f"rods{request.param}"
    file = Source(name, geometry_bytes(part, request.param, name, 5e-4))
    events: list = []
    store = MemoryStore()
    (state, *_) = run_to(
        "geometry",
        file,
        "rods",
        {},
        store,
        lambda stage, share, doing: events.append((share, doing)),
        show=lambda stage, key, product: events.append((stage, key, product)),
    )
    return events, state, store.get(state.key)


def _looks(events):
    return [e for e in events if len(e) == 3]


def test_the_picture_comes_before_anything_is_looked_for(told):
    events, state, product = told
    at = next(k for k, e in enumerate(events) if len(e) == 3)
    assert not any(str(e[1]).startswith("looking") for e in events[:at])
    stage, key, first = events[at]
    assert (stage, key) == ("geometry", state.key)
    for name in ("points", "triangles", "region", "lines"):
        drawn = f"display_{name}"
        assert np.array_equal(first.arrays[drawn], product.arrays[drawn])
    assert bytes(first.arrays["picture"][:4]) == b"\x89PNG"
    # a look is no model to go on with
    assert set(product.arrays) - set(first.arrays) > {"free_lines"}


def test_every_look_is_a_report_and_says_that_it_is_not_whole(told):
    events, _, product = told
    looks = _looks(events)
    for _, _, look in looks:
        assert TypeAdapter(GeometryReport).validate_python(look.report) == look.report
        assert look.report["size"] == product.report["size"]
        assert [f["id"] for f in look.report["faces"]] == [f["id"] for f in product.report["faces"]]
    for _, _, look in looks[1:]:
        for name in ("volume", "area", "faces", "bodies", "links"):
            assert look.report[name] == product.report[name]
    # two rods and a plate, measured by what is drawn
    area = 2 * (2 * np.pi * 10 * 10 + 2 * np.pi * 100) + 2 * 50 * 40 + 2 * 0.1 * 90
    assert looks[0][2].report["area"] == pytest.approx(area, rel=0.02)
    assert looks[0][2].report["volume"] == pytest.approx(2 * np.pi * 1000 + 200, rel=0.02)
    assert looks[0][2].report["closed"] is None
    assert product.report["closed"] is False


def test_findings_come_one_after_the_other(told):
    events, _, product = told
    codes = [[f["code"] for f in look.report["findings"]] for _, _, look in _looks(events)]
    whole = [f["code"] for f in product.report["findings"]]
    (twice,) = (code for code in whole if code.startswith("duplicate"))
    assert "thin-walls" in whole
    for k, (before, after) in enumerate(zip(codes, [*codes[1:], whole], strict=True)):
        assert after[: len(before)] == before, k
    # one is there long before the other
    first = next(k for k, c in enumerate(codes) if twice in c)
    assert "thin-walls" not in codes[first] and codes[0] != whole


def test_no_look_changes_after_it_was_shown(told):
    events, _, _ = told
    first = _looks(events)[0][2]
    assert "brep" not in first.arrays and "facet_points" not in first.arrays
    assert not first.report["openings"] and not first.report["features"]
