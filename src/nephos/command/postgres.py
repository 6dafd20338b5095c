"""A private PostgreSQL cluster on loopback, run as an unprivileged user."""

import hashlib
import os
import pwd
import subprocess
import tempfile
import time
from pathlib import Path
from typing import TYPE_CHECKING, Any

from nephos.command.machine import SetupFailed, ensure_packages, say
from nephos.home import Config, database_folder, load_config

if TYPE_CHECKING:
    import psycopg

_OWNER = "postgres"


def _bin() -> Path:
    found = sorted(Path("/usr/lib/postgresql").glob("*/bin/initdb"))
    if not found:
        ensure_packages({"/usr/lib/postgresql": "postgresql"})
        found = sorted(Path("/usr/lib/postgresql").glob("*/bin/initdb"))
    if not found:
        raise SetupFailed("PostgreSQL's server is missing: install Debian's package postgresql")
    return found[-1].parent


def _as_owner(words: list[str], **more: object) -> "subprocess.CompletedProcess[str]":
    extra: dict[str, Any] = {"capture_output": True, "text": True, "stdin": subprocess.DEVNULL, "cwd": "/"} | more
    if os.geteuid() == 0:
        user = pwd.getpwnam(_OWNER)
        extra |= {"user": user.pw_uid, "group": user.pw_gid, "extra_groups": []}
    return subprocess.run(words, check=False, **extra)


def _create(folder: Path, config: Config) -> None:
    say("creating the database")
    folder.parent.mkdir(parents=True, exist_ok=True)
    folder.mkdir(mode=0o700, exist_ok=True)
    if os.geteuid() == 0:
        user = pwd.getpwnam(_OWNER)
        os.chown(folder, user.pw_uid, user.pw_gid)
    with tempfile.NamedTemporaryFile("w", suffix=".pw") as secret:
        secret.write(config.database_password)
        secret.flush()
        os.chmod(secret.name, 0o644 if os.geteuid() == 0 else 0o600)
        done = _as_owner(
            [
                str(_bin() / "initdb"),
                "-D",
                str(folder / "data"),
                "-U",
                "nephos",
                "-A",
                "scram-sha-256",
                f"--pwfile={secret.name}",
                "-E",
                "UTF8",
                "--locale=C.UTF-8",
            ]
        )
    if done.returncode:
        raise SetupFailed(
            f"the database could not be created: {done.stderr.strip().splitlines()[-1:] or 'is the disk full?'}"
        )
    (folder / "made-by").write_text(_mark(config))
    with (folder / "data" / "postgresql.conf").open("a") as conf:
        conf.write(
            f"\nlisten_addresses = '127.0.0.1'\nport = {config.database_port}\nunix_socket_directories = ''\n"
            "shared_buffers = 256MB\nmax_wal_size = 2GB\nsynchronous_commit = on\n"
        )


def _mark(config: Config) -> str:
    return hashlib.sha256(config.database_password.encode()).hexdigest()


def _put_aside_strange(folder: Path, config: Config) -> None:
    """Put a cluster aside that another copy in this place made, whose password is not ours. Nothing is deleted."""
    mark = folder / "made-by"
    if not (folder / "data").exists() or (mark.exists() and mark.read_text() == _mark(config)):
        return
    _as_owner([str(_bin() / "pg_ctl"), "-D", str(folder / "data"), "-m", "fast", "-w", "stop"])
    aside = folder.with_name(f"{folder.name}.{time.strftime('%Y%m%d-%H%M%S')}")
    folder.rename(aside)
    say(f"a database of an earlier copy was put aside as {aside.name}")


def start(config: Config) -> None:
    """Create the cluster if there is none, and start it if it does not run."""
    binary, folder = _bin(), database_folder()
    _put_aside_strange(folder, config)
    if not (folder / "data" / "PG_VERSION").exists():
        _create(folder, config)
    if _as_owner([str(binary / "pg_ctl"), "-D", str(folder / "data"), "status"]).returncode == 0:
        _ensure_database(config)
        return
    done = _as_owner(
        [str(binary / "pg_ctl"), "-D", str(folder / "data"), "-l", str(folder / "log"), "-w", "-t", "30", "start"],
        capture_output=False,
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
    )
    if done.returncode:
        tail = (
            (folder / "log").read_text(errors="replace").strip().splitlines()[-3:] if (folder / "log").exists() else []
        )
        raise SetupFailed(f"the database does not start on port {config.database_port}: {' '.join(tail)}")
    _ensure_database(config)


def url(name: str | None = None) -> str:
    """Connection string of a database of the cluster; by default that of the environment, or `nephos`."""
    config, name = load_config(), name or os.environ.get("NEPHOS_DATABASE", "nephos")
    return f"host=127.0.0.1 port={config.database_port} user=nephos password={config.database_password} dbname={name}"


def connect(name: str, **more: Any) -> "psycopg.Connection[Any]":
    """A connection to a database of the cluster, which must run."""
    import psycopg

    return psycopg.connect(url(name), **more)


def runs() -> bool:
    """Whether the cluster runs."""
    return _as_owner([str(_bin() / "pg_ctl"), "-D", str(database_folder() / "data"), "status"]).returncode == 0


def _ensure_database(config: Config) -> None:
    import psycopg

    url = f"host=127.0.0.1 port={config.database_port} user=nephos password={config.database_password}"
    for _ in range(50):
        try:
            with psycopg.connect(f"{url} dbname=postgres", autocommit=True) as connection:
                found = connection.execute("SELECT 1 FROM pg_database WHERE datname = 'nephos'").fetchone()
                if not found:
                    connection.execute("CREATE DATABASE nephos")
            return
        except psycopg.OperationalError:
            time.sleep(0.2)
    raise SetupFailed(f"the database on port {config.database_port} does not answer: is another program on that port?")


def stop() -> None:
    """Stop the cluster; nothing if it does not run."""
    folder = database_folder()
    if (folder / "data" / "PG_VERSION").exists():
        _as_owner([str(_bin() / "pg_ctl"), "-D", str(folder / "data"), "-m", "fast", "-w", "stop"])
