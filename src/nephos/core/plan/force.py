"""Forces of cutters, and what bends under them."""

from nephos.core.materials import Material
from nephos.core.plan.operation import Operation
from nephos.core.plan.schema import Plan

_ELASTIC = {"wood": 5000.0, "board": 3000.0, "foam": 30.0, "wax": 200.0, "plastic": 2000.0, "metal": 65000.0}
"""Modulus of elasticity (N/mm^2), low for each group of materials."""


_STRENGTH = {"wood": 50.0, "board": 15.0, "foam": 0.5, "wax": 2.0, "plastic": 40.0, "metal": 150.0}
"""Bending strength (N/mm^2), low for each group of materials."""


def bending_strength(material: Material) -> float:
    """Bending strength of a material, N/mm^2."""
    return _STRENGTH.get(material.group, 15.0)


def elastic_modulus(material: Material) -> float:
    """Modulus of elasticity of a material, N/mm^2."""
    return _ELASTIC.get(material.group, 5000.0)


FRAME_BENDS = 0.1
"""A frame that bends by more than this (mm) is too narrow."""


def frame_bends(material: Material, push: float, longest: float, height: float, width: float) -> float:
    """How far (mm) the side of a frame bends, `longest` mm long, `height` high and `width` wide, under a push (N) in
    its middle: a beam held at both ends, F L^3 / (192 E I) with I = h b^3 / 12."""
    return push * longest**3 / (192 * elastic_modulus(material) * height * width**3 / 12)


def frame_width(material: Material, push: float, longest: float, height: float) -> float:
    """Width (mm) at which a frame bends by no more than :data:`FRAME_BENDS`."""
    return float((frame_bends(material, push, longest, height, 1.0) / FRAME_BENDS) ** (1 / 3))


def cutting_push(plan: Plan, operation: Operation) -> float:
    """Sideways force (N) of a cutter at its stepdown: the chip's section times the material's cutting force."""
    chip = operation.cutting_feed / (operation.cutter.flutes * operation.spindle_speed)
    depth = float(operation.settings.figures.stepdown or 0.0) or operation.cutter.radius
    return plan.stock.material.cutting_force * depth * chip * operation.cutter.flutes
