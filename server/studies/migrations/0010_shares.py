from typing import Any

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


def shares_from_before(apps: Any, schema: Any) -> None:
    """All with whom a study was shared could work on it."""
    Study, Share = (apps.get_model("studies", name) for name in ("Study", "Share"))
    for study in Study.objects.all():
        for user in study.shared_with.all():
            Share.objects.create(study=study, user=user, works=True)


def kept_from_before(apps: Any, schema: Any) -> None:
    """What variants show counts as kept by their studies."""
    Variant, Kept, Product = (apps.get_model("studies", n) for n in ("Variant", "Kept", "Product"))
    for variant in Variant.objects.all():
        for key in Product.objects.filter(key__in=variant.shown.values()).values_list("key", flat=True):
            Kept.objects.get_or_create(study_id=variant.study_id, product_id=key)


STORED = """
UPDATE studies_product p SET stored = coalesce(
  (SELECT sum(octet_length(c.data)) FROM studies_chunk c WHERE c.product_id = p.key), 0)
"""

# what changes of a job is told to its owner, and to all who see its study
TELL = """
CREATE OR REPLACE FUNCTION studies_tell_job() RETURNS trigger LANGUAGE plpgsql AS $$
DECLARE who integer;
BEGIN
  FOR who IN
    SELECT NEW.owner_id
    UNION SELECT owner_id FROM studies_study WHERE id = NEW.study_id
    UNION SELECT user_id FROM studies_share WHERE study_id = NEW.study_id
  LOOP
    PERFORM pg_notify('intaglio_jobs', who::text);
  END LOOP;
  RETURN NEW;
END $$;
"""
TELL_OWNER = """
CREATE OR REPLACE FUNCTION studies_tell_job() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  PERFORM pg_notify('intaglio_jobs', NEW.owner_id::text);
  RETURN NEW;
END $$;
"""


class Migration(migrations.Migration):
    dependencies = [
        ("studies", "0009_edits"),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.AddField("study", "deleted", models.DateTimeField(null=True)),
        migrations.AddField("product", "stored", models.BigIntegerField(default=0)),
        migrations.RunSQL(STORED, migrations.RunSQL.noop),
        migrations.CreateModel(
            name="Share",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("works", models.BooleanField(default=False)),
                ("created", models.DateTimeField(auto_now_add=True)),
                ("study", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="shares", to="studies.study")),
                ("user", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="+", to=settings.AUTH_USER_MODEL)),
            ],
            options={
                "ordering": ["id"],
                "constraints": [models.UniqueConstraint(fields=("study", "user"), name="share_once")],
            },
        ),
        migrations.CreateModel(
            name="Kept",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("product", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="+", to="studies.product")),
                ("study", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="kept", to="studies.study")),
            ],
            options={
                "constraints": [models.UniqueConstraint(fields=("study", "product"), name="kept_once")],
            },
        ),
        migrations.RunPython(shares_from_before, migrations.RunPython.noop),
        migrations.RunPython(kept_from_before, migrations.RunPython.noop),
        migrations.RemoveField("study", "shared_with"),
        migrations.RunSQL(TELL, TELL_OWNER),
    ]
