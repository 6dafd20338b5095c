"""The benchmarks of `./nephos bench`: the application's own kernels at the work of the yardsticks."""

import time
from typing import Any

import numpy as np

from nephos.core.cutters import standard_cutter
from nephos.core.mesh.model import Mesh
from nephos.core.stock.block import Grid
from nephos.core.stock.sweep import sweep
from nephos.core.surface.drop import drop_grid
from nephos.core.surface.index import build_index


def bench_drop(mesh: Mesh, ball: float, step: float, size: float) -> dict[str, Any]:
    """Drop a ball on a grid over the mesh, scaled so that its longest XY side is `size` mm."""
    vertices = (mesh.vertices - mesh.low) * (size / mesh.size[:2].max())
    high = vertices.max(axis=0)
    nx, ny = int(high[0] / step) + 1, int(high[1] / step) + 1
    profile = standard_cutter("ball", ball).profile
    for _ in range(2):
        index = build_index(vertices, mesh.faces)
        begin = time.perf_counter()
        tips = drop_grid(index, 0.0, 0.0, step, nx, ny, profile, 0.0)
        seconds = time.perf_counter() - begin
    return {"triangles": len(mesh.faces), "locations": tips.size, "seconds": round(seconds, 4),
            "mean_tip_z": round(float(tips.mean()), 6)}


def bench_removal(width: float, height: float, pitch: float, diameter: float, stepover: float,
                  shape: str) -> dict[str, Any]:
    """Cut a wavy floor in lines out of a full height field, sampled at half a cell."""
    nx, ny = int(width / pitch) + 1, int(height / pitch) + 1
    profile = standard_cutter(shape, diameter).profile
    for _ in range(2):
        top = np.full((ny, nx), 30.0, np.float32)
        touched = np.full((ny, nx), -1, np.int32)
        begin = time.perf_counter()
        y = np.arange(int(height / stepover) + 1) * stepover
        x = np.arange(int(width / (pitch / 2)) + 1) * pitch / 2
        points = np.full((len(y), len(x) + 1, 3), np.nan)
        points[:, :-1, 0] = x
        points[:, :-1, 1] = y[:, None]
        points[:, :-1, 2] = 10 + 4 * np.sin(x * 0.07) * np.cos(y * 0.05)[:, None]
        flat = points.reshape(-1, 3)
        sweep(top, touched, Grid(0.0, 0.0, pitch, nx, ny), flat, np.ones(len(flat) - 1, np.uint8), 0, profile,
              straight=pitch / 200)
        seconds = time.perf_counter() - begin
    return {"cells": top.size, "length_mm": round(width * len(y)), "seconds": round(seconds, 4),
            "mean_left": round(float(top.mean(dtype=np.float64)), 5)}
