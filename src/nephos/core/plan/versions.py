"""Plan documents of older schema versions, brought up to date."""

from math import ceil
from typing import Any

import numpy as np

from nephos.core.errors import Refused
from nephos.core.materials import shipped_material
from nephos.core.rotation import angles_of, turning

SCHEMA_VERSION = 6

RENAMED_STRATEGIES = {
    "rough_rings": "rough_offset",
    "rough_lines": "rough_raster",
    "rough_fronts": "rough_engagement",
    "finish_rings": "finish_offset",
    "finish_lines": "finish_raster",
    "finish_levels": "finish_waterline",
    "finish_both": "finish_steep_shallow",
}
"""Strategies by the key that they had up to version 2."""


def _placement_1_to_2(old: dict[str, Any]) -> dict[str, Any]:
    """Version 1 mirrored before it turned, and knew one size, a height and a gap above."""
    mirror = [bool(m) for m in old.get("mirror", (False, False, False))]
    turn = old.get("turn", (0.0, 0.0, 0.0))
    if any(mirror):
        # turn . mirror = mirror . (mirror . turn . mirror), and what stands in brackets is a turn again.
        flip = np.diag([-1.0 if m else 1.0 for m in mirror])
        turn = angles_of(flip @ turning(*turn) @ flip)
    size_x, height = old.get("size_x"), old.get("height")
    x, y = old.get("align", ("centre", "centre"))
    dx, dy = old.get("offset", (0.0, 0.0))
    return {
        "turn": list(turn),
        "mirror": mirror,
        "unit": old.get("unit", 1.0),
        "size": [size_x, None, height],
        "linked": not (height and not size_x),
        "align": [x, y, "high"],
        "offset": [dx, dy, -old.get("gap_above", 1.0)],
    }


def _limit_1_to_2(old: dict[str, Any], diameter: float) -> dict[str, Any]:
    """Version 1 knew the models' box and the stock, with a margin for the centre; none meant the radius."""
    margin = old.get("margin")
    if old.get("kind", "model") == "stock":
        return {"boundary": "stock", "contain": "centre", "plus": margin or 0.0}
    return {"boundary": "box", "contain": "outside", "plus": 0.0 if margin is None else margin - diameter / 2}


def _from_1_to_2(document: dict[str, Any]) -> dict[str, Any]:
    stock = dict(document.get("stock", {}))
    if isinstance(stock.get("material", "lime"), str):
        stock["material"] = shipped_material(stock.get("material", "lime")).model_dump()
    models = [
        model | {"placement": _placement_1_to_2(model.get("placement", {}))} for model in document.get("models", ())
    ]
    setups = [
        setup
        | {
            "operations": [
                operation | {"boundary": _limit_1_to_2(operation.get("boundary", {}), operation["cutter"]["diameter"])}
                for operation in setup.get("operations", ())
            ]
        }
        for setup in document.get("setups", ())
    ]
    return document | {"schema_version": 2, "stock": stock, "models": models, "setups": setups}


def _unique_numbers(setups: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Up to version 2 a number was used once in a setup; now it is used once in a job. Later setups are renumbered."""
    used: set[int] = set()
    found = []
    for setup in setups:
        operations = list(setup.get("operations", ()))
        own = {int(item["number"]) + k for item in operations for k in range(2 if item.get("fine") else 1)}
        shift = 0 if not own & used else ceil((max(used) + 1) / 10) * 10 - min(own)
        used |= {number + shift for number in own}
        moved = [item | {"number": int(item["number"]) + shift} for item in operations]
        found.append(setup | {"operations": moved})
    return found


def _from_2_to_3(document: dict[str, Any]) -> dict[str, Any]:
    """Version 3 calls strategies by the terms of the trade, the distance of a limit `offset` and a roughing's limit
    `minimum`."""
    setups = []
    for setup in document.get("setups", ()):
        operations = []
        for operation in setup.get("operations", ()):
            limit, settings = dict(operation.get("boundary", {})), dict(operation.get("settings", {}))
            if "plus" in limit:
                limit["offset"] = limit.pop("plus")
            if "worth" in settings:
                settings["minimum"] = settings.pop("worth")
            key = operation.get("strategy")
            renamed = {"strategy": RENAMED_STRATEGIES.get(key, key), "boundary": limit, "settings": settings}
            operations.append(operation | renamed)
        setups.append(setup | {"operations": operations})
    return document | {"schema_version": 3, "setups": _unique_numbers(setups)}


_OTHER_END = {"low": "high", "high": "low"}


def _back_3_to_4(setup: dict[str, Any], size: tuple[float, float, float]) -> dict[str, Any]:
    """Up to version 3 the back came up with the stock rotated by half a turn on the bed besides: its numbers on the
    plan are those from the opposite corner now."""
    zero = dict(setup.get("zero", {}))
    zero |= {axis: _OTHER_END.get(zero.get(axis, "low"), "centre") for axis in ("x", "y")}
    if zero.get("at") is not None:
        x, y, z = zero["at"]
        zero["at"] = [size[0] - x, size[2] - y, z]
    home = setup.get("home")
    return setup | {"zero": zero, "home": home and [-home[0], -home[1]]}


def _from_3_to_4(document: dict[str, Any]) -> dict[str, Any]:
    """Version 4 counts clamps in the view from the setup's side, and brings the back up by a quarter turn alone."""
    stock = document.get("stock", {})
    size = (stock.get("length", 1.0), stock.get("width", 1.0), stock.get("thickness", 1.0))
    setups = []
    for setup in document.get("setups", ()):
        if setup.get("side") == "back":
            setups.append(_back_3_to_4(setup, size))
        elif setup.get("side") == "bottom":
            clamps = [
                item
                | {
                    "at": [item.get("at", (0, 0))[0], size[1] - item.get("at", (0, 0))[1]],
                    "foot": size[2] - item.get("foot", 0.0) - item.get("size", (40.0, 20.0, 30.0))[2],
                }
                for item in setup.get("keep_outs", ())
            ]
            setups.append(setup | {"keep_outs": clamps})
        else:
            setups.append(setup)
    return document | {"schema_version": 4, "setups": setups}


_OF_THE_PART = ("base", "flat_back", "hollow_back")
"""Repairs whose lengths were in the file's unit up to version 4."""


def _from_4_to_5(document: dict[str, Any]) -> dict[str, Any]:
    """Version 5 measures a wall, a rim, a flat back and a base on the finished part; old steps keep what they had."""
    models = []
    for model in document.get("models", ()):
        steps = [
            step | {"settings": dict(step.get("settings", {})) | {"lengths": "file"}}
            if step.get("kind") in _OF_THE_PART
            else step
            for step in model.get("steps", ())
        ]
        models.append(model | {"steps": steps})
    return document | {"schema_version": 5, "models": models}


_ON_A_SIDE = ("side", "angle", "about", "overrun")
_OF_ONE_KIND = ("rotary", "tiles", "tile")
"""Fields that all setups had up to version 5, of which only those of one kind were filled."""


def _setup_5_to_6(setup: dict[str, Any]) -> dict[str, Any]:
    """Up to version 5 tiles, and a tile, were faces with a field more, and a bar had a side, which was the top."""
    named = {"rotary": "rotary", "tiles": "tiled", "tile": "tile"}
    filled = next((name for name in _OF_ONE_KIND if setup.get(name) is not None), "")
    gone = {name for name in _OF_ONE_KIND if name != filled}
    kind = named.get(filled, setup.get("kind", "face"))
    gone |= {"rotary": set(_ON_A_SIDE)}.get(kind, set())
    return {name: value for name, value in setup.items() if name not in gone} | {"kind": kind}


def _from_5_to_6(document: dict[str, Any]) -> dict[str, Any]:
    """In version 6 each kind of setup has its own fields."""
    setups = [_setup_5_to_6(setup) for setup in document.get("setups", ())]
    return document | {"schema_version": 6, "setups": setups}


_UPGRADES = {1: _from_1_to_2, 2: _from_2_to_3, 3: _from_3_to_4, 4: _from_4_to_5, 5: _from_5_to_6}
_UNNAMED = 5
"""The version of a document that names none: what it may have of later ones, the upgrades leave as it is."""


def upgrade(document: dict[str, Any]) -> dict[str, Any]:
    """Bring a document of an older schema version up to date. Refuses one from the future."""
    version = document.get("schema_version", _UNNAMED)
    if type(version) is not int or not 1 <= version <= SCHEMA_VERSION:
        raise Refused(f"this plan has schema version {version}, not 1 to {SCHEMA_VERSION}: update Nephos")
    first = version
    try:
        while version < SCHEMA_VERSION:
            document = _UPGRADES[version](document)
            version += 1
    except (KeyError, IndexError, TypeError, ValueError, AttributeError):
        # Whatever parts of another version do to an upgrade.
        raise Refused(
            f"this plan says that it has schema version {first}, but its parts are of another one, or damaged: export "
            "it again from where it came from"
        ) from None
    return document
