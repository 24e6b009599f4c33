"""Models of CAD: shapes of the kernel."""

import dataclasses
import math
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from intaglio.cad import domain
from intaglio.cad.features import edge_turn, find_features
from intaglio.cad.findings import diagnose
from intaglio.cad.kernel import KERNEL_ERRORS
from intaglio.cad.measures import area, bounds, centroid, volume
from intaglio.cad.normals import face_normal, plane_normal, surface_of
from intaglio.cad.part import Part, from_bytes, to_bytes
from intaglio.cad.passages import passages_part
from intaglio.cad.read import compound, scaled, sheet_of
from intaglio.cad.repair import carried
from intaglio.cad.ruler import distance_ahead, gap_between, nearest_vertex_or_foot
from intaglio.cad.standing import standing_sheets
from intaglio.cad.surface_mesh import exact_positions
from intaglio.cad.tessellation import DENSE, SHOWN_TURN, as_shown, curve_edges, tessellate
from intaglio.cad.topology import (
    edge_samples,
    edge_uses,
    explore_face,
    point_distance,
    uses_by_edge,
)
from intaglio.cad.turns import edge_turns
from intaglio.cad.write import brep_bytes, step_bytes
from intaglio.errors import IntaglioError
from intaglio.facets.part import FacetPart, free_name
from intaglio.findings import PLACES, Finding
from intaglio.numeric.rounding import rounded
from intaglio.parts.kind import (
    Arrays,
    Diagnosed,
    Drawn,
    Floats,
    Kind,
    Passages,
    Progress,
    SoFar,
)
from intaglio.parts.rows import BodyRow, FaceShape, ModelNames
from intaglio.remeshing.remesh import RemeshedSurface
from intaglio.triangles.facets import Curves, Facets
from intaglio.triangles.seams import faces_beside

_WRITERS = {".step": step_bytes, ".stp": step_bytes, ".brep": brep_bytes}
_FAILURES: tuple[type[Exception], ...] = (IntaglioError, *KERNEL_ERRORS)
_WORDS = ("plane", "cylinder", "cone", "sphere", "torus")


def surface_word(part: Part, face: int) -> str:
    """plane, cylinder, cone, sphere, torus, or other."""
    word = surface_of(part.faces[face]).GetType().name.split("_")[-1].lower()
    return word if word in _WORDS else "other"


class CadKind(Kind[Part]):
    """CAD: exact surfaces, solids and sheets."""

    key: Literal["cad", "facets"] = "cad"
    title = "CAD"

    def names(self, model: Part) -> ModelNames:
        return {
            "kind": self.key,
            "unit": model.unit,
            "bodies": [model.body_name(k) for k in range(len(model.bodies))],
            "face_names": list(model.face_names),
            "face_colours": list(model.face_colours),
        }

    def stored(self, model: Part) -> Arrays:
        return {"brep": np.frombuffer(to_bytes(model), np.uint8)}

    def restored(self, arrays: Arrays, names: ModelNames) -> Part:
        return from_bytes(
            arrays["brep"].astype(np.uint8).tobytes(),
            names["unit"],
            tuple(names["bodies"]),
            tuple(names["face_names"]),
            tuple(names["face_colours"]),
        )

    def limits(self, model: Part) -> tuple[Floats, Floats]:
        return bounds(model.shape)

    def volume(self, model: Part) -> float:
        return float(sum(volume(s) for s in model.solids))

    def area(self, model: Part) -> float:
        return area(model.shape)

    def triangles(self, model: Part) -> int | None:
        return None

    def face_names(self, model: Part) -> list[str]:
        return [f"face_{k + 1}" for k in range(len(model.faces))]

    def face_row(
        self,
        model: Part,
        face: int,
        view: Drawn,
        own: NDArray[np.int64],
        areas: Floats,
        scale: float,
        rough: bool = False,
    ) -> FaceShape:
        word = surface_word(model, face)
        normal = plane_normal(model.faces[face]) if word == "plane" else np.zeros(3)
        if rough:
            size = float(areas[own].sum())
            middle = view.points[view.triangles[own]].mean(axis=1)
            centre = areas[own] @ middle / size if size > 0 else np.zeros(3)
        else:
            size, centre = area(model.faces[face]), centroid(model.faces[face])
        return {
            "id": f"face_{face + 1}",
            "name": model.face_name(face),
            "colour": model.face_colour(face),
            "surface": word,
            "area": size,
            "centre": rounded(centre, scale),
            "normal": rounded(normal, 1.0),
            "radius": self.radius(model, face),
        }

    def links(self, model: Part) -> dict[tuple[int, int], float]:
        out: dict[tuple[int, int], float] = {}
        for e, own in uses_by_edge(edge_uses(model)).items():
            faces = sorted({u.face for u in own})
            for i, a in enumerate(faces):
                for b in faces[i + 1 :]:
                    # the sharpest turn over their common edges
                    out[a, b] = max(out.get((a, b), 0.0), edge_turn(model, e, a, b))
        return out

    def bodies(self, model: Part) -> list[BodyRow]:
        sheets = set(standing_sheets(model))
        return [
            {
                "name": model.body_name(k),
                "volume": volume(b),
                "area": area(b),
                "faces": [model.face_map.FindIndex(f) - 1 for f in Part(b, model.unit).faces],
                "solid": b.ShapeType().name == "TopAbs_SOLID",
                "sheet": k in sheets,
            }
            for k, b in enumerate(model.bodies)
        ]

    def without(self, model: Part, names: list[str]) -> Part | None:
        left = [k for k in range(len(model.bodies)) if model.body_name(k) not in names]
        return carried(model, [model.bodies[k] for k in left]) if left else None

    def wholes(self, facets: FacetPart) -> NDArray[np.int64]:
        return facets.body.astype(np.int64)

    def without_facets(
        self, model: Part, facets: FacetPart, gone: NDArray[np.bool_]
    ) -> Part | None:
        # by number: bodies of an assembly may share a name
        out = set(facets.body[gone].tolist())
        left = [body for k, body in enumerate(model.bodies) if k not in out]
        return carried(model, left) if left else None

    def zone_volumes(self, model: Part) -> list[float]:
        return [volume(s) for s in model.solids]

    def distances(self, model: Part, spot: Floats) -> Floats:
        return np.array([point_distance(spot, f) for f in model.faces], float)

    def inner_point(self, model: Part) -> Floats | None:
        if not model.solids:
            return None
        return domain.any_inside(max(model.solids, key=volume), 1e-7 * self.scale(model))

    def holds(self, model: Part, spot: Floats) -> bool:
        near = 1e-7 * self.scale(model)
        return any(domain.contains(s, spot, near) for s in model.solids)

    def curvature(self, model: Part, view: Drawn) -> Floats:
        return as_shown(model, [])[0].curvature

    def diagnosed(
        self,
        model: Part,
        progress: Progress = lambda share, doing: None,
        so_far: SoFar = lambda found: None,
    ) -> Diagnosed:
        told = diagnose(model, progress, so_far)
        return Diagnosed(
            tuple(told.findings),
            _segments(model, told.free_edges),
            _segments(model, told.branch_edges),
        )

    def passages(self, model: Part, closed: bool) -> Passages:
        if not model.solids:
            return Passages([], [], [], [])
        scale = self.scale(model)
        found: list[domain.Opening] = []
        spaces: list[domain.Space] = []
        trouble: list[Finding] = []
        try:
            host = passages_part(model)
            found, lost = domain.find_openings(host)
            if lost:
                trouble.append(_lost_openings(lost))
            spaces = domain.spaces(host, found) if found or len(host.faces) > 1 else []
        except _FAILURES as error:
            trouble.append(_unknown_spaces(error))
        return Passages(
            [
                {
                    "name": o.name,
                    "face": o.face,
                    "edges": list(o.edges),
                    "centre": rounded(list(o.centre), scale),
                    "normal": list(o.normal),
                    "area": o.area,
                    "diameter": o.diameter,
                }
                for o in found
            ],
            [
                {
                    "openings": list(s.openings),
                    "volume": s.volume,
                    "pin": rounded(list(s.pin), scale),
                }
                for s in spaces
            ],
            [
                {
                    "kind": f.kind,
                    "faces": [f"face_{n + 1}" for n in f.faces],
                    "size": f.size,
                    "centre": list(f.centre),
                }
                for f in find_features(model)
            ],
            trouble,
        )

    def prepared(self, model: Part, angle: float) -> Part:
        return model

    def tidied(self, model: Part) -> Part:
        return model

    def snapped(self, model: Part, face: int, at: Floats) -> Floats:
        return nearest_vertex_or_foot(model.faces[face], at, 0.01 * self.scale(model))

    def normal(self, model: Part, face: int, at: Floats) -> Floats:
        return face_normal(model.faces[face], at)

    def radius(self, model: Part, face: int) -> float:
        """Of a torus that of its tube."""
        surface = surface_of(model.faces[face])
        word = surface_word(model, face)
        if word == "cylinder":
            return float(surface.Cylinder().Radius())
        if word == "sphere":
            return float(surface.Sphere().Radius())
        if word == "torus":
            return float(surface.Torus().MinorRadius())
        return 0.0

    def gap(self, model: Part, one: int, other: int) -> float | None:
        return gap_between(model.faces[one], model.faces[other])

    def ahead(self, model: Part, start: Floats, direction: Floats, scale: float) -> float | None:
        return distance_ahead(model.shape, start, direction, scale)

    def drawn(self, model: Part) -> Drawn:
        facets, curves = as_shown(model, [])
        pairs = []
        for c in range(len(curves.ends)):
            # the nodes of the tessellation, so that lines lie on the facets' own edges
            line = curves.points[curves.start[c] : curves.start[c + 1] : DENSE]
            pairs.append(np.stack([line[:-1], line[1:]], axis=1))
        lines = np.concatenate(pairs) if pairs else np.zeros((0, 2, 3))
        return Drawn(facets.points, facets.triangles, facets.region, lines)

    def facets(self, model: Part, share: float) -> FacetPart:
        facets, _ = tessellate(model, share * self.scale(model), SHOWN_TURN, [])
        body_of = np.zeros(len(model.faces), np.int32)
        for b, body in enumerate(model.bodies):
            for face in Part(body, model.unit).faces:
                body_of[model.face_map.FindIndex(face) - 1] = b
        return FacetPart(
            facets.points,
            facets.triangles,
            facets.region,
            body_of[facets.region],
            tuple(self.face_names(model)),
            tuple(model.body_name(b) for b in range(len(model.bodies))),
            model.unit,
        )

    def meshing_input(self, model: Part, smallest: float, angle: float) -> tuple[Facets, Curves]:
        scale = self.scale(model)
        linear = max(min(0.05 * smallest, 2e-3 * scale), 2e-6 * scale)
        # in steps, so that sizes a little different are laid out on the same facets
        return tessellate(model, 2.0 ** math.floor(math.log2(linear)), min(angle / 2, 0.2))

    def turns(self, model: Part, facets: Facets, curves: Curves) -> Floats:
        return edge_turns(model, curve_edges(model), faces_beside(facets, curves))

    def settled(
        self,
        model: Part,
        curves: Curves,
        rough: RemeshedSurface,
        face: NDArray[np.int32],
    ) -> RemeshedSurface:
        return exact_positions(model, curves, rough, face)

    def named(self, model: Part, faces: tuple[str, ...], bodies: tuple[str, ...]) -> Part:
        return dataclasses.replace(model, body_names=bodies)

    def scaled(self, model: Part, factor: float) -> Part:
        return dataclasses.replace(model, shape=scaled(model.shape, factor))

    def joined(self, models: list[Part]) -> Part:
        names: list[str] = []
        for p in models:
            for k in range(len(p.bodies)):
                names.append(free_name(p.body_name(k), names))
        return Part(
            compound([b for p in models for b in p.bodies]),
            models[0].unit,
            tuple(names),
            tuple(p.face_name(k) for p in models for k in range(len(p.faces))),
            tuple(p.face_colour(k) for p in models for k in range(len(p.faces))),
        )

    def per_body(self, model: Part) -> dict[str, Part]:
        return {
            model.body_name(k): Part(compound([b]), model.unit, (model.body_name(k),))
            for k, b in enumerate(model.bodies)
        }

    def sheet(self, model: Part, name: str, faces: list[int]) -> Part:
        own = [f for n in faces for f in explore_face(model, n)]
        return Part(compound([sheet_of(own)]), model.unit, (name,))

    def file(self, model: Part, suffix: str) -> bytes | None:
        return _WRITERS[suffix](model)


def _segments(part: Part, edges: Any) -> NDArray[np.float32]:
    lines = [edge_samples(part.edges[e]) for e in edges]
    if not lines:
        return np.zeros((0, 2, 3), np.float32)
    return np.concatenate([np.stack([p[:-1], p[1:]], axis=1) for p in lines]).astype(np.float32)


def _lost_openings(places: list[list[float]]) -> Finding:
    return Finding(
        "opening-lost",
        "caution",
        "Openings that no face could be laid over, so that they cannot be closed in Domain.",
        len(places),
        places[:PLACES],
        "Cap the hole in Geometry, or rebuild the faces around it.",
        cause="The CAD kernel could not make a face on the rim.",
    )


def _unknown_spaces(error: Exception) -> Finding:
    why = error.message if isinstance(error, IntaglioError) else type(error).__name__
    return Finding(
        "spaces-unknown",
        "caution",
        f"The spaces that the part encloses could not be told: {why}",
        places=error.places[:PLACES] if isinstance(error, IntaglioError) else [],
        advice="Repair what is found above, or take the fluid around the part or as the part.",
        cause="The CAD kernel failed on this geometry.",
    )
