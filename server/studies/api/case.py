"""What a variant's case comes to as its settings stand, before it is run."""

from django.http import Http404
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from intaglio.stages.case.foretold import foretold
from studies.api.access import variant_of
from studies.api.shapes import ForetoldShape
from studies.api.variants import variant_states


class CaseView(APIView):
    @extend_schema(responses=ForetoldShape)
    def get(self, request: Request, variant_id: int) -> Response:
        """Inflows, materials and findings. 404 while domain or patches are not settled; 400 where a
        setting cannot be used."""
        states = {s.stage: s for s in variant_states(variant_of(request.user, variant_id))}
        case, domain, patches = (states[key] for key in ("case", "domain", "patches"))
        if case.error is not None:
            raise case.error
        if case.settings is None or domain.report is None or patches.report is None:
            raise Http404("The patches are not settled yet.")
        # a case that was set up before tells the rims
        meshed = case.report["patches"] if case.report is not None else ()
        return Response(foretold(case.settings, domain.report, patches.report, meshed))
