"""Seconds are told by the machine's own last runs."""

import pytest

from intaglio.recipe.pace import at_pace, pace
from intaglio.stages.registry import BY_KEY

FORECAST = {"triangles": 70_000, "cells": 1_000_000, "memory": 1, "seconds": 0.0}


def _surface(triangles: int, times: float, rounds: int = 1):
    report = {"triangles": triangles, "rounds": rounds}
    return report | {"step": {"seconds": times * BY_KEY["surface"].usual(report)}}


def test_without_runs_the_constants_tell():
    own = pace({})
    assert own == {"surface": 1.0, "volume": 1.0}
    told = at_pace(FORECAST, own)
    usual = [BY_KEY[s].usual(FORECAST) for s in ("surface", "volume")]
    assert told["seconds"] == pytest.approx(1 + sum(usual)) and told["cells"] == 1_000_000


def test_the_middle_of_the_last_runs_tells_and_short_ones_do_not():
    runs = [_surface(50_000, 3.0), _surface(60_000, 2.0, rounds=4), _surface(90_000, 40.0)]
    runs.append(_surface(100, 900.0))
    own = pace({"surface": runs, "volume": [{"cells": 500_000}]})
    # a report without a timing, of another version, tells nothing
    assert own == {"surface": pytest.approx(3.0), "volume": 1.0}
    slow, usual = (at_pace(FORECAST, p)["seconds"] for p in (own, {}))
    assert slow - usual == pytest.approx(2 * BY_KEY["surface"].usual(FORECAST))
