"""What tells which results may go: their size, when they were used last, for which job; and settings of the shop."""

from django.db import migrations, models
from django.utils import timezone

_STORED = "UPDATE nephos_blob b SET stored = c.bytes FROM (SELECT blob_id, sum(length(data)) AS bytes FROM nephos_chunk GROUP BY blob_id) c WHERE c.blob_id = b.id"
_SIZE = ("UPDATE nephos_result r SET size = a.bytes FROM (SELECT x.result_id, sum(b.stored) AS bytes FROM nephos_resultarray x "
         "JOIN nephos_blob b ON b.id = x.blob_id GROUP BY x.result_id) a WHERE a.result_id = r.key")


class Migration(migrations.Migration):
    dependencies = [("nephos", "0004_step")]

    operations = [
        migrations.CreateModel("Setting", [
            ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
            ("key", models.CharField(max_length=60, unique=True)), ("value", models.JSONField()),
        ]),
        migrations.AddField("blob", "stored", models.BigIntegerField(default=0)),
        migrations.AddField("blob", "created", models.DateTimeField(default=timezone.now, db_index=True)),
        migrations.AddField("result", "used", models.DateTimeField(default=timezone.now, db_index=True)),
        migrations.AddField("result", "size", models.BigIntegerField(default=0)),
        migrations.AddField("result", "job", models.BigIntegerField(null=True, db_index=True)),
        migrations.RunSQL(_STORED, migrations.RunSQL.noop),
        migrations.RunSQL(_SIZE, migrations.RunSQL.noop),
    ]
