"""How long moves take on a machine with limited acceleration on each axis."""

from math import sqrt

import numpy as np

from nephos.core.arrays import F32, F64, U8, Bool
from nephos.core.machine.machine import Machine
from nephos.core.parallel import kernel


@kernel
def _seconds(
    points: F64,
    kinds: U8,
    feeds: F64,
    linear: Bool,
    rapid: F64,
    limit: F64,
    acceleration: F64,
    deviation: float,
    lookahead: int,
    out: F64,
) -> None:
    """Seconds of each of n moves into `out` (n,). `points` (n + 1, axes) in mm or degrees, `kinds` (n,), `feeds` (n,)
    in mm or degrees a minute; `linear`, `rapid`, `limit`, `acceleration` (axes,) of the machine; `deviation` (mm) at
    corners; `lookahead` in moves."""
    n = len(kinds)
    axes = points.shape[1]
    length = np.zeros(n)
    speed = np.zeros(n)
    push = np.zeros(n)
    ux = np.zeros((n, axes))
    for k in range(n):
        # The length along the linear axes; where only others move, along those, in degrees (RS274/NGC, 2.1.2.5).
        d2 = turned = 0.0
        for i in range(axes):
            ux[k, i] = points[k + 1, i] - points[k, i]
            if linear[i]:
                d2 += ux[k, i] * ux[k, i]
            else:
                turned += ux[k, i] * ux[k, i]
        length[k] = sqrt(d2) if d2 > 1e-24 or not turned > 0.0 else sqrt(turned)
        if not length[k] > 1e-12:
            length[k] = 0.0
            continue
        v = np.inf if kinds[k] == 0 else feeds[k] / 60.0
        a = np.inf
        for i in range(axes):
            ux[k, i] /= length[k]
            part = abs(ux[k, i])
            if part > 1e-9:
                top = rapid[i] if kinds[k] == 0 else limit[i]
                v = min(v, top / 60.0 / part)
                a = min(a, acceleration[i] / part)
        speed[k] = v
        push[k] = a
    # Speed at the beginning of each move, from the corner there; then what can be reached by
    # braking towards it (backwards) and by speeding up from the one before (forwards).
    enter = np.zeros(n + 1)
    last = -1
    for k in range(n):
        if length[k] == 0.0:
            continue
        if last >= 0:
            c = 0.0
            for i in range(axes):
                c -= ux[last, i] * ux[k, i]
            v = min(speed[last], speed[k])
            if c > -0.999999:
                half = sqrt(max(0.5 * (1.0 - c), 0.0))
                if half < 0.999999:
                    v = min(v, sqrt(min(push[last], push[k]) * deviation * half / (1.0 - half)))
            enter[k] = v
        last = k
    # A controller must be able to stop at the end of the last move that it knows of.
    room = np.zeros(n + 1)
    for k in range(n):
        room[k + 1] = room[k] + (2.0 * push[k] * length[k] if length[k] > 0.0 else 0.0)
    following = 0.0
    for k in range(n - 1, -1, -1):
        if length[k] > 0.0:
            enter[k] = min(
                enter[k],
                sqrt(following * following + 2.0 * push[k] * length[k]),
                sqrt(room[min(k + lookahead, n)] - room[k]),
            )
            following = enter[k]
    for k in range(n):
        if length[k] == 0.0:
            out[k] = 0.0
            enter[k + 1] = enter[k]
            continue
        m = k + 1
        while m < n and length[m] == 0.0:
            m += 1
        v0 = enter[k]
        v1 = min(enter[m] if m < n else 0.0, sqrt(v0 * v0 + 2.0 * push[k] * length[k]))
        if m < n:
            enter[m] = v1
        a = push[k]
        peak = sqrt(max(a * length[k] + 0.5 * (v0 * v0 + v1 * v1), 0.0))
        if peak <= speed[k]:
            out[k] = (2.0 * peak - v0 - v1) / a
        else:
            v = speed[k]
            ramps = (2.0 * v * v - v0 * v0 - v1 * v1) / (2.0 * a)
            out[k] = (2.0 * v - v0 - v1) / a + (length[k] - ramps) / v


def move_seconds(points: F64, kinds: U8, feeds: F32, machine: Machine) -> F64:
    """Seconds (n,) float64 that each move takes, from rest to rest over the whole chain.

    Parameters are those of a :class:`~nephos.core.toolpath.Toolpath`; `points` (n + 1, axes) may have fewer axes than the
    machine, in its order.

    Notes
    -----
    Acceleration and speed along a move are what its slowest axis allows. The speed at a corner is
    that of an arc that deviates from it by `corner_deviation` under the same acceleration,
    v^2 = a d sin(h) / (1 - sin(h)) with 2h the angle between the moves. Speeds are then limited
    backwards (braking) and forwards (speeding up) over the whole chain, and by what can be stopped within the moves that the
    controller looks ahead; jerk is not limited.
    """
    out = np.empty(len(kinds))
    axes = machine.axes[: points.shape[1]]
    _seconds(
        np.ascontiguousarray(points),
        kinds,
        feeds.astype(np.float64),
        np.array([axis.is_linear for axis in axes]),
        np.array([axis.rapid for axis in axes]),
        np.array([axis.feed_limit for axis in axes]),
        np.array([axis.acceleration for axis in axes]),
        machine.corner_deviation,
        machine.lookahead,
        out,
    )
    return out
