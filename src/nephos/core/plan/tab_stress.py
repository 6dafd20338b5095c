"""What tabs carry that alone hold a part in its frame: forces, arms, bending and torsion, in the worst direction.

The part is taken for rigid; each tab is a beam, clamped in the frame and in the part (stiffness of a beam's end:
Przemieniecki, Theory of Matrix Structural Analysis, 1968, section 5.6). A force of the cutter at a corner of the part's
box loads all tabs as their stiffness asks for it."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import product

import numpy as np

from nephos.core.arrays import F64
from nephos.core.materials import Material
from nephos.core.plan.force import bending_strength, elastic_modulus
from nephos.core.plan.joined_faces import FaceTab

_SHEAR = 1 / 6
"""Wood shears along the grain at about a third of what it takes to cut it; half of that is kept in reserve."""
_BENDING = 0.5
"""So much of the bending strength is used; the other half is kept in reserve."""
_SHEAR_MODULUS = 1 / 16
"""Modulus of rigidity of wood in parts of that of elasticity (Wood Handbook, USDA, 2021, table 5-1)."""
_BOUND = 1.5
"""Largest shear stress of a beam over its mean, for a rectangle (a little less for a circle)."""


def shear_limit(material: Material) -> float:
    """Shear stress (N/mm^2) that a tab is allowed."""
    return material.cutting_force * _SHEAR


def bending_limit(material: Material) -> float:
    """Bending stress (N/mm^2) that a tab is allowed."""
    return bending_strength(material) * _BENDING


@dataclass(frozen=True)
class _Section:
    """Of a tab: `area`, second moments for bending on the plan (`flat`) and up and down (`upright`), torsion constant,
    half its width and height (mm), and the shear stress of a torque of 1 Nmm."""

    area: float
    flat: float
    upright: float
    torsion: float
    half: tuple[float, float]
    twist: float


def _section(tab: FaceTab) -> _Section:
    if tab.shape == "round":
        d = tab.thickness
        area, second = np.pi * d * d / 4, np.pi * d**4 / 64
        return _Section(area, second, second, 2 * second, (d / 2, d / 2), 16 / (np.pi * d**3))
    w, t = tab.width, tab.thickness
    a, b = max(w, t), min(w, t)
    # Torsion of a rectangle: Roark's Formulas for Stress and Strain, table 10.1, case 4.
    torsion = a * b**3 * (1 / 3 - 0.21 * b / a * (1 - b**4 / (12 * a**4)))
    twist = (3 * a + 1.8 * b) / (a * a * b * b)
    return _Section(w * t, t * w**3 / 12, w * t**3 / 12, torsion, (w / 2, t / 2), twist)


def _stiffness(section: _Section, length: float, elastic: float) -> F64:
    """(6, 6) forces and moments at a tab's end in the part for its moves and turns there; x runs out along the tab, z
    up."""
    e, g, n = elastic, elastic * _SHEAR_MODULUS, length
    k = np.diag(
        [
            e * section.area / n,
            12 * e * section.flat / n**3,
            12 * e * section.upright / n**3,
            g * section.torsion / n,
            4 * e * section.upright / n,
            4 * e * section.flat / n,
        ]
    )
    k[1, 5] = k[5, 1] = 6 * e * section.flat / n**2
    k[2, 4] = k[4, 2] = -6 * e * section.upright / n**2
    return k


def _moves(tab: FaceTab, middle: F64) -> F64:
    """(6, 6) from moves and turns of the part about its middle to those of a tab's end, in the tab's own axes."""
    angle = np.radians(tab.angle)
    turn = np.array([[np.cos(angle), np.sin(angle), 0], [-np.sin(angle), np.cos(angle), 0], [0, 0, 1]])
    x, y, z = np.array(tab.at) - middle
    arm = np.array([[0, z, -y], [-z, 0, x], [y, -x, 0]])
    found = np.zeros((6, 6))
    found[:3, :3], found[:3, 3:], found[3:, 3:] = turn, turn @ arm, turn
    return found


def used_share(tabs: Sequence[FaceTab], length: float, box: tuple[F64, F64], push: float, material: Material) -> float:
    """Largest share of what they are allowed that any tab carries, when nothing else holds the part: over 1 it breaks.

    Parameters
    ----------
    tabs : at least one. length : from the part to the frame, mm. box : low and high corner (3,) of the part in stock
    space. push : force of the cutter, N, which may come from any side.
    """
    middle = (box[0] + box[1]) / 2
    sections = [_section(tab) for tab in tabs]
    local = [_stiffness(section, length, elastic_modulus(material)) for section in sections]
    moves = [_moves(tab, middle) for tab in tabs]
    whole = sum(m.T @ k @ m for m, k in zip(moves, local, strict=True))
    loads = []
    for corner in product(*zip(*box, strict=True)):
        for axis in np.eye(3):
            loads.append(push * np.concatenate([axis, np.cross(np.array(corner) - middle, axis)]))
    turned = np.linalg.solve(whole, np.array(loads).T)
    worst = 0.0
    for section, k, m in zip(sections, local, moves, strict=True):
        n, across, up, torque, about_y, about_z = k @ m @ turned
        y, z = section.half
        # Moments at the part, and at the frame after the tab's length.
        upright = np.maximum(np.abs(about_y), np.abs(about_y + up * length))
        flat = np.maximum(np.abs(about_z), np.abs(about_z - across * length))
        bending = np.abs(n) / section.area + flat * y / section.flat + upright * z / section.upright
        shear = _BOUND * np.hypot(across, up) / section.area + np.abs(torque) * section.twist
        worst = max(
            worst, float((bending / bending_limit(material)).max()), float((shear / shear_limit(material)).max())
        )
    return worst
