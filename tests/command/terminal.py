"""`./nephos` as a person at the terminal runs it, in a home of its own."""

import os
import signal
import socket
import subprocess
import sys
from pathlib import Path

from nephos.home import ROOT


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


def environment(home: Path) -> dict[str, str]:
    return {key: value for key, value in os.environ.items() if not key.startswith("NEPHOS_")} | {
        "NEPHOS_HOME": str(home)
    }


def run(home: Path, *words: str, **more) -> "subprocess.CompletedProcess[str]":
    return subprocess.run(
        [str(ROOT / "nephos"), *words],
        env=environment(home),
        capture_output=True,
        text=True,
        stdin=subprocess.DEVNULL,
        timeout=90,
        check=False,
        **more,
    )


def start(home: Path, port: int, nohup: bool = False) -> "subprocess.Popen[str]":
    """Nephos started by a terminal; with `nohup` it goes on when that is closed. The tests themselves may run so."""
    hangup = signal.SIG_IGN if nohup else signal.SIG_DFL
    return subprocess.Popen(
        [str(ROOT / "nephos"), "start", "--empty", "--port", str(port)],
        env=environment(home),
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        text=True,
        stdin=subprocess.DEVNULL,
        preexec_fn=lambda: signal.signal(signal.SIGHUP, hangup),  # noqa: PLW1509
    )


def wait_until_up(process: "subprocess.Popen[str]") -> str:
    assert process.stdout
    line = process.stdout.readline()
    if not line:
        raise AssertionError(process.communicate()[1])
    return line


def python(home: Path, code: str) -> str:
    """What some Python prints that runs beside that home's database."""
    done = subprocess.run(
        [sys.executable, "-c", code],
        env=environment(home) | {"DJANGO_SETTINGS_MODULE": "nephos.web.settings"},
        capture_output=True,
        text=True,
        stdin=subprocess.DEVNULL,
        check=False,
    )
    assert done.returncode == 0, done.stderr
    return done.stdout.strip()
