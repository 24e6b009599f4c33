"""Openings, spaces and the fluid, against closed forms and the kernel's booleans."""

import math
from pathlib import Path

import pytest
from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut

from demo.drum import exact_volume
from intaglio.cad.domain import fluid_as_is, fluid_inside, openings, spaces
from intaglio.cad.measures import area, bounds, volume
from intaglio.cad.part import Part
from intaglio.cad.step import is_sound, read_step
from intaglio.errors import StepFailed
from tests.core.shapes import box, cut, cylinder, fuse, pipe

DEMO = Path(__file__).parents[2] / "demo/models"


def test_pipe_has_two_openings_and_one_space():
    part = Part(pipe(), "mm")
    found = openings(part)
    assert [round(o.diameter, 9) for o in found] == [14.0, 14.0]
    (space,) = spaces(part, found)
    assert space.volume == pytest.approx(math.pi * 49 * 60, rel=1e-9)
    fluid = fluid_inside(part, found, [o.name for o in found], space.pin)
    assert volume(fluid.part.shape) == pytest.approx(math.pi * 49 * 60, rel=1e-9)
    assert area(fluid.part.shape) == pytest.approx(2 * math.pi * (49 + 7 * 60), rel=1e-9)
    assert is_sound(fluid.part.shape)
    assert sorted(k for k, _ in fluid.source) == ["face", "opening", "opening"]


def test_an_open_end_is_named():
    part = Part(pipe(), "mm")
    found = openings(part)
    with pytest.raises(StepFailed) as caught:
        fluid_inside(part, found, [found[0].name], (30.0, 0.0, 0.0))
    assert caught.value.code == "not-closed"
    assert found[1].name in caught.value.message and found[0].name not in caught.value.message
    assert caught.value.places == [list(found[1].centre)]


@pytest.mark.parametrize(
    "pin, code", [((0.0, 0.0, 8.5), "pin-in-solid"), ((500.0, 0.0, 0.0), "pin-outside")]
)
def test_a_misplaced_pin_is_told(pin, code):
    part = Part(pipe(), "mm")
    found = openings(part)
    pin = (30.0, *pin[1:]) if pin[0] == 0.0 else pin
    with pytest.raises(StepFailed) as caught:
        fluid_inside(part, found, [o.name for o in found], pin)
    assert caught.value.code == code


def test_a_boss_is_no_opening_and_a_blind_hole_is():
    plate = fuse(box(0, 0, 0, 40, 40, 5), cylinder((10, 10, 5), (0, 0, 1), 3, 6))
    plate = cut(plate, cylinder((30, 30, 2), (0, 0, 1), 4, 10))
    found = openings(Part(plate, "mm"))
    assert [round(o.diameter, 6) for o in found] == [8.0]


def test_a_cavity_without_openings_is_a_space():
    part = Part(cut(box(0, 0, 0, 10, 10, 10), box(3, 3, 3, 7, 7, 7)), "mm")
    (space,) = spaces(part, openings(part))
    assert space.openings == () and space.volume == pytest.approx(64.0)
    assert volume(fluid_inside(part, [], [], space.pin).part.shape) == pytest.approx(64.0)


def test_ejector_fluid_agrees_with_the_kernels_boolean():
    part = read_step(DEMO / "ejector.step")
    low, high = bounds(part.shape)
    found = openings(part)
    space = spaces(part, found)[0]
    fluid = fluid_inside(part, found, list(space.openings), space.pin)
    # the part's ends are flush with its box on three sides: box minus part leaves the fluid apart
    around = box(low[0], low[1] - 20, low[2] - 20, high[0], high[1], high[2] + 20)
    rest = Part(BRepAlgoAPI_Cut(around, part.shape).Shape(), "mm")
    volumes = [volume(s) for s in rest.solids]
    assert min(abs(v / volume(fluid.part.shape) - 1) for v in volumes) < 1e-6
    assert len(space.openings) == 3


def test_drum_is_the_fluid_itself():
    part = read_step(DEMO / "drum.step")
    fluid = fluid_as_is(part)
    assert volume(fluid.part.shape) == pytest.approx(exact_volume(), rel=1e-9)
