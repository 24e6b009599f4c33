"""Faces named by geometry: a name and a point on the face, so that a name outlives renumbering.

A reference is `face_3`, or `face_3 @ 12.5 0 3`: the face of that name if the point lies on it, else
the face that the point lies on. `@ 12.5 0 3` alone is the face at that point.
"""

from collections.abc import Mapping
from typing import Any

import numpy as np

from intaglio.errors import SettingRejected
from intaglio.parts.kind import Model
from intaglio.parts.kinds import kind_of
from intaglio.settings.blanks import NAMES_SCHEMA, Rows

# a point belongs to a face within this share of the model
NEAR = 2e-3


def parse(reference: str) -> tuple[str, list[float] | None]:
    """Name and point of a reference. Raises ValueError."""
    name, _, place = reference.partition("@")
    if not place.strip():
        return name.strip(), None
    values = [float(v) for v in place.replace(",", " ").split()]
    if len(values) != 3 or not np.isfinite(values).all():
        raise ValueError(reference)
    return name.strip(), values


def reference(name: str, at: list[float]) -> str:
    """A reference with a name and a point (3,)."""
    return f"{name} @ " + " ".join(f"{v:.7g}" for v in at)


def face_numbers(model: Model, references: list[str], where: str) -> list[int]:
    """Numbers of the faces that references mean. Raises SettingRejected for one that means none."""
    kind = kind_of(model)
    names = kind.face_names(model)
    scale = kind.scale(model)
    out = []
    for text in references:
        try:
            name, at = parse(text)
        except ValueError as error:
            raise SettingRejected(
                where, f"“{text}” is no face: write a name, or a name, @ and three numbers."
            ) from error
        if at is None:
            if name not in names:
                raise SettingRejected(where, f"There is no face called {name}.")
            out.append(names.index(name))
            continue
        apart = kind.distances(model, np.array(at))
        own = names.index(name) if name in names else -1
        best = own if own >= 0 and apart[own] <= NEAR * scale else int(apart.argmin())
        if apart[best] > NEAR * scale:
            raise SettingRejected(
                where, f"No face is left at {', '.join(f'{v:g}' for v in at)} (“{name}”)."
            )
        out.append(best)
    return list(dict.fromkeys(out))


def check_faces(where: str, label: str, value: Any, numbers: Mapping[str, float]) -> list[str]:
    """A list of references to faces. Raises SettingRejected."""
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


FACES = Rows(check_faces, lambda: NAMES_SCHEMA)
