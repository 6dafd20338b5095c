"""Hollow and flat backs: the wall is as thick as it says, and the whole is closed."""

from dataclasses import replace

import numpy as np
import pytest

from graph import work_with
from meshes import box_mesh, grid_mesh
from nephos.core.errors import Refused
from nephos.core.mesh.examine import examine, support_points
from nephos.core.mesh.model import Mesh
from nephos.core.mesh.repair import hollow_back
from nephos.core.mesh.repair.registry import Repair, by_part, repaired
from nephos.core.plan.model import Model, Placement
from nephos.core.plan.place import placed_model
from nephos.core.plan.schema import parse_plan
from nephos.core.plan.stock import Stock
from nephos.core.stages.prepared import prepared_key, prepared_mesh
from nephos.core.surface.index import build_index
from nephos.core.surface.nearest import distance_at

pytestmark = pytest.mark.long


@pytest.fixture(autouse=True)
def coarse(monkeypatch: pytest.MonkeyPatch) -> None:
    """Backs of fewer cells: quick enough to be made many times."""
    monkeypatch.setattr(hollow_back, "_CELLS", 200)


def relief(height: float = 12.0, base: float = 3.0) -> Mesh:
    """A dome on a slab: closed."""
    x, y = np.meshgrid(np.linspace(-25, 25, 101), np.linspace(-20, 20, 81))
    z = base + height * np.maximum(1 - (x / 22) ** 2 - (y / 17) ** 2, 0)
    step = Repair.model_validate({"kind": "base", "settings": {"depth": 3.0}})
    return repaired(grid_mesh(x, y, z), (step,))[0]


def done(kind: str, mesh: Mesh, **settings: object) -> tuple[Mesh, str]:
    found, said = repaired(mesh, (Repair.model_validate({"kind": kind, "settings": settings}),))
    return found, said[0]


@pytest.mark.parametrize("rim", [0.0, 5.0])
def test_a_hollow_back_keeps_its_wall_square_to_the_front(rim: float) -> None:
    whole = relief()
    hollow, said = done("hollow_back", whole, wall=3.0, rim=rim)
    assert examine(hollow).watertight
    assert "wall of {3}" in said
    back = hollow.vertices[(hollow.vertices[:, 2] > whole.low[2] + 0.2)]
    a, b, c = (whole.vertices[whole.faces[:, k]] for k in range(3))
    front = build_index(whole.vertices, whole.faces[np.cross(b - a, c - a)[:, 2] > 0])
    reach = [distance_at(front.arrays, *place, 4.0) for place in back if abs(place[0]) < 18 and abs(place[1]) < 13]
    on_back = [d for d in reach if d > 0.5]
    assert len(on_back) > 1000
    assert min(on_back) > 3.0 - 0.03, "nowhere thinner"
    assert np.percentile(on_back, 50) < 3.0 + 0.05, "and no thicker than it says"


def test_the_rim_of_a_hollow_back_stays_level() -> None:
    whole = relief()
    hollow, _ = done("hollow_back", whole, wall=3.0, rim=6.0)
    beside = (np.abs(hollow.vertices[:, 0]) > 20) & (hollow.vertices[:, 2] < 2.9)
    np.testing.assert_allclose(hollow.vertices[beside][:, 2], whole.low[2], atol=1e-6)


def test_a_model_on_its_side_is_hollowed_from_its_own_back() -> None:
    whole = relief()
    turned = Mesh(np.ascontiguousarray(whole.vertices[:, [2, 0, 1]]), whole.faces)
    one, _ = done("hollow_back", whole, wall=3.0, rim=5.0)
    other, _ = done("hollow_back", turned, wall=3.0, rim=5.0, normal=(1.0, 0.0, 0.0))
    np.testing.assert_allclose(np.sort(one.size), np.sort(other.size), atol=1e-6)
    assert examine(other).watertight


def test_what_cannot_be_hollowed_is_refused_with_what_to_do() -> None:
    x, y = np.meshgrid(np.linspace(0, 10, 11), np.linspace(0, 10, 11))
    with pytest.raises(Refused, match="not closed"):
        done("hollow_back", grid_mesh(x, y, np.sin(x) + 5), wall=1.0)
    with pytest.raises(Refused, match="thicker than the whole"):
        done("hollow_back", box_mesh((0, 0, 0), (20, 20, 3)), wall=4.0)


def test_a_flat_back_is_closed_at_its_height() -> None:
    flat, said = done("flat_back", relief(), height=4.0)
    assert examine(flat).watertight and "{4}" in said
    assert flat.low[2] == pytest.approx(relief().low[2] + 4.0)


SIZES = [
    ((75.0, None, None), True),
    ((None, None, None), True),
    ((40.0, 40.0, 24.0), False),
    ((None, None, 25.0), True),
    ((None, None, 9.0), False),
]


def placed(mesh: Mesh, kind: str, size: tuple, linked: bool, **settings: object) -> tuple[Mesh, Mesh, str]:
    """A mesh sized and repaired in a plan: before and after the repair, both in millimetres of the part; what was
    said."""
    step = Repair.model_validate({"kind": kind, "settings": settings})
    turn = (0.0, 0.0, 30.0)
    model = Model(
        id="m", name="m", mesh="m", steps=(step,), placement=Placement(size=size, linked=linked, unit=1.2, turn=turn)
    )
    work = work_with(mesh)
    done = prepared_mesh(model, work)
    matrix = placed_model(support_points(done), model, Stock(length=200, width=200, thickness=60)).matrix
    said = work.store.get(prepared_key(model)).facts["said"][0]
    return mesh.moved(matrix), done.moved(matrix), said


@pytest.mark.parametrize(("size", "linked"), SIZES)
def test_a_wall_keeps_its_millimetres_however_the_model_is_sized(size: tuple, linked: bool) -> None:
    whole, hollow, said = placed(relief(), "hollow_back", size, linked, wall=3.0, rim=5.0)
    assert examine(hollow).watertight and "wall of {3 mm}" in said
    np.testing.assert_allclose([hollow.low, hollow.high], [whole.low, whole.high], atol=1e-3)
    a, b, c = (whole.vertices[whole.faces[:, k]] for k in range(3))
    front = build_index(whole.vertices, whole.faces[np.cross(b - a, c - a)[:, 2] > 0])
    middle = (whole.low + whole.high) / 2
    back = hollow.vertices[hollow.vertices[:, 2] > whole.low[2] + 0.2]
    inside = back[(np.abs(back - middle) < 0.3 * (whole.high - whole.low))[:, :2].all(axis=1)]
    reach = np.array([distance_at(front.arrays, *place, 4.0) for place in inside])
    on_back = reach[reach > 0.5]
    assert len(on_back) > 100
    # Coarser cells than usual, over steep ground: a tenth.
    assert on_back.min() > 3.0 - 0.1 and np.percentile(on_back, 50) < 3.0 + 0.1


@pytest.mark.parametrize(("size", "linked"), SIZES)
@pytest.mark.parametrize("kind", ["flat_back", "base"])
def test_a_flat_back_and_a_base_keep_their_millimetres_and_the_size_is_reached(
    kind: str, size: tuple, linked: bool
) -> None:
    mesh = relief()
    if kind == "base":
        mesh = replace(mesh, faces=mesh.faces[mesh.vertices[mesh.faces][:, :, 2].max(axis=1) > mesh.low[2] + 1e-6])
    name = {"flat_back": "height", "base": "depth"}[kind]
    whole, done, said = placed(mesh, kind, size, linked, **{name: 2.0})
    assert "{2 mm}" in said
    moved = done.low[2] - whole.low[2]
    assert moved == pytest.approx(2.0 if kind == "flat_back" else -2.0, abs=1e-4)
    for k, value in enumerate(size):
        assert value is None or done.size[k] == pytest.approx(value, abs=1e-6)


def test_older_plans_keep_their_lengths_in_the_unit_of_the_file() -> None:
    document = {
        "schema_version": 4,
        "stock": {"length": 100, "width": 100, "thickness": 30},
        "models": [
            {
                "id": "m",
                "name": "m",
                "mesh": "m",
                "steps": [
                    {"kind": "turn_inside_out"},
                    {"kind": "hollow_back", "settings": {"wall": 3.0, "rim": 0.0}},
                    {"kind": "flat_back"},
                ],
                "placement": {"size": [75.0, None, None]},
            }
        ],
    }
    model = parse_plan(document).models[0]
    assert [getattr(step.settings, "lengths", None) for step in model.steps] == [None, "file", "file"]
    assert not by_part(model.steps) and by_part((Repair.model_validate({"kind": "flat_back"}),))
    before, said = repaired(relief(), model.steps[1:])
    after = prepared_mesh(model.model_copy(update={"steps": model.steps[1:]}), work_with(relief()))
    np.testing.assert_array_equal(before.vertices, after.vertices)
    assert "wall of {3}" in said[0]


def test_only_sized_models_with_lengths_of_the_part_are_repaired_again_when_they_are_sized() -> None:
    def key(kind: str, **placement: object) -> str:
        step = Repair.model_validate({"kind": kind})
        return prepared_key(Model(id="m", name="m", mesh="m", steps=(step,), placement=Placement(**placement)))

    assert key("hollow_back") != key("hollow_back", size=(80.0, None, None))
    assert key("hollow_back", unit=25.4) != key("hollow_back")
    # Where it lies, and how it is turned while its scale is the same all round, change nothing.
    assert key("hollow_back", offset=(1.0, 2.0, 3.0), turn=(0.0, 0.0, 45.0)) == key("hollow_back")
    assert key("close_holes", size=(80.0, None, None)) == key("close_holes")


VARIED = {
    "turn": (10.0, 0.0, 40.0),
    "mirror": (True, False, False),
    "unit": 1.3,
    "factors": (1.0, 1.2, 0.9),
    "size": (61.0, None, 17.0),
    "linked": False,
    "align": ("low", "low", "low"),
    "offset": (3.0, 4.0, 5.0),
    "sink": 1.5,
    "before_repairs": (9.0, 9.0, 9.0),
}


@pytest.mark.parametrize("base", [{}, {"size": (None, 55.0, None)}, {"factors": (1.0, 1.1, 1.3)}])
def test_where_the_key_of_a_repaired_mesh_stays_the_mesh_stays_too(base: dict) -> None:
    """Each field of the placement is varied: what the scale reads and what the key holds may not drift apart."""
    assert set(VARIED) == set(Placement.model_fields)
    step = Repair.model_validate({"kind": "flat_back", "settings": {"height": 2.0}})

    def made(words: dict) -> tuple[str, bytes]:
        model = Model(id="m", name="m", mesh="m", steps=(step,), placement=Placement(**words))
        return prepared_key(model), prepared_mesh(model, work_with(relief())).vertices.tobytes()

    key, vertices = made(base)
    for name, value in VARIED.items():
        other_key, other = made(base | {name: value})
        assert other_key != key or other == vertices, name
