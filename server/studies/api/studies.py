"""The shelf: studies and taking in files."""

from collections import defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.conf import settings
from django.contrib.auth.models import User
from django.db import transaction
from django.http import Http404
from django.utils import timezone
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.exceptions import ValidationError
from rest_framework.parsers import MultiPartParser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from accounts.record import record
from intaglio.errors import FileRejected
from intaglio.parts.source import Source, together
from intaglio.recipe.plan import source_key
from intaglio.recipe.proving import FLOW
from intaglio.stages.finished import is_finished
from intaglio.stages.registry import STAGES, giving, stages_of
from studies.api.access import LOOK, OWN, WORK, study_of, user_of
from studies.api.shapes import (
    JobShape,
    NewVariantShape,
    ProblemShape,
    RoomShape,
    StudyChangeShape,
    StudyShape,
    UploadShape,
    VariantNameShape,
)
from studies.api.variants import VERSION, mesh_stage
from studies.edits import Stale, version_told
from studies.ending import cancel
from studies.models import Job, Product, Share, Study, Variant
from studies.room import bytes_kept_by, bytes_of, jobs_of, keep, refuse_crowd, refuse_full
from studies.store import load_bytes, save_bytes
from studies.sweeping import remove
from studies.tasks import enqueue


@dataclass(frozen=True)
class _Known:
    """What the shelf tells of a product, of all that its report holds."""

    cells: int | None
    verdict: str | None
    case: str | None
    created: datetime


def _known(studies: Iterable[Study]) -> dict[str, _Known]:
    """That of all products that some studies show as meshes and flows."""
    keys = {
        variant.shown[stage]
        for study in studies
        for variant in study.variants.all()
        for stage in (mesh_stage(variant), FLOW)
        if stage in variant.shown
    }
    asked = ("key", "report__cells", "report__verdict", "report__case", "created")
    found = Product.objects.filter(key__in=keys).values_list(*asked)
    return {key: _Known(*told) for key, *told in found}


def study_row(study: Study, user: User) -> dict[str, Any]:
    """A study as the shelf shows it to a user."""
    return study_rows([study], user)[0]


def study_rows(studies: list[Study], user: User) -> list[dict[str, Any]]:
    """Studies as the shelf shows them to a user."""
    kept, known, shared = (
        bytes_of(studies),
        _known(studies),
        defaultdict[int, dict[int, bool]](dict),
    )
    held = Share.objects.filter(study__in=studies)
    for study_id, user_id, works in held.values_list("study", "user", "works"):
        shared[study_id][user_id] = works
    return [_row(s, user, kept[s.pk], known, shared[s.pk]) for s in studies]


def _row(
    study: Study, user: User, kept: int, known: Mapping[str, _Known], shared: Mapping[int, bool]
) -> dict[str, Any]:
    """One study: its furthest stage and cells over all variants; kept: bytes; shared: users with
    whom, and whether they work on it."""
    order = [s.key for s in STAGES]
    furthest, cells, picture = None, None, None
    for variant in study.variants.all():
        done = [k for k in order if k in variant.shown]
        if done and (furthest is None or order.index(done[-1]) > order.index(furthest)):
            furthest = done[-1]
        meshed = mesh_stage(variant)
        drawn = next((k for k in ("geometry", meshed) if k in done), None)
        if picture is None and drawn is not None:
            product = variant.shown[drawn][:16]
            picture = f"/api/variants/{variant.id}/stages/{drawn}/picture?product={product}"
        mesh = known.get(variant.shown.get(meshed, ""))
        if cells is None and mesh is not None:
            cells = mesh.cells
    return {
        "proof": _proof(study, known),
        "id": study.id,
        "version": study.version,
        "name": study.name,
        "file_name": study.file_name,
        "kind": "mesh" if is_finished(study.file_name) else "part",
        "owner": study.owner.get_username(),
        "role": OWN if study.owner_id == user.pk else WORK if shared.get(user.pk) else LOOK,
        "kept": kept,
        "shared": len(shared),
        "deleted": study.deleted,
        "archived": study.archived,
        "views": study.views,
        "updated": study.updated,
        "furthest": furthest,
        "cells": cells,
        "picture": None if study.deleted else picture,
        "variants": [{"id": v.id, "name": v.name} for v in study.variants.all()],
    }


def _proof(study: Study, known: Mapping[str, _Known]) -> str | None:
    """The verdict of the last flow that was computed on what one of its variants hands over."""
    shown = [(known.get(v.shown.get(FLOW, "")), v.shown.get("case")) for v in study.variants.all()]
    own = [flow for flow, case in shown if flow is not None and flow.case == case]
    return max(own, key=lambda flow: flow.created).verdict if own else None


class StudiesView(APIView):
    parser_classes = [MultiPartParser]

    @extend_schema(responses=StudyShape(many=True), parameters=[OpenApiParameter("deleted", bool)])
    def get(self, request: Request) -> Response:
        """One's studies, and those that others share; deleted: one's own that are out of sight."""
        user = user_of(request)
        if request.query_params.get("deleted") == "true":
            found = Study.objects.filter(owner=user).exclude(deleted=None)
        else:
            found = Study.objects.seen_by(user)
        rows = list(found.select_related("owner").prefetch_related("variants").order_by("-updated"))
        return Response(StudyShape(study_rows(rows, user), many=True).data)

    @extend_schema(request=UploadShape, responses={202: JobShape})
    def post(self, request: Request) -> Response:
        """Take in files: they are stored, and a job reads them; the study begins when that
        succeeds."""
        shape = UploadShape(data=request.data)
        source = _uploaded(request)
        shape.is_valid(raise_exception=True)
        refuse_crowd(user_of(request))
        refuse_full(user_of(request), len(source.data))
        with transaction.atomic():
            kept = save_bytes(source_key(source.data), "source", {}, source.data)
            job = Job.objects.create(
                owner=user_of(request),
                source=kept,
                file_name=source.name[:255],
                # a finished mesh is judged at once
                target=giving("mesh", stages_of(source.name, {}))
                if is_finished(source.name)
                else "geometry",
            )
            enqueue(job)
        return Response(JobShape(job).data, status=202)


def _too_large(name: str, size: int) -> FileRejected:
    return FileRejected(
        "too-large",
        f"{name} has {size / 2**20:,.1f} MiB; the limit is "
        f"{settings.UPLOAD_BYTES / 2**20:,.1f} MiB in all. Leave out bodies that the flow "
        "never sees and export it again.",
    )


def _uploaded(request: Request) -> Source:
    """The files sent, as one source. Raises FileRejected."""
    uploads = request.FILES.getlist("file")
    if not uploads:
        raise ValidationError({"detail": "Choose a geometry file."})
    files: list[tuple[str, bytes]] = []
    total = 0
    for upload in uploads:
        name = upload.name or "part.step"
        if upload.size == 0:
            raise FileRejected("empty", f"{name} is empty. Export it again from the CAD program.")
        total += upload.size
        if total > settings.UPLOAD_BYTES:
            raise _too_large(name, upload.size)
        files.append((name, upload.read()))
    # what zips among several hold counts; one alone is unpacked by the child that reads it
    return together(files, settings.UPLOAD_BYTES)


def _awaited(study: Study) -> Source:
    """The files of a study as they will be when what is being added to it is read."""
    job = study.jobs.filter(
        target="geometry", state__in=[Job.State.WAITING, Job.State.RUNNING], cancel_asked=False
    ).last()
    if job is not None and job.source_id is not None:
        return Source(job.file_name, load_bytes(job.source_id))
    study.refresh_from_db()
    return Source(study.file_name, load_bytes(study.source_id))


def _joined(first: Source, more: list[tuple[str, bytes]]) -> Source:
    """All files as one source. Raises FileRejected beyond the limit."""
    files = [*first.files(settings.UPLOAD_BYTES), *more]
    if sum(len(data) for _, data in files) > settings.UPLOAD_BYTES:
        raise _too_large(more[-1][0], len(more[-1][1]))
    return together(files, settings.UPLOAD_BYTES)


class FilesView(APIView):
    parser_classes = [MultiPartParser]

    @extend_schema(request=UploadShape, responses={202: JobShape})
    def post(self, request: Request, study_id: int) -> Response:
        """Add files to a study's geometry: a job reads them all, and only if that succeeds do they
        become the study's, and every variant out of date."""
        study = study_of(request, study_id)
        if is_finished(study.file_name):
            raise ValidationError({"detail": "A finished mesh takes no more files."})
        uploaded = _uploaded(request).files(settings.UPLOAD_BYTES)
        refuse_crowd(user_of(request))
        refuse_full(study.owner, sum(len(data) for _, data in uploaded))
        variant = study.variants.first()
        with transaction.atomic():
            # files that are added at once come one after the other, and none takes another's place
            Study.objects.select_for_update().get(id=study.id)
            source = _joined(_awaited(study), uploaded)
            kept = save_bytes(source_key(source.data), "source", {}, source.data)
            job = Job.objects.create(
                owner=user_of(request),
                study=study,
                variant=variant,
                source=kept,
                file_name=source.name[:255],
                target="geometry",
                settings=variant.settings if variant else {},
            )
            enqueue(job)
        return Response(JobShape(job).data, status=202)


class StudyView(APIView):
    @extend_schema(responses=StudyShape)
    def get(self, request: Request, study_id: int) -> Response:
        return Response(StudyShape(study_row(study_of(request, study_id), user_of(request))).data)

    @extend_schema(
        request=StudyChangeShape,
        responses={200: StudyShape, 409: ProblemShape},
        parameters=[VERSION],
    )
    def patch(self, request: Request, study_id: int) -> Response:
        study = study_of(request, study_id)
        shape = StudyChangeShape(data=request.data)
        shape.is_valid(raise_exception=True)
        if "archived" in shape.validated_data:
            study_of(request, study_id, OWN)
        since = version_told(request)
        with transaction.atomic():
            study = Study.objects.select_for_update(of=("self",)).get(id=study.id)
            if since not in (None, study.version):
                raise Stale(study.version, [], [])
            for key, value in shape.validated_data.items():
                setattr(study, key, value)
            study.version += 1
            study.save()
        return Response(StudyShape(study_row(study, user_of(request))).data)

    @extend_schema(responses={204: None})
    def delete(self, request: Request, study_id: int) -> Response:
        """Put a study out of sight and cancel its jobs; after some days it is gone for good."""
        study = study_of(request, study_id, OWN)
        Study.objects.filter(id=study.pk).update(deleted=timezone.now())
        cancel(study.jobs.all())
        record(request, "deleted", about=study.name)
        return Response(status=204)


def _deleted(request: Request, study_id: int) -> Study:
    """One's own study that is out of sight. Raises Http404."""
    held = Study.objects.filter(owner=user_of(request), id=study_id).exclude(deleted=None)
    study = held.first()
    if study is None:
        raise Http404("There is no such deleted study.")
    return study


class DeletedView(APIView):
    @extend_schema(request=None, responses=StudyShape)
    def post(self, request: Request, study_id: int) -> Response:
        """Bring a deleted study back."""
        study = _deleted(request, study_id)
        study.deleted = None
        study.save(update_fields=["deleted", "updated"])
        record(request, "restored", about=study.name)
        return Response(StudyShape(study_row(study, user_of(request))).data)

    @extend_schema(responses={204: None})
    def delete(self, request: Request, study_id: int) -> Response:
        """Remove a deleted study for good, with what it alone keeps."""
        study = _deleted(request, study_id)
        record(request, "deleted", about=f"{study.name}, for good")
        remove(study)
        return Response(status=204)


class RoomView(APIView):
    @extend_schema(responses=RoomShape)
    def get(self, request: Request) -> Response:
        """What one keeps, and may keep."""
        user = user_of(request)
        return Response(
            {
                "kept": bytes_kept_by(user),
                "most": settings.QUOTA_BYTES,
                "jobs": jobs_of(user),
                "jobs_most": settings.JOBS_MOST,
                "days": settings.DELETED_DAYS,
            }
        )


class DuplicateView(APIView):
    @extend_schema(request=None, responses={201: StudyShape})
    def post(self, request: Request, study_id: int) -> Response:
        """A study of one's own with the same part, variants and results."""
        study = study_of(request, study_id, LOOK)
        refuse_full(user_of(request), bytes_of([study])[study.pk])
        with transaction.atomic():
            copy = Study.objects.create(
                owner=user_of(request),
                name=f"{study.name} copy"[:120],
                file_name=study.file_name,
                source=study.source,
                views=study.views,
            )
            for v in study.variants.all():
                Variant.objects.create(study=copy, name=v.name, settings=v.settings, shown=v.shown)
            keep(copy, study.kept.values_list("product", flat=True))
        return Response(StudyShape(study_row(copy, user_of(request))).data, status=201)


class VariantsView(APIView):
    @extend_schema(request=NewVariantShape, responses={201: VariantNameShape})
    def post(self, request: Request, study_id: int) -> Response:
        """Branch a variant: it shares every result until a setting differs."""
        study = study_of(request, study_id)
        shape = NewVariantShape(data=request.data)
        shape.is_valid(raise_exception=True)
        origin = study.variants.filter(id=shape.validated_data["source"]).first()
        if origin is None:
            raise ValidationError({"detail": "The study has no such variant to branch from."})
        name = shape.validated_data["name"]
        if study.variants.filter(name=name).exists():
            raise ValidationError({"detail": f"The study already has a variant called {name}."})
        made = Variant.objects.create(
            study=study, name=name, settings=origin.settings, shown=origin.shown
        )
        return Response({"id": made.id, "name": made.name}, status=201)
