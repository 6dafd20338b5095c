"""How long moves take on a machine with limited acceleration on each axis."""

from math import sqrt
from typing import NamedTuple

import numpy as np

from nephos.core.arrays import F32, F64, U8, Bool
from nephos.core.machine.machine import Machine
from nephos.core.parallel import inlined, kernel


class _Axes(NamedTuple):
    """A machine by its axes, (axes,) each: whether it is `linear`, its `rapid` and largest feed `limit` in mm or
    degrees a minute, its `acceleration` in mm/s2 or degrees/s2."""

    linear: Bool
    rapid: F64
    limit: F64
    acceleration: F64


class _Chain(NamedTuple):
    """Moves of a chain: `length` (n,) mm or degrees, `speed` (n,) that each may go at, `push` (n,) its acceleration
    along the way, `along` (n, axes) its direction."""

    length: F64
    speed: F64
    push: F64
    along: F64


@kernel
def _lay_out(points: F64, kinds: U8, feeds: F64, axes: _Axes, chain: _Chain) -> None:
    """Work out length, direction, speed and acceleration of each move, as the slowest axis allows."""
    lengths, speeds, pushes, along = chain
    linear, rapid, limit, acceleration = axes
    for k in range(len(kinds)):
        # The length along the linear axes; where only others move, along those, in degrees (RS274/NGC, 2.1.2.5).
        d2 = turned = 0.0
        for i in range(points.shape[1]):
            by = points[k + 1, i] - points[k, i]
            along[k, i] = by
            if linear[i]:
                d2 += by * by
            else:
                turned += by * by
        length = sqrt(d2) if d2 > 1e-24 or not turned > 0.0 else sqrt(turned)
        if not length > 1e-12:
            continue
        v = np.inf if kinds[k] == 0 else feeds[k] / 60.0
        a = np.inf
        for i in range(points.shape[1]):
            along[k, i] /= length
            part = abs(along[k, i])
            if part > 1e-9:
                top = rapid[i] if kinds[k] == 0 else limit[i]
                v = min(v, top / 60.0 / part)
                a = min(a, acceleration[i] / part)
        lengths[k], speeds[k], pushes[k] = length, v, a


@kernel
def _enter_speeds(chain: _Chain, deviation: float, lookahead: int) -> F64:
    """(n + 1,) speed at the beginning of each move: of the corner there, less what braking to later ones asks for.

    A controller must be able to stop at the end of the last move that it knows of."""
    length, speed, push, along = chain
    n = len(length)
    enter = np.zeros(n + 1)
    last = -1
    for k in range(n):
        if length[k] == 0.0:
            continue
        if last >= 0:
            enter[k] = _corner_speed(speed, push, along, last, k, deviation)
        last = k
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
    return enter


@inlined
def _corner_speed(speed: F64, push: F64, along: F64, before: int, after: int, deviation: float) -> float:
    """Speed through the corner between two moves, which the tip may leave by the deviation (mm)."""
    c = 0.0
    for i in range(along.shape[1]):
        c -= along[before, i] * along[after, i]
    v = min(speed[before], speed[after])
    if c > -0.999999:
        half = sqrt(max(0.5 * (1.0 - c), 0.0))
        if half < 0.999999:
            v = min(v, sqrt(min(push[before], push[after]) * deviation * half / (1.0 - half)))
    return v


@kernel
def _seconds(chain: _Chain, enter: F64, out: F64) -> None:
    """Seconds of each move into `out` (n,), speeding up from the one before (forwards)."""
    lengths, speeds, pushes, _ = chain
    n = len(out)
    for k in range(n):
        if lengths[k] == 0.0:
            out[k] = 0.0
            enter[k + 1] = enter[k]
            continue
        m = k + 1
        while m < n and lengths[m] == 0.0:
            m += 1
        v0, a, v, length = enter[k], pushes[k], speeds[k], lengths[k]
        v1 = min(enter[m] if m < n else 0.0, sqrt(v0 * v0 + 2.0 * a * length))
        if m < n:
            enter[m] = v1
        peak = sqrt(max(a * length + 0.5 * (v0 * v0 + v1 * v1), 0.0))
        if peak <= v:
            out[k] = (2.0 * peak - v0 - v1) / a
        else:
            ramps = (2.0 * v * v - v0 * v0 - v1 * v1) / (2.0 * a)
            out[k] = (2.0 * v - v0 - v1) / a + (length - ramps) / v


def move_seconds(points: F64, kinds: U8, feeds: F32, machine: Machine) -> F64:
    """Seconds (n,) float64 that each move takes, from rest to rest over the whole chain.

    Parameters are those of a :class:`~nephos.core.toolpath.Toolpath`; `points` (n + 1, axes) may have fewer axes than
    the machine, in its order.

    Notes
    -----
    Acceleration and speed along a move are what its slowest axis allows. The speed at a corner is
    that of an arc that deviates from it by `corner_deviation` under the same acceleration,
    v^2 = a d sin(h) / (1 - sin(h)) with 2h the angle between the moves. Speeds are then limited
    backwards (braking) and forwards (speeding up) over the whole chain, and by what can be stopped within the moves
    that the controller looks ahead; jerk is not limited.
    """
    count, width = len(kinds), points.shape[1]
    own = machine.axes[:width]
    axes = _Axes(
        np.array([axis.is_linear for axis in own]),
        np.array([axis.rapid for axis in own]),
        np.array([axis.feed_limit for axis in own]),
        np.array([axis.acceleration for axis in own]),
    )
    chain = _Chain(np.zeros(count), np.zeros(count), np.zeros(count), np.zeros((count, width)))
    _lay_out(np.ascontiguousarray(points), kinds, feeds.astype(np.float64), axes, chain)
    out = np.empty(count)
    _seconds(chain, _enter_speeds(chain, machine.corner_deviation, machine.lookahead), out)
    return out
