"""What can be chosen and entered for a piece, described for a page that shows it."""

from typing import Any, get_args

from pydantic import BaseModel

from nephos.core.relief.shapes import Bead, Bevel, Dome, Flat, Rope, RoundEdge, Section, Slant
from nephos.core.relief.sources import (
    Circle,
    Drawn,
    Ellipse,
    Lettering,
    MeshSource,
    OffsetCurve,
    Path,
    Polygon,
    Rectangle,
)

__all__ = ["COMBINE", "SHAPES", "SOURCES", "TITLES", "forms"]

SOURCES: dict[type[BaseModel], str] = {
    Rectangle: "rectangle",
    Circle: "circle",
    Ellipse: "ellipse",
    Polygon: "polygon",
    Drawn: "drawn or imported",
    Path: "lines and arcs",
    OffsetCurve: "offset of a piece",
    Lettering: "lettering",
    MeshSource: "mesh from above",
}
SHAPES: dict[type[BaseModel], str] = {
    Flat: "flat, upright wall",
    Slant: "slanted wall",
    Dome: "dome",
    RoundEdge: "rounded edge",
    Bevel: "bevelled edge",
    Bead: "row of beads",
    Rope: "rope",
    Section: "drawn section",
}
COMBINE = {
    "add": "add to the ground",
    "subtract": "cut from the ground",
    "higher": "keep the higher",
    "lower": "keep the lower",
    "replace": "replace inside",
    "blend": "blend in",
    "scale": "scale heights",
    "smooth": "smooth the ground",
    "despeck": "remove specks",
}
"""Ways of combining a piece with what is below it, by key."""


def _fields(kind: type[BaseModel]) -> dict[str, Any]:
    schema = kind.model_json_schema()["properties"]
    return {
        name: {key: value for key, value in item.items() if key not in {"items", "prefixItems", "$ref"}}
        for name, item in schema.items()
        if name != "kind"
    }


def _described(kinds: dict[type[BaseModel], str]) -> dict[str, Any]:
    return {
        get_args(kind.model_fields["kind"].annotation)[0]: {"title": title, "fields": _fields(kind)}
        for kind, title in kinds.items()
    }


TITLES = {get_args(kind.model_fields["kind"].annotation)[0]: title for kind, title in SOURCES.items()}
"""Titles of all sources, by kind."""


def forms() -> dict[str, Any]:
    """Titles and numeric fields of all sources and shapes, by kind, and the ways of combining."""
    return {"sources": _described(SOURCES), "shapes": _described(SHAPES), "combine": COMBINE}
