"""Working on geometry by pointer: ruler, growing selections, the enclosure, files of a stage."""

import functools

import numpy as np
from django.http import Http404, StreamingHttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from intaglio.parts.model import Product
from intaglio.parts.select import grow
from intaglio.parts.writing import GEOMETRY, PER, WRITTEN, patch_faces
from intaglio.settings.blanks import build
from intaglio.sizing.octree import SizeField, sizes
from intaglio.stages.domain.enclosed import enclosure_of
from intaglio.stages.domain.settings import Domain
from intaglio.stages.sizing.made import field_of
from sandbox import answers
from studies import asking
from studies.api.access import LOOK, variant_of
from studies.api.archives import pieces_of, sent, zipped
from studies.api.held import product_arrays, shown_product
from studies.api.shapes import (
    FacesShape,
    GrowShape,
    MeasuredShape,
    MeasureShape,
    PlacesShape,
    SizesShape,
)
from studies.api.variants import gives, variant_states
from studies.store import DatabaseStore


class MeasureView(APIView):
    @extend_schema(request=MeasureShape, responses=MeasuredShape)
    def post(self, request: Request, variant_id: int, stage: str) -> Response:
        """Distances, angle, radius, wall thickness between touched places of a stage's geometry."""
        variant = variant_of(request, variant_id, LOOK)
        if "model" not in gives(variant, stage):
            raise Http404("The ruler works on Geometry and Domain.")
        key = shown_product(variant, stage)
        shape = MeasureShape(data=request.data)
        shape.is_valid(raise_exception=True)
        asked = shape.validated_data
        question = answers.places(key, asked["first"], asked.get("second"))
        return Response(asking.found(variant.study_id, variant.study.file_name, question))


@functools.lru_cache(maxsize=2)
def _field(key: str) -> SizeField:
    arrays, report = product_arrays(key)
    return field_of(Product(arrays, report))


class SizesView(APIView):
    @extend_schema(request=PlacesShape, responses=SizesShape)
    def post(self, request: Request, variant_id: int) -> Response:
        """Edge lengths of the size field at places: one point, or points along a line."""
        key = shown_product(variant_of(request, variant_id, LOOK), "sizing")
        shape = PlacesShape(data=request.data)
        shape.is_valid(raise_exception=True)
        points = np.array(shape.validated_data["points"], float).reshape(-1, 3)
        return Response({"sizes": sizes(_field(key), points).tolist()})


class SelectView(APIView):
    @extend_schema(request=GrowShape, responses=FacesShape)
    def post(self, request: Request, variant_id: int, stage: str) -> Response:
        """The faces that a selection grows to."""
        variant = variant_of(request, variant_id, LOOK)
        if "model" not in gives(variant, stage):
            raise Http404("Faces are selected in Geometry and Domain.")
        key = shown_product(variant, stage, whole=False)
        shape = GrowShape(data=request.data)
        shape.is_valid(raise_exception=True)
        report = DatabaseStore().report(key) or {}
        return Response({"faces": grow(report, **shape.validated_data)})


class EnclosureView(APIView):
    @extend_schema(responses=OpenApiTypes.OBJECT)
    def get(self, request: Request, variant_id: int) -> Response:
        """The enclosure that the settings ask for, before anything is run."""
        states = {s.stage: s for s in variant_states(variant_of(request, variant_id))}
        report, domain = states["geometry"].report, states["domain"]
        if report is None or domain.settings is None or domain.error is not None:
            raise Http404("There is no geometry to enclose yet.")
        low, high = np.array(report["low"]), np.array(report["high"])
        settings = build("domain", Domain, domain.settings)
        shape = enclosure_of(settings, low, high)
        axis = int(np.abs(shape.along).argmax())
        return Response(
            {
                "shape": shape.shape,
                "along": shape.along.tolist(),
                "low": shape.low.tolist(),
                "high": shape.high.tolist(),
                "radius": shape.radius,
                "end_radius": shape.end_radius,
                "symmetry": shape.symmetry,
                "length": float((high - low)[axis]),
                "body": [low.tolist(), high.tolist()],
            }
        )


class GeometryView(APIView):
    @extend_schema(
        responses={(200, "application/octet-stream"): OpenApiTypes.BINARY},
        parameters=[OpenApiParameter(n, str) for n in ("as", "per")],
    )
    def get(self, request: Request, variant_id: int, stage: str) -> StreamingHttpResponse:
        """A stage's geometry as STEP, BREP, STL, OBJ or PLY; per body or patch as a zip."""
        variant = variant_of(request, variant_id)
        suffix = "." + request.query_params.get("as", "stl")
        per = request.query_params.get("per", "whole")
        if suffix not in WRITTEN or per not in PER:
            raise ValidationError(
                {"detail": f"Choose one of {', '.join(WRITTEN)}, per one of {', '.join(PER)}."}
            )
        given = gives(variant, stage)
        if not set(given) & set(GEOMETRY):
            raise Http404(f"The stage {stage} has no geometry to write.")
        key = shown_product(variant, stage)
        patches = None
        if per == "patch" and stage != "geometry":
            states = {s.stage: s.report for s in variant_states(variant)}
            settled, domain = states["patches"], states["domain"]
            if settled is not None and domain is not None:
                patches = patch_faces(settled, domain)
        stem = "".join(c if c.isalnum() or c in "-_" else "_" for c in variant.study.name)
        question = answers.files(key, given, suffix, per, f"{stem}_{stage}", patches)
        files = asking.files(variant.study_id, variant.study.file_name, question)
        kind = "application/octet-stream"
        if per == "whole":
            (name, data), *_ = files.items()
            return sent(pieces_of(data), name, kind)
        return sent(zipped(files), f"{stem}_{stage}.zip", kind)
