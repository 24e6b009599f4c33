"""What studies keep, how much one may keep, and how many jobs may wait."""

from collections.abc import Iterable

from django.conf import settings
from django.contrib.auth.models import User
from django.db.models import Q
from rest_framework.exceptions import APIException

from studies.models import Job, Kept, Product, Study


class NoRoom(APIException):
    status_code = 409
    default_code = "no-room"


class TooManyJobs(APIException):
    status_code = 429
    default_code = "too-many-jobs"


def still_there(keys: Iterable[str]) -> set[str]:
    """Those of some products that are there, and that nobody removes before the transaction
    ends."""
    held = Product.objects.select_for_update().filter(key__in=set(keys)).order_by("key")
    return set(held.values_list("key", flat=True))


def keep(study: Study, keys: Iterable[str]) -> None:
    """Count products among what a study keeps, if they are there."""
    held = Product.objects.filter(key__in=set(keys)).values_list("key", flat=True)
    Kept.objects.bulk_create(
        [Kept(study=study, product_id=key) for key in held], ignore_conflicts=True
    )


def bytes_of(studies: Iterable[Study]) -> dict[int, int]:
    """Bytes that each of some studies keeps; what several keep counts for each."""
    out = {study.pk: set(own) for study, own in ((s, [s.source_id]) for s in studies)}
    for study_id, key in Kept.objects.filter(study__in=list(out)).values_list("study", "product"):
        out[study_id].add(key)
    sizes = dict(
        Product.objects.filter(key__in=set().union(*out.values())).values_list("key", "stored")
    )
    return {number: sum(sizes.get(key, 0) for key in keys) for number, keys in out.items()}


def bytes_kept_by(user: User) -> int:
    """Bytes that all of a user's own studies keep, those deleted a while ago too, and files that
    begin none yet; what several of them keep counts once."""
    own = Study.objects.filter(owner=user)
    keys = Kept.objects.filter(study__owner=user).values("product")
    sent = Job.objects.filter(owner=user, study=None).values("source")
    held = Product.objects.filter(
        Q(key__in=keys) | Q(key__in=own.values("source")) | Q(key__in=sent)
    )
    return sum(held.values_list("stored", flat=True))


def refuse_full(user: User, more: int = 0) -> None:
    """Raises NoRoom where a user keeps all they may, or would with so many bytes more."""
    kept = bytes_kept_by(user)
    if kept + more > settings.QUOTA_BYTES:
        raise NoRoom(
            f"These studies keep {kept / 1e9:,.2f} of {settings.QUOTA_BYTES / 1e9:,.2f} GB, "
            "and there is no room for this. Delete studies that are not needed any more, and "
            "remove them for good."
        )


def jobs_of(user: User) -> int:
    """A user's jobs that wait or run, without those that follow the typing."""
    states = [Job.State.WAITING, Job.State.RUNNING]
    return Job.objects.filter(owner=user, live=False, state__in=states).count()


def refuse_crowd(user: User) -> None:
    """Raises TooManyJobs where a user has as many jobs waiting and running as may be."""
    waiting = jobs_of(user)
    if waiting >= settings.JOBS_MOST:
        raise TooManyJobs(
            f"You have {waiting} jobs waiting or running, and may have {settings.JOBS_MOST}. Wait "
            "for one to end, or cancel one."
        )
