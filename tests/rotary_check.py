"""Programs of bars, looked at by nothing of ours: only the posted text, the model's STL and the figures of
report.json."""

import json
import re
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import trimesh
from scipy.spatial import cKDTree

TURN = 2 * np.pi
_EVERY = 1.2
"""So far apart (mm) moves are looked at."""
_VOXEL = 0.8
_HAIR = 0.1
"""A rapid that meets a voxel's middle less deep than this (mm) may be rounding of the voxels."""


@dataclass(frozen=True)
class Seen:
    """Deepest gouge (mm), rapids with a voxel of the bar in them, lowest tip radius, and between which places along the
    bar anything of a cutter came."""

    gouge: float
    rapids: int
    lowest: float
    low: float
    high: float


def moves_of(path: Path) -> list[tuple[int, float, float, float]]:
    """G0 or G1, X, A in degrees and Z of each move of a program whose bar is driven as A."""
    at = {"X": np.nan, "A": np.nan, "Z": np.nan}
    mode, found = 0, []
    for line in path.read_text().splitlines():
        words = re.findall(r"([A-Z])([-+]?[\d.]+)", re.sub(r"\(.*?\)", "", line))
        if ("G", "4") in words:
            continue
        moved = False
        for letter, value in words:
            if letter == "G" and value in {"0", "1"}:
                mode = int(value)
            elif letter in at:
                at[letter] = float(value)
                moved = True
            elif letter == "Y":
                assert float(value) == 0.0, "the cutter stands over the axis"
        if moved and not np.isnan(list(at.values())).any():
            found.append((mode, at["X"], at["A"], at["Z"]))
    return found


def _places(moves: list[tuple[int, float, float, float]], sense: int) -> tuple[np.ndarray, np.ndarray]:
    """Places (n, 3) x, angle, radius along the moves, and whether each is of a rapid."""
    places, rapid = [], []
    ends = np.array([[x, sense * np.radians(a), z] for _, x, a, z in moves])
    for (mode, *_), a, b in zip(moves[1:], ends[:-1], ends[1:], strict=True):
        step = b - a
        length = np.sqrt(step[0] ** 2 + step[2] ** 2 + (step[1] * max(a[2], b[2], 1.0)) ** 2)
        count = max(int(np.ceil(length / _EVERY)), 1)
        places.append(a + (np.arange(count) + 1)[:, None] / count * step)
        rapid.append(np.full(count, mode == 0))
    return np.concatenate(places), np.concatenate(rapid)


def _underside(shape: str, radius: float, away: np.ndarray) -> np.ndarray:
    inside = np.minimum(away, radius)
    return radius - np.sqrt(radius**2 - inside**2) if shape == "ball" else np.zeros_like(away)


def _gouge(tree: cKDTree, points: np.ndarray, places: np.ndarray, shape: str, radius: float) -> float:
    """How deep points of the model lie in the cutter at worst: for a ball square to it, else out of its nearest
    side."""
    worst = 0.0
    up = radius if shape == "ball" else 0.0
    middle = np.column_stack(
        [places[:, 0], (places[:, 2] + up) * np.sin(places[:, 1]), (places[:, 2] + up) * np.cos(places[:, 1])]
    )
    for place, near in zip(places, tree.query_ball_point(middle, 1.5 * radius), strict=True):
        if not near:
            continue
        x, y, z = points[near].T
        s, c = np.sin(place[1]), np.cos(place[1])
        across, height = y * c - z * s, y * s + z * c - place[2]
        away = np.hypot(x - place[0], across)
        side = radius - away
        if shape == "ball":
            deep = np.where(height < radius, radius - np.hypot(away, height - radius), side)
        else:
            deep = np.minimum(height, side)
        worst = max(worst, float(np.max(deep)))
    return worst


def looked_at(folder: Path) -> Seen:
    """What the programs of a rotary job in `folder` do."""
    setup = json.loads((folder / "report.json").read_text())["setups"][0]
    assert setup["a_word"] == "A" and setup["axis"]["z"] == 0.0
    model = trimesh.load(folder / f"model-{setup['id']}.stl")
    points = np.vstack([trimesh.sample.sample_surface(model, 30_000, seed=1)[0], model.vertices])
    tree, bar = cKDTree(points), setup["bar"]
    radius, left = bar["diameter"] / 2, setup["stock"]["x0"]
    xs = left + (np.arange(int(bar["length"] / _VOXEL)) + 0.5) * _VOXEL
    angles, depths = np.arange(180) * TURN / 180, (np.arange(int(radius / _VOXEL)) + 0.5) * _VOXEL
    full = np.ones((len(xs), len(angles), len(depths)), bool)
    gouge, rapids, lowest, low, high = 0.0, 0, np.inf, np.inf, -np.inf
    for operation in setup["operations"]:
        cutter = operation["cutter"]
        shape, r = cutter["shape"], cutter["diameter"] / 2
        places, rapid = _places([m for f in operation["files"] for m in moves_of(folder / f["file"])], setup["a_sign"])
        gouge = max(gouge, _gouge(tree, points, places, shape, r))
        lowest = min(lowest, float(places[:, 2].min()))
        low, high = min(low, float(places[:, 0].min()) - r), max(high, float(places[:, 0].max()) + r)
        for (x, a, z), fast in zip(places, rapid, strict=True):
            if fast and z > radius:
                continue
            i = np.flatnonzero(np.abs(xs - x) < r)
            turn = (angles - a + np.pi) % TURN - np.pi
            j = np.flatnonzero(np.abs(turn) < np.arctan2(r, max(z, 1e-3)) + 0.05)
            if not len(i) or not len(j):
                continue
            height = depths * np.cos(turn[j])[:, None]
            away = np.hypot((xs[i] - x)[:, None, None], depths * np.sin(turn[j])[:, None])
            hair = _HAIR if fast else 0.0
            inside = (away < r - hair) & (height - hair > z + _underside(shape, r, away))
            cell = np.ix_(i, j)
            if fast:
                rapids += int((full[cell] & inside).any())
            else:
                full[cell] &= ~inside
    return Seen(gouge, rapids, lowest, low, high)
