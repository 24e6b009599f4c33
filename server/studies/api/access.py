"""Finding what a user may see; what they may not see does not exist for them."""

from django.http import Http404

from studies.models import Job, Study, Variant


def study_of(user, study_id: int) -> Study:
    study = Study.objects.seen_by(user).filter(id=study_id).first()
    if study is None:
        raise Http404("There is no such study.")
    return study


def variant_of(user, variant_id: int) -> Variant:
    variant = Variant.objects.filter(id=variant_id).select_related("study__source").first()
    if variant is None or not Study.objects.seen_by(user).filter(id=variant.study_id).exists():
        raise Http404("There is no such variant.")
    return variant


def job_of(user, job_id: str) -> Job:
    job = Job.objects.filter(id=job_id, owner=user).first()
    if job is None:
        raise Http404("There is no such job.")
    return job
