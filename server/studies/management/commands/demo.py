"""`manage.py demo`: the demo account and the demo study, made like any other."""

import hashlib
from pathlib import Path

from django.conf import settings
from django.contrib.auth import get_user_model
from django.core.management.base import BaseCommand
from django.db import transaction

from intaglio.recipe.recipe import plain_settings, read_recipe
from studies.models import Job, Study
from studies.store import save_bytes
from studies.tasks import enqueue

ACCOUNT, PASSWORD = "demo", "northmere"


class Command(BaseCommand):
    help = "Create the demo account and queue the demo study, if they are not there."

    def handle(self, *args, **options) -> None:
        user, made = get_user_model().objects.get_or_create(username=ACCOUNT)
        if made:
            user.set_password(PASSWORD)
            user.save()
        if Study.objects.filter(owner=user, file_name="ejector.step").exists():
            return
        if Job.objects.filter(owner=user, file_name="ejector.step").exists():
            return
        data = (Path(settings.ROOT) / "demo/models/ejector.step").read_bytes()
        given = plain_settings(read_recipe(Path(settings.ROOT) / "demo/recipes/ejector.yaml"))
        with transaction.atomic():
            source = save_bytes(hashlib.sha256(data).hexdigest(), "source", {}, data)
            study = Study.objects.create(
                owner=user, name="ejector", file_name="ejector.step", source=source
            )
            variant = study.variants.create(name="first", settings=given)
            job = Job.objects.create(
                owner=user,
                study=study,
                variant=variant,
                source=source,
                file_name="ejector.step",
                target="case",
                settings=given,
            )
            enqueue(job)
        self.stdout.write("demo study queued")
