"""A model in a product: stored, taken out again, described face by face, drawn."""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Any, cast

import numpy as np

from intaglio.numeric.rounding import rounded
from intaglio.parts.kind import Arrays, Drawn, Model
from intaglio.parts.kinds import kind_named, kind_of
from intaglio.parts.picture import picture
from intaglio.parts.rows import FaceRow, FaceShape
from intaglio.triangles.measures import triangle_areas


@dataclass(frozen=True)
class Product:
    """What a step made: arrays, and a report of plain data."""

    arrays: Arrays
    report: Mapping[str, Any]

    @cached_property
    def model(self) -> Model:
        """The model of a geometry or domain product, with what is found out about it."""
        names = self.report["model"]
        model: Model = kind_named(names["kind"]).restored(self.arrays, names)
        return model


def model_of(product: Product) -> Model:
    """The model of a geometry or domain product, which all who ask share: nobody may change it."""
    return product.model


def display(view: Drawn, prefix: str = "display", with_picture: bool = True) -> Arrays:
    """Arrays for the screen."""
    out: Arrays = {
        f"{prefix}_points": view.points.astype(np.float32),
        f"{prefix}_triangles": view.triangles,
        f"{prefix}_region": view.region,
        f"{prefix}_lines": view.lines.astype(np.float32),
    }
    if with_picture:
        made = picture(view.points, view.triangles, view.lines, np.zeros((0, 2, 3)))
        out["picture"] = np.frombuffer(made, np.uint8)
    return out


def face_rows(model: Model, view: Drawn, scale: float, rough: bool = False) -> list[FaceRow]:
    """Every face in words and numbers: id, name and colour of the file, surface, area, centre,
    normal and radius where it has one, a point on it, and whether it is a flat end of the model.
    rough: area and centre are those of the view's triangles."""
    kind = kind_of(model)
    count = len(kind.face_names(model))
    corners = view.points[view.triangles]
    areas = triangle_areas(view.points, view.triangles)
    order = np.lexsort((areas, view.region))
    last = np.searchsorted(view.region[order], np.arange(count), side="right") - 1
    first = np.searchsorted(view.region[order], np.arange(count))
    rows: list[FaceRow] = []
    for k in range(count):
        own = order[first[k] : last[k] + 1]
        # a point that surely lies on the face: the middle of its largest triangle
        at = corners[own[-1]].mean(axis=0) if len(own) else np.zeros(3)
        shape: FaceShape = kind.face_row(model, k, view, own, areas, scale, rough)
        at_end = False
        if shape["surface"] == "plane":
            heights = view.points @ np.array(shape["normal"])
            level = float(np.dot(shape["centre"], shape["normal"]))
            at_end = bool(heights.max() < level + 1e-5 * scale)
        row = {**shape, "at": rounded(at, scale), "at_end": at_end}
        rows.append(cast(FaceRow, row))
    return rows


def face_links(model: Model) -> list[list[float]]:
    """Neighbouring faces as [a, b, degrees of the turn between them]."""
    links = kind_of(model).links(model)
    return [[a, b, round(turn, 2)] for (a, b), turn in sorted(links.items())]
