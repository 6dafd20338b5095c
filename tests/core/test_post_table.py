"""All posts, in both units, for all kinds of setup: each posts, and what is read back is the plan."""

from functools import cache

import numpy as np
import pytest

from core.test_rotary import BALL, FLAT, operation, plan_of
from core.test_rotary import EGG as TURNED_EGG
from core.test_tiles import FINISH, ROUGH, board, hills, seams
from face_jobs import EGG as FACED_EGG
from face_jobs import egg_plan
from nephos.core.errors import Refused
from nephos.core.machine.machine import machine_of
from nephos.core.machine.rotary_axis import surface_lengths
from nephos.core.mesh.model import Mesh
from nephos.core.plan.bar_axis import axis_of
from nephos.core.plan.schema import Plan
from nephos.core.post.read import read_program
from nephos.core.post.schema import shipped_posts
from nephos.core.stages.run import run_plan
from nephos.core.stages.setup_outcome import SetupOutcome
from nephos.core.stages.store import MemoryStore
from nephos.core.stages.work import Work

pytestmark = pytest.mark.long

KINDS = ("face", "faces", "tiles", "rotary")
STORES = {kind: MemoryStore() for kind in KINDS}
"""Paths and blocks depend on no post: they are worked out once for each kind."""


@cache
def job(kind: str) -> tuple[Plan, Mesh]:
    if kind == "face":
        return board(ROUGH, FINISH).model_copy(update={"pitch": 0.7}), hills()
    if kind == "tiles":
        return board(ROUGH, FINISH, tiles=seams(45.0)).model_copy(update={"pitch": 0.7}), hills()
    if kind == "faces":
        return egg_plan(pitch=0.7), FACED_EGG
    rough = operation(10, "rough_raster", FLAT, stepdown=3.0, stepover=3.0, leave=0.4)
    return plan_of(rough, operation(20, "finish_raster", BALL, stepover=1.5), pitch=1.0), TURNED_EGG


def posted(kind: str, post: str, unit: str) -> list[SetupOutcome]:
    plan, mesh = job(kind)
    plan = Plan.model_validate(plan.model_dump() | {"post": post, "post_unit": unit})
    return list(run_plan(plan, lambda _: mesh, Work(STORES[kind])))


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("unit", ["mm", "in"])
@pytest.mark.parametrize("post", sorted(shipped_posts()))
def test_every_post_writes_every_kind_of_setup_in_both_units(post: str, unit: str, kind: str) -> None:
    if kind == "rotary" and shipped_posts()[post].rotary is None:
        with pytest.raises(Refused, match="has no words for a bar that rotates"):
            posted(kind, post, unit)
        return
    for done in posted(kind, post, unit):
        assert done.programs
        text = b"".join(program.text for program in done.programs)
        assert (b"G20" in text) == (unit == "in") and (b"G21" in text) == (unit == "mm")


@pytest.mark.parametrize("kind", ["face", "faces", "tiles"])
@pytest.mark.parametrize("unit", ["mm", "in"])
@pytest.mark.parametrize("post", ["rs274-metric", "rs274-metric-changer"])
def test_no_line_lets_a_cutter_go_down_faster_than_its_plunge_feed(post: str, unit: str, kind: str) -> None:
    """From the text alone, on hills and on the steep sides of an egg."""
    slowed = 0
    for done in posted(kind, post, unit):
        plunge = {o.operation.number: o.operation.entering_feed for o in done.outcomes}
        full = {o.operation.number: o.operation.cutting_feed for o in done.outcomes}
        for program in done.programs:
            reading = read_program(program.text)
            step = np.diff(reading.points, axis=0)
            lengths = np.maximum(np.linalg.norm(step, axis=1), 1e-9)
            for number, (first, last) in zip(program.numbers, program.lines, strict=True):
                mine = (reading.rapid == 0) & (reading.lines >= first) & (reading.lines <= last) & (lengths > 0.05)
                down = reading.feeds * -step[:, 2] / lengths
                # A height is rounded to the last decimal of the post.
                rounded = reading.feeds * done.space.plan.own_post.millimetres * 1e-4 / lengths
                assert (down <= plunge[number] * 1.001 + rounded)[mine].all()
                slowed += int((mine & (step[:, 2] < 0) & (reading.feeds < 0.9 * full[number])).sum())
    assert slowed > 100


@pytest.mark.parametrize("unit", ["mm", "in"])
@pytest.mark.parametrize("post", [key for key, post in sorted(shipped_posts().items()) if post.rotary is not None])
def test_the_feed_over_a_bar_is_as_planned_within_the_limits_of_every_axis(post: str, unit: str) -> None:
    """From the text alone: how long each word lets its move take."""
    (done,) = posted("rotary", post, unit)
    plan = done.space.plan
    axis, machine = axis_of(plan), machine_of(plan.machine)
    turning = next(item for item in machine.rotary if item.name == "A").feed_limit
    for program in done.programs:
        reading = read_program(program.text)
        feeding = np.flatnonzero(reading.rapid == 0)
        step = np.diff(reading.points, axis=0)[feeding]
        if axis.word == "A":
            turned, limit = np.diff(reading.angles)[feeding], turning
        else:
            turned, limit = step[:, 1], machine.feed_limit[1]
        straight = np.hypot(step[:, 0], step[:, 2])
        said = np.where(
            straight > 1e-6, straight, np.abs(turned) * (plan.own_post.millimetres if axis.word == "A" else 1.0)
        )
        if axis.word == "Y":
            said = np.hypot(straight, turned)
        inverse = reading.inverse[feeding] == 1
        minutes = np.where(inverse, 1.0 / reading.feeds[feeding], said / reading.feeds[feeding])
        moving = (np.abs(turned) > 0.05) | (straight > 0.05)
        for distance, most in (
            (np.abs(turned), limit),
            (np.abs(step[:, 0]), machine.feed_limit[0]),
            (np.abs(step[:, 2]), machine.feed_limit[2]),
        ):
            assert (distance / minutes <= most * 1.02)[moving].all(), (
                program.name,
                float((distance / minutes)[moving].max()),
            )
        unrolled = reading.points.copy()
        around = reading.angles if axis.word == "A" else reading.points[:, 1]
        unrolled[:, 1] = around / axis.share
        if inverse.all():
            lengths = surface_lengths(unrolled, axis.radius)[feeding]
            planned = max(item.operation.cutting_feed for item in done.outcomes)
            assert (lengths / minutes <= planned * 1.01)[lengths > 0.2].all()
            plunge = max(item.operation.entering_feed for item in done.outcomes)
            down = -step[:, 2] / minutes
            assert (down <= plunge * 1.02)[lengths > 0.2].all() and (down > 0.5 * plunge).any()
