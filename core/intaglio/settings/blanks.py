"""How a setting is described: once, here; checks, schema and the brief's sentences follow.

A stage's settings are a frozen dataclass whose fields are made by `blank`. The sentence of a stage
names its blanks in braces.
"""

import dataclasses
import math
import re
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any

from intaglio.errors import SettingRejected
from intaglio.settings.expressions import evaluate
from intaglio.settings.patterns import is_wild

# of a list that is typed or dropped in
_MOST_NAMES, _LONGEST_NAME, _MOST_WILD = 1000, 200, 100
# of anything that is set: rows of a list, names in one, letters of a text, lists in lists, and how
# large a number may be
_MOST_ROWS, _MOST_IN_LIST, _LONGEST_TEXT, _DEEPEST, _LARGEST = 500, 50_000, 2000, 12, 1e15
_UNFIT = re.compile("[\x00\ud800-\udfff]")
NAME = re.compile(r"^[A-Za-z][A-Za-z0-9_]{0,30}$")


@dataclass(frozen=True)
class Rows:
    """How a value that is a list of its own kind is checked and described.

    check(where, label, value, numbers) gives the list complete and of the right types, or raises
    SettingRejected; schema() is its JSON schema; described(), if any, what the page needs to know
    of its rows.
    """

    check: Callable[[str, str, Any, Mapping[str, float]], list[Any]]
    schema: Callable[[], dict[str, Any]]
    described: Callable[[], dict[str, Any]] | None = None


@dataclass(frozen=True)
class Blank:
    """One editable value.

    type: length, angle, number, integer, velocity, pressure, density, viscosity, choice, several
    (some of the choices), point, names, listed (names that are typed or dropped in), patterns (one
    or more names, * for any letters; `most`: exactly so many), flag, name (of a thing), or the name
    of a list of its own kind, which `rows` then describes. above: exclusive lower limit; least,
    most: inclusive. start: what a new row begins with. unit is shown after the value; `{unit}` in
    it stands for the study's unit of length.
    """

    type: str
    label: str
    rule: str
    unit: str = ""
    above: float | None = None
    least: float | None = None
    most: float | None = None
    choices: tuple[tuple[str, str], ...] = ()
    rows: Rows | None = None
    start: Any = None

    def begins(self) -> Any:
        """What a new row has here, until somebody says something."""
        if self.start is not None:
            return self.start
        if self.type == "point":
            return [0.0, 0.0, 0.0]
        if self.type in ("patterns", "names", "listed"):
            return ["*"]
        if self.type == "flag":
            return True
        if self.type in ("choice", "several"):
            return self.choices[0][0]
        return (self.least or 0.0) if self.above is None else max(1.0, self.above)


def blank(type_: str, label: str, rule: str, default: Any = None, **limits: Any) -> Any:
    """A dataclass field that carries its Blank."""
    described = {"blank": Blank(type_, label, rule, **limits)}
    if isinstance(default, (list, dict)):
        return field(default_factory=lambda: type(default)(default), metadata=described)
    return field(default=default, metadata=described)


def blanks_of(settings: type) -> dict[str, Blank]:
    """Name → Blank of a settings dataclass, in order."""
    return {f.name: f.metadata["blank"] for f in dataclasses.fields(settings)}


def significant(value: float, digits: int = 2) -> float:
    """A value that is easy to read: so many significant digits of it."""
    return float(f"{value:.{digits}g}")


_NUMERIC = ("length", "angle", "number", "integer", "velocity", "pressure", "density", "viscosity")


def check_value(where: str, described: Blank, value: Any, numbers: Mapping[str, float]) -> Any:
    """The value as its type, or SettingRejected naming the blank `where`."""
    label = described.label
    _refuse_unfit(where, label, value)
    if described.rows is not None:
        return described.rows.check(where, label, value, numbers)
    if described.type in _NUMERIC:
        if isinstance(value, str):
            try:
                value = evaluate(value, numbers)
            except ValueError as error:
                raise SettingRejected(where, f"{label}: {error}.") from error
        if isinstance(value, bool) or not isinstance(value, (int, float)):
            raise SettingRejected(where, f"{label} needs a number.")
        if isinstance(value, float) and not math.isfinite(value):
            raise SettingRejected(where, f"{label} needs a finite number.")
        if abs(value) > _LARGEST:
            raise SettingRejected(where, f"{label} must be at most {_LARGEST:g}.")
        value = float(value)
        if described.above is not None and value <= described.above:
            raise SettingRejected(where, f"{label} must be greater than {described.above:g}.")
        if described.least is not None and value < described.least:
            raise SettingRejected(where, f"{label} must be at least {described.least:g}.")
        if described.most is not None and value > described.most:
            raise SettingRejected(where, f"{label} must be at most {described.most:g}.")
        if described.type == "integer":
            if value != int(value):
                raise SettingRejected(where, f"{label} needs a whole number.")
            return int(value)
        return value
    if described.type == "choice":
        known = [key for key, _ in described.choices]
        if value not in known:
            raise SettingRejected(where, f"{label} must be one of {', '.join(known)}.")
        return value
    if described.type == "several":
        known = [key for key, _ in described.choices]
        if not isinstance(value, (list, tuple)) or not all(v in known for v in value):
            raise SettingRejected(where, f"{label} must be a list of {', '.join(known)}.")
        if not value:
            raise SettingRejected(where, f"{label}: choose at least one.")
        return [key for key in known if key in value]
    if described.type == "point":
        if not isinstance(value, (list, tuple)) or len(value) != 3:
            raise SettingRejected(where, f"{label} needs three coordinates.")
        number = Blank("number", label, "")
        return [check_value(where, number, v, numbers) for v in value]
    if described.type in ("names", "listed"):
        if not isinstance(value, (list, tuple)) or not all(isinstance(v, str) for v in value):
            raise SettingRejected(where, f"{label} needs a list of names.")
        if described.type == "listed" and (
            len(value) > _MOST_NAMES or max(map(len, value), default=0) > _LONGEST_NAME
        ):
            raise SettingRejected(
                where,
                f"{label}: at most {_MOST_NAMES:,} names of at most {_LONGEST_NAME} letters each.",
            )
        return list(dict.fromkeys(value))
    if described.type == "patterns":
        names = [value] if isinstance(value, str) else value
        good = isinstance(names, (list, tuple)) and all(isinstance(v, str) for v in names)
        if not good or not names:
            raise SettingRejected(where, f"Name {label} here; * stands for any letters.")
        if described.most is not None and len(names) != described.most:
            raise SettingRejected(where, f"{label}: name {described.most:g}.")
        refuse_many_patterns(where, label, names)
        return list(names)
    if described.type == "flag":
        if not isinstance(value, bool):
            raise SettingRejected(where, f"{label} is true or false.")
        return value
    if described.type == "name":
        if not isinstance(value, str) or not NAME.match(value):
            raise SettingRejected(
                where, f"“{value}” cannot name a {label}. Use letters, digits, underscores."
            )
        return value
    if described.type == "text":
        if not isinstance(value, str):
            raise SettingRejected(where, f"{label} needs a text.")
        return value
    raise SettingRejected(where, f"{label} has a type that this version does not know.")


def refuse_many_patterns(where: str, label: str, names: Iterable[str]) -> None:
    """Raises SettingRejected for more patterns than anyone names faces by: each is tried on all."""
    wild = {name for name in names if is_wild(name)}
    if len(wild) > _MOST_WILD:
        raise SettingRejected(
            where, f"{label}: at most {_MOST_WILD} names with a * in one row. Name the others."
        )


def _refuse_unfit(where: str, label: str, value: Any, depth: int = 0) -> None:
    """Raises SettingRejected for what is too much, or too deep, to be kept and read again."""
    if isinstance(value, str):
        if len(value) > _LONGEST_TEXT:
            raise SettingRejected(where, f"{label}: texts have at most {_LONGEST_TEXT:,} letters.")
        if _UNFIT.search(value):
            raise SettingRejected(where, f"{label} holds a letter that is none.")
    elif isinstance(value, (list, tuple, Mapping)):
        rows = isinstance(value, (list, tuple)) and any(isinstance(v, Mapping) for v in value)
        most = _MOST_ROWS if rows else _MOST_IN_LIST
        if len(value) > most:
            raise SettingRejected(
                where, f"{label}: at most {most:,} {'rows' if rows else 'in a list'}."
            )
        if depth > _DEEPEST:
            raise SettingRejected(where, f"{label} holds lists in lists that nothing here means.")
        for held in value.values() if isinstance(value, Mapping) else value:
            _refuse_unfit(where, label, held, depth + 1)


def build(
    stage: str,
    settings: type,
    values: Mapping[str, Any],
    numbers: Mapping[str, float] | None = None,
) -> Any:
    """The settings dataclass from plain values. Raises SettingRejected for the first bad blank."""
    described = blanks_of(settings)
    unknown = sorted(set(values) - set(described))
    if unknown:
        raise SettingRejected(
            f"{stage}.{unknown[0]}",
            f"{stage} has no setting “{unknown[0]}”. It has {', '.join(described)}.",
        )
    checked = {
        name: check_value(f"{stage}.{name}", described[name], value, numbers or {})
        for name, value in values.items()
    }
    return settings(**checked)


def described(settings: type) -> list[dict[str, Any]]:
    """The blanks of a settings dataclass as plain data, for the page."""
    return [{"name": name, **described_blank(b)} for name, b in blanks_of(settings).items()]


def described_blank(b: Blank) -> dict[str, Any]:
    """A blank as plain data."""
    more = b.rows.described() if b.rows is not None and b.rows.described is not None else None
    return {
        "type": b.type,
        "label": b.label,
        "rule": b.rule,
        "unit": b.unit,
        "above": b.above,
        "least": b.least,
        "most": b.most,
        "choices": [list(c) for c in b.choices],
        "rows": more,
    }


EXPRESSION: dict[str, Any] = {"type": ["number", "string"]}
POINT_SCHEMA: dict[str, Any] = {
    "type": "array", "items": EXPRESSION, "minItems": 3, "maxItems": 3,
}  # fmt: skip
NAMES_SCHEMA: dict[str, Any] = {"type": "array", "items": {"type": "string"}}


def value_schema(b: Blank) -> dict[str, Any]:
    """JSON schema of a blank's value; numbers may be expressions."""
    if b.rows is not None:
        return b.rows.schema()
    if b.type == "choice":
        return {"type": "string", "enum": [key for key, _ in b.choices]}
    if b.type == "several":
        keys = [key for key, _ in b.choices]
        return {"type": "array", "items": {"type": "string", "enum": keys}, "minItems": 1}
    if b.type == "point":
        return POINT_SCHEMA
    if b.type == "patterns":
        count = {"minItems": 1} if b.most is None else {"minItems": b.most, "maxItems": b.most}
        return NAMES_SCHEMA | count
    if b.type == "flag":
        return {"type": "boolean"}
    if b.type in ("name", "text"):
        return {"type": "string"}
    return NAMES_SCHEMA if b.type in ("names", "listed") else EXPRESSION


def fields_schema(settings: type) -> dict[str, Any]:
    """JSON schema of each blank of a settings dataclass, by name."""
    return {
        name: {
            **value_schema(b),
            "title": b.label,
            "description": f"{b.rule}{f' In {b.unit}.' if b.unit else ''}",
        }
        for name, b in blanks_of(settings).items()
    }
