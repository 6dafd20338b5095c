"""Turns about the axes, as matrices and as angles."""

from math import asin, atan2, cos, degrees, radians, sin

import numpy as np

from nephos.core.arrays import F64


def turning(rx: float, ry: float, rz: float) -> F64:
    """(3, 3) rotation by degrees about X, then Y, then Z; exact for quarter turns."""

    def cs(angle: float) -> tuple[float, float]:
        quarter = angle / 90
        if quarter == round(quarter):
            return ((1.0, 0.0), (0.0, 1.0), (-1.0, 0.0), (0.0, -1.0))[round(quarter) % 4]
        return cos(radians(angle)), sin(radians(angle))

    (cx, sx), (cy, sy), (cz, sz) = cs(rx), cs(ry), cs(rz)
    about_x = np.array([[1, 0, 0], [0, cx, -sx], [0, sx, cx]])
    about_y = np.array([[cy, 0, sy], [0, 1, 0], [-sy, 0, cy]])
    about_z = np.array([[cz, -sz, 0], [sz, cz, 0], [0, 0, 1]])
    result: F64 = about_z @ about_y @ about_x + 0.0
    return result


def _plain(angle: float) -> float:
    """Degrees from -180 (not counted in) to 180, whole where they are within 1e-9 of it."""
    near = round(angle)
    value = float(near) if abs(angle - near) < 1e-9 else angle
    return 180.0 if value == -180.0 else value + 0.0


def angles_of(rotation: F64) -> tuple[float, float, float]:
    """Degrees (rx, ry, rz) of which :func:`turning` makes the rotation again; rx is 0 where Y stands a quarter."""
    sine = float(np.clip(-rotation[2, 0], -1.0, 1.0))
    if abs(sine) > 1 - 1e-12:
        ry = 90.0 if sine > 0 else -90.0
        rz = degrees(atan2(-rotation[0, 1], rotation[1, 1]))
        return (0.0, ry, _plain(rz))
    rx = degrees(atan2(rotation[2, 1], rotation[2, 2]))
    rz = degrees(atan2(rotation[1, 0], rotation[0, 0]))
    return (_plain(rx), _plain(degrees(asin(sine))), _plain(rz))


def turn_onto(direction: F64, target: F64) -> F64:
    """(3, 3), the smallest rotation that takes one direction (3,) onto another (Rodrigues' formula)."""
    a, b = direction / np.linalg.norm(direction), target / np.linalg.norm(target)
    axis, cosine = np.cross(a, b), float(a @ b)
    if cosine < -1 + 1e-12:
        # Half a turn, about any axis that stands square to it.
        across = np.cross(a, np.eye(3)[int(np.abs(a).argmin())])
        across /= np.linalg.norm(across)
        return np.asarray(2 * np.outer(across, across) - np.eye(3))
    k = np.array([[0, -axis[2], axis[1]], [axis[2], 0, -axis[0]], [-axis[1], axis[0], 0]])
    result: F64 = np.eye(3) + k + k @ k / (1 + cosine)
    return result
