"""Pins: points that the analyst places, fluid here or keep dry."""

from collections.abc import Mapping
from typing import Any

from intaglio.errors import SettingRejected
from intaglio.settings.blanks import NAME, POINT_SCHEMA, Blank, Rows, check_value

PIN_KINDS = ("fluid", "dry")


def check_pins(
    where: str, label: str, value: Any, numbers: Mapping[str, float]
) -> list[dict[str, Any]]:
    """A list of {name, at, kind}; a bare point is one pin in the zone `fluid`."""
    point = Blank("point", label, "")
    if isinstance(value, (list, tuple)) and value and not isinstance(value[0], Mapping):
        value = [{"name": "fluid", "at": value}]
    if not isinstance(value, (list, tuple)) or not value:
        raise SettingRejected(where, f"{label} needs at least one point.")
    out: list[dict[str, Any]] = []
    for row in value:
        if not isinstance(row, Mapping) or "at" not in row:
            raise SettingRejected(where, f"{label}: each pin needs a name and a point “at”.")
        name, kind = row.get("name", "fluid"), row.get("kind", "fluid")
        if not isinstance(name, str) or not NAME.match(name):
            raise SettingRejected(
                where, f"{label}: “{name}” cannot name a zone. Use letters, digits, underscores."
            )
        if kind not in PIN_KINDS:
            raise SettingRejected(where, f"{label}: a pin is fluid or dry, not “{kind}”.")
        if any(name == p["name"] for p in out):
            raise SettingRejected(where, f"{label}: two pins are called “{name}”.")
        out.append(
            {"name": name, "at": check_value(where, point, row["at"], numbers), "kind": kind}
        )
    return out


def _schema() -> dict[str, Any]:
    pin = {
        "type": "object",
        "required": ["at"],
        "properties": {
            "name": {"type": "string"},
            "at": POINT_SCHEMA,
            "kind": {"enum": list(PIN_KINDS)},
        },
        "additionalProperties": False,
    }
    return {"anyOf": [POINT_SCHEMA, {"type": "array", "items": pin, "minItems": 1}]}


PINS = Rows(check_pins, _schema)
