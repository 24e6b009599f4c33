"""Rows of which each is of a kind: on some patches or zones, with the numbers that the kind needs.

A list of this sort is described once, here; check, schema and the page's rows follow.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal

from intaglio.settings.blanks import Blank, Rows
from intaglio.settings.forms import OPTIONAL, Field, Form, Forms
from intaglio.settings.forms import rows_of as form_rows

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
    forms = Forms(
        "Rows",
        tuple(
            Form(
                kind.key,
                kind.label,
                (
                    *(Field(name, blank) for name, blank in kind.blanks.items()),
                    *(Field(name, blank, OPTIONAL) for name, blank in kind.optional.items()),
                ),
                fits=kind.fits,
            )
            for kind in kinded.kinds
        ),
        (Field(kinded.scope, Blank("patterns", kinded.scope, "")),),
        by="is",
    )
    return form_rows(forms)
