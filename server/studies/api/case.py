"""What a variant's case comes to as its settings stand, before it is run."""

import contextlib
from collections.abc import Mapping, Sequence
from typing import Any

from django.http import Http404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from intaglio.case.setup import CaseSetup
from intaglio.errors import SettingRejected
from intaglio.recipe.plan import StageState
from intaglio.stages.case.foretold import back, case_of, foretold
from intaglio.stages.layers.foretold import foretold as layers_told
from studies.api.access import LOOK, variant_of
from studies.api.shapes import BackShape, ForetoldShape
from studies.api.variants import variant_states

Settings = Mapping[str, Any]
Report = Mapping[str, Any]
Rows = Sequence[Mapping[str, Any]]


def _settled(variant_id: int, request: Request) -> tuple[Settings, Report, Report, Rows]:
    """Settings of Case, what Domain and Patches tell, and rows of patches that tell their rims."""
    states = {s.stage: s for s in variant_states(variant_of(request, variant_id, LOOK))}
    case, domain, patches = (states[key] for key in ("case", "domain", "patches"))
    if case.error is not None:
        raise case.error
    if case.settings is None or domain.report is None or patches.report is None:
        raise Http404("The patches are not settled yet.")
    # a case that was set up before tells the rims
    meshed = case.report["patches"] if case.report is not None else ()
    return case.settings, domain.report, patches.report, meshed


class CaseView(APIView):
    @extend_schema(responses=ForetoldShape)
    def get(self, request: Request, variant_id: int) -> Response:
        """Inflows, materials and findings. 404 while domain or patches are not settled; 400 where a
        setting cannot be used."""
        return Response(foretold(*_settled(variant_id, request)))


class LayersView(APIView):
    @extend_schema(responses={200: OpenApiTypes.OBJECT})
    def get(self, request: Request, variant_id: int) -> Response:
        """What rows of layers, and of layers divided again, come to, and the flow past the walls as
        `LayersTold` describes it. 400 where a row cannot be used."""
        states = {s.stage: s for s in variant_states(variant_of(request, variant_id, LOOK))}
        rows: dict[str, list[dict[str, Any]]] = {}
        for stage, name in (("layers", "layers"), ("volume", "divisions")):
            state = states.get(stage)
            if state is not None and state.error is not None:
                raise state.error
            rows[name] = (state.settings or {}).get(name, []) if state is not None else []
        reports = {key: s.report for key, s in states.items() if s.report is not None}
        # a mesh from elsewhere has no part
        unit = (reports.get("geometry") or reports.get("domain") or {}).get("unit", "mm")
        told = layers_told(rows["layers"], rows["divisions"], unit, _case(states), reports)
        return Response(told)


def _case(states: Mapping[str, StageState]) -> CaseSetup | None:
    """The case as far as it can be told: a row of it that cannot be used is told elsewhere."""
    case, domain, patches = (states.get(key) for key in ("case", "domain", "patches"))
    if case is None or domain is None or patches is None or case.settings is None:
        return None
    if case.error is not None or domain.report is None or patches.report is None:
        return None
    meshed = case.report["patches"] if case.report is not None else ()
    with contextlib.suppress(SettingRejected):
        return case_of(case.settings, domain.report, patches.report, meshed)
    return None


class BackView(APIView):
    @extend_schema(request=BackShape, responses=OpenApiTypes.OBJECT)
    def post(self, request: Request, variant_id: int) -> Response:
        """The settings of Case that give a Reynolds number; nothing is changed."""
        settled = _settled(variant_id, request)
        shape = BackShape(data=request.data)
        shape.is_valid(raise_exception=True)
        return Response(back(*settled, **shape.validated_data))
