"""A flat relief wrapped round a bar."""

from dataclasses import replace
from math import ceil, pi

import numpy as np
import trimesh
from pydantic import Field

from nephos.core.errors import Refused
from nephos.core.mesh.model import Mesh
from nephos.core.mesh.repair.registry import RepairKind, RepairSettings, said_length, setting
from nephos.core.mesh.repair.solid import upright

_BEND = np.radians(2.0)
"""No triangle spans more than this: its chord is then true to a seven-thousandth of the radius."""
_ALONG = 2.0**-20
"""Sides along the bar and out of it do not count when triangles are divided."""
_MOST = 8_000_000


class WrapBar(RepairSettings):
    """How a relief goes round the bar: its Y becomes the way round, its height the radius over the bar's."""

    normal: tuple[float, float, float] = Field(default=(0.0, 0.0, 1.0), title="Up")
    diameter: float = setting("Bar under it", 40.0, over=0, length="file", help="diameter at the foot of the relief")
    repeats: float = setting("Repeats", 1, low=1, high=60, help="how many times round")
    cover: float = setting(
        "Covers", 100.0, low=0, high=100, help="percent of the way round, by stretching; 0 keeps the relief's own width"
    )
    joint: float = setting("Joint at", 0.0, low=-360, high=360, help="degrees, where the first copy begins")


def _divided(vertices: np.ndarray, faces: np.ndarray, longest: float) -> tuple[np.ndarray, np.ndarray]:
    """The triangles divided until none is longer than `longest` along Y."""
    span = np.ptp(vertices[faces][:, :, 1], axis=1)
    times = np.ceil(np.log2(np.maximum(span / longest, 1.0)))
    if float((4.0**times).sum()) > _MOST:
        raise Refused("its triangles are so few and long that there would be too many of them: take a finer mesh")
    squeezed = vertices * [_ALONG, 1.0, _ALONG]
    found, corners = trimesh.remesh.subdivide_to_size(
        squeezed, faces, longest * (1 + 1e-6), max_iter=int(times.max()) + 2
    )
    return np.asarray(found) / [_ALONG, 1.0, _ALONG], np.asarray(corners)


def _apply(mesh: Mesh, settings: WrapBar) -> tuple[Mesh, str]:
    stood = mesh.vertices @ upright(settings.normal).T
    low, high = stood.min(axis=0), stood.max(axis=0)
    width, radius, count = float(high[1] - low[1]), settings.diameter / 2, ceil(settings.repeats)
    if width <= 0:
        raise Refused("the relief has no width along Y: turn it flat first")
    around = 2 * pi * radius
    taken = settings.cover / 100 * around / count if settings.cover > 0 else width
    if taken * count > around * (1 + 1e-9):
        raise Refused(
            f"{count} of {said_length(width)} take more than the {said_length(around)} round the bar: take fewer, a "
            "thicker bar, or let them cover 100 percent"
        )
    flat = (stood - low) * [1.0, taken / width, 1.0]
    vertices, faces = _divided(flat, mesh.faces, _BEND * radius)
    out = radius + vertices[:, 2]
    rounds = []
    for k in range(count):
        angle = np.radians(settings.joint) + 2 * pi * k / count + vertices[:, 1] / radius
        rounds.append(np.column_stack([vertices[:, 0], out * np.sin(angle), out * np.cos(angle)]))
    corners = np.concatenate([faces + k * len(vertices) for k in range(count)])
    done = replace(
        mesh,
        vertices=np.ascontiguousarray(np.concatenate(rounds)),
        faces=np.ascontiguousarray(corners, np.int32),
    )
    times = f"{count} times " if count > 1 else ""
    share = 100 * taken * count / around
    return done, f"wrapped {times}round a bar of {said_length(settings.diameter)}, {share:.0f} % of the way round"


REPAIR = RepairKind("wrap_bar", "Wrap round a bar", "its Y goes round, its height becomes the radius", WrapBar, _apply)
