"""Settings of variants side by side."""

from intaglio.recipe.differences import settings_rows


def _rows(*variants):
    return {r["key"]: r for r in settings_rows(variants)}


def test_each_value_has_a_row_and_says_whether_it_differs():
    one = {"sizing": {"smallest": 1.0, "largest": 2.0}, "volume": None}
    two = {"sizing": {"smallest": 1.0, "largest": 3.0}, "volume": {"passes": 4}}
    rows = _rows(one, two)
    assert (
        rows["sizing.smallest"]["values"] == [1.0, 1.0] and not rows["sizing.smallest"]["differs"]
    )
    assert rows["sizing.largest"]["differs"] and rows["sizing.largest"]["group"] == "sizing"
    assert rows["volume.passes"]["values"] == [None, 4] and rows["volume.passes"]["differs"]


def test_values_within_lists_have_rows_of_their_own():
    def layers(*growths):
        rows = [{"patches": ["wall", "vane*"], "count": 6, "growth": g} for g in growths]
        return {"layers": {"layers": rows}}

    rows = _rows(layers(1.1, 1.2), layers(1.1, 1.3), layers(1.1))
    differing = [key for key, row in rows.items() if row["differs"]]
    assert differing == [
        "layers.layers.1.count", "layers.layers.1.growth", "layers.layers.1.patches",
    ]  # fmt: skip
    assert rows["layers.layers.1.growth"]["values"] == [1.2, 1.3, None]
    assert rows["layers.layers.1.growth"]["label"].endswith("2 growth")
    assert rows["layers.layers.0.patches"]["values"] == ["wall, vane*"] * 3
