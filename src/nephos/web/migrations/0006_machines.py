from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("nephos", "0005_kept_results")]

    operations = [
        migrations.CreateModel(
            name="Machine",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("key", models.CharField(max_length=60, unique=True)),
                ("data", models.JSONField()),
            ],
        ),
    ]
