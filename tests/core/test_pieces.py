"""Pieces of a large design: cut along a curve, exact at the cut, laid out on boards."""

import numpy as np
import pytest

from meshes import box_mesh, ellipsoid
from nephos.core.errors import Refused
from nephos.core.mesh.model import Mesh
from nephos.core.mesh.repair.registry import repaired
from nephos.core.mesh.summary import quick_look
from nephos.core.plan.boundary import Boundary
from nephos.core.plan.edits import apply_edit
from nephos.core.plan.model import Model, Placement
from nephos.core.plan.place import placed_model
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.face import FaceSetup
from nephos.core.plan.stock import Stock


def volume(mesh: Mesh) -> float:
    a, b, c = (mesh.vertices[mesh.faces[:, k]] for k in range(3))
    return float(np.einsum("ij,ij->", a, np.cross(b, c))) / 6


def design(mesh: Mesh, placement: Placement | None = None) -> tuple[Plan, object]:
    """A plan with one mesh, and the looks of its models after their repairs."""
    circle = Boundary(id="round", name="round", source="circle", at=(50.0, 40.0), size=(30.0, 30.0))
    square = Boundary(id="square", name="square", source="rectangle", at=(50.0, 40.0), size=(20.0, 24.0))
    plan = Plan(
        stock=Stock(length=100, width=80, thickness=30),
        models=(Model(id="m1", name="design", mesh="m", placement=placement or Placement()),),
        setups=(FaceSetup(id="a", name="a"),),
        boundaries=(circle, square),
    )
    return plan, lambda model: quick_look(repaired(mesh, model.steps)[0])


@pytest.mark.parametrize(
    "placement",
    [Placement(), Placement(turn=(90, 0, 30)), Placement(mirror=(True, False, False), size=(70.0, None, None))],
)
def test_a_piece_lies_where_it_lay_with_its_sides_on_the_curve(placement: Placement) -> None:
    plan, looks = design(box_mesh((0, 0, 0), (80, 60, 20)), placement)
    taken = apply_edit(plan, looks, {"do": "take_piece", "model": "m1", "boundary": "square", "name": "bird"})
    whole, piece = taken.models
    assert not whole.shown and piece.name == "bird"
    mesh, said = repaired(box_mesh((0, 0, 0), (80, 60, 20)), piece.steps)
    assert "curve" in said[0]
    box = placed_model(quick_look(mesh).support, piece, taken.stock)
    ends = mesh.moved(box.matrix)
    old = placed_model(looks(whole).support, whole, taken.stock)
    # Exactly the rectangle, as far as the model fills it; as high as it was.
    assert ends.low[:2] == pytest.approx(np.maximum([40, 28], old.low[:2]), abs=1e-6)
    assert ends.high[:2] == pytest.approx(np.minimum([60, 52], old.high[:2]), abs=1e-6)
    assert ends.low[2] == pytest.approx(old.low[2], abs=1e-6)
    assert np.array(box.size) == pytest.approx(ends.high - ends.low)


def test_a_round_piece_is_round_and_as_large_as_asked() -> None:
    mesh = box_mesh((0, 0, 0), (100, 80, 10))
    plan, looks = design(mesh)
    for allowance in (0.0, 0.5, -0.25):
        edit = {"do": "take_piece", "model": "m1", "boundary": "round", "allowance": allowance}
        piece = apply_edit(plan, looks, edit).models[-1]
        cut = repaired(mesh, piece.steps)[0]
        assert volume(cut) == pytest.approx(np.pi * (15 - allowance) ** 2 * 10, rel=2e-4)
        radius = np.hypot(*(cut.vertices[:, :2] - [50, 40]).T)
        assert radius.max() == pytest.approx(15 - allowance, abs=0.004)
        assert radius.min() > 15 - allowance - 0.004, "straight sides, no triangles inside the faces"


def test_open_meshes_and_curves_beside_the_model_are_refused() -> None:
    mesh = ellipsoid((40, 30, 10))
    plan, looks = design(mesh)
    far = plan.model_copy(update={"boundaries": (plan.boundaries[0].model_copy(update={"at": (190.0, 10.0)}),)})
    with pytest.raises(Refused, match="inside the curve"):
        apply_edit(far, looks, {"do": "take_piece", "model": "m1", "boundary": "round"})
    opened = Mesh(mesh.vertices, mesh.faces[50:])
    piece = apply_edit(plan, looks, {"do": "take_piece", "model": "m1", "boundary": "round"}).models[-1]
    with pytest.raises(Refused, match="not closed"):
        repaired(opened, piece.steps)


def test_pieces_lie_apart_on_the_board_and_the_rest_is_hidden() -> None:
    mesh = box_mesh((0, 0, 0), (20, 50, 10))
    plan, looks = design(mesh)
    models = tuple(Model(id=f"m{k}", name=f"p{k}", mesh="m") for k in range(1, 8))
    many = plan.model_copy(update={"models": models})
    laid = apply_edit(many, looks, {"do": "lay_out", "gap": 5.0})
    shown = [model for model in laid.models if model.shown]
    assert len(shown) == 3, "three rows of one, turned along the board"
    boxes = [placed_model(looks(model).support, model, laid.stock) for model in shown]
    for k, a in enumerate(boxes):
        assert (a.low[:2] >= 5 - 1e-9).all() and a.high[0] <= 95 + 1e-9 and a.high[1] <= 75 + 1e-9
        assert a.size[0] == pytest.approx(50)
        for b in boxes[k + 1 :]:
            apart = np.maximum(b.low[:2] - a.high[:2], a.low[:2] - b.high[:2])
            assert apart.max() >= 5 - 1e-9
    with pytest.raises(Refused, match="none of the models"):
        apply_edit(many, looks, {"do": "lay_out", "gap": 45.0})
