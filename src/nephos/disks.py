"""The disks that Nephos writes to: that of its data folder, and that of the database, which may be one."""

import os
import shutil
from dataclasses import dataclass
from pathlib import Path

from nephos.home import HOME, database_folder

LEAST_FREE = int(os.environ.get("NEPHOS_LEAST_FREE", str(500 * 2**20)))
"""Bytes that must be free on each disk to start, and for uploads and calculations."""


@dataclass(frozen=True)
class Disk:
    """A disk that Nephos writes to: what lies on it, the folder, and the bytes that are free."""

    title: str
    folder: Path
    free: int


def _free_in(folder: Path) -> int:
    while not folder.exists():
        folder = folder.parent
    return shutil.disk_usage(folder).free


def disks() -> list[Disk]:
    """The disks of the data folder and of the database; that of a database on another machine is not measured here."""
    found = [Disk("of Nephos", HOME, _free_in(HOME))]
    if not os.environ.get("NEPHOS_DATABASE_URL"):
        folder = database_folder()
        found.append(Disk("of the database", folder, _free_in(folder)))
    return found


def fullest() -> Disk:
    """The disk with the least room."""
    return min(disks(), key=lambda disk: disk.free)
