"""`./nephos backup` and `restore` as a person at the terminal runs them: nothing is lost, whatever happens."""

import json
import signal
import subprocess
import time
import zipfile
from pathlib import Path

import pytest

from command.terminal import environment, python, run
from nephos.command import backup
from nephos.home import ROOT

_READY = """
import django; django.setup()
from django.core.management import call_command
from nephos.command import backup, postgres
from nephos.home import load_config
postgres.start(load_config())
call_command("migrate", verbosity=0, interactive=False, skip_checks=True)
from nephos.web.models import *
"""
_FILL = (
    _READY
    + """
from nephos.web.blobs import save_blob
from nephos.core.machine.machine import MACHINES
from nephos.command.sample import sample_cutters
for cutter in sample_cutters():
    Cutter.objects.create(number=cutter.number, data=cutter.model_dump())
Cutter.objects.create(number=77, data=sample_cutters()[0].model_dump() | {"number": 77})
Material.objects.filter(name="lime").delete()
Material.objects.create(name="bog oak", data={"name": "bog oak"})
Machine.objects.create(key="barn", data=next(iter(MACHINES.values())).model_dump(mode="json") | {"id": "barn"})
Post.objects.create(key="own", data={"id": "own"})
Piece.objects.create(data={"name": "board"})
RealTime.objects.create(machine="barn", job="x", calculated=1, real=2)
Setting.objects.create(key="result-limit", value=10**9)
Mesh.objects.create(name="a.stl", state="ready", digest="d" * 64, file=save_blob([b"x" * 3_000_000]))
for k in range(300):
    job = Job.objects.create(name=f"Job {k}\\twith\\nsigns \\\\ and ü")
    Revision.objects.create(job=job, number=1, plan={"k": k, "text": "line\\nline"})
Job.objects.filter(name__startswith="Job 7").update(deleted="2026-11-30T00:00Z")
"""
)
_COUNT = (
    _READY
    + """
import json, hashlib
from nephos.web.blobs import read_chunks
models = [Job, Revision, Cutter, Material, Machine, Post, Piece, RealTime, Setting, Mesh, Chunk]
found = {m.__name__: getattr(m, "every", m.objects).count() for m in models}
found["names"] = hashlib.sha256("".join(Job.every.order_by("pk").values_list("name", flat=True)).encode()).hexdigest()
found["live"] = Job.objects.count()
mesh = Mesh.objects.first()
found["file"] = mesh and len(b"".join(read_chunks(mesh.file_id)))
Job.objects.create(name="one more").delete()
print(json.dumps(found))
"""
)


def rows(home: Path) -> dict:
    return json.loads(python(home, _COUNT).splitlines()[-1])


@pytest.fixture(scope="module")
def filled(shared_home: Path) -> tuple[Path, dict]:
    """A home with a filled shop, and what is in it; each test leaves it so."""
    python(shared_home, _FILL)
    return shared_home, rows(shared_home)


def test_every_model_is_in_a_backup_or_left_out_on_purpose() -> None:
    from django.apps import apps

    models = {model._meta.model_name for model in apps.get_app_config("nephos").get_models()}
    assert set(backup.tables()) | backup.LEFT_OUT == models
    assert not set(backup.tables()) & backup.LEFT_OUT
    order = backup.tables()
    assert order.index("job") < order.index("revision") and order.index("blob") < order.index("mesh")


def test_a_filled_shop_comes_back_from_its_backup(filled: tuple[Path, dict], tmp_path: Path) -> None:
    home, before = filled
    assert before["Job"] == 300 and before["Machine"] == 1 and before["file"] == 3_000_000
    file = tmp_path / "shop.zip"
    done = run(home, "backup", str(file))
    assert done.returncode == 0 and "machine" in done.stderr, done.stderr
    python(home, _READY + "Job.every.all().delete(); Machine.every.all().delete(); Material.objects.all().delete()")
    done = run(home, "restore", str(file), "--yes")
    assert done.returncode == 0 and "restored" in done.stderr, done.stderr
    assert rows(home) == before
    aside = next((home / "backups").glob("before-restore-*.zip"))
    assert backup.read_about(aside)["tables"].keys() >= {"job", "machine"}, "and what was there before is kept"
    # An empty home of another machine.
    other = tmp_path / "other"
    other.mkdir()
    for stamp in home.glob("*.stamp"):
        (other / stamp.name).write_text(stamp.read_text())
    try:
        done = run(other, "restore", str(file), "--yes")
        assert done.returncode == 0, done.stderr
        assert rows(other) == before
    finally:
        run(other, "stop")


def test_a_damaged_backup_changes_nothing(filled: tuple[Path, dict], tmp_path: Path) -> None:
    home, before = filled
    file = tmp_path / "shop.zip"
    assert run(home, "backup", str(file)).returncode == 0
    data = bytearray(file.read_bytes())
    data[len(data) // 2] ^= 0xFF
    bad = tmp_path / "bad.zip"
    bad.write_bytes(bytes(data))
    done = run(home, "restore", str(bad), "--yes")
    assert done.returncode == 1 and "damaged" in done.stderr
    # Whole as an archive, but its rows are none: it is found out while the other database is filled.
    wrong = tmp_path / "wrong.zip"
    with zipfile.ZipFile(file) as source, zipfile.ZipFile(wrong, "w") as target:
        for item in source.infolist():
            text = source.read(item)
            target.writestr(item.filename, b"not\ta\trow\n" if item.filename == "revision.copy" else text)
    done = run(home, "restore", str(wrong), "--yes")
    assert done.returncode == 1 and "nothing was changed" in done.stderr and "Traceback" not in done.stderr
    assert rows(home) == before


def test_a_restore_that_is_killed_leaves_the_one_or_the_other(filled: tuple[Path, dict], tmp_path: Path) -> None:
    home, before = filled
    file = tmp_path / "shop.zip"
    assert run(home, "backup", str(file)).returncode == 0
    python(home, _READY + "Job.every.filter(name__contains='1').delete()")
    changed = rows(home)
    assert changed["Job"] < before["Job"]
    for seconds in (1.0, 2.0, 3.0):
        process = subprocess.Popen(
            [str(ROOT / "nephos"), "restore", str(file), "--yes"],
            env=environment(home),
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
            stdin=subprocess.DEVNULL,
            start_new_session=True,
        )
        time.sleep(seconds)
        try:
            process.send_signal(signal.SIGKILL)
        finally:
            process.wait(10)
        assert rows(home) in (before, changed)
    done = run(home, "restore", str(file), "--yes")
    assert done.returncode == 0, done.stderr
    assert rows(home) == before


def test_a_backup_of_an_older_version_is_brought_up_to_date(home: Path, tmp_path: Path) -> None:
    file = tmp_path / "old.zip"
    python(
        home,
        f"""
import django; django.setup()
from pathlib import Path
from nephos.command import backup, postgres
from nephos.home import load_config
postgres.start(load_config())
with postgres.connect("postgres", autocommit=True) as connection:
    connection.execute("CREATE DATABASE older")
backup._migrate("older", "0003_posts_and_times")
with postgres.connect("older") as connection:
    connection.execute("INSERT INTO nephos_job (id, name, version, revision, redo, created, updated) "
        "VALUES (7, 'Old', 1, 1, '[]', now(), now())")
    connection.execute("INSERT INTO nephos_cutter (number, data) VALUES (3, '{{}}')")
print(backup.write_backup(Path({str(file)!r}), url=postgres.url("older")))
""",
    )
    done = run(home, "restore", str(file), "--yes")
    assert done.returncode == 0, done.stderr
    found = rows(home)
    assert (found["Job"], found["Cutter"], found["live"]) == (1, 1, 1)


def test_reset_makes_a_backup_first(filled: tuple[Path, dict]) -> None:
    home, before = filled
    done = run(home, "reset", "--yes")
    assert done.returncode == 0 and "backups/before-reset-" in done.stderr, done.stderr
    assert rows(home)["Job"] == 0
    file = next((home / "backups").glob("before-reset-*.zip"))
    assert run(home, "restore", str(file), "--yes").returncode == 0
    assert rows(home) == before
