from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("studies", "0005_case_in_rows")]

    operations = [
        migrations.AddField("job", "stop_asked", models.BooleanField(default=False)),
    ]
