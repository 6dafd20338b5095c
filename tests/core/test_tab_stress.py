"""Stress in tabs: beams with known results, and parts that would twist off."""

import numpy as np
import pytest

from nephos.core.materials import shipped_material
from nephos.core.plan.force import FRAME_BENDS, frame_bends, frame_width
from nephos.core.plan.joined_faces import FaceTab
from nephos.core.plan.tab_stress import bending_limit, shear_limit, used_share

LIME = shipped_material("lime")


def tab(x: float, angle: float, **words) -> FaceTab:
    return FaceTab(id=f"t{x}", at=(x, 0.0, 0.0), angle=angle, **words)


def share(tabs: tuple[FaceTab, ...], half: tuple[float, float, float], length: float = 5.0, push: float = 1.0) -> float:
    return used_share(tabs, length, (-np.array(half), np.array(half)), push, LIME)


def test_one_tab_is_a_cantilever() -> None:
    """A force across at the far end of a thin part: bending at the frame, force times arm by the section's modulus."""
    one = (tab(20.0, 0.0, width=4.0, thickness=4.0),)
    # A part of no width from -20 to 20, a tab of 5 mm beyond: the arm to the frame is 45 mm.
    found = share(one, (20.0, 1e-6, 1e-6), push=2.0)
    assert found == pytest.approx(2.0 * 45 / (4 * 4**2 / 6) / bending_limit(LIME), rel=0.02)


def test_a_part_on_its_axis_twists_round_tabs() -> None:
    """Two round tabs on one axis: a force beside the axis twists both by the same torque."""
    both = tuple(tab(x, angle, shape="round", thickness=1.5) for x, angle in ((25.0, 0.0), (-25.0, 180.0)))
    torque = 1.0 * 14.0 / 2 * 16 / (np.pi * 1.5**3)
    # The shear of the force itself is added.
    assert share(both, (25.0, 14.0, 2.0)) > torque / shear_limit(LIME)
    assert share(both, (25.0, 14.0, 2.0)) == pytest.approx(torque / shear_limit(LIME), rel=0.25)


def test_tabs_of_a_millimetre_and_a_half_do_not_hold_a_wing_by_their_section_alone() -> None:
    """Their section alone would hold 10 N."""
    thin = tuple(tab(x, angle, shape="round", thickness=1.5) for x, angle in ((25.0, 0.0), (-25.0, 180.0)))
    alone = 2 * np.pi * 1.5**2 / 4 * shear_limit(LIME)
    assert 1 / share(thin, (25.0, 14.0, 2.4)) < 0.1 * alone


@pytest.mark.parametrize("more", [{"width": 8.0}, {"thickness": 6.0}])
def test_larger_tabs_hold_more(more: dict) -> None:
    def of(**words: float) -> float:
        return share((tab(20, 0.0, **words), tab(-20, 180.0, **words)), (20, 10, 4))

    assert of(**({"width": 4.0, "thickness": 3.0} | more)) < of(width=4.0, thickness=3.0)


def test_where_a_part_lies_changes_nothing() -> None:
    tabs = (tab(20, 0.0, width=5.0, thickness=3.0), tab(-20, 180.0, width=5.0, thickness=3.0))
    moved = tuple(item.model_copy(update={"at": (item.at[0] + 100, 50.0, 30.0)}) for item in tabs)
    away = np.array([100.0, 50, 30])
    assert share(tabs, (20, 10, 4)) == pytest.approx(
        used_share(moved, 5.0, (away - np.array([20, 10, 4]), away + np.array([20, 10, 4])), 1.0, LIME)
    )


def test_a_frame_is_as_wide_as_it_has_to_be() -> None:
    width = frame_width(LIME, 20.0, 740.0, 30.0)
    assert 15 < width < 60
    assert frame_bends(LIME, 20.0, 740.0, 30.0, width) == pytest.approx(FRAME_BENDS)
    assert frame_width(LIME, 20.0, 60.0, 30.0) < 8.0
