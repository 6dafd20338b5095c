"""The moth roundel of the sample shop: a built-up relief with all that is cut of it."""

from typing import Any

from nephos.core.cutters import Cutter
from nephos.core.materials import shipped_material
from nephos.core.plan.boundary import Boundary, Limit
from nephos.core.plan.model import Model, Placement
from nephos.core.plan.operation import Operation
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.face import FaceSetup
from nephos.core.plan.stock import Stock
from nephos.core.relief.composition import Composition


def roundel(moth: str) -> Composition:
    """A body 150 mm across with a bevelled rim, a field cut back with a slanted wall, a moth in it, beads and a
    name."""
    pieces: list[dict[str, Any]] = [
        {
            "id": "p1",
            "name": "Body",
            "source": {"kind": "circle", "diameter": 150.0},
            "height": 17.0,
            "shape": {"kind": "bevel", "width": 3.5, "angle": 45.0},
        },
        {
            "id": "p2",
            "name": "Field",
            "source": {"kind": "offset", "piece": "p1", "distance": -15.0},
            "height": -9.0,
            "combine": "lower",
            "base": {"kind": "plane", "height": 17.0},
            "shape": {"kind": "slant", "angle": 65.0},
        },
        {
            "id": "p3",
            "name": "Moth",
            "source": {"kind": "mesh", "mesh": moth, "width": 86.0, "foot": 0.11},
            "at": (0.0, 5.0),
            "height": 7.5,
            "combine": "higher",
            "base": {"kind": "plane", "height": 8.0},
        },
        {
            "id": "p4",
            "name": "Beads",
            "source": {"kind": "offset", "piece": "p1", "distance": -9.25},
            "height": 1.8,
            "combine": "higher",
            "base": {"kind": "ground", "height": 0.0},
            "shape": {"kind": "bead", "width": 5.0, "spacing": 1.15},
        },
        {
            "id": "p5",
            "name": "Name",
            "source": {"kind": "lettering", "text": "HARROW FEN", "size": 8.0, "spacing": 0.12, "radius": -52.0},
            "height": 1.6,
            "shape": {"kind": "slant", "angle": 60.0},
        },
    ]
    return Composition.model_validate({"pieces": pieces})


def roundel_plan(moth: str, cutters: dict[int, Cutter]) -> Plan:
    """The moth roundel's route sheet."""

    def cut(number: int, strategy: str, cutter: int, boundary: str = "silhouette", **settings: object) -> Operation:
        return Operation(
            number=number,
            strategy=strategy,
            cutter=cutters[cutter],
            boundary=Limit(boundary=boundary),
            settings=settings,
        )

    operations = (
        cut(10, "rough_offset", 2, stepdown=3.0, stepover=2.6, leave=0.4, ramp_angle=5.0),
        cut(20, "rough_offset", 5, stepdown=1.5, stepover=1.0, leave=0.3, ramp_angle=5.0, minimum=0.0),
        cut(30, "finish_raster", 3, stepover=1.4, level="only"),
        cut(40, "finish_raster", 5, stepover=0.3, angle=45.0, level="skip"),
        cut(50, "finish_raster", 6, boundary="b1", stepover=0.2, angle=-45.0, rest=0.05),
        cut(60, "cut_out", 2, stepdown=4.0, tabs=4, tab_length=8.0, tab_height=2.5),
    )
    outline = Boundary(id="b1", name="Moth", source="piece", models=("m1",), piece="p3")
    return Plan(
        stock=Stock(length=170, width=170, thickness=20, material=shipped_material("sycamore")),
        models=(
            Model(
                id="m1",
                name="Moth roundel",
                composition=roundel(moth),
                placement=Placement(offset=(0.0, 0.0, 0.0)),
            ),
        ),
        boundaries=(outline,),
        setups=(FaceSetup(id="a", name="Setup A · top face", operations=operations),),
    )
