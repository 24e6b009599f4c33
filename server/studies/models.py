"""What is kept: studies, variants, jobs, and products in chunks."""

import uuid

from django.conf import settings
from django.contrib.auth.models import User
from django.db import models
from django.db.models import Q

from studies.storable import Reading


class Product(models.Model):
    """The immutable result of a step, or an uploaded file (stage `source`), named by its key.

    stored: bytes that its chunks take. live: made only to see what settings come to while they are
    typed; it goes as soon as another takes its place.
    """

    key = models.CharField(primary_key=True, max_length=64)
    stage = models.CharField(max_length=20)
    report = models.JSONField(decoder=Reading, default=dict)
    sha256 = models.CharField(max_length=64)
    size = models.BigIntegerField()
    stored = models.BigIntegerField(default=0)
    live = models.BooleanField(default=False)
    created = models.DateTimeField(auto_now_add=True)


class Chunk(models.Model):
    """A few MiB of a product's compressed bytes."""

    product = models.ForeignKey(Product, models.CASCADE, related_name="chunks")
    number = models.IntegerField()
    data = models.BinaryField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["product", "number"], name="chunk_once")]


class StudySet(models.QuerySet["Study"]):
    def seen_by(self, user: User) -> "StudySet":
        """Studies that a user owns or that are shared with them, without deleted ones."""
        held = Share.objects.filter(user=user).values("study_id")
        return self.filter(Q(owner=user) | Q(id__in=held), deleted=None)


class Study(models.Model):
    """One piece of work: a part, its variants, its results.

    views: cameras and what is cut and hidden, kept by name; the page alone reads what is in them.
    version: counts its changes. deleted: since when it is out of sight; it goes after a while.
    """

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="studies")
    name = models.CharField(max_length=120)
    file_name = models.CharField(max_length=255)
    source = models.ForeignKey(Product, models.PROTECT, related_name="+")
    archived = models.BooleanField(default=False)
    deleted = models.DateTimeField(null=True)
    views = models.JSONField(decoder=Reading, default=list)
    version = models.IntegerField(default=0)
    created = models.DateTimeField(auto_now_add=True)
    updated = models.DateTimeField(auto_now=True)
    objects = StudySet.as_manager()


class Share(models.Model):
    """A study shown to another account: to look at, or to work on too."""

    study = models.ForeignKey(Study, models.CASCADE, related_name="shares")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="+")
    works = models.BooleanField(default=False)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]
        constraints = [models.UniqueConstraint(fields=["study", "user"], name="share_once")]


class Variant(models.Model):
    """One set of settings of a study: those that differ from the derived ones, by stage.

    shown: the last product of each stage made for this variant, so that an old result stays
    visible, marked as out of date, while settings have moved on. version: counts the changes of
    its settings, undone or not.
    """

    study = models.ForeignKey(Study, models.CASCADE, related_name="variants")
    name = models.CharField(max_length=60)
    settings = models.JSONField(decoder=Reading, default=dict)
    shown = models.JSONField(decoder=Reading, default=dict)
    version = models.IntegerField(default=0)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]
        constraints = [models.UniqueConstraint(fields=["study", "name"], name="variant_name_once")]


class Kept(models.Model):
    """A product that a study's runs brought; it counts as the study's as long as it is there."""

    study = models.ForeignKey(Study, models.CASCADE, related_name="kept")
    product = models.ForeignKey(Product, models.CASCADE, related_name="+")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["study", "product"], name="kept_once")]


class Change(models.Model):
    """A step in a variant's history of settings, for undo and redo."""

    variant = models.ForeignKey(Variant, models.CASCADE, related_name="changes")
    before = models.JSONField(
        decoder=Reading,
    )
    after = models.JSONField(
        decoder=Reading,
    )
    undone = models.BooleanField(default=False)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]


class Edit(models.Model):
    """Who brought a variant to a version, and which blanks (`stage.name`) that changed."""

    variant = models.ForeignKey(Variant, models.CASCADE, related_name="edits")
    version = models.IntegerField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True, related_name="+")
    blanks = models.JSONField(default=list)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["variant", "version"], name="edit_once")]


class Job(models.Model):
    """Long work in a worker: taking in a file, or running a variant to a stage.

    look: the product that shows what there is of `look_stage` before it is done, if any; looks: how
    often it was brought up to date. stop_asked: of a flow, to end soon and keep what there is.
    beat: when whoever runs it last said so.
    """

    class State(models.TextChoices):
        WAITING = "waiting"
        RUNNING = "running"
        DONE = "done"
        FAILED = "failed"
        CANCELLED = "cancelled"

    id = models.UUIDField(primary_key=True, default=uuid.uuid4)
    owner = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="jobs")
    study = models.ForeignKey(Study, models.CASCADE, null=True, related_name="jobs")
    variant = models.ForeignKey(Variant, models.CASCADE, null=True, related_name="jobs")
    source = models.ForeignKey(Product, models.PROTECT, null=True, related_name="+")
    file_name = models.CharField(max_length=255, blank=True)
    target = models.CharField(max_length=20)
    settings = models.JSONField(decoder=Reading, default=dict)
    state = models.CharField(max_length=10, choices=State.choices, default=State.WAITING)
    stage = models.CharField(max_length=20, blank=True)
    share = models.FloatField(default=0.0)
    seconds_left = models.FloatField(null=True)
    doing = models.CharField(max_length=200, blank=True)
    problem = models.JSONField(decoder=Reading, null=True)
    attempts = models.IntegerField(default=0)
    cancel_asked = models.BooleanField(default=False)
    stop_asked = models.BooleanField(default=False)
    live = models.BooleanField(default=False)
    look = models.CharField(max_length=64, blank=True, default="")
    look_stage = models.CharField(max_length=20, blank=True, default="")
    looks = models.IntegerField(default=0)
    queue_id = models.BigIntegerField(null=True)
    created = models.DateTimeField(auto_now_add=True)
    started = models.DateTimeField(null=True)
    beat = models.DateTimeField(null=True)
    ended = models.DateTimeField(null=True)
    updated = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["created"]

    @property
    def over(self) -> bool:
        return self.state in (self.State.DONE, self.State.FAILED, self.State.CANCELLED)
