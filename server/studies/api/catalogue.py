"""What the core describes: stages, operations, lists; and whether the server is well."""

from typing import Any

from django.db import DatabaseError, connection
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from intaglio.parts.operations import description as operations
from intaglio.stages.finished import FINISHED_STAGES
from intaglio.stages.lists import lists
from intaglio.stages.registry import STAGES, description
from studies.api.shapes import (
    HealthShape,
    ListsShape,
    OperationShape,
    StageShape,
)
from studies.children import unguarded


class HealthView(APIView):
    authentication_classes: list[Any] = []
    permission_classes = [AllowAny]

    @extend_schema(responses={200: HealthShape, 503: HealthShape})
    def get(self, request: Request) -> Response:
        """Whether the server and its database answer, and whether what reads foreign files is kept
        from all else; nothing more is told."""
        told = {"server": True, "guarded": not unguarded()}
        try:
            with connection.cursor() as cursor:
                cursor.execute("SELECT 1")
        except DatabaseError:
            return Response({**told, "database": False}, status=503)
        return Response({**told, "database": True})


class OperationsView(APIView):
    @extend_schema(responses=OperationShape(many=True))
    def get(self, request: Request) -> Response:
        """All repairs and motions of the geometry, with their blanks."""
        return Response(operations())


class StagesView(APIView):
    @extend_schema(
        responses=StageShape(many=True),
        parameters=[OpenApiParameter("kind", enum=["part", "mesh"])],
    )
    def get(self, request: Request) -> Response:
        """The stages of a study that begins with a part, or with a finished mesh."""
        finished = request.query_params.get("kind") == "mesh"
        return Response(description(FINISHED_STAGES if finished else STAGES))


class ListsView(APIView):
    @extend_schema(responses=ListsShape)
    def get(self, request: Request) -> Response:
        """Metrics, units, kinds, clusterings, shapes and formats that there are."""
        return Response(lists())
