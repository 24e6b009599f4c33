"""Showing a study to others, and taking that back."""

from typing import Any

from django.contrib.auth.models import User
from django.http import Http404
from drf_spectacular.utils import extend_schema
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from accounts.record import record
from studies.api.access import OWN, study_of
from studies.api.shapes import ShareAskedShape, ShareShape
from studies.ending import cancel
from studies.models import Share, Study


def _rows(study: Study) -> list[dict[str, Any]]:
    return [
        {"id": s.pk, "name": s.user.get_username(), "works": s.works}
        for s in study.shares.select_related("user")
    ]


class SharesView(APIView):
    @extend_schema(responses=ShareShape(many=True))
    def get(self, request: Request, study_id: int) -> Response:
        """With whom a study is shared."""
        return Response(ShareShape(_rows(study_of(request, study_id)), many=True).data)

    @extend_schema(request=ShareAskedShape, responses={201: ShareShape(many=True)})
    def post(self, request: Request, study_id: int) -> Response:
        """Share a study with an account, to look at it or to work on it; or change which."""
        study = study_of(request, study_id, OWN)
        shape = ShareAskedShape(data=request.data)
        shape.is_valid(raise_exception=True)
        name, works = shape.validated_data["name"].strip(), shape.validated_data["works"]
        user = User.objects.filter(username__iexact=name, is_active=True).first()
        if user is None:
            raise ValidationError({"detail": f"There is no account called {name}."})
        if user.pk == study.owner_id:
            raise ValidationError({"detail": "The study is yours already."})
        Share.objects.update_or_create(study=study, user=user, defaults={"works": works})
        if not works:
            cancel(study.jobs.filter(owner=user))
        about = f"{study.name} with {user.get_username()} to {'work' if works else 'look'}"
        record(request, "shared", about=about)
        return Response(ShareShape(_rows(study), many=True).data, status=201)


class ShareView(APIView):
    @extend_schema(responses=ShareShape(many=True))
    def delete(self, request: Request, study_id: int, share_id: int) -> Response:
        """Take a share back; one may also leave a study that is shared with oneself."""
        study = study_of(request, study_id, "look")
        share = study.shares.filter(id=share_id).select_related("user").first()
        if share is None:
            raise Http404("There is no such share.")
        if share.user != request.user:
            study = study_of(request, study_id, OWN)
        name = share.user.get_username()
        share.delete()
        # and with it what goes on there for them
        cancel(study.jobs.filter(owner=share.user))
        record(request, "unshared", about=f"{study.name} with {name}")
        return Response(ShareShape(_rows(study), many=True).data)
