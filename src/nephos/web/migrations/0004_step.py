"""How far a calculation's present step is."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("nephos", "0003_posts_and_times")]

    operations = [
        migrations.AddField(model_name="calculation", name="step", field=models.FloatField(default=0)),
    ]
