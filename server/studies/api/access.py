"""Finding what a user may see; what they may not see does not exist for them.

What a request may do with a study follows from its method: looking is for all who see the study,
anything else for those who may work on it.
"""

from django.contrib.auth.models import User
from django.db.models import Q
from django.http import Http404
from rest_framework.exceptions import NotAuthenticated, PermissionDenied
from rest_framework.permissions import SAFE_METHODS
from rest_framework.request import Request

from studies.models import Job, Share, Study, Variant

LOOK, WORK, OWN = "look", "work", "own"
_REFUSED = {
    WORK: "This study is shared with you to look at. Duplicate it to work on a copy of your own.",
    OWN: "Only the owner of a study may do this.",
}


def user_of(request: Request) -> User:
    """The user who asks. Raises NotAuthenticated for one who has not signed in."""
    user = request.user
    if not isinstance(user, User):
        raise NotAuthenticated
    return user


def role_of(user: User, study: Study) -> str:
    """What a user who sees a study may do with it."""
    if study.owner_id == user.pk:
        return OWN
    works = Share.objects.filter(study=study, user=user).values_list("works", flat=True).first()
    return WORK if works else LOOK


def study_of(request: Request, study_id: int, may: str | None = None) -> Study:
    """A study with which the user may do what the request is for, or `may`. Raises Http404,
    PermissionDenied."""
    user = user_of(request)
    study = Study.objects.seen_by(user).filter(id=study_id).first()
    if study is None:
        raise Http404("There is no such study.")
    _refuse(user, study, may or _meant(request))
    return study


def variant_of(request: Request, variant_id: int, may: str | None = None) -> Variant:
    """A variant, in the same way."""
    user = user_of(request)
    seen = Study.objects.seen_by(user).values("id")
    found = Variant.objects.filter(id=variant_id, study__in=seen)
    variant = found.select_related("study__source").first()
    if variant is None:
        raise Http404("There is no such variant.")
    _refuse(user, variant.study, may or _meant(request))
    return variant


def jobs_seen_by(user: User) -> Q:
    """One's own jobs that begin a study, and those of the studies that one sees."""
    return Q(owner=user, study=None) | Q(study__in=Study.objects.seen_by(user).values("id"))


def job_of(request: Request, job_id: str) -> Job:
    """A job, in the same way; one's own is one's own while one sees the study."""
    user = user_of(request)
    found = Job.objects.filter(jobs_seen_by(user), id=job_id)
    job = found.select_related("study").first()
    if job is None:
        raise Http404("There is no such job.")
    if job.owner_id != user.pk and job.study is not None:
        _refuse(user, job.study, _meant(request))
    return job


def _meant(request: Request) -> str:
    return LOOK if request.method in SAFE_METHODS else WORK


def _refuse(user: User, study: Study, may: str) -> None:
    order = [LOOK, WORK, OWN]
    if may != LOOK and order.index(role_of(user, study)) < order.index(may):
        raise PermissionDenied(_REFUSED[may])
