"""Machining time, against motion that can be worked out by hand or in small steps."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nephos.core.machine.kinematics import MACHINES, move_seconds

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
