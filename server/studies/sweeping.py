"""Removing results that nothing can reach any more, so that the database does not grow for ever."""

from datetime import timedelta
from typing import Any

from django.conf import settings
from django.db import transaction
from django.utils import timezone

from accounts.models import Session
from accounts.record import forget_old
from intaglio.recipe.plan import states
from intaglio.stages.registry import stages_of
from studies.models import Job, Product, Study, Variant
from studies.room import still_there


def reachable() -> set[str]:
    """Keys of the products that some variant shows, has, or would have after undo or redo; and of
    every file that a study or job began with."""
    reports: dict[str, dict[str, Any] | None] = {}

    def report_of(key: str) -> dict[str, Any] | None:
        if key not in reports:
            held = Product.objects.filter(key=key).values_list("report", flat=True)
            reports[key] = held.first()
        return reports[key]

    keys = set(Study.objects.values_list("source_id", flat=True))
    keys |= {key for key in Job.objects.values_list("source_id", flat=True) if key}
    for variant in Variant.objects.select_related("study").prefetch_related("changes"):
        keys |= set(variant.shown.values())
        for given in _settings_of(variant):
            found = states(
                variant.study.source_id,
                variant.study.name,
                given,
                report_of,
                stages=stages_of(variant.study.file_name, given),
            )
            keys |= {s.key for s in found if s.key is not None}
    return keys


def _settings_of(variant: Variant) -> list[dict[str, Any]]:
    """The variant's settings now and at every step that can be undone or redone, each once."""
    out = [variant.settings]
    for change in variant.changes.all():
        out += [s for s in (change.before, change.after) if s not in out]
    return out


def remove(study: Study) -> None:
    """Remove a study for good; products that nothing else reaches go with the next sweep."""
    study.jobs.all().delete()
    study.delete()


def _forget() -> None:
    """Remove studies that were deleted long ago, jobs that ended long ago with their hold on the
    files they read, sessions that ended and old lines of the log."""
    now = timezone.now()
    for study in Study.objects.filter(deleted__lt=now - timedelta(days=settings.DELETED_DAYS)):
        remove(study)
    Job.objects.filter(ended__lt=now - timedelta(hours=settings.KEEP_HOURS)).delete()
    Session.objects.filter(expire_date__lt=now).delete()
    forget_old()


def sweep() -> int:
    """Remove products that nothing reaches and that are older than KEEP_HOURS; how many. A product
    made only to look at sizes while they are typed goes after an hour, if it is not shown."""
    _forget()
    now = timezone.now()
    old = Product.objects.filter(created__lt=now - timedelta(hours=settings.KEEP_HOURS))
    seen = Product.objects.filter(live=True, created__lt=now - timedelta(hours=1))
    shown = {key for v in Variant.objects.all() for key in v.shown.values()}
    gone = set(seen.values_list("key", flat=True)) - shown
    if old.exists():
        gone |= set(old.values_list("key", flat=True)) - reachable()
    return len(_removed(gone))


def _removed(gone: set[str]) -> set[str]:
    """Remove products, but what came to be shown since they were looked for; the keys of those
    that are gone. A job that is about to show one waits, and finds that it is not there."""
    with transaction.atomic():
        held = still_there(gone)
        held -= {key for v in Variant.objects.all() for key in v.shown.values()}
        Product.objects.filter(key__in=held).delete()
    return held
