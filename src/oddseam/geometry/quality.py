"""Quality measures of shell elements; for each the equilateral triangle or the square is best.

=============== ===================================================== ==== ======
measure         meaning                                               best worst
=============== ===================================================== ==== ======
radius_ratio    2 r / R, inscribed over circumscribed radius          1    0
aspect_ratio    longest edge over shortest altitude, scaled           1    inf
minimum_angle   smallest corner angle, degrees                        60   0
skewness        equiangular: worst corner against the ideal angle     0    1
=============== ===================================================== ==== ======

For a quad the radius ratio is the worst of the four corner triangles against that of a half
square; its aspect ratio is the longest over the shortest edge; its best angle is 90 degrees.
"""

from __future__ import annotations

import math

import numpy as np

from oddseam.arrays import Array

MEASURES = ("radius_ratio", "aspect_ratio", "minimum_angle", "skewness")

#: Measures of which more is worse.
MORE_IS_WORSE = frozenset({"aspect_ratio", "skewness"})


def corner_angles(corners: Array) -> Array:
    """(m, k) corner angles in degrees of polygons (m, k, 3)."""
    ahead = np.roll(corners, -1, axis=1) - corners
    back = np.roll(corners, 1, axis=1) - corners
    sine = np.linalg.norm(np.cross(ahead, back), axis=2)
    angles: Array = np.degrees(np.arctan2(sine, np.einsum("mkx,mkx->mk", ahead, back)))
    return angles


def _radius_ratio(corners: Array) -> Array:
    edge = np.roll(corners, -1, axis=1) - corners
    length = np.linalg.norm(edge, axis=2)
    twice = np.linalg.norm(np.cross(edge[:, 0], edge[:, 1]), axis=1)
    size = length.sum(axis=1) * length.prod(axis=1)
    ratio: Array = np.where(twice > 0, 4.0 * twice**2 / np.where(size > 0, size, 1.0), 0.0)
    return ratio


def quality(corners: Array) -> dict[str, Array]:
    """The measures of triangles (m, 3, 3) or quads (m, 4, 3), each of shape (m,).

    An element without area gets the worst value of each.
    """
    edge = np.roll(corners, -1, axis=1) - corners
    length = np.linalg.norm(edge, axis=2)
    angle = corner_angles(corners)
    if corners.shape[1] == 3:
        ideal = 60.0
        twice = np.linalg.norm(np.cross(edge[:, 0], edge[:, 1]), axis=1)
        flat = twice == 0
        ratio = _radius_ratio(corners)
        aspect = 0.5 * math.sqrt(3.0) * length.max(axis=1) ** 2 / np.where(flat, 1.0, twice)
    else:
        ideal = 90.0
        halves = [_radius_ratio(np.roll(corners, -k, axis=1)[:, :3]) for k in range(4)]
        half_square = 2.0 * (math.sqrt(2.0) - 1.0)
        ratio = np.minimum(np.min(halves, axis=0) / half_square, 1.0)
        flat = ratio == 0
        shortest = length.min(axis=1)
        flat = flat | (shortest == 0)
        aspect = length.max(axis=1) / np.where(shortest > 0, shortest, 1.0)
    skew = np.maximum((angle.max(axis=1) - ideal) / (180.0 - ideal), (ideal - angle.min(axis=1)) / ideal)
    return {
        "radius_ratio": np.where(flat, 0.0, ratio),
        "aspect_ratio": np.where(flat, np.inf, aspect),
        "minimum_angle": np.where(flat, 0.0, angle.min(axis=1)),
        "skewness": np.where(flat, 1.0, np.clip(skew, 0.0, 1.0)),
    }
