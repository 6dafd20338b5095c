"""`./nephos start` and `stop` as a person at the terminal meets them, in a home of their own."""

import os
import shutil
import signal
import socket
import subprocess
import sys
import time
import urllib.request
from collections.abc import Iterator
from pathlib import Path

import pytest

from nephos.home import HOME, ROOT


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


@pytest.fixture()
def home(tmp_path: Path) -> Iterator[Path]:
    """A home that has all that was installed and compiled here, but no database yet."""
    folder = tmp_path / "home"
    folder.mkdir()
    for stamp in HOME.glob("*.stamp"):
        shutil.copy(stamp, folder)
    # A folder that root's database user may enter.
    tmp_path.chmod(0o755)
    yield folder
    run(folder, "stop")
    code = "from nephos.command import postgres; print(postgres._folder())"
    done = subprocess.run(
        [sys.executable, "-c", code], env=environment(folder), capture_output=True, text=True, check=True
    )
    shutil.rmtree(done.stdout.strip(), ignore_errors=True)


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


def start(home: Path, port: int) -> "subprocess.Popen[str]":
    return subprocess.Popen(
        [str(ROOT / "nephos"), "start", "--empty", "--port", str(port)],
        env=environment(home),
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        text=True,
        stdin=subprocess.DEVNULL,
    )


def wait_until_up(process: "subprocess.Popen[str]") -> str:
    assert process.stdout
    line = process.stdout.readline()
    if not line:
        raise AssertionError(process.communicate()[1])
    return line


def answers(port: int) -> bool:
    try:
        with urllib.request.urlopen(f"http://127.0.0.1:{port}/api/jobs", timeout=40) as answer:
            return answer.status == 200
    except OSError:
        return False


def test_start_twice_and_stop_by_ctrl_c(home: Path) -> None:
    port = free_port()
    first = start(home, port)
    assert f"http://localhost:{port}" in wait_until_up(first)
    assert answers(port)
    with urllib.request.urlopen(f"http://127.0.0.1:{port}/") as page:
        text = page.read().decode()
    assert "http://" not in text and "https://" not in text, "nothing from outside is reached"

    again = run(home, "start", "--port", str(port))
    assert again.returncode == 1
    assert again.stderr.strip() == f"nephos: Nephos runs already from this folder: open http://localhost:{port}"

    first.send_signal(signal.SIGINT)
    _, told = first.communicate(timeout=30)
    assert first.returncode == 0
    assert told.strip().splitlines()[-1] == "nephos: stopping"
    assert not answers(port)

    # The second time nothing is created: it is up soon, on a machine that other tests load too.
    begin = time.monotonic()
    second = start(home, port)
    wait_until_up(second)
    assert time.monotonic() - begin < 30
    assert run(home, "stop").returncode == 0
    second.communicate(timeout=20)
    assert second.returncode == 0 and not answers(port)
    assert "does not run" in run(home, "stop").stderr


def test_a_port_in_use_is_one_line(home: Path) -> None:
    with socket.socket() as other:
        other.bind(("127.0.0.1", 0))
        other.listen()
        port = other.getsockname()[1]
        done = run(home, "start", "--port", str(port))
    assert done.returncode == 1 and done.stdout == ""
    assert done.stderr.strip() == f"nephos: port {port} is in use by another program: give a free one with --port"


def test_a_full_disk_is_one_line(
    home: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    from nephos.command import service

    usage = shutil.disk_usage("/")
    monkeypatch.setattr(shutil, "disk_usage", lambda path: usage._replace(free=3 * 2**20))
    assert service.run("start", ["--port", str(free_port())]) == 1
    assert capsys.readouterr().err.strip() == "nephos: only 3 MB of disk are free: Nephos needs 500 MB to start"


def test_no_network_is_one_line(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    """What must be installed and cannot be is named, with where the details are."""
    from nephos.command import machine, service

    (tmp_path / "bin").mkdir()
    for name in ("apt-get", "sudo"):
        (tmp_path / "bin" / name).write_text("#!/bin/sh\necho 'Could not resolve host' >&2\nexit 100\n")
        (tmp_path / "bin" / name).chmod(0o755)
    monkeypatch.setenv("PATH", f"{tmp_path / 'bin'}:{os.environ['PATH']}")
    monkeypatch.setattr(machine, "HOME", tmp_path)
    monkeypatch.setattr(
        service, "ensure_built", lambda: machine.ensure_packages({"no-such-program": "no-such-package"})
    )
    assert service.run("start", ["--port", str(free_port())]) == 1
    said = capsys.readouterr().err.strip().splitlines()
    assert said[-1] == (
        "nephos: could not install no-such-package: is the network up, and may you use sudo? "
        "(.nephos/apt.log has the details)"
    )
    assert "Could not resolve host" in (tmp_path / "apt.log").read_text()


def test_commands_that_do_not_exist(tmp_path: Path) -> None:
    done = run(tmp_path, "carve")
    assert done.returncode == 2 and "there is no command 'carve'" in done.stderr


def test_asking_for_help_does_nothing_else(tmp_path: Path) -> None:
    for words in (["--help"], ["reset", "--help"], ["stop", "-h"], ["screenshots", "--help"]):
        done = run(tmp_path, *words)
        assert done.returncode == 0 and done.stdout.startswith("usage: ./nephos COMMAND")
    assert not list(tmp_path.iterdir()), "nothing was set up or thrown away"
