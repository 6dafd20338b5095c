"""Proposals for a part that rotates: the model along the axis, fitted into a bar, and its operations."""

from collections.abc import Sequence
from math import ceil, inf, pi
from typing import NamedTuple

import numpy as np

from nephos.core.arrays import F64
from nephos.core.cutters import Cutter
from nephos.core.cutters.feeds import working_diameter
from nephos.core.errors import Refused
from nephos.core.findings.bar_terrain import BarTerrain, bar_terrain
from nephos.core.findings.terrain import Shown
from nephos.core.machine.machine import Machine, machine_of
from nephos.core.mesh.summary import MeshSummary
from nephos.core.plan.bar_place import along_axis, centred, resized, swept_diameter
from nephos.core.plan.boundary import Limit
from nephos.core.plan.clamping import Zero
from nephos.core.plan.force import cutting_push, elastic_modulus
from nephos.core.plan.model import Model
from nephos.core.plan.operation import Operation
from nephos.core.plan.place import placed_model
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.holding import Rotary
from nephos.core.plan.setups.rotary import RotarySetup
from nephos.core.plan.setups.setup import Setup
from nephos.core.plan.stock import Stock
from nephos.core.post.schema import Post, post_of
from nephos.core.proposals.bar_ends import (
    GAP,
    bears,
    blunt_ends,
    free_end_diameter,
    groove,
    groove_cutter,
    held_bar,
    thick_end_at_chuck,
    thick_ends,
)
from nephos.core.proposals.fitting import fitted
from nephos.core.proposals.operations import (
    FINISH_STEPOVER,
    nearest_cutter,
    one_cutter_a_number,
    proposed_operation,
    second_rougher,
    with_stepdown_share,
    without_repeats,
)
from nephos.core.setups.bar import cutter_limits
from nephos.core.setups.bar_findings import BENDS

POST = "rs274-rotary-a"
MACHINE = "rotary-router"
_AROUND = 1.0
"""Allowance (mm) of the bar's radius over the radius that the model sweeps."""
_PAST = 1.0
"""Distance (mm), besides its radius, that the roughing cutter goes past the ends of the model."""
_STEPDOWN = 0.3
"""Roughing stepdown in cutter diameters. It also limits what finishing must remove between levels."""
_CORES = (3.0, 10.0)
"""Smallest core (mm), and the largest one of thin bars."""
_LEAVE = 0.4
"""Stock to leave (mm) of roughing."""
_MUCH = 0.05
"""A second roughing is proposed where the finisher would meet more than its diameter on more than this share of the
bar."""
_SPIGOT = 0.4
"""Diameter of a spigot at a blunt end, as a share of the bar, where no cutter is slim enough for a groove."""
_OF_END = 0.8
"""Largest diameter of a spigot, as a share of the end of the model that it joins."""
_TURNS = 0.075
"""Distance between the turns of a helix, as a share of the cutter's diameter."""
_ROUNDER = 0.9
"""A helix is proposed if it takes less than this share of the time of lines along X."""
_TIPS = 10
"""Percentage of the model's length that may be thinner than the core, such as the tips at its ends."""
_STEPS = (1.0, 0.7, 0.5, 0.35, 0.25)
"""Shares of the usual stepdown that are tried where the core alone does not hold."""


def bar_cutters(swept: float, cutters: Sequence[Cutter]) -> tuple[Cutter, Cutter]:
    """A flat cutter for roughing and a ball for finishing, by the swept diameter, with flutes as long as they can
    be."""
    deep = swept / 2
    flats = [c for c in cutters if c.shape == "flat" and c.flute_length >= 0.5 * deep] or cutters
    balls = [c for c in cutters if c.shape == "ball" and c.reach >= 0.6 * deep] or cutters
    rough = nearest_cutter(flats, "flat", min(max(swept / 6, 3.0), 8.0))
    fine = nearest_cutter(balls, "ball", min(max(swept / 12, 1.0), 4.0))
    return rough, fine


def _operations(
    plan: Plan, rough: Cutter, fine: Cutter, cutters: Sequence[Cutter], terrain: BarTerrain, around: bool
) -> tuple[Operation, ...]:
    """Roughing, again with a smaller cutter where the first one leaves much, and finishing along X or as a helix."""
    limit = Limit(boundary="box", contain="outside")
    past = Limit(boundary="box", contain="outside", offset=_PAST)
    second = second_rougher(rough, fine, cutters)
    roughs = [rough]
    if second is not None:
        along = terrain.covered.any(axis=0)
        deeper = (terrain.tips(rough) - terrain.tips(fine))[:, along] - _LEAVE
        roughs += [second] if (deeper > fine.diameter).mean() > _MUCH else []
    found = [
        proposed_operation(
            plan,
            (cutter,),
            "rough_raster",
            10,
            cutter,
            leave=_LEAVE,
            stepdown=round(max(_STEPDOWN * cutter.diameter, 0.8), 2),
        ).model_copy(update={"boundary": past})
        for cutter in roughs
    ]
    finishing = proposed_operation(plan, (fine,), "finish_raster", 10, fine)
    if around:
        # On shoulders turns lie farther apart than on cylinders.
        stepover = round(_TURNS * working_diameter(fine), 3)
        finishing = proposed_operation(plan, (fine,), "finish_helix", 10, fine, stepover=stepover)
    found.append(finishing.model_copy(update={"boundary": limit}))
    # Where no cutter gets deep the usual one stays, and the findings say what it meets.
    found = without_repeats([fitted(terrain, item, cutters) or item for item in found])
    return tuple(item.model_copy(update={"number": 10 * (k + 1)}) for k, item in enumerate(one_cutter_a_number(found)))


def _goes_round(plan: Plan, setup: Setup, shown: Sequence[Shown], operation: Operation) -> bool:
    """Whether finishing round the bar takes less time than along it.

    Along X there are as many lines as the stepover goes into the largest circumference; round the bar turns are as long
    as the surface is there. Both go down no faster than the plunge feed, and the rotary axis has its limit."""
    matrix, machine = setup.frame(plan.stock).matrix, machine_of(plan.machine)
    degrees = next((axis.feed_limit for axis in machine.rotary if axis.name == "A"), inf)
    feed, plunge = operation.cutting_feed, operation.entering_feed
    along = around = 0.0
    for _, placed, look in shown:
        points, normals = look.moved_samples(matrix @ placed.matrices[0])
        r = np.maximum(np.hypot(points[:, 1], points[:, 2]), 0.5)
        out = (normals[:, 1] * points[:, 1] + normals[:, 2] * points[:, 2]) / r
        seen = out > -1e-3
        r, out, axial = r[seen], np.maximum(out[seen], 0.0), np.abs(normals[seen, 0])
        turning = np.sqrt(np.maximum(1 - out**2 - axial**2, 0.0))
        # Samples are even by area: on the unrolled surface of radius R each takes up out x R / r of its own.
        along += float((plan.stock.bar_radius / r * _way(out, axial, feed, plunge)).sum())
        limited = np.maximum(feed / (degrees * pi / 180 * r), 1.0)
        around += float((_way(out, turning, feed, plunge) * limited).sum())
    # Turns lie closer than lines.
    return around * (FINISH_STEPOVER / _TURNS) < _ROUNDER * along


def _way(level: F64, rise: F64, feed: float, plunge: float) -> F64:
    """(n,) relative time of paths with horizontal lengths `level` and heights `rise` (n,), half of them cut
    downwards."""
    lengths = np.maximum(np.hypot(level, rise), 1e-9)
    slower = np.maximum(feed * rise / lengths / plunge, 1.0)
    found: F64 = lengths * (1 + slower) / 2
    return found


def _with_strong_core(plan: Plan, setup: RotarySetup, terrain: BarTerrain) -> RotarySetup:
    """The setup with the smallest core, and the largest share of the stepdowns, at which the bar holds.

    It holds if it bends by at most :data:`BENDS` and withstands the cutting force with its safety factor. The core is
    limited by the model; if nothing holds, the setup keeps its stepdowns."""
    rotary, material = setup.rotary, plan.stock.material
    inside = terrain.thinnest[terrain.covered.any(axis=0)]
    most = max(2 * float(np.percentile(inside, _TIPS)), _CORES[0])
    zones = [terrain.zone(item.boundary, item.cutter) for item in setup.operations]
    cut = np.any([zone.any(axis=0) for zone in zones if zone is not None], axis=0)

    def holds(core: float, share: float) -> bool:
        radii = np.where(cut, np.maximum(terrain.thinnest, core / 2), terrain.top)
        bar = held_bar(plan, rotary, terrain, radii)
        push = max(cutting_push(plan, with_stepdown_share(item, share)) for item in setup.operations)
        return bears(plan, bar, push) and bar.bends(push, elastic_modulus(material)) <= BENDS

    cores = np.arange(min(rotary.core, most), most + 0.5, 0.5)
    tried = [(float(core), share) for share in _STEPS for core in cores]
    core, share = next((item for item in tried if holds(*item)), (min(rotary.core, most), 1.0))
    return setup.model_copy(
        update={
            "rotary": rotary.model_copy(update={"core": round(core, 1)}),
            "operations": tuple(with_stepdown_share(item, share) for item in setup.operations),
        }
    )


def _ends(stock: Stock, rotary: Rotary, rough: Cutter, fine: Cutter, parting: Cutter | None) -> tuple[float, float]:
    """How much of the bar's left and right end the model must stay clear of, mm; a cutter for `parting` it beside ends
    that stay thick."""
    found = []
    for right, thick in enumerate(rotary.left_thick):
        pasts = [(rough, rough.radius + _PAST), (fine, fine.radius)]
        if thick:
            pasts = [(rough, 0.0), (fine, 0.0)] + ([(parting, parting.radius + GAP)] if parting else [])
        room = 0.0
        for cutter, past in pasts:
            limits = cutter_limits(stock, rotary, cutter, rotary.core / 2)
            room = max(room, (stock.length - limits.high if right else limits.low) + past)
        found.append(room)
    return found[0], found[1]


def _usual_core(diameter: float) -> float:
    """A fifth of a thin bar, a tenth of a thick one, mm."""
    return round(max(min(max(0.2 * diameter, _CORES[0]), _CORES[1]), 0.1 * diameter), 1)


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
    rotary = Rotary(core=0.0)
    if not any(shown[0][0].placement.turn):
        free = thick_end_at_chuck(free, look, probe, rotary)
        model = free
    swept, length = swept_diameter(free, look, probe), float(placed_model(look.support, free, probe).size[0])
    diameter = bar[0] if bar else float(ceil(swept + 2 * _AROUND))
    first_core = _usual_core(diameter) if core is None else core
    if first_core >= diameter:
        raise Refused(f"a core of {first_core:g} mm leaves nothing to cut of a bar of {diameter:g} mm: make it thinner")
    rotary = rotary.model_copy(update={"core": first_core, "chuck_diameter": max(80.0, diameter)})
    pair = bar_cutters(min(swept, diameter), cutters)
    blunt = blunt_ends(free, look, probe)
    parting = groove_cutter(cutters, (diameter - first_core) / 2) if any(blunt) else None
    # Without a cutter for grooves the bar would stay as thick as the part.
    if parting is not None:
        rotary = rotary.model_copy(update={"thick_ends": thick_ends(blunt, rotary)})
    elif blunt[1 if rotary.chuck == "left" else 0]:
        # Wider than the model's end, it would keep cutters off the edge there.
        widest = _OF_END * free_end_diameter(free, look, probe, rotary)
        rotary = rotary.model_copy(update={"spigot": round(max(min(_SPIGOT * diameter, widest), first_core), 1)})
    for _ in range(2):
        choice = _Choice(rotary, pair, parting, bar, (swept, length))
        found, setup, terrain = _laid_out(plan, model, look, choice, cutters, sized)
        first, *_, last = setup.operations
        if (first.cutter, last.cutter) == pair:
            break
        # A cutter that was replaced for its reach may need more room at the ends.
        pair = first.cutter, last.cutter
    if core is None:
        setup = _with_strong_core(found, setup, terrain)
    if parting is not None:
        last_cut = groove(found, setup.rotary, terrain, parting, setup.operations)
        operations = one_cutter_a_number([*setup.operations, *([last_cut] if last_cut else [])])
        setup = setup.model_copy(update={"operations": tuple(operations)})
    return found.model_copy(update={"setups": (setup,)})


class _Choice(NamedTuple):
    """What a bar is cut by: how it is held, a roughing and a finishing cutter, the cutter for grooves beside blunt
    ends. `bar` : diameter and length, where they are given. `extent` : the diameter that the model sweeps, and its
    length."""

    rotary: Rotary
    pair: tuple[Cutter, Cutter]
    parting: Cutter | None
    bar: tuple[float, float] | None
    extent: tuple[float, float]


def _laid_out(
    plan: Plan, model: Model, look: MeshSummary, choice: _Choice, cutters: Sequence[Cutter], sized: bool
) -> tuple[Plan, RotarySetup, BarTerrain]:
    """The plan with the model in the bar and the operations of its one setup."""
    rotary, pair, parting, bar, extent = choice
    swept, length = extent
    diameter = bar[0] if bar else float(ceil(swept + 2 * _AROUND))
    stock = Stock(
        kind="round", length=bar[1] if bar else 1000, width=diameter, thickness=diameter, material=plan.stock.material
    )
    left, right = _ends(stock, rotary, *pair, parting)
    if not bar:
        stock = stock.model_copy(update={"length": float(ceil(length + left + right))})
    room = stock.length - left - right
    if room <= 0:
        raise Refused(
            f"chuck, tailstock and cutters take {left + right:.1f} mm of the bar, which is {stock.length:g} mm long: "
            "take a longer bar"
        )
    share = min(diameter / swept, room / length, 1.0)
    if share < 1.0 - 1e-9:
        if sized:
            raise Refused(
                f"the model sweeps a diameter of {swept:.2f} mm and is {length:.2f} mm long; in this bar there is "
                f"room for {diameter:g} mm and {room:.2f} mm: take a larger bar, or let it be scaled to "
                f"{100 * share:.1f} %"
            )
        # A hair less, so that the largest radius lies within the bar.
        model = resized(model, look, stock, share * (1 - 1e-4))
    model = centred(model, look, stock, round((left - right) / 2, 4))
    setup = RotarySetup(id="bar", name="Setup A · bar", rotary=rotary, zero=Zero(x="low", y="centre", z="axis"))
    models = tuple(model if item.id == model.id else item for item in plan.models)
    post = plan.post if post_of(plan.post).rotary is not None else POST
    update = {"stock": stock, "models": models, "faces": None, "post": post, "machine": _machine_for(plan, post)}
    bare = plan.model_copy(update=update)
    placed = [(model, placed_model(look.support, model, stock), look)]
    terrain = bar_terrain(bare, setup, placed)
    if terrain is None:
        raise Refused("the model has no surface: choose another mesh")
    finishing = proposed_operation(bare, pair[1:], "finish_raster", 10, pair[1])
    around = _goes_round(bare, setup, placed, finishing)
    setup = setup.model_copy(update={"operations": _operations(bare, *pair, cutters, terrain, around)})
    return bare.model_copy(update={"setups": (setup,)}), setup, terrain


def _machine_for(plan: Plan, post: str | Post) -> str | Machine:
    """The plan's machine, or one with an A axis where the post needs it."""
    words = post_of(post).rotary
    if words is not None and words.word == "A" and not any(a.name == "A" for a in machine_of(plan.machine).rotary):
        return MACHINE
    return plan.machine
