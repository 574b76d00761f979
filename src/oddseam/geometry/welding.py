"""Joining points that are equal to the last bit."""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array


def weld_exact(points: Array) -> tuple[Array, Array]:
    """Join equal points.

    Points are looked up by their bits in a table with open addressing; O(n).  -0.0 equals 0.0.

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
    given = points if points.dtype == np.float32 else np.asarray(points, np.float64)
    return equal_rows((given + 0.0).view(np.uint32).reshape(len(points), -1 if len(points) else 3))


def equal_rows(rows: Array) -> tuple[Array, Array]:
    """As :func:`weld_exact` has it, of rows (n, w) of whole numbers of 32 bits; O(n)."""
    from oddseam.compiled import announce
    from oddseam.geometry.kernels.hashing import join_equal

    announce(join_equal)
    n, bits = len(rows), np.ascontiguousarray(rows).view(np.uint32)
    first, index = np.empty(n, np.int64), np.empty(n, np.int32)
    table = np.full(1 << max((2 * n).bit_length(), 4), -1, np.int32)
    count = int(join_equal(bits, table, first, index))
    return first[:count].copy(), index
