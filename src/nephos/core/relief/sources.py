"""What the pieces of a composition are made from: curves, lettering, and meshes seen from above.

Lengths are millimetres, in the piece's own space, whose origin its placement moves. A new source is a class here, a
member of `Source`, and a function in outline.py that draws it.
"""

from typing import Annotated, Literal

from pydantic import Field, model_validator

from nephos.core.plan.boundary import Curve
from nephos.core.plan.ranges import Angle, Place, Size
from nephos.core.relief.measures import PLAIN
from nephos.core.value import Value

__all__ = [
    "Circle",
    "Drawn",
    "Ellipse",
    "Lettering",
    "MeshSource",
    "OffsetCurve",
    "Path",
    "Polygon",
    "Rectangle",
    "Source",
]


class Circle(Value):
    """A circle round the origin."""

    kind: Literal["circle"] = "circle"
    diameter: Size = Field(default=50.0, title="Diameter")


class Ellipse(Value):
    """An ellipse round the origin."""

    kind: Literal["ellipse"] = "ellipse"
    width: Size = Field(default=80.0, title="Width")
    length: Size = Field(default=50.0, title="Length")


class Rectangle(Value):
    """A rectangle round the origin, `width` along X and `length` along Y, its corners rounded by `radius`."""

    kind: Literal["rectangle"] = "rectangle"
    width: Size = Field(default=80.0, title="Width")
    length: Size = Field(default=50.0, title="Length")
    radius: Annotated[float, Field(ge=0, le=5000, allow_inf_nan=False)] = Field(default=0.0, title="Corner radius")

    @model_validator(mode="after")
    def _radius_fits(self) -> "Rectangle":
        if self.radius > min(self.width, self.length) / 2 + 1e-9:
            raise ValueError(
                f"the corner radius must be at most half the side, {min(self.width, self.length) / 2:g} mm"
            )
        return self


class Polygon(Value):
    """A regular polygon whose corners lie on a circle round the origin."""

    kind: Literal["polygon"] = "polygon"
    sides: Annotated[int, Field(ge=3, le=60)] = Field(default=6, title="Sides")
    diameter: Size = Field(default=50.0, title="Diameter over the corners")


class Drawn(Value):
    """Closed curves, drawn or imported. A curve inside another is a hole."""

    kind: Literal["drawn"] = "drawn"
    curves: tuple[Curve, ...] = Field(default=(), max_length=500)


Vertex = tuple[Place, Place, Annotated[float, Field(ge=-1e3, le=1e3, allow_inf_nan=False)]]


class Path(Value):
    """Lines and arcs from vertex to vertex.

    Each vertex is x, y and the bulge of the way to the next one: 0 for a line, else the tangent of a quarter of the
    angle of the arc, more than 0 where it turns left (as the vertices of a DXF polyline)."""

    kind: Literal["path"] = "path"
    vertices: tuple[Vertex, ...] = Field(default=(), max_length=5000)
    closed: bool = False


class OffsetCurve(Value):
    """The outline of another piece, grown by `distance`, or shrunk where that is negative. It follows that piece."""

    kind: Literal["offset"] = "offset"
    piece: str = Field(min_length=1, max_length=40)
    distance: Annotated[float, Field(ge=-5000, le=5000, allow_inf_nan=False)] = Field(default=-5.0, title="Offset")
    corners: Literal["round", "sharp"] = "sharp"


class Lettering(Value):
    """Lines of text, their capitals `size` high, centred on the origin; round a circle where they have a radius.

    With a radius above 0 the last line stands on the outside of the circle, at the top; below 0 on its inside, at the
    bottom, and the lines before it over that. The origin is then the middle of the circle. Lines are `leading` heights
    of capitals apart."""

    kind: Literal["lettering"] = "lettering"
    text: str = Field(default="Text", min_length=1, max_length=200, title="Text")
    font: str = Field(default="alegreya-bold", title="Font")
    size: Size = Field(default=12.0, title="Height of capitals")
    spacing: Annotated[float, Field(ge=-0.5, le=5, allow_inf_nan=False)] = Field(
        default=0.0,
        title="Spacing",
        description="between letters, in parts of the height of capitals",
        json_schema_extra=PLAIN,
    )
    leading: Annotated[float, Field(ge=1, le=10, allow_inf_nan=False)] = Field(
        default=1.8,
        title="Line spacing",
        description="from line to line, in heights of capitals",
        json_schema_extra=PLAIN,
    )
    lines: Literal["left", "centre", "right"] = Field(default="centre", title="Lines")
    radius: Annotated[float, Field(ge=-10_000, le=10_000, allow_inf_nan=False)] = Field(
        default=0.0, title="Circle radius", description="0 for straight lines"
    )


class MeshSource(Value):
    """A mesh or a height image, seen from above: its outline is the piece's, its height over its foot the piece's.

    It is turned about X, Y and Z, what lies under `foot` (a share of its height) is cut off, and it is scaled to
    `width` along X; the height of the piece is that of what is left."""

    kind: Literal["mesh"] = "mesh"
    mesh: str
    turn: tuple[Angle, Angle, Angle] = (0.0, 0.0, 0.0)
    width: Size = Field(default=50.0, title="Width")
    foot: Annotated[float, Field(ge=0, lt=1, allow_inf_nan=False)] = Field(
        default=0.0, title="Cut off below", description="share of its height", json_schema_extra=PLAIN
    )


Source = Annotated[
    Circle | Ellipse | Rectangle | Polygon | Drawn | Path | OffsetCurve | Lettering | MeshSource,
    Field(discriminator="kind"),
]
