"""What a finding is: something that a person must know before pressing start, with its number, place and fix."""

from dataclasses import asdict, dataclass
from typing import Any, Literal

Level = Literal["stop", "caution", "note"]


@dataclass(frozen=True)
class Fix:
    """A fix of a finding that the application can do itself: what the button says, and the edit."""

    label: str
    edit: dict[str, Any]


@dataclass(frozen=True)
class Finding:
    """Something checked that a person must know.

    `row` is the row of the route sheet that it concerns: "stock", a model's id or an operation's number. `place` is a
    point in setup space, `moment` seconds from the start of the program; `fixes` are those fixes that are one press
    away."""

    code: str
    level: Level
    row: str
    text: str
    advice: str
    place: tuple[float, float, float] | None = None
    moment: float | None = None
    fixes: tuple[Fix, ...] = ()

    def as_dict(self) -> dict[str, Any]:
        """As it is sent and written."""
        return asdict(self)
