"""What a post writes, shown on a small sample while the post is being changed."""

from dataclasses import dataclass

import numpy as np

from nephos.core.arrays import F64
from nephos.core.cutters import standard_cutter
from nephos.core.errors import Refused
from nephos.core.paths.toolpath import Kind, Toolpath
from nephos.core.post.read import read_program
from nephos.core.post.schema import Post
from nephos.core.post.write import Step, write_program


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
    around = _path([(0, 0, 5), (0, 0, 0.5), (30, 0, -2), *corner, (40, 25, -2), (0, 25, -2), (0, 25, 5)],
                   [Kind.RAPID, Kind.ENTRY, *[Kind.CUT] * 14, Kind.RAPID])
    slope = _path([(2, 2, 5), (2, 2, -0.25), (12.3456, 2, -2.125), (12.3456, 2, 5)], [Kind.ENTRY, Kind.CUT, Kind.RAPID])
    return [Step(10, "Rough, rings", standard_cutter("flat", 6, 1), 18000, around, 0.01, "mist", 5.0, 600),
            Step(20, "Finish, lines", standard_cutter("ball", 3, 2), 20000, slope, 0.01, "none", 5.0, 600)]


def _ends(steps: list[Step]) -> F64:
    ends: F64 = np.concatenate([step.path.points[1:] for step in steps])
    return ends


def preview(post: Post) -> Preview:
    """The sample as this post writes it: two operations with two cutters, with an arc, a slope and coolant."""
    steps = _sample() if post.changes != "file" else _sample()[:1]
    try:
        text = write_program(post, "sample", ["Sample job, revision 1", "zero at the front left corner of the stock, on its top face"],
                             steps, 4).text
    except Refused as reason:
        return Preview("", str(reason))
    shown = text.decode("ascii", "replace")
    try:
        reading = read_program(text)
    except Refused as reason:
        return Preview(shown, str(reason))
    half = post.millimetres * 10.0**-post.decimals
    read = reading.points[1:]
    lost = [end for end in _ends(steps) if np.nan_to_num(np.abs(read - end).max(axis=1), nan=np.inf).min() > half]
    if lost and not post.arcs:
        return Preview(shown, f"read back, it does not say what was meant: X{lost[0][0]:.3f} Y{lost[0][1]:.3f} Z{lost[0][2]:.3f} mm is not in it; "
                              "look at the unit, the words, and the lines at the start")
    span = np.abs(np.nanmax(read, axis=0) - _ends(steps).max(axis=0)).max()
    if span > half:
        return Preview(shown, f"read back, it does not say what was meant: it reaches {span:.3f} mm elsewhere; look at the unit, the words, "
                              "and the lines at the start")
    return Preview(shown, "")
