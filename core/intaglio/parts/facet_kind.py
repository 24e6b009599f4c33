"""Models of facets: triangles in named regions and bodies."""

from dataclasses import replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from intaglio.errors import StepFailed
from intaglio.facets.diagnosis import diagnose
from intaglio.facets.domain import compact, inner_point, openings, spaces
from intaglio.facets.features import (
    edge_angles,
    facet_turns,
    feature_curves,
    meshing_input,
    node_curvature,
    split_by_angle,
)
from intaglio.facets.motion import scaled
from intaglio.facets.part import FacetPart, joined, kept, scale_of
from intaglio.facets.pieces import find_pieces
from intaglio.facets.plates import standing_plates
from intaglio.facets.welding import welded
from intaglio.numeric.boxtree import box_tree, first_hits, nearest
from intaglio.numeric.rounding import rounded
from intaglio.numeric.winding import winding_numbers
from intaglio.parts.kind import Arrays, Diagnosed, Drawn, Floats, Kind, Passages, Progress, SoFar
from intaglio.parts.rows import BodyRow, FaceShape, ModelNames
from intaglio.remeshing.remesh import RemeshedSurface
from intaglio.triangles.edges import edge_table
from intaglio.triangles.facets import Curves, Facets
from intaglio.triangles.measures import enclosed_volume, triangle_areas, triangle_normals

# a touched place snaps to a node within this share of the model: facets have nodes everywhere
_TOUCH = 2e-3
# a region is flat if its normals add up, and its nodes lie in one plane to this share of the model
_PLANE_SHARE = 0.9999
_PLANE_DEPTH = 1e-4


class FacetKind(Kind[FacetPart]):
    """Facets: what a scan or another program's export gives."""

    key: Literal["cad", "facets"] = "facets"
    title = "facets"

    def names(self, model: FacetPart) -> ModelNames:
        return {
            "kind": self.key,
            "unit": model.unit,
            "bodies": list(model.body_names),
            "regions": list(model.region_names),
        }

    def stored(self, model: FacetPart) -> Arrays:
        return {
            "facet_points": model.points,
            "facet_triangles": model.triangles,
            "facet_region": model.region,
            "facet_body": model.body,
        }

    def restored(self, arrays: Arrays, names: ModelNames) -> FacetPart:
        return FacetPart(
            np.ascontiguousarray(arrays["facet_points"]),
            np.ascontiguousarray(arrays["facet_triangles"]),
            np.ascontiguousarray(arrays["facet_region"]),
            np.ascontiguousarray(arrays["facet_body"]),
            tuple(names["regions"]),
            tuple(names["bodies"]),
            names["unit"],
        )

    def limits(self, model: FacetPart) -> tuple[Floats, Floats]:
        return model.points.min(axis=0), model.points.max(axis=0)

    def volume(self, model: FacetPart) -> float:
        return enclosed_volume(model.points, model.triangles)

    def area(self, model: FacetPart) -> float:
        return float(triangle_areas(model.points, model.triangles).sum())

    def triangles(self, model: FacetPart) -> int | None:
        return len(model.triangles)

    def face_names(self, model: FacetPart) -> list[str]:
        return list(model.region_names)

    def face_row(
        self,
        model: FacetPart,
        face: int,
        view: Drawn,
        own: NDArray[np.int64],
        areas: Floats,
        scale: float,
        rough: bool = False,
    ) -> FaceShape:
        total = float(areas[own].sum())
        corners = model.points[model.triangles[own]]
        centre = areas[own] @ corners.mean(axis=1) / total if total > 0 else np.zeros(3)
        normal = areas[own] @ triangle_normals(model.points, model.triangles[own])
        length = float(np.linalg.norm(normal))
        normal = normal / length if length > 0 else normal
        apart = np.abs((corners - centre) @ normal).max() if len(own) else 0
        flat = length > _PLANE_SHARE * total and apart < _PLANE_DEPTH * scale
        return {
            "id": model.region_names[face],
            "name": "",
            "colour": "",
            "surface": "plane" if flat else "facets",
            "area": total,
            "centre": rounded(centre, scale),
            "normal": rounded(normal, 1.0) if flat else [0.0, 0.0, 0.0],
            "radius": 0.0,
        }

    def links(self, model: FacetPart) -> dict[tuple[int, int], float]:
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
        # the usual turn along the border, not that of its worst edge
        return {
            (int(c // n), int(c % n)): float(np.median(along[code == c])) for c in np.unique(code)
        }

    def bodies(self, model: FacetPart) -> list[BodyRow]:
        areas = triangle_areas(model.points, model.triangles)
        out: list[BodyRow] = []
        sheets = set(standing_plates(model))
        for k, name in enumerate(model.body_names):
            own = model.body == k
            if not own.any():
                continue
            table = edge_table(model.triangles[own])
            out.append(
                {
                    "name": name,
                    "volume": enclosed_volume(model.points, model.triangles[own]),
                    "area": float(areas[own].sum()),
                    "faces": np.unique(model.region[own]).tolist(),
                    "solid": bool((table.uses == 2).all()),
                    "sheet": k in sheets,
                }
            )
        return out

    def without(self, model: FacetPart, names: list[str]) -> FacetPart | None:
        gone = [k for k, name in enumerate(model.body_names) if name in names]
        left = ~np.isin(model.body, gone)
        return compact(kept(model, left)) if left.any() else None

    def wholes(self, facets: FacetPart) -> NDArray[np.int64]:
        piece = find_pieces(facets, edge_table(facets.triangles)).piece
        return facets.body.astype(np.int64) * (int(piece.max()) + 1) + piece

    def without_facets(
        self, model: FacetPart, facets: FacetPart, gone: NDArray[np.bool_]
    ) -> FacetPart | None:
        return None if gone.all() else kept(model, ~gone)

    def zone_volumes(self, model: FacetPart) -> list[float]:
        return [
            enclosed_volume(model.points, model.triangles[model.body == z])
            for z in range(len(model.body_names))
        ]

    def distances(self, model: FacetPart, spot: Floats) -> Floats:
        tree = box_tree(model.points, model.triangles, model.region)
        out = np.full(len(model.region_names), np.inf)
        foot = np.empty(3)
        for region in range(min(len(tree.root), len(out))):
            if nearest(tree, region, spot, foot) >= 0:
                out[region] = float(np.linalg.norm(foot - spot))
        return out

    def inner_point(self, model: FacetPart) -> Floats | None:
        return inner_point(model.points, model.triangles)

    def holds(self, model: FacetPart, spot: Floats) -> bool:
        return bool(winding_numbers(model.points, model.triangles, spot[None])[0] > 0.5)

    def curvature(self, model: FacetPart, view: Drawn) -> Floats:
        return node_curvature(view.points, view.triangles, view.region)

    def diagnosed(
        self,
        model: FacetPart,
        progress: Progress = lambda share, doing: None,
        so_far: SoFar = lambda found: None,
    ) -> Diagnosed:
        told = diagnose(model, progress, so_far)
        return Diagnosed(
            tuple(told.findings),
            told.free_lines.astype(np.float32),
            told.branch_lines.astype(np.float32),
        )

    def passages(self, model: FacetPart, closed: bool) -> Passages:
        scale = self.scale(model)
        # walls without a thickness bound no space
        model = kept(model, ~np.isin(model.body, standing_plates(model)))
        holes = openings(model)
        behind = list(spaces(model, holes) if holes or closed else [])
        return Passages(
            [
                {
                    "name": o.name,
                    "face": o.region,
                    "edges": [],
                    "centre": rounded(o.centre, scale),
                    "normal": rounded(o.normal, 1.0),
                    "area": o.area,
                    "diameter": o.diameter,
                }
                for o in holes
            ],
            [
                {
                    "openings": list(s.openings),
                    "volume": s.volume,
                    "pin": rounded(list(s.pin), scale),
                }
                for s in behind
            ],
            [],
            [],
        )

    def prepared(self, model: FacetPart, angle: float) -> FacetPart:
        return split_by_angle(model, angle)

    def tidied(self, model: FacetPart) -> FacetPart:
        return compact(model)

    def snapped(self, model: FacetPart, face: int, at: Floats) -> Floats:
        nodes = np.unique(model.triangles[model.region == face])
        apart = np.linalg.norm(model.points[nodes] - at, axis=1)
        if apart.min() < _TOUCH * scale_of(model.points):
            return model.points[nodes[apart.argmin()]]
        foot = np.empty(3)
        nearest(box_tree(model.points, model.triangles, model.region), face, at, foot)
        return foot

    def normal(self, model: FacetPart, face: int, at: Floats) -> Floats:
        tree = box_tree(model.points, model.triangles, model.region)
        hit = nearest(tree, face, at, np.empty(3))
        return triangle_normals(model.points, model.triangles)[hit]

    def radius(self, model: FacetPart, face: int) -> float:
        return 0.0

    def gap(self, model: FacetPart, one: int, other: int) -> float | None:
        return None

    def ahead(
        self, model: FacetPart, start: Floats, direction: Floats, scale: float
    ) -> float | None:
        tree = box_tree(model.points, model.triangles)
        skip = np.array([1e-6 * scale])
        distance, _ = first_hits(tree, start[None].copy(), direction[None].copy(), skip)
        return float(distance[0]) if np.isfinite(distance[0]) else None

    def drawn(self, model: FacetPart) -> Drawn:
        curves = feature_curves(model.points, model.triangles, model.region)
        return Drawn(model.points, model.triangles, model.region, model.points[curves.edge_nodes])

    def facets(self, model: FacetPart, share: float) -> FacetPart:
        return model

    def meshing_input(
        self, model: FacetPart, smallest: float, angle: float
    ) -> tuple[Facets, Curves]:
        if "meshing" not in model.memo:
            model.memo["meshing"] = meshing_input(model)
        facets, curves = model.memo["meshing"]
        return facets, curves

    def turns(self, model: FacetPart, facets: Facets, curves: Curves) -> Floats:
        return facet_turns(facets, curves)

    def settled(
        self,
        model: FacetPart,
        curves: Curves,
        rough: RemeshedSurface,
        face: NDArray[np.int32],
    ) -> RemeshedSurface:
        return rough

    def named(self, model: FacetPart, faces: tuple[str, ...], bodies: tuple[str, ...]) -> FacetPart:
        return replace(model, region_names=faces, body_names=bodies)

    def scaled(self, model: FacetPart, factor: float) -> FacetPart:
        return scaled(model, factor)[0]

    def joined(self, models: list[FacetPart]) -> FacetPart:
        return joined(models)

    def per_body(self, model: FacetPart) -> dict[str, FacetPart]:
        return {
            name: kept(model, model.body == k)
            for k, name in enumerate(model.body_names)
            if (model.body == k).any()
        }

    def sheet(self, model: FacetPart, name: str, faces: list[int]) -> FacetPart:
        return kept(model, np.isin(model.region, faces))

    def file(self, model: FacetPart, suffix: str) -> bytes | None:
        return None

    def checked(self, model: FacetPart, done: str, mirrored: bool) -> FacetPart:
        if not len(model.triangles):
            raise StepFailed("nothing-left", f"“{done}” would leave nothing.")
        # the halves of a mirrored model share the nodes of the plane
        return welded(model) if mirrored else model
