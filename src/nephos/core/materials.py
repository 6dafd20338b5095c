"""What stock is made of: colour and cutting data. A material is a value that a job keeps as it took it."""

from pydantic import Field

from nephos.core.value import Value


class Material(Value):
    """A material.

    `surface_speed` in m/min at the cutter's rim, the most that is usual with carbide. `chip_load`
    in mm a tooth for a cutter of 6 mm; it grows with the diameter. `cutting_force` in N/mm^2 of chip
    section. `stepdown` in diameters. Values are those of the middle of what shop tables give, to start from.
    """

    name: str = Field(min_length=1, max_length=60)
    group: str = Field(default="wood", max_length=30)
    colour: str = Field(default="#C9A977", pattern=r"^#[0-9A-Fa-f]{6}$")
    surface_speed: float = Field(default=500, gt=0, le=3000)
    chip_load: float = Field(default=0.06, gt=0, le=2)
    cutting_force: float = Field(default=25, gt=0, le=10_000)
    stepdown: float = Field(default=0.6, gt=0, le=5)
    grain: bool = Field(default=True, description="whether cutting along and across it differ")


def _material(name: str, group: str, colour: str, speed: float, chip: float, force: float, step: float) -> Material:
    return Material(
        name=name,
        group=group,
        colour=colour,
        surface_speed=speed,
        chip_load=chip,
        cutting_force=force,
        stepdown=step,
        grain=group == "wood",
    )


SHIPPED: tuple[Material, ...] = (
    _material("lime", "wood", "#D9BE8E", 500, 0.07, 18, 0.8),
    _material("softwood", "wood", "#DDBB85", 550, 0.08, 14, 1.0),
    _material("sycamore", "wood", "#E2CDA4", 480, 0.06, 24, 0.7),
    _material("cherry", "wood", "#B4784C", 480, 0.06, 24, 0.7),
    _material("walnut", "wood", "#7A583C", 480, 0.06, 24, 0.7),
    _material("ash", "wood", "#D3B68A", 450, 0.055, 30, 0.6),
    _material("oak", "wood", "#B98F5C", 450, 0.055, 32, 0.6),
    _material("beech", "wood", "#CFA377", 450, 0.055, 31, 0.6),
    _material("plywood", "board", "#CDAE7B", 500, 0.06, 26, 0.7),
    _material("modelling board", "board", "#B79B7A", 500, 0.09, 10, 1.0),
    _material("foam", "foam", "#E9DDB8", 800, 0.15, 2, 2.0),
    _material("wax", "wax", "#4D6B52", 400, 0.1, 6, 1.0),
    _material("acrylic", "plastic", "#C4D6DA", 300, 0.06, 60, 0.4),
    _material("HDPE", "plastic", "#E8E8E2", 400, 0.09, 35, 0.6),
    _material("brass", "metal", "#C6A34F", 180, 0.025, 780, 0.15),
    _material("aluminium", "metal", "#B9BDC0", 250, 0.03, 700, 0.15),
)


def shipped_material(name: str) -> Material:
    """The shipped material called `name`, or a wood of that name with usual data."""
    return next((item for item in SHIPPED if item.name == name), Material(name=name))
