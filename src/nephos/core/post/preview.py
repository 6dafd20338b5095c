"""What a post writes, shown on a small sample while the post is being changed."""

from dataclasses import dataclass, replace

import numpy as np

from nephos.core.cutters import standard_cutter
from nephos.core.errors import Refused
from nephos.core.post.control import PlannedStep, control_words, planned_control, spindle_faults, unplanned
from nephos.core.post.faults import certified_fault
from nephos.core.post.meaning import MOVES_BY_ITSELF, goes_astray, strays
from nephos.core.post.read import Reading, read_program
from nephos.core.post.schema import Post
from nephos.core.post.write import Program, Step, arcs_of, write_program
from nephos.core.toolpath import Kind, Toolpath

_WAIT = 4.0
"""Seconds that the spindle of the sample takes to start."""


@dataclass(frozen=True)
class Preview:
    """The sample as text, and what is wrong with it; empty where it reads back as it was meant."""

    text: str
    problem: str


def _path(points: list[tuple[float, float, float]], kinds: list[Kind]) -> Toolpath:
    feeds = [0 if kind is Kind.RAPID else 600 if kind is Kind.ENTRY else 1800 for kind in kinds]
    return Toolpath(np.array(points, np.float64), np.array(kinds, np.uint8), np.array(feeds, np.float32))


def _sample() -> list[Step]:
    turn = np.linspace(0, np.pi / 2, 13)[1:]
    corner = [(30 + 10 * float(np.sin(a)), 10 - 10 * float(np.cos(a)), -2.0) for a in turn]
    around = _path(
        [(0, 0, 5), (0, 0, 0.5), (30, 0, -2), *corner, (40, 25, -2), (0, 25, -2), (0, 25, 5)],
        [Kind.RAPID, Kind.ENTRY, *[Kind.CUT] * 14, Kind.RAPID],
    )
    slope = _path([(2, 2, 5), (2, 2, -0.25), (12.3456, 2, -2.125), (12.3456, 2, 5)], [Kind.ENTRY, Kind.CUT, Kind.RAPID])
    return [
        Step(10, "Rough, offset", standard_cutter("flat", 6, 1), 18000, around, 0.01, "mist", 5.0, 600),
        Step(20, "Finish, raster", standard_cutter("ball", 3, 2), 20000, slope, 0.01, "none", 5.0, 600),
    ]


def preview(post: Post) -> Preview:
    """The sample as this post writes it: two operations with two cutters, with an arc, a slope and coolant; the first
    alone where each cutter has a file of its own."""
    steps = _sample()[: 1 if post.changes == "file" else 2]
    steps = [replace(step, arcs=arcs_of(post, step)) for step in steps]
    try:
        program = write_program(
            post,
            "sample",
            [("job", "Sample job, revision 1"), ("zero", "front left corner of the stock, on its top face")],
            steps,
            _WAIT,
        )
    except Refused as reason:
        return Preview("", str(reason))
    try:
        problem = _said_wrong(post, steps, program, read_program(program.text))
    except Refused as reason:
        problem = str(reason)
    return Preview(program.text.decode(), problem)


def _said_wrong(post: Post, steps: list[Step], program: Program, reading: Reading) -> str:
    """What is wrong with the sample read back; empty where it says what was meant."""
    stray = strays(program, reading)
    if len(stray):
        return f"line {stray[0]}: {MOVES_BY_ITSELF}"
    planned = planned_control(
        post, [PlannedStep(s.number, s.cutter.number, s.spindle, s.coolant) for s in steps], _WAIT
    )
    found = control_words(program.text)
    speeds = [(first, last, step.spindle) for (first, last), step in zip(program.lines, steps, strict=True)]
    return (
        goes_astray(post, steps, program, reading)
        or unplanned(found, planned)
        or spindle_faults(found, reading.lines[reading.rapid == 0], speeds)
        or certified_fault(reading, program.text)
    )
