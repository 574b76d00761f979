"""Solid angles of triangles, for whether points lie in what they enclose."""

from __future__ import annotations

import numpy as np

from oddseam.compiled import kernel


@kernel
def add_turns(points, corners, turns):
    """Add to ``turns`` (k,) how often triangles (m, 3, 3) wind round points (k, 3), by their solid angles.

    A. van Oosterom, J. Strackee (1983), The solid angle of a plane triangle.
    """
    for k in range(points.shape[0]):
        total = 0.0
        x, y, z = points[k, 0], points[k, 1], points[k, 2]
        for t in range(corners.shape[0]):
            ax, ay, az = corners[t, 0, 0] - x, corners[t, 0, 1] - y, corners[t, 0, 2] - z
            bx, by, bz = corners[t, 1, 0] - x, corners[t, 1, 1] - y, corners[t, 1, 2] - z
            cx, cy, cz = corners[t, 2, 0] - x, corners[t, 2, 1] - y, corners[t, 2, 2] - z
            a = np.sqrt(ax * ax + ay * ay + az * az)
            b = np.sqrt(bx * bx + by * by + bz * bz)
            c = np.sqrt(cx * cx + cy * cy + cz * cz)
            volume = ax * (by * cz - bz * cy) + ay * (bz * cx - bx * cz) + az * (bx * cy - by * cx)
            below = a * b * c + (ax * bx + ay * by + az * bz) * c
            below += (bx * cx + by * cy + bz * cz) * a + (cx * ax + cy * ay + cz * az) * b
            total += 2.0 * np.arctan2(volume, below)
        turns[k] += total / (4.0 * np.pi)


def warm_up() -> None:
    """Compile everything here on tiny input."""
    add_turns(np.zeros((1, 3)), np.ones((1, 3, 3)), np.zeros(1))
