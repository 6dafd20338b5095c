"""Operations made to fit a setup: cutters that get down to where they go, and layers that their flutes bear."""

from collections.abc import Sequence
from math import inf

import numpy as np
from scipy import ndimage

from nephos.core.cutters import Cutter
from nephos.core.cutters.feeds import working_diameter
from nephos.core.findings.reach import GRIP, AnyTerrain, floor_of, reached
from nephos.core.findings.terrain import SLACK, Terrain
from nephos.core.plan.boundary import Limit
from nephos.core.plan.operation import Operation

_STEPS = ("stepover", "stepdown", "step_x", "step_y")
"""Settings that follow the size of a cutter."""
_OF_FLUTES = 0.8
"""Share of the flute length that a layer of finishing is deep at most."""


def roughing_depth(terrain: Terrain, cutter: Cutter) -> float:
    """How deep under the top of the stock (mm) a flat cutter gets at most over the box of the models, by the surface
    alone."""
    zone = terrain.zone(Limit(boundary="box", contain="centre"), cutter)
    covered = np.where(terrain.covered, terrain.heights, terrain.ground)
    tips = ndimage.maximum_filter(covered, footprint=terrain.disc(cutter.radius), mode="nearest")
    return terrain.top - float(tips[zone].min())


def with_settings_of(operation: Operation, before: Cutter) -> Operation:
    """An operation with a new cutter: its stepover and stepdown, set for the cutter `before`, are scaled by the ratio
    of the diameters."""
    ratio = working_diameter(operation.cutter) / working_diameter(before)
    if ratio == 1.0:
        return operation
    settings = operation.settings
    steps = {name: round(getattr(settings, name) * ratio, 3) for name in _STEPS if name in type(settings).model_fields}
    return operation.model_copy(update={"settings": settings.model_copy(update=steps)})


def in_flute_layers(terrain: Terrain, operation: Operation, roughed: bool) -> Operation:
    """A finishing operation that goes down in layers no deeper than its flutes, where it meets higher material.

    After roughing (`roughed`) that is at walls higher than the flutes, where the stock to leave stands as high as the
    wall."""
    cutter, settings = operation.cutter, operation.settings
    if settings.figures.layer != 0.0:
        return operation
    covered = np.where(terrain.covered, terrain.heights, max(terrain.ground, floor_of(terrain, operation)))
    drop = covered - ndimage.minimum_filter(covered, 3) if roughed else terrain.top - covered
    if float(drop.max()) <= cutter.flute_length:
        return operation
    layer = round(_OF_FLUTES * cutter.flute_length, 1)
    return operation.model_copy(update={"settings": settings.model_copy(update={"layer": layer})})


def fitted(terrain: AnyTerrain, operation: Operation, cutters: Sequence[Cutter]) -> Operation | None:
    """An operation with a cutter that gets down to where it goes: its own, another of its shape, or one of them
    standing out farther.

    Where none does it goes as deep as the one that gets deepest; a cut-out, or one that gets nowhere, is left out
    (none)."""
    if reached(terrain, operation, wary=True) is None:
        return operation
    others = sorted(
        (
            cutter
            for cutter in cutters
            if cutter.shape == operation.cutter.shape and 0.5 <= cutter.diameter / operation.cutter.diameter <= 4.0
        ),
        key=lambda cutter: abs(np.log(cutter.diameter / operation.cutter.diameter)),
    )
    choices = [operation.cutter, *(cutter for cutter in others if cutter != operation.cutter)]
    longer = [
        cutter.model_copy(update={"stickout": float(np.floor(cutter.overall_length - GRIP))})
        for cutter in choices
        if cutter.overall_length - GRIP > cutter.reach
    ]
    best, lowest = operation, inf
    for cutter in [*choices, *longer]:
        try:
            tried = Operation.model_validate(operation.model_dump() | {"cutter": cutter.model_dump()})
            tried = with_settings_of(tried, operation.cutter)
        except ValueError:
            continue
        told = reached(terrain, tried, wary=True)
        if told is None:
            return tried
        if told[1] < lowest - SLACK:
            best, lowest = tried, told[1]
    depth = float(np.floor((terrain.top - lowest) * 10 - 1) / 10)
    if operation.role == "cut_out" or depth < 1.0:
        return None
    return best.model_copy(update={"cut_to": depth})
