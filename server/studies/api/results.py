"""Results as binary: what the model view draws, slices, chosen cells, pictures, the export."""

import functools
from typing import Any

import numpy as np
from django.http import Http404, HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from numpy.typing import NDArray
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from intaglio.mesh.drawing import boundary_arrays, cell_arrays, peeled_arrays, slice_arrays
from intaglio.mesh.mesh import Mesh
from intaglio.mesh.pack import pack, unpack
from intaglio.mesh.quality import METRICS
from intaglio.parts.model import Product as CoreProduct
from intaglio.stages.domain.faces import both_sides
from intaglio.stages.layers.stack import stack_at
from intaglio.stages.volume import volume_mesh
from studies.api.access import variant_of
from studies.api.shapes import StackShape
from studies.api.variants import product_shown, variant_states
from studies.looks import look_at
from studies.models import Product, Variant
from studies.problems import Conflict
from studies.store import load_bytes

_BINARY = {(200, "application/octet-stream"): OpenApiTypes.BINARY}


@functools.lru_cache(maxsize=4)
def product_arrays(key: str) -> tuple[dict[str, NDArray[Any]], dict[str, Any]]:
    return unpack(load_bytes(key))


def shown_product(variant: Variant, stage: str, whole: bool = True) -> str:
    """Key of what the variant shows for a stage; whole: it must be all that the stage makes. Raises
    Http404 if it has nothing yet, Conflict while it is not whole."""
    look = look_at(variant)
    for state in variant_states(variant):
        if state.stage == stage:
            condition, key = product_shown(variant, state, look)
            if condition == "looking" and whole:
                raise Conflict("The part is still being looked at. Try again when that is done.")
            if key is not None and Product.objects.filter(key=key).exists():
                return key
    raise Http404("This stage has no result yet.")


def _binary(arrays: dict[str, NDArray[Any]], meta: Any = None) -> HttpResponse:
    response = HttpResponse(pack(arrays, meta), content_type="application/octet-stream")
    response["Cache-Control"] = "private, no-cache"
    return response


def _number(request: Request, name: str, default: float | None = None) -> float:
    raw = request.query_params.get(name)
    if raw is None and default is not None:
        return default
    try:
        value = float(raw or "")
    except (TypeError, ValueError) as error:
        raise ValidationError({"detail": f"{name} needs a number."}) from error
    if not np.isfinite(value):
        raise ValidationError({"detail": f"{name} needs a finite number."})
    return value


class ViewView(APIView):
    @extend_schema(responses=_BINARY, parameters=[OpenApiParameter("before", bool)])
    def get(self, request: Request, variant_id: int, stage: str) -> HttpResponse:
        """What the model view draws for a stage: points, triangles, their CAD face, lines; free
        edges and edges with more than two faces. before: the geometry as it was read."""
        key = shown_product(variant_of(request.user, variant_id), stage, whole=False)
        arrays, _ = product_arrays(key)
        if stage == "geometry" and request.query_params.get("before") == "true":
            names = ("before_points", "before_triangles", "before_region", "before_lines")
            if names[0] not in arrays:
                raise Http404("No repair has changed the geometry.")
            out = {n.removeprefix("before_"): arrays[n] for n in names}
        elif stage in ("geometry", "domain", "sizing", "layers"):
            names = ("display_points", "display_triangles", "display_region", "display_lines")
            out = {n.removeprefix("display_"): arrays[n] for n in names if n in arrays}
            out |= {n: arrays[n] for n in ("free_lines", "branch_lines") if n in arrays}
            for more in ("size", "cover", "first"):
                if f"display_{more}" in arrays:
                    out[more] = arrays[f"display_{more}"]
        elif stage == "surface":
            triangles, region, angle = (arrays[n] for n in ("triangles", "region", "angle"))
            if "back" in arrays:
                triangles, region, of = both_sides(triangles, region, arrays["back"])
                angle = angle[of]
            out = {
                "points": arrays["points"].astype(np.float32),
                "triangles": triangles,
                "region": region,
                "angle": angle,
            }
        elif stage == "volume":
            out = boundary_arrays(product_mesh(key))
        else:
            raise Http404("This stage has nothing to draw.")
        return _binary(out, {"product": key})


@functools.lru_cache(maxsize=2)
def product_mesh(key: str) -> Mesh:
    arrays, report = product_arrays(key)
    return volume_mesh(CoreProduct(arrays, report))


def _metric(request: Request) -> str:
    metric = request.query_params.get("metric", METRICS[0].key)
    if metric not in [m.key for m in METRICS]:
        raise ValidationError({"detail": f"There is no metric called {metric}."})
    return metric


class SliceView(APIView):
    @extend_schema(
        responses=_BINARY,
        parameters=[OpenApiParameter(n, float) for n in ("nx", "ny", "nz", "offset")]
        + [OpenApiParameter("metric", str)]
        + [OpenApiParameter(n, bool) for n in ("flat", "peel")],
    )
    def get(self, request: Request, variant_id: int) -> HttpResponse:
        """The whole cells that the plane n · x = offset crosses, as their outer faces; or the flat
        cut through them; or the layers alone, where n · x >= offset."""
        key = shown_product(variant_of(request.user, variant_id), "volume")
        arrays, _ = product_arrays(key)
        normal = np.array([_number(request, n) for n in ("nx", "ny", "nz")])
        length = float(np.linalg.norm(normal))
        if length == 0:
            raise ValidationError({"detail": "The plane's normal has no length."})
        metric = _metric(request)
        offset = _number(request, "offset")
        flat = request.query_params.get("flat") == "true"
        value = arrays[f"metric_{metric}"]
        if request.query_params.get("peel") == "true":
            layer = arrays.get("layer", np.zeros(len(value), np.int32))
            drawn, cells = peeled_arrays(product_mesh(key), layer, normal / length, offset, value)
            return _binary(drawn, {"cells": cells})
        drawn, cells = slice_arrays(product_mesh(key), normal / length, offset, value, flat)
        return _binary(drawn, {"cells": cells})


class StackView(APIView):
    @extend_schema(
        responses=StackShape,
        parameters=[OpenApiParameter(n, float) for n in ("x", "y", "z")]
        + [OpenApiParameter("face", int)],
    )
    def get(self, request: Request, variant_id: int) -> Response:
        """The stack of layers at a place on a face of the domain. 404 where none are asked for."""
        key = shown_product(variant_of(request.user, variant_id), "layers")
        at = np.array([_number(request, n) for n in ("x", "y", "z")])
        found = stack_at(CoreProduct(*product_arrays(key)), int(_number(request, "face")), at)
        if found is None:
            raise Http404("No layers are asked for there.")
        return Response(found)


class CellsView(APIView):
    @extend_schema(
        responses=_BINARY,
        parameters=[OpenApiParameter("metric", str)]
        + [OpenApiParameter(n, float) for n in ("low", "high")],
    )
    def get(self, request: Request, variant_id: int) -> HttpResponse:
        """The cells whose metric lies between low and high."""
        key = shown_product(variant_of(request.user, variant_id), "volume")
        arrays, _ = product_arrays(key)
        metric = _metric(request)
        values = arrays[f"metric_{metric}"]
        low, high = _number(request, "low"), _number(request, "high")
        cells = np.flatnonzero((values >= low) & (values <= high))
        total = len(cells)
        if total > 60_000:
            cells = cells[np.linspace(0, total - 1, 60_000).astype(np.int64)]
        drawn = cell_arrays(product_mesh(key), cells, values)
        return _binary(drawn, {"cells": total, "drawn": len(cells)})


class PictureView(APIView):
    @extend_schema(responses={(200, "image/png"): OpenApiTypes.BINARY})
    def get(self, request: Request, variant_id: int, stage: str) -> HttpResponse:
        """The stage's small picture."""
        key = shown_product(variant_of(request.user, variant_id), stage, whole=False)
        arrays, _ = product_arrays(key)
        if "picture" not in arrays:
            raise Http404("This stage has no picture.")
        response = HttpResponse(arrays["picture"].tobytes(), content_type="image/png")
        response["Cache-Control"] = "private, max-age=3600"
        return response


class ExportView(APIView):
    @extend_schema(responses={(200, "application/zip"): OpenApiTypes.BINARY})
    def get(self, request: Request, variant_id: int) -> HttpResponse:
        """Mesh and case in one zip, if they are up to date."""
        variant = variant_of(request.user, variant_id)
        state = variant_states(variant)[-1]
        if state.report is None or state.key is None:
            raise ValidationError({"detail": "Set up the case first; its result is out of date."})
        arrays, _ = product_arrays(state.key)
        name = "".join(c if c.isalnum() or c in "-_" else "_" for c in variant.study.name)
        response = HttpResponse(arrays["zip"].tobytes(), content_type="application/zip")
        response["Content-Disposition"] = f'attachment; filename="{name or "study"}.zip"'
        return response
