"""Seeded meshes as people download and scan them: overlapping, hollow, noisy, open, nested, with thin lips and fins."""

from collections.abc import Callable

import numpy as np

from meshes import box_mesh, grid_mesh
from nephos.core.mesh.model import Mesh, joined


def ball_mesh(middle: tuple[float, float, float], radius: float, around: int = 48, inwards: bool = False) -> Mesh:
    """A closed ball of triangles."""
    lat = np.linspace(-np.pi / 2, np.pi / 2, around // 2 + 1)
    lon = np.linspace(0, 2 * np.pi, around, endpoint=False)
    ring = np.array([[np.cos(a) * np.cos(b), np.cos(a) * np.sin(b), np.sin(a)] for a in lat[1:-1] for b in lon])
    vertices = np.concatenate([[[0, 0, -1]], ring, [[0, 0, 1]]]) * radius + middle
    k = 1 + np.arange((len(lat) - 2) * around).reshape(-1, around)
    r = np.roll(k, -1, axis=1)
    a, b, c, d = k[:-1].ravel(), r[:-1].ravel(), r[1:].ravel(), k[1:].ravel()
    last = len(vertices) - 1
    faces = np.concatenate(
        [
            np.stack([a, b, c], 1),
            np.stack([a, c, d], 1),
            np.stack([np.zeros(around, int), r[0], k[0]], 1),
            np.stack([np.full(around, last), k[-1], r[-1]], 1),
        ]
    )
    return Mesh(vertices, (faces[:, ::-1] if inwards else faces).astype(np.int32))


def revolved(profile: list[tuple[float, float]], middle: tuple[float, float], around: int = 64) -> Mesh:
    """A closed outline of (radius, height) points turned about an upright axis."""
    ring = np.array(profile)
    angle = np.linspace(0, 2 * np.pi, around, endpoint=False)
    n = len(ring)
    x = middle[0] + ring[:, 0] * np.cos(angle)[:, None]
    y = middle[1] + ring[:, 0] * np.sin(angle)[:, None]
    vertices = np.stack([x, y, np.broadcast_to(ring[:, 1], x.shape)], -1).reshape(-1, 3)
    k = np.arange(around * n).reshape(around, n)
    nxt, up = np.roll(k, -1, axis=0), np.roll(k, -1, axis=1)
    both = np.roll(nxt, -1, axis=1)
    a, b, c, d = k.ravel(), nxt.ravel(), both.ravel(), up.ravel()
    return Mesh(vertices, np.concatenate([np.stack([a, b, c], 1), np.stack([a, c, d], 1)]).astype(np.int32))


def overlapping() -> Mesh:
    """Balls and a box that stick into one another, none cut off at the others."""
    return joined(
        [
            box_mesh((0, 0, 0), (22, 16, 3)),
            ball_mesh((7, 8, 3), 5),
            ball_mesh((13, 8, 4), 4.5),
            box_mesh((12, 5, 2), (20, 11, 7)),
        ]
    )


def hollow() -> Mesh:
    """A bowl whose rim bends inwards to a lip 0.12 mm thin over a hollow."""
    return revolved([(10, 0), (10, 8), (6.0, 8), (6.0, 7.88), (9.2, 7.4), (9.2, 1.2), (0.4, 1.2), (0.4, 0)], (11, 11))


def on_cells(pitch: float) -> Mesh:
    """Steps with upright walls that lie exactly on the centres of cells of a block 30 mm wide in which it lies in the
    middle."""
    half = (round(8 / pitch) + 0.5) * pitch
    steps = [box_mesh((-half + 3 * k, -half + 3 * k, 0), (half - 3 * k, half - 3 * k, 2.0 + 2 * k)) for k in range(3)]
    return joined(steps)


def noisy(seed: int = 5) -> Mesh:
    """A scanned mound with noise and spikes."""
    rng = np.random.default_rng(seed)
    x, y = np.meshgrid(np.linspace(0, 20, 121), np.linspace(0, 20, 121))
    z = 5 * np.exp(-((x - 10) ** 2 + (y - 10) ** 2) / 40) + rng.normal(0.6, 0.05, x.shape)
    return grid_mesh(x, y, np.where(rng.random(x.shape) < 0.01, z + rng.uniform(0.5, 3, x.shape), z))


def open_shell() -> Mesh:
    """The upper part of a ball without underside, with a hole in it."""
    ball = ball_mesh((9, 9, 0), 9, 64)
    middle = ball.vertices[ball.faces].mean(axis=1)
    kept = (middle[:, 2] > 1.5) & (np.hypot(middle[:, 0] - 12, middle[:, 1] - 9) > 1.2)
    return Mesh(ball.vertices, ball.faces[kept])


def nested() -> Mesh:
    """A ball with a hollow (turned inwards) and a solid ball within it that faces outwards."""
    return joined(
        [
            box_mesh((1, 1, -9), (17, 17, -6)),
            ball_mesh((9, 9, 0), 8),
            ball_mesh((9, 9, 0), 6, inwards=True),
            ball_mesh((9, 9, 0), 3),
        ]
    )


def finned() -> Mesh:
    """Upright fins from 0.06 to 0.5 mm thin, some under a plate, beside a mushroom that overhangs."""
    fins = [box_mesh((2 + 2.3 * k, 2, 0), (2.06 + 2.3 * k + 0.11 * k, 12, 5)) for k in range(5)]
    cap = revolved([(0.5, 0), (2, 0), (2, 4), (5, 4.4), (4.6, 6), (0.5, 7)], (20, 8))
    return joined([box_mesh((0, 0, -2), (26, 16, 0.01)), *fins, cap])


OTHERS: dict[str, Callable[[float], Mesh]] = {
    "overlapping": lambda _: overlapping(),
    "hollow": lambda _: hollow(),
    "on cells": on_cells,
    "noisy": lambda _: noisy(),
    "open": lambda _: open_shell(),
    "nested": lambda _: nested(),
    "finned": lambda _: finned(),
}
"""By what is wrong with them; each is made for a pitch."""
