"""The pieces in the round: lily-leaf dish, bulrush finial, dragonfly."""

import numpy as np

from demo.shapes import joined, tube
from nephos.core.mesh.model import Mesh


def lily_dish() -> Mesh:
    """A leaf-shaped dish, 220 mm across, curved across any parting, veined on both faces."""
    rings, around = 300, 900
    angle = np.linspace(0, 2 * np.pi, around, endpoint=False)
    share = np.linspace(0, 1, rings)[:, None]
    notch = np.exp(-((np.sin(angle / 2) / 0.16) ** 2))
    outline = 104 + 5 * np.sin(angle * 9) * 0.35 + 3 * np.sin(angle * 2 + 1) - 38 * notch
    r = share * outline
    x, y = r * np.cos(angle), r * np.sin(angle)
    wave = 5 * np.sin(angle * 3 + 0.5) * share**2.5
    bowl = 16 * share**2.2 + wave
    vein = np.abs(np.sin(angle * 10.5))
    spread = np.clip(1.1 - share, 0, 1) ** 0.4 * np.clip(share / 0.4, 0, 1) ** 2
    raised = 1.5 * np.exp(-((vein * share * 14) ** 2)) * spread
    net = 0.28 * np.sin(share * 95 + 3 * np.sin(angle * 21)) * share
    rim = 2.4 * np.exp(-(((share - 0.97) / 0.025) ** 2))
    thick = 6.5 - 1.8 * share
    upper = bowl + raised + net + rim + thick / 2
    lower = bowl - 1.6 * raised - thick / 2 - rim * 0.5
    foot = 4.5 * np.exp(-(((share - 0.3) / 0.035) ** 2))
    lower = lower - foot
    top = np.stack([x, y, upper], -1)
    under = np.stack([x, y, lower], -1)
    n = rings * around
    k = np.arange(n).reshape(rings, around)
    after = np.roll(k, -1, axis=1)
    a, b, c, d = (q.ravel() for q in (k[:-1], after[:-1], after[1:], k[1:]))
    faces = np.concatenate([np.stack([a, b, c], 1), np.stack([a, c, d], 1)])
    border = k[-1, ::-1]
    nxt = np.concatenate([border[1:], border[:1]])
    walls = np.concatenate([np.stack([border, border + n, nxt + n], 1), np.stack([border, nxt + n, nxt], 1)])
    mesh = Mesh(
        np.concatenate([top.reshape(-1, 3), under.reshape(-1, 3)]),
        np.ascontiguousarray(np.concatenate([faces, faces[:, ::-1] + n, walls])[:, ::-1], np.int32),
    )
    return Mesh(mesh.vertices - mesh.low, mesh.faces)


def bulrush_finial() -> Mesh:
    """A finial 210 mm long about X: seed head, wrapped leaves, turned foot."""
    rng = np.random.default_rng(3)
    long, around = 620, 440
    t = np.linspace(0, 210, long)[:, None]
    angle = np.linspace(0, 2 * np.pi, around, endpoint=False)[None]
    foot = (
        19
        - 5 * np.clip((t - 18) / 8, 0, 1)
        + 3.2 * np.exp(-(((t - 34) / 3.5) ** 2))
        + 2 * np.sin(t / 3.2) * (t < 18) * 0.4
    )
    stem = 8.5 + 2.5 * np.exp(-(((t - 60) / 20) ** 2))
    head = 16.5 * np.sqrt(np.clip(1 - np.abs((t - 140) / 46) ** 3.2, 0, 1))
    tip = 3.0 - 1.6 * np.clip((t - 186) / 24, 0, 1)
    r = np.where(t < 40, foot, np.maximum(stem * (t < 108) + 3 * (t >= 108), np.maximum(head, tip)))
    seeds = 0.7 * np.abs(np.sin(angle * 26 + t * 1.1)) * np.abs(np.sin(t * 1.4 - angle * 3))
    r = r + seeds * (head > 6)
    for k in range(5):
        phase = 2 * np.pi * k / 5
        across = np.mod(angle - phase - t * 0.024 + np.pi, 2 * np.pi) - np.pi
        width = 0.62 * np.sin(np.clip((t - 38) / (88 + 12 * (k % 3)), 0, 1) * np.pi) ** 0.7
        leaf = np.sqrt(np.clip(1 - (across / np.maximum(width, 1e-3)) ** 2, 0, 1))
        r = np.maximum(r, np.where(leaf > 0, r + 3.4 * leaf - 0.9 * np.exp(-((across / 0.05) ** 2)), 0))
    r = r + 0.05 * rng.normal(size=r.shape)
    spine = np.column_stack([t[:, 0], np.zeros(long), np.zeros(long)])
    return tube(spine, np.maximum(r, 0.8), around)


def _wing(root: tuple[float, float, float], length: float, lean: float, lift: float, width: float) -> Mesh:
    along, across = 420, 90
    s = np.linspace(0, 1, along)[:, None]
    v = np.linspace(-1, 1, across)[None]
    half = width * (0.32 + 0.68 * np.sin(np.clip(s * 1.15, 0, 1) * np.pi * 0.62)) * np.sqrt(np.clip(1.02 - s**7, 0, 1))
    x = root[0] + s * length * np.sin(lean) + v * half * np.cos(lean)
    y = root[1] + s * length * np.cos(lean) - v * half * np.sin(lean)
    ribs = 0.55 * np.sin(s * 22 + v * 2) ** 4 + 0.4 * np.sin(v * 4 + s * 2) ** 4
    # Thick where it leaves the body: a fillet that a ball gets into.
    fillet = 2.5 * np.exp(-np.maximum(s - 0.08, 0) / 0.04)
    body = 0.9 + 1.4 * np.exp(-(((v + 0.8) / 0.16) ** 2)) + ribs + fillet
    fade = np.sqrt(np.clip(1 - v**8, 0, 1)) * np.sqrt(np.clip(1 - s**40, 0.0, 1)) + 0.15
    middle = root[2] + lift * s + 1.2 * np.sin(s * 5) * v
    top, under = middle + body * fade, middle - body * fade
    n = along * across
    k = np.arange(n).reshape(along, across)
    a, b, c, d = (q.ravel() for q in (k[:-1, :-1], k[:-1, 1:], k[1:, 1:], k[1:, :-1]))
    faces = np.concatenate([np.stack([a, c, b], 1), np.stack([a, d, c], 1)])
    loop = np.concatenate([k[0, :-1], k[:-1, -1], k[-1, :0:-1], k[:0:-1, 0]])
    nxt = np.roll(loop, -1)
    walls = np.concatenate([np.stack([loop, nxt, nxt + n], 1), np.stack([loop, nxt + n, loop + n], 1)])
    points = [np.stack(np.broadcast_arrays(x, y, z), -1).reshape(-1, 3) for z in (top, under)]
    faces = np.concatenate([faces, faces[:, ::-1] + n, walls])[:, ::-1]
    return Mesh(np.concatenate(points), np.ascontiguousarray(faces, np.int32))


def _mirrored(mesh: Mesh) -> Mesh:
    return Mesh(mesh.vertices * [1, -1, 1], np.ascontiguousarray(mesh.faces[:, ::-1]))


def dragonfly() -> Mesh:
    """A stout dragonfly 170 mm long with wings spread, to be cut from four faces."""
    long, around = 520, 160
    t = np.linspace(0, 1, long)[:, None]
    angle = np.linspace(0, 2 * np.pi, around, endpoint=False)[None]
    thorax = 19 * np.sqrt(np.clip(1 - np.abs((t - 0.24) / 0.14) ** 2.4, 0, 1))
    tail = (
        9.5 - 3.5 * t + 1.4 * np.exp(-(((t - 0.93) / 0.05) ** 2)) + 0.55 * np.abs(np.sin((t - 0.38) * 52)) * (t > 0.38)
    )
    head = 14 * np.sqrt(np.clip(1 - np.abs((t - 0.06) / 0.058) ** 2.2, 0, 1))
    neck = np.where(t < 0.05, 5.0, np.where(t < 0.16, 13.0, tail))
    r = np.maximum(np.maximum(thorax, head), neck) * np.ones_like(angle)
    r = r + 0.35 * np.sin(angle * 14 + t * 60) * (thorax > 4) + 0.12 * np.sin(t * 130) * np.cos(angle * 3)
    closing = np.clip(np.minimum(t, 1 - t) / 0.012, 0.05, 1) ** 0.5
    spine = np.column_stack([170 * t[:, 0], np.zeros(long), 3.5 * np.sin(t[:, 0] * 3.4)])
    parts = [tube(spine, np.maximum(r * closing, 0.3), around)]
    ball_t = np.linspace(-1, 1, 160)
    for sign in (-1.0, 1.0):
        ring = 8.5 * np.sqrt(np.clip(1 - ball_t**2, 0.001, 1))[:, None] * np.ones((1, 120))
        ring = ring * (1 + 0.03 * np.sin(np.arange(160) * 1.1)[:, None] * np.sin(np.arange(120) * np.pi / 5)[None])
        parts.append(tube(np.column_stack([8 + 8.5 * ball_t, np.full(160, 10.5 * sign), np.full(160, 6.5)]), ring, 120))
    for wing in (_wing((42, 12, 0), 72, 0.10, 14, 12.5), _wing((74, 4, 0), 66, 0.32, 10, 12)):
        parts += [wing, _mirrored(wing)]
    mesh = joined(parts)
    return Mesh(mesh.vertices - mesh.low, mesh.faces)
