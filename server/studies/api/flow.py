"""The flow on what a variant hands over: asking for it, what it came to, fields and profiles."""

import csv
import io
from typing import Any

import numpy as np
from django.contrib.auth.models import User
from django.db import transaction
from django.http import Http404, HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from intaglio.mesh.drawing import rim_arrays
from intaglio.mesh.mesh import Mesh
from intaglio.proof.arrows import arrows
from intaglio.proof.convergence import convergence_table
from intaglio.proof.fields import BY_KEY, ZERO, cell_field, rim_field
from intaglio.proof.profile import Profile, profile
from intaglio.recipe.coarsening import coarser
from intaglio.recipe.proving import FLOW
from intaglio.units import MM_PER_UNIT
from studies.api.access import user_of, variant_of
from studies.api.held import (
    binary,
    number,
    product_arrays,
    product_mesh,
    shown_product,
    whole_number,
)
from studies.api.shapes import (
    ConvergenceShape,
    FlowAskedShape,
    FlowShape,
    GridsAskedShape,
    JobShape,
    MadeTrialsShape,
    ProfileShape,
)
from studies.api.variants import (
    changed_settings,
    free_name,
    mesh_stage,
    refuse_wrong,
    stages_through,
    variant_states,
)
from studies.ending import end_silent
from studies.looks import look_at
from studies.models import Job, Variant
from studies.room import refuse_crowd, refuse_full
from studies.store import DatabaseStore
from studies.tasks import enqueue

_BINARY: dict[Any, Any] = {(200, "application/octet-stream"): OpenApiTypes.BINARY}


def flow_shown(variant: Variant) -> tuple[str, str | None]:
    """Condition of a variant's flow and its product: what a job shows while it runs, else the last
    one, which is out of date where it was of another hand-over."""
    look = look_at(variant)
    if look is not None and look.look_stage == FLOW:
        return "looking", look.look
    key = variant.shown.get(FLOW)
    report = None if key is None else DatabaseStore().report(key)
    if report is None:
        return "none", None
    case = next(s for s in variant_states(variant) if s.stage == "case")
    return ("current" if case.key == report["case"] else "outdated"), key


def _drawable(variant: Variant, mesh_key: str | None = None) -> tuple[dict[str, Any], Mesh]:
    """Arrays of a variant's flow, and the mesh that it was computed on; mesh_key: that of the mesh
    they are to be drawn on, if not the one shown. Raises Http404."""
    key = variant.shown.get(FLOW)
    report = None if key is None else DatabaseStore().report(key)
    if key is None or report is None:
        raise Http404("No flow has been computed yet.")
    mesh_key = mesh_key or shown_product(variant, mesh_stage(variant))
    if mesh_key != report.get("mesh"):
        raise Http404("The flow was computed on another mesh: prove it again.")
    return product_arrays(key)[0], product_mesh(mesh_key)


def cells_coloured(variant: Variant, mesh_key: str, field: str) -> np.ndarray:
    """A field (c,) of the flow on the mesh's cells. Raises Http404, ValidationError."""
    if field not in BY_KEY or BY_KEY[field].of != "cell":
        raise ValidationError({"detail": f"Cells have no field called {field}."})
    arrays, _ = _drawable(variant, mesh_key)
    try:
        return cell_field(arrays, field)
    except KeyError as error:
        raise Http404("This flow has no temperatures.") from error


def arrows_over(variant: Variant, mesh_key: str, normal: np.ndarray, offset: float) -> np.ndarray:
    """Segments (k, 2, 3) of arrows over a plane through the flow. Raises Http404."""
    arrays, mesh = _drawable(variant, mesh_key)
    return arrows(mesh, arrays["velocity"], normal, offset)


class FlowView(APIView):
    @extend_schema(responses=FlowShape)
    def get(self, request: Request, variant_id: int) -> Response:
        """The flow as far as it is computed."""
        condition, key = flow_shown(variant_of(request, variant_id))
        report = None if key is None else DatabaseStore().report(key)
        return Response({"condition": condition, "product": key, "report": report})

    @extend_schema(request=FlowAskedShape, responses={202: JobShape})
    def post(self, request: Request, variant_id: int) -> Response:
        """Hand over what is out of date and compute so many iterations; go_on: after those that
        there are."""
        variant = variant_of(request, variant_id)
        shape = FlowAskedShape(data=request.data)
        shape.is_valid(raise_exception=True)
        asked = shape.validated_data
        if "case" not in [s.key for s in stages_through(variant)]:
            raise ValidationError({"detail": "A finished mesh has no case to compute a flow of."})
        refuse_wrong(variant)
        job = begin_flow(user_of(request), variant, asked["iterations"], asked["go_on"])
        return Response(JobShape(job).data, status=202)


def begin_flow(user: User, variant: Variant, iterations: int, go_on: bool = False) -> Job:
    """The job that computes a variant's flow: one that waits or runs already, or a new one."""
    condition, key = flow_shown(variant)
    with transaction.atomic():
        Variant.objects.select_for_update().get(id=variant.id)
        end_silent(variant.jobs.all())
        running = variant.jobs.filter(
            target=FLOW, state__in=[Job.State.WAITING, Job.State.RUNNING], cancel_asked=False
        ).first()
        if running is not None:
            return running
        refuse_crowd(user)
        refuse_full(variant.study.owner)
        before = key if go_on and condition == "current" else None
        job = Job.objects.create(
            owner=user,
            study=variant.study,
            variant=variant,
            source=variant.study.source,
            file_name=variant.study.file_name,
            target=FLOW,
            settings={**variant.settings, FLOW: {"iterations": iterations, "before": before}},
        )
        enqueue(job)
    return job


# stages that variants of one case on several grids have in common
_CASE = ("geometry", "domain", "patches", "case")


def _alike(one: Variant, other: Variant) -> bool:
    """Whether two variants differ in nothing but their grids."""
    held = [
        {s.stage: s.settings for s in variant_states(v) if s.stage in _CASE} for v in (one, other)
    ]
    return held[0] == held[1]


class ConvergenceView(APIView):
    @extend_schema(responses=ConvergenceShape)
    def get(self, request: Request, variant_id: int) -> Response:
        """How the results depend on the grid, over those of the study's variants that differ from
        this one in nothing else, and whose flow is up to date."""
        variant = variant_of(request, variant_id)
        proofs = []
        for other in variant.study.variants.all():
            condition, key = flow_shown(other)
            report = DatabaseStore().report(key) if condition == "current" and key else None
            if report is not None and report["verdict"] != "failed" and _alike(variant, other):
                proofs.append((other.id, other.name, report))
        return Response(convergence_table(proofs))

    @extend_schema(request=GridsAskedShape, responses={201: MadeTrialsShape})
    def post(self, request: Request, variant_id: int) -> Response:
        """Branch two variants with grids coarser by a ratio and its square, and compute the flow of
        all three, as far as it is not up to date. If one cannot be made none is."""
        source = variant_of(request, variant_id)
        shape = GridsAskedShape(data=request.data)
        shape.is_valid(raise_exception=True)
        asked = shape.validated_data
        held = {s.stage: s.settings for s in variant_states(source) if s.settings is not None}
        if not {"sizing", "layers"} <= set(held):
            raise ValidationError({"detail": "Settle the sizes first: run the variant to Sizing."})
        refuse_wrong(source)
        user, made = user_of(request), []
        with transaction.atomic():
            for power in (1, 2):
                by = asked["ratio"] ** power
                variant = Variant.objects.create(
                    study=source.study,
                    name=free_name(source.study, f"{source.name[:40]}, edges × {by:.2f}"),
                    settings=changed_settings(source.settings, coarser(held, by)),
                    shown=source.shown,
                )
                refuse_wrong(variant)
                made.append(variant)
        wanted = made if flow_shown(source)[0] == "current" else [source, *made]
        jobs = [begin_flow(user, variant, asked["iterations"]) for variant in wanted]
        return Response(MadeTrialsShape({"variants": made, "jobs": jobs}).data, status=201)


class FlowWallsView(APIView):
    @extend_schema(responses=_BINARY, parameters=[OpenApiParameter("field", str)])
    def get(self, request: Request, variant_id: int) -> HttpResponse:
        """The boundary with the values of a field that it has."""
        variant = variant_of(request, variant_id)
        field = request.query_params.get("field", "wall_pressure")
        if field not in BY_KEY or BY_KEY[field].of != "rim":
            raise ValidationError({"detail": f"The boundary has no field called {field}."})
        arrays, mesh = _drawable(variant)
        try:
            values = rim_field(mesh, arrays, field)
        except KeyError as error:
            raise Http404("This flow has no temperatures.") from error
        return binary(rim_arrays(mesh, values))


class FlowProfileView(APIView):
    @extend_schema(
        responses=ProfileShape,
        parameters=[OpenApiParameter(f"{a}{k}", float) for k in (0, 1) for a in "xyz"]
        + [OpenApiParameter("count", int), OpenApiParameter("as", str, enum=["csv"])],
    )
    def get(self, request: Request, variant_id: int) -> Response | HttpResponse:
        """The flow along a line from (x0, y0, z0) to (x1, y1, z1) in the study's unit; as CSV, in
        SI units."""
        variant = variant_of(request, variant_id)
        start, end = (np.array([number(request, f"{a}{k}") for a in "xyz"]) for k in (0, 1))
        count = whole_number(request, "count", 101, 2, 2001)
        if not np.linalg.norm(end - start) > 0:
            raise ValidationError({"detail": "The line has no length."})
        arrays, mesh = _drawable(variant)
        made = profile(mesh, arrays, start, end, count)
        if request.query_params.get("as") == "csv":
            return _csv(made, [start, end], mesh.unit)
        return Response(
            {
                "distance": _plain(made.distance),
                "velocity": [_plain(row) for row in made.velocity],
                "speed": _plain(np.linalg.norm(made.velocity, axis=1)),
                "pressure": _plain(made.pressure),
                "temperature": _plain(made.temperature - ZERO),
            }
        )


def _plain(values: Any) -> list[float | None]:
    return [float(v) if np.isfinite(v) else None for v in values]


def _csv(made: Profile, ends: list[Any], unit: str) -> HttpResponse:
    metres = MM_PER_UNIT[unit] * 1e-3
    share = (made.distance / made.distance[-1])[:, None]
    places = ((1.0 - share) * ends[0] + share * ends[1]) * metres
    text = io.StringIO()
    rows = csv.writer(text)
    rows.writerow(["x m", "y m", "z m", "u m/s", "v m/s", "w m/s", "p Pa", "T K"])
    rows.writerows(
        np.column_stack([places, made.velocity, made.pressure, made.temperature]).tolist()
    )
    response = HttpResponse(text.getvalue(), content_type="text/csv; charset=utf-8")
    response["Content-Disposition"] = 'attachment; filename="profile.csv"'
    return response
