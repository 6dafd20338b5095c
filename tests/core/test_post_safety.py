"""What a post of the shop's own may do, and may not: move in the machine's coordinates, nothing else; say what was
meant, nothing else."""

from dataclasses import replace

import numpy as np
import pytest

from cutting import BALL, FLAT, op, recertified, run
from nephos.command.warm import small_hill
from nephos.core.answers.findings import open_stops, with_overrides
from nephos.core.errors import Refused
from nephos.core.finding import Finding
from nephos.core.findings.overrides import overridden
from nephos.core.plan.operation import Operation
from nephos.core.plan.schema import Override, Plan
from nephos.core.post.preview import preview
from nephos.core.post.read import read_program
from nephos.core.post.schema import Post, checked_post, post_named
from nephos.core.report.setup_results import Reports
from nephos.core.stages.of_plan import stages_of
from nephos.core.stages.run import run_setup
from nephos.core.stages.setup_outcome import SetupOutcome
from nephos.core.stages.store import MemoryStore
from nephos.core.stages.work import Work

pytestmark = pytest.mark.long

HILL = small_hill(side=20, cells=12)
ROUGH = op("rough_offset", FLAT, stepover=2.0, stepdown=2.0)
FINISH = op("finish_raster", BALL, 20, stepover=1.0)


def own(**change: object) -> Post:
    return checked_post(post_named("rs274-metric-changer").model_dump() | {"id": "own", "title": "Own"} | change)


def posted(
    post: Post, *operations: Operation, overrides: tuple[Override, ...] = (), store: MemoryStore | None = None
) -> SetupOutcome:
    base = run(HILL, *(operations or (ROUGH, FINISH)), pitch=0.5).space.plan
    plan: Plan = base.model_copy(update={"post": post, "overrides": overrides})
    return run_setup(plan, plan.setups[0], lambda _: HILL, Work(store or MemoryStore()), "Hill, revision 1")


def test_a_post_may_lift_and_park_in_the_machines_own_coordinates() -> None:
    post = own(
        cutter_change=["M5", "G53 G0 Z0", "T{tool} M6", "G43 H{tool}"], end=["M5", "G53 G0 Z0", "G53 G0 X0 Y0", "M30"]
    )
    assert preview(post).problem == ""
    done = posted(post)
    (program,) = done.programs
    reading = read_program(program.text)
    # Once to change the cutter, twice at the end; each begins at the clearance.
    away = np.flatnonzero(reading.away)
    assert len(away) == 3 and (reading.points[away[:2], 2] == done.space.clearance - done.space.zero[2]).all()
    assert program.text.count(b"G53") == 3
    plain = posted(own())
    for a, b in zip(done.outcomes, plain.outcomes, strict=True):
        assert np.array_equal(a.points, b.points, equal_nan=True) and np.array_equal(a.seconds, b.seconds), (
            "its moves are the same"
        )


@pytest.mark.parametrize(
    "change",
    [
        {"operation_start": ["S{spindle} M3", "G0 Z20"]},
        {"end": ["G0 X0 Y0", "M30"]},
        {"warm_up": ["G1 X5 F100"]},
    ],
)
def test_a_post_that_moves_the_cutter_itself_is_refused(change: dict) -> None:
    post = own(**change)
    assert "a line of the post moves the cutter" in preview(post).problem
    with pytest.raises(Refused, match=r"line \d+: a line of the post moves the cutter.*G53"):
        posted(post)


@pytest.mark.parametrize("change", [{"start": ["G20", "G90"]}, {"start": ["G21", "G91"]}, {"unit": "in"}])
def test_a_post_whose_words_lead_elsewhere_is_refused_before_anything_is_proved(change: dict) -> None:
    post = own(**change)
    assert "does not say what was meant" in preview(post).problem
    store = MemoryStore()
    with pytest.raises(Refused, match="read back, it does not say what was meant"):
        posted(post, store=store)
    assert not [key for key in store._kept if key.startswith(("moves", "block", "summary"))]


def test_a_machine_move_below_the_clearance_is_refused() -> None:
    done = posted(own())
    program = done.programs[0]
    lines = program.text.split(b"\n")
    deep = next(k for k in range(len(lines) // 2, len(lines)) if b"Z-" in lines[k])
    # In place of a move of its own, so that no line is one more.
    lines[deep + 1] = b"G53 G0 Z0"
    with pytest.raises(Refused, match=r"not posted|below the clearance"):
        recertified(done, replace(program, text=b"\n".join(lines)))


@pytest.mark.parametrize(
    "line", ["M98 P100", "M97 P3", "G81 X1 Y1 Z-3 R2 F100", "G92 X0", "G18", "G41 D1", "#1=5", "G10 L2 P1 X0"]
)
def test_the_reader_stops_at_what_might_move_the_cutter_elsewhere(line: str) -> None:
    with pytest.raises(Refused, match=r"^line 3: "):
        read_program(f"G21 G90\nG0 X0 Y0 Z5\n{line}\n".encode())


# --- overrides --------------------------------------------------------------------------------------------------------

STOP = Override(
    code="nothing-holds", row="30", text="the part is cut through and nothing holds it", reason="a vacuum holds it"
)
CUT_OUT = op("cut_out", FLAT, 30, stepdown=4.0, tabs=0)


def test_files_tell_only_the_stops_that_were_overridden_and_still_stand() -> None:
    stale = STOP.model_copy(update={"text": "it was put otherwise then"})
    placed = Override(code="model-above", row="m", text="the model stands out", reason="it is planed off later")
    done = posted(own(), ROUGH, CUT_OUT, overrides=(STOP, stale, placed))
    told = " ".join(line.strip("()") for line in done.programs[0].text.decode().splitlines()[:24])
    assert "a vacuum holds it" in told and "planed off later" in told and "otherwise" not in told
    held = posted(own(), ROUGH, op("cut_out", FLAT, 30, stepdown=4.0, tabs=3, tab_length=4.0), overrides=(STOP,))
    assert overridden(held) == () and b"in spite of" not in held.programs[0].text


def test_an_override_changes_what_is_told_and_nothing_that_is_cut() -> None:
    store = MemoryStore()
    first = posted(own(), ROUGH, CUT_OUT, store=store)
    kept = set(store._kept)
    second = posted(own(), ROUGH, CUT_OUT, overrides=(STOP,), store=store)
    assert set(store._kept) == kept, "nothing was worked out anew"
    reports = [Reports.of(stages_of(done.space.plan)["a"]) for done in (first, second)]
    assert reports[0].summary.key == reports[1].summary.key and reports[0].files != reports[1].files


def test_a_stop_stands_until_its_very_words_are_overridden() -> None:
    plan = Plan.model_validate({"stock": {"length": 1, "width": 1, "thickness": 1}, "overrides": [STOP.model_dump()]})
    finding = Finding("nothing-holds", "stop", "30", STOP.text, "add tabs").as_dict()
    assert (
        open_stops(with_overrides(plan, [finding])) == []
        and with_overrides(plan, [finding])[0].overridden == "a vacuum holds it"
    )
    for change in ({"row": "40"}, {"text": "nothing holds it at all"}, {"code": "part-free"}):
        assert len(open_stops(with_overrides(plan, [finding | change]))) == 1
    assert open_stops(with_overrides(plan, [finding | {"level": "caution", "row": "40"}])) == [], (
        "a caution stands in nobody's path"
    )


# --- what lines of a post may not do ----------------------------------------------------------------------------------

CHANGE = ["M5", "T{tool} M6", "G43 H{tool}"]
STEERING = [
    ("dwell with Z", {"warm_up": ["G4 P4 Z-30"]}, "beside G4"),
    ("dwell with X and Y", {"warm_up": ["G4 P1 X500 Y500"]}, "beside G4"),
    ("home through Z0", {"end": ["G28 Z0", "M5", "M30"]}, "moves the cutter"),
    ("home through a depth", {"end": ["G91 G28 Z-30", "G90", "M5", "M30"]}, "moves the cutter"),
    ("second home through a depth", {"end": ["G30 Z-30", "M5", "M30"]}, "moves the cutter"),
    ("down in machine coordinates", {"end": ["G53 G0 Z-100", "M5", "M30"]}, "machine coordinates"),
    ("one length for all", {"cutter_change": ["T{tool} M6", "G43 H1"]}, "the length of tool 1 while tool 2"),
    (
        "length taken off",
        {"cutter_change": CHANGE, "operation_start": ["G49", "S{spindle} M3", "G4 P4"]},
        "length offset off",
    ),
    ("a tool that is not put in", {"cutter_change": ["T{tool}"], "cutter_first": ["T{tool} M6"]}, "no tool change"),
    ("a percent sign", {"warm_up": ["%"]}, "percent sign"),
    ("rounded corners", {"start": ["G21", "G17 G90 G94 G40 G49 G64 P5", "G54"]}, "round corners by 5"),
    ("a repeat", {"end": ["M5", "M47"]}, "none that Nephos can follow"),
    ("restored states", {"end": ["M5", "M72", "M30"]}, "none that Nephos can follow"),
    ("the other way round", {"operation_start": ["S{spindle} M4", "G4 P4"]}, "counterclockwise"),
    ("two states at once", {"start": ["G21 G20", "G90", "G54"]}, "cannot both hold"),
]


@pytest.mark.parametrize(("change", "said"), [item[1:] for item in STEERING], ids=[item[0] for item in STEERING])
def test_lines_of_a_post_that_steer_the_machine_are_refused(change: dict, said: str) -> None:
    post = own(**change)
    assert said in preview(post).problem
    with pytest.raises(Refused, match=said):
        posted(post)


@pytest.mark.parametrize(
    "change",
    [
        {"cutter_change": [*CHANGE], "end": ["M5", "G91 G28 Z0", "G90", "M30"]},
        {"end": ["M5", "G53 G0 Z0", "M30"]},
        {"end": ["M5", "G53 G0 Z-2", "G53 G0 X0 Y0", "M30"]},
        {
            "start": ["%", "G21", "G17 G90 G94 G40 G49 G64 P0.02", "G54"],
            "end": ["M5", "M30", "%"],
            "comment": {"on": False},
        },
    ],
)
def test_lines_of_a_post_that_retract_are_posted(change: dict) -> None:
    assert preview(own(**change)).problem == ""
    assert posted(own(**change)).programs


def lead_of(text: bytes, number: int) -> tuple[list[bytes], int]:
    """The lines of a program, and where the approach of its operation stands."""
    lines = text.split(b"\n")
    at = next(k for k, line in enumerate(lines) if line.startswith(b"(op: %d " % number))
    return lines, next(k for k in range(at, len(lines)) if b" G0 Z" in lines[k])


APPROACHES = [
    ("down at once", 0, b"N9 G0 Z5 Z-7.5"),
    ("too low", 0, b"N9 G0 Z-7.5"),
    ("far away", 0, b"N9 G0 Z5 X500"),
    ("not at all", 0, b"(nothing)"),
    ("not across", 1, b"(nothing)"),
    ("elsewhere", 1, b"N9 G0 X1 Y1"),
    ("across and down", 1, b"N9 G0 X0 Y0 Z0"),
    ("at a feed", 1, b"N9 G1 X0 Y0 F100"),
    ("in machine coordinates", 0, b"N9 G53 G0 Z0"),
]


@pytest.mark.parametrize(("which", "line"), [item[1:] for item in APPROACHES], ids=[item[0] for item in APPROACHES])
@pytest.mark.parametrize("number", [10, 20])
def test_an_approach_that_is_not_as_planned_is_not_posted(number: int, which: int, line: bytes) -> None:
    done = posted(own())
    (program,) = done.programs
    lines, at = lead_of(program.text, number)
    assert lines[at + 1].count(b"X") == 1
    lines[at + which] = line
    with pytest.raises(Refused):
        recertified(done, replace(program, text=b"\n".join(lines)))
    assert recertified(done, program)
