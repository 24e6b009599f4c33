from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("studies", "0001_initial")]

    operations = [
        migrations.AddField("job", "live", models.BooleanField(default=False)),
        migrations.AddField("product", "live", models.BooleanField(default=False)),
    ]
