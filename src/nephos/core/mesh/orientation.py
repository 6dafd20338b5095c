"""Which way up a mesh should lie, and what lies under it: judged from samples of its surface."""

import numpy as np

from nephos.core.arrays import F64
from nephos.core.mesh.summary import MeshSummary
from nephos.core.rotation import turn_onto

_BACK = -0.05
"""A face that looks down by more than this (cosine) is out of the cutter's sight."""


def _seen(heights: F64, up: F64) -> float:
    """How well a way up shows the mesh: what looks up counts, what looks down counts against, ups and downs count
    for."""
    span = float(np.ptp(heights)) or 1.0
    sight = float((up > 0.2).mean() - (up < _BACK).mean())
    # A back is level; a face has detail: its directions differ.
    facing = up[up > 0.2]
    detail = float(np.std(facing)) if len(facing) > 20 else 0.0
    relief = float((heights.max() - np.median(heights)) / span)
    return sight + 2.0 * detail + 0.3 * relief


def best_orientation(look: MeshSummary, linear: F64, long_along_x: bool) -> F64:
    """(3, 3) rotation of the stock's space that shows most of a mesh to a cutter from above.

    `linear` (3, 3) is how it lies now. The thinnest way through the mesh is stood upright first (least squares, as for
    its main axes), then the side with more to see is turned up, then its longer side along X (or Y)."""
    points = look.samples[:, :3].astype(np.float64) @ linear.T
    normals = look.samples[:, 3:].astype(np.float64) @ linear.T
    candidates = [np.eye(3), *_upright_axes(points)]
    best, found = -np.inf, np.eye(3)
    for turn in candidates:
        for flip in (np.eye(3), np.diag([1.0, -1.0, -1.0])):
            whole = flip @ turn
            heights = points @ whole[2]
            thin = float(np.ptp(heights) / max(np.ptp(points @ whole[0]), np.ptp(points @ whole[1]), 1e-12))
            score = _seen(heights, normals @ whole[2]) - 1.5 * thin
            if score > best + 1e-6:
                best, found = score, whole
    found = _settled(found, normals)
    lying = points @ found.T
    if (np.ptp(lying[:, 0]) >= np.ptp(lying[:, 1])) != long_along_x:
        found = np.array([[0.0, -1.0, 0.0], [1.0, 0.0, 0.0], [0.0, 0.0, 1.0]]) @ found
    return found


def _settled(found: F64, normals: F64) -> F64:
    """The rotation turned a little more, so that a flat back, where there is one, lies exactly level."""
    down = normals @ found.T
    back = down[down[:, 2] < -np.cos(np.radians(6.0))]
    if len(back) < 0.1 * len(down):
        return found
    # The middle one of the directions: noise and edges do not move it.
    return np.asarray(turn_onto(np.median(back, axis=0), np.array([0.0, 0.0, -1.0])) @ found)


def _upright_axes(points: F64) -> list[F64]:
    """Rotations that stand each axis of the space, and the thinnest way through the points, upright."""
    found = [np.array([[1.0, 0, 0], [0, 0, -1], [0, 1, 0]]), np.array([[0.0, 1, 0], [0, 0, 1], [1, 0, 0]])]
    middle = points - points.mean(axis=0)
    _, _, axes = np.linalg.svd(middle, full_matrices=False)
    own = axes[[0, 1, 2]]
    if np.linalg.det(own) < 0:
        own = own * [[1.0], [-1.0], [1.0]]
    # The mesh's own axes are worth a turn only where they differ from the space's.
    if np.abs(own[2]).max() < np.cos(np.radians(1.0)):
        found.append(own)
    return found


def slab_height(look: MeshSummary, linear: F64, scale_z: float) -> float | None:
    """Height in millimetres, over the foot, of a plain slab under a mesh; none where there is none.

    A slab shows as much level surface looking up at one height, in the lower half, with all else above it.
    """
    heights = (look.samples[:, :3] @ linear[2]).astype(np.float64) * scale_z
    up = look.samples[:, 3:] @ linear[2]
    low, span = float(heights.min()), float(np.ptp(heights))
    if span <= 0:
        return None
    level = heights[up > 0.97] - low
    counts, edges = np.histogram(level, 80, (0.0, span))
    peak = int(counts[:44].argmax())
    near = level[np.abs(level - (edges[peak] + edges[peak + 1]) / 2) < 1.5 * span / 80]
    under = float((heights < low + edges[peak] - span / 80).mean())
    if len(near) < 0.12 * len(heights) or edges[peak] < 0.02 * span:
        return None
    # What lies under it must be its sides and its underside only.
    sides = np.abs(up[heights < low + edges[peak] - span / 80])
    if under > 0 and float(((sides > 0.15) & (sides < 0.97)).mean()) > 0.2:
        return None
    return float(near.mean() + 3 * near.std() + 0.002 * span)


def undercut(look: MeshSummary, linear: F64, share_sunk: float) -> float:
    """Share (0 to 1) of the surface above what is sunk that looks down, which a cutter from above never sees.

    `share_sunk` is the part of the height that is sunk. The foot itself, which lies on the bed, does not count.
    """
    heights = look.samples[:, :3] @ linear[2]
    up = look.samples[:, 3:] @ linear[2]
    low, span = heights.min(), np.ptp(heights)
    above = heights > low + span * max(share_sunk, 0.005)
    if not above.any():
        return 0.0
    return float((up[above] < _BACK).mean())
