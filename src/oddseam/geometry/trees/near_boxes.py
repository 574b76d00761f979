"""Boxes that lie near marked ones, so that only there need be looked again.

Marked boxes are drawn on a grid over all, and a table of sums over the grid (F. C. Crow 1984, Summed-area tables
for texture mapping) tells of every other box whether it meets a marked one.
"""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array

#: Cells of the grid along each axis, times the cube root of the number of boxes.
_CELLS = 1.7


def rows_near(low: Array, high: Array, marked: Array) -> Array:
    """Rows of boxes that may meet a marked one, those themselves included; O(n).

    Parameters
    ----------
    low, high : (n, 3) float arrays
    marked : int array
        Rows.
    """
    if not len(marked):
        return marked
    cells = 1 + int(_CELLS * len(low) ** (1 / 3))
    base = low.min(axis=0)
    step = np.maximum((high.max(axis=0) - base) / cells, 1e-300)
    first = np.clip(((low - base) / step).astype(np.int64), 0, cells - 1)
    last = np.clip(((high - base) / step).astype(np.int64), 0, cells - 1) + 1
    # a box adds one at its corners, with signs, and sums over all axes fill it
    sums = np.zeros((cells + 1,) * 3, np.int64)
    for corner in range(8):
        ends = [last[marked, k] if corner >> k & 1 else first[marked, k] for k in range(3)]
        np.add.at(sums, tuple(ends), -1 if corner.bit_count() % 2 else 1)
    covered = np.cumsum(np.cumsum(np.cumsum(sums, axis=0), axis=1), axis=2)[:-1, :-1, :-1] > 0
    table = np.zeros((cells + 1,) * 3, np.int64)
    table[1:, 1:, 1:] = np.cumsum(np.cumsum(np.cumsum(covered, axis=0), axis=1), axis=2)
    count = np.zeros(len(low), np.int64)
    for corner in range(8):
        ends = [last[:, k] if corner >> k & 1 else first[:, k] for k in range(3)]
        count += (1 if (3 - corner.bit_count()) % 2 == 0 else -1) * table[tuple(ends)]
    return np.flatnonzero(count)
