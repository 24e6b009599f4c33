"""One variant: its stages, changing settings, undo and redo, runs."""

import time
from typing import Any

from django.conf import settings
from django.contrib.auth.models import User
from django.db import connection, transaction
from django.http import Http404
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from intaglio.errors import SettingRejected
from intaglio.recipe.accepted import ACCEPTED, check_accepted
from intaglio.recipe.pace import at_pace
from intaglio.recipe.plan import StageState, states
from intaglio.settings.blanks import blanks_of, build, check_value
from intaglio.stages.registry import BY_KEY, giving, stages_of
from intaglio.stages.stage import Stage
from studies.api.access import user_of, variant_of
from studies.api.shapes import JobShape, ProblemShape, RunShape, VariantShape
from studies.edits import refuse_stale, version_told, write_settings
from studies.ending import end_silent
from studies.looks import look_at
from studies.models import Change, Job, Study, Variant
from studies.pace import machine_pace
from studies.problems import Conflict, problem
from studies.room import refuse_crowd, refuse_full
from studies.store import DatabaseStore
from studies.tasks import enqueue

_KEPT_CHANGES = 200


def stages_through(variant: Variant) -> tuple[Stage, ...]:
    """The stages that a variant goes through, as its mesh is to be made."""
    return stages_of(variant.study.file_name, variant.settings)


def variant_states(variant: Variant) -> list[StageState]:
    return states(
        variant.study.source_id,
        variant.study.name,
        variant.settings,
        DatabaseStore().report,
        stages=stages_through(variant),
    )


def mesh_stage(variant: Variant) -> str:
    """Key of the stage that makes the variant's mesh."""
    return giving("mesh", stages_through(variant))


def surface_stage(variant: Variant) -> str:
    """Key of the stage that makes the variant's surface mesh. Raises Http404 if none does."""
    through = stages_through(variant)
    if not any("surface" in stage.gives for stage in through):
        raise Http404("This mesh is made without a surface mesh.")
    return giving("surface", through)


def gives(variant: Variant, stage: str) -> tuple[str, ...]:
    """What a stage of the variant gives; nothing, if the variant does not go through it."""
    return next((s.gives for s in stages_through(variant) if s.key == stage), ())


def refuse_wrong(variant: Variant) -> None:
    """Raises SettingRejected where a setting of the variant cannot be used."""
    for state in variant_states(variant):
        if isinstance(state.error, SettingRejected):
            raise state.error


def product_shown(variant: Variant, state: StageState, look: Job | None) -> tuple[str, str | None]:
    """Condition of a stage, and the key of the product to show for it: current, what a running job
    shows before it is done, or an old one."""
    if state.report is not None:
        return "current", state.key
    if look is not None and look.look_stage == state.stage:
        return "looking", look.look
    old = variant.shown.get(state.stage)
    return ("outdated", old) if old else ("none", None)


def variant_data(variant: Variant) -> dict[str, Any]:
    store = DatabaseStore()
    rows = []
    unit = None
    look = look_at(variant)
    given = {stage.key: list(stage.gives) for stage in stages_through(variant)}
    for state in variant_states(variant):
        condition, product = product_shown(variant, state, look)
        report = state.report
        if report is None and product is not None:
            report = store.report(product)
        if state.stage == "sizing" and report:
            report = {**report, "forecast": at_pace(report["forecast"], machine_pace())}
        # a study that begins with a mesh has no part
        if "model" in given[state.stage] and report and unit is None:
            unit = report["unit"]
        rows.append(
            {
                "stage": state.stage,
                "gives": given[state.stage],
                "condition": condition,
                "settings": state.settings,
                "default": state.default,
                "reasons": state.reasons,
                "changed": list(state.changed),
                "error": problem(state.error) if state.error else None,
                "report": report,
                "product": product,
            }
        )
    last = variant.changes.last()
    return {
        "id": variant.id,
        "name": variant.name,
        "study": variant.study_id,
        "version": variant.version,
        "unit": unit,
        "can_undo": variant.changes.filter(undone=False).exists(),
        "can_redo": bool(last and last.undone),
        "stages": rows,
    }


def _answer(variant: Variant) -> Response:
    return Response(VariantShape(variant_data(variant)).data)


def changed_settings(current: dict[str, Any], asked: Any) -> dict[str, Any]:
    """Settings after a change {stage: {name: value}}; null takes the derived value again."""
    if not isinstance(asked, dict):
        raise ValidationError({"detail": "Send settings by stage and name."})
    out = {stage: dict(own) for stage, own in current.items()}
    for stage, values in asked.items():
        if stage == ACCEPTED:
            out[stage] = changed_accepted(out.get(stage, {}), values)
            continue
        if stage not in BY_KEY or not isinstance(values, dict):
            raise ValidationError({"detail": f"There is no stage called {stage}."})
        known = blanks_of(BY_KEY[stage].settings)
        own = out.setdefault(stage, {})
        for name, value in values.items():
            if name not in known:
                raise ValidationError({"detail": f"{BY_KEY[stage].title} has no {name}."})
            if value is None:
                own.pop(name, None)
            else:
                own[name] = check_value(f"{stage}.{name}", known[name], value, {})
    return out


def changed_accepted(current: dict[str, str], asked: Any) -> dict[str, str]:
    """Findings accepted after a change {stage.code: reason}; null takes it back."""
    if not isinstance(asked, dict):
        raise ValidationError({"detail": "Send findings with the reason for each."})
    given = check_accepted({name: why for name, why in asked.items() if why is not None})
    return {name: why for name, why in {**current, **given}.items() if asked.get(name, why)}


def locked(variant: Variant) -> Variant:
    """A variant as it is now, until the transaction ends."""
    return Variant.objects.select_for_update().select_related("study").get(id=variant.pk)


VERSION = OpenApiParameter(
    "If-Match", str, OpenApiParameter.HEADER, description="the version that was read, in quotes"
)


class VariantView(APIView):
    @extend_schema(responses=VariantShape)
    def get(self, request: Request, variant_id: int) -> Response:
        return _answer(variant_of(request, variant_id))


class SettingsView(APIView):
    @extend_schema(
        request={"application/json": {"type": "object"}},
        responses={200: VariantShape, 409: ProblemShape},
        parameters=[VERSION],
    )
    def patch(self, request: Request, variant_id: int) -> Response:
        """Change settings; a value that cannot be used is refused and nothing changes, as is what
        was made from an older version than there is."""
        variant = variant_of(request, variant_id)
        since = version_told(request)
        with transaction.atomic():
            variant = locked(variant)
            refuse_stale(variant, since)
            before = variant.settings
            after = changed_settings(before, request.data)
            variant.settings = after
            for state in variant_states(variant):
                if state.error is not None and state.stage in request.data:
                    raise state.error
                if state.settings is not None and state.error is None:
                    build(state.stage, BY_KEY[state.stage].settings, state.settings)
            if after != before:
                variant.changes.filter(undone=True).delete()
                Change.objects.create(variant=variant, before=before, after=after)
                old = variant.changes.order_by("-id").values_list("id", flat=True)[_KEPT_CHANGES:]
                variant.changes.filter(id__in=list(old)).delete()
                variant.settings = before
                write_settings(variant, after, user_of(request))
        return _answer(variant)


class UndoView(APIView):
    redo = False

    @extend_schema(
        request=None, responses={200: VariantShape, 409: ProblemShape}, parameters=[VERSION]
    )
    def post(self, request: Request, variant_id: int) -> Response:
        variant = variant_of(request, variant_id)
        since = version_told(request)
        with transaction.atomic():
            # a change at the same time is before or after this one, never beside it
            variant = locked(variant)
            refuse_stale(variant, since)
            if self.redo:
                change = variant.changes.filter(undone=True).order_by("id").first()
            else:
                change = variant.changes.filter(undone=False).order_by("-id").first()
            if change is None:
                raise Conflict(f"There is nothing to {'redo' if self.redo else 'undo'}.")
            write_settings(variant, change.after if self.redo else change.before, user_of(request))
            change.undone = not self.redo
            change.save(update_fields=["undone"])
        return _answer(variant)


class RedoView(UndoView):
    redo = True


class RunsView(APIView):
    @extend_schema(request=RunShape, responses={202: JobShape})
    def post(self, request: Request, variant_id: int) -> Response:
        """Run all that is out of date up to a stage. live: only to see what the settings come to;
        the result is not kept beyond the next such run."""
        variant = variant_of(request, variant_id)
        shape = RunShape(data=request.data)
        shape.is_valid(raise_exception=True)
        target, live = shape.validated_data["target"], shape.validated_data["live"]
        if target not in [s.key for s in stages_through(variant)]:
            raise ValidationError({"detail": f"There is no stage called {target}."})
        refuse_wrong(variant)
        with transaction.atomic():
            Variant.objects.select_for_update().get(id=variant.id)
            job = begin_run(user_of(request), variant, target, live)
        if live:
            _wait_a_little(job)
        return Response(JobShape(job).data, status=202)


def free_name(study: Study, wanted: str) -> str:
    """The name, or with a number where the study has one that is called so."""
    taken = set(study.variants.values_list("name", flat=True))
    name, number = wanted, 2
    while name in taken:
        name, number = f"{wanted[:54]} ({number})", number + 1
    return name


def begin_run(user: User, variant: Variant, target: str, live: bool = False) -> Job:
    """The job that runs a variant to a stage: one that waits or runs already, or a new one."""
    end_silent(variant.jobs.all())
    same = variant.jobs.filter(
        target=target,
        settings=variant.settings,
        state__in=[Job.State.WAITING, Job.State.RUNNING],
        cancel_asked=False,
        live=live,
    ).first()
    if same is not None:
        return same
    if not live:
        refuse_crowd(user)
        refuse_full(variant.study.owner)
    job = Job.objects.create(
        owner=user,
        study=variant.study,
        variant=variant,
        source=variant.study.source,
        file_name=variant.study.file_name,
        target=target,
        settings=variant.settings,
        live=live,
    )
    enqueue(job)
    return job


def _wait_a_little(job: Job) -> None:
    """Until the job is over, or as long as one who types does not notice. Between two looks, which
    become fewer, the connection is others'."""
    until, pause = time.monotonic() + settings.LIVE_SECONDS, 0.02
    while not job.over and time.monotonic() < until:
        if not connection.in_atomic_block:
            connection.close()
        time.sleep(pause)
        pause = min(1.3 * pause, 0.1)
        job.refresh_from_db()
