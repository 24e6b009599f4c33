from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("studies", "0002_live")]

    operations = [
        migrations.AddField("job", "look", models.CharField(max_length=64, blank=True, default="")),
        migrations.AddField(
            "job", "look_stage", models.CharField(max_length=20, blank=True, default="")
        ),
        migrations.AddField("job", "looks", models.IntegerField(default=0)),
    ]
