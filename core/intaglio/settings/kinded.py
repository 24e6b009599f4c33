"""Rows of which each is of a kind: on some patches or zones, with the numbers that the kind needs.

A list of this sort is described once, here; check, schema and the page's rows follow.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

from intaglio.errors import SettingRejected
from intaglio.settings.blanks import (
    NAMES_SCHEMA,
    Blank,
    Rows,
    check_value,
    described_blank,
    value_schema,
)

Scope = Literal["patches", "zones"]


@dataclass(frozen=True)
class RowKind:
    """A kind of row: key, words, the numbers it needs and those it may have, by name; fits: the
    kinds of patches or zones that it is meant for, all if empty."""

    key: str
    label: str
    blanks: Mapping[str, Blank] = field(default_factory=dict)
    optional: Mapping[str, Blank] = field(default_factory=dict)
    fits: tuple[str, ...] = ()

    def fit(self, kind: str) -> bool:
        return not self.fits or kind in self.fits


@dataclass(frozen=True)
class Kinded:
    """A list of rows {scope: names or patterns, is: kind, numbers …}."""

    scope: Scope
    kinds: tuple[RowKind, ...]

    def kind(self, key: str) -> RowKind:
        """The kind of that key, which must be one of them."""
        return next(kind for kind in self.kinds if kind.key == key)


def rows_of(kinded: Kinded) -> Rows:
    """How such a list is checked and described."""
    return Rows(
        lambda where, label, value, numbers: _check(kinded, where, value, numbers),
        lambda: _schema(kinded),
        lambda: _described(kinded),
    )


def _check(
    kinded: Kinded, where: str, value: Any, numbers: Mapping[str, float]
) -> list[dict[str, Any]]:
    scope = kinded.scope
    if not isinstance(value, (list, tuple)):
        raise SettingRejected(where, "A list of rows is needed here.")
    out = []
    for n, row in enumerate(value, 1):
        if not isinstance(row, Mapping) or scope not in row or "is" not in row:
            raise SettingRejected(where, f"Row {n} needs {scope} and what it is.")
        key = row["is"]
        known = [kind.key for kind in kinded.kinds]
        if key not in known:
            raise SettingRejected(
                where, f"Row {n}: there is no {key}. There are {', '.join(known)}."
            )
        kind = kinded.kind(key)
        names = [row[scope]] if isinstance(row[scope], str) else row[scope]
        good = isinstance(names, (list, tuple)) and all(isinstance(x, str) for x in names)
        if not good or not names:
            raise SettingRejected(where, f"Row {n}: name {scope}; * stands for any letters.")
        wanted = {**kind.blanks, **kind.optional}
        unknown = sorted(set(row) - {scope, "is", *wanted})
        if unknown:
            has = f"It has {', '.join(wanted)}." if wanted else "It has no numbers."
            raise SettingRejected(where, f"Row {n}: {key} has no {unknown[0]}. {has}")
        made: dict[str, Any] = {scope: list(names), "is": key}
        for name, blank in wanted.items():
            if name in row:
                made[name] = check_value(where, blank, row[name], numbers)
            elif name in kind.blanks:
                raise SettingRejected(where, f"Row {n}: {key} needs {name}, the {blank.label}.")
        out.append(made)
    return out


def _schema(kinded: Kinded) -> dict[str, Any]:
    def of(kind: RowKind) -> dict[str, Any]:
        numbers = {n: value_schema(b) for n, b in {**kind.blanks, **kind.optional}.items()}
        return {
            "type": "object",
            "required": [kinded.scope, "is", *kind.blanks],
            "properties": {
                kinded.scope: NAMES_SCHEMA | {"minItems": 1},
                "is": {"const": kind.key, "title": kind.label},
                **numbers,
            },
            "additionalProperties": False,
        }

    return {"type": "array", "items": {"anyOf": [of(kind) for kind in kinded.kinds]}}


def _described(kinded: Kinded) -> dict[str, Any]:
    def listed(blanks: Mapping[str, Blank]) -> list[dict[str, Any]]:
        return [{"name": name, **described_blank(blank)} for name, blank in blanks.items()]

    return {
        "scope": kinded.scope,
        "kinds": [
            {
                "key": kind.key,
                "label": kind.label,
                "fits": list(kind.fits),
                "blanks": listed(kind.blanks),
                "optional": listed(kind.optional),
            }
            for kind in kinded.kinds
        ],
    }
