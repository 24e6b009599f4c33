"""The rows of sizes and of refinement regions: how they are written and checked."""

from collections.abc import Mapping
from typing import Any

from intaglio.errors import SettingRejected
from intaglio.settings.blanks import (
    EXPRESSION,
    NAME,
    NAMES_SCHEMA,
    POINT_SCHEMA,
    Blank,
    Rows,
    check_value,
)
from intaglio.sizing.regions import SHAPES
from intaglio.sizing.spacing import CLUSTERS

_LENGTH = Blank("length", "edge length", "", above=0.0)
_REACH = Blank("length", "easing", "", least=0.0)
_RADIUS = Blank("length", "radius", "", above=0.0)
_POINT = Blank("point", "point", "")
_COUNT = Blank("integer", "count", "", least=1, most=2000)
_RATIO = Blank("number", "longest over shortest", "", least=1.0, most=100.0)

# what each shape is described by
FIELDS = {
    "box": ("low", "high"),
    "cylinder": ("start", "end", "radius"),
    "sphere": ("start", "radius"),
    "frustum": ("start", "end", "radius", "end_radius"),
    "shell": ("patches", "thickness"),
}


def check_sizes(
    where: str, label: str, value: Any, numbers: Mapping[str, float]
) -> list[dict[str, Any]]:
    """Rows of {patches, size} or {between, size | seam | count, cluster, ratio}."""
    if not isinstance(value, (list, tuple)):
        raise SettingRejected(where, "Sizes of patches and edges need a list.")
    out = []
    for row in value:
        if not isinstance(row, Mapping) or not ("patches" in row) ^ ("between" in row):
            raise SettingRejected(where, "Each size needs either patches, or two names in between.")
        unknown = set(row) - {"patches", "between", "size", "count", "cluster", "ratio", "seam"}
        if unknown:
            raise SettingRejected(where, f"A size has no “{sorted(unknown)[0]}”.")
        made: dict[str, Any] = {}
        if "patches" in row:
            made["patches"] = _names(where, row["patches"])
        else:
            made["between"] = _names(where, row["between"])
            if len(made["between"]) != 2:
                raise SettingRejected(where, "An edge lies between two patches or faces.")
        if "count" in row:
            if "patches" in row:
                raise SettingRejected(where, "Only edges can be counted; give patches a size.")
            made["count"] = check_value(where, _COUNT, row["count"], numbers)
            made["cluster"] = row.get("cluster", "uniform")
            if made["cluster"] not in CLUSTERS:
                raise SettingRejected(where, f"The clustering is one of {', '.join(CLUSTERS)}.")
            made["ratio"] = check_value(where, _RATIO, row.get("ratio", 1.0), numbers)
        elif "seam" in row:
            if "patches" in row or not isinstance(row["seam"], bool):
                raise SettingRejected(
                    where, "An edge is walked over (seam: true) or kept (seam: false)."
                )
            made["seam"] = row["seam"]
        else:
            made["size"] = check_value(where, _LENGTH, row.get("size"), numbers)
        out.append(made)
    return out


def _names(where: str, value: Any) -> list[str]:
    if isinstance(value, str):
        value = [value]
    if (
        not isinstance(value, (list, tuple))
        or not value
        or not all(isinstance(v, str) for v in value)
    ):
        raise SettingRejected(where, "Name patches or faces here; * stands for any letters.")
    return list(value)


def check_regions(
    where: str, label: str, value: Any, numbers: Mapping[str, float]
) -> list[dict[str, Any]]:
    """Rows of {name, shape, size, easing} and what FIELDS says of the shape."""
    if not isinstance(value, (list, tuple)):
        raise SettingRejected(where, "Refinement regions need a list.")
    out: list[dict[str, Any]] = []
    for k, row in enumerate(value):
        if not isinstance(row, Mapping) or row.get("shape") not in SHAPES:
            raise SettingRejected(where, f"A region's shape is one of {', '.join(SHAPES)}.")
        shape, name = str(row["shape"]), row.get("name", f"region_{k + 1}")
        unknown = set(row) - {"name", "shape", "size", "easing", *FIELDS[shape]}
        if unknown:
            raise SettingRejected(where, f"A {shape} has no “{sorted(unknown)[0]}”.")
        if not isinstance(name, str) or not NAME.match(name):
            raise SettingRejected(where, f"“{name}” cannot name a region.")
        if any(name == r["name"] for r in out):
            raise SettingRejected(where, f"Two regions are called “{name}”.")
        made: dict[str, Any] = {"name": name, "shape": shape}
        made["size"] = check_value(where, _LENGTH, row.get("size"), numbers)
        made["easing"] = check_value(where, _REACH, row.get("easing", 0.0), numbers)
        for key in FIELDS[shape]:
            if key == "patches":
                made[key] = _names(where, row.get(key))
                continue
            kind = _POINT if key in ("low", "high", "start", "end") else _RADIUS
            made[key] = check_value(where, kind, row.get(key), numbers)
        if shape == "box" and not all(
            a < b for a, b in zip(made["low"], made["high"], strict=True)
        ):
            raise SettingRejected(where, f"The low corner of {name} must lie below its high one.")
        if "end" in made and made["start"] == made["end"]:
            raise SettingRejected(where, f"The axis of {name} has no length.")
        out.append(made)
    return out


def _schema(type_: str) -> dict[str, Any]:
    """JSON schema of a list of sizes or regions."""
    number, point = EXPRESSION, POINT_SCHEMA
    names = NAMES_SCHEMA | {"minItems": 1}
    items: list[dict[str, Any]]
    if type_ == "sizes":
        two = names | {"minItems": 2, "maxItems": 2}
        counted = {"between": two, "count": number, "cluster": {"enum": list(CLUSTERS)}}
        items = [
            _row({"patches": names, "size": number}, ["patches", "size"]),
            _row({"between": two, "size": number}, ["between", "size"]),
            _row({"between": two, "seam": {"type": "boolean"}}, ["between", "seam"]),
            _row(counted | {"ratio": number}, ["between", "count"]),
        ]
    else:
        of = {"patches": names} | dict.fromkeys(("low", "high", "start", "end"), point)
        head = {"name": {"type": "string"}, "size": number, "easing": number}
        items = [
            _row(
                head | {"shape": {"const": shape}} | {key: of.get(key, number) for key in fields},
                ["shape", "size", *fields],
            )
            for shape, fields in FIELDS.items()
        ]
    return {"type": "array", "items": {"anyOf": items}}


def _row(properties: dict[str, Any], required: list[str]) -> dict[str, Any]:
    return {
        "type": "object",
        "required": required,
        "properties": properties,
        "additionalProperties": False,
    }


SIZES = Rows(check_sizes, lambda: _schema("sizes"))
REGIONS = Rows(check_regions, lambda: _schema("regions"))
