"""The kinds of setup as they are worked out. A new one is a module here and one line in `_MODULES`."""

from collections.abc import Callable
from functools import cache
from importlib import import_module
from typing import Any

from nephos.core.plan.setups.setup import Setup
from nephos.core.setups.kind import SetupKind

_MODULES = ("face", "rotary", "tiled")
_KINDS: dict[type[Setup], Callable[[Any], SetupKind]] = {}


def register(setup: type[Setup], kind: Callable[[Any], SetupKind]) -> None:
    """Have setups of a class, and of those that inherit from it, worked out by a kind."""
    _KINDS[setup] = kind


@cache
def _load() -> None:
    """Load the kinds that ship, at first use: they are made of modules that ask for kinds themselves."""
    for name in _MODULES:
        for setup, kind in import_module(f"nephos.core.setups.{name}").KINDS.items():
            _KINDS.setdefault(setup, kind)


def kind_of(setup: Setup) -> SetupKind:
    """How a setup is worked out."""
    _load()
    kind = next(_KINDS[base] for base in type(setup).__mro__ if base in _KINDS)
    return kind(setup)
