"""Backups: everything the shop has made, in one zip file, taken while Nephos runs; and back again.

Each table is an entry in the text format of PostgreSQL's COPY, all from one moment. Results can be calculated again and
are left out unless they are asked for."""

import argparse
import json
import os
import time
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import psycopg

from nephos.command import lock, postgres
from nephos.command.machine import SetupFailed, say
from nephos.home import HOME, load_config

FORMAT, VERSION = "nephos-backup", 1
_APP = "nephos"
_TABLES = ("cutter", "material", "piece", "post", "realtime", "setting", "job", "revision")
_FILES = "SELECT file_id FROM nephos_mesh WHERE state <> 'refused'"
_KEPT_BEFORE_UPGRADES = 5


def _url() -> str:
    config = load_config()
    name = os.environ.get("NEPHOS_DATABASE", "nephos")
    return f"host=127.0.0.1 port={config.database_port} user=nephos password={config.database_password} dbname={name}"


def _queries(results: bool) -> Iterator[tuple[str, str]]:
    """Names of tables, in an order in which they can be filled, each with the condition on its rows."""
    for name in _TABLES:
        yield name, "TRUE"
    blobs = f"{_FILES} UNION SELECT blob_id FROM nephos_resultarray" if results else _FILES
    yield "blob", f"id IN ({blobs})"
    yield "chunk", f"blob_id IN ({blobs})"
    yield "mesh", "state <> 'refused'"
    if results:
        yield "result", "TRUE"
        yield "resultarray", "TRUE"


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
    with psycopg.connect(url or _url()) as connection:
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
    known = sorted(path.stem for path in (Path(__file__).parents[1] / "web" / "migrations").glob("0*.py"))
    if about.get("version") != VERSION or about.get("migration") not in known:
        raise SetupFailed(f"{source.name} was made by a newer Nephos: update this one first")
    return about


def fill(source: Path, about: dict[str, Any], url: str | None = None) -> None:
    """Put a backup's rows into empty tables at the backup's own migration; all or nothing."""
    with psycopg.connect(url or _url()) as connection, zipfile.ZipFile(source) as archive:
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
    config = load_config()
    postgres.start(config)
    try:
        aside = HOME / "backups" / f"before-restore-{time.strftime('%Y%m%d-%H%M%S')}.zip"
        aside.parent.mkdir(parents=True, exist_ok=True)
        if _has_tables():
            write_backup(aside)
            say(f"what was there before is kept in {aside.relative_to(HOME.parent)}")
        _anew(about)
        fill(arguments.file, about)
        _migrate()
    finally:
        postgres.stop()
    say(f"restored from {arguments.file}; ./nephos start goes on with it")
    return 0


def _has_tables() -> bool:
    with psycopg.connect(_url()) as connection:
        found = connection.execute("SELECT to_regclass('nephos_job')").fetchone()
        return found is not None and found[0] is not None


def _anew(about: dict[str, Any]) -> None:
    """An empty database at the backup's migration."""
    config = load_config()
    url = f"host=127.0.0.1 port={config.database_port} user=nephos password={config.database_password} dbname=postgres"
    with psycopg.connect(url, autocommit=True) as connection:
        connection.execute("DROP DATABASE IF EXISTS nephos WITH (FORCE)")
        connection.execute("CREATE DATABASE nephos")
    _migrate()
    if about["migration"] != _newest():
        _migrate(str(about["migration"]))


def _newest() -> str:
    return sorted(path.stem for path in (Path(__file__).parents[1] / "web" / "migrations").glob("0*.py"))[-1]


def _migrate(to: str | None = None) -> None:
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "nephos.web.settings")
    import django

    django.setup()
    from django.core.management import call_command

    call_command("migrate", *([_APP, to] if to else []), verbosity=0, interactive=False, skip_checks=True)


def before_upgrade() -> None:
    """Back up a database that is about to be migrated, and keep the last few of these files."""
    if not _has_tables():
        return
    with psycopg.connect(_url()) as connection:
        done = {
            str(row[0])
            for row in connection.execute("SELECT name FROM django_migrations WHERE app = %s", [_APP]).fetchall()
        }
        (jobs,) = connection.execute("SELECT count(*) FROM nephos_job").fetchone() or (0,)
    if _newest() in done or not jobs:
        return
    folder = HOME / "backups"
    folder.mkdir(parents=True, exist_ok=True)
    target = folder / f"before-{_newest()}-{time.strftime('%Y%m%d-%H%M%S')}.zip"
    write_backup(target)
    say(f"before this upgrade all was backed up to {target.relative_to(HOME.parent)}")
    for old in sorted(folder.glob("before-0*.zip"), key=lambda path: path.stat().st_mtime)[:-_KEPT_BEFORE_UPGRADES]:
        old.unlink()
