"""The flow deflector of Alder Weir: a shallow keel whose ridge fades out, and an ogee lip.

Lengths in millimetres; the ridge runs along x at y = 0, the flat underside lies at z = 0.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np

import oddseam
from oddseam.arrays import Array
from oddseam.demo.patchwork import Patchwork

KEEL, LIP, HALF_WIDTH = 240.0, 80.0, 75.0
HEIGHT, DROP = 60.0, 28.0
#: Degrees by which the surface turns at the ridge, where it begins and where the lip does; it is gone at the end.
BEGINS, ENDS = 14.0, 4.0
_ALONG, _ACROSS, _UP = 108, 26, 14


def ridge_angle(x: Array | float) -> Array:
    """By how many degrees the surface turns at the ridge."""
    x = np.asarray(x, float)
    keel = BEGINS + (ENDS - BEGINS) * x / KEEL
    lip = ENDS * (1.0 - _eased((x - KEEL) / LIP))
    return np.where(x <= KEEL, keel, lip)


def _eased(share: Array) -> Array:
    share = np.clip(share, 0.0, 1.0)
    return np.asarray(share * share * (3.0 - 2.0 * share))


def _top(x: Array, y: Array) -> Array:
    """Height of the upper side."""
    fall = np.abs(y) * np.tan(np.radians(ridge_angle(x)) / 2.0)
    return np.asarray(HEIGHT - fall - DROP * _eased((x - KEEL) / LIP))


def deflector() -> tuple[Array, Array]:
    """Nodes (n, 3) and triangles (m, 3) of the closed surface."""
    x = np.concatenate([np.linspace(0.0, KEEL, _ALONG - _ALONG // 4), np.linspace(KEEL, KEEL + LIP, _ALONG // 4)[1:]])
    y = np.concatenate([np.linspace(-HALF_WIDTH, 0.0, _ACROSS), np.linspace(0.0, HALF_WIDTH, _ACROSS)[1:]])
    across, along = np.meshgrid(y, x)
    top = np.stack([along, across, _top(along, across)], axis=-1)
    bottom = np.stack([along, across, 0.0 * along], axis=-1)
    work = Patchwork()
    work.add(top, turned=True)
    work.add(bottom)
    share = np.linspace(0.0, 1.0, _UP)[:, None, None]
    sides = ((top[0], bottom[0], True), (top[-1], bottom[-1], False), (top[:, 0], bottom[:, 0], False))
    for upper, lower, turned in (*sides, (top[:, -1], bottom[:, -1], True)):
        work.add(lower[None] + share * (upper - lower)[None], turned=turned)
    return work.joined()


def write_deflector(path: str | Path) -> None:
    """Write the deflector as a facet file."""
    oddseam.write_mesh(oddseam.Mesh.from_triangles(*deflector(), unit="mm"), path)
