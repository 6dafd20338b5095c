"""Deleted rows can be brought back, and progress of a calculation is data."""

from django.db import migrations, models

_DELETED = models.DateTimeField(null=True, db_index=True)


def _once(model: str, field: str, name: str) -> migrations.AddConstraint:
    return migrations.AddConstraint(
        model, models.UniqueConstraint(fields=[field], condition=models.Q(deleted=None), name=name)
    )


class Migration(migrations.Migration):
    dependencies = [("nephos", "0006_machines")]

    operations = [
        *[migrations.AddField(model, "deleted", _DELETED) for model in ("job", "cutter", "post", "machine")],
        *[migrations.AlterModelOptions(model, {"base_manager_name": "every"}) for model in ("job", "cutter", "post", "machine")],
        migrations.AlterField("cutter", "number", models.IntegerField()),
        migrations.AlterField("post", "key", models.CharField(max_length=60)),
        migrations.AlterField("machine", "key", models.CharField(max_length=60)),
        _once("cutter", "number", "cutter_number_once"),
        _once("post", "key", "post_key_once"),
        _once("machine", "key", "machine_key_once"),
        migrations.AlterField("job", "updated", models.DateTimeField(auto_now=True, db_index=True)),
        migrations.RemoveField("calculation", "note"),
        migrations.AddField("calculation", "setup", models.CharField(max_length=60, blank=True, default="")),
        migrations.AddField("calculation", "operation", models.IntegerField(null=True)),
        migrations.AddField("calculation", "stage", models.CharField(max_length=40, blank=True, default="")),
    ]
