"""Joining points that are equal to the last bit."""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array

_ODD = (np.uint64(0x9E3779B97F4A7C15), np.uint64(0xC2B2AE3D27D4EB4F), np.uint64(0x165667B19E3779F9))


def weld_exact(points: Array) -> tuple[Array, Array]:
    """Join equal points.

    Points are sorted by a 64-bit hash of their coordinates and compared with their
    neighbours in that order; only if two different points share a hash are they sorted by
    coordinates.  O(n log n); -0.0 equals 0.0.

    Parameters
    ----------
    points : (n, 3) float32 or float64 array

    Returns
    -------
    first : (k,) int64 array
        Index of the first occurrence of every different point, ascending.
    index : (n,) int32 array
        For each point, its row in ``first``.
    """
    if not len(points):
        return np.zeros(0, np.int64), np.zeros(0, np.int32)
    points = points + points.dtype.type(0)
    bits = points.view(f"u{points.dtype.itemsize}")
    mixed = np.zeros(len(points), np.uint64)
    with np.errstate(over="ignore"):
        for k, factor in enumerate(_ODD):
            mixed = (mixed ^ bits[:, k].astype(np.uint64)) * factor
            mixed ^= mixed >> np.uint64(29)
    order = np.argsort(mixed, kind="stable")
    ranked = points[order]
    new = np.ones(len(points), bool)
    new[1:] = (ranked[1:] != ranked[:-1]).any(axis=1)
    collision = (mixed[order][1:] == mixed[order][:-1]) & new[1:]
    if collision.any():
        order = np.lexsort((points[:, 2], points[:, 1], points[:, 0]))
        ranked = points[order]
        new[1:] = (ranked[1:] != ranked[:-1]).any(axis=1)
    group = np.cumsum(new) - 1
    starts = order[new]  # stable sorts: the first occurrence
    rank = np.argsort(starts, kind="stable")
    place = np.empty(len(rank), np.int32)
    place[rank] = np.arange(len(rank), dtype=np.int32)
    index = np.empty(len(points), np.int32)
    index[order] = place[group]
    return starts[rank], index
