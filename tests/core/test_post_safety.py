"""What a post of the shop's own may do, and may not: move in the machine's coordinates, nothing else; say what was
meant, nothing else."""

from dataclasses import replace

import numpy as np
import pytest

from cutting import BALL, FLAT, op, recertified, run
from nephos.command.warm import small_hill
from nephos.core.errors import Refused
from nephos.core.findings.overrides import overridden, seen, standing
from nephos.core.pipeline.outcome import SetupOutcome
from nephos.core.pipeline.run import run_setup
from nephos.core.pipeline.store import MemoryStore
from nephos.core.pipeline.work import Work
from nephos.core.plan.schema import Operation, Override, Plan
from nephos.core.post.preview import preview
from nephos.core.post.read import read_program
from nephos.core.post.schema import Post, checked_post, post_named

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
    assert first.keys.summary == second.keys.summary and first.keys.files != second.keys.files


def test_a_stop_stands_until_its_very_words_are_overridden() -> None:
    plan = Plan.model_validate({"stock": {"length": 1, "width": 1, "thickness": 1}, "overrides": [STOP.model_dump()]})
    finding = {"code": "nothing-holds", "row": "30", "level": "stop", "text": STOP.text}
    assert standing(seen(plan, [finding])) == [] and seen(plan, [finding])[0]["overridden"] == "a vacuum holds it"
    for change in ({"row": "40"}, {"text": "nothing holds it at all"}, {"code": "part-free"}):
        assert len(standing(seen(plan, [finding | change]))) == 1
    assert standing(seen(plan, [finding | {"level": "caution", "row": "40"}])) == [], (
        "a caution stands in nobody's path"
    )
