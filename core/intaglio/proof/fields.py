"""Fields of a computed flow as they are drawn: on cells of the mesh, and on its boundary."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from intaglio.mesh.mesh import Floats, Mesh
from intaglio.parts.kind import Arrays
from intaglio.proof.report import FieldRow

ZERO = 273.15


@dataclass(frozen=True)
class FieldKind:
    """A field: key, words, unit, whether cells or the boundary have it."""

    key: str
    label: str
    unit: str
    of: str


FIELDS = (
    FieldKind("speed", "Speed", "m/s", "cell"),
    FieldKind("arrows", "Speed, with arrows", "m/s", "cell"),
    FieldKind("pressure", "Pressure", "Pa", "cell"),
    FieldKind("temperature", "Temperature", "°C", "cell"),
    FieldKind("wall_pressure", "Pressure on patches", "Pa", "rim"),
    FieldKind("shear", "Wall shear", "Pa", "rim"),
    FieldKind("yplus", "True y⁺", "", "rim"),
    FieldKind("wall_temperature", "Temperature on patches", "°C", "rim"),
)
BY_KEY = {field.key: field for field in FIELDS}


def cell_field(arrays: Arrays, key: str) -> NDArray[np.float32]:
    """A field (c,) of cells; nan where they have none. Raises KeyError."""
    if key in ("speed", "arrows"):
        return np.asarray(np.linalg.norm(arrays["velocity"], axis=1), np.float32)
    if key == "temperature":
        return np.asarray(arrays["temperature"] - ZERO, np.float32)
    if key == "pressure":
        return np.asarray(arrays["pressure"], np.float32)
    raise KeyError(key)


def rim_field(mesh: Mesh, arrays: Arrays, key: str) -> NDArray[np.float32]:
    """A field (f,) of the mesh's faces; nan where they have none. Raises KeyError."""
    out = np.full(mesh.faces, np.nan, np.float32)
    if key == "wall_temperature":
        out[arrays["heat_face"]] = arrays["heat_rim"] - ZERO
        return out
    values: Floats = {
        "wall_pressure": lambda: arrays["rim_pressure"],
        # where the flow is let in nothing rubs
        "shear": lambda: np.where(
            np.isfinite(arrays["rim_yplus"]), np.linalg.norm(arrays["rim_shear"], axis=1), np.nan
        ),
        "yplus": lambda: arrays["rim_yplus"],
    }[key]()
    out[arrays["rim_face"]] = values
    return out


def field_rows(mesh: Mesh, arrays: Arrays) -> list[FieldRow]:
    """The fields that there are, with their least and largest values."""
    out: list[FieldRow] = []
    for kind in FIELDS:
        try:
            values = (
                cell_field(arrays, kind.key)
                if kind.of == "cell"
                else rim_field(mesh, arrays, kind.key)
            )
        except KeyError:
            continue
        known = values[np.isfinite(values)]
        if len(known):
            out.append({
                "key": kind.key, "label": kind.label, "unit": kind.unit, "of": kind.of,
                "low": float(known.min()), "high": float(known.max()),
            })  # fmt: skip
    return out
