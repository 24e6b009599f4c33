"""Settings of Case become rows: materials of zones, conditions of patches."""

from typing import Any

from django.db import migrations

from intaglio.stages.case.earlier import of_today


def _changed(settings: dict[str, Any]) -> dict[str, Any] | None:
    case = settings.get("case")
    if not case:
        return None
    now = of_today(case)
    return None if now == case else {**settings, "case": now}


_FIELDS = {"Variant": ("settings",), "Change": ("before", "after"), "Job": ("settings",)}


def into_rows(apps: Any, schema_editor: Any) -> None:
    for name, fields in _FIELDS.items():
        for row in apps.get_model("studies", name).objects.iterator():
            made = {f: new for f in fields if (new := _changed(getattr(row, f))) is not None}
            if made:
                for field, value in made.items():
                    setattr(row, field, value)
                row.save(update_fields=list(made))


class Migration(migrations.Migration):
    dependencies = [("studies", "0004_views")]

    operations = [migrations.RunPython(into_rows, migrations.RunPython.noop)]
