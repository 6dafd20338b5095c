"""The ends of a part on a bar: which one lies at the chuck, whether they are blunt, and grooves that part them."""

from collections.abc import Sequence
from typing import Literal

import numpy as np

from nephos.core.arrays import F64
from nephos.core.cutters import Cutter
from nephos.core.findings.bar_terrain import BarTerrain
from nephos.core.mesh.summary import MeshSummary
from nephos.core.plan.bar_place import centred
from nephos.core.plan.bar_stress import HeldBar
from nephos.core.plan.boundary import Limit
from nephos.core.plan.force import bending_strength, cutting_push
from nephos.core.plan.model import Model
from nephos.core.plan.operation import Operation
from nephos.core.plan.place import placed_model
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.holding import Rotary
from nephos.core.plan.stock import Stock
from nephos.core.proposals.operations import proposed_operation
from nephos.core.setups.bar_findings import RESERVE

_THICKER = 1.15
"""Ratio of the mean radii of both ends from which one is the thick end."""
_SHARE = 0.2
"""Share of the length that counts as an end."""
_FACE, _INSIDE = 0.01, (0.04, 0.06)
"""Shares of the length from an end: its face, and where it is as thick as it gets."""
_BLUNT = 0.85
"""An end is blunt where its face has this share of the radius inside of it."""
GAP = 0.5
"""Distance (mm) of a groove from the model."""
_GROOVE_STEP = 0.3
"""Stepdown of a groove to each turn, in cutter diameters: a full slot."""
_THINNEST = 3.0
"""Diameter (mm) from which on a cutter is proposed for grooves."""
_AFTER = 0.8
"""A groove that must stay thicker than this share of its end is not worth cutting."""
_FACTOR = 2.0
"""Safety factor of proposed bars, and of what a groove leaves, against the cutting force."""


def _about_axis(model: Model, look: MeshSummary, stock: Stock) -> tuple[F64, F64]:
    """Place along the length, from 0 to 1, and radius (mm) of samples of the surface, (n,) each."""
    points, _ = look.moved_samples(placed_model(look.support, model, stock).matrix)
    radii = np.hypot(points[:, 1] - stock.width / 2, points[:, 2] - stock.thickness / 2)
    x = points[:, 0]
    return (x - x.min()) / max(float(np.ptp(x)), 1e-9), radii


def thick_end_at_chuck(model: Model, look: MeshSummary, stock: Stock, rotary: Rotary) -> Model:
    """The model (on the axis of a bar, `stock`) end for end where its thin end would lie at the chuck, or a tip while
    its other end is blunt.

    The chuck bends the bar most where it holds it. A model that was turned by hand stays as it lies."""
    along, radii = _about_axis(model, look, stock)
    left, right = (float(radii[end].mean()) if end.any() else 0.0 for end in (along < _SHARE, along > 1 - _SHARE))
    thick, blunt = (left, right), blunt_ends(model, look, stock)
    at_chuck, other = (0, 1) if rotary.chuck == "left" else (1, 0)
    if blunt[at_chuck] and not blunt[other]:
        return model
    if blunt[at_chuck] == blunt[other] and thick[other] < _THICKER * thick[at_chuck]:
        return model
    x, y, z = model.placement.turn
    turned = model.model_copy(update={"placement": model.placement.model_copy(update={"turn": (x, y, z + 180.0)})})
    return centred(turned, look, stock)


def blunt_ends(model: Model, look: MeshSummary, stock: Stock) -> tuple[bool, bool]:
    """Whether the model ends in a face, as a leg does, not in a tip: at its left and at its right end."""
    along, radii = _about_axis(model, look, stock)

    def blunt(from_end: F64) -> bool:
        face, inside = from_end < _FACE, (from_end > _INSIDE[0]) & (from_end < _INSIDE[1])
        return bool(face.any() and inside.any() and radii[face].max() >= _BLUNT * radii[inside].max())

    return blunt(along), blunt(1 - along)


def free_end_diameter(model: Model, look: MeshSummary, stock: Stock, rotary: Rotary) -> float:
    """Diameter (mm) of the face at the end of the model that is not at the chuck."""
    along, radii = _about_axis(model, look, stock)
    face = (1 - along if rotary.chuck == "left" else along) < _FACE
    return 2 * float(radii[face].max(initial=0.0))


def thick_ends(blunt: tuple[bool, bool], rotary: Rotary) -> Literal["none", "chuck", "tailstock", "both"]:
    """Which ends of the bar stay thick beside `blunt` left and right ends of the model."""
    chuck, other = blunt if rotary.chuck == "left" else blunt[::-1]
    if chuck and other:
        return "both"
    return "chuck" if chuck else "tailstock" if other else "none"


def groove_cutter(cutters: Sequence[Cutter], depth: float) -> Cutter | None:
    """The thinnest flat cutter that gets so deep (mm) into a groove; none where none does."""
    long = [c for c in cutters if c.shape == "flat" and c.diameter >= _THINNEST and c.reach > depth]
    long = [c for c in long if c.shank_diameter <= c.diameter or c.flute_length > depth]
    return min(long, key=lambda cutter: cutter.diameter, default=None)


def groove(
    plan: Plan, rotary: Rotary, terrain: BarTerrain, cutter: Cutter, operations: Sequence[Operation]
) -> Operation | None:
    """Parting grooves beside the ends that stay thick as the last operation, as deep as the part still bears them; none
    where that is hardly deeper than the ends are thick."""
    covered = np.flatnonzero(terrain.covered.any(axis=0))
    left, right = rotary.left_thick
    beside = [float(terrain.thinnest[covered[k]]) for k, thick in ((0, left), (-1, right)) if thick]
    if not beside:
        return None
    ends, which = min(beside), "both" if left and right else "left" if left else "right"
    number, stepdown = max(item.number for item in operations) + 10, round(_GROOVE_STEP * cutter.diameter, 2)
    wide = max(int(cutter.diameter / terrain.step), 1)
    core = max(rotary.core / 2, 0.1)
    past = max(int(max(item.cutter.diameter for item in operations) / terrain.step), 1)
    for diameter in np.arange(max(rotary.core, 4.0), 2 * _AFTER * ends, 0.5):
        words = {"ends": which, "diameter": round(float(diameter), 1), "gap": GAP, "stepdown": stepdown}
        operation = proposed_operation(plan, (cutter,), "parting_groove", number, cutter, **words).model_copy(
            update={"boundary": Limit(boundary="box", contain="centre")}
        )
        radii = np.full(len(terrain.xs), terrain.top)
        radii[covered] = terrain.thinnest[covered]
        # Beside an end where the bar does not stay thick, roughing has cut it down to the core.
        first, last = covered[0], covered[-1] + 1
        radii[max(first - (wide if left else past), 0) : first] = diameter / 2 if left else core
        radii[last : last + (wide if right else past)] = diameter / 2 if right else core
        if bears(plan, held_bar(plan, rotary, terrain, radii), cutting_push(plan, operation)):
            return operation
    return None


def bears(plan: Plan, bar: HeldBar, push: float) -> bool:
    """Whether a bar of the plan's material withstands :data:`_FACTOR` times a push (N)."""
    return _FACTOR * float(bar.stress(push).max()) <= bending_strength(plan.stock.material) * RESERVE


def held_bar(plan: Plan, rotary: Rotary, terrain: BarTerrain, radii: F64) -> HeldBar:
    """The free part of a bar with these `radii` (columns,) in mm, from the chuck on."""
    if rotary.chuck == "left":
        free = radii[terrain.xs > rotary.grip]
    else:
        free = radii[terrain.xs < plan.stock.length - rotary.grip][::-1]
    return HeldBar(free, terrain.step, rotary.tailstock == "centre")
