"""The quality of a variant's mesh: bars of a metric, its worst cells, the cells around one."""

from typing import Any

import numpy as np
from django.http import Http404, HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from intaglio.mesh.drawing import cell_arrays
from intaglio.mesh.neighbours import cells_around
from intaglio.quality.catalogue import BY_KEY
from intaglio.quality.limits import CELLS, TRIANGLES, Judge, limits_of
from intaglio.quality.statistics import histogram, spread
from intaglio.quality.worst import beyond, described, worst_cells
from intaglio.quality.worst_triangles import triangles_around
from studies.api.access import variant_of
from studies.api.held import (
    asked_metric,
    binary,
    coloured_by,
    layer_of,
    number,
    product_arrays,
    product_values,
    shown_product,
    whole_number,
)
from studies.api.shapes import QualityShape
from studies.api.triangles import surface_shown
from studies.api.variants import mesh_stage, surface_stage, variant_states
from studies.models import Variant

MOST_BARS = 200
MOST_LISTED = 200
MOST_RINGS = 6


STAGE = OpenApiParameter("stage", str, enum=["mesh", "surface"])


def of_surface(request: Request) -> bool:
    """Whether a request asks for the triangles of the surface mesh instead of cells."""
    return request.query_params.get("stage") == "surface"


def face_names(variant: Variant, faces: list[str]) -> list[str]:
    """The patch that each face of the domain belongs to now, or the face's own name."""
    names = dict.fromkeys(faces, "")
    for state in variant_states(variant):
        if state.stage == "patches" and state.report is not None:
            for patch in state.report["patches"]:
                names |= dict.fromkeys(patch["faces"], patch["name"])
    return [names[face] or face for face in faces]


class QualityView(APIView):
    @extend_schema(
        responses=QualityShape,
        parameters=[STAGE, OpenApiParameter("metric", str)]
        + [OpenApiParameter(n, int) for n in ("bars", "worst")]
        + [OpenApiParameter(n, float) for n in ("low", "high")],
    )
    def get(self, request: Request, variant_id: int) -> Response:
        """One metric of the mesh, or of the surface's: its spread, bars between low and high, how
        many cells or triangles are beyond its limit, and the worst with their causes."""
        variant = variant_of(request, variant_id)
        bars = whole_number(request, "bars", 24, 1, MOST_BARS)
        listed = whole_number(request, "worst", 10, 0, MOST_LISTED)
        ends = [
            number(request, name) if name in request.query_params else None
            for name in ("low", "high")
        ]
        if of_surface(request):
            surface = surface_shown(request, variant)
            key, metric, of_cells = surface.key, surface.metric, surface.value
            samples = of_cells
            cells = worst_cells(of_cells, metric.large_is_bad, listed)
            rows = surface.described(cells, face_names(variant, surface.faces))
            limit = _limit_of(variant, surface_stage(variant), TRIANGLES, metric.key)
        else:
            key = shown_product(variant, mesh_stage(variant))
            metric = BY_KEY[asked_metric(request, key)]
            values = product_values(key)
            of_cells, samples = values.of_cells(metric.key), values.samples(metric.key)
            cells = worst_cells(of_cells, metric.large_is_bad, listed)
            names = face_names(variant, product_arrays(key)[1].get("faces", []))
            rows = described(values.mesh, cells, of_cells[cells], layer_of(key), names)
            limit = _limit_of(variant, mesh_stage(variant), CELLS, metric.key)
        if not len(samples):
            raise Http404(f"No cell of this mesh has a value of {metric.label.lower()}.")
        return Response(
            {
                "metric": metric.key,
                "product": key,
                "spread": spread(samples),
                "cells": len(of_cells),
                "histogram": histogram(of_cells, metric, bars, *ends),
                "limit": limit,
                "beyond": None if limit is None else int(beyond(of_cells, metric, limit).sum()),
                "worst": rows,
            }
        )


def _limit_of(variant: Variant, stage: str, judge: Judge, metric: str) -> float | None:
    """The limit of a metric that the variant's mesh is judged by."""
    for state in variant_states(variant):
        if state.stage == stage and state.settings is not None:
            rows = limits_of(state.settings["limits"], state.settings["own_limits"], judge)
            return next((row.value for row in rows if row.metric == metric), None)
    return None


class AroundView(APIView):
    @extend_schema(
        responses={(200, "application/octet-stream"): OpenApiTypes.BINARY},
        parameters=[
            STAGE,
            OpenApiParameter("cell", int),
            OpenApiParameter("rings", int),
            OpenApiParameter("metric", str),
        ],
    )
    def get(self, request: Request, variant_id: int) -> HttpResponse:
        """A cell and those around it: so many rings of cells that share a node. rings 0: the cell
        alone. Of a surface the same of triangles."""
        variant = variant_of(request, variant_id)
        if of_surface(request):
            surface = surface_shown(request, variant)
            cell = whole_number(request, "cell", -1, 0, len(surface.triangles) - 1)
            rings = whole_number(request, "rings", 1, 0, MOST_RINGS)
            chosen = triangles_around(surface.triangles, np.array([cell]), rings)
            drawn, own = surface.drawn(chosen), surface.drawn(np.array([cell]))
            return binary(_with_own(drawn, own), {"cells": len(chosen)})
        key = shown_product(variant, mesh_stage(variant))
        mesh = product_values(key).mesh
        cell = whole_number(request, "cell", -1, 0, mesh.cells - 1)
        rings = whole_number(request, "rings", 1, 0, MOST_RINGS)
        value = coloured_by(request, key)
        chosen = cells_around(mesh, np.array([cell]), rings)
        drawn = cell_arrays(mesh, chosen, value)
        own = cell_arrays(mesh, np.array([cell]), value)
        return binary(_with_own(drawn, own), {"cells": len(chosen)})


def _with_own(drawn: dict[str, Any], own: dict[str, Any]) -> dict[str, Any]:
    return {**drawn, **{f"own_{name}": a for name, a in own.items()}}
