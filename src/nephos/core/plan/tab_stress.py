"""Stress in the tabs of a part that nothing else holds.

The part is rigid. Each tab is a beam, clamped in the frame and in the part (stiffness of a beam's end: Przemieniecki,
Theory of Matrix Structural Analysis, 1968, section 5.6). The force of the cutter acts at a corner of the part's
bounding box, in any direction along an axis; the tabs share it by their stiffness."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import product

import numpy as np

from nephos.core.arrays import F64
from nephos.core.materials import Material
from nephos.core.plan.force import bending_strength, elastic_modulus
from nephos.core.plan.joined_faces import FaceTab

_SHEAR = 1 / 6
"""Allowed shear stress as a share of the cutting force per area. Wood shears along the grain at about 1/3; the safety
factor is 2."""
_BENDING = 0.5
"""Allowed bending stress as a share of the bending strength: a safety factor of 2."""
_SHEAR_MODULUS = 1 / 16
"""Ratio of the modulus of rigidity of wood to its modulus of elasticity (Wood Handbook, USDA, 2021, table 5-1)."""
_SHEAR_PEAK = 1.5
"""Ratio of the largest to the mean shear stress of a rectangular section; slightly too large for a round one."""


def shear_limit(material: Material) -> float:
    """Allowed shear stress of a tab, N/mm^2."""
    return material.cutting_force * _SHEAR


def bending_limit(material: Material) -> float:
    """Allowed bending stress of a tab, N/mm^2."""
    return bending_strength(material) * _BENDING


@dataclass(frozen=True)
class _Section:
    """Section of a tab: `area` (mm^2), second moments (mm^4) for bending in plan (`flat`) and along Z (`upright`),
    `torsion` constant (mm^4), `half` width and height (mm), and `twist`, the shear stress (N/mm^2) of a torque of
    1 Nmm."""

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
    """(6, 6) stiffness at the end of a tab in the part: forces and moments for displacements and rotations. x points
    along the tab to the frame, z up."""
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
    """(6, 6) transform from displacement and rotation of the part about its centre to those of a tab's end, in the axes
    of the tab."""
    angle = np.radians(tab.angle)
    turn = np.array([[np.cos(angle), np.sin(angle), 0], [-np.sin(angle), np.cos(angle), 0], [0, 0, 1]])
    x, y, z = np.array(tab.at) - middle
    arm = np.array([[0, z, -y], [-z, 0, x], [y, -x, 0]])
    found = np.zeros((6, 6))
    found[:3, :3], found[:3, 3:], found[3:, 3:] = turn, turn @ arm, turn
    return found


def used_share(tabs: Sequence[FaceTab], length: float, box: tuple[F64, F64], push: float, material: Material) -> float:
    """Largest ratio of stress to allowed stress in any tab; over 1 a tab breaks.

    Parameters
    ----------
    tabs : at least one. length : from the part to the frame, mm. box : low and high corner (3,) of the part in stock
    space. push : force of the cutter in N, in the worst direction and at the worst corner of the box.
    """
    middle = (box[0] + box[1]) / 2
    sections = [_section(tab) for tab in tabs]
    local = [_stiffness(section, length, elastic_modulus(material)) for section in sections]
    moves = [_moves(tab, middle) for tab in tabs]
    whole = sum(m.T @ k @ m for m, k in zip(moves, local, strict=True))
    corners = list(product(*zip(*box, strict=True)))
    loads = [
        push * np.concatenate([axis, np.cross(np.array(corner) - middle, axis)])
        for corner in corners
        for axis in np.eye(3)
    ]
    turned = np.linalg.solve(whole, np.array(loads).T)
    worst = 0.0
    for section, k, m in zip(sections, local, moves, strict=True):
        n, across, up, torque, about_y, about_z = k @ m @ turned
        y, z = section.half
        # The larger of the moments at both ends of the tab.
        upright = np.maximum(np.abs(about_y), np.abs(about_y + up * length))
        flat = np.maximum(np.abs(about_z), np.abs(about_z - across * length))
        bending = np.abs(n) / section.area + flat * y / section.flat + upright * z / section.upright
        shear = _SHEAR_PEAK * np.hypot(across, up) / section.area + np.abs(torque) * section.twist
        worst = max(
            worst, float((bending / bending_limit(material)).max()), float((shear / shear_limit(material)).max())
        )
    return worst
