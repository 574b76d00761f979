"""Winding numbers of triangles about points, near ones by their solid angles, far ones in bulk."""

from __future__ import annotations

import numpy as np

from oddseam.compiled import kernel

#: What is farther away than so many of its radii counts as one area at one place.
_FAR = 2.5


@kernel
def add_turns(points, corners, box, bulk, turns):
    """Fill ``turns`` (k,) with how often triangles (m, 9) in the order of a box tree wind round points (k, 3).

    ``bulk`` (2 l - 1, 7) is, for every box, the area vector of what is in it, its middle, and its radius.
    A. van Oosterom, J. Strackee (1983), The solid angle of a plane triangle.
    """
    m = corners.shape[0]
    leaves = (box.shape[0] + 1) // 2
    stack = np.empty(128, np.int64)
    for k in range(points.shape[0]):
        total = 0.0
        x, y, z = points[k, 0], points[k, 1], points[k, 2]
        top = 1
        stack[0] = 0
        while top > 0:
            top -= 1
            q = stack[top]
            dx, dy, dz = bulk[q, 3] - x, bulk[q, 4] - y, bulk[q, 5] - z
            away = dx * dx + dy * dy + dz * dz
            far = _FAR * bulk[q, 6]
            if away > far * far:
                total += (bulk[q, 0] * dx + bulk[q, 1] * dy + bulk[q, 2] * dz) / (away * np.sqrt(away))
                continue
            if q < leaves - 1:
                stack[top], stack[top + 1] = 2 * q + 1, 2 * q + 2
                top += 2
                continue
            for t in range((q - leaves + 1) * m // leaves, (q - leaves + 2) * m // leaves):
                ax, ay, az = corners[t, 0] - x, corners[t, 1] - y, corners[t, 2] - z
                bx, by, bz = corners[t, 3] - x, corners[t, 4] - y, corners[t, 5] - z
                cx, cy, cz = corners[t, 6] - x, corners[t, 7] - y, corners[t, 8] - z
                a = np.sqrt(ax * ax + ay * ay + az * az)
                b = np.sqrt(bx * bx + by * by + bz * bz)
                c = np.sqrt(cx * cx + cy * cy + cz * cz)
                volume = ax * (by * cz - bz * cy) + ay * (bz * cx - bx * cz) + az * (bx * cy - by * cx)
                below = a * b * c + (ax * bx + ay * by + az * bz) * c
                below += (bx * cx + by * cy + bz * cz) * a + (cx * ax + cy * ay + cz * az) * b
                total += 2.0 * np.arctan2(volume, below)
        turns[k] = total / (4.0 * np.pi)
