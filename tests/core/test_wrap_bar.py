"""A flat relief wrapped round a bar, against the cylinder that it must lie on."""

import numpy as np
import pytest

from meshes import box_mesh, grid_mesh
from nephos.core.errors import Refused
from nephos.core.mesh.model import Mesh
from nephos.core.mesh.repair.registry import Repair, repaired


def wrapped(mesh: Mesh, **settings: object) -> tuple[Mesh, str]:
    done, said = repaired(mesh, (Repair.model_validate({"kind": "wrap_bar", "settings": settings}),))
    return done, said[0]


def plate(width: float = 30.0, height: float = 4.0) -> Mesh:
    """A sheet with a ridge along X."""
    x, y = np.meshgrid(np.linspace(0, 50, 26), np.linspace(0, width, 31))
    return grid_mesh(x, y, height * np.exp(-((y - width / 2) ** 2) / 8))


def test_heights_of_the_relief_become_radii_and_its_width_the_way_round() -> None:
    done, said = wrapped(plate(), diameter=40.0)
    radii = np.hypot(done.vertices[:, 1], done.vertices[:, 2])
    assert radii.min() == pytest.approx(20.0, abs=1e-6) and radii.max() == pytest.approx(24.0, abs=1e-6)
    angles = np.degrees(np.arctan2(done.vertices[:, 1], done.vertices[:, 2])) % 360
    assert angles[radii > 23.99].min() == pytest.approx(180.0, abs=0.5), "the ridge is half-way round"
    assert "100 % of the way round" in said and done.size[0] == pytest.approx(50.0)


def test_long_triangles_follow_the_bar() -> None:
    done, _ = wrapped(box_mesh((0, 0, 0), (30, 20, 2)), diameter=40.0)
    middles = done.vertices[done.faces].mean(axis=1)
    radii = np.hypot(middles[:, 1], middles[:, 2])
    assert radii.min() > 20.0 * (1 - 2e-4), "no chord cuts the bar"


def test_copies_are_spaced_evenly_and_keep_their_width() -> None:
    done, said = wrapped(plate(), diameter=40.0, repeats=3, cover=0.0)
    radii = np.hypot(done.vertices[:, 1], done.vertices[:, 2])
    tops = np.sort(np.degrees(np.arctan2(done.vertices[:, 1], done.vertices[:, 2]))[radii > 23.99] % 360)
    ridges = [float(tops[np.abs(tops - near).argmin()]) for near in (43, 163, 283)]
    assert np.diff(ridges) == pytest.approx([120.0, 120.0], abs=0.5)
    assert "3 times" in said and "72 %" in said


def test_copies_that_would_overlap_are_refused_with_the_numbers() -> None:
    with pytest.raises(Refused, match="take more than"):
        wrapped(plate(60.0), diameter=40.0, repeats=3, cover=0.0)


def test_normals_point_outwards_as_they_did_up() -> None:
    done, _ = wrapped(plate(), diameter=40.0)
    a, b, c = (done.vertices[done.faces[:, k]] for k in range(3))
    normals, middle = np.cross(b - a, c - a), (a + b + c) / 3
    assert (np.einsum("ij,ij->i", normals[:, 1:], middle[:, 1:]) > 0).all()
