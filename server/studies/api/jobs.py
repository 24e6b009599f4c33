"""Jobs: listing, cancelling, and the stream of their progress."""

import asyncio
import json
from collections.abc import AsyncIterator
from datetime import timedelta

from django.contrib.auth.models import User
from django.db import DatabaseError
from django.db.models import QuerySet
from django.http import HttpRequest, HttpResponse, StreamingHttpResponse
from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from intaglio.recipe.proving import FLOW
from studies import hub
from studies.api.access import job_of, jobs_seen_by, user_of
from studies.api.connections import give_back
from studies.api.shapes import JobShape
from studies.ending import cancel
from studies.hub import Hub
from studies.models import Job, Study, Variant

# seconds over which changes are gathered, and until what could not be read is read again
_LOOK, _AGAIN = 0.15, 1.0
# seconds for which a change of a variant is told
_EDITED = 60


def _recent(user: User) -> QuerySet[Job]:
    since = timezone.now() - timedelta(hours=12)
    return Job.objects.filter(jobs_seen_by(user), created__gt=since).order_by("created")


class JobsView(APIView):
    @extend_schema(responses=JobShape(many=True))
    def get(self, request: Request) -> Response:
        """Jobs of the last hours, oldest first: one's own, and those of the studies one sees."""
        return Response(JobShape(_recent(user_of(request)), many=True).data)


class JobView(APIView):
    @extend_schema(responses=JobShape)
    def get(self, request: Request, job_id: str) -> Response:
        return Response(JobShape(job_of(request, job_id)).data)


class CancelView(APIView):
    @extend_schema(request=None, responses=JobShape)
    def post(self, request: Request, job_id: str) -> Response:
        """Ask a job to stop; one that waits stops at once, one that is over stays as it is."""
        job = job_of(request, job_id)
        cancel(Job.objects.filter(id=job.id))
        job.refresh_from_db()
        return Response(JobShape(job).data)


class StopView(APIView):
    @extend_schema(request=None, responses=JobShape)
    def post(self, request: Request, job_id: str) -> Response:
        """Ask a flow to end soon and keep what there is; one that waits stops at once."""
        job = job_of(request, job_id)
        if job.target != FLOW:
            raise ValidationError({"detail": "Only a flow can stop and keep what there is."})
        Job.objects.filter(id=job.id, state=Job.State.WAITING).update(
            state=Job.State.CANCELLED, ended=timezone.now(), updated=timezone.now()
        )
        Job.objects.filter(id=job.id, state=Job.State.RUNNING).update(
            stop_asked=True, updated=timezone.now()
        )
        job.refresh_from_db()
        return Response(JobShape(job).data)


async def events(request: HttpRequest) -> HttpResponse | StreamingHttpResponse:
    """Server-sent events, until the session ends: one `job` event per change of a job that the user
    sees, one `variant` event per change of a variant's settings."""
    user = await request.auser()
    if not isinstance(user, User):
        return HttpResponse(status=403)
    own = hub.hub()
    if own.full(user.pk):
        return HttpResponse("Too many pages are open at once.", status=429)
    response = StreamingHttpResponse(
        _stream(own, user, request.session.session_key), content_type="text/event-stream"
    )
    response["X-Accel-Buffering"] = "no"
    return response


async def _stream(own: Hub, user: User, session: str | None) -> AsyncIterator[str]:
    sent: dict[str, str] = {}
    page = own.join(user.pk, session)
    # not before the session has noted that it is in use
    await give_back()
    try:
        yield "retry: 1000\n\n"
        while True:
            try:
                await asyncio.wait_for(page.woken.wait(), hub.ALIVE)
            except TimeoutError:
                yield ": still here\n\n"
                continue
            if page.ended:
                return
            # several changes at once are told once
            await asyncio.sleep(_LOOK)
            page.woken.clear()
            try:
                told = await own.read(lambda: _told(user))
            except DatabaseError:
                await asyncio.sleep(_AGAIN)
                page.woken.set()
                continue
            for kind, number, text in told:
                if sent.get(number) != text:
                    sent[number] = text
                    yield f"event: {kind}\ndata: {text}\n\n"
    finally:
        own.leave(page)


def _told(user: User) -> list[tuple[str, str, str]]:
    """Events, what each is about, and what it tells: jobs, and versions of variants that were
    changed just now."""
    jobs = [("job", str(j.id), json.dumps(JobShape(j).data, default=str)) for j in _recent(user)]
    since = timezone.now() - timedelta(seconds=_EDITED)
    seen = Study.objects.seen_by(user).values("id")
    edited = Variant.objects.filter(study__in=seen, edits__created__gt=since).distinct()
    return jobs + [
        ("variant", f"variant {number}", json.dumps({"id": number, "version": version}))
        for number, version in edited.values_list("id", "version")
    ]
