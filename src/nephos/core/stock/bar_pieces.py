"""Connected pieces of a bar: what is still joined to the chuck's end along the axis, and what has come free."""

from dataclasses import dataclass

import numpy as np
from scipy import ndimage

from nephos.core.arrays import I64
from nephos.core.stock.bar import rays_of
from nephos.core.stock.block import Block
from nephos.core.surface.rotary import TURN

__all__ = ["LoosePiece", "loose_pieces"]

_MOST = 1_500_000
"""Cells at most in which connections are looked for."""


@dataclass(frozen=True)
class LoosePiece:
    """A piece that nothing joins to the bar: its `volume` (mm^3), its size along the bar and across it (mm), and a
    place in it on the unrolled surface (x, the way round, radius)."""

    volume: float
    size: tuple[float, float]
    place: tuple[float, float, float]


def loose_pieces(block: Block, chuck: str, least: float) -> list[LoosePiece]:
    """Pieces of at least `least` mm^3 that are not joined to the axis at the `chuck` end ("left" or "right"), the
    largest first. They are found on cells at least two rays wide that touch with whole sides."""
    g = block.grid
    top, gap_low, gap_high = rays_of(block)
    radius = float(top.max())
    if g.radius is None or radius <= 0:
        return []
    pitch = max(2 * g.pitch, (4 * radius * radius * g.nx * g.pitch / _MOST) ** (1 / 3))
    columns: I64 = (
        np.round(np.arange(g.pitch / 2, g.nx * g.pitch, pitch) / g.pitch - 0.5).astype(np.int64).clip(0, g.nx - 1)
    )
    across = np.arange(-radius + pitch / 2, radius, pitch)
    y, z = np.meshgrid(across, across, indexing="ij")
    r = np.hypot(y, z)
    row = np.round(np.arctan2(y, z) / TURN * g.ny).astype(np.int64) % g.ny
    i = columns[:, None, None]
    inside = r[None] <= top[row[None], i]
    gap = (r[None] > gap_low[row[None], i]) & (r[None] < gap_high[row[None], i])
    labels, count = ndimage.label(inside & ~gap)
    if count < 2:
        return []
    middle = int(np.argmin(r))
    held = labels[0 if chuck == "left" else -1].reshape(-1)[middle]
    volumes = np.bincount(labels.reshape(-1), minlength=count + 1) * pitch**3
    boxes = ndimage.find_objects(labels)
    found = []
    for label in np.argsort(-volumes).tolist():
        if label in (0, held) or volumes[label] < least:
            continue
        own = np.argwhere(labels[boxes[label - 1]] == label)
        k = own[len(own) // 2] + [part.start for part in boxes[label - 1]]
        spans = [(part.stop - part.start) * pitch for part in boxes[label - 1]]
        a = float(np.arctan2(across[k[1]], across[k[2]]) % TURN)
        place = float(g.xs[columns[k[0]]]), a * g.radius, float(np.hypot(across[k[1]], across[k[2]]))
        found.append(LoosePiece(float(volumes[label]), (spans[0], max(spans[1], spans[2])), place))
    return found
