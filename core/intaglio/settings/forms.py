"""Rows that are filled in by one of several forms, described once: check, schema and what the page
needs to know of them follow.

A form is told by a field that names it (`shape: box`), or by the fields that a row has (a height of
layers is a first, a total or a last one).
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import partial
from typing import Any

from intaglio.errors import SettingRejected
from intaglio.settings.blanks import Blank, Rows, check_value, described_blank, value_schema

# a field that must be given, and one that stays out of a row where it is not given
NEEDED, OPTIONAL = object(), object()

PATTERNS = Blank("patterns", "patches", "")


@dataclass(frozen=True)
class Field:
    """A value of a row; default: what holds where it is left out ({n} in it is the row's number),
    or NEEDED, or OPTIONAL."""

    name: str
    blank: Blank
    default: Any = NEEDED

    def start(self) -> Any:
        """What a new row has here."""
        return self.blank.begins() if self.default in (NEEDED, OPTIONAL) else self.default


@dataclass(frozen=True)
class Form:
    """What a row of one form has besides the common fields; told_by: the fields by which it is
    known, where no field names it; fits: kinds of patches or zones that it is meant for, all if
    empty."""

    key: str
    label: str
    fields: tuple[Field, ...] = ()
    told_by: tuple[str, ...] = ()
    fits: tuple[str, ...] = ()

    def fit(self, kind: str) -> bool:
        return not self.fits or kind in self.fits


@dataclass(frozen=True)
class Forms:
    """A list of rows.

    things: what they are, at the beginning of a sentence. by: the field that names the form, "" if
    the fields tell it; untold: what is said where they tell none, or two. unique: a field of which
    no two rows have the same value. also: further checks of a row, which raise SettingRejected;
    least: fewest rows.
    """

    things: str
    forms: tuple[Form, ...]
    common: tuple[Field, ...] = ()
    by: str = ""
    untold: str = ""
    unique: str = ""
    also: Callable[[str, Mapping[str, Any]], None] = lambda where, row: None
    least: int = 0

    def form(self, key: str) -> Form:
        """The form of that key, which must be one of them."""
        return next(form for form in self.forms if form.key == key)

    def names(self, form: Form) -> list[str]:
        """What a row of a form may have."""
        own = [field.name for field in (*self.common, *form.fields)]
        return [*own, self.by] if self.by else own


def rows_of(forms: Forms) -> Rows:
    """How such a list is checked and described."""
    return Rows(partial(checked, forms), partial(schema, forms), partial(described, forms))


def checked(
    forms: Forms, where: str, label: str, value: Any, numbers: Mapping[str, float]
) -> list[dict[str, Any]]:
    """The rows complete and of the right types. Raises SettingRejected."""
    if not isinstance(value, (list, tuple)):
        raise SettingRejected(where, f"{forms.things} need a list of rows.")
    if len(value) < forms.least:
        raise SettingRejected(where, f"{forms.things} need at least {forms.least} row.")
    out: list[dict[str, Any]] = []
    for n, row in enumerate(value, 1):
        made = _row(forms, where, n, row, numbers)
        forms.also(where, made)
        if forms.unique and any(made[forms.unique] == other[forms.unique] for other in out):
            raise SettingRejected(
                where, f"{forms.things}: “{made[forms.unique]}” stands in two rows; drop one."
            )
        out.append(made)
    return out


def _row(
    forms: Forms, where: str, n: int, row: Any, numbers: Mapping[str, float]
) -> dict[str, Any]:
    at = f"{forms.things}, row {n}"
    if not isinstance(row, Mapping):
        raise SettingRejected(where, f"{at}: names with values are needed.")
    form = _form_of(forms, where, at, row)
    _refuse_unknown(forms, form, where, at, row)
    made: dict[str, Any] = {}
    for field in (*forms.common, *form.fields):
        if field.name in row:
            made[field.name] = check_value(where, field.blank, row[field.name], numbers)
        elif field.default is NEEDED:
            raise SettingRejected(
                where, f"{at} has no {field.name}: it needs the {field.blank.label}."
            )
        elif field.default is not OPTIONAL:
            named = isinstance(field.default, str)
            made[field.name] = field.default.format(n=n) if named else field.default
    if forms.by:
        made[forms.by] = form.key
    return made


def _form_of(forms: Forms, where: str, at: str, row: Mapping[str, Any]) -> Form:
    if forms.by:
        known = {form.key: form for form in forms.forms}
        key = row.get(forms.by)
        if not isinstance(key, str) or key not in known:
            told = f"there is no {key}" if forms.by in row else f"{forms.by} is missing"
            raise SettingRejected(where, f"{at}: {told}. {forms.by} is one of {', '.join(known)}.")
        return known[key]
    likely = [form for form in forms.forms if all(name in row for name in form.told_by)]
    if len(likely) != 1:
        raise SettingRejected(where, f"{at}: {forms.untold}")
    return likely[0]


def _refuse_unknown(forms: Forms, form: Form, where: str, at: str, row: Mapping[str, Any]) -> None:
    mine = forms.names(form)
    for name in sorted(set(map(str, row)) - set(mine)):
        others = [f.label for f in forms.forms if name in forms.names(f)]
        if others:
            is_ = f"not to {form.label}" if form.label else "not here"
            raise SettingRejected(where, f"{at}: {name} belongs to {' or '.join(others)}, {is_}.")
        raise SettingRejected(where, f"{at} has no “{name}”. There is {', '.join(mine)}.")


def schema(forms: Forms) -> dict[str, Any]:
    """JSON schema of the list."""

    def of(form: Form) -> dict[str, Any]:
        fields = (*forms.common, *form.fields)
        properties = {field.name: value_schema(field.blank) for field in fields}
        required = [field.name for field in fields if field.default is NEEDED]
        if forms.by:
            properties[forms.by] = {"const": form.key, "title": form.label}
            required.append(forms.by)
        return {
            "type": "object",
            "required": list(dict.fromkeys([*required, *form.told_by])),
            "properties": properties,
            "additionalProperties": False,
        }

    out: dict[str, Any] = {"type": "array", "items": {"anyOf": [of(f) for f in forms.forms]}}
    return out | ({"minItems": forms.least} if forms.least else {})


def described(forms: Forms) -> dict[str, Any]:
    """The forms as plain data, for the page."""

    def listed(fields: tuple[Field, ...]) -> list[dict[str, Any]]:
        return [
            {
                "name": field.name,
                **described_blank(field.blank),
                "optional": field.default is OPTIONAL,
                "start": field.start(),
            }
            for field in fields
        ]

    return {
        "by": forms.by,
        "common": listed(forms.common),
        "forms": [
            {
                "key": form.key,
                "label": form.label,
                "fits": list(form.fits),
                "told_by": list(form.told_by),
                "blanks": listed(form.fields),
            }
            for form in forms.forms
        ],
    }
