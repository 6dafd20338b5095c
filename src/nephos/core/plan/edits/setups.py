"""Setups: added, copied, moved, taken out; and what the setups of a part of several faces share."""

from typing import Annotated, Any, Literal

from pydantic import Field

from nephos.core.cutters import Cutter
from nephos.core.errors import Refused
from nephos.core.plan.clamping import Zero
from nephos.core.plan.edits.registry import edit, tidy
from nephos.core.plan.joined_faces import Faces, FaceTab
from nephos.core.plan.marking_cutters import dowel_drill
from nephos.core.plan.operation import Operation
from nephos.core.plan.ranges import Angle, Side
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.face import FaceSetup
from nephos.core.plan.setups.setup import Setup

Id = Annotated[str, Field(min_length=1, max_length=40)]
Length = Annotated[float, Field(gt=0, le=500, allow_inf_nan=False)]
Overrun = Annotated[float, Field(ge=0, le=1000, allow_inf_nan=False)]


def setup_named(plan: Plan, key: str) -> Setup:
    """The setup with that id."""
    for setup in plan.setups:
        if setup.id == key:
            return setup
    raise Refused("that setup is no longer in the job")


def free_setup(plan: Plan) -> str:
    """The next free id of a setup: a letter, or a number after the last letter."""
    used = {setup.id for setup in plan.setups}
    # Setups that a proposal has named otherwise, such as a bar, are called A and on by their titles.
    named = sum(len(key) > 1 for key in used)
    letters = [chr(ord("a") + k) for k in range(named, 26)] + [f"s{k}" for k in range(27, 200)]
    return next(key for key in letters if key not in used)


def setup_title(key: str, setup: Setup) -> str:
    """What a setup is called where nobody has named it."""
    side = setup.side_in_words
    return f"Setup {key.upper()} · {'underside' if side == 'underside' else side + (' face' if side == 'top' else '')}"


def next_number(plan: Plan) -> int:
    """The next free number of an operation."""
    last = max((step.number for setup in plan.setups for o in setup.operations for step in o.steps), default=0)
    return (last // 10 + 1) * 10


def _renumbered(operations: tuple[Operation, ...], first: int) -> tuple[Operation, ...]:
    return tuple(item.model_copy(update={"number": first + 10 * k}) for k, item in enumerate(operations))


def _with_setups(plan: Plan, setups: tuple[Setup, ...]) -> Plan:
    return plan.model_copy(update={"setups": setups})


def with_setup(plan: Plan, made: Setup) -> Plan:
    """The plan with another version of one of its setups."""
    return _with_setups(plan, tuple(made if item.id == made.id else item for item in plan.setups))


@edit
def add_setup(plan: Plan, side: Side = "bottom", angle: Angle = 0.0) -> Plan:
    """Add an empty setup at the end: with another side up. On a bar it keeps the zero on the axis."""
    key = free_setup(plan)
    turning = next((item for item in plan.setups if item.holding is not None), None)
    zero = Zero() if turning is None else Zero(x=turning.zero.x, y="centre", z="axis")
    setup = FaceSetup(id=key, name="setup", side=side, angle=angle, zero=zero)
    return _with_setups(plan, (*plan.setups, setup.model_copy(update={"name": setup_title(key, setup)})))


@edit
def copy_setup(plan: Plan, setup: Id) -> Plan:
    """Add a copy of a setup, with its operations under free numbers, behind it."""
    old, key = setup_named(plan, setup), free_setup(plan)
    name = f"{old.name[:70]}, copy"
    fresh = _renumbered(old.operations, next_number(plan))
    copy = old.model_copy(update={"id": key, "name": name, "operations": fresh})
    at = plan.setups.index(old) + 1
    return _with_setups(plan, (*plan.setups[:at], copy, *plan.setups[at:]))


@edit
def move_setup(plan: Plan, setup: Id, by: Literal[-1, 1]) -> Plan:
    """Move a setup one place up or down. Its operations keep their numbers."""
    setups = list(plan.setups)
    at = setups.index(setup_named(plan, setup))
    to = at + by
    if not 0 <= to < len(setups):
        raise Refused("the setup is at the end of the sheet already")
    setups[at], setups[to] = setups[to], setups[at]
    return _with_setups(plan, tuple(setups))


@edit
def remove_setup(plan: Plan, setup: Id) -> Plan:
    """Take a setup out, with its operations."""
    old = setup_named(plan, setup)
    if len(plan.setups) == 1:
        raise Refused("a job has one setup at least: add another one first")
    left = _with_setups(plan, tuple(item for item in plan.setups if item is not old))
    return left.model_copy(update={"faces": left.faces if len(left.setups) > 1 else None})


@edit
def change_setup(plan: Plan, setup: Id, change: dict[str, Any]) -> Plan:
    """Change fields of a setup: its name, side, angle, overrun, whether it is on."""
    old = setup_named(plan, setup)
    made = type(old).model_validate(old.model_dump() | change)
    if made.name == setup_title(old.id, old) or made.name == old.name == setup_title(old.id, old):
        made = made.model_copy(update={"name": setup_title(made.id, made)})
    return _with_setups(plan, tuple(made if item is old else item for item in plan.setups))


def _faces(plan: Plan) -> Faces:
    if plan.faces is None:
        raise Refused("this is for a part that is cut from several faces: propose two or four faces first")
    return plan.faces


def _with_faces(plan: Plan, **change: Any) -> Plan:
    return plan.model_copy(update={"faces": Faces.model_validate(_faces(plan).model_dump() | change)})


@edit
def share_faces(plan: Plan) -> Plan:
    """Make a part of several faces of the setups as they are, with the parting in the middle of the stock."""
    return plan.model_copy(update={"faces": plan.faces or Faces(parting=tidy(plan.stock.thickness / 2))})


@edit
def change_faces(plan: Plan, change: dict[str, Any]) -> Plan:
    """Change what the faces share: parting, border, registration, of which only what is named changes."""
    registration = change.get("registration")
    if isinstance(registration, dict):
        change = change | {"registration": _faces(plan).registration.model_dump() | registration}
    return _with_faces(plan, **change)


@edit
def set_border(plan: Plan, border: Length) -> Plan:
    """Set the width of the border round the part."""
    return _with_faces(plan, border=border)


@edit
def set_overrun(plan: Plan, setup: Id, overrun: Overrun) -> Plan:
    """Set how far a setup cuts past the parting."""
    _faces(plan)
    return change_setup(plan, setup, {"overrun": overrun})


def _tab(plan: Plan, tab: str) -> FaceTab:
    for item in _faces(plan).tabs:
        if item.id == tab:
            return item
    raise Refused("that tab is no longer in the job")


@edit
def add_face_tab(plan: Plan, at: tuple[float, float, float], angle: float = 0.0) -> Plan:
    """Add a tab like the last one at a place of the outline."""
    tabs = _faces(plan).tabs
    numbers = [int(item.id[4:]) for item in tabs if item.id.startswith("tab-") and item.id[4:].isdigit()]
    like = tabs[-1] if tabs else FaceTab(id="tab-0", at=at)
    place = tuple(round(value, 2) for value in at)
    fresh = like.model_copy(update={"id": f"tab-{max(numbers, default=0) + 1}", "at": place, "angle": round(angle, 2)})
    return _with_faces(plan, tabs=[item.model_dump() for item in (*tabs, fresh)])


@edit
def change_face_tab(plan: Plan, tab: Id, change: dict[str, Any]) -> Plan:
    """Change a tab: its place, direction, shape or size."""
    old = _tab(plan, tab)
    made = FaceTab.model_validate(old.model_dump() | change)
    return _with_faces(plan, tabs=[(made if item is old else item).model_dump() for item in _faces(plan).tabs])


@edit
def drop_face_tab(plan: Plan, tab: Id) -> Plan:
    """Take a tab out."""
    old = _tab(plan, tab)
    return _with_faces(plan, tabs=[item.model_dump() for item in _faces(plan).tabs if item is not old])


@edit
def drill_dowels(plan: Plan, setup: Id, cutter: Cutter | None = None) -> Plan:
    """Add the drilling of the dowel holes at the beginning of a setup, through the stock into the bed. Without a
    cutter, with a drill that is long enough."""
    faces, old = _faces(plan), setup_named(plan, setup)
    depth, diameter = faces.registration.depth, faces.registration.diameter
    drill = cutter or dowel_drill(diameter, plan.stock.thickness + depth)
    drilling = Operation.model_validate(
        {
            "number": next_number(plan),
            "strategy": "drill",
            "cutter": drill.model_copy(update={"diameter": diameter}),
            "boundary": {"boundary": "dowels", "contain": "centre"},
            "settings": {"depth": plan.stock.thickness + depth, "through": min(depth, 20.0)},
        }
    )
    made = old.model_copy(update={"operations": (drilling, *old.operations)})
    return _with_setups(plan, tuple(made if item is old else item for item in plan.setups))
