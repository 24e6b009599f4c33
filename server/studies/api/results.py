"""Results as binary: what the model view draws, slices, chosen cells, pictures, the export."""

from typing import Any

import numpy as np
from django.http import Http404, HttpResponse, StreamingHttpResponse
from django.utils import timezone
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from intaglio.mesh.drawing import boundary_arrays, cell_arrays, peeled_arrays, slice_arrays
from intaglio.mesh.thinning import thinned
from intaglio.parts.model import Product as CoreProduct
from intaglio.reporting.page import report_page
from intaglio.stages.domain.faces import both_sides
from intaglio.stages.layers.stack import stack_at
from intaglio_server.headers import REPORT
from studies.api.access import variant_of
from studies.api.archives import pieces_of, sent, zipped
from studies.api.flow import arrows_over, cells_coloured, flow_shown
from studies.api.held import (
    binary,
    coloured_by,
    layer_of,
    number,
    product_arrays,
    product_mesh,
    shown_product,
)
from studies.api.quality import STAGE, of_surface
from studies.api.shapes import StackShape
from studies.api.triangles import surface_shown
from studies.api.variants import gives, mesh_stage, variant_states
from studies.models import Product
from studies.store import DatabaseStore

# letters of a product's key by which a page asks for its picture
_TELLING = 16
_BINARY: dict[Any, Any] = {(200, "application/octet-stream"): OpenApiTypes.BINARY}


class ViewView(APIView):
    @extend_schema(responses=_BINARY, parameters=[OpenApiParameter("before", bool)])
    def get(self, request: Request, variant_id: int, stage: str) -> HttpResponse:
        """What the model view draws for a stage: points, triangles, their CAD face, lines; free
        edges and edges with more than two faces. before: the geometry as it was read."""
        variant = variant_of(request, variant_id)
        key = shown_product(variant, stage, whole=False)
        arrays, _ = product_arrays(key)
        told: dict[str, Any] = {"product": key}
        given = gives(variant, stage)
        if stage == "geometry" and request.query_params.get("before") == "true":
            names = ("before_points", "before_triangles", "before_region", "before_lines")
            if names[0] not in arrays:
                raise Http404("No repair has changed the geometry.")
            out = {n.removeprefix("before_"): arrays[n] for n in names}
        elif "mesh" in given:
            whole = boundary_arrays(product_mesh(key))
            out, fewer = thinned(whole)
            told |= {"triangles": len(whole["triangles"]), "thinned": fewer}
        elif "display_points" in arrays:
            names = ("display_points", "display_triangles", "display_region", "display_lines")
            out = {n.removeprefix("display_"): arrays[n] for n in names if n in arrays}
            out |= {n: arrays[n] for n in ("free_lines", "branch_lines") if n in arrays}
            for more in ("size", "cover", "first"):
                if f"display_{more}" in arrays:
                    out[more] = arrays[f"display_{more}"]
        elif "surface" in given:
            triangles, region = arrays["triangles"], arrays["region"]
            if "back" in arrays:
                triangles, region, _ = both_sides(triangles, region, arrays["back"])
            out = {
                "points": arrays["points"].astype(np.float32),
                "triangles": triangles,
                "region": region,
            }
        else:
            raise Http404("This stage has nothing to draw.")
        return binary(out, told)


class SliceView(APIView):
    @extend_schema(
        responses=_BINARY,
        parameters=[OpenApiParameter(n, float) for n in ("nx", "ny", "nz", "offset")]
        + [OpenApiParameter("metric", str)]
        + [OpenApiParameter("field", str, description="of the flow, instead of a metric")]
        + [OpenApiParameter(n, bool) for n in ("flat", "peel")],
    )
    def get(self, request: Request, variant_id: int) -> HttpResponse:
        """The whole cells that the plane n · x = offset crosses, as their outer faces; or the flat
        cut through them; or the layers alone, where n · x >= offset."""
        variant = variant_of(request, variant_id)
        key = shown_product(variant, mesh_stage(variant))
        normal = np.array([number(request, n) for n in ("nx", "ny", "nz")])
        length = float(np.linalg.norm(normal))
        if length == 0:
            raise ValidationError({"detail": "The plane's normal has no length."})
        offset = number(request, "offset")
        flat = request.query_params.get("flat") == "true"
        field = request.query_params.get("field")
        if field is None:
            value = coloured_by(request, key)
        else:
            value = cells_coloured(variant, key, field)
        normal = normal / length
        if request.query_params.get("peel") == "true":
            drawn, cells = peeled_arrays(product_mesh(key), layer_of(key), normal, offset, value)
            return binary(drawn, {"cells": cells})
        drawn, cells, step = slice_arrays(product_mesh(key), normal, offset, value, flat)
        if field == "arrows":
            held = drawn.get("lines", np.zeros((0, 2, 3), np.float32))
            drawn["lines"] = np.concatenate([held, arrows_over(variant, key, normal, offset)])
        return binary(drawn, {"cells": cells, "step": step})


class StackView(APIView):
    @extend_schema(
        responses=StackShape,
        parameters=[OpenApiParameter(n, float) for n in ("x", "y", "z")]
        + [OpenApiParameter("face", int)],
    )
    def get(self, request: Request, variant_id: int) -> Response:
        """The stack of layers at a place on a face of the domain. 404 where none are asked for."""
        key = shown_product(variant_of(request, variant_id), "layers")
        at = np.array([number(request, n) for n in ("x", "y", "z")])
        found = stack_at(CoreProduct(*product_arrays(key)), int(number(request, "face")), at)
        if found is None:
            raise Http404("No layers are asked for there.")
        return Response(found)


class CellsView(APIView):
    @extend_schema(
        responses=_BINARY,
        parameters=[STAGE, OpenApiParameter("metric", str)]
        + [OpenApiParameter(n, float) for n in ("low", "high")],
    )
    def get(self, request: Request, variant_id: int) -> HttpResponse:
        """The cells, or the triangles of the surface, whose metric lies between low and high; of
        the surface all if neither is given."""
        variant = variant_of(request, variant_id)
        if of_surface(request):
            surface = surface_shown(request, variant)
            low, high = number(request, "low", -np.inf), number(request, "high", np.inf)
            chosen = np.flatnonzero((surface.value >= low) & (surface.value <= high))
            return binary(surface.drawn(chosen), {"cells": len(chosen), "drawn": len(chosen)})
        key = shown_product(variant, mesh_stage(variant))
        values = coloured_by(request, key)
        low, high = number(request, "low"), number(request, "high")
        cells = np.flatnonzero((values >= low) & (values <= high))
        total = len(cells)
        if total > 60_000:
            cells = cells[np.linspace(0, total - 1, 60_000).astype(np.int64)]
        drawn = cell_arrays(product_mesh(key), cells, values)
        return binary(drawn, {"cells": total, "drawn": len(cells)})


class PictureView(APIView):
    @extend_schema(responses={(200, "image/png"): OpenApiTypes.BINARY})
    def get(self, request: Request, variant_id: int, stage: str) -> HttpResponse:
        """The stage's small picture."""
        variant = variant_of(request, variant_id)
        # a strip asks for eight: what the variant shows need not be worked out for each
        shown, asked = variant.shown.get(stage, ""), request.query_params.get("product", "")
        known = len(asked) >= _TELLING and shown.startswith(asked)
        known = known and Product.objects.filter(key=shown).exists()
        key = shown if known else shown_product(variant, stage, whole=False)
        arrays, _ = product_arrays(key)
        if "picture" not in arrays:
            raise Http404("This stage has no picture.")
        return HttpResponse(arrays["picture"].tobytes(), content_type="image/png")


class ReportView(APIView):
    @extend_schema(responses={(200, "text/html"): OpenApiTypes.STR})
    def get(self, request: Request, variant_id: int) -> HttpResponse:
        """What is up to date of a variant, on one page that prints."""
        variant = variant_of(request, variant_id)
        states = variant_states(variant)
        if not any(s.report is not None for s in states):
            raise Http404("Nothing is up to date yet. Run a stage first.")
        made = timezone.localtime().strftime("%Y-%m-%d %H:%M")
        study = variant.study
        condition, key = flow_shown(variant)
        store = DatabaseStore()
        proof = store.report(key) if condition == "current" and key else None
        page = report_page(states, store, study.name, variant.name, study.file_name, made, proof)
        response = HttpResponse(page, content_type="text/html; charset=utf-8")
        # it holds nothing that runs, and nothing of it may
        response["Content-Security-Policy"] = REPORT
        return response


class ExportView(APIView):
    @extend_schema(
        responses={(200, "application/zip"): OpenApiTypes.BINARY},
        parameters=[OpenApiParameter("file", str, description="one of its files alone")],
    )
    def get(self, request: Request, variant_id: int) -> StreamingHttpResponse:
        """Mesh and case in one zip, if they are up to date; or one of the files alone."""
        variant = variant_of(request, variant_id)
        state = variant_states(variant)[-1]
        if state.report is None or state.key is None:
            raise ValidationError({"detail": "Set up the case first; its result is out of date."})
        if not state.report["ready"]:
            errors = [f["message"] for f in state.report["findings"] if f["level"] == "error"]
            raise ValidationError({"detail": f"The case cannot be handed over: {' '.join(errors)}"})
        arrays, _ = product_arrays(state.key)
        files = {path: arrays[path] for path in state.report["files"]}
        one = request.query_params.get("file")
        if one is None:
            name = "".join(c if c.isalnum() or c in "-_" else "_" for c in variant.study.name)
            return sent(zipped(files), f"{name or 'study'}.zip", "application/zip")
        if one not in files:
            raise Http404(f"The export has no file {one}. It has {', '.join(files)}.")
        name = one.rsplit("/", 1)[-1]
        return sent(pieces_of(files[one]), name, "application/octet-stream")
