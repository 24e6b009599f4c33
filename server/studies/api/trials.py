"""Several variants at once: making and running them, and setting them side by side."""

from typing import Any

from django.db import transaction
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from intaglio.proof.comparing import compared_flows
from intaglio.quality.catalogue import BY_KEY as METRIC
from intaglio.quality.comparing import compared, shared_histograms
from intaglio.recipe.differences import settings_rows
from intaglio.stages.registry import BY_KEY
from studies.api.access import study_of, user_of
from studies.api.flow import flow_shown
from studies.api.held import product_values, whole_number
from studies.api.shapes import ComparisonShape, MadeTrialsShape, TrialsShape
from studies.api.variants import (
    begin_run,
    changed_settings,
    free_name,
    mesh_stage,
    product_shown,
    refuse_wrong,
    variant_states,
)
from studies.looks import look_at
from studies.models import Study, Variant
from studies.store import DatabaseStore

MOST = 4


class TrialsView(APIView):
    @extend_schema(request=TrialsShape, responses={201: MadeTrialsShape})
    def post(self, request: Request, study_id: int) -> Response:
        """Branch a variant for each trial, change its settings, and run them all to a stage. If one
        cannot be used none is made."""
        study = study_of(request, study_id)
        shape = TrialsShape(data=request.data)
        shape.is_valid(raise_exception=True)
        asked = shape.validated_data
        if asked["target"] not in BY_KEY:
            raise ValidationError({"detail": f"There is no stage called {asked['target']}."})
        if len(asked["trials"]) > MOST:
            raise ValidationError({"detail": f"No more than {MOST} variants at once."})
        source = study.variants.filter(id=asked["source"]).first()
        if source is None:
            raise ValidationError({"detail": "The study has no such variant to branch from."})
        made, jobs = [], []
        with transaction.atomic():
            for trial in asked["trials"]:
                variant = Variant.objects.create(
                    study=study,
                    name=free_name(study, trial["name"]),
                    settings=changed_settings(source.settings, trial["settings"]),
                    shown=source.shown,
                )
                refuse_wrong(variant)
                made.append(variant)
                jobs.append(begin_run(user_of(request), variant, asked["target"]))
        return Response(MadeTrialsShape({"variants": made, "jobs": jobs}).data, status=201)


class ComparisonView(APIView):
    @extend_schema(
        responses=ComparisonShape,
        parameters=[
            OpenApiParameter("variants", str),
            OpenApiParameter("metric", str),
            OpenApiParameter("bars", int),
        ],
    )
    def get(self, request: Request, study_id: int) -> Response:
        """Two to four variants of a study side by side: settings, figures of their meshes, and bars
        of one metric over one axis."""
        study = study_of(request, study_id)
        variants = _asked_variants(study, request.query_params.get("variants", ""))
        metric = METRIC.get(request.query_params.get("metric", "equiangle_skewness"))
        if metric is None:
            raise ValidationError({"detail": "There is no such metric."})
        bars = whole_number(request, "bars", 24, 1, 200)
        heads, settings, reports, keys = [], [], [], []
        for variant in variants:
            states = {s.stage: s for s in variant_states(variant)}
            meshed = states[mesh_stage(variant)]
            condition, key = product_shown(variant, meshed, look_at(variant))
            settings.append({stage: s.settings for stage, s in states.items()})
            known = condition == "current"
            heads.append({"id": variant.id, "name": variant.name, "condition": condition})
            keys.append(key if known else None)
            reports.append(meshed.report if known else None)
        return Response(
            {
                "variants": heads,
                "settings": settings_rows(settings),
                "figures": _figures(reports) + compared_flows([_flow_of(v) for v in variants]),
                "histogram": _bars(keys, metric, bars),
                "metric": metric.key,
            }
        )


def _flow_of(variant: Variant) -> Any:
    """The report of a variant's flow, if it is up to date."""
    condition, key = flow_shown(variant)
    return DatabaseStore().report(key) if condition == "current" and key else None


def _asked_variants(study: Study, listed: str) -> list[Variant]:
    try:
        numbers = [int(part) for part in listed.split(",")]
    except ValueError as error:
        raise ValidationError({"detail": "variants needs numbers, as in 3,4,5."}) from error
    if not 2 <= len(numbers) <= MOST or len(set(numbers)) < len(numbers):
        raise ValidationError({"detail": f"Choose two to {MOST} variants, each once."})
    held = {v.id: v for v in study.variants.filter(id__in=numbers)}
    if len(held) < len(numbers):
        raise ValidationError({"detail": "The study has no such variant."})
    return [held[n] for n in numbers]


def _figures(reports: list[Any]) -> list[Any]:
    """Rows of those variants that have a mesh; the others have no figures."""
    known = [r for r in reports if r is not None]
    if not known:
        return []
    out = []
    for row in compared(known):
        values = iter(row["values"])
        best = row["best"]
        if best is not None:
            best = [k for k, r in enumerate(reports) if r is not None][best]
        filled = [next(values) if r is not None else None for r in reports]
        out.append({**row, "values": filled, "best": best})
    return out


def _bars(keys: list[str | None], metric: Any, bars: int) -> Any:
    values = [
        product_values(key).of_cells(metric.key)
        for key in keys
        if key is not None and metric.key in product_values(key).known()
    ]
    if not values:
        return None
    told = shared_histograms(values, metric, bars)
    shares = iter(told["shares"])
    counts = iter(told["counts"])
    has = [k is not None and metric.key in product_values(k).known() for k in keys]
    return {
        "edges": told["edges"],
        "shares": [next(shares) if known else None for known in has],
        "counts": [next(counts) if known else None for known in has],
    }
