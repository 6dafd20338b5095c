"""Operations of a setup."""

from typing import Annotated, Any, Literal

from pydantic import Field, SerializeAsAny, WithJsonSchema, model_validator

from nephos.core.cutters import Cutter
from nephos.core.plan.boundary import Limit
from nephos.core.strategies.registry import Role, StrategySettings, strategy
from nephos.core.value import Value

FINE_REST = 0.05
"""A finer cutter goes where the one before it left more than this (mm), unless a limit is set."""


class Operation(Value):
    """One numbered step of the route sheet."""

    number: int = Field(ge=1, le=9999)
    strategy: str
    on: bool = True
    shown: bool = True
    cutter: Cutter
    feed: float | None = Field(default=None, gt=0, le=100_000, description="none means the cutter's own")
    plunge_feed: float | None = Field(default=None, gt=0, le=100_000)
    spindle: float | None = Field(default=None, gt=0, le=200_000)
    boundary: Limit = Limit()
    cut_to: float | None = Field(default=None, gt=0, le=10_000, description="deepest, from the top of the stock down")
    cut_from: float | None = Field(default=None, ge=0, le=10_000, description="highest, from the top of the stock down")
    coolant: Literal["none", "mist", "flood"] = "none"
    fine: Cutter | None = Field(
        default=None, description="goes over what the cutter left, in the same way, as the next number"
    )
    settings: Annotated[
        SerializeAsAny[StrategySettings],
        WithJsonSchema(
            {"type": "object", "additionalProperties": True, "description": "those of the strategy, by their names"}
        ),
    ]

    @model_validator(mode="before")
    @classmethod
    def _settings_of_strategy(cls, data: Any) -> Any:
        """Read the settings as those that the named strategy asks for."""
        if isinstance(data, dict) and isinstance(data.get("settings"), dict):
            kind = strategy(str(data.get("strategy")))
            return {**data, "settings": kind.settings.model_validate(data["settings"])}
        return data

    @model_validator(mode="after")
    def _agrees_with_cutter(self) -> "Operation":
        if self.cut_from is not None and self.cut_to is not None and self.cut_from >= self.cut_to:
            raise ValueError(
                f"it is cut from {self.cut_from:g} mm down, which is not above the {self.cut_to:g} mm that it is cut "
                "to: correct one of them"
            )
        self.settings.check_cutter(self.cutter)
        if self.fine is not None:
            if self.settings.figures.rest is None:
                raise ValueError("only finishing can go on with a finer cutter")
            if self.fine.diameter >= self.cutter.diameter:
                raise ValueError(f"the finer cutter must be thinner than {self.cutter.diameter:g} mm")
        return self

    @property
    def steps(self) -> tuple["Operation", ...]:
        """The operations that are calculated for it: itself, and with a finer cutter a rest pass, with a stepover in
        proportion."""
        if self.fine is None:
            return (self,)
        change: dict[str, Any] = {"rest": self.settings.figures.rest or FINE_REST}
        stepover = self.settings.figures.stepover
        if stepover is not None:
            change["stepover"] = stepover * self.fine.diameter / self.cutter.diameter
        after = {
            "number": self.number + 1,
            "cutter": self.fine,
            "fine": None,
            "feed": None,
            "plunge_feed": None,
            "spindle": None,
            "settings": self.settings.model_copy(update=change),
        }
        return self, self.model_copy(update=after)

    @property
    def role(self) -> Role:
        """What its strategy is for."""
        return strategy(self.strategy).role

    @property
    def cutting_feed(self) -> float:
        """Feed along the path."""
        return self.feed or self.cutter.feed

    @property
    def entering_feed(self) -> float:
        """Feed straight down and on ramps."""
        return self.plunge_feed or self.cutter.plunge_feed

    @property
    def spindle_speed(self) -> float:
        """Turns a minute."""
        return self.spindle or self.cutter.spindle
