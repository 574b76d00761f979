"""The damage done to the demo parts, on purpose and always the same."""

from __future__ import annotations

import math
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from oddseam.arrays import Array
from oddseam.demo.cowl import cowl_surface, outer_radius


@dataclass(frozen=True)
class Damage:
    """What was done to the cowl: numbers of facets."""

    flipped: int
    duplicated: int
    missing: int
    crumbs: int


def _on_wall(angle: float, z: float, inside: bool = False) -> Array:
    radius = float(outer_radius(z)) - (5.0 if inside else 0.0)
    turn = math.radians(angle)
    return np.array([radius * math.cos(turn), radius * math.sin(turn), z])


def damaged_cowl() -> tuple[Array, Damage]:
    """Corners (m, 3, 3) of the raw cowl's unconnected facets, in single precision, and the damage."""
    nodes, triangles = cowl_surface()
    corners = nodes.astype(np.float32)[triangles]
    middle = corners.mean(axis=1)

    def near(point: Array, radius: float) -> Array:
        found: Array = np.linalg.norm(middle - point, axis=1) < radius
        return found

    missing = near(_on_wall(70, 60), 4.5) | near(_on_wall(200, 120), 2.2) | near(_on_wall(300, 40, inside=True), 1.4)
    missing |= near(np.array([-78.0, 12.0, 8.0]), 4.0)
    flipped = near(_on_wall(130, 90), 14.0) & ~missing
    doubled = np.flatnonzero(near(_on_wall(250, 70), 3.0))[:14]
    corners[flipped] = corners[flipped][:, [0, 2, 1]]
    crumbs = _flakes(np.random.default_rng(7))
    soup = np.concatenate([corners[~missing], corners[doubled], crumbs.astype(np.float32)])
    order = np.random.default_rng(11).permutation(len(soup))
    damage = Damage(int(flipped.sum()), len(doubled), int(missing.sum()), len(crumbs))
    return soup[order], damage


def _flakes(rng: np.random.Generator) -> Array:
    """Flat crumbs of one or two facets, less than a millimetre across, that float within the hood."""
    flakes = []
    for z in (40.0, 75.0, 110.0, 128.0):
        centre = np.array([*rng.uniform(-30, 30, 2), z])
        u, v = np.linalg.qr(rng.normal(size=(3, 2)))[0].T
        a, b, c, d = (centre + 0.4 * x * u + 0.35 * y * v for x, y in ((-1, -1), (1, -1), (1, 1), (-1, 1)))
        flakes.append([a, b, c])
        if z > 60:
            flakes.append([a, c, d])
    return np.array(flakes)


def write_raw_cowl(path: Path) -> None:
    """Write the raw cowl as a scan program would: unconnected facets, in no order."""
    corners, _ = damaged_cowl()
    record = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("attribute", "<u2")])
    table = np.zeros(len(corners), record)
    table["corners"] = corners
    head = b"inlet cowl, Alder Weir, as it arrived".ljust(80)
    path.write_bytes(head + np.uint32(len(table)).tobytes() + table.tobytes())
