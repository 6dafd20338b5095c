"""Names steer no machine: whatever a job, a cutter or a material is called, the program does what was planned and
nothing else."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from cutting import BALL, op, recertified, run
from nephos.command.warm import small_hill
from nephos.core.cutters import Cutter, standard_cutter
from nephos.core.errors import Refused
from nephos.core.plan.schema import Override, Plan
from nephos.core.plan.setups.face import FaceSetup
from nephos.core.post.checksum import checksum_state
from nephos.core.post.control import PlannedStep, control_words, planned_control, unplanned
from nephos.core.post.read import read_program
from nephos.core.post.schema import Post, checked_post, shipped_posts
from nephos.core.post.text import comment_text, file_stem, plain_text
from nephos.core.post.write import Step, write_program
from nephos.core.stages.programs import programs_of
from nephos.core.stages.run import run_setup
from nephos.core.stages.setup_outcome import SetupOutcome
from nephos.core.stages.store import MemoryStore
from nephos.core.stages.work import Work
from nephos.core.toolpath import Kind, Toolpath

pytestmark = pytest.mark.long

EVIL = [
    "6 mm） G59 （",
    "） M30 （",
    "） G43 H9 M9 （",
    "） S24000 （",
    "6 mm) G59 (",
    "x\nG59\n(",
    "x\r\nM30",
    "⦆ G0 Z-50 ⦅",
    "﹚M5﹙",
    "⑴⒂ Tray ⑴",
    "【樹】",
    "%",
    "/ N1 G28",
    "; G0 Z-9",
    "MSG, stop",
    "DEBUG,#1",
    "ABORT,now",
    "\u2028G59\u2029",
    "G59",
    "check 0123456789abcdef",
    "",
    "\x00\x1b[31m",
    "\u202eG59",
    "''G10 L2 P1 Z-9''",
    "{tool}",
    "{0}",
    "#1=5",
    "O1000",
    "<a>",
    "[G59]",
    "$H",
    "!",
    "~",
    "?",
    "\ufffd",
]
PATH = Toolpath(
    np.array([[0, 0, 5], [0, 0, -1], [10, 0, -1], [10, 0, 5.0]]),
    np.array([Kind.ENTRY, Kind.CUT, Kind.RAPID], np.uint8),
    np.array([600, 1800, 0], np.float32),
)
OWN = checked_post(
    shipped_posts()["rs274-metric-changer"].model_dump()
    | {
        "id": "own",
        "title": "Own",
        "cutter_change": ["M5", "T{tool} M6 ({cutter})"],
        "cutter_first": ["(first {cutter})", "T{tool} M6"],
    }
)
SEMICOLON = checked_post(
    shipped_posts()["rs274-metric"].model_dump()
    | {"id": "semi", "title": "Semi", "comment": {"open": ";", "close": ""}}
)
POSTS = [*shipped_posts().values(), OWN, SEMICOLON]


def named(cutter: Cutter, name: str) -> Cutter:
    """A cutter with any name at all, past the checks of its schema."""
    return cutter.model_copy(update={"name": name})


def control_is_as_planned(post: Post, names: list[str]) -> None:
    cutters = [named(standard_cutter("flat", 4, 1 + k % 90), name) for k, name in enumerate(names)]
    steps = [Step(10 * (k + 1), "Rough", cutter, 18000, PATH) for k, cutter in enumerate(cutters)]
    header = [("job", names[0]), *(("cutter", name) for name in names[:8]), ("stock", f"lime, {names[0]}")]
    program = write_program(post, "x", header, steps, 4)
    planned = planned_control(post, [PlannedStep(s.number, s.cutter.number, 18000, "none") for s in steps], 4)
    assert unplanned(control_words(program.text), planned) == "", names
    assert program.text.isascii() and all(32 <= c < 127 or c in (10, 13) for c in program.text)
    reading = read_program(program.text)
    assert len(reading.rapid) == 5 * len(steps), "two leads and three moves each"
    assert checksum_state(program.text) == "intact"


@pytest.mark.parametrize("post", POSTS, ids=lambda post: post.id)
def test_no_known_trick_gets_a_word_into_a_program(post: Post) -> None:
    for name in EVIL:
        control_is_as_planned(post, [name, f"a {name} b", name[::-1]])


@pytest.mark.parametrize("rounds", [1500, pytest.param(10_000, marks=pytest.mark.slow)])
@pytest.mark.parametrize("post", POSTS, ids=lambda post: post.id)
def test_random_names(post: Post, rounds: int) -> None:
    """Any sign of Unicode, with those that controllers know and those that turn into them much more often."""
    rng = np.random.default_rng(20)
    tricky = np.array([ord(c) for c in "()（）⦅⦆﹙﹚⑴⒂;；%％/／{}[]<>GMSTFXYZHDNO0123456789 \n\r\t,，:'\"#=é½①Ｇ５９"])
    wide = np.concatenate([np.arange(0x20, 0xD800), np.arange(0xE000, 0x11000), np.arange(0x1F000, 0x1FB00)])
    count = rounds if post.id in shipped_posts() else 2000
    names = [
        "".join(map(chr, np.where(rng.random(n) < 0.5, rng.choice(tricky, n), rng.choice(wide, n))))
        for n in rng.integers(1, 24, count)
    ]
    for k in range(0, len(names), 80):
        control_is_as_planned(post, names[k : k + 80])


@settings(max_examples=200, deadline=None)
@given(st.text(st.characters(), max_size=60), st.sampled_from(["()", ";", "'", "#", "()"]))
def test_text_is_reduced_once_and_for_all(text: str, marks: str) -> None:
    plain = plain_text(text)
    assert plain.isascii() and not set(plain) & set('()[]{}<>;%#="!$~\n\r\t') and plain_text(plain) == plain
    assert not set(comment_text(text, marks)) & set(marks)
    stem = file_stem(text)
    assert stem and set(stem) <= set("abcdefghijklmnopqrstuvwxyz0123456789.-") and not stem.startswith((".", "-"))


def hill(**change: object) -> SetupOutcome:
    finish = op("finish_raster", named(BALL, "） G59 （"), 10, {"coolant": "mist"}, stepover=2.0)
    base = run(small_hill(side=14, cells=10), finish, pitch=0.5).space.plan
    plan: Plan = base.model_copy(update=change)
    return run_setup(
        plan,
        plan.setups[0],
        lambda _: small_hill(side=14, cells=10),
        Work(MemoryStore()),
        "） M30 （ check 0123456789abcdef",
    )


def test_hostile_names_everywhere_in_a_job_make_the_same_program() -> None:
    plain, post = hill(), OWN
    model, setup = plain.space.plan.models[0], plain.space.plan.setups[0]
    evil = hill(
        post=post,
        models=(model.model_copy(update={"name": "） G59 （"}),),
        setups=(FaceSetup.model_validate(setup.model_dump() | {"name": "⒂ M30 （"}),),
        overrides=(Override(code="x", row="10", text="） M5 （", reason="） S1 （"),),
    )
    names = [program.name for program in evil.programs]
    assert all(name.isascii() and "/" not in name for name in names)
    for program in evil.programs:
        words = control_words(program.text)
        assert not {"G59", "M30", "S1"} & {words.word(k) for k in range(len(words) - 1)}, "M30 comes last and once"
        assert checksum_state(program.text) == "intact"


@pytest.mark.parametrize(
    ("found", "instead"),
    [
        (b"G54", b"G55"),
        (b"G21", b"G21 G59"),
        (b"M5\n", b"M5\nM9\n"),
        (b"S18000 M3", b"S24000 M3"),
        (b"S18000 M3", b"S18000"),
        (b"M30", b"M30\nG59"),
        (b"G4 P4", b"G4 P40"),
        (b"G94", b"G94 G43 H9"),
        (b"M7\n", b"M8\n"),
        (b"M9\n", b""),
    ],
)
def test_a_file_that_does_anything_unplanned_is_not_posted(found: bytes, instead: bytes) -> None:
    done = hill()
    (program,) = programs_of(done.space, done.outcomes, "t")
    assert found in program.text
    bad = replace(program, text=program.text.replace(found, instead, 1))
    with pytest.raises(Refused, match=r"not posted|work offset changes|cannot both hold"):
        recertified(done, bad)


def test_the_spindle_runs_when_the_cutter_feeds() -> None:
    late = checked_post(
        shipped_posts()["rs274-metric"].model_dump()
        | {"id": "late", "title": "Late", "operation_start": [], "operation_end": ["S{spindle} M3"]}
    )
    with pytest.raises(Refused, match="spindle off"):
        hill(post=late)


@pytest.mark.parametrize(
    "change",
    [
        {"comment": {"open": "é"}},
        {"comment": {"open": "G"}},
        {"words": {"x": "é"}},
        {"words": {"x": " "}},
        {"start": ["{}"]},
        {"start": ["{0}"]},
        {"start": ["{tool:>99999999}"]},
        {"start": ["{tool!r}"]},
        {"start": ["{tool.x}"]},
        {"start": ["G54\x00"]},
        {"coolant": {"mist": ["{x}"]}},
    ],
)
def test_a_post_that_cannot_be_written_is_refused_with_a_reason(change: dict) -> None:
    with pytest.raises(Refused):
        checked_post(shipped_posts()["rs274-metric"].model_dump() | {"id": "x"} | change)
