"""Machining time, against motion that can be worked out by hand or in small steps."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nephos.core.machine.job_time import calibrate, job_time
from nephos.core.machine.kinematics import move_seconds
from nephos.core.machine.machine import MACHINES

MACHINE = MACHINES["shed-router"]


def seconds(points: list[list[float]], feed: float, kind: int = 1) -> np.ndarray:
    n = len(points) - 1
    return move_seconds(np.array(points, float), np.full(n, kind, np.uint8), np.full(n, feed, np.float32), MACHINE)


def test_a_long_move_is_two_ramps_and_a_cruise() -> None:
    v, a = 3000 / 60, 600
    assert seconds([[0, 0, 0], [400, 0, 0]], 3000).sum() == pytest.approx(400 / v + v / a)


def test_a_short_move_never_reaches_its_feed() -> None:
    assert seconds([[0, 0, 0], [1, 0, 0]], 3000).sum() == pytest.approx(2 * np.sqrt(1 / 600))


def test_the_slowest_axis_decides() -> None:
    diagonal = np.array([100, 0, 100]) / np.sqrt(2)
    top = min(5000, 2500 * np.sqrt(2)) / 60
    push = min(600, 400) * np.sqrt(2)
    assert seconds([[0, 0, 0], diagonal.tolist()], 99999).sum() == pytest.approx(100 / top + top / push)


def test_rapids_go_at_the_rapid_rate() -> None:
    assert seconds([[0, 0, 0], [600, 0, 0]], 0, 0).sum() == pytest.approx(600 / 100 + 100 / 600)


@settings(max_examples=30, deadline=None)
@given(cuts=st.lists(st.floats(0.01, 60), min_size=1, max_size=40))
def test_dividing_a_straight_line_changes_nothing(cuts: list[float]) -> None:
    x = np.concatenate([[0], np.cumsum(cuts)])
    parts = seconds([[v, 0, 0] for v in x], 2400).sum()
    assert parts == pytest.approx(seconds([[0, 0, 0], [x[-1], 0, 0]], 2400).sum(), rel=1e-6)


def test_corners_cost_time_and_reversals_a_full_stop() -> None:
    straight = seconds([[0, 0, 0], [50, 0, 0], [100, 0, 0]], 2400).sum()
    corner = seconds([[0, 0, 0], [50, 0, 0], [50, 50, 0]], 2400).sum()
    back = seconds([[0, 0, 0], [50, 0, 0], [0, 0, 0]], 2400).sum()
    assert straight < corner < back
    assert back == pytest.approx(2 * seconds([[0, 0, 0], [50, 0, 0]], 2400).sum())


@settings(max_examples=20, deadline=None)
@given(seed=st.integers(0, 9999))
def test_never_faster_than_the_machine(seed: int) -> None:
    """Speeds rebuilt from the times obey the acceleration between the middles of neighbouring moves."""
    points = np.cumsum(np.random.default_rng(seed).normal(0, 3, (60, 3)) * [1, 1, 0.3], axis=0)
    times = seconds(points.tolist(), 3000)
    lengths = np.linalg.norm(np.diff(points, axis=0), axis=1)
    speed = lengths / times
    assert speed.max() <= 3000 / 60 + 1e-9
    change = np.abs(np.diff(speed)) / (0.5 * (times[1:] + times[:-1]))
    assert change.max() <= 2 * 600 * np.sqrt(3)


def integrated(points: np.ndarray, feed: float, steps: int = 400) -> float:
    """Seconds of motion along the points, in small steps of the path: as fast as feed, corners and acceleration let it
    be."""
    moves = np.diff(points, axis=0)
    lengths = np.linalg.norm(moves, axis=1)
    paths = moves / lengths[:, None]
    push = np.min(np.array(MACHINE.acceleration) / np.maximum(np.abs(paths), 1e-12), axis=1)
    top = np.minimum(feed / 60, np.min(np.array(MACHINE.feed_limit) / 60 / np.maximum(np.abs(paths), 1e-12), axis=1))
    ds, a = np.repeat(lengths / steps, steps), np.repeat(push, steps)
    v = np.append(np.repeat(top, steps), 0.0)
    v[0] = 0.0
    for k in range(1, len(moves)):
        # The arc that leaves the corner by the deviation d has radius d s / (1 - s), s the sine of half the angle
        # inside the corner.
        s = np.sqrt(max(0.5 * (1 + float(paths[k - 1] @ paths[k])), 0.0))
        radius = np.inf if s > 0.999999 else MACHINE.corner_deviation * s / (1 - s)
        v[k * steps] = min(top[k - 1], top[k], np.sqrt(min(push[k - 1], push[k]) * radius))
    for k in range(len(ds)):
        v[k + 1] = min(v[k + 1], np.sqrt(v[k] ** 2 + 2 * a[k] * ds[k]))
    for k in range(len(ds) - 1, -1, -1):
        v[k] = min(v[k], np.sqrt(v[k + 1] ** 2 + 2 * a[k] * ds[k]))
    return float((2 * ds / (v[1:] + v[:-1])).sum())


@settings(max_examples=25, deadline=None)
@given(seed=st.integers(0, 9999), feed=st.floats(300, 6000))
def test_time_is_that_of_motion_in_small_steps(seed: int, feed: float) -> None:
    rng = np.random.default_rng(seed)
    turns = np.cumsum(rng.normal(0, rng.choice([0.05, 0.6]), 30))
    steps = rng.uniform(0.2, 15, 30)[:, None] * np.column_stack([np.cos(turns), np.sin(turns), rng.normal(0, 0.2, 30)])
    points = np.vstack([[0, 0, 0], np.cumsum(steps, axis=0)])
    assert seconds(points.tolist(), feed).sum() == pytest.approx(integrated(points, feed), rel=0.01)


def test_a_controller_that_looks_less_far_ahead_is_slower() -> None:
    """Moves of a tenth of a millimetre: with n of them known it can stop within n tenths, so v is at most the root of 2
    a n l."""
    points = np.column_stack([np.arange(2001) * 0.1, np.zeros(2001), np.zeros(2001)])

    def at(lookahead: int) -> np.ndarray:
        machine = MACHINE.model_copy(update={"lookahead": lookahead})
        return move_seconds(points, np.ones(2000, np.uint8), np.full(2000, 5000, np.float32), machine)

    slow = at(4)
    cruise = 0.1 / slow[1000]
    # It enters each move at the root of 2 a 4 l and is braking already, or speeding up, within it.
    assert cruise == pytest.approx(np.sqrt(2 * 600 * 4 * 0.1), rel=0.05)
    assert slow.sum() > 3 * at(2000).sum() and at(100).sum() == pytest.approx(at(2000).sum(), rel=0.05)


def test_a_job_takes_its_moves_its_changes_and_its_waits() -> None:
    machine = MACHINE.model_copy(update={"cutter_change_seconds": 60.0, "spindle_wait_seconds": 4.0})
    time = job_time([100.0, 200.0, 50.0], [3, 3, 5], machine)
    assert (time.moves, time.changes, time.waits, time.total) == (350.0, 60.0, 12.0, 422.0)
    assert job_time([], [], machine).total == 0


def test_real_times_correct_the_calculated_ones() -> None:
    found = calibrate([(1000, 1100), (2000, 2240), (600, 1500), (500, 555)])
    assert found.factor == pytest.approx((1.11 + 1.12) / 2) and found.entries == 4
    assert (found.low, found.high) == pytest.approx((1.1, 2.5)), "one long pause does not move the middle"
    assert calibrate([]).factor == 1.0 and calibrate([(0, 5)]).entries == 0
