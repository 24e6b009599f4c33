from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("studies", "0003_looks")]

    operations = [
        migrations.AddField("study", "views", models.JSONField(default=list)),
    ]
