"""`./nephos start` and `stop` as a person at the terminal meets them, in a home of their own."""

import os
import shutil
import signal
import socket
import subprocess
import time
import urllib.request
from pathlib import Path

import pytest

from command.terminal import environment, free_port, python, run, start, wait_until_up
from nephos.home import HOME
from nephos.processes import _of_this_folder


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


def children(home: Path) -> list[int]:
    """Web and worker that a start of that home left running."""
    code = "from nephos.processes import strays; print(*strays())"
    return [int(word) for word in python(home, code).split()]


def gone(home: Path, seconds: float = 15.0) -> bool:
    end = time.monotonic() + seconds
    while children(home) and time.monotonic() < end:
        time.sleep(0.2)
    return not children(home)


def test_children_end_with_a_closed_terminal_and_with_a_killed_supervisor(home: Path) -> None:
    port = free_port()
    first = start(home, port, nohup=True)
    wait_until_up(first)
    assert len(children(home)) >= 3, "the web server, its processes and the worker"
    first.send_signal(signal.SIGHUP)
    time.sleep(1.0)
    assert first.poll() is None and answers(port), "started with nohup it stays"
    supervisor = int((home / "running.lock").read_text().split()[0])
    os.kill(supervisor, signal.SIGKILL)
    first.communicate(timeout=30)
    assert gone(home), "children end with a supervisor that is killed"

    second = start(home, port)
    assert f"http://localhost:{port}" in wait_until_up(second), "and the port is free at once"
    second.send_signal(signal.SIGHUP)
    _, told = second.communicate(timeout=30)
    assert second.returncode == 0 and "stopping" in told
    assert not children(home) and not answers(port)


def test_what_a_dead_supervisor_left_is_found_and_ended(home: Path) -> None:
    """As where the children were frozen or could not be told when their parent died."""
    left = subprocess.Popen(
        ["sleep", "600"], env=environment(home) | {"NEPHOS_STARTED_FROM": str(home)}, start_new_session=True
    )
    other = subprocess.Popen(["sleep", "600"], env=environment(home) | {"NEPHOS_STARTED_FROM": "/another/folder"})
    try:
        assert children(home) == [left.pid]
        assert "what an earlier start left running was stopped" in run(home, "stop").stderr
        assert left.wait(5) == -signal.SIGTERM
        assert other.poll() is None, "another copy's processes are left alone"
        assert "does not run" in run(home, "stop").stderr
        assert not _of_this_folder(os.getpid())
    finally:
        left.kill()
        other.kill()


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
    assert capsys.readouterr().err.strip() == (
        f"nephos: only 3 MB are free on the disk of Nephos ({HOME}): Nephos needs 500 MB to start"
    )


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
