"""What a number of a piece measures, where it is no length: told to the page with its range."""

from typing import Any

ANGLE: dict[str, Any] = {"measure": "angle"}
PLAIN: dict[str, Any] = {"measure": "plain"}
