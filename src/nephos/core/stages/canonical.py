"""Canonical encoding of values, for keys: equal values have equal text, and unknown types are refused."""

import hashlib
import json
from dataclasses import field, fields, is_dataclass
from math import isfinite
from typing import Any

import numpy as np
from pydantic import BaseModel


def said(default: str = "") -> Any:
    """A dataclass field that only goes into sentences of refusals, which are never kept: it is left out of keys."""
    return field(default=default, metadata={"said": True})


def _number(value: float) -> object:
    """A number: 5 and 5.0 are the same, and so are 0.0 and -0.0."""
    if not isfinite(value):
        return ["float", str(value)]
    return int(value) if value == int(value) and abs(value) < 2**53 else value


def canonical(value: object) -> object:
    """A value as lists, strings and numbers for JSON.

    Raises
    ------
    TypeError
        For a type that is not known here: its text may leave out part of what a result depends on.
    """
    if value is None or isinstance(value, bool | str):
        return value
    if isinstance(value, np.generic):
        return canonical(value.item())
    if isinstance(value, int | float):
        return _number(value)
    if isinstance(value, tuple | list):
        return [canonical(item) for item in value]
    if isinstance(value, dict):
        return ["dict", *([canonical(key), canonical(value[key])] for key in sorted(value))]
    if isinstance(value, BaseModel):
        return [type(value).__name__, *([name, canonical(getattr(value, name))] for name in type(value).model_fields)]
    key = getattr(value, "key", None)
    if isinstance(key, str):
        return ["stage", key]
    if is_dataclass(value) and not isinstance(value, type):
        own = [item.name for item in fields(value) if not item.metadata.get("said")]
        return [type(value).__name__, *([name, canonical(getattr(value, name))] for name in own)]
    raise TypeError(f"a {type(value).__name__} cannot be part of a key")


def digest(*values: object) -> str:
    """A hash (40 hexadecimal digits) of values."""
    text = json.dumps([canonical(value) for value in values], separators=(",", ":"), ensure_ascii=True)
    return hashlib.sha256(text.encode()).hexdigest()[:40]


def key_of(name: str, version: int, *inputs: object) -> str:
    """Under which a result is kept: its name, and a hash of its version and of all that it depends on."""
    return f"{name}-{digest(name, version, inputs)}"
