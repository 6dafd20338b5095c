"""The benchmarks of `./nephos bench`: the application's own kernels at the work of the yardsticks."""

import time
from typing import Any

import numpy as np

from nephos.core.cutters import standard_cutter
from nephos.core.machine.kinematics import move_seconds
from nephos.core.machine.machine import MACHINES
from nephos.core.mesh.model import Mesh
from nephos.core.post.read import read_program
from nephos.core.post.schema import post_named
from nephos.core.post.write import Step, write_program
from nephos.core.stock.block import Grid, box_block
from nephos.core.stock.frames import record_frames, shown_grid, shown_top
from nephos.core.stock.rays import sweep_rays
from nephos.core.stock.sweep import sweep
from nephos.core.stock.watch import sweep_watching
from nephos.core.surface.drop import drop_grid, drop_turned
from nephos.core.surface.index import build_index
from nephos.core.surface.rotary import build_rotary_index
from nephos.core.toolpath import Toolpath


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
    return {
        "triangles": len(mesh.faces),
        "locations": tips.size,
        "seconds": round(seconds, 4),
        "mean_tip_z": round(float(tips.mean()), 6),
    }


def bench_rotary_drop(
    mesh: Mesh, ball: float, step: float, degrees: float, length: float, floor: float
) -> dict[str, Any]:
    """Drop a ball over a grid of place and angle on the mesh, scaled to `length` mm along X and centred on the axis."""
    middle = np.array([mesh.low[0], (mesh.low[1] + mesh.high[1]) / 2, (mesh.low[2] + mesh.high[2]) / 2])
    vertices = (mesh.vertices - middle) * (length / mesh.size[0])
    nx, na = int(length / step) + 1, round(360 / degrees)
    profile = standard_cutter("ball", ball).profile
    for _ in range(2):
        index = build_rotary_index(vertices, mesh.faces, 1.0)
        begin = time.perf_counter()
        tips = drop_turned(index, 0.0, step, nx, na, profile, floor)
        seconds = time.perf_counter() - begin
    return {
        "triangles": len(mesh.faces),
        "locations": tips.size,
        "seconds": round(seconds, 4),
        "mean_tip_r": round(float(tips.mean()), 6),
    }


def bench_removal(
    width: float, height: float, pitch: float, diameter: float, stepover: float, shape: str
) -> dict[str, Any]:
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
        sweep(
            top,
            touched,
            Grid(0.0, 0.0, pitch, nx, ny),
            flat,
            np.ones(len(flat) - 1, np.uint8),
            0,
            profile,
            straight=pitch / 200,
        )
        seconds = time.perf_counter() - begin
    return {
        "cells": top.size,
        "length_mm": round(width * len(y)),
        "seconds": round(seconds, 4),
        "mean_left": round(float(top.mean(dtype=np.float64)), 5),
    }


def bench_rotary_removal(
    length: float, bar: float, pitch: float, degrees: float, ball: float, step: float
) -> dict[str, Any]:
    """Cut a wavy floor in rings out of a full bar, in moves of half a cell."""
    nx, na = int(length / pitch) + 1, round(360 / degrees)
    radius = bar / 2
    profile = standard_cutter("ball", ball).profile
    rings, per = int(length / step) + 1, 2 * na
    x, angles = np.arange(rings) * step, np.arange(per + 1) * np.pi / na
    points = np.full((rings, per + 2, 3), np.nan)
    points[:, :-1, 0] = x[:, None]
    points[:, :-1, 1] = angles * radius
    points[:, :-1, 2] = 0.6 * radius + 0.15 * radius * np.sin(x * 0.07)[:, None] * np.cos(3 * angles)
    flat = points.reshape(-1, 3)
    kinds = np.ones(len(flat) - 1, np.uint8)
    for _ in range(2):
        shape = (na, nx)
        top, low, high = np.full(shape, radius, np.float32), np.zeros(shape, np.float32), np.zeros(shape, np.float32)
        touched = np.full(shape, -1, np.int32)
        begin = time.perf_counter()
        grid = Grid(0.0, 0.0, pitch, nx, na, radius)
        sweep_rays(top, low, high, touched, grid, flat, kinds, 0, profile, straight=pitch / 200)
        seconds = time.perf_counter() - begin
    tips = points[:, :-2, 2]
    return {
        "rays": top.size,
        "stamps": tips.size,
        "length_mm": round(float(tips.sum()) * np.pi / na),
        "seconds": round(seconds, 4),
        "mean_left": round(float(top.mean(dtype=np.float64)), 5),
    }


def bench_proof(moves: int, pitch: float) -> dict[str, Any]:
    """Post, read back, time, cut and record a finishing of 260 x 190 mm with a 3 mm ball of so many moves."""
    cutter, machine = standard_cutter("ball", 3, 2), MACHINES["shed-router"]
    lines = 300
    x = np.linspace(0, 260, moves // lines + 1)
    points = np.full((lines, len(x), 3), 0.0)
    for k, y in enumerate(np.linspace(0, 190, lines)):
        along = x if k % 2 == 0 else x[::-1]
        points[k] = np.column_stack([along, np.full(len(x), y), -8 + 4 * np.sin(along * 0.35) * np.cos(y * 0.25)])
    line = points.reshape(-1, 3)
    path = Toolpath(line, np.ones(len(line) - 1, np.uint8), np.full(len(line) - 1, 2400, np.float32))
    told: dict[str, Any] = {}
    for _ in range(2):
        laps = [time.perf_counter()]

        def lap(laps: list[float] = laps) -> None:
            laps.append(time.perf_counter())

        program = write_program(post_named("rs274-metric"), "t", [], [Step(10, "t", cutter, 18000, path)], 4)
        lap()
        reading = read_program(program.text)
        lap()
        kinds = (1 - reading.rapid).astype(np.uint8)
        seconds = move_seconds(reading.points, kinds, reading.feeds, machine)
        lap()
        block = box_block((0, 0, -28), (260, 190, 0), pitch)
        top, touched = block.top.copy(), np.full(block.top.shape, -1, np.int32)
        sweep_watching(
            top, touched, block.grid, reading.points, kinds, 0, cutter.profile, np.array([[1.5, 12.0], [3.0, 40.0]])
        )
        lap()
        grid = shown_grid(block.grid)
        record_frames(shown_top(block, grid), grid, reading.points, kinds, seconds, cutter.profile)
        lap()
        names = ("post", "read", "time", "block", "moments")
        told = {name: round(b - a, 3) for name, a, b in zip(names, laps, laps[1:], strict=False)}
    columns = block.top.size
    bytes_held = block.low.nbytes + block.high.nbytes + block.touched.nbytes + top.nbytes + touched.nbytes
    return {
        "moves": len(kinds),
        "minutes": round(float(seconds.sum()) / 60, 1),
        "columns": columns,
        "megabytes": round(bytes_held / 1e6, 1),
        **told,
        "seconds": round(laps[-1] - laps[0], 3),
    }
