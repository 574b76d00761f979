"""Closed loops of points."""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array


def circle_of(points: Array) -> tuple[Array, Array, Array]:
    """Centre and axis of a loop, and how far its nodes are from that: the middle of the area that it encloses."""
    middle = points.mean(axis=0)
    arms = points - middle
    after = np.roll(arms, -1, axis=0)
    vectors = 0.5 * np.cross(arms, after)
    total = vectors.sum(axis=0)
    size = float(np.linalg.norm(total))
    if size == 0:
        return middle, np.zeros(3), np.linalg.norm(arms, axis=1)
    axis = total / size
    share = vectors @ axis
    centre = middle + (share[:, None] * (arms + after)).sum(axis=0) / (3.0 * size)
    away = points - centre
    return centre, axis, np.linalg.norm(away - np.outer(away @ axis, axis), axis=1)
