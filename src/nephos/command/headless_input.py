"""What the headless commands read: their words, and files."""

import argparse
import json
import sys
from pathlib import Path
from typing import Any

from nephos.core.errors import Refused
from nephos.core.mesh.formats import read_mesh
from nephos.core.mesh.model import Mesh
from nephos.core.plan.schema import Plan, parse_plan


class Parser(argparse.ArgumentParser):
    """A parser whose errors are one line."""

    def error(self, message: str) -> Any:
        """Say what is wrong with the words, and end with status 2."""
        print(f"nephos {self.prog.split()[-1]}: {message}", file=sys.stderr)
        raise SystemExit(2)


def load(path: Path) -> bytes:
    """The bytes of a file."""
    try:
        return path.read_bytes()
    except OSError as error:
        raise Refused(f"{path.name}: {error.strerror or error}: give the path of a file that can be read") from None


def load_plan(path: Path) -> Plan:
    """A plan from a JSON file."""
    try:
        document = json.loads(load(path))
    except ValueError as error:
        raise Refused(f"{path.name} is not JSON: {error}") from None
    return parse_plan(document)


def load_meshes(path: Path, names: set[str]) -> dict[str, Mesh]:
    """The meshes that a plan names, which lie beside its file."""
    return {name: read_mesh(name, load(path.parent / name)) for name in names}
