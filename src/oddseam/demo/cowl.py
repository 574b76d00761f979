"""The inlet cowl of Alder Weir: a flared hood on a flange with four bolt holes and a gauge boss.

As it was drawn the boss is one with the hood; as it was exported it is a body of its own, closed by
a foot halfway through the wall.

Lengths in millimetres; the axis is z, the flange lies at z = 0, the mouth at the top.  The
boss is a cylinder along x that ends on the outer wall of the hood.
"""

from __future__ import annotations

import math

import numpy as np

from oddseam.arrays import Array
from oddseam.demo.patchwork import Patchwork, window_ring

WALL = 5.0
FLANGE_TOP = 8.0
FLANGE_RADIUS = 105.0
MOUTH = 150.0
NECK = 62.0
FLARE = 43.0
HOLE_RADIUS = 10.0
PITCH = (NECK + FLANGE_RADIUS) / 2
BOSS_RADIUS = 12.0
BOSS_HEIGHT = 90.0
BOSS_TOP = 100.0

AROUND = 160
WALL_ROWS = 47
_FLANGE_ROWS = 12
#: Half the window, in cells, that the boss and a bolt hole (rows, columns) take in the grids.
_BOSS_WINDOW, _HOLE_WINDOW = 7, (4, 5)


def outer_radius(z: Array | float) -> Array:
    """Radius of the outer wall at height z; constant within the flange."""
    rise = np.maximum(np.asarray(z, float) - FLANGE_TOP, 0.0) / (MOUTH - FLANGE_TOP)
    return np.asarray(NECK + FLARE * rise**2)


def cowl_volume() -> float:
    """The enclosed volume, from the formulas, to nine digits."""
    x, weight = np.polynomial.legendre.leggauss(40)
    z = FLANGE_TOP + (MOUTH - FLANGE_TOP) * (x + 1) / 2
    ring = math.pi * (outer_radius(z) ** 2 - (outer_radius(z) - WALL) ** 2)
    hood = float((weight * ring).sum()) * (MOUTH - FLANGE_TOP) / 2
    plate = math.pi * (FLANGE_RADIUS**2 - (NECK - WALL) ** 2) - 4 * math.pi * HOLE_RADIUS**2
    radius = BOSS_RADIUS * (x + 1) / 2
    angle = np.arange(256) * (2 * math.pi / 256)
    y, up = np.outer(radius, np.cos(angle)), np.outer(radius, np.sin(angle)) + BOSS_HEIGHT
    height = BOSS_TOP - np.sqrt(outer_radius(up) ** 2 - y**2)
    ring_mean = height.mean(axis=1) * 2 * math.pi * radius
    boss = float((weight * ring_mean).sum()) * BOSS_RADIUS / 2
    return hood + plate * FLANGE_TOP + boss


def _turned(radius: Array, angle: Array, z: Array) -> Array:
    radius, angle, z = np.broadcast_arrays(radius, angle, z)
    return np.stack([radius * np.cos(angle), radius * np.sin(angle), z], axis=-1)


def _grid_without(grid: Array, windows: list[tuple[int, int, int, int]], patchwork: Patchwork, turned: bool) -> None:
    """Add a grid whose columns wrap, cell by cell, except within the windows (row, row, column, column)."""
    rows, columns = grid.shape[0] - 1, grid.shape[1]
    keep = np.ones((rows, columns), bool)
    for r0, r1, c0, c1 in windows:
        keep[r0:r1, np.arange(c0, c1) % columns] = False
    wrapped = np.concatenate([grid, grid[:, :1]], axis=1)
    for row in range(rows):
        edges = np.flatnonzero(np.diff(np.concatenate([[False], keep[row], [False]]).astype(int)))
        for start, stop in edges.reshape(-1, 2):
            patchwork.add(wrapped[row : row + 2, start : stop + 1], turned=turned)


def _rings(outer: Array, inner: Array, count: int) -> Array:
    """Parameter points (count + 1, k, 2) between two loops."""
    share = np.linspace(0.0, 1.0, count + 1)[:, None, None]
    return np.asarray(outer * (1 - share) + inner * share)


def cowl_surface() -> tuple[Array, Array]:
    """Nodes (n, 3) and triangles (m, 3) of the sound cowl: closed, outward, about 44,000 facets."""
    patchwork = Patchwork()
    angle = np.arange(AROUND) * (2 * math.pi / AROUND)
    _walls(patchwork, angle)
    up = _heights()
    row, half = _boss_row(), _BOSS_WINDOW
    wall = _turned(outer_radius(up[:, None]), angle, up[:, None])
    _grid_without(wall, [(row - half, row + half, -half, half)], patchwork, turned=False)
    ring = window_ring(2 * half, 2 * half)
    border = np.column_stack([(ring[:, 1] - half) * (2 * math.pi / AROUND), up[row - half + ring[:, 0]]])
    begin = math.atan2(border[0, 1] - BOSS_HEIGHT, border[0, 0] * float(outer_radius(BOSS_HEIGHT)))
    y, height = _boss_circle(begin)
    foot = np.column_stack([np.arcsin(y / outer_radius(height)), height])
    rings = _rings(border, foot, 5)
    collar = _turned(outer_radius(rings[..., 1]), rings[..., 0], rings[..., 1])
    patchwork.add(collar, wrap=True)
    _boss(patchwork, collar[-1], y, height)
    _flange(patchwork, angle)
    return patchwork.joined()


def cowl_bodies() -> tuple[tuple[Array, Array], tuple[Array, Array]]:
    """Nodes and triangles of the hood without its boss, and of the boss that is pushed through its wall."""
    hood, boss = Patchwork(), Patchwork()
    angle = np.arange(AROUND) * (2 * math.pi / AROUND)
    _walls(hood, angle)
    up = _heights()[:, None]
    hood.add(_turned(outer_radius(up), angle, up), wrap=True)
    _flange(hood, angle)
    y, height = _boss_circle(0.0)
    share = np.linspace(0.0, 1.0, 6)[1:, None]
    across, along = share * y, BOSS_HEIGHT + share * (height - BOSS_HEIGHT)
    within = np.stack([np.sqrt((outer_radius(along) - WALL / 2) ** 2 - across**2), across, along], axis=-1)
    boss.add_fan(np.array([outer_radius(BOSS_HEIGHT) - WALL / 2, 0.0, BOSS_HEIGHT]), within[0], turned=True)
    boss.add(within, wrap=True)
    _boss(boss, within[-1], y, height)
    return hood.joined(), boss.joined()


def _heights() -> Array:
    """Rows of the outer wall."""
    return np.linspace(FLANGE_TOP, MOUTH, WALL_ROWS + 1)


def _boss_row() -> int:
    """The row of the wall at the boss's axis."""
    return round((BOSS_HEIGHT - FLANGE_TOP) / (MOUTH - FLANGE_TOP) * WALL_ROWS)


def _boss_circle(begin: float) -> tuple[Array, Array]:
    """The boss's circle across its axis: y and z."""
    count = 8 * _BOSS_WINDOW
    around = begin + np.arange(count) * (2 * math.pi / count)
    return BOSS_RADIUS * np.cos(around), BOSS_HEIGHT + BOSS_RADIUS * np.sin(around)


def _walls(patchwork: Patchwork, angle: Array) -> None:
    """The inner wall and the mouth."""
    within = np.linspace(0.0, FLANGE_TOP, 5)
    z = np.concatenate([within, _heights()[1:]])[:, None]
    patchwork.add(_turned(outer_radius(z) - WALL, angle, z), wrap=True, turned=True)
    mouth = outer_radius(MOUTH) - WALL + np.linspace(0.0, WALL, 3)[:, None]
    patchwork.add(_turned(mouth, angle, np.array(MOUTH)), wrap=True, turned=True)


def _boss(patchwork: Patchwork, foot: Array, y: Array, height: Array) -> None:
    """The boss from a ring of points at its foot to its flat end."""
    share = np.linspace(0.0, 1.0, 11)[:, None, None]
    top = np.column_stack([np.full_like(y, BOSS_TOP), y, height])
    patchwork.add(foot * (1 - share) + top * share, wrap=True)
    centre = np.array([BOSS_TOP, 0.0, BOSS_HEIGHT])
    share = np.linspace(0.0, 1.0, 6)[:-1, None, None]
    cap = top * (1 - share) + centre * share
    patchwork.add(cap, wrap=True)
    patchwork.add_fan(centre, cap[-1])


def _flange(patchwork: Patchwork, angle: Array) -> None:
    radius = np.linspace(NECK, FLANGE_RADIUS, _FLANGE_ROWS + 1)
    holes = [AROUND * k // 8 for k in (1, 3, 5, 7)]
    middle = _FLANGE_ROWS // 2
    high, wide = _HOLE_WINDOW
    windows = [(middle - high, middle + high, hole - wide, hole + wide) for hole in holes]
    for z, turned in ((FLANGE_TOP, True), (0.0, False)):
        plate = _turned(radius[:, None], angle, np.array(z))
        _grid_without(plate, windows, patchwork, turned)
    inner = np.linspace(NECK - WALL, NECK, 3)[:, None]
    patchwork.add(_turned(inner, angle, np.array(0.0)), wrap=True)
    up = np.linspace(0.0, FLANGE_TOP, 5)
    patchwork.add(_turned(np.array(FLANGE_RADIUS), angle, up[:, None]), wrap=True)
    ring = window_ring(2 * high, 2 * wide)
    for hole in holes:
        centre = PITCH * np.array([math.cos(angle[hole]), math.sin(angle[hole])])
        at, r = angle[hole] + (ring[:, 1] - wide) * (2 * math.pi / AROUND), radius[middle - high + ring[:, 0]]
        border = np.column_stack([r * np.cos(at), r * np.sin(at)])
        begin = math.atan2(border[0, 1] - centre[1], border[0, 0] - centre[0])
        turn = begin - np.arange(len(ring)) * (2 * math.pi / len(ring))
        circle = centre + HOLE_RADIUS * np.column_stack([np.cos(turn), np.sin(turn)])
        rings = _rings(border, circle, 4)
        for z, turned in ((FLANGE_TOP, True), (0.0, False)):
            flat = np.concatenate([rings, np.full((*rings.shape[:2], 1), z)], axis=2)
            patchwork.add(flat, wrap=True, turned=turned)
        bore = np.stack([np.column_stack([circle, np.full(len(circle), z)]) for z in up])
        patchwork.add(bore, wrap=True)
