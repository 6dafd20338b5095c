"""Finishing in rings, over steep and shallow ground together, and only where something is left."""

import numpy as np
import pytest
import shapely
import trimesh

from cutting import BALL, FLAT, TOLERANCE, along_cut, cut_length, cut_tips, op, run, worst_gouge
from meshes import grid_mesh
from nephos.command.warm import small_hill
from nephos.core.cutters import Cutter, standard_cutter
from nephos.core.errors import Refused
from nephos.core.mesh.model import Mesh
from nephos.core.plan.boundary import Boundary, Limit
from nephos.core.plan.setups.face import FaceSetup
from nephos.core.toolpath import Kind

pytestmark = pytest.mark.long

SMALL = standard_cutter("ball", 1, 3)


def block_on_ground(high: float = 4.0) -> Mesh:
    """A block 10 mm square in the middle of level ground 24 mm square."""
    x, y = np.meshgrid(np.linspace(0, 24, 97), np.linspace(0, 24, 97))
    return grid_mesh(x, y, np.where((np.abs(x - 12) < 5) & (np.abs(y - 12) < 5), high, 0.0))


def cone() -> Mesh:
    made = trimesh.creation.cone(radius=10, height=6, sections=200)
    return Mesh(np.asarray(made.vertices, float), np.asarray(made.faces, np.int32))


def test_rings_keep_their_distance_and_do_not_gouge(hill: Mesh) -> None:
    done = run(hill, op("finish_offset", BALL, stepover=0.5))
    assert worst_gouge(done) <= TOLERANCE
    # Inside a box rings are boxes: at mid-height of the picture they stand a stepover apart.
    tips = cut_tips(done)
    middle = np.abs(tips[:, 1] - 15) < 0.05
    left = np.unique(tips[middle & (tips[:, 0] < 13), 0].round(2))
    assert np.median(np.diff(left)) == pytest.approx(0.5, abs=0.02)
    assert done.comparison.numbers()["leftover_p95"] < BALL.scallop(0.7) + TOLERANCE


def test_rings_outwards_are_the_same_rings_the_other_way(hill: Mesh) -> None:
    inwards, outwards = (
        run(hill, op("finish_offset", BALL, stepover=1.0, order=order)) for order in ("inwards", "outwards")
    )
    first, last = cut_tips(inwards)[0, :2], cut_tips(outwards)[0, :2]
    assert np.abs(first - 15).max() > 10
    assert np.abs(last - 15).max() < 3
    assert cut_length(outwards) == pytest.approx(cut_length(inwards), rel=0.1)


def test_a_second_pass_across_goes_square_to_the_first(hill: Mesh) -> None:
    one, both = (
        run(hill, op("finish_raster", BALL, stepover=0.8)),
        run(hill, op("finish_raster", BALL, stepover=0.8, across="on")),
    )
    assert cut_length(both) == pytest.approx(2 * cut_length(one), rel=0.1)
    step = np.diff(both.outcomes[0].points[2:], axis=0)
    along = [np.abs(step[:, axis]).sum() for axis in (0, 1)]
    assert along[0] == pytest.approx(along[1], rel=0.15)


def test_level_ground_is_skipped_or_is_all_there_is() -> None:
    part = block_on_ground()
    ground = 10 - 1 - 4.0 - 10
    everywhere = cut_length(run(part, op("finish_raster", BALL, stepover=0.5)))
    skipped = run(part, op("finish_raster", BALL, stepover=0.5, level="skip"))
    only = run(part, op("finish_raster", FLAT, stepover=1.5, level="only"))
    assert cut_length(skipped) < 0.55 * everywhere
    tips = cut_tips(only)
    assert np.isclose(tips[:, 2], ground, atol=0.01).sum() + np.isclose(tips[:, 2], ground + 4, atol=0.01).sum() == len(
        tips
    )
    assert worst_gouge(skipped) <= TOLERANCE and worst_gouge(only) <= TOLERANCE


@pytest.mark.parametrize(("words", "steep"), [({"gentlest": 40.0}, True), ({"steepest": 20.0}, False)])
def test_slopes_limit_where_lines_go(words: dict, steep: bool) -> None:
    """A hat with a brim and a level crown; its side rises at 56 degrees."""
    x, y = np.meshgrid(np.linspace(-12, 12, 97), np.linspace(-12, 12, 97))
    rho = np.hypot(x, y)
    hat = grid_mesh(x, y, np.where(rho < 8, np.where(rho < 4, 6.0, 6 - 1.5 * (rho - 4)), 0.0))
    done = run(hat, op("finish_raster", BALL, stepover=0.4, **words))
    path = along_cut(done)
    where = np.hypot(path[:, 0] - 15, path[:, 1] - 15)
    wall = (where > 4.8) & (where < 7.2)
    assert wall.mean() > 0.35 if steep else wall.mean() < 0.12
    with pytest.raises(ValueError, match="are none"):
        op("finish_raster", BALL, gentlest=50.0, steepest=40.0)


def test_steep_and_shallow_together_leave_no_more_than_each_alone() -> None:
    part = cone()
    lines = run(part, op("finish_raster", BALL, stepover=0.4), size=(26, 26, 8))
    both = run(part, op("finish_steep_shallow", BALL, stepover=0.4, stepdown=0.25, split=25.0), size=(26, 26, 8))
    assert worst_gouge(both) <= TOLERANCE
    a, b = lines.comparison.numbers(), both.comparison.numbers()
    assert b["leftover_p95"] <= a["leftover_p95"] + 0.005
    levels = np.unique(cut_tips(both)[:, 2].round(2), return_counts=True)
    assert (levels[1] > 20).sum() >= 15, "the cone is gone round in levels"


def test_where_nothing_is_steep_lines_do_it_all() -> None:
    x, y = np.meshgrid([0.0, 24.0], [0.0, 24.0])
    done = run(grid_mesh(x, y, 0.1 * x), op("finish_steep_shallow", BALL, stepover=0.8, stepdown=0.5))
    assert cut_length(done) > 24 * 24 / 0.8 * 0.9


def test_rest_finishing_goes_where_the_larger_cutter_could_not() -> None:
    """A groove 2 mm wide: the 6 mm ball stays out of it, the 1 mm ball goes there and nowhere else."""
    x, y = np.meshgrid(np.linspace(0, 24, 193), np.linspace(0, 24, 25))
    groove = grid_mesh(x, y, np.where(np.abs(x - 12) < 1, 0.0, 3.0))
    inner = {"boundary": Limit(boundary="box", contain="centre", offset=-1.0)}
    coarse = op("finish_raster", standard_cutter("ball", 6, 4), 10, change=inner, stepover=0.4)
    fine = op("finish_raster", SMALL, 20, change=inner, stepover=0.1, rest=0.1)
    done = run(groove, coarse, fine)
    tips = cut_tips(done, 1)
    assert np.abs(tips[:, 0] - 15).max() < 3.2 and tips[:, 2].min() == pytest.approx(-4.0, abs=0.01)
    assert worst_gouge(done, 1) <= TOLERANCE
    whole = run(groove, coarse, fine.model_copy(update={"settings": fine.settings.model_copy(update={"rest": 0.0})}))
    assert cut_length(done, 1) < 0.35 * cut_length(whole, 1)
    for name in ("leftover_p99", "within_tolerance"):
        assert done.comparison.numbers()[name] == pytest.approx(whole.comparison.numbers()[name], abs=0.02)
    with pytest.raises(Refused, match="nothing is left"):
        run(groove, coarse, fine, fine.model_copy(update={"number": 30}))


def rough_disc() -> Mesh:
    """A disc of 12 mm whose upright wall is rough by a few hundredths, as that of a scan is."""
    angles = np.linspace(0, 2 * np.pi, 400, endpoint=False)
    radius = 18 + np.random.default_rng(4).uniform(-0.03, 0.03, 400)
    made = trimesh.creation.extrude_polygon(
        shapely.Polygon(np.column_stack([radius * np.cos(angles), radius * np.sin(angles)])), 12
    )
    return Mesh(np.asarray(made.vertices, float), np.asarray(made.faces, np.int32))


@pytest.mark.parametrize("key", ["finish_offset", "finish_raster"])
@pytest.mark.parametrize("cutter", [BALL, FLAT])
def test_on_rough_outer_walls_the_cutter_does_not_go_up_and_down(key: str, cutter: Cutter) -> None:
    """Its side touches the wall at one place and not at the next; over the top, and round it at its foot, it stays
    level all the same."""
    done = run(
        rough_disc(),
        op(key, cutter, 10, {"boundary": Limit(boundary="silhouette")}, stepover=1.0, outline="on"),
        size=(60, 60, 16),
    )
    outcome = done.outcomes[0]
    cut = outcome.kinds == Kind.CUT
    rising = np.abs(np.diff(outcome.points[:, 2]))[cut]
    paths = 2 * 36 / 1.0 if key == "finish_raster" else 0
    # Over the edge of the top at both ends of a line, by less than its radius.
    assert rising.sum() < paths * cutter.radius + 30
    assert worst_gouge(done) <= TOLERANCE
    foot = outcome.points[1:][cut][-100:, 2]
    assert np.ptp(foot) < 0.02 and foot[0] == pytest.approx(outcome.points[1:][cut][:, 2].min())


def test_once_round_the_outline_at_the_end(hill: Mesh) -> None:
    done = run(hill, op("finish_raster", BALL, stepover=1.0, outline="on"))
    path = along_cut(done)[:-20]
    out = np.abs(path[:, :2] - 15).max(axis=1)
    # The box of 24 mm and the cutter's radius: once round is 108 mm.
    assert (out[-500:] > 13.4).all() and worst_gouge(done) <= TOLERANCE


@pytest.mark.parametrize("strategy", ["finish_raster", "finish_waterline", "rough_offset"])
def test_nothing_is_cut_above_the_ceiling_or_below_the_floor(strategy: str) -> None:
    words = {"finish_raster": {"stepover": 0.6}, "finish_waterline": {"stepdown": 0.5, "steeper": 20.0}}.get(
        strategy, {"stepdown": 0.5}
    )
    cutter = FLAT if strategy == "rough_offset" else BALL
    done = run(cone(), op(strategy, cutter, change={"cut_from": 3.0, "cut_to": 5.0}, **words), size=(26, 26, 8))
    tips = cut_tips(done)
    assert tips[:, 2].max() <= -3.0 + TOLERANCE and tips[:, 2].min() >= -5.0 - TOLERANCE
    with pytest.raises(ValueError, match="not above"):
        op(strategy, BALL, change={"cut_from": 5.0, "cut_to": 5.0})


def test_a_masked_out_area_is_kept_out_of() -> None:
    spot = Boundary(id="b1", name="spot", source="circle", at=(15.0, 15.0), size=(8.0, 8.0))
    limit = Limit(boundary="box", contain="centre", without=("b1",))
    done = run(small_hill(), op("finish_raster", BALL, change={"boundary": limit}, stepover=0.8), boundaries=(spot,))
    assert np.hypot(*(cut_tips(done)[:, :2] - 15).T).min() >= 4.0 - 0.02


def test_a_finer_cutter_goes_over_what_the_first_one_left() -> None:
    finish = op("finish_raster", BALL, 20, {"fine": SMALL}, stepover=0.5)
    done = run(block_on_ground(), finish)
    assert [outcome.operation.number for outcome in done.outcomes] == [20, 21]
    coarse, fine = (outcome.operation for outcome in done.outcomes)
    assert (
        fine.cutter == SMALL
        and fine.settings.stepover == pytest.approx(0.5 / 3)
        and fine.settings.rest > 0 == coarse.settings.rest
    )
    alone = run(block_on_ground(), op("finish_raster", SMALL, 20, stepover=0.5 / 3))
    assert cut_length(done, 1) < 0.5 * cut_length(alone), "only where something was left"
    assert worst_gouge(done, 1) <= TOLERANCE
    plain = run(block_on_ground(), op("finish_raster", BALL, 20, stepover=0.5))
    assert done.proof.gains[-1].left < plain.proof.gains[-1].left
    assert len(done.programs) == 2, "its own file, as it is another cutter"


@pytest.mark.parametrize(
    ("strategy", "fine", "said"),
    [
        ("rough_offset", SMALL, "only finishing"),
        ("finish_raster", BALL, "thinner than 3 mm"),
    ],
)
def test_a_finer_cutter_must_be_finer_and_finish(strategy: str, fine, said: str) -> None:
    with pytest.raises(ValueError, match=said):
        op(strategy, BALL, 20, {"fine": fine}, stepover=0.5)


def test_a_finer_cutter_takes_the_next_number() -> None:
    with pytest.raises(ValueError, match="the number after"):
        FaceSetup(
            id="a",
            name="a",
            operations=(
                op("finish_raster", BALL, 20, {"fine": SMALL}, stepover=0.5),
                op("finish_raster", BALL, 21, stepover=0.5),
            ),
        )
    off = FaceSetup(
        id="a", name="a", operations=(op("finish_raster", BALL, 20, {"fine": SMALL, "on": False}, stepover=0.5),)
    )
    assert off.worked == ()
