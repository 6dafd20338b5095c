"""Cutters: surfaces of revolution with their dimensions in millimetres."""

from nephos.core.cutters.cutter import Cutter, HolderStep, standard_cutter, usual_cutters
from nephos.core.cutters.profile import Profile
from nephos.core.cutters.shapes import SHAPES

__all__ = ["SHAPES", "Cutter", "HolderStep", "Profile", "standard_cutter", "usual_cutters"]
