"""Temperatures beyond what is given are told, and only where nothing else can warm."""

from dataclasses import replace

import numpy as np
import pytest

from intaglio.flow.heat import given_range
from intaglio.proof.bounds import beyond_given
from tests.core.test_flow_heat import COLD, HOT, ZERO, two_zones, warmed


@pytest.fixture
def done(tmp_path):
    return warmed(two_zones((4, 6, 2), 0.5, lambda u: u), tmp_path, [HOT, COLD])


def moved(warmth, by):
    temperature = warmth.temperature.copy()
    temperature[: len(by)] = ZERO + np.array(by)
    return replace(warmth, temperature=temperature)


def test_a_wall_that_conducts_keeps_to_what_is_given(done):
    assert np.allclose(given_range(done.given.heat, done.warmth), (ZERO + 20.0, ZERO + 80.0))
    assert beyond_given(done.given.heat, done.warmth) is None


def test_those_beyond_are_counted_with_the_farthest(done):
    heat = done.given.heat
    told = beyond_given(heat, moved(done.warmth, [95.5, 12.0, 80.3]))
    assert told.startswith(
        "Of 48 temperatures 2 lie beyond the 20 to 80 °C that are given, by 15.5 K"
    )
    assert "one lies" in beyond_given(heat, moved(done.warmth, [19.0]))


def test_where_a_flux_is_given_nothing_is_beyond(tmp_path):
    flux = {"patches": ["front"], "is": "flux", "flux": 50.0}
    done = warmed(two_zones((4, 6, 2), 0.5, lambda u: u), tmp_path, [flux, COLD])
    assert beyond_given(done.given.heat, moved(done.warmth, [900.0])) is None


def test_a_region_that_nothing_warms_is_not_beyond(done):
    heat = replace(done.given.heat, usual=np.full(48, ZERO + 5.0))
    assert beyond_given(heat, moved(done.warmth, [5.0])) is None
    assert beyond_given(heat, moved(done.warmth, [6.0])) is not None
