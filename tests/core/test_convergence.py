"""Grid convergence against series whose order and limit are known, and grids made coarser."""

import math

import pytest

from intaglio.proof.convergence import convergence_table, observed
from intaglio.recipe.coarsening import coarser


@pytest.mark.parametrize("order", [1.0, 1.7, 2.0, 3.5])
@pytest.mark.parametrize("sizes", [(1.0, 2.0, 4.0), (1.0, 1.3, 2.1), (0.5, 0.8, 1.0, 3.0)])
def test_a_known_order_and_limit_are_found(order, sizes):
    told = observed(sizes, [3.0 + 0.2 * h**order for h in sizes])
    assert told["order"] == pytest.approx(order, rel=1e-6)
    assert told["extrapolated"] == pytest.approx(3.0, rel=1e-9)
    # 1.25 times the difference from the limit, over the finest value
    finest = 3.0 + 0.2 * sizes[0] ** order
    assert told["index"] == pytest.approx(1.25 * (finest - 3.0) / finest, rel=1e-6)


def test_three_grids_by_halves():
    """By hand: differences of 1 and 4 hundredths are of order 2, the limit a third further."""
    told = observed((1.0, 2.0, 4.0), (1.00, 1.01, 1.05))
    assert told["order"] == pytest.approx(2.0, rel=1e-6)
    assert told["extrapolated"] == pytest.approx(1.0 - 0.01 / 3)
    assert told["index"] == pytest.approx(1.25 * 0.01 / 3)


def test_what_three_grids_cannot_tell_is_said():
    assert observed((1, 2), (1, 2))["words"].startswith("Three")
    assert "to and fro" in observed((1, 2, 4), (1.0, 1.1, 1.05))["words"]
    assert "not settle" in observed((1, 2, 4), (1.0, 2.0, 2.5))["words"]
    assert observed((1, 1, 4), (1.0, 2.0, 2.5))["order"] is None
    same = observed((1, 2, 4), (1.0, 1.0, 1.5))
    assert same["extrapolated"] == 1.0 and same["index"] == 0.0


def proof(cells, pressure, force):
    return {
        "cells": cells,
        "patches": {
            "in": {"mean_pressure": pressure, "flow_rate": -1.0, "force": [3 * force, 4 * force, 0]}
        },
    }


def test_the_table_begins_with_the_finest_and_leaves_out_what_is_held():
    table = convergence_table(
        [(7, "a", proof(1000, 5.0, 1.0)), (9, "b", proof(8000, 4.25, 1.0)),
         (8, "c", proof(64000, 4.0625, 1.5))]
    )  # fmt: skip
    assert table["variants"] == [8, 9, 7] and table["sizes"] == pytest.approx([1, 2, 4])
    rows = {row["key"]: row for row in table["rows"]}
    # what flows in is given, and the same on every grid
    assert set(rows) == {"in mean_pressure", "in force"}
    assert rows["in mean_pressure"]["order"] == pytest.approx(2.0)
    assert rows["in mean_pressure"]["extrapolated"] == pytest.approx(4.0)
    assert rows["in force"]["values"] == [7.5, 5.0, 5.0]
    assert convergence_table([])["rows"] == []


def test_a_grid_is_made_coarser_everywhere():
    settings = {
        "sizing": {
            "smallest": 1.0, "largest": 4.0, "wall": 0.0, "angle": 50.0, "gap_cells": 2.0,
            "sizes": [{"patches": ["a"], "size": 2.0}, {"between": ["a", "b"], "count": 48}],
            "regions": [{"name": "wake", "shape": "sphere", "size": 0.5}],
        },
        "layers": {"layers": [
            {"patches": ["*"], "count": 5, "growth": 1.2, "total": 2.0},
            {"patches": ["b"], "count": 5, "growth": 1.2, "last": 0.5},
        ]},
    }  # fmt: skip
    made = coarser(settings, 1.5)
    sizing = made["sizing"]
    assert sizing["smallest"] == 1.5 and sizing["largest"] == 6.0 and sizing["angle"] == 60.0
    assert sizing["gap_cells"] == pytest.approx(2.0 / 1.5) and "wall" not in sizing
    assert sizing["sizes"][0]["size"] == 3.0 and sizing["sizes"][1]["count"] == 32
    assert sizing["regions"][0] == {"name": "wake", "shape": "sphere", "size": 0.75}
    rows = made["layers"]["layers"]
    assert math.isclose(rows[0]["total"], 3.0) and rows[1]["last"] == 0.5
    # nothing of what it was made from is changed
    assert settings["sizing"]["sizes"][0]["size"] == 2.0
