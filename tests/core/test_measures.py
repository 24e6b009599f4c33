"""Measures of shapes: against closed forms, each taken once, by shape, place and orientation."""

from collections import OrderedDict

import numpy as np
import pytest
from OCP.gp import gp_Trsf, gp_Vec
from OCP.TopLoc import TopLoc_Location

from intaglio.cad import measures
from intaglio.cad.measures import area, bounds, centroid, once, volume
from intaglio.cad.part import Part
from intaglio.cad.read import compound
from intaglio.cad.tessellation import as_shown, tessellate
from tests.core.shapes import box, cylinder


def test_a_reversed_body_has_the_opposite_volume_and_the_same_area():
    made = box(0, 0, 0, 1, 2, 3)
    assert volume(made) == pytest.approx(6.0) and volume(made.Reversed()) == pytest.approx(-6.0)
    assert area(made) == area(made.Reversed()) == pytest.approx(22.0)
    # turned around in place, after it was measured
    other = box(0, 0, 0, 1, 1, 1)
    assert volume(other) == pytest.approx(1.0)
    other.Reverse()
    assert volume(other) == pytest.approx(-1.0)


def test_a_moved_body_is_measured_in_its_place():
    made = cylinder((0, 0, 0), (0, 0, 1), 2.0, 5.0)
    shift = gp_Trsf()
    shift.SetTranslation(gp_Vec(10, 0, 0))
    moved = made.Moved(TopLoc_Location(shift))
    assert centroid(made) == pytest.approx([0, 0, 2.5], abs=1e-9)
    assert centroid(moved) == pytest.approx([10, 0, 2.5], abs=1e-9)
    assert bounds(moved)[0] - bounds(made)[0] == pytest.approx([10, 0, 0], abs=1e-9)
    assert volume(moved) == pytest.approx(20 * np.pi)


def test_faces_of_several_bodies_count_as_often_as_they_stand_there():
    made = box(0, 0, 0, 1, 1, 1)
    both = compound([made, box(2, 0, 0, 3, 1, 1)])
    assert area(both) == pytest.approx(12.0)
    assert centroid(both) == pytest.approx([1.5, 0.5, 0.5])
    # what is given out may be changed without changing what is kept
    centroid(made)[:] = 7.0
    bounds(made)[0][:] = 7.0
    assert centroid(made) == pytest.approx([0.5, 0.5, 0.5])
    assert bounds(made)[0] == pytest.approx([0, 0, 0], abs=1e-6)


def test_a_measure_is_taken_once_and_the_oldest_is_forgotten(monkeypatch):
    monkeypatch.setattr(measures, "_kept", OrderedDict())
    monkeypatch.setattr(measures, "_ROOM", 2)
    taken = []

    def asked(name, shape):
        def measured():
            taken.append(name)
            return name

        return once("test", shape, measured)

    a, b, c = (box(0, 0, 0, k, 1, 1) for k in (1, 2, 3))
    assert [asked("a", a), asked("a", a), asked("b", b), asked("a", a)] == ["a", "a", "b", "a"]
    assert taken == ["a", "b"]
    # another measure of the same shape is another
    assert once("other", a, lambda: "c") == "c"
    # b was asked for longest ago, so that it had to go
    asked("a", a)
    assert taken == ["a", "b"]
    asked("b", b)
    assert taken == ["a", "b", "b"] and asked("c", c) == "c" and len(measures._kept) == 2


def test_a_tessellation_is_made_once_per_deflection():
    part = Part(cylinder((0, 0, 0), (0, 0, 1), 2.0, 5.0), "mm")
    first, _ = as_shown(part)
    assert as_shown(part)[0] is first
    coarse, _ = tessellate(part, 1.0, 1.0)
    assert len(coarse.triangles) < len(first.triangles)
    assert as_shown(part)[0] is first and len(part.tessellations) == 2
