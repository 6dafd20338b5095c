"""The moves of an operation, and how long each takes."""

from dataclasses import dataclass
from typing import ClassVar, NamedTuple

import numpy as np

from nephos.core.arrays import F32, F64, U8
from nephos.core.machine.kinematics import move_seconds
from nephos.core.machine.machine import Machine
from nephos.core.machine.rotary_axis import RotaryAxis, machine_moves
from nephos.core.parallel import Report
from nephos.core.stages.path import PathStage
from nephos.core.stages.stage import Kept, Resolver
from nephos.core.stages.store import Result, as_result
from nephos.core.toolpath import Kind, Toolpath

LEADS = 2
"""Moves that bring the cutter over the beginning of an operation: to the height, then across."""


class Moves(NamedTuple):
    """Points (n + 1, 3), kinds (n,), feeds (n,) and seconds (n,) of moves; the first points are not known."""

    points: F64
    kinds: U8
    feeds: F32
    seconds: F64


def with_leads(path: Toolpath, may_be_idle: bool) -> tuple[F64, U8, F32]:
    """A path with the moves that bring the cutter over its beginning; no moves where there is nothing to cut, and that
    may be."""
    if may_be_idle and not path.moves:
        return path.points, path.kinds, np.zeros(0, np.float32)
    first = path.points[0]
    points = np.concatenate([[[np.nan, np.nan, np.nan], [np.nan, np.nan, first[2]]], path.points])
    kinds = np.concatenate([np.full(LEADS, Kind.RAPID, np.uint8), path.kinds])
    return points, kinds, np.concatenate([np.zeros(LEADS, np.float32), path.feeds])


@dataclass(frozen=True, eq=False)
class MovesStage(Kept[Moves]):
    """Times the moves of a path on a machine. `axis` : the rotary axis that they drive; none on a face."""

    name: ClassVar[str] = "moves"
    version: ClassVar[int] = 6

    path: PathStage
    machine: Machine
    axis: RotaryAxis | None
    may_be_idle: bool

    def compute(self, work: Resolver, report: Report) -> Result:
        """The moves, with seconds from the machine's accelerations."""
        points, kinds, feeds = with_leads(work.of(self.path), self.may_be_idle)
        if not len(kinds):
            seconds = np.zeros(0)
        elif self.axis is None:
            seconds = move_seconds(points, kinds, feeds, self.machine)
        else:
            places, words = machine_moves(points, kinds, feeds, self.axis, self.machine)
            seconds = move_seconds(places, kinds, np.nan_to_num(words), self.machine)
        facts = {"moves": len(kinds), "seconds": float(seconds.sum())}
        return as_result(facts, points=points, kinds=kinds, feeds=feeds, seconds=seconds)

    def read(self, result: Result, work: Resolver) -> Moves:
        """The moves that were kept."""
        return Moves(**result.arrays)
