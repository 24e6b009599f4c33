"""The forms in which the API gives and takes data."""

import json
from typing import Any

from rest_framework import serializers

from intaglio.case.back import WHAT
from studies.models import Job, Study, Variant


class StaleShape(serializers.Serializer):
    """What was changed since the version that a write was made from: blanks as `stage.name`."""

    version = serializers.IntegerField()
    blanks = serializers.ListField(child=serializers.CharField())
    by = serializers.ListField(child=serializers.CharField())


class ProblemShape(serializers.Serializer):
    code = serializers.CharField()
    message = serializers.CharField()
    places = serializers.ListField(child=serializers.ListField(child=serializers.FloatField()))
    blank = serializers.CharField(allow_null=True)
    stale = StaleShape(required=False)


class HealthShape(serializers.Serializer):
    server = serializers.BooleanField()
    database = serializers.BooleanField()
    guarded = serializers.BooleanField()


class RowBlankShape(serializers.Serializer):
    """A number of a row; it has no rows of its own."""

    name = serializers.CharField()
    type = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]
    rule = serializers.CharField()
    unit = serializers.CharField()
    above = serializers.FloatField(allow_null=True)
    least = serializers.FloatField(allow_null=True)
    most = serializers.FloatField(allow_null=True)
    choices = serializers.ListField(child=serializers.ListField(child=serializers.CharField()))


class RowFieldShape(RowBlankShape):
    """A value of a row; optional: it may be left out; start: what a new row has."""

    optional = serializers.BooleanField()
    start = serializers.JSONField()


class RowFormShape(serializers.Serializer):
    key = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]
    fits = serializers.ListField(child=serializers.CharField())
    told_by = serializers.ListField(child=serializers.CharField())
    blanks = RowFieldShape(many=True)


class RowFormsShape(serializers.Serializer):
    """What the rows of a list are: by: the field that names a row's form, or none."""

    by = serializers.CharField(allow_blank=True)
    common = RowFieldShape(many=True)
    forms = RowFormShape(many=True)


class BlankShape(RowBlankShape):
    """A blank of a stage; rows: what its list is made of."""

    rows = RowFormsShape(allow_null=True)


class SentenceShape(serializers.Serializer):
    text = serializers.CharField()
    only = serializers.DictField(child=serializers.ListField(child=serializers.CharField()))


class OperationShape(serializers.Serializer):
    key = serializers.CharField()
    title = serializers.CharField()
    sentence = serializers.CharField()
    group = serializers.CharField()
    cad = serializers.BooleanField()
    facets = serializers.BooleanField()
    default = serializers.DictField()
    blanks = BlankShape(many=True)


class MetricShape(serializers.Serializer):
    key = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]
    unit = serializers.CharField()
    large_is_bad = serializers.BooleanField()
    of = serializers.CharField()
    meaning = serializers.CharField()
    ratio = serializers.BooleanField()
    judged = serializers.BooleanField()


class BarsShape(serializers.Serializer):
    edges = serializers.ListField(child=serializers.FloatField())
    count = serializers.ListField(child=serializers.IntegerField())


class SpreadShape(serializers.Serializer):
    min = serializers.FloatField()
    max = serializers.FloatField()
    mean = serializers.FloatField()
    deviation = serializers.FloatField()
    percentiles = serializers.DictField(child=serializers.FloatField())


class WorstCellShape(serializers.Serializer):
    cell = serializers.IntegerField()
    value = serializers.FloatField()
    place = serializers.ListField(child=serializers.FloatField())
    shape = serializers.CharField()
    zone = serializers.CharField()
    layer = serializers.IntegerField()
    cause = serializers.CharField()


class SharedBarsShape(serializers.Serializer):
    edges = serializers.ListField(child=serializers.FloatField())
    shares = serializers.ListField(
        child=serializers.ListField(child=serializers.FloatField(), allow_null=True)
    )
    counts = serializers.ListField(
        child=serializers.ListField(child=serializers.IntegerField(), allow_null=True)
    )


class ComparedRowShape(serializers.Serializer):
    group = serializers.CharField()
    key = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]
    unit = serializers.CharField(allow_blank=True)
    values = serializers.ListField(child=serializers.JSONField(allow_null=True))
    differs = serializers.BooleanField()
    best = serializers.IntegerField(allow_null=True)


class ComparedVariantShape(serializers.Serializer):
    id = serializers.IntegerField()
    name = serializers.CharField()
    condition = serializers.CharField()


class ComparisonShape(serializers.Serializer):
    variants = ComparedVariantShape(many=True)
    settings = ComparedRowShape(many=True)
    figures = ComparedRowShape(many=True)
    histogram = SharedBarsShape(allow_null=True)
    metric = serializers.CharField()


class TrialShape(serializers.Serializer):
    name = serializers.CharField(max_length=60)
    settings = serializers.DictField()


class TrialsShape(serializers.Serializer):
    source = serializers.IntegerField()  # type: ignore[assignment]
    target = serializers.CharField()
    trials = TrialShape(many=True, allow_empty=False)


class InflowShape(serializers.Serializer):
    name = serializers.CharField()
    area = serializers.FloatField()
    hydraulic_diameter = serializers.FloatField()
    reynolds = serializers.FloatField()
    mach = serializers.FloatField()
    speed = serializers.FloatField()
    volume_flow = serializers.FloatField()
    mass_flow = serializers.FloatField()
    intensity = serializers.FloatField()
    eddies = serializers.FloatField()


class MaterialShape(serializers.Serializer):
    name = serializers.CharField()
    material = serializers.CharField()
    density = serializers.FloatField()
    viscosity = serializers.FloatField()
    heat_capacity = serializers.FloatField()
    conductivity = serializers.FloatField()


class ForetoldShape(serializers.Serializer):
    inlets = InflowShape(many=True)
    materials = MaterialShape(many=True)
    findings = serializers.ListField(child=serializers.DictField())


class BackShape(serializers.Serializer):
    """Reynolds number wanted at a patch, on a length in the model's unit, and what may change."""

    patch = serializers.CharField(max_length=200)
    reynolds = serializers.FloatField(min_value=1e-12, max_value=1e15)
    length = serializers.FloatField(min_value=1e-12, max_value=1e12)
    what = serializers.ChoiceField(choices=WHAT)


class QualityShape(serializers.Serializer):
    metric = serializers.CharField()
    product = serializers.CharField()
    spread = SpreadShape()
    cells = serializers.IntegerField()
    histogram = BarsShape()
    limit = serializers.FloatField(allow_null=True)
    beyond = serializers.IntegerField(allow_null=True)
    worst = WorstCellShape(many=True)


class WordShape(serializers.Serializer):
    key = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]


class WrittenShape(serializers.Serializer):
    cad = serializers.ListField(child=serializers.CharField())
    facets = serializers.ListField(child=serializers.CharField())
    mesh = serializers.ListField(child=serializers.CharField())


class UnitShape(serializers.Serializer):
    key = serializers.CharField()
    mm = serializers.FloatField()


class ListsShape(serializers.Serializer):
    metrics = MetricShape(many=True)
    surface_metrics = MetricShape(many=True)
    units = UnitShape(many=True)
    patch_kinds = WordShape(many=True)
    zone_kinds = serializers.ListField(child=serializers.CharField())
    cell_shapes = WordShape(many=True)
    clusterings = WordShape(many=True)
    region_shapes = serializers.ListField(child=serializers.DictField())
    read = serializers.ListField(child=serializers.CharField())
    written = WrittenShape()


class TouchShape(serializers.Serializer):
    face = serializers.IntegerField(min_value=0)
    at = serializers.ListField(child=serializers.FloatField(), min_length=3, max_length=3)


class PlacesShape(serializers.Serializer):
    points = serializers.ListField(
        child=serializers.ListField(child=serializers.FloatField(), min_length=3, max_length=3),
        max_length=10_000,
    )


class SizesShape(serializers.Serializer):
    sizes = serializers.ListField(child=serializers.FloatField())


class MeasureShape(serializers.Serializer):
    first = TouchShape()
    second = TouchShape(required=False, allow_null=True)


class MeasuredShape(serializers.Serializer):
    at = serializers.ListField(child=serializers.ListField(child=serializers.FloatField()))
    distance = serializers.FloatField(required=False)
    along = serializers.ListField(child=serializers.FloatField(), required=False)
    between_faces = serializers.FloatField(required=False)
    angle = serializers.FloatField(required=False)
    radius = serializers.FloatField(required=False)
    diameter = serializers.FloatField(required=False)
    thickness = serializers.FloatField(required=False)


class StackShape(serializers.Serializer):
    at = serializers.ListField(child=serializers.FloatField())
    number = serializers.IntegerField()
    most = serializers.IntegerField()
    reached = serializers.ListField(child=serializers.FloatField())
    asked = serializers.ListField(child=serializers.FloatField())
    edge = serializers.FloatField()


class GrowShape(serializers.Serializer):
    faces = serializers.ListField(child=serializers.CharField())
    how = serializers.CharField()
    angle = serializers.FloatField(default=20.0, min_value=0.0, max_value=180.0)


class FacesShape(serializers.Serializer):
    faces = serializers.ListField(child=serializers.CharField())


class StageShape(serializers.Serializer):
    key = serializers.CharField()
    title = serializers.CharField()
    sentences = SentenceShape(many=True)
    action = serializers.CharField()
    needs = serializers.ListField(child=serializers.CharField())
    gives = serializers.ListField(child=serializers.CharField())
    blanks = BlankShape(many=True)


class JobShape(serializers.ModelSerializer):
    problem = ProblemShape(allow_null=True)
    study: serializers.PrimaryKeyRelatedField[Study] = serializers.PrimaryKeyRelatedField(
        read_only=True
    )
    variant: serializers.PrimaryKeyRelatedField[Variant] = serializers.PrimaryKeyRelatedField(
        read_only=True
    )

    class Meta:
        model = Job
        fields = (
            "id", "study", "variant", "file_name", "target", "state", "stage", "share",
            "seconds_left", "doing", "problem", "attempts", "looks", "stop_asked", "created",
            "updated", "ended",
        )  # fmt: skip


class VariantNameShape(serializers.Serializer):
    id = serializers.IntegerField()
    name = serializers.CharField()


class StudyShape(serializers.Serializer):
    """role: what one may do with it; kept: bytes; deleted: since when it is out of sight."""

    role = serializers.ChoiceField(choices=["own", "work", "look"])
    kept = serializers.IntegerField()
    shared = serializers.IntegerField(help_text="accounts that it is shared with")
    deleted = serializers.DateTimeField(allow_null=True)
    version = serializers.IntegerField()
    views = serializers.ListField(child=serializers.DictField())
    kind = serializers.ChoiceField(choices=["part", "mesh"])
    id = serializers.IntegerField()
    name = serializers.CharField()
    file_name = serializers.CharField()
    owner = serializers.CharField()
    archived = serializers.BooleanField()
    updated = serializers.DateTimeField()
    furthest = serializers.CharField(allow_null=True)
    proof = serializers.CharField(allow_null=True)
    cells = serializers.IntegerField(allow_null=True)
    picture = serializers.CharField(allow_null=True)
    variants = VariantNameShape(many=True)


class ViewShape(serializers.Serializer):
    """A view kept by name; what the page needs to show it again."""

    name = serializers.CharField(max_length=60)
    stage = serializers.CharField(max_length=20)
    pose = serializers.DictField()
    look = serializers.DictField()

    def validate(self, attrs: dict[str, Any]) -> dict[str, Any]:
        if len(json.dumps(attrs)) > _VIEW_BYTES:
            raise serializers.ValidationError("A view holds too much.")
        return attrs


_VIEW_BYTES = 100_000


class ShareAskedShape(serializers.Serializer):
    name = serializers.CharField(max_length=150)
    works = serializers.BooleanField(default=False, help_text="on it, not only looks at it")


class ShareShape(serializers.Serializer):
    id = serializers.IntegerField()
    name = serializers.CharField()
    works = serializers.BooleanField()


class RoomShape(serializers.Serializer):
    """Bytes that one's studies keep, and may keep; jobs that wait or run, and may."""

    kept = serializers.IntegerField()
    most = serializers.IntegerField()
    jobs = serializers.IntegerField()
    jobs_most = serializers.IntegerField()
    days = serializers.IntegerField(help_text="until a deleted study is gone for good")


class StudyChangeShape(serializers.Serializer):
    name = serializers.CharField(max_length=120, required=False)
    archived = serializers.BooleanField(required=False)
    views = serializers.ListField(child=ViewShape(), required=False, max_length=40)


class UploadShape(serializers.Serializer):
    file = serializers.FileField()


class NewVariantShape(serializers.Serializer):
    name = serializers.CharField(max_length=60)
    source = serializers.IntegerField(help_text="the variant to branch from")  # type: ignore[assignment]


class StageStateShape(serializers.Serializer):
    stage = serializers.CharField()
    gives = serializers.ListField(child=serializers.CharField())
    condition = serializers.ChoiceField(choices=["current", "outdated", "looking", "none"])
    settings = serializers.JSONField(allow_null=True)
    default = serializers.JSONField(allow_null=True)
    reasons = serializers.DictField(child=serializers.CharField())
    changed = serializers.ListField(child=serializers.CharField())
    error = ProblemShape(allow_null=True)
    report = serializers.JSONField(allow_null=True)
    product = serializers.CharField(allow_null=True)


class VariantShape(serializers.Serializer):
    id = serializers.IntegerField()
    name = serializers.CharField()
    study = serializers.IntegerField()
    version = serializers.IntegerField()
    unit = serializers.CharField(allow_null=True)
    can_undo = serializers.BooleanField()
    can_redo = serializers.BooleanField()
    stages = StageStateShape(many=True)


class RunShape(serializers.Serializer):
    target = serializers.CharField()
    live = serializers.BooleanField(default=False)


class FlowAskedShape(serializers.Serializer):
    iterations = serializers.IntegerField(min_value=1, max_value=20_000, default=50)
    go_on = serializers.BooleanField(default=False)


class FlowShape(serializers.Serializer):
    condition = serializers.ChoiceField(choices=["current", "outdated", "looking", "none"])
    product = serializers.CharField(allow_null=True)
    report = serializers.DictField(allow_null=True)


class GridsAskedShape(serializers.Serializer):
    iterations = serializers.IntegerField(min_value=1, max_value=20_000, default=300)
    ratio = serializers.FloatField(min_value=1.1, max_value=3.0, default=1.4)


class ConvergenceRowShape(serializers.Serializer):
    key = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]
    unit = serializers.CharField()
    values = serializers.ListField(child=serializers.FloatField(allow_null=True))
    order = serializers.FloatField(allow_null=True)
    extrapolated = serializers.FloatField(allow_null=True)
    index = serializers.FloatField(allow_null=True)
    words = serializers.CharField()


class ConvergenceShape(serializers.Serializer):
    variants = serializers.ListField(child=serializers.IntegerField())
    names = serializers.ListField(child=serializers.CharField())
    cells = serializers.ListField(child=serializers.IntegerField())
    sizes = serializers.ListField(child=serializers.FloatField())
    rows = ConvergenceRowShape(many=True)


class ProfileShape(serializers.Serializer):
    """Along a line: distance from its start in the study's unit, velocity by axes and speed in m/s,
    pressure in Pa, temperature in degrees Celsius."""

    distance = serializers.ListField(child=serializers.FloatField(allow_null=True))
    velocity = serializers.ListField(
        child=serializers.ListField(child=serializers.FloatField(allow_null=True))
    )
    speed = serializers.ListField(child=serializers.FloatField(allow_null=True))
    pressure = serializers.ListField(child=serializers.FloatField(allow_null=True))
    temperature = serializers.ListField(child=serializers.FloatField(allow_null=True))


class MadeTrialsShape(serializers.Serializer):
    variants = VariantNameShape(many=True)
    jobs = JobShape(many=True)
