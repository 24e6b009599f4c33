"""`manage.py demo`: the demo account and the demo studies, made like any other."""

import hashlib
from pathlib import Path
from typing import Any

from django.conf import settings
from django.contrib.auth import get_user_model
from django.contrib.auth.models import User
from django.core.management.base import BaseCommand, CommandError
from django.db import transaction

from accounts.demo import ACCOUNT, PASSWORD
from studies.models import Job, Study

# the file of each demo study, and how far it is run at the start
DEMOS = (
    ("bracket_bad.step", "patches"),
    ("slot.step", "patches"),
    ("buoy.stl", "patches"),
    ("cooler.step", "patches"),
    ("ejector.step", "case"),
)


class Command(BaseCommand):
    help = "Create the demo account and queue the demo studies, if they are not there."
    # a later start has nothing to do here: it must not wait for the computation to load
    requires_system_checks: list[str] = []

    def handle(self, *args: Any, **options: Any) -> None:
        if not settings.DEMO:
            raise CommandError("The demo's account is made in demo mode alone (INTAGLIO_DEMO=1).")
        user, made = get_user_model().objects.get_or_create(username=ACCOUNT)
        if made or not user.is_staff:
            user.set_password(PASSWORD)
            user.is_staff = True
            user.save()
        for file, target in DEMOS:
            self._study(user, Path(settings.ROOT) / "demo/models" / file, target)

    def _study(self, user: User, path: Path, target: str) -> None:
        name = path.name
        if Study.objects.filter(owner=user, file_name=name).exists():
            return
        if Job.objects.filter(owner=user, file_name=name).exists():
            return
        from intaglio.recipe.recipe import plain_settings, read_recipe
        from studies.store import save_bytes
        from studies.tasks import enqueue

        data = path.read_bytes()
        recipe = read_recipe(Path(settings.ROOT) / "demo/recipes" / f"{path.stem}.yaml")
        given = plain_settings(recipe)
        with transaction.atomic():
            source = save_bytes(hashlib.sha256(data).hexdigest(), "source", {}, data)
            study = Study.objects.create(
                owner=user, name=recipe.name, file_name=name, source=source
            )
            variant = study.variants.create(name="first", settings=given)
            job = Job.objects.create(
                owner=user,
                study=study,
                variant=variant,
                source=source,
                file_name=name,
                target=target,
                settings=given,
            )
            enqueue(job, unasked=True)
        self.stdout.write(f"demo study {recipe.name} queued")
