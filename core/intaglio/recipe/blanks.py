"""How a setting is described: once, here; checks, schema and the brief's sentences follow.

A stage's settings are a frozen dataclass whose fields are made by `blank`. The sentence of a stage
names its blanks in braces.
"""

import ast
import dataclasses
import math
import operator
import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

from intaglio.errors import SettingRejected

NAME = re.compile(r"^[A-Za-z][A-Za-z0-9_]{0,30}$")


@dataclass(frozen=True)
class Blank:
    """One editable value.

    type: length, angle, number, integer, velocity, pressure, density, viscosity, choice, point,
    pins, names, faces, patches, operations, sizes, regions. above: exclusive lower limit; least,
    most: inclusive.
    unit is shown after the value; `{unit}` in it stands for the study's length unit.
    """

    type: str
    label: str
    rule: str
    unit: str = ""
    above: float | None = None
    least: float | None = None
    most: float | None = None
    choices: tuple[tuple[str, str], ...] = ()


def blank(type_: str, label: str, rule: str, default: Any = None, **limits: Any) -> Any:
    """A dataclass field that carries its Blank."""
    described = {"blank": Blank(type_, label, rule, **limits)}
    if isinstance(default, (list, dict)):
        return field(default_factory=lambda: type(default)(default), metadata=described)
    return field(default=default, metadata=described)


def blanks_of(settings: type) -> dict[str, Blank]:
    """Name → Blank of a settings dataclass, in order."""
    return {f.name: f.metadata["blank"] for f in dataclasses.fields(settings)}


_OPERATORS: dict[type, Callable[..., float]] = {
    ast.Add: operator.add,
    ast.Sub: operator.sub,
    ast.Mult: operator.mul,
    ast.Div: operator.truediv,
    ast.Pow: operator.pow,
    ast.USub: operator.neg,
    ast.UAdd: operator.pos,
}


def evaluate(text: str, numbers: Mapping[str, float]) -> float:
    """Value of an arithmetic expression over named numbers: + - * / ** and parentheses.

    Raises ValueError that says which part is not understood.
    """

    def value(node: ast.AST) -> float:
        if isinstance(node, ast.Constant) and isinstance(node.value, (int, float)):
            return float(node.value)
        if isinstance(node, ast.Name):
            if node.id not in numbers:
                raise ValueError(f"the number “{node.id}” is not defined")
            return float(numbers[node.id])
        if isinstance(node, ast.BinOp) and type(node.op) in _OPERATORS:
            left, right = value(node.left), value(node.right)
            if isinstance(node.op, ast.Pow) and abs(right) > 64:
                raise ValueError("the exponent is too large")
            return float(_OPERATORS[type(node.op)](left, right))
        if isinstance(node, ast.UnaryOp) and type(node.op) in _OPERATORS:
            return float(_OPERATORS[type(node.op)](value(node.operand)))
        raise ValueError(f"“{text}” is not an arithmetic expression")

    if len(text) > 200:
        raise ValueError("the expression is too long")
    try:
        return value(ast.parse(text.strip().lstrip("=").strip(), mode="eval").body)
    except SyntaxError as error:
        raise ValueError(f"“{text}” is not an arithmetic expression") from error
    except (ZeroDivisionError, OverflowError) as error:
        raise ValueError(f"“{text}” has no finite value") from error


_NUMERIC = ("length", "angle", "number", "integer", "velocity", "pressure", "density", "viscosity")


def check_value(where: str, described: Blank, value: Any, numbers: Mapping[str, float]) -> Any:
    """The value as its type, or SettingRejected naming the blank `where`."""
    label = described.label
    if described.type in _NUMERIC:
        if isinstance(value, str):
            try:
                value = evaluate(value, numbers)
            except ValueError as error:
                raise SettingRejected(where, f"{label}: {error}.") from error
        if isinstance(value, bool) or not isinstance(value, (int, float)):
            raise SettingRejected(where, f"{label} needs a number.")
        value = float(value)
        if not math.isfinite(value):
            raise SettingRejected(where, f"{label} needs a finite number.")
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
    if described.type == "point":
        if not isinstance(value, (list, tuple)) or len(value) != 3:
            raise SettingRejected(where, f"{label} needs three coordinates.")
        number = Blank("number", label, "")
        return [check_value(where, number, v, numbers) for v in value]
    if described.type == "names":
        if not isinstance(value, (list, tuple)) or not all(isinstance(v, str) for v in value):
            raise SettingRejected(where, f"{label} needs a list of names.")
        return list(dict.fromkeys(value))
    if described.type == "faces":
        return _check_faces(where, label, value)
    if described.type == "pins":
        return check_pins(where, label, value, numbers)
    if described.type == "patches":
        return check_patches(where, value)
    if described.type in ("sizes", "regions"):
        from intaglio.recipe.local_sizes import check_regions, check_sizes

        check = check_sizes if described.type == "sizes" else check_regions
        return check(where, value, numbers)
    if described.type == "operations":
        from intaglio.recipe.operations import check_operations

        return check_operations(where, value, numbers)
    if described.type == "text":
        if not isinstance(value, str):
            raise SettingRejected(where, f"{label} needs a text.")
        return value
    raise SettingRejected(where, f"{label} has a type that this version does not know.")


def _check_faces(where: str, label: str, value: Any) -> list[str]:
    from intaglio.recipe.places import parse

    if not isinstance(value, (list, tuple)) or not all(isinstance(v, str) for v in value):
        raise SettingRejected(where, f"{label} needs a list of faces.")
    for text in value:
        try:
            parse(text)
        except ValueError as error:
            raise SettingRejected(
                where, f"“{text}” is no face: write a name, or a name, @ and three numbers."
            ) from error
    return list(dict.fromkeys(value))


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


def check_patches(where: str, value: Any) -> list[dict[str, Any]]:
    """A list of {name, kind, faces}; kinds and shapes are checked here, names by findings."""
    from intaglio.mesh.mesh import PATCH_KINDS

    if not isinstance(value, (list, tuple)):
        raise SettingRejected(where, "Patches need a list of name, kind and faces.")
    out = []
    for row in value:
        if not isinstance(row, Mapping) or not {"name", "kind"} <= set(row):
            raise SettingRejected(where, "Each patch needs a name, a kind and its faces.")
        name, kind, faces = row["name"], row["kind"], row.get("faces", [])
        if not isinstance(name, str) or len(name) > 200:
            raise SettingRejected(where, "A patch's name must be a text.")
        if kind not in PATCH_KINDS:
            raise SettingRejected(
                where, f"Patch {name}: the kind must be one of {', '.join(PATCH_KINDS)}."
            )
        if faces != "rest" and (
            not isinstance(faces, (list, tuple)) or not all(isinstance(f, str) for f in faces)
        ):
            raise SettingRejected(where, f"Patch {name}: faces must be a list of names, or rest.")
        out.append({"name": name, "kind": kind, "faces": faces if faces == "rest" else list(faces)})
    return out


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
