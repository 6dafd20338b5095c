"""Hollow and flat backs: the wall is as thick as it says, and the whole is closed."""

import numpy as np
import pytest

from meshes import box_mesh, grid_mesh
from nephos.core.errors import Refused
from nephos.core.mesh.examine import examine
from nephos.core.mesh.model import Mesh
from nephos.core.mesh.repair import hollow_back
from nephos.core.mesh.repair.registry import Repair, repaired
from nephos.core.surface.index import build_index
from nephos.core.surface.nearest import distance_at


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
