"""Rows of settings: a value that is added to a form is checked, written in the schema and told to
the page, and nothing else is to be done."""

from dataclasses import replace

import jsonschema
import pytest

from intaglio.errors import SettingRejected
from intaglio.settings.blanks import Blank, blanks_of
from intaglio.settings.forms import OPTIONAL, Field, checked, described, rows_of, schema
from intaglio.stages.layers.rows import LAYERS
from intaglio.stages.registry import STAGES
from intaglio.stages.sizing.rows import REGIONS, SIZES
from intaglio.stages.volume.dividing import DIVISIONS

COLOUR = Blank("number", "colour of it", "", "nm", least=380, most=780, start=550)
LISTS = [
    (LAYERS, "first", {"patches": ["*"], "first": 0.1}),
    (DIVISIONS, "growth", {"patches": ["*"], "count": 3, "growth": 1.5}),
    (SIZES, "seam", {"between": ["a", "b"], "seam": True}),
    (REGIONS, "sphere", {"shape": "sphere", "size": 1.0, "start": [0, 0, 0], "radius": 2.0}),
]


def more(forms, key, default):
    """The forms with a made-up value in one of them."""
    return replace(
        forms,
        forms=tuple(
            replace(f, fields=(*f.fields, Field("colour", COLOUR, default))) if f.key == key else f
            for f in forms.forms
        ),
    )


def rows(forms, row):
    return checked(forms, "stage.rows", "rows", [row], {"red": 700.0})


@pytest.mark.parametrize(("forms", "key", "row"), LISTS)
def test_a_value_is_added_by_a_line(forms, key, row):
    optional, usual = more(forms, key, OPTIONAL), more(forms, key, 600.0)
    assert "colour" not in rows(optional, row)[0] and rows(usual, row)[0]["colour"] == 600.0
    for told in (optional, usual):
        assert rows(told, row | {"colour": "red - 10"})[0]["colour"] == 690.0
        with pytest.raises(SettingRejected, match="colour of it must be at most 780"):
            rows(told, row | {"colour": 800})
        jsonschema.validate([row | {"colour": 500}], schema(told))
        with pytest.raises(jsonschema.ValidationError):
            jsonschema.validate([row | {"hue": 500}], schema(told))
    (form,) = [f for f in described(usual)["forms"] if f["key"] == key]
    added = form["blanks"][-1]
    assert added["name"] == "colour" and added["unit"] == "nm" and added["start"] == 600.0
    (form,) = [f for f in described(optional)["forms"] if f["key"] == key]
    assert form["blanks"][-1]["optional"] and form["blanks"][-1]["start"] == 550
    # without it, it is a value that nothing knows
    with pytest.raises(SettingRejected, match="colour"):
        rows(forms, row | {"colour": 500})
    with pytest.raises(SettingRejected, match="needs the colour of it"):
        rows(more(forms, key, Field("colour", COLOUR).default), row)


@pytest.mark.parametrize(("forms", "key", "row"), LISTS)
def test_what_the_check_gives_it_takes_again(forms, key, row):
    once = rows(forms, row)
    assert checked(forms, "stage.rows", "rows", once, {}) == once
    jsonschema.validate(once, schema(forms))
    assert rows_of(forms).schema() == schema(forms)


def test_every_list_of_rows_tells_the_page_what_it_is_made_of():
    told = {
        (stage.key, name): blank.rows.described() if blank.rows.described else None
        for stage in STAGES
        for name, blank in blanks_of(stage.settings).items()
        if blank.rows is not None
    }
    # lists of another sort: repairs in order, patches with faces
    others = {("geometry", "repairs"), ("patches", "patches")}
    assert {key for key, forms in told.items() if forms is None} == others
    for key in set(told) - others:
        forms = told[key]
        names = [b["name"] for b in forms["common"]]
        for form in forms["forms"]:
            own = [*names, *(b["name"] for b in form["blanks"])]
            assert len(set(own)) == len(own) and set(form["told_by"]) <= set(own), key
            if forms["by"]:
                assert forms["by"] not in own
