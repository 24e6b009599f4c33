"""The rows of sizes and of refinement regions."""

from collections.abc import Mapping
from typing import Any

from intaglio.errors import SettingRejected
from intaglio.settings.blanks import Blank
from intaglio.settings.forms import PATTERNS, Field, Form, Forms, rows_of
from intaglio.sizing.spacing import CLUSTERS

_SIZE = Field("size", Blank("length", "edge length", "", "{unit}", above=0.0))
_BETWEEN = Field("between", Blank("patterns", "the two patches or faces of an edge", "", most=2))
_CLUSTER = Blank("choice", "clustering", "", choices=tuple(CLUSTERS.items()))
_RATIO = Blank("number", "longest over shortest", "", least=1.0, most=100.0)
_COUNT = Blank("integer", "count", "", least=1, most=2000, start=24)
_SEAM = Blank("flag", "whether the edge is walked over", "")


def _edge(key: str, label: str, *fields: Field) -> Form:
    return Form(key, label, (_BETWEEN, *fields), ("between", key))


SIZES = Forms(
    "Sizes of patches and edges",
    (
        Form("patches", "patches", (Field("patches", PATTERNS), _SIZE), ("patches", "size")),
        _edge("size", "edges", _SIZE),
        _edge("seam", "a seam", Field("seam", _SEAM)),
        _edge(
            "count",
            "a counted edge",
            Field("count", _COUNT),
            Field("cluster", _CLUSTER, "uniform"),
            Field("ratio", _RATIO, 1.0),
        ),
    ),
    untold="give either patches a size, or an edge between two of them a size, a count or a seam.",
)

_RADIUS = Blank("length", "radius", "", "{unit}", above=0.0)


def _shape(key: str, label: str, *fields: Field) -> Form:
    return Form(key, label, fields)


def _point(name: str, label: str) -> Field:
    return Field(name, Blank("point", label, ""))


_START, _END = _point("start", "start"), _point("end", "end")
_THICKNESS = Blank("length", "thickness", "", "{unit}", above=0.0)


def _has_extent(where: str, row: Mapping[str, Any]) -> None:
    """Refuses a region without a volume."""
    name = row["name"]
    if row["shape"] == "box" and not all(
        a < b for a, b in zip(row["low"], row["high"], strict=True)
    ):
        raise SettingRejected(where, f"The low corner of {name} must lie below its high one.")
    if "end" in row and row["start"] == row["end"]:
        raise SettingRejected(where, f"The axis of {name} has no length.")


REGIONS = Forms(
    "Refinement regions",
    (
        _shape("box", "a box", _point("low", "low corner"), _point("high", "high corner")),
        _shape("cylinder", "a cylinder", _START, _END, Field("radius", _RADIUS)),
        _shape("sphere", "a sphere", _point("start", "centre"), Field("radius", _RADIUS)),
        _shape(
            "frustum",
            "a frustum",
            _START,
            _END,
            Field("radius", _RADIUS),
            Field("end_radius", Blank("length", "radius at the end", "", "{unit}", above=0.0)),
        ),
        _shape("shell", "a shell", Field("patches", PATTERNS), Field("thickness", _THICKNESS)),
    ),
    (
        Field("name", Blank("name", "region", ""), "region_{n}"),
        _SIZE,
        Field("easing", Blank("length", "easing", "", "{unit}", least=0.0), 0.0),
    ),
    by="shape",
    unique="name",
    also=_has_extent,
)
# what each shape is described by
FIELDS = {form.key: tuple(field.name for field in form.fields) for form in REGIONS.forms}

SIZE_ROWS = rows_of(SIZES)
REGION_ROWS = rows_of(REGIONS)
