"""Pins: points that the analyst places, fluid here or keep dry."""

from collections.abc import Mapping
from typing import Any

from intaglio.settings.blanks import POINT_SCHEMA, Blank, Rows
from intaglio.settings.forms import Field, Form, Forms, checked, described, schema

_FORMS = Forms(
    "Pins",
    (Form("", ""),),
    (
        Field("name", Blank("name", "zone", ""), "fluid"),
        Field("at", Blank("point", "point", "")),
        Field(
            "kind",
            Blank("choice", "kind of a pin", "", choices=(("fluid", "fluid"), ("dry", "dry"))),
            "fluid",
        ),
    ),
    unique="name",
    least=1,
)


def check_pins(
    where: str, label: str, value: Any, numbers: Mapping[str, float]
) -> list[dict[str, Any]]:
    """A list of {name, at, kind}; a bare point is one pin in the zone `fluid`."""
    if isinstance(value, (list, tuple)) and value and not isinstance(value[0], Mapping):
        value = [{"at": value}]
    return checked(_FORMS, where, label, value, numbers)


PINS = Rows(
    check_pins, lambda: {"anyOf": [POINT_SCHEMA, schema(_FORMS)]}, lambda: described(_FORMS)
)
