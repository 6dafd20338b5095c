"""The documents that page and report read of a job. The OpenAPI document and the types of the page are made from
them."""

from typing import Literal

from pydantic import BaseModel, ConfigDict

from nephos.core.cutters import Cutter
from nephos.core.plan.edits import AnyEdit

Point = tuple[float, float, float]
Row4 = tuple[float, float, float, float]
Level = Literal["stop", "caution", "note"]


class Answer(BaseModel):
    """Base of all documents. A field that has nothing to say is null; none is left out."""

    model_config = ConfigDict(frozen=True, json_schema_serialization_defaults_required=True)


class FixAnswer(Answer):
    """A fix of a finding that is one press away: what the button says, and the edit."""

    label: str
    edit: AnyEdit


class FindingAnswer(Answer):
    """A finding; `overridden` is the reason why a stop is posted anyway, empty where it is not."""

    code: str
    level: Level
    row: str
    text: str
    advice: str
    place: Point | None
    moment: float | None
    fixes: list[FixAnswer]
    overridden: str = ""


class UnitGuess(Answer):
    """The unit of a file: its name, millimetres, and whether the file says so."""

    name: str
    mm: float
    sure: bool


class MeshFacts(Answer):
    """What is known of a mesh."""

    format: str
    triangles: int
    vertices: int
    size: list[float]
    watertight: bool
    shells: int
    holes: int
    flipped: int
    inside_out: int
    without_area: int
    duplicates: int
    nonmanifold: int
    largest_hole: float
    smallest_shell: float
    repairs: list[str]
    said: list[str]
    unit: UnitGuess


class ReadingModel(Answer):
    """A model whose mesh is being read."""

    state: Literal["reading"]


class ModelAnswer(Answer):
    """A model as it lies in the stock; lengths in mm, `undercut` a share from 0 to 1, `swept` the diameter that it
    sweeps about the axis of a bar."""

    state: Literal["ready", "working", "refused"]
    reason: str
    look: str
    facts: MeshFacts
    low: list[float]
    high: list[float]
    size: list[float]
    scale: list[float]
    matrices: list[list[list[float]]]
    percent: float
    slab: float | None
    undercut: float
    swept: float | None


class FeedNumbers(Answer):
    """Feeds in mm/min, the spindle in turns a minute."""

    feed: float
    plunge_feed: float
    spindle: float


class FeedsAnswer(Answer):
    """The chip load of an operation in words, and what is proposed for the material."""

    sum: str
    own: list[str]
    kept: list[str]
    proposed: FeedNumbers
    proposed_sum: str


class EstimateAnswer(Answer):
    """Costs of an operation before it is calculated."""

    seconds: float
    lines: int
    layers: int
    scallop: float | None


class TabAnswer(Answer):
    """Where a tab is: outline, share of its length, place on the plan."""

    outline: int
    share: float
    at: tuple[float, float]


class MoveKeys(Answer):
    """Keys of the results that the view draws an operation from."""

    moves: str
    frames: str


class OperationAnswer(Answer):
    """A step of the sheet: its state, its costs, and what it is drawn from. `seconds`, `moves` and `keys` : where it is
    current. `all_tiles` : of a tile, the costs in all tiles together."""

    number: int
    parent: int
    title: str
    summary: str
    line: str
    outline: list[tuple[float, float]]
    cutter: Cutter
    stickout: float
    feeds: FeedsAnswer
    state: Literal["current", "out of date", "blocked", "off"]
    tabs: list[TabAnswer]
    reason: str | None = None
    seconds: float | None = None
    moves: int | None = None
    keys: MoveKeys | None = None
    estimate: EstimateAnswer | None = None
    all_tiles: EstimateAnswer | None = None
    curve: list[tuple[float, float]] = []


class GridAnswer(Answer):
    """A grid of columns: places x0 + i * pitch, y0 + j * pitch."""

    x0: float
    y0: float
    pitch: float
    nx: int
    ny: int


class BoxAnswer(Answer):
    """A box, low and high corner."""

    x0: float
    y0: float
    z0: float
    x1: float
    y1: float
    z1: float


class WorstAnswer(Answer):
    """One of the places that are farthest off."""

    place: Point
    deviation: float
    reachable: bool


class GainAnswer(Answer):
    """What an operation removed (mm^3), what is left after it (mm), and the share within the limit."""

    number: int
    removed: float
    left: float
    within: float


class PieceAnswer(Answer):
    """A piece that the block fell into, and when it came free."""

    kind: Literal["part", "frame", "free"]
    volume: float
    place: Point
    freed_by: int | None
    freed: float | None


class ExternalPart(Answer):
    """A stretch of an external program with one cutter, and the keys of its moves and of its changes of the block."""

    number: int
    cutter: Cutter
    outline: list[tuple[float, float]]
    seconds: float
    moves: str
    frames: str


class ExternalAnswer(Answer):
    """An external program, proved against the stock: counts, seconds, extents (mm) from the work zero."""

    moves: int
    lines: int
    seconds: float
    low: list[float]
    high: list[float]
    findings: list[FindingAnswer]
    compare: dict[str, float]
    parts: list[ExternalPart]


class StepAnswer(Answer):
    """The step (mm) at a seam, once all tiles are cut: on average and at most."""

    axis: str
    at: float
    mean: float
    most: float


class SummaryAnswer(Answer):
    """What is known of a setup that is calculated."""

    compare: dict[str, float]
    grid: GridAnswer
    stock: BoxAnswer
    worst: list[WorstAnswer]
    gains: list[GainAnswer]
    pieces: list[PieceAnswer]
    steps: list[StepAnswer] = []
    block_key: str
    compare_grid: GridAnswer
    partial: bool


class ProgramAnswer(Answer):
    """A posted file: bytes, the operations in it, seconds, and the names of its cutters."""

    name: str
    size: int
    numbers: list[int]
    seconds: float
    cutters: list[str]


class TimeAnswer(Answer):
    """How long a setup takes, in seconds, and what the entered times make of it."""

    moves: float
    changes: float
    waits: float
    total: float
    calculated: bool
    factor: float
    low: float
    high: float
    entries: int


class OutlineAnswer(Answer):
    """A drawn boundary: the key of its result, and its facts or why there is none."""

    key: str
    area: float | None = None
    loops: int | None = None
    refused: str | None = None


class TileAnswer(Answer):
    """One tile of a setup, or the strip beside a seam: where it lies (mm, in the setup's frame), and its slide."""

    of: str
    number: int
    count: int
    core: Row4
    window: Row4
    slid: tuple[float, float]
    strip: bool
    assumed: bool
    words: str


class SeamCostAnswer(Answer):
    """What a seam would cost at places (mm) along an axis: 0 on bare stock, about 1 on steep or fine ground."""

    at: list[float]
    cost: list[float]


class TurnAnswer(Answer):
    """What hands do before a setup or a tile: the turn or the slide, where the stock is found again, and what is to be
    checked."""

    slide: bool
    axis: Literal["x", "y", "z"] | None
    angle: float
    words: str
    found: str
    check: str


class SolidAnswer(Answer):
    """A connected solid of the finished block: mm3, and its box in stock space."""

    volume: float
    low: Point
    high: Point


class WholeAnswer(Answer):
    """What is known of a job of several setups when all are calculated: figures over all surfaces (mm), the ridge
    between the faces, pieces, and the key of the solid. Its array `left_by` says of each triangle which of the
    `makers` (names of setups) left it, 255 for the stock's own surface."""

    key: str
    compare: dict[str, float]
    ridge: float
    pieces: list[SolidAnswer]
    makers: list[str]


class FacesAnswer(Answer):
    """What follows for a part of several faces: forces (N), the step (mm) of the assumed registration error, and the
    smallest overruns (mm) by setup, where they are known."""

    hold: float
    push: float
    step: float
    smallest: dict[str, float]


class BarInfo(Answer):
    """What holds the bar of a rotary setup (plan/rotary.py), and the reference radius of its unrolled surface."""

    radius: float
    chuck: str
    grip: float
    chuck_diameter: float
    tailstock: str
    centre_diameter: float
    clearance: float
    core: float
    spigot: float


class SetupAnswer(Answer):
    """A setup: its frame, its zero, its operations, and its results. `works_as` : the kind whose strategies it runs.
    `ground` and `parting` are heights in its frame."""

    id: str
    works_as: Literal["face", "rotary"]
    side: str
    size: Point
    whole: str
    tile: TileAnswer | None
    turn: TurnAnswer | None
    bar: BarInfo | None
    ground: float | None
    parting: float | None
    zero: str
    post_unit: Literal["mm", "in"]
    matrix: list[Row4]
    zero_at: Point
    outlines: dict[str, OutlineAnswer | None]
    drawn: bool
    operations: list[OperationAnswer]
    summary_key: str | None
    summary: SummaryAnswer | None
    programs: list[ProgramAnswer] | None
    files_key: str
    compare_key: str | None
    pieces_key: str | None
    time: TimeAnswer
    findings: list[FindingAnswer]


class DerivedAnswer(Answer):
    """All that follows from a plan. `joined` : several setups leave the part, so that `whole` is there when all is
    calculated."""

    models: dict[str, ModelAnswer | ReadingModel]
    findings: list[FindingAnswer]
    setups: list[SetupAnswer]
    faces: FacesAnswer | None
    seam_costs: dict[str, SeamCostAnswer]
    joined: bool
    whole: WholeAnswer | None
    pitch: float


class MeshAnswer(Answer):
    """A mesh of a job: the name of its file, and what is known of it."""

    name: str
    facts: MeshFacts
