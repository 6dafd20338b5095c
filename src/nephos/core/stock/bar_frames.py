"""A bar at every moment, as frames.py has it for a block: the heights that each ray had, and until when."""

import numpy as np

from nephos.core.arrays import F32, F64, I32, I64, U8, U16, Bool
from nephos.core.cutters import Profile
from nephos.core.parallel import kernel
from nephos.core.stock.block import Grid
from nephos.core.stock.rays import SAG, move_rays

_SHOWN_SAG = 20 * SAG


@kernel
def record_rays(
    rays: tuple[F32, F32, F32, I32, F32, Bool],
    x0: float,
    pitch: float,
    radius: float,
    points: F64,
    kinds: U8,
    moment: I64,
    cutter: Profile,
    sag: float,
    cells: I32,
    moments: U16,
    heights: F32,
) -> int:
    """Cut move by move; writes the rays that changed. Returns how many, or -1 if there is no room."""
    top, _, _, touched, _, _ = rays
    na, nx = top.shape
    step = 2.0 * np.pi / na
    count = 0
    for k in range(len(kinds)):
        a, b = points[k], points[k + 1]
        if kinds[k] == 0 or not (a[0] == a[0] and b[0] == b[0] and a[1] == a[1] and b[1] == b[1]):
            continue
        z = max(min(a[2], b[2]), 0.0)
        move_rays(rays, 0, x0, pitch, step, na, radius, a, b, cutter, 0.0, sag, np.int32(1), False)
        i0 = max(int(np.floor((min(a[0], b[0]) - cutter.radius - x0) / pitch)), 0)
        i1 = min(int(np.ceil((max(a[0], b[0]) + cutter.radius - x0) / pitch)), nx - 1)
        wide = np.arctan2(cutter.radius, z) + step
        first = int(np.floor((min(a[1], b[1]) / radius - wide) / step))
        many = min(int(np.ceil((max(a[1], b[1]) / radius + wide) / step)) - first + 1, na)
        if count + many * max(i1 - i0 + 1, 0) > len(cells):
            return -1
        for n in range(many):
            j = ((first + n) % na + na) % na
            for i in range(i0, i1 + 1):
                if touched[j, i] == 1:
                    touched[j, i] = -1
                    cells[count] = j * nx + i
                    moments[count] = moment[k]
                    heights[count] = top[j, i]
                    count += 1
    return count


def recorded_rays(
    top: F32, grid: Grid, points: F64, kinds: U8, moment: np.ndarray, cutter: Profile, room: int
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """The rays that change, when, and the radius that each has then, in the order of time."""
    while True:
        cells, moments, heights = np.empty(room, np.int32), np.empty(room, np.uint16), np.empty(room, np.float32)
        fresh = np.ascontiguousarray(top.copy())
        rays = (
            fresh,
            np.zeros_like(fresh),
            np.zeros_like(fresh),
            np.full(fresh.shape, -1, np.int32),
            fresh.max(axis=1),
            np.zeros(len(fresh), np.bool_),
        )
        count = record_rays(
            rays,
            grid.x0,
            grid.pitch,
            grid.radius,
            np.ascontiguousarray(points),
            kinds,
            moment,
            cutter,
            _SHOWN_SAG,
            cells,
            moments,
            heights,
        )
        if count >= 0:
            return cells[:count], moments[:count], heights[:count]
        room *= 2
