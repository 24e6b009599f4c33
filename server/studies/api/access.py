"""Finding what a user may see; what they may not see does not exist for them."""

from django.contrib.auth.models import AnonymousUser, User
from django.http import Http404
from rest_framework.exceptions import NotAuthenticated
from rest_framework.request import Request

from studies.models import Job, Study, Variant

Anyone = User | AnonymousUser


def user_of(request: Request) -> User:
    """The user who asks. Raises NotAuthenticated for one who has not signed in."""
    return _known(request.user)


def _known(user: Anyone) -> User:
    if isinstance(user, AnonymousUser):
        raise NotAuthenticated
    return user


def study_of(user: Anyone, study_id: int) -> Study:
    study = Study.objects.seen_by(_known(user)).filter(id=study_id).first()
    if study is None:
        raise Http404("There is no such study.")
    return study


def variant_of(user: Anyone, variant_id: int) -> Variant:
    variant = Variant.objects.filter(id=variant_id).select_related("study__source").first()
    if (
        variant is None
        or not Study.objects.seen_by(_known(user)).filter(id=variant.study_id).exists()
    ):
        raise Http404("There is no such variant.")
    return variant


def job_of(user: Anyone, job_id: str) -> Job:
    job = Job.objects.filter(id=job_id, owner=_known(user)).first()
    if job is None:
        raise Http404("There is no such job.")
    return job
