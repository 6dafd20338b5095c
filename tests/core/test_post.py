"""Program text: what is posted, read back by the independent reader, is what was planned."""

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from nephos.core.cutters import standard_cutter
from nephos.core.errors import Refused
from nephos.core.post.arcs import SAG, VERTEX
from nephos.core.post.read import read_program
from nephos.core.post.schema import parse_post, post_named
from nephos.core.post.write import Step, write_program
from nephos.core.toolpath import Kind, Toolpath

METRIC = post_named("rs274-metric")
INCH = METRIC.model_copy(
    update={"id": "test-inch", "unit": "in", "decimals": 4, "start": ("G20", "G90"), "feed_decimals": 1}
)


def path(points: np.ndarray, kinds: np.ndarray) -> Toolpath:
    return Toolpath(points, kinds.astype(np.uint8), np.where(kinds == Kind.RAPID, 0, 1200).astype(np.float32))


def program(post, toolpath: Toolpath) -> bytes:
    return write_program(
        post,
        "t",
        [("job", "a job (with brackets)")],
        [Step(10, "Rough", standard_cutter("flat", 6, 7), 18000, toolpath)],
        4,
    ).text


@pytest.mark.parametrize("post", [METRIC, INCH])
@settings(max_examples=60, deadline=None)
@given(seed=st.integers(0, 10**6), count=st.integers(1, 60))
def test_text_read_back_equals_the_plan(post, seed: int, count: int) -> None:
    rng = np.random.default_rng(seed)
    points = rng.uniform(-300, 300, (count + 1, 3))
    points[rng.random(points.shape) < 0.3] = 0.0
    kinds = rng.choice([0, 1, 2, 3], count)
    toolpath = path(points, kinds)
    whole = write_program(post, "t", [], [Step(10, "Rough", standard_cutter("flat", 6, 7), 18000, toolpath)], 4)
    reading = read_program(whole.text)
    step = post.millimetres * 10.0**-post.decimals
    at = np.searchsorted(reading.lines, whole.move_lines[0])
    assert np.abs(reading.points[at + 1] - points[1:]).max() <= step * 0.5000001
    moved = (np.rint(points[1:] / step) != np.rint(points[:-1] / step)).any(axis=1)
    assert ((reading.rapid[at] == 1) == (kinds == 0))[moved].all()
    assert np.allclose(reading.feeds[at][moved & (kinds != 0)], 1200, atol=2.6)
    assert (reading.tools == 7).all() and (reading.speeds == 18000).all()


def test_words_that_repeat_are_left_out_and_lines_counted() -> None:
    points = np.array([[0, 0, 5], [10, 0, 5], [10, 0, -1.25], [20, 0, -1.25], [20, 8, -1.25]], float)
    text = program(METRIC, path(points, np.array([0, 2, 1, 1]))).decode().splitlines()
    assert text[-7:-2] == ["N8 G0 X0.000 Y0.000", "N9 G0 X10.0", "N10 G1 Z-1.25 F1200", "N11 X20.0", "N12 Y8.0"]
    assert text[0] == "(job: a job with brackets)"


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("G1 X1", "before any feed"),
        ("X1 Y2", "before G0"),
        ("G0 X", "cannot be read"),
        ("(open", "not closed"),
        ("G0 Q3", "none that"),
    ],
)
def test_reader_stops_at_what_it_cannot_follow(text: str, words: str) -> None:
    with pytest.raises(Refused, match=words) as reason:
        read_program(b"G21 G90\n" + text.encode() + b"\n")
    assert str(reason.value).startswith("line 2")


def test_reader_follows_other_ways_of_writing() -> None:
    reading = read_program(
        b"%\ng20g90 ; inches\nN5 G00 X1. Y-.5 Z+2\r\nG91 G1 X.25 F10.5 (one) Z-1\n/M3 S900\nG4 P2\nG90 G21 X0\nM30"
    )
    assert np.allclose(reading.points[1:], [[25.4, -12.7, 50.8], [31.75, -12.7, 25.4], [0, -12.7, 25.4]])
    assert reading.rapid.tolist() == [1, 0, 0] and reading.lines.tolist() == [3, 4, 7]
    assert reading.feeds.tolist() == pytest.approx([0, 266.7, 266.7], abs=1e-3)


@given(st.binary(max_size=300))
def test_no_text_breaks_the_reader(data: bytes) -> None:
    try:
        read_program(b"G0 X0 Y0 Z0\n" + data)
    except Refused as reason:
        assert "line" in str(reason)


def test_a_post_with_a_mistake_says_where() -> None:
    with pytest.raises(Refused, match="decimals"):
        parse_post(METRIC.model_dump_json().replace('"decimals":3', '"decimals":9'))
    with pytest.raises(Refused, match="line 1"):
        parse_post("{")
    with pytest.raises(Refused, match="rs274-metric"):
        post_named("unknown")


ARCS = post_named("rs274-metric-arcs")


def ring(radius: float, z: float, steps: int = 720, turn: float = 360.0) -> np.ndarray:
    a = np.radians(np.linspace(0, turn, steps + 1))
    return np.column_stack([50 + radius * np.cos(a), 40 + radius * np.sin(a), np.full(len(a), z)])


@pytest.mark.parametrize("climb", [True, False])
def test_a_ring_is_written_as_arcs_and_read_back_as_the_ring(climb: bool) -> None:
    points = ring(20.0, -3.0) if climb else ring(20.0, -3.0)[::-1]
    text = program(ARCS, path(points, np.ones(len(points) - 1, int)))
    lines = [line for line in text.decode().splitlines() if "I" in line and "J" in line]
    assert 3 <= len(lines) <= 6 and all(("G3" if climb else "G2") in line or "G" not in line for line in lines)
    reading = read_program(text)
    read = reading.points[2:]
    assert np.abs(np.hypot(read[:, 0] - 50, read[:, 1] - 40) - 20).max() < 0.0025 and np.allclose(read[:, 2], -3)
    length = np.hypot(*np.diff(read[:, :2], axis=0).T).sum()
    assert length == pytest.approx(2 * np.pi * 20, rel=1e-3), "the right way round, once"


@settings(max_examples=40, deadline=None)
@given(seed=st.integers(0, 10**6))
def test_arcs_stay_within_the_tolerance_of_any_path(seed: int) -> None:
    """Rings, corners, slopes and wiggles one behind the other: nothing read back is farther off than the tolerance."""
    rng = np.random.default_rng(seed)
    parts = []
    for _ in range(4):
        kind = rng.integers(3)
        at = rng.uniform(-50, 50, 3)
        if kind == 0:
            parts.append(ring(rng.uniform(0.3, 40), at[2], int(rng.integers(8, 400)), rng.uniform(-360, 360)))
        elif kind == 1:
            parts.append(at + np.cumsum(rng.normal(0, 1, (20, 3)), axis=0))
        else:
            parts.append(at + np.cumsum(rng.normal(0, 0.05, (60, 3)) * [1, 1, 0], axis=0))
    points = np.concatenate(parts)
    reading = read_program(program(ARCS, path(points, np.ones(len(points) - 1, int))))
    line = shapely.LineString(points[:, :2])
    # As far as the tolerance for arcs lets them bulge, and the rounding of the post.
    assert max(line.distance(shapely.Point(p)) for p in reading.points[3:, :2]) < 0.01 * (VERTEX + SAG) + 0.002
    back = shapely.LineString(reading.points[2:, :2])
    assert max(back.distance(shapely.Point(p)) for p in points[1:, :2]) < 0.01 * (VERTEX + SAG) + 0.002


def test_what_is_no_arc_stays_straight() -> None:
    square = np.array([[0, 0, -1], [10, 0, -1], [10, 10, -1], [0, 10, -1], [0, 0, -1]], float)
    climbing = ring(10.0, 0.0) - np.linspace(0, 3, 721)[:, None] * [0, 0, 1]
    for points in (square, climbing):
        assert b"I" not in program(ARCS, path(points, np.ones(len(points) - 1, int))).split(b"M3")[1]


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ("G2 X10 Y0 I4 J1", "does not lie on its circle"),
        ("G3 X10 Y0", "no centre"),
        ("G2 X10 Y0 R4", "does not lie on its circle"),
        ("G53 G0 Z0 X0\nG2 X10 Y0 I5", "not known to be"),
        ("G2 X0 Y0 R4", "does not lie"),
    ],
)
def test_an_arc_that_cannot_be_is_refused(line: str, said: str) -> None:
    with pytest.raises(Refused, match=said):
        read_program(f"G21 G90\nG1 X0 Y0 Z0 F100\n{line}\n".encode())


def test_a_full_turn_and_inches_are_read() -> None:
    reading = read_program(b"G20 G90\nG1 X1 Y0 Z0 F10\nG2 I-1 J0\n")
    assert np.hypot(*np.diff(reading.points[1:, :2], axis=0).T).sum() == pytest.approx(2 * np.pi * 25.4, rel=1e-4)
    assert reading.points[-1, :2] == pytest.approx([25.4, 0])


def test_arcs_by_radius_are_those_by_centre() -> None:
    by_centre = read_program(b"G21 G90\nG0 X0 Y0 Z0\nG3 X10 Y10 I0 J10 F100\nG2 X20 Y20 I10 J0\n")
    by_radius = read_program(b"G21 G90\nG0 X0 Y0 Z0\nG3 X10 Y10 R10 F100\nG2 X20 Y20 R10\n")
    assert np.allclose(by_centre.points[1:], by_radius.points[1:], atol=1e-9)
    long_path = read_program(b"G21 G90\nG0 X0 Y0 Z0\nG3 X10 Y10 R-10 F100\n")
    assert np.nanmax(long_path.points[:, 0]) == pytest.approx(20, abs=0.001), (
        "a negative radius goes the longer way round"
    )


def test_a_helix_goes_down_evenly() -> None:
    reading = read_program(b"G21 G90\nG0 X10 Y0 Z0\nG3 X10 Y0 Z-4 I-10 J0 F100\n")
    path = reading.points[1:]
    turned = np.unwrap(np.arctan2(path[:, 1], path[:, 0]))
    assert np.allclose(path[:, 2], -4 * turned / (2 * np.pi), atol=1e-9) and np.allclose(
        np.hypot(path[:, 0], path[:, 1]), 10, atol=0.001
    )


def test_after_the_machines_own_coordinates_a_place_is_not_known() -> None:
    reading = read_program(b"G21 G90\nG0 X1 Y2 Z3\nG53 G0 Z0\nG0 X5\nG28\nG0 X1 Y1 Z5\nG43 H2\nG61\n")
    assert np.isnan(reading.points[2, 2]) and reading.points[2, 0] == 1 and np.isnan(reading.points[4]).all()
    assert reading.points[5].tolist() == [1, 1, 5]
