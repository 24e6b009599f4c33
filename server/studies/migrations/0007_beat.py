from typing import Any

from django.db import migrations, models

import studies.storable


def kept(**more: Any) -> models.JSONField:
    return models.JSONField(decoder=studies.storable.Reading, **more)


class Migration(migrations.Migration):
    dependencies = [("studies", "0006_stop_asked")]

    operations = [
        migrations.AddField("job", "beat", models.DateTimeField(null=True)),
        # how they are read: nothing changes in the database
        migrations.AlterField("product", "report", kept(default=dict)),
        migrations.AlterField("study", "views", kept(default=list)),
        migrations.AlterField("variant", "settings", kept(default=dict)),
        migrations.AlterField("variant", "shown", kept(default=dict)),
        migrations.AlterField("change", "before", kept()),
        migrations.AlterField("change", "after", kept()),
        migrations.AlterField("job", "settings", kept(default=dict)),
        migrations.AlterField("job", "problem", kept(null=True)),
    ]
