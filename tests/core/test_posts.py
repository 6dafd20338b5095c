"""The shipped posts and what can be set in one: golden text, files cut to size, the check word, and what is wrong in
plain words."""

import hashlib
import json
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from cutting import BALL, FLAT, op, recertified, run
from nephos.command.warm import small_hill
from nephos.core.cutters import standard_cutter
from nephos.core.errors import Refused
from nephos.core.post.checksum import body_word, check_word, checksum_state
from nephos.core.post.preview import preview
from nephos.core.post.read import read_program
from nephos.core.post.schema import Post, checked_post, in_unit, parse_post, post_named, shipped_posts
from nephos.core.post.split import split_steps, too_large
from nephos.core.post.write import Step, retitled, write_program
from nephos.core.stages.programs import programs_of
from nephos.core.stages.run import run_setup
from nephos.core.stages.store import MemoryStore
from nephos.core.stages.work import Work
from nephos.core.toolpath import Kind, Toolpath

GOLDEN = Path(__file__).parent / "golden"
SHIPPED = sorted(shipped_posts())


def steps(clearance: float = 5.0) -> list[Step]:
    """Two operations with two cutters: a square with rounded corners, then a slope."""
    turn = np.linspace(0, np.pi / 2, 33)[1:]
    corner = np.column_stack([20 + 5 * np.sin(turn), 5 - 5 * np.cos(turn), np.full(32, -1.5)])
    square = np.array(
        [
            [0, 0, clearance],
            [0, 0, 0.5],
            [0, 0, -1.5],
            [20, 0, -1.5],
            *corner,
            [25, 20, -1.5],
            [0, 20, -1.5],
            [0, 20, clearance],
        ]
    )
    kinds = np.array([Kind.RAPID, Kind.ENTRY, *[Kind.CUT] * 35, Kind.RAPID], np.uint8)
    slope = np.array([[2, 2, clearance], [2, 2, -0.25], [12.3456, 2, -2.125], [12.3456, 2, clearance]])
    first = Toolpath(
        square, kinds, np.where(kinds == Kind.RAPID, 0, np.where(kinds == Kind.ENTRY, 600, 1800)).astype(np.float32)
    )
    second = Toolpath(slope, np.array([2, 1, 0], np.uint8), np.array([600, 1500, 0], np.float32))
    return [
        Step(10, "Rough, offset", standard_cutter("flat", 6, 3), 18000, first, 0.01, "mist", clearance, 600),
        Step(20, "Finish, raster", standard_cutter("ball", 3, 5), 20000, second, 0.01, "none", clearance, 600),
    ]


@pytest.mark.parametrize("key", SHIPPED)
def test_a_shipped_post_writes_what_it_always_wrote(key: str) -> None:
    post = post_named(key)
    parts = [steps()[:1], steps()[1:]] if post.changes == "file" else [steps()]
    text = b"".join(
        write_program(post, "t", [("job", "Golden square"), ("zero", "front left corner")], part, 4, (0.0, 150.0)).text
        for part in parts
    )
    assert text.decode() == (GOLDEN / f"{key}.txt").read_text()


@pytest.mark.parametrize("key", SHIPPED)
def test_text_of_every_shipped_post_read_back_is_the_plan(key: str) -> None:
    post = post_named(key)
    half = post.millimetres * 10.0**-post.decimals / 2
    for step in steps():
        reading = read_program(write_program(post, "t", [], [step], 4).text)
        ends = reading.points[1:][np.flatnonzero(np.append(np.diff(reading.lines) != 0, True))][2:]
        planned = step.path.points[1:]
        if post.arcs and len(planned) > 10:
            # Only the end is left of the chords of the corner.
            planned = planned[[0, 1, 2, *range(34, len(planned))]]
        assert len(ends) == len(planned) and np.abs(ends - planned).max() <= half * 1.0001
        assert set(reading.tools) == {step.cutter.number} and set(reading.speeds) == {step.spindle}


def test_cutters_are_changed_as_the_post_says() -> None:
    pauses = write_program(post_named("rs274-metric-pauses"), "t", [], steps(), 4).text.decode()
    assert pauses.count("M0\n") == 1 and pauses.index("T3") < pauses.index("M0"), "the first cutter is in already"
    changer = write_program(post_named("rs274-metric-changer"), "t", [], steps(), 4).text.decode()
    assert (
        "T3 M6" in changer and "T5 M6" in changer and changer.index("M7") < changer.index("M9") < changer.index("T5 M6")
    )


def test_every_word_in_every_line_where_the_post_says_so() -> None:
    lines = write_program(post_named("rs274-metric-plain"), "t", [], steps()[1:], 4).text.decode().splitlines()
    assert "G1 X12.346 Y2.0 Z-2.125 F1500" in lines and not any(line.startswith("N") for line in lines)


def test_line_numbers_begin_anew_where_the_controller_counts_no_further() -> None:
    post = Post.model_validate(
        post_named("rs274-metric").model_dump() | {"line_numbers": {"on": True, "first": 10, "step": 10, "last": 90}}
    )
    lines = write_program(post, "t", [], steps()[:1], 4).text.decode().splitlines()
    numbers = [int(line.split()[0][1:]) for line in lines if line.startswith("N")]
    assert numbers == [10 + 10 * (k % 9) for k in range(len(numbers))] and len(numbers) > 20


def test_a_line_longer_than_the_controller_takes_is_refused_with_its_number() -> None:
    post = Post.model_validate(post_named("rs274-metric-plain").model_dump() | {"longest_line": 24})
    with pytest.raises(Refused, match=r"line \d+ has \d+ characters.*allows 24"):
        write_program(post, "t", [("job", "a header far longer than four and twenty letters")], steps()[1:], 4)
    short = Post.model_validate(post_named("rs274-metric").model_dump() | {"longest_line": 32})
    text = write_program(
        short, "t", [("job", "title"), ("stock", "a header far longer than two and thirty letters")], steps()[1:], 4
    ).text
    assert max(map(len, text.decode().splitlines())) <= 32
    told = " ".join(line.strip("()").removeprefix("stock: ") for line in text.decode().splitlines()[1:5])
    assert told.startswith("a header far longer than two and thirty letters"), "comments go on in the next line"


def test_comments_keep_to_plain_letters() -> None:
    text = write_program(
        post_named("rs274-metric"), "t", [("job", "Setup A · Größe 3×4 (in lime)")], steps()[1:], 4
    ).text.decode()
    assert text.splitlines()[0] == "(job: Setup A - Grosse 3x4 in lime)"


def winding(moves: int = 900) -> Step:
    """A long path down a slope that never comes up."""
    t = np.linspace(0, 60, moves)
    path = np.column_stack([20 + t * np.cos(t), 40 + t * np.sin(t), -1 - t / 40])
    points = np.vstack([[*path[0, :2], 5.0], path, [*path[-1, :2], 5.0]])
    kinds = np.array([Kind.ENTRY, *[Kind.CUT] * (moves - 1), Kind.RAPID], np.uint8)
    return Step(
        30,
        "Finish, raster",
        standard_cutter("ball", 3, 5),
        20000,
        Toolpath(points, kinds, np.where(kinds == 0, 0, 900).astype(np.float32)),
        0.01,
        "none",
        5.0,
        450,
    )


@pytest.mark.parametrize("limit", [{"most_lines": 240}, {"most_kilobytes": 16}, {"most_lines": 300, "arcs": True}])
def test_files_that_are_too_large_go_on_safely_where_the_last_one_ended(limit: dict) -> None:
    post = Post.model_validate(post_named("rs274-metric").model_dump() | limit)
    whole = write_program(post, "t", [("job", "h")], [winding(), replace(winding(), number=40)], 4)
    split = split_steps(post, [winding(), replace(winding(), number=40)], whole)
    parts = [write_program(post, f"t{k}", [("job", "h")], part, 4) for k, part in enumerate(split)]
    assert len(parts) > 2 and not any(too_large(part, post) for part in parts)
    cut = []
    for part in parts:
        reading = read_program(part.text)
        assert reading.points[-1, 2] == 5.0, "every file ends over everything"
        below = reading.points[1:, 2] < 5.0
        rapids = reading.rapid == 1
        level = np.abs(np.diff(reading.points, axis=0))[:, :2]
        assert not (rapids & below).any(), "nothing goes down in a rapid"
        added = np.isin(reading.lines, part.added)
        assert np.nan_to_num(level[added & below]).max(initial=0.0) == 0.0, "what was added goes straight down"
        assert (reading.feeds[added & ~rapids] == 450).all()
        cut.append(reading.points[1:][~added & ~rapids])
    planned = read_program(whole.text)
    assert np.array_equal(np.concatenate(cut), planned.points[1:][planned.rapid == 0])


def test_a_post_that_leaves_no_room_for_moves_says_so() -> None:
    post = Post.model_validate(post_named("rs274-metric").model_dump() | {"most_lines": 200, "start": ["G21"] * 190})
    whole = write_program(post, "t", [("job", "h")], [winding()], 4)
    with pytest.raises(Refused, match="its own lines fill it"):
        split_steps(post, [winding()], whole)


def test_split_files_of_a_job_are_certified_and_a_changed_one_is_not() -> None:
    done = run(
        small_hill(side=20, cells=20),
        op("rough_offset", FLAT, stepover=2.0, stepdown=2.0),
        op("finish_raster", BALL, 20, stepover=0.5),
        pitch=0.5,
    )
    post = Post.model_validate(post_named("rs274-metric-changer").model_dump() | {"most_lines": 400})
    plan = done.space.plan.model_copy(update={"post": post})
    space = replace(done.space, plan=plan)
    files = programs_of(space, done.outcomes, "A hill, revision 1")
    assert len(files) > 1 and all("(file: " in file.text.decode()[:600] for file in files)
    done = replace(done, space=space)
    recertified(done, *files)
    with pytest.raises(Refused, match=r"leaves out moves|hold all moves"):
        recertified(done, *files[:-1])
    with pytest.raises(Refused, match=r"leaves out moves|hold all moves"):
        recertified(done, files[1], files[0], *files[2:])


def test_the_post_of_a_job_may_be_the_shops_own() -> None:
    done = run(small_hill(side=20, cells=12), op("rough_offset", FLAT, stepover=2.0, stepdown=2.0), pitch=0.5)
    own = Post.model_validate(
        post_named("rs274-inch").model_dump() | {"id": "shed", "title": "Shed", "extension": "tap"}
    )
    plan = done.space.plan.model_copy(update={"post": own})
    again = run_setup(plan, plan.setups[0], lambda _: small_hill(side=20, cells=12), Work(MemoryStore()))
    assert again.programs[0].name.endswith(".tap") and b"G20" in again.programs[0].text
    step = 25.4 * 1e-4
    assert np.nanmax(np.abs(again.outcomes[0].points - done.outcomes[0].points)) <= step


def test_the_unit_of_the_files_is_a_choice_beside_the_post() -> None:
    hill, rough = small_hill(side=20, cells=12), op("rough_offset", FLAT, stepover=2.0, stepdown=2.0)
    done = run(hill, rough, pitch=0.5)
    for post in ("rs274-metric-changer", "rs274-metric-arcs"):
        plan = done.space.plan.model_copy(update={"post": post, "post_unit": "in"})
        again = run_setup(plan, plan.setups[0], lambda _: hill, Work(MemoryStore()))
        text = again.programs[0].text
        assert b"G20" in text and b"G21" not in text
        reading = read_program(text)
        ends = reading.points[np.isfinite(reading.points).all(axis=1)] + again.space.zero
        assert np.abs(ends[:, 2].min() - done.outcomes[0].path.points[:, 2].min()) <= 25.4e-4
    mute = Post.model_validate(post_named("rs274-metric").model_dump() | {"id": "mute", "start": ["G90"]})
    with pytest.raises(Refused, match="gives no unit with G21"):
        in_unit(mute, "in")


def test_the_check_word_tells_a_file_that_was_changed() -> None:
    text = write_program(post_named("rs274-metric"), "t", [("job", "a job")], steps()[:1], 4).text
    assert checksum_state(text) == "intact" and len(check_word(text)) == 16
    assert checksum_state(text.replace(b"\n", b"\r\n")) == "intact", "a stick may change line ends"
    assert checksum_state(text.replace(b"F1800", b"F2800")) == "altered"
    assert checksum_state(text.replace(check_word(text).encode(), 16 * b"1")) == "altered"
    assert checksum_state(text.replace(b"a job", b"another")) == "altered", "the first line is under it too"
    renamed = retitled(post_named("rs274-metric"), text, "another, revision 9")
    assert checksum_state(renamed) == "intact" and renamed.startswith(b"(job: another revision 9)\n")
    assert body_word(check_word(renamed)) == body_word(check_word(text)) and check_word(renamed) != check_word(text)
    _, _, rest = text.partition(b"\n")
    older = hashlib.sha256(b"\n" + rest.replace(check_word(text).encode(), 16 * b"0")).hexdigest()[:16].encode()
    assert checksum_state(text.replace(check_word(text).encode(), older)) == "intact", "files of older versions too"
    assert checksum_state(b"G21\nG0 Z5\n") == "none"


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"unit": "cm"}, "unit must be 'mm' or 'in'"),
        ({"decimals": 9}, "decimals must be 6 or less"),
        ({"title": ""}, "title must not be empty"),
        ({"start": ["G21", "S{speed}"]}, r"start: line 2: \{speed\} is not known; use \{spindle\}"),
        ({"end": ["M30 {"]}, "end: line 1 has a brace"),
        ({"colour": 1}, "colour is nothing that a post has"),
        ({"id": "My Post"}, "id may hold small letters"),
        ({"line_numbers": {"first": 500, "last": 100}}, "the last one must be higher"),
        ({"most_lines": 1.5}, "most lines must be a whole number"),
        ({"extension": "n.c"}, "extension may hold letters and digits"),
        ({"start": ["G21\nG90"]}, "start: line 1 may hold plain letters"),
    ],
)
def test_what_is_wrong_with_a_post_is_said_in_plain_words(change: dict, said: str) -> None:
    with pytest.raises(Refused, match=said):
        checked_post(post_named("rs274-metric").model_dump() | change)


def test_a_post_file_that_is_no_json_names_the_line() -> None:
    with pytest.raises(Refused, match="line 2 of the post is not JSON"):
        parse_post('{"id": "a",\n oops}')


def test_a_preview_shows_the_sample_and_whether_it_reads_back() -> None:
    shown = preview(post_named("rs274-metric-changer"))
    assert shown.problem == "" and "T2 M6" in shown.text and "M30" in shown.text
    strange = preview(checked_post(post_named("rs274-metric").model_dump() | {"start": ["G21", "Q7"]}))
    assert "none that Nephos can follow" in strange.problem and "line" in strange.problem and strange.text
    inches = preview(checked_post(post_named("rs274-metric").model_dump() | {"unit": "in"}))
    assert "does not say what was meant" in inches.problem, "the lines at the start still say millimetres"


def test_posts_are_written_as_they_are_read() -> None:
    for key in SHIPPED:
        post = post_named(key)
        assert parse_post(json.dumps(post.model_dump())) == post
