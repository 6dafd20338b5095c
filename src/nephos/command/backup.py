"""Backups: everything the shop has made, in one zip file, taken while Nephos runs; and back again.

Each table is an entry in the text format of PostgreSQL's COPY, all from one moment. Results can be calculated again and
are left out unless they are asked for."""

import argparse
import json
import os
import subprocess
import sys
import time
import zipfile
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path
from typing import Any

import psycopg
from psycopg import sql

from nephos.command import lock, postgres
from nephos.command.machine import SetupFailed, say
from nephos.home import HOME, load_config

FORMAT, VERSION = "nephos-backup", 1
_APP = "nephos"
LEFT_OUT = frozenset({"calculation", "result", "resultarray"})
"""Models that a backup leaves out: running calculations, and results, which can be recalculated."""
RESULTS = ("result", "resultarray")
"""Of these, what a backup with results has."""
_FILES = "SELECT file_id FROM nephos_mesh WHERE state <> 'refused'"
_KEPT_BEFORE_UPGRADES = 5
_MIGRATIONS = Path(__file__).parents[1] / "web" / "migrations"
_COMING, _GOING = "nephos_restoring", "nephos_replaced"
"""Names of the database that a restore fills, and of the one that it replaces until that is dropped."""


def tables() -> list[str]:
    """Models that a backup holds, in lower case, each after those that its rows refer to."""
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "nephos.web.settings")
    import django

    django.setup()
    from django.apps import apps

    models = {str(model._meta.model_name): model for model in apps.get_app_config(_APP).get_models()}
    found: list[str] = []

    def add(name: str) -> None:
        for field in models[name]._meta.get_fields():
            other = str(field.related_model._meta.model_name) if field.many_to_one else ""
            if other in models and other not in (*found, name):
                add(other)
        if name not in found:
            found.append(name)

    for name in models:
        add(name)
    return [name for name in found if name not in LEFT_OUT]


def _queries(results: bool) -> Iterator[tuple[str, str]]:
    """Names of tables, in an order in which they can be filled, each with the condition on its rows."""
    blobs = f"{_FILES} UNION SELECT blob_id FROM nephos_resultarray" if results else _FILES
    conditions = {
        "blob": f"id IN ({blobs})",
        "chunk": f"blob_id IN ({blobs})",
        "mesh": "state <> 'refused'",
    }
    for name in [*tables(), *(RESULTS if results else ())]:
        yield name, conditions.get(name, "TRUE")


def _columns(connection: "psycopg.Connection[Any]", table: str) -> list[str]:
    rows = connection.execute(
        "SELECT column_name FROM information_schema.columns WHERE table_schema = 'public' AND table_name = %s "
        "ORDER BY ordinal_position",
        [table],
    ).fetchall()
    return [str(row[0]) for row in rows]


def write_backup(target: Path, results: bool = False, url: str | None = None) -> dict[str, Any]:
    """Write a backup; returns what it says of itself. The file is there whole or not at all."""
    partial = target.with_name(target.name + ".part")
    with psycopg.connect(url or postgres.url()) as connection:
        connection.execute("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ READ ONLY")
        done = connection.execute(
            "SELECT name FROM django_migrations WHERE app = %s ORDER BY name DESC LIMIT 1", [_APP]
        ).fetchone()
        migration = str(done[0]) if done else ""
        tables = {}
        try:
            with zipfile.ZipFile(partial, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as archive:
                for name, condition in _queries(results):
                    table = f"{_APP}_{name}"
                    columns = _columns(connection, table)
                    if not columns:
                        continue
                    tables[name] = columns
                    listed = ", ".join(f'"{column}"' for column in columns)
                    with (
                        archive.open(f"{name}.copy", "w", force_zip64=True) as out,
                        connection.cursor() as cursor,
                        cursor.copy(
                            f'COPY (SELECT {listed} FROM "{table}" WHERE {condition} ORDER BY 1) TO STDOUT'
                        ) as rows,
                    ):
                        for piece in rows:
                            out.write(piece)
                about = {
                    "format": FORMAT,
                    "version": VERSION,
                    "migration": migration,
                    "results": results,
                    "tables": tables,
                    "made": time.strftime("%Y-%m-%d %H:%M:%S"),
                }
                archive.writestr("backup.json", json.dumps(about, indent=1))
        except BaseException:
            partial.unlink(missing_ok=True)
            raise
    partial.replace(target)
    return about


def read_about(source: Path) -> dict[str, Any]:
    """What a backup says of itself; every entry of it was checked then.

    Raises
    ------
    SetupFailed
        Where the file is no backup, or damaged, or of a newer Nephos.
    """
    try:
        with zipfile.ZipFile(source) as archive:
            bad = archive.testzip()
            about = json.loads(archive.read("backup.json"))
    except FileNotFoundError:
        raise SetupFailed(f"{source} is not there") from None
    except Exception:
        raise SetupFailed(f"{source.name} is no backup of Nephos, or damaged") from None
    if bad or not isinstance(about, dict) or about.get("format") != FORMAT or not isinstance(about.get("tables"), dict):
        raise SetupFailed(f"{source.name} is no backup of Nephos, or damaged")
    known = _migrations()
    if about.get("version") != VERSION or about.get("migration") not in known:
        raise SetupFailed(f"{source.name} was made by a newer Nephos: update this one first")
    return about


def _migrations() -> list[str]:
    return sorted(path.stem for path in _MIGRATIONS.glob("0*.py"))


def fill(source: Path, about: dict[str, Any], url: str) -> None:
    """Replace all rows of a database at the backup's own migration by those of the backup, in one transaction.

    Migrations seed some tables, such as the materials, so all of them are emptied first.
    """
    with psycopg.connect(url) as connection, zipfile.ZipFile(source) as archive:
        present = connection.execute(
            "SELECT tablename FROM pg_tables WHERE schemaname = 'public' AND tablename LIKE 'nephos\\_%'"
        ).fetchall()
        names = sql.SQL(", ").join(sql.Identifier(str(row[0])) for row in present)
        connection.execute(sql.SQL("TRUNCATE {} CASCADE").format(names))
        for name, columns in about["tables"].items():
            table = f"{_APP}_{name}"
            if set(columns) - set(_columns(connection, table)):
                raise SetupFailed(f"{source.name} holds columns that {name} does not have: it is damaged")
            listed = ", ".join(f'"{column}"' for column in columns)
            with (
                archive.open(f"{name}.copy") as rows,
                connection.cursor() as cursor,
                cursor.copy(f'COPY "{table}" ({listed}) FROM STDIN') as copy,
            ):
                while piece := rows.read(1 << 20):
                    copy.write(piece)
            if "id" in columns:
                connection.execute(
                    f"SELECT setval(pg_get_serial_sequence('\"{table}\"', 'id'), "
                    f'GREATEST((SELECT max(id) FROM "{table}"), 1))'
                )
        if not about["results"]:
            # What is known of meshes is a result: they are read again.
            connection.execute("UPDATE nephos_mesh SET state = 'reading'")


def backup(words: list[str]) -> int:
    """`./nephos backup FILE`."""
    parser = argparse.ArgumentParser(
        prog="nephos backup", description="Write all jobs, meshes, cutters, materials, posts and settings to a file."
    )
    parser.add_argument("file", type=Path)
    parser.add_argument(
        "--results", action="store_true", help="with calculated results, so that nothing has to be calculated again"
    )
    arguments = parser.parse_args(words)
    was_running = lock.running() is not None
    if not was_running:
        postgres.start(load_config())
    try:
        about = write_backup(arguments.file, arguments.results)
    except psycopg.Error as error:
        raise SetupFailed(f"the database does not answer: {str(error).splitlines()[0]}") from None
    finally:
        if not was_running:
            postgres.stop()
    say(f"{arguments.file} holds {', '.join(about['tables'])}: {arguments.file.stat().st_size / 2**20:.1f} MB")
    return 0


def restore(words: list[str]) -> int:
    """`./nephos restore FILE`."""
    parser = argparse.ArgumentParser(
        prog="nephos restore", description="Put a backup in the place of all that there is now."
    )
    parser.add_argument("file", type=Path)
    parser.add_argument("--yes", action="store_true", help="do not ask")
    arguments = parser.parse_args(words)
    about = read_about(arguments.file)
    if lock.running():
        raise SetupFailed("Nephos runs: stop it first (./nephos stop)")
    if not arguments.yes:
        answer = input(
            f"All that is in Nephos now is replaced by the backup of {about['made']}. Type 'restore' to go on: "
        )
        if answer.strip() != "restore":
            say("nothing was changed")
            return 1
    postgres.start(load_config())
    try:
        keep_aside("before-restore")
        _fill_beside(arguments.file, about)
        _put_in_place()
    except psycopg.Error as error:
        raise SetupFailed(f"the restore failed and nothing was changed: {str(error).strip().splitlines()[0]}") from None
    finally:
        postgres.stop()
    say(f"restored from {arguments.file}; ./nephos start goes on with it")
    return 0


def keep_aside(what: str) -> None:
    """Back up the present database into the folder `backups`, before it is replaced; nothing if there is none."""
    if not _has_tables():
        return
    target = HOME / "backups" / f"{what}-{time.strftime('%Y%m%d-%H%M%S')}.zip"
    target.parent.mkdir(parents=True, exist_ok=True)
    write_backup(target)
    say(f"what was there before is kept in {target.relative_to(HOME.parent)}")


def _fill_beside(source: Path, about: dict[str, Any]) -> None:
    """Fill a database of another name from a backup, bring it up to date and check it. A restore that fails or is
    killed here has changed nothing."""
    with postgres.connect("postgres", autocommit=True) as connection:
        connection.execute(f"DROP DATABASE IF EXISTS {_COMING} WITH (FORCE)")
        connection.execute(f"CREATE DATABASE {_COMING}")
    migration = str(about["migration"])
    _migrate(_COMING, migration)
    fill(source, about, postgres.url(_COMING))
    _migrate(_COMING)
    _check(source, about, postgres.url(_COMING))


def _check(source: Path, about: dict[str, Any], url: str) -> None:
    """Count the rows of each table against the lines of its entry.

    Raises
    ------
    SetupFailed
        Where rows are missing.
    """
    with psycopg.connect(url) as connection, zipfile.ZipFile(source) as archive:
        for name in about["tables"]:
            (rows,) = connection.execute(
                sql.SQL("SELECT count(*) FROM {}").format(sql.Identifier(f"{_APP}_{name}"))
            ).fetchone() or (0,)
            lines = 0
            with archive.open(f"{name}.copy") as entry:
                while piece := entry.read(1 << 20):
                    lines += piece.count(b"\n")
            if rows < lines:
                raise SetupFailed(
                    f"the restore failed and nothing was changed: of {lines} rows of {name} only {rows} came in"
                )


def _put_in_place() -> None:
    """Give the filled database its name; the one before it goes. Both are renamed at once, so that a restore that is
    killed leaves the one or the other."""
    with postgres.connect("postgres", autocommit=True) as connection:
        connection.execute(f"DROP DATABASE IF EXISTS {_GOING} WITH (FORCE)")
        connection.execute(
            "SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname IN ('nephos', %s)", [_COMING]
        )
        with connection.transaction():
            connection.execute(f"ALTER DATABASE nephos RENAME TO {_GOING}")
            connection.execute(f"ALTER DATABASE {_COMING} RENAME TO nephos")
        # The restore is complete: if the old database cannot be dropped now, the next restore drops it.
        with suppress(psycopg.Error):
            connection.execute(f"DROP DATABASE {_GOING} WITH (FORCE)")


def _has_tables() -> bool:
    with psycopg.connect(postgres.url()) as connection:
        found = connection.execute("SELECT to_regclass('nephos_job')").fetchone()
        return found is not None and found[0] is not None


def _newest() -> str:
    return _migrations()[-1]


def _migrate(database: str, to: str | None = None) -> None:
    """Bring a database to a migration of ours, or to the newest."""
    words = [sys.executable, "-m", "django", "migrate", *([_APP, to] if to else []), "--skip-checks", "-v", "0"]
    settings = {"DJANGO_SETTINGS_MODULE": "nephos.web.settings", "NEPHOS_DATABASE": database}
    done = subprocess.run(
        words, check=False, capture_output=True, text=True, stdin=subprocess.DEVNULL, env=os.environ | settings
    )
    if done.returncode:
        said = done.stderr.strip().splitlines() or ["no reason was given"]
        raise SetupFailed(f"the restore failed and nothing was changed: {said[-1]}")


def before_upgrade() -> None:
    """Back up a database that is about to be migrated, and keep the last few of these files."""
    if not _has_tables():
        return
    with psycopg.connect(postgres.url()) as connection:
        done = {
            str(row[0])
            for row in connection.execute("SELECT name FROM django_migrations WHERE app = %s", [_APP]).fetchall()
        }
        (jobs,) = connection.execute("SELECT count(*) FROM nephos_job").fetchone() or (0,)
    if _newest() in done or not jobs:
        return
    keep_aside(f"before-{_newest()}")
    folder = HOME / "backups"
    for old in sorted(folder.glob("before-0*.zip"), key=lambda path: path.stat().st_mtime)[:-_KEPT_BEFORE_UPGRADES]:
        old.unlink()
