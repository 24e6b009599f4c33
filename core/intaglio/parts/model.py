"""A model in a product: stored, taken out again, described face by face, drawn."""

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from OCP.BRepAdaptor import BRepAdaptor_Surface

from intaglio.cad.features import edge_turn
from intaglio.cad.normals import plane_normal
from intaglio.cad.part import Part, area, bounds, centroid, from_bytes, to_bytes, volume
from intaglio.cad.tessellation import DENSE, tessellate
from intaglio.cad.topology import edge_uses, uses_by_edge
from intaglio.facets.edges import edge_table
from intaglio.facets.facets import enclosed_volume, triangle_areas, triangle_normals
from intaglio.facets.features import edge_angles, feature_curves
from intaglio.facets.part import FacetPart
from intaglio.parts.picture import picture

Progress = Callable[[float, str], None]
Arrays = dict[str, NDArray[Any]]
Model = Part | FacetPart
Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Product:
    """What a step made: arrays, and a report of plain data."""

    arrays: Arrays
    report: dict[str, Any]


@dataclass(frozen=True)
class Drawn:
    """Triangles (m, 3) of points (n, 3) with the number of their face, and feature lines."""

    points: Floats
    triangles: NDArray[np.int32]
    region: NDArray[np.int32]
    lines: Floats


def stored(model: Model) -> tuple[Arrays, dict[str, Any]]:
    """Arrays and plain data from which `model_of` makes the model again."""
    if isinstance(model, Part):
        names = {
            "kind": "cad",
            "unit": model.unit,
            "bodies": [model.body_name(k) for k in range(len(model.bodies))],
            "face_names": list(model.face_names),
            "face_colours": list(model.face_colours),
        }
        return {"brep": np.frombuffer(to_bytes(model), np.uint8)}, names
    arrays: Arrays = {
        "facet_points": model.points,
        "facet_triangles": model.triangles,
        "facet_region": model.region,
        "facet_body": model.body,
    }
    return arrays, {
        "kind": "facets",
        "unit": model.unit,
        "bodies": list(model.body_names),
        "regions": list(model.region_names),
    }


def model_of(product: Product) -> Model:
    """The model of a geometry or domain product."""
    names = product.report["model"]
    a = product.arrays
    if names["kind"] == "cad":
        return from_bytes(
            a["brep"].astype(np.uint8).tobytes(),
            names["unit"],
            tuple(names["bodies"]),
            tuple(names["face_names"]),
            tuple(names["face_colours"]),
        )
    return FacetPart(
        np.ascontiguousarray(a["facet_points"]),
        np.ascontiguousarray(a["facet_triangles"]),
        np.ascontiguousarray(a["facet_region"]),
        np.ascontiguousarray(a["facet_body"]),
        tuple(names["regions"]),
        tuple(names["bodies"]),
        names["unit"],
    )


def limits(model: Model) -> tuple[Floats, Floats]:
    """Low and high corner of the box around a model."""
    if isinstance(model, Part):
        return bounds(model.shape)
    return model.points.min(axis=0), model.points.max(axis=0)


def model_volume(model: Model) -> float:
    """Volume of the solids, or inside the facets."""
    if isinstance(model, Part):
        return float(sum(volume(s) for s in model.solids))
    return enclosed_volume(model.points, model.triangles)


def model_area(model: Model) -> float:
    if isinstance(model, Part):
        return area(model.shape)
    return float(triangle_areas(model.points, model.triangles).sum())


def drawn(model: Model) -> Drawn:
    """What the screen shows of a model, fine enough to look round."""
    if isinstance(model, FacetPart):
        curves = feature_curves(model.points, model.triangles, model.region)
        return Drawn(model.points, model.triangles, model.region, model.points[curves.edge_nodes])
    low, high = bounds(model.shape)
    scale = float(np.linalg.norm(high - low))
    facets, curves = tessellate(model, 4e-4 * scale, 0.2, [])
    pairs = []
    for c in range(len(curves.ends)):
        # the nodes of the tessellation, so that lines lie on the facets' own edges
        line = curves.points[curves.start[c] : curves.start[c + 1] : DENSE]
        pairs.append(np.stack([line[:-1], line[1:]], axis=1))
    lines = np.concatenate(pairs) if pairs else np.zeros((0, 2, 3))
    return Drawn(facets.points, facets.triangles, facets.region, lines)


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


def rounded(values: Floats | list[float], scale: float) -> list[float]:
    """Coordinates without the last digits' noise."""
    digits = 9 - max(-6, math.floor(math.log10(scale))) if scale > 0 else 9
    return [round(float(v), digits) + 0.0 for v in values]


def surface_word(part: Part, face: int) -> str:
    """plane, cylinder, cone, sphere, torus, or other."""
    word = BRepAdaptor_Surface(part.faces[face]).GetType().name.split("_")[-1].lower()
    return word if word in ("plane", "cylinder", "cone", "sphere", "torus") else "other"


def face_radius(part: Part, face: int, word: str) -> float:
    """Radius of a round face, 0 for others; of a torus that of its tube."""
    surface = BRepAdaptor_Surface(part.faces[face])
    if word == "cylinder":
        return float(surface.Cylinder().Radius())
    if word == "sphere":
        return float(surface.Sphere().Radius())
    if word == "torus":
        return float(surface.Torus().MinorRadius())
    return 0.0


def face_rows(model: Model, view: Drawn, scale: float) -> list[dict[str, Any]]:
    """Every face in words and numbers: id, name and colour of the file, surface, area, centre,
    normal and radius where it has one, a point on it, and whether it is a flat end of the model."""
    count = len(model.faces) if isinstance(model, Part) else len(model.region_names)
    areas = triangle_areas(view.points, view.triangles)
    order = np.lexsort((areas, view.region))
    last = np.searchsorted(view.region[order], np.arange(count), side="right") - 1
    first = np.searchsorted(view.region[order], np.arange(count))
    rows = []
    for k in range(count):
        has = last[k] >= first[k]
        at = view.points[view.triangles[order[last[k]]]].mean(axis=0) if has else np.zeros(3)
        if isinstance(model, Part):
            row = _cad_row(model, k, scale)
        else:
            row = _facet_row(model, k, order[first[k] : last[k] + 1], areas, scale)
        row["at"] = rounded(at, scale)
        row["at_end"] = False
        if row["surface"] == "plane":
            heights = view.points @ np.array(row["normal"])
            level = float(np.dot(row["centre"], row["normal"]))
            row["at_end"] = bool(heights.max() < level + 1e-5 * scale)
        rows.append(row)
    return rows


def _cad_row(part: Part, k: int, scale: float) -> dict[str, Any]:
    word = surface_word(part, k)
    normal = plane_normal(part.faces[k]) if word == "plane" else np.zeros(3)
    return {
        "id": f"face_{k + 1}",
        "name": part.face_name(k),
        "colour": part.face_colour(k),
        "surface": word,
        "area": area(part.faces[k]),
        "centre": rounded(centroid(part.faces[k]), scale),
        "normal": rounded(normal, 1.0),
        "radius": face_radius(part, k, word),
    }


def _facet_row(
    part: FacetPart, k: int, own: NDArray[np.int64], areas: Floats, scale: float
) -> dict[str, Any]:
    total = float(areas[own].sum())
    middle = part.points[part.triangles[own]].mean(axis=1)
    centre = areas[own] @ middle / total if total > 0 else np.zeros(3)
    unit = triangle_normals(part.points, part.triangles[own])
    normal = areas[own] @ unit
    length = float(np.linalg.norm(normal))
    normal = normal / length if length > 0 else normal
    apart = np.abs((part.points[part.triangles[own]] - centre) @ normal).max() if len(own) else 0
    flat = length > 0.9999 * total and apart < 1e-4 * scale
    return {
        "id": part.region_names[k],
        "name": "",
        "colour": "",
        "surface": "plane" if flat else "facets",
        "area": total,
        "centre": rounded(centre, scale),
        "normal": rounded(normal, 1.0) if flat else [0.0, 0.0, 0.0],
        "radius": 0.0,
    }


def face_links(model: Model) -> list[list[float]]:
    """Neighbouring faces as [a, b, degrees]: the sharpest turn over their common edges."""
    links: dict[tuple[int, int], float] = {}
    if isinstance(model, Part):
        for e, own in uses_by_edge(edge_uses(model)).items():
            faces = sorted({u.face for u in own})
            for i, a in enumerate(faces):
                for b in faces[i + 1 :]:
                    turn = edge_turn(model, e, a, b)
                    links[a, b] = max(links.get((a, b), 0.0), turn)
    else:
        table = edge_table(model.triangles)
        turns = edge_angles(model.points, model.triangles, table)
        two = np.flatnonzero(table.uses == 2)
        one = model.region[table.half[table.start[two]] // 3]
        other = model.region[table.half[table.start[two] + 1] // 3]
        n = len(model.region_names)
        differ = one != other
        low, high = np.minimum(one, other)[differ], np.maximum(one, other)[differ]
        code = low.astype(np.int64) * n + high
        along = turns[two][differ]
        for c in np.unique(code):
            # the usual turn along the border, not that of its worst edge
            links[int(c // n), int(c % n)] = float(np.median(along[code == c]))
    return [[a, b, round(turn, 2)] for (a, b), turn in sorted(links.items())]
