"""Lines on the plan that follow the surface: sampled as finely as the tolerance asks, then thinned."""

from math import ceil, inf, sin, sqrt

import numpy as np

from nephos.core.arrays import F64, I64
from nephos.core.cutters import Profile
from nephos.core.parallel import Report, in_parallel, inlined, kernel, silent
from nephos.core.polyline import thin
from nephos.core.surface.chart import chart_of
from nephos.core.surface.drop import Surface, SurfaceArrays, drop_at

SAMPLED, THINNED = 0.2, 0.4
"""Shares of the tolerance spent on sampling and on thinning. The rest is for the post's rounding and for rims of open
meshes, where a cut that is true to the tolerance square to the cutter goes deeper straight down."""

RUN_THINNED = 0.3
"""Share of the tolerance for thinning across the corners of runs."""

_DEEPEST = 40
_STEEP = 4.0
"""From this rise over the run on a chord is looked at in more places,"""
_PLACES = 29
"""so many, unevenly: a wall of even steps meets the chord at its quarters, and bulges out between."""


@kernel
def _room(buffer: F64, count: int) -> F64:
    """The buffer (n, 3), or a larger copy where `count` points leave too little room for one more stretch."""
    if count + 4 * _DEEPEST + 8 < len(buffer):
        return buffer
    larger = np.empty((2 * len(buffer) + 8 * _DEEPEST, 3))
    larger[:count] = buffer[:count]
    return larger


@inlined
def _put(buffer: F64, count: int, x: float, y: float, z: float) -> int:
    """Put a point into the buffer (n, 3); returns the new count."""
    buffer[count, 0] = x
    buffer[count, 1] = y
    buffer[count, 2] = z
    return count + 1


@kernel
def _follow(
    grid: SurfaceArrays,
    lines: F64,
    cutter: Profile,
    floors: F64,
    lift: float,
    spacing: float,
    dense: float,
    tolerance: float,
    finest: float,
    ends: I64,
) -> F64:
    """Points (n, 3) of the tip over `lines` (k, 4: x, y, x, y in mm), `lift` over the surface and never under `floors`
    (k,): dropped every `spacing` mm and finer until chords lie within `tolerance`, not finer than `finest`. `ends` (k,)
    gets where each line ends."""
    buffer = np.empty((1024, 3))
    count = 0
    stack_s = np.empty(_DEEPEST + 2)
    stack_z = np.empty(_DEEPEST + 2)
    hint = -1
    z = 0.0
    for k in range(len(lines)):
        x0, y0, x1, y1 = lines[k, 0], lines[k, 1], lines[k, 2], lines[k, 3]
        floor = floors[k]
        length = sqrt((x1 - x0) * (x1 - x0) + (y1 - y0) * (y1 - y0))
        ux = (x1 - x0) / length if length > 0.0 else 1.0
        uy = (y1 - y0) / length if length > 0.0 else 0.0
        base = max(int(ceil(length / spacing)), 1)
        s = 0.0
        if k == 0 or floor != floors[k - 1] or x0 != lines[k - 1, 2] or y0 != lines[k - 1, 3]:
            z, hint = drop_at(grid, x0, y0, cutter, floor, hint)
        buffer = _room(buffer, count)
        count = _put(buffer, count, x0, y0, z + lift)
        for q in range(1, base + 1):
            depth = 0
            stack_s[0] = length * q / base
            stack_z[0], hint = drop_at(grid, x0 + ux * stack_s[0], y0 + uy * stack_s[0], cutter, floor, hint)
            while depth >= 0:
                span = stack_s[depth] - s
                rise = stack_z[depth] - z
                lean = span / sqrt(span * span + rise * rise) if span > 0.0 else 0.0
                m = s + 0.5 * span
                zm, hint = drop_at(grid, x0 + ux * m, y0 + uy * m, cutter, floor, hint)
                # Nothing is lower than the floor, and no bump that matters fits in between: the stretch lies on it.
                level = z == floor and zm == floor and stack_z[depth] == floor and span <= 2.0 * dense
                short = level or span <= 2.0 * finest or depth >= _DEEPEST
                fits = short or abs(zm - z - 0.5 * rise) * lean <= tolerance
                if fits and not short:
                    # The middle alone may lie on the chord by chance: a kink beside it shows at a quarter.
                    za, hint = drop_at(
                        grid, x0 + ux * (s + 0.25 * span), y0 + uy * (s + 0.25 * span), cutter, floor, hint
                    )
                    zb, hint = drop_at(
                        grid, x0 + ux * (s + 0.75 * span), y0 + uy * (s + 0.75 * span), cutter, floor, hint
                    )
                    fits = (
                        abs(za - z - 0.25 * rise) * lean <= tolerance and abs(zb - z - 0.75 * rise) * lean <= tolerance
                    )
                if fits and not short and abs(rise) > _STEEP * span:
                    n = min(int(ceil(span / tolerance)), _PLACES)
                    for i in range(n):
                        t = (i + 0.5 + 0.3 * sin(2.4 * i)) / n
                        zt, hint = drop_at(
                            grid, x0 + ux * (s + t * span), y0 + uy * (s + t * span), cutter, floor, hint
                        )
                        if abs(zt - z - t * rise) * lean > tolerance:
                            fits = False
                            break
                if not fits:
                    depth += 1
                    stack_s[depth] = m
                    stack_z[depth] = zm
                    continue
                buffer = _room(buffer, count)
                if not short:
                    count = _put(buffer, count, x0 + ux * (s + 0.25 * span), y0 + uy * (s + 0.25 * span), za + lift)
                count = _put(buffer, count, x0 + ux * m, y0 + uy * m, zm + lift)
                if not short:
                    count = _put(buffer, count, x0 + ux * (s + 0.75 * span), y0 + uy * (s + 0.75 * span), zb + lift)
                s = stack_s[depth]
                z = stack_z[depth]
                count = _put(buffer, count, x0 + ux * s, y0 + uy * s, z + lift)
                depth -= 1
        ends[k] = count - 1
    return buffer[:count]


def _spacing(cutter: Profile, tolerance: float) -> tuple[float, float]:
    """How far apart samples may begin, each stretch being looked at in quarters, and how far apart they miss no bump of
    the tip's path."""
    if cutter.corner == 0 and cutter.slope < inf:
        # The caps are cones with a level tip: a peak between samples stands no higher than half their distance on the
        # cone.
        dense = max(cutter.flat, 2 * SAMPLED * tolerance / cutter.slope)
        return 4 * dense, dense
    dense = sqrt(8 * max(cutter.corner, 0.05) * SAMPLED * tolerance)
    return min(max(2.8 * dense, 4 * tolerance), max(cutter.radius, 4 * tolerance)), min(dense, cutter.radius)


def follow_lines(
    index: Surface,
    lines: F64,
    cutter: Profile,
    leave: float,
    floor: float | F64,
    tolerance: float,
    report: Report = silent,
) -> tuple[F64, I64]:
    """Tip positions along `lines`, no chord farther than `tolerance` from where the cutter may be.

    Parameters
    ----------
    lines : (k, 4) float64 x0, y0, x1, y1 on the plan, in millimetres.
    leave : stock to leave, the cutter being grown by as much.
    floor : lowest tip height, where there is no surface or it is lower; one for all lines, or (k,) float64.

    Returns
    -------
    points : (n, 3) float64, all lines one behind the other.
    ends : (k,) int64, the index of each line's last point.

    Notes
    -----
    Tip heights are the upper envelope of caps that are nowhere flatter than the cutter's corner, so
    samples sqrt(8 c t) apart miss no bump higher than t (for pointed cutters see `_spacing`); between them a line is
    halved until
    its middle and its quarters lie within t of the chord or, at a wall, until the step is shorter than t.
    """
    grown = cutter.grown(leave)
    sampled = SAMPLED * tolerance
    spacing, dense = _spacing(chart_of(index).on_plane(grown), tolerance)

    def work(first: int, last: int) -> tuple[F64, I64]:
        ends = np.empty(last - first, np.int64)
        points = _follow(
            index.arrays,
            lines[first:last],
            grown,
            floors[first:last],
            leave,
            spacing,
            dense,
            sampled,
            sampled / 2,
            ends,
        )
        kept = thin(points, ends, THINNED * tolerance)
        return points[kept], np.searchsorted(kept, ends)

    if len(lines) == 0:
        return np.empty((0, 3)), np.empty(0, np.int64)
    lines = np.ascontiguousarray(lines, np.float64)
    floors = np.ascontiguousarray(np.broadcast_to(np.asarray(floor, np.float64) - leave, len(lines)))
    parts = in_parallel(work, len(lines), max(1, min(64, len(lines) // 16)), report)
    offsets = np.cumsum([0] + [len(points) for points, _ in parts])
    return (
        np.concatenate([points for points, _ in parts]),
        np.concatenate([ends + offset for (_, ends), offset in zip(parts, offsets, strict=False)]),
    )


def follow_runs(
    index: Surface,
    runs: list[F64],
    cutter: Profile,
    leave: float,
    floor: float | F64,
    tolerance: float,
    report: Report = silent,
) -> list[F64]:
    """As :func:`follow_lines` for runs on the plan, (n, 2) each with n > 1: each comes back as one stretch of tip
    positions, (m, 3).

    `floor` is one for all runs, or (k,) float64.
    """
    if not runs:
        return []
    counts = [len(run) - 1 for run in runs]
    lines = np.concatenate([np.concatenate([run[:-1, :2], run[1:, :2]], axis=1) for run in runs])
    floors = np.repeat(np.broadcast_to(np.asarray(floor, np.float64), len(runs)), counts)
    points, ends = follow_lines(index, lines, cutter, leave, floors, tolerance, report)
    last = ends[np.cumsum(counts) - 1]
    kept = thin(points, last, RUN_THINNED * tolerance)
    stops = np.searchsorted(kept, last)
    return [points[kept[a : b + 1]] for a, b in zip([0, *(stops[:-1] + 1)], stops, strict=True)]
