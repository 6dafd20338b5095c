"""Tabs at the ends of a part of four faces: in solid material, from the outline through to the frame."""

import numpy as np
import pytest
import shapely
import trimesh

from nephos.core.mesh.model import Mesh
from nephos.core.plan.joined_faces import FaceTab
from nephos.core.proposals.end_tabs import PartEnds

EVERYWHERE = shapely.box(-100, -100, 100, 100)


def as_mesh(shape: trimesh.Trimesh) -> Mesh:
    return Mesh(np.asarray(shape.vertices, np.float64), np.ascontiguousarray(shape.faces, np.int32))


def solid_share(shape: trimesh.Trimesh, tab: FaceTab) -> float:
    """How much of the inner end of a tab lies in the part."""
    out = np.cos(np.radians(tab.angle))
    turn = np.radians(np.arange(0, 360, 15))
    ring = 0.48 * tab.thickness * np.column_stack([np.zeros(24), np.cos(turn), np.sin(turn)])
    inner = np.array(tab.at) - [(tab.inward - 0.2) * out, 0, 0]
    # Seen from the end, the surface lies before each place: the parts here have no gap behind it.
    hits = [first_hit(shape, place, out) for place in inner + ring]
    return float(np.mean([out * (hit - place[0]) >= 0 for hit, place in zip(hits, inner + ring, strict=True)]))


def first_hit(shape: trimesh.Trimesh, place: np.ndarray, out: float) -> float:
    """X at which a line along X from the far side of the end first meets the shape."""
    corners = shape.triangles[:, :, 1:]
    a, b, c = corners[:, 0], corners[:, 1], corners[:, 2]
    area = np.cross(b - a, c - a)
    with np.errstate(divide="ignore", invalid="ignore"):
        u, v = np.cross(place[1:] - a, c - a) / area, np.cross(b - a, place[1:] - a) / area
    met = (np.abs(area) > 1e-12) & (u >= 0) & (v >= 0) & (u + v <= 1)
    x = (
        shape.triangles[met, 0, 0] * (1 - u - v)[met]
        + shape.triangles[met, 1, 0] * u[met]
        + shape.triangles[met, 2, 0] * v[met]
    )
    return float(out * (out * x).max(initial=-1e6))


def tabs_of(mesh: Mesh, within: shapely.Geometry, first: int, most: float = 12.0) -> list[FaceTab]:
    ends = PartEnds.of(mesh, within)
    return ends.tabs(first, most) if ends is not None else []


def test_a_tube_is_held_in_its_wall_and_not_in_its_bore() -> None:
    tube = trimesh.creation.annulus(12, 18, 45, sections=96)
    tube.apply_transform(trimesh.transformations.rotation_matrix(np.pi / 2, (0, 1, 0)))
    left, right = tabs_of(as_mesh(tube), EVERYWHERE, 1)
    assert (left.angle, right.angle) == (180.0, 0.0)
    for tab, end in ((left, -22.5), (right, 22.5)):
        assert tab.at[0] == pytest.approx(end)
        assert 12 < np.hypot(*tab.at[1:]) < 18 and tab.thickness >= 4
        assert solid_share(tube, tab) > 0.9


def test_a_thin_tip_is_held_where_it_is_as_thick_as_the_tab() -> None:
    cone = trimesh.creation.cone(10, 60)
    cone.apply_transform(trimesh.transformations.rotation_matrix(np.pi / 2, (0, 1, 0)))
    left, right = tabs_of(as_mesh(cone), EVERYWHERE, 7)
    assert [left.id, right.id] == ["tab-7", "tab-8"]
    assert left.at[0] == pytest.approx(0.0, abs=0.01) and right.at[0] == pytest.approx(60.0, abs=0.01)
    assert left.thickness > right.thickness
    assert solid_share(cone, left) > 0.9 and solid_share(cone, right) > 0.9


def test_each_part_of_a_mesh_gets_its_own_tabs() -> None:
    two = trimesh.util.concatenate([trimesh.creation.box((20, 10, 8)).apply_translation((0, y, 0)) for y in (-20, 20)])
    found = tabs_of(as_mesh(two), shapely.box(-20, 10, 20, 30), 1)
    assert np.allclose([tab.at for tab in found], [(-10.0, 20.0, 0.0), (10.0, 20.0, 0.0)], atol=0.15)
    assert not tabs_of(as_mesh(two), shapely.box(50, 50, 60, 60), 1)


def test_no_tab_is_thicker_than_what_is_enough() -> None:
    block = as_mesh(trimesh.creation.box((60, 40, 30)))
    assert {tab.thickness for tab in tabs_of(block, EVERYWHERE, 1)} == {12.0}
    assert {tab.thickness for tab in tabs_of(block, EVERYWHERE, 1, 5.5)} == {5.0}
