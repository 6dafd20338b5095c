"""One supervisor for each data folder: it holds a lock as long as it lives, whatever ends it."""

import fcntl
import os
from dataclasses import dataclass
from pathlib import Path
from typing import IO

from nephos.home import HOME


@dataclass(frozen=True)
class Running:
    """Who holds the lock: its process and the port that it serves."""

    pid: int
    port: int


def _path() -> Path:
    return HOME / "running.lock"


def _read(file: IO[str]) -> Running | None:
    file.seek(0)
    words = file.read().split()
    return (
        Running(int(words[0]), int(words[1])) if len(words) == 2 and all(word.isdecimal() for word in words) else None
    )


def running() -> Running | None:
    """Who runs Nephos from this folder; none where nobody does."""
    if not _path().exists():
        return None
    with _path().open("r+") as file:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            return _read(file) or Running(0, 0)
        return None


def take(port: int) -> IO[str] | None:
    """Take the lock for this process; none where another one has it. It is given back when the file is closed or the
    process ends."""
    HOME.mkdir(parents=True, exist_ok=True)
    file = _path().open("a+")
    try:
        fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        file.close()
        return None
    file.seek(0)
    file.truncate()
    file.write(f"{os.getpid()} {port}")
    file.flush()
    # Children must not hold it on.
    os.set_inheritable(file.fileno(), False)
    return file
