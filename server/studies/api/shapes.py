"""The forms in which the API gives and takes data."""

from rest_framework import serializers

from studies.models import Job


class ProblemShape(serializers.Serializer):
    code = serializers.CharField()
    message = serializers.CharField()
    places = serializers.ListField(child=serializers.ListField(child=serializers.FloatField()))
    blank = serializers.CharField(allow_null=True)


class SignInShape(serializers.Serializer):
    username = serializers.CharField()
    password = serializers.CharField()


class SessionShape(serializers.Serializer):
    username = serializers.CharField(allow_null=True)
    upload_limit = serializers.IntegerField()


class BlankShape(serializers.Serializer):
    name = serializers.CharField()
    type = serializers.CharField()
    label = serializers.CharField()
    rule = serializers.CharField()
    unit = serializers.CharField()
    above = serializers.FloatField(allow_null=True)
    least = serializers.FloatField(allow_null=True)
    most = serializers.FloatField(allow_null=True)
    choices = serializers.ListField(child=serializers.ListField(child=serializers.CharField()))


class StageShape(serializers.Serializer):
    key = serializers.CharField()
    title = serializers.CharField()
    sentences = serializers.ListField(child=serializers.CharField())
    action = serializers.CharField()
    needs = serializers.ListField(child=serializers.CharField())
    blanks = BlankShape(many=True)


class JobShape(serializers.ModelSerializer):
    problem = ProblemShape(allow_null=True)
    study = serializers.PrimaryKeyRelatedField(read_only=True)
    variant = serializers.PrimaryKeyRelatedField(read_only=True)

    class Meta:
        model = Job
        fields = (
            "id", "study", "variant", "file_name", "target", "state", "stage", "share",
            "seconds_left", "doing", "problem", "attempts", "created", "ended",
        )  # fmt: skip


class VariantNameShape(serializers.Serializer):
    id = serializers.IntegerField()
    name = serializers.CharField()


class StudyShape(serializers.Serializer):
    id = serializers.IntegerField()
    name = serializers.CharField()
    file_name = serializers.CharField()
    owner = serializers.CharField()
    archived = serializers.BooleanField()
    updated = serializers.DateTimeField()
    furthest = serializers.CharField(allow_null=True)
    cells = serializers.IntegerField(allow_null=True)
    picture = serializers.CharField(allow_null=True)
    variants = VariantNameShape(many=True)


class StudyChangeShape(serializers.Serializer):
    name = serializers.CharField(max_length=120, required=False)
    archived = serializers.BooleanField(required=False)


class UploadShape(serializers.Serializer):
    file = serializers.FileField()


class NewVariantShape(serializers.Serializer):
    name = serializers.CharField(max_length=60)
    source = serializers.IntegerField(help_text="the variant to branch from")


class StageStateShape(serializers.Serializer):
    stage = serializers.CharField()
    condition = serializers.ChoiceField(choices=["current", "outdated", "none"])
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
    unit = serializers.CharField(allow_null=True)
    can_undo = serializers.BooleanField()
    can_redo = serializers.BooleanField()
    stages = StageStateShape(many=True)


class RunShape(serializers.Serializer):
    target = serializers.CharField()
