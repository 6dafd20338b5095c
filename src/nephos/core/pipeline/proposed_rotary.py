"""Proposals for a part that rotates: the model along the axis, fitted into a bar, and its operations."""

from collections.abc import Sequence
from math import ceil

from nephos.core.cutters import Cutter
from nephos.core.errors import Refused
from nephos.core.findings.reach import Shown
from nephos.core.machine.machine import Machine, machine_of
from nephos.core.pipeline.bar_space import cutter_limits
from nephos.core.plan.bar_place import along_axis, centred, resized, swept_diameter
from nephos.core.plan.boundary import Limit
from nephos.core.plan.place import placed_model
from nephos.core.plan.proposed import nearest_cutter, proposed_operation
from nephos.core.plan.rotary import Rotary
from nephos.core.plan.schema import Operation, Plan, Setup, Stock, Zero
from nephos.core.post.schema import Post, post_of

POST = "rs274-rotary-a"
MACHINE = "rotary-router"
_AROUND = 1.0
"""A bar is so much (mm) thicker, on each side, than what the model sweeps."""
_PAST = 1.0
"""So much (mm) farther than its radius the roughing cutter goes past the model's ends."""
_STEPDOWN = 0.3
"""Roughing goes down by so many of its diameters: up to so much is left for the finisher between two levels."""
_CORES = (3.0, 10.0)


def bar_cutters(swept: float, cutters: Sequence[Cutter]) -> tuple[Cutter, Cutter]:
    """A flat cutter for roughing and a ball for finishing, by the swept diameter, with flutes as long as they can be."""
    deep = swept / 2
    flats = [c for c in cutters if c.shape == "flat" and c.flute_length >= 0.5 * deep] or cutters
    balls = [c for c in cutters if c.shape == "ball" and c.reach >= 0.6 * deep] or cutters
    rough = nearest_cutter(flats, "flat", min(max(swept / 6, 3.0), 8.0))
    fine = nearest_cutter(balls, "ball", min(max(swept / 12, 1.0), 4.0))
    return rough, fine


def _operations(plan: Plan, rough: Cutter, fine: Cutter) -> tuple[Operation, ...]:
    limit = Limit(boundary="box", contain="outside")
    past = Limit(boundary="box", contain="outside", offset=_PAST)
    stepdown = round(max(_STEPDOWN * rough.diameter, 0.8), 2)
    # Thin walls that a minimum stock leaves at several levels would be cut at once where the ground falls away.
    roughing = proposed_operation(plan, (rough,), "rough_raster", 10, rough, leave=0.4, stepdown=stepdown, minimum=0.0)
    finishing = proposed_operation(plan, (fine,), "finish_raster", 20, fine)
    return roughing.model_copy(update={"boundary": past}), finishing.model_copy(update={"boundary": limit})


def _ends(stock: Stock, rotary: Rotary, rough: Cutter, fine: Cutter) -> tuple[float, float]:
    """How much of the bar's left and right end the model must stay clear of, mm."""
    found = []
    for cutter in (rough, fine):
        limits = cutter_limits(stock, rotary, cutter, rotary.core / 2)
        past = cutter.radius + (_PAST if cutter is rough else 0.0)
        found.append((max(limits.low + past, 0.0), max(stock.length - limits.high + past, 0.0)))
    return max(item[0] for item in found), max(item[1] for item in found)


def proposed_rotary(
    plan: Plan,
    shown: Sequence[Shown],
    cutters: Sequence[Cutter],
    bar: tuple[float, float] | None = None,
    core: float | None = None,
    sized: bool = False,
) -> Plan:
    """The plan with one rotary setup in the place of those it had.

    The first model is turned along X, centred by its smallest enclosing circle, and scaled to fit where it is too large
    for the bar and was not `sized`. The `bar` (diameter, length) is chosen round it where none is given.

    Raises
    ------
    Refused
        Where the model does not fit into the bar, with the numbers.
    """
    if len(shown) != 1:
        raise Refused("a rotary job is proposed for one model: hide or delete the others")
    model, _, look = shown[0]
    model = along_axis(model, look)
    probe = Stock(kind="round", length=1000, width=200, thickness=200, material=plan.stock.material)
    free = centred(model, look, probe)
    swept, length = swept_diameter(free, look, probe), float(placed_model(look.support, free, probe).size[0])
    diameter = bar[0] if bar else float(ceil(swept + 2 * _AROUND))
    core = min(max(round(0.2 * diameter, 1), _CORES[0]), _CORES[1]) if core is None else core
    if core >= diameter:
        raise Refused(f"a core of {core:g} mm leaves nothing to cut of a bar of {diameter:g} mm: make it thinner")
    rotary = Rotary(core=core, chuck_diameter=max(80.0, diameter))
    rough, fine = bar_cutters(min(swept, diameter), cutters)
    if bar:
        stock = Stock(kind="round", length=bar[1], width=diameter, thickness=diameter, material=plan.stock.material)
        left, right = _ends(stock, rotary, rough, fine)
    else:
        stock = Stock(kind="round", length=1000, width=diameter, thickness=diameter, material=plan.stock.material)
        left, right = _ends(stock, rotary, rough, fine)
        stock = stock.model_copy(update={"length": float(ceil(length + left + right))})
    room = stock.length - left - right
    if room <= 0:
        raise Refused(
            f"chuck, tailstock and cutters take {left + right:.1f} mm of the bar, which is {stock.length:g} mm long: take a "
            "longer bar"
        )
    share = min(diameter / swept, room / length, 1.0)
    if share < 1.0 - 1e-9:
        if sized:
            raise Refused(
                f"the model sweeps a diameter of {swept:.2f} mm and is {length:.2f} mm long; in this bar there is room for "
                f"{diameter:g} mm and {room:.2f} mm: take a larger bar, or let it be scaled to {100 * share:.1f} %"
            )
        # A hair less, so that the largest radius lies within the bar.
        model = resized(model, look, stock, share * (1 - 1e-4))
    model = centred(model, look, stock, round((left - right) / 2, 4))
    setup = Setup(
        id="bar", name="Setup A · bar", kind="rotary", rotary=rotary, zero=Zero(x="low", y="centre", z="axis")
    )
    models = tuple(model if item.id == model.id else item for item in plan.models)
    post = plan.post if post_of(plan.post).rotary is not None else POST
    update = {"stock": stock, "models": models, "faces": None, "post": post, "machine": _machine_for(plan, post)}
    bare = plan.model_copy(update=update)
    setup = setup.model_copy(update={"operations": _operations(bare, rough, fine)})
    return bare.model_copy(update={"setups": (setup,)})


def _machine_for(plan: Plan, post: str | Post) -> str | Machine:
    """The plan's machine, or one with an A axis where the post needs it."""
    words = post_of(post).rotary
    if words is not None and words.word == "A" and not any(a.name == "A" for a in machine_of(plan.machine).rotary):
        return MACHINE
    return plan.machine
