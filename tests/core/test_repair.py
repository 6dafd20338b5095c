"""Repairs on meshes with known faults, and what examining says of them."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from meshes import box_mesh, grid_mesh
from nephos.core.errors import Refused
from nephos.core.mesh.examine import examine, examine_closely
from nephos.core.mesh.model import Mesh
from nephos.core.mesh.repair.cut_below import cut_below
from nephos.core.mesh.repair.registry import Repair, repair_kind, repaired, repairs
from nephos.core.mesh.repair.thin import deviation_of

BOX = box_mesh((0, 0, 0), (30, 20, 10))


def ball(rings: int = 24, radius: float = 10.0) -> Mesh:
    """A closed ball of triangles about the origin."""
    import trimesh

    solid = trimesh.creation.uv_sphere(radius, count=[rings, 2 * rings])
    return Mesh(np.asarray(solid.vertices, float), np.asarray(solid.faces, np.int32))


def joined(*meshes: Mesh) -> Mesh:
    starts = np.cumsum([0, *(len(m.vertices) for m in meshes)])
    return Mesh(
        np.concatenate([m.vertices for m in meshes]),
        np.concatenate([m.faces + s for m, s in zip(meshes, starts, strict=False)]).astype(np.int32),
    )


def done(mesh: Mesh, kind: str, **words) -> tuple[Mesh, str]:
    after, said = repaired(mesh, (Repair.model_validate({"kind": kind, "settings": words}),))
    return after, said[0]


def without(mesh: Mesh, *faces: int) -> Mesh:
    return Mesh(mesh.vertices, np.delete(mesh.faces, faces, axis=0))


def test_a_sound_box_has_no_faults() -> None:
    found, faults = examine_closely(BOX)
    assert (
        found.watertight,
        found.shells,
        found.holes,
        found.flipped,
        found.inside_out,
        found.without_area,
        found.duplicates,
        found.nonmanifold,
    ) == (True, 1, 0, 0, 0, 0, 0, 0)
    assert found.area == pytest.approx(2 * (600 + 300 + 200)) and found.volume == pytest.approx(6000)
    assert all(len(item) == 0 for item in (faults.holes, faults.nonmanifold, faults.flipped, faults.loose))


def test_each_fault_is_counted_and_placed() -> None:
    flipped = BOX.faces.copy()
    flipped[3] = flipped[3][::-1]
    found, faults = examine_closely(Mesh(BOX.vertices, flipped))
    assert found.flipped == 1 and not found.watertight and len(faults.flipped) == 1
    assert np.allclose(np.sort(faults.flipped[0], axis=0), np.sort(BOX.vertices[BOX.faces[3]], axis=0))

    found, faults = examine_closely(without(BOX, 2, 3))
    assert found.holes == 1 and len(faults.holes) == 4 and (faults.holes[:, :, 2] == 10).all()
    assert found.largest_hole == pytest.approx(np.hypot(30, 20))

    assert examine(Mesh(BOX.vertices, BOX.faces[:, ::-1].copy())).inside_out == 1

    twice = Mesh(BOX.vertices, np.concatenate([BOX.faces, BOX.faces[4:5][:, [1, 2, 0]]]))
    found, faults = examine_closely(twice)
    assert found.duplicates == 1 and found.nonmanifold == 3 and len(faults.nonmanifold) == 3

    sliver = Mesh(
        np.concatenate([BOX.vertices, [[5, 0, 0.0]]]), np.concatenate([BOX.faces, [[0, 8, 1]]]).astype(np.int32)
    )
    assert examine(sliver).without_area == 1

    specks = joined(BOX, ball(6, 0.5).moved(shift(60, 0, 0)))
    found, faults = examine_closely(specks)
    assert found.shells == 2 and found.watertight and len(faults.loose) == len(ball(6, 0.5).faces)


def shift(x: float, y: float, z: float) -> np.ndarray:
    matrix = np.eye(4)
    matrix[:3, 3] = x, y, z
    return matrix


def test_loose_pieces_go_by_their_size() -> None:
    mesh = joined(BOX, ball(6, 0.5).moved(shift(60, 0, 0)), ball(6, 2.0).moved(shift(-60, 0, 0)))
    after, said = done(mesh, "drop_shells", size=3.0)
    assert examine(after).shells == 2 and said == "1 loose piece dropped"
    assert len(after.vertices) == after.faces.max() + 1, "no corner is kept that no triangle uses"
    with pytest.raises(Refused, match="drop loose pieces: every piece is smaller"):
        done(mesh, "drop_shells", size=500)


def test_holes_are_closed_up_to_a_size_and_the_volume_is_back() -> None:
    holed = without(BOX, 2, 3)
    after, said = done(holed, "close_holes", size=40.0)
    found = examine(after)
    assert (
        found.watertight and found.volume == pytest.approx(6000) and found.inside_out == 0 and said == "1 hole closed"
    )
    left, said = done(holed, "close_holes", size=20.0)
    assert examine(left).holes == 1 and said == "0 holes closed, 1 larger left open"


def test_a_hole_in_a_curved_face_is_closed_too() -> None:
    mesh = ball(24)
    k = len(mesh.faces) // 2
    after, _ = done(without(mesh, k, k + 1, k + 2), "close_holes", size=10.0)
    assert examine(after).watertight and examine(after).volume == pytest.approx(examine(mesh).volume, rel=1e-2)


@settings(max_examples=25, deadline=None)
@given(st.sets(st.integers(0, 11), max_size=11))
def test_unify_turns_back_whatever_was_turned(wrong: set[int]) -> None:
    faces = BOX.faces.copy()
    rows = sorted(wrong)
    faces[rows] = faces[rows][:, ::-1]
    after, _ = done(Mesh(BOX.vertices, faces), "unify")
    assert examine(after).volume == pytest.approx(6000) and examine(after).watertight


def test_inside_out_is_turned_and_turned_back() -> None:
    inward, _ = done(BOX, "turn_inside_out")
    assert examine(inward).volume == pytest.approx(-6000)
    outward, said = done(inward, "unify")
    assert examine(outward).volume == pytest.approx(6000) and "1 piece turned inside out" in said


def test_welding_closes_hairline_cracks() -> None:
    loose = Mesh(
        BOX.vertices[BOX.faces].reshape(-1, 3) + np.random.default_rng(3).uniform(-0.002, 0.002, (36, 3)),
        np.arange(36, dtype=np.int32).reshape(-1, 3),
    )
    assert examine(loose).shells == 12
    after, said = done(loose, "merge_near", distance=0.02)
    assert examine(after).watertight and said == "28 corners welded"
    with pytest.raises(Refused, match="twentieth"):
        done(loose, "merge_near", distance=20)


def test_a_relief_gets_a_base() -> None:
    x, y = np.meshgrid(np.linspace(0, 40, 30), np.linspace(0, 30, 20))
    sheet = grid_mesh(x, y, 3 + np.sin(x / 6) * np.cos(y / 5))
    after, _ = done(sheet, "base", depth=2.0)
    found = examine(after)
    assert found.watertight and found.volume and found.volume > 0
    # The volume under a sheet is what the trapezia of its triangles hold.
    corners = sheet.vertices[sheet.faces]
    flat = 0.5 * np.cross(corners[:, 1, :2] - corners[:, 0, :2], corners[:, 2, :2] - corners[:, 0, :2])
    expected = float((flat * (corners[:, :, 2].mean(axis=1) - sheet.low[2] + 2.0)).sum())
    assert found.volume == pytest.approx(expected, rel=1e-9)
    with pytest.raises(Refused, match="closed already"):
        done(BOX, "base")


@settings(max_examples=60, deadline=None)
@given(
    height=st.floats(-9.9, 9.9), direction=st.tuples(*[st.floats(-1, 1)] * 3).filter(lambda v: np.linalg.norm(v) > 0.1)
)
def test_cutting_a_ball_leaves_the_cap_that_geometry_says(height: float, direction: tuple[float, float, float]) -> None:
    normal = np.array(direction) / np.linalg.norm(direction)
    mesh = ball(40)
    cap = cut_below(mesh, normal, height)
    # Corners nearer to the plane than a billionth of the ball's size are taken to lie on it.
    assert (cap.vertices @ normal >= height - 1e-7).all()
    # Archimedes: the curved area of a cap is 2 pi r h.
    assert examine(cap).area == pytest.approx(2 * np.pi * 10 * (10 - height), rel=0.02, abs=1.5)
    assert examine(cap).holes == 1 and examine(cap).flipped == 0


def test_cutting_through_corners_and_along_faces_leaves_no_slivers() -> None:
    flat = cut_below(BOX, np.array([0.0, 0, 1]), 0.0)
    assert examine(flat).holes == 1 and examine(flat).area == pytest.approx(2 * (300 + 200) + 600)
    half = cut_below(BOX, np.array([0.0, 0, 1]), 5.0)
    assert examine(half).area == pytest.approx(600 + 2 * (150 + 100)) and half.low[2] == 5.0
    with pytest.raises(Refused, match="nothing would be left"):
        done(BOX, "cut_below", normal=(0, 0, 1), height=10.0)


def test_thinning_says_how_far_the_surface_moved_and_keeps_to_it() -> None:
    import trimesh

    solid = trimesh.creation.icosphere(subdivisions=6, radius=10.0)
    mesh = Mesh(np.asarray(solid.vertices, float), np.asarray(solid.faces, np.int32))
    after, said = done(mesh, "thin", triangles=8000, deviation=0.05)
    moved = deviation_of(mesh.vertices, after, 1.0)
    assert len(after.faces) <= 10_000 < len(mesh.faces) and moved <= 0.05 and f"{{{moved:.3g}}} at most" in said
    with pytest.raises(Refused, match="times as far as that"):
        done(mesh, "thin", triangles=100, deviation=1e-8)
    same, said = done(BOX, "thin", triangles=100)
    assert same is BOX and "nothing to thin out" in said


@given(st.floats(0.1, 3.0))
@settings(max_examples=5, deadline=None)
def test_the_deviation_of_a_grown_ball_is_what_it_grew_by(by: float) -> None:
    inner, outer = ball(60, 10), ball(60, 10 + by)
    assert deviation_of(inner.vertices, outer, 5.0) == pytest.approx(by, abs=0.03)


def test_steps_run_in_order_and_each_says_what_it_did() -> None:
    mesh = joined(without(BOX, 2, 3), ball(6, 0.5).moved(shift(60, 0, 0)))
    steps = tuple(
        Repair.model_validate(item)
        for item in (
            {"kind": "drop_shells", "settings": {"size": 3}},
            {"kind": "close_holes", "settings": {"size": 50}},
        )
    )
    after, said = repaired(mesh, steps)
    assert said == ("1 loose piece dropped", "1 hole closed") and examine(after).watertight


def test_every_repair_says_what_it_is_and_refuses_what_it_does_not_know() -> None:
    for key, kind in repairs().items():
        assert kind.title and kind.summary and Repair(kind=key).settings == kind.settings()
    with pytest.raises(Refused, match="there is no repair 'polish'"):
        repair_kind("polish")
    with pytest.raises(ValueError, match="greater than 0"):
        Repair.model_validate({"kind": "close_holes", "settings": {"size": -1}})
