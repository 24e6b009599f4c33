"""The ruler: distances, angles, radii and wall thickness between touched places of a model."""

from collections.abc import Mapping
from typing import Any

import numpy as np

from intaglio.errors import SettingRejected
from intaglio.parts.kind import Floats, Model
from intaglio.parts.kinds import kind_of

Touched = Mapping[str, Any]


def measure(model: Model, first: Touched, second: Touched | None) -> dict[str, Any]:
    """What lies between two touched places {face, at}, or what one place alone tells.

    face: number; at: (3,) near the surface. Lengths in the model's unit, angles in degrees. Keys:
    at (places on the surface, snapped to vertices where one is near), distance, and where they make
    sense: between_faces, angle, radius, diameter, thickness. Raises SettingRejected.
    """
    kind = kind_of(model)
    touched = [t for t in (first, second) if t is not None]
    faces = [_face(model, t) for t in touched]
    places = [kind.snapped(model, f, _place(t)) for f, t in zip(faces, touched, strict=True)]
    normals = [kind.normal(model, f, p) for f, p in zip(faces, places, strict=True)]
    out: dict[str, Any] = {"at": [p.tolist() for p in places]}
    if second is None:
        radius = kind.radius(model, faces[0])
        if radius > 0:
            out |= {"radius": radius, "diameter": 2 * radius}
        # straight in to the opposite surface
        thickness = kind.ahead(model, places[0], -normals[0], kind.scale(model))
        if thickness is not None:
            out["thickness"] = thickness
        return out
    out["distance"] = float(np.linalg.norm(places[1] - places[0]))
    out["along"] = (places[1] - places[0]).tolist()
    out["angle"] = _degrees_between(*normals)
    gap = kind.gap(model, *faces) if faces[0] != faces[1] else None
    if gap is not None:
        out["between_faces"] = gap
    return out


def _degrees_between(one: Floats, other: Floats) -> float:
    across = np.linalg.norm(np.cross(one, other))
    return float(np.degrees(np.arctan2(across, one @ other)))


def _face(model: Model, touched: Touched) -> int:
    number = int(touched["face"])
    if not 0 <= number < len(kind_of(model).face_names(model)):
        raise SettingRejected("ruler", f"There is no face number {number}.")
    return number


def _place(touched: Touched) -> Floats:
    at = np.array(touched["at"], float)
    if at.shape != (3,) or not (np.abs(at) <= 1e12).all():
        raise SettingRejected("ruler", "A place needs three coordinates, none beyond 10¹².")
    return at
