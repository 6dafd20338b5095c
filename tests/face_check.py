"""Independent check of posted programs for faces: text interpreter, gouges, and a point cloud of the stock that is cut.

Nothing of the product is used but the text, the mesh, the stock and the matrices of the setups."""

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
import trimesh
from scipy.spatial import cKDTree

EVERY = 0.4
"""Distance (mm) of samples along a move."""
SLACK = 0.15
"""A rapid may be this much (mm) inside the cloud: samples of a move are this far off its true envelope."""
_POINTS = 15_000
_WORD = re.compile(r"([A-Z])\s*([-+]?(?:\d+\.?\d*|\.\d+))")


@dataclass(frozen=True)
class Tool:
    """A flat or ball end mill, radius in mm."""

    shape: str
    radius: float

    def underside(self, away: np.ndarray) -> np.ndarray:
        """Height (mm) over the tip at distances (n,) from the axis."""
        inside = np.minimum(away, self.radius)
        return self.radius - np.sqrt(self.radius**2 - inside**2) if self.shape == "ball" else np.zeros_like(away)


@dataclass(frozen=True)
class File:
    """A posted file and its tool."""

    text: str
    tool: Tool


@dataclass(frozen=True)
class Seen:
    """Deepest gouge (mm), samples of rapids inside the stock, the share of the stock that is left after each setup, and
    the length (mm) of all feed moves per setup."""

    gouge: float
    rapids: int
    left: list[float]
    feeds: list[float]


def moves_of(text: str) -> Iterator[tuple[bool, np.ndarray]]:
    """Each move: whether it is a rapid, and samples (n, 3) of the tip in mm. G2 and G3 with I and J in the XY plane."""
    at, mode, scale = np.full(3, np.nan), 0, 1.0
    for line in text.splitlines():
        words = [(letter, float(value)) for letter, value in _WORD.findall(re.sub(r"\(.*?\)|;.*", "", line))]
        codes = {value for letter, value in words if letter == "G"}
        if 4.0 in codes or 53.0 in codes:
            continue
        scale = 25.4 if 20.0 in codes else 1.0 if 21.0 in codes else scale
        mode = next((int(code) for code in (0.0, 1.0, 2.0, 3.0) if code in codes), mode)
        axes = {letter: value * scale for letter, value in words if letter in "XYZIJ"}
        if not axes.keys() & {"X", "Y", "Z"}:
            continue
        end = np.array([axes.get(letter, at[k]) for k, letter in enumerate("XYZ")])
        if np.isfinite(at).all() and np.isfinite(end).all():
            yield mode == 0, _samples(at, end, mode, axes)
        at = end


def _samples(start: np.ndarray, end: np.ndarray, mode: int, axes: dict[str, float]) -> np.ndarray:
    if mode < 2:
        count = max(int(np.ceil(np.linalg.norm(end - start) / EVERY)), 1)
        return start + np.linspace(0, 1, count + 1)[:, None] * (end - start)
    middle = start[:2] + np.array([axes.get("I", 0.0), axes.get("J", 0.0)])
    a, b = (np.arctan2(*(place[:2] - middle)[::-1]) for place in (start, end))
    turn = (b - a) % (2 * np.pi) if mode == 3 else -((a - b) % (2 * np.pi))
    radius = float(np.hypot(*(start[:2] - middle)))
    t = np.linspace(0, 1, max(int(np.ceil(abs(turn) * radius / EVERY)), 2) + 1)
    angle = a + t * turn
    height = start[2] + t * (end[2] - start[2])
    return np.column_stack([middle[0] + radius * np.cos(angle), middle[1] + radius * np.sin(angle), height])


def _gouge(tree: cKDTree, points: np.ndarray, tips: np.ndarray, tool: Tool) -> float:
    """Deepest point of the model inside the tool: along the normal of a ball, out of the nearest side of a flat one."""
    up = tool.radius if tool.shape == "ball" else 0.0
    worst = 0.0
    for tip, near in zip(tips, tree.query_ball_point(tips + np.array([0, 0, up]), 1.5 * tool.radius), strict=True):
        if near:
            away = np.hypot(*(points[near, :2] - tip[:2]).T)
            height, side = points[near, 2] - tip[2], tool.radius - away
            if tool.shape == "ball":
                ball = tool.radius - np.hypot(away, height - tool.radius)
                deep = np.where(height < tool.radius, ball, side)
            else:
                deep = np.minimum(height, side)
            worst = max(worst, float(deep.max()))
    return worst


def _hit(stock: np.ndarray, alive: np.ndarray, tips: np.ndarray, tool: Tool, slack: float) -> np.ndarray:
    """Numbers of the points of the stock that are alive and inside the tool, made `slack` mm smaller, at any tip."""
    numbers = np.flatnonzero(alive & (stock[:, 2] > tips[:, 2].min() + slack))
    if not len(numbers):
        return numbers
    tree, found = cKDTree(stock[numbers, :2]), np.zeros(len(numbers), bool)
    for tip, near in zip(tips, tree.query_ball_point(tips[:, :2], tool.radius - slack), strict=True):
        if near:
            away = np.hypot(*(stock[numbers[near], :2] - tip[:2]).T)
            found[near] |= stock[numbers[near], 2] - slack > tip[2] + tool.underside(away)
    return numbers[found]


def check_faces(
    mesh: trimesh.Trimesh, size: Sequence[float], setups: Sequence[tuple[np.ndarray, Sequence[File]]]
) -> Seen:
    """Run the files of all setups.

    Parameters
    ----------
    mesh : the model in stock space. size : of the stock, mm. setups : (4, 4) matrix from stock space to program
    coordinates, and the files in the order of cutting.
    """
    rng = np.random.default_rng(1)
    cloud = rng.uniform(0, 1, (_POINTS, 3)) * np.asarray(size)
    surface = np.vstack([trimesh.sample.sample_surface(mesh, 25_000, seed=1)[0], mesh.vertices])
    alive = np.ones(len(cloud), bool)
    gouge, rapids, left, feeds = 0.0, 0, [], []
    for matrix, files in setups:
        stock, model = (points @ matrix[:3, :3].T + matrix[:3, 3] for points in (cloud, surface))
        tree, length = cKDTree(model), 0.0
        for file in files:
            run: list[np.ndarray] = []
            for rapid, tips in [*moves_of(file.text), (True, np.full((1, 3), 1e3))]:
                if not rapid:
                    run.append(tips)
                    length += float(np.linalg.norm(np.diff(tips, axis=0), axis=1).sum())
                    continue
                if run:
                    cut = np.concatenate(run)
                    alive[_hit(stock, alive, cut, file.tool, 0.0)] = False
                    gouge, run = max(gouge, _gouge(tree, model, cut, file.tool)), []
                rapids += len(_hit(stock, alive, tips, file.tool, SLACK))
        left.append(float(alive.mean()))
        feeds.append(length)
    return Seen(gouge, rapids, left, feeds)
