"""What is kept: jobs with all their revisions, cutters, meshes, results, calculations."""

from django.db import models
from django.utils import timezone


class Blob(models.Model):
    """Bytes of any length (`size`), kept as compressed chunks (`stored` bytes), never whole in memory of the web
    process."""

    size = models.BigIntegerField(default=0)
    stored = models.BigIntegerField(default=0)
    created = models.DateTimeField(default=timezone.now, db_index=True)


class Chunk(models.Model):
    """A piece of a blob, compressed with zstd."""

    blob = models.ForeignKey(Blob, on_delete=models.CASCADE, related_name="chunks")
    position = models.IntegerField()
    data = models.BinaryField()

    class Meta:
        constraints = (models.UniqueConstraint(fields=["blob", "position"], name="chunk_once"),)


class Mesh(models.Model):
    """An uploaded mesh. The file is kept as it came; the rest is found out by a worker."""

    class State(models.TextChoices):
        READING = "reading"
        READY = "ready"
        REFUSED = "refused"

    name = models.CharField(max_length=200)
    state = models.CharField(max_length=10, choices=State, default=State.READING)
    reason = models.TextField(blank=True)
    digest = models.CharField(max_length=64, blank=True, db_index=True)
    file = models.ForeignKey(Blob, on_delete=models.PROTECT)
    facts = models.JSONField(default=dict)
    thumbnail = models.BinaryField(null=True)
    created = models.DateTimeField(auto_now_add=True)


class Result(models.Model):
    """The result of a stage, under the hash of its inputs; `size` is what it takes in the database,
    `job` for which it was made first, `used` when it was asked for last, to the hour."""

    key = models.CharField(primary_key=True, max_length=200)
    stage = models.CharField(max_length=20)
    facts = models.JSONField(default=dict)
    size = models.BigIntegerField(default=0)
    job = models.BigIntegerField(null=True, db_index=True)
    created = models.DateTimeField(auto_now_add=True)
    used = models.DateTimeField(default=timezone.now, db_index=True)


class ResultArray(models.Model):
    """One named array of a result, little-endian."""

    result = models.ForeignKey(Result, on_delete=models.CASCADE, related_name="arrays")
    name = models.CharField(max_length=40)
    dtype = models.CharField(max_length=8)
    shape = models.JSONField()
    blob = models.ForeignKey(Blob, on_delete=models.CASCADE)

    class Meta:
        constraints = (models.UniqueConstraint(fields=["result", "name"], name="array_once"),)


class Setting(models.Model):
    """A setting of the shop."""

    key = models.CharField(max_length=60, unique=True)
    value = models.JSONField()


class Live(models.Manager):
    """Rows that are not deleted."""

    def get_queryset(self) -> models.QuerySet:
        """All rows but the deleted ones."""
        return super().get_queryset().filter(deleted=None)


class Deletable(models.Model):
    """A row that can be brought back for some days after it was deleted (`web/deleted.py`).

    `objects` are the rows that are not deleted, `every` all of them."""

    deleted = models.DateTimeField(null=True, db_index=True)
    objects = Live()
    every = models.Manager()

    class Meta:
        abstract = True
        base_manager_name = "every"


def _once(field: str, name: str) -> models.UniqueConstraint:
    """Two rows that are not deleted never have the same value of a field."""
    return models.UniqueConstraint(fields=[field], condition=models.Q(deleted=None), name=name)


class Job(Deletable):
    """A job. `version` rises with every change, undo and redo among them; a write names the one it saw."""

    name = models.CharField(max_length=120)
    version = models.IntegerField(default=1)
    revision = models.IntegerField(default=1)
    redo = models.JSONField(default=list)
    picture = models.BinaryField(null=True)
    created = models.DateTimeField(auto_now_add=True)
    updated = models.DateTimeField(auto_now=True, db_index=True)


class Revision(models.Model):
    """A plan as it was at some moment. None is ever changed or thrown away while its job lives."""

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="revisions")
    number = models.IntegerField()
    parent = models.IntegerField(null=True)
    plan = models.JSONField()
    note = models.CharField(max_length=200, blank=True)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = (models.UniqueConstraint(fields=["job", "number"], name="revision_once"),)


class Cutter(Deletable):
    """A cutter of the shop, as the core describes it."""

    number = models.IntegerField()
    data = models.JSONField()

    class Meta(Deletable.Meta):
        constraints = (_once("number", "cutter_number_once"),)


class Material(models.Model):
    """A material of the shop, as the core describes it."""

    name = models.CharField(max_length=60, unique=True)
    data = models.JSONField()


class Piece(models.Model):
    """A piece of stock on the shop's shelf, as the core describes it."""

    data = models.JSONField()


class Post(Deletable):
    """A post of the shop's own, as the core describes it."""

    key = models.CharField(max_length=60)
    data = models.JSONField()

    class Meta(Deletable.Meta):
        constraints = (_once("key", "post_key_once"),)


class Machine(Deletable):
    """A machine of the shop, as the core describes it."""

    key = models.CharField(max_length=60)
    data = models.JSONField()

    class Meta(Deletable.Meta):
        constraints = (_once("key", "machine_key_once"),)


class RealTime(models.Model):
    """What a job really took on a machine, beside what was calculated for it, in seconds."""

    machine = models.CharField(max_length=60)
    job = models.CharField(max_length=120)
    calculated = models.FloatField()
    real = models.FloatField()
    entered = models.DateTimeField(auto_now_add=True)


class Calculation(models.Model):
    """A calculation of one revision.

    `fraction` is the share done. `setup` (a tile counts as one), `operation` and `stage` name the present step, and
    `step` is the share done of that."""

    class State(models.TextChoices):
        WAITING = "waiting"
        WORKING = "working"
        DONE = "done"
        FAILED = "failed"
        CANCELLED = "cancelled"

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="calculations")
    revision = models.IntegerField()
    state = models.CharField(max_length=10, choices=State, default=State.WAITING)
    fraction = models.FloatField(default=0)
    step = models.FloatField(default=0)
    setup = models.CharField(max_length=60, blank=True)
    operation = models.IntegerField(null=True)
    stage = models.CharField(max_length=40, blank=True)
    reason = models.TextField(blank=True)
    cancel = models.BooleanField(default=False)
    seconds = models.JSONField(default=dict)
    started = models.DateTimeField(null=True)
    created = models.DateTimeField(auto_now_add=True)
    updated = models.DateTimeField(auto_now=True)
