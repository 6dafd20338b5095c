"""The flat pieces: heron plaque (clean, and as scanned), moth roundel, fen chart."""

import numpy as np

from demo.shapes import dome, joined, noise, slab_under, stroke
from nephos.core.arrays import F64
from nephos.core.mesh.model import Mesh

Spine = list[tuple[float, float, float]]


def _grid(width: float, height: float, step: float) -> tuple[F64, F64]:
    nx, ny = round(width / step) + 1, round(height / step) + 1
    return np.meshgrid(np.linspace(-width / 2, width / 2, nx), np.linspace(-height / 2, height / 2, ny))


def _feathered(d: F64, along: F64, side: F64, rows: float, depth: float) -> F64:
    """Overlapping feathers along a stroke: rounded tips, each row shifted by half a feather."""
    row = along * rows
    column = side * rows * 0.28 + np.floor(row) * 0.5
    tip = row - np.floor(row) + 0.8 * (column - np.round(column)) ** 2
    barbs = 0.12 * np.sin(40 * (column - np.round(column)))
    return depth * (np.mod(tip, 1.0) - 0.5 + barbs) * np.clip(1 - d**4, 0, 1)


def _heron_height(x: F64, y: F64, rng: np.random.Generator) -> F64:
    body: Spine = [(-34, -4, 5), (-20, 1, 15), (2, 6, 21), (24, 2, 17), (44, -8, 8), (62, -17, 2.5)]
    neck: Spine = [(-22, 8, 9.5), (-36, 17, 7.5), (-41, 29, 6), (-34, 40, 5), (-31, 50, 5), (-37, 58, 5.2)]
    head: Spine = [(-34, 57, 5), (-42, 59.5, 6), (-50, 58, 4)]
    bill: Spine = [(-48, 58.5, 3.2), (-66, 55.5, 2.2), (-86, 51.5, 0.9)]
    crest: Spine = [(-38, 62, 2.2), (-24, 62, 1.7), (-8, 56, 0.6)]
    wing: Spine = [(-16, 9, 8), (2, 11, 13), (26, 2, 11), (48, -10, 5), (60, -16, 1.5)]
    z = 0.28 * noise(rng, x.shape, 9, 4)
    # Water: ripples round the legs, lower than the ground of the sky.
    shore = np.clip((-34 - y) / 5, 0, 1)
    ring = np.hypot((x - 4) * 0.55, (y + 52) * 1.6)
    z += shore * (-0.5 + 0.45 * np.sin(ring * 0.85) * np.exp(-ring / 55))
    for _ in range(26):
        base = rng.uniform(-98, 98)
        lean, tall = rng.normal(0, 8), rng.uniform(28, 88)
        if -48 < base < 52:
            tall *= 0.4
        stem: Spine = [(base, -72, 1.6), (base + lean * 0.4, -72 + tall * 0.6, 1.3), (base + lean, -72 + tall, 0.6)]
        d, along, side = stroke(x, y, stem)
        z = np.maximum(z, dome(d, 2.1) - 0.35 * np.exp(-((side / 0.35) ** 2)) * (d < 1))
        if tall > 55:
            top: Spine = [(base + lean * 0.95, -72 + tall * 0.92, 2.9), (base + lean * 1.05, -72 + tall * 1.12, 2.6)]
            d, along, side = stroke(x, y, top)
            z = np.maximum(z, dome(d, 3.6) + 0.16 * np.sin(x * 5.2) * np.sin(y * 5.2) * (d < 1))
    legs: list[Spine] = [
        [(0, -14, 3.2), (5, -33, 1.9), (2, -52, 1.5), (3, -70, 1.6)],
        [(10, -12, 3.0), (18, -31, 1.9), (13, -50, 1.5), (16, -70, 1.6)],
    ]
    for leg in legs:
        d, along, _ = stroke(x, y, leg)
        z = np.maximum(z, dome(d, 3.4) + 0.12 * np.sin(along * 150) * (d < 1))
    d, along, side = stroke(x, y, neck)
    z = np.maximum(z, dome(d, 7.2) + _feathered(d, along, side, 26, 0.22) * (d < 1))
    d, along, side = stroke(x, y, body)
    z = np.maximum(z, dome(d, 11.5) + _feathered(d, along, side, 20, 0.55) * (d < 1))
    d, along, side = stroke(x, y, wing)
    quills = 0.5 * np.abs(np.sin(side * 9 + along * 3))
    z = np.maximum(
        z, np.where(d < 1, dome(d, 4.5, 4) + 9.6 - 4 * along + _feathered(d, along, side, 12, 0.8) - quills * along, -9)
    )
    for stroke_points, height in ((crest, 5.6), (head, 7.4), (bill, 4.6)):
        d, _, side = stroke(x, y, stroke_points)
        z = np.maximum(z, dome(d, height) - 0.3 * np.exp(-((side / 0.12) ** 2)) * (d < 1))
    eye = np.hypot(x + 43, y - 60)
    return z + np.where(eye < 1.7, 0.9 * np.sqrt(np.clip(1 - (eye / 1.7) ** 2, 0, 1)) - 0.25, 0)


def heron(step: float = 0.6) -> Mesh:
    """The plaque put right: 236 x 168 x 18.6 mm, an oval field with a rope rim, flat underside."""
    rng = np.random.default_rng(4)
    x, y = _grid(236, 168, step)
    r = np.hypot(x / 118, y / 84)
    z = 4.0 + _heron_height(x, y, rng)
    away = np.maximum(np.hypot(x, y), 1e-9)
    inward = (1 - r) * np.hypot(118 * x / away, 84 * y / away) * 110 / 118
    twist = 0.55 * np.sin(np.arctan2(y / 84, x / 118) * 90 + inward * 0.9)
    rim = 6.4 + dome((inward - 5.5) / 4.6, 4.6) + twist * (np.abs(inward - 5.5) < 4.0)
    z = np.where(inward < 10.5, np.where(inward > 1, np.maximum(rim, np.where(inward > 6, z, 0)), 6.4), z)
    z = np.where(r > 1.0, np.clip(6.4 - (r - 1) * 260, 0.0, 6.4), z)
    return slab_under(x + 118, y + 84, np.maximum(z, 0.0) + 2.0, 0.0)


def heron_scan(step: float = 0.6) -> Mesh:
    """The same as it came from the scanner: inches, mirrored, standing up, with its table and speckles."""
    rng = np.random.default_rng(5)
    plaque = heron(step)
    parts = [plaque]
    tx, ty = _grid(290, 220, 2.5)
    parts.append(slab_under(tx + 118, ty + 84, -1.0 + 0.15 * noise(rng, tx.shape, 12, 3), -6.0))
    for _ in range(60):
        at = rng.uniform([-20, -20, 6], [256, 188, 60])
        size = rng.uniform(0.2, 0.9)
        corners = at + size * rng.normal(size=(4, 3))
        faces = np.array([[0, 1, 2], [0, 2, 3], [0, 3, 1], [1, 3, 2]], np.int32)
        parts.append(Mesh(corners, faces))
    vertices = joined(parts).vertices
    faces = joined(parts).faces
    scanned = vertices + rng.normal(0, 0.012, vertices.shape)
    standing = np.stack([-scanned[:, 0], -scanned[:, 2], scanned[:, 1]], axis=1) / 25.4
    return Mesh(standing, faces)


def _on_wings(x: F64, y: F64, ground: F64) -> F64:
    """The moth raised over a ground, its middle at the origin."""
    z = ground
    u = np.abs(x)
    fore: Spine = [(4, 14, 8), (24, 26, 15), (46, 36, 12), (56, 40, 4)]
    hind: Spine = [(4, 2, 8), (20, -14, 16), (34, -28, 11), (38, -36, 4)]
    for wing, height, folds in ((hind, 3.2, 11), (fore, 4.4, 15)):
        d, along, side = stroke(u, y, wing)
        veins = 0.35 * np.abs(np.sin(side * folds * 0.5 + along)) ** 0.5
        bands = 0.3 * np.sin(along * 22) * (1 - along)
        scales = 0.10 * np.sin(along * 260) * np.sin(side * 60)
        z = np.maximum(z, np.where(d < 1, 4.0 + dome(d, height, 6) * (1 - 0.35 * along) + veins + bands + scales, 0))
    spot = np.hypot(u - 38, y - 32)
    z = z + np.where(spot < 6, 0.7 * np.cos(spot * 1.6), 0)
    body: Spine = [(0, 22, 5), (0, 10, 7.5), (0, -6, 6.5), (0, -30, 3.5), (0, -38, 1.5)]
    d, along, side = stroke(u, y, body)
    z = np.maximum(
        z, np.where(d < 1, 4 + dome(d, 8) + 0.5 * np.sin(along * 70) + 0.2 * np.sin(side * 30 + along * 90), 0)
    )
    feeler: Spine = [(1.5, 24, 1.4), (10, 40, 1.2), (22, 50, 0.7)]
    d, along, _ = stroke(u, y, feeler)
    raised: F64 = np.maximum(z, np.where(d < 1, 4 + dome(d, 2.6) + 0.3 * np.sin(along * 120), 0))
    return raised


def moth(step: float = 0.3) -> Mesh:
    """A moth in a sunk round field with a bevelled rim, 150 mm across."""
    rng = np.random.default_rng(7)
    x, y = _grid(150, 150, step)
    r = np.hypot(x, y)
    z = _on_wings(x, y, 4.0 + 0.25 * noise(rng, x.shape, 14, 4))
    z = np.where(r > 62, 4 + np.clip((r - 62) * 1.6, 0, 10), z)
    z = np.where(r > 68.2, 14 - 0.9 * np.abs(np.sin(np.arctan2(y, x) * 36)) * (np.abs(r - 71) < 1.6), z)
    z = np.where(r > 75, 0.0, z)
    return slab_under(x + 75, y + 75, z + 2.0, 0.0)


def moth_figure(step: float = 0.35) -> Mesh:
    """The moth alone, on a thin plate, to be set into a composition."""
    x, y = _grid(126, 108, step)
    z = _on_wings(x, y - 6.0, np.full(x.shape, 4.0)) - 3.0
    return slab_under(x, y, z, 0.0)


def fen_chart(step: float = 1.25) -> Mesh:
    """The board of the trail, 1600 x 400 mm: raised land, ditches ruled across it, a river and its dykes."""
    rng = np.random.default_rng(11)
    x, y = _grid(1600, 400, step)
    land = 7 + 3.2 * noise(rng, x.shape, 8, 7)
    island = np.exp(-(((x - 420) / 190) ** 2 + ((y - 40) / 110) ** 2)) * 14
    island += np.exp(-(((x + 510) / 120) ** 2 + ((y + 60) / 90) ** 2)) * 9
    land = np.clip(land, 2.5, None) + island
    river = y - 70 * np.sin(x / 190) - 28 * np.sin(x / 61 + 1)
    dyke = 2.6 * np.exp(-(((np.abs(river) - 19) / 5) ** 2))
    z = land + dyke
    z = np.where(np.abs(river) < 13, 1.2 + 0.12 * np.sin(x / 6 + 3 * np.sin(y / 11)), z)
    for k in range(28):
        at = -790 + k * 58 + rng.normal(0, 9)
        slope = rng.normal(0, 0.12)
        ditch = np.abs(x - at - slope * y)
        z -= np.where(ditch < 3, 1.6 * np.cos(ditch / 3 * np.pi / 2), 0) * (island < 3) * (np.abs(river) > 24)
    furrow = 0.35 * np.sin(y * 0.7 + x * 0.05) * (island < 2) * (np.abs(river) > 30) * (land < 9)
    return slab_under(x + 800, y + 200, np.maximum(z + furrow, 0.6) + 3.0, 0.0)
