"""The rows of layers: on which patches, how many, how fast they grow, and how high they are."""

from collections.abc import Mapping
from typing import Any

from intaglio.errors import SettingRejected
from intaglio.layers.yplus import ALONG
from intaglio.settings.blanks import EXPRESSION, NAMES_SCHEMA, Blank, Rows, check_value

MOST_LAYERS = 100
_COUNT = Blank("integer", "number of layers", "", least=1, most=MOST_LAYERS)
_GROWTH = Blank("number", "growth of layers", "", least=1.0, most=3.0)
# one of these says how high the layers are
HEIGHTS = {
    "yplus": Blank("number", "y+ in the middle of the first layer", "", above=0.0, most=1000.0),
    "first": Blank("length", "height of the first layer", "", above=0.0),
    "total": Blank("length", "height of all layers", "", above=0.0),
    "last": Blank("number", "last layer over the wall's edge", "", above=0.0, most=5.0),
}
# what y+ follows from: m/s, the model's unit, m²/s
FLOW = {
    "speed": Blank("number", "speed for y+", "", above=0.0),
    "length": Blank("length", "length for y+", "", above=0.0),
    "viscosity": Blank("number", "kinematic viscosity for y+", "", above=0.0),
}


def names_in(where: str, value: Any) -> list[str]:
    """The names or patterns of patches that a row gives: one, or a list. Raises SettingRejected."""
    names = [value] if isinstance(value, str) else value
    if not isinstance(names, (list, tuple)) or not names:
        raise SettingRejected(where, "Name patches here; * stands for any letters.")
    if not all(isinstance(name, str) for name in names):
        raise SettingRejected(where, "Name patches here; * stands for any letters.")
    return list(names)


def check_layers(
    where: str, label: str, value: Any, numbers: Mapping[str, float]
) -> list[dict[str, Any]]:
    """Rows of {patches, count, growth} and one of first, total, last, and yplus with its flow."""
    if not isinstance(value, (list, tuple)):
        raise SettingRejected(where, "Layers need a list of rows.")
    out = []
    for row in value:
        if not isinstance(row, Mapping) or "patches" not in row:
            raise SettingRejected(
                where, "Each row of layers names the patches that they grow from."
            )
        unknown = set(row) - {"patches", "count", "growth", "along", "solids", *HEIGHTS, *FLOW}
        if unknown:
            raise SettingRejected(where, f"Layers have no “{sorted(unknown)[0]}”.")
        given = [key for key in HEIGHTS if key in row]
        if len(given) != 1:
            raise SettingRejected(
                where, "Layers need one of first, total, last and yplus to say how high they are."
            )
        (key,) = given
        made = {
            "patches": names_in(where, row["patches"]),
            "count": check_value(where, _COUNT, row.get("count", 8), numbers),
            "growth": check_value(where, _GROWTH, row.get("growth", 1.2), numbers),
            key: check_value(where, HEIGHTS[key], row[key], numbers),
        }
        if "solids" in row:
            if not isinstance(row["solids"], bool):
                raise SettingRejected(where, "Whether layers grow in solids is true or false.")
            made["solids"] = row["solids"]
        if key == "yplus":
            made |= {k: check_value(where, b, row.get(k), numbers) for k, b in FLOW.items()}
            made["along"] = row.get("along", "plate")
            if made["along"] not in ALONG:
                raise SettingRejected(where, f"The wall is likened to one of {', '.join(ALONG)}.")
        elif {*FLOW, "along"} & set(row):
            raise SettingRejected(where, "Speed, length and viscosity belong to a wanted y+.")
        out.append(made)
    return out


def _schema() -> dict[str, Any]:
    common = {
        "patches": NAMES_SCHEMA | {"minItems": 1},
        "count": EXPRESSION,
        "growth": EXPRESSION,
        "solids": {"type": "boolean"},
    }
    flow = dict.fromkeys(FLOW, EXPRESSION) | {"along": {"enum": list(ALONG)}}
    return {
        "type": "array",
        "items": {
            "anyOf": [
                {
                    "type": "object",
                    "required": ["patches", key, *(FLOW if key == "yplus" else ())],
                    "properties": common | {key: EXPRESSION} | (flow if key == "yplus" else {}),
                    "additionalProperties": False,
                }
                for key in HEIGHTS
            ]
        },
    }


LAYER_ROWS = Rows(check_layers, _schema)
