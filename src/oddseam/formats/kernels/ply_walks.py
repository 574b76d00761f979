"""Compiled walks over rows that hold lists of varying length."""

from __future__ import annotations

import numpy as np

from oddseam.compiled import kernel


@kernel
def walk_bytes(data, at, rows, count_size, item_size, big, wanted, starts, counts):
    """Where every property of every row begins (a list: its first item), and how long list ``wanted`` is.

    ``count_size`` is 0 for a scalar, else the bytes of the list's length; ``item_size`` the
    bytes of an item.  Returns the byte after the last row, or -1 - row where the data ends.
    """
    stop = len(data)
    for row in range(rows):
        for p in range(len(item_size)):
            n = np.int64(1)
            if count_size[p] > 0:
                if at + count_size[p] > stop:
                    return -1 - row
                n = np.int64(0)
                for b in range(count_size[p]):
                    n = n * 256 + np.int64(data[at + b if big else at + count_size[p] - 1 - b])
                at += count_size[p]
                if p == wanted:
                    counts[row] = n
            starts[row, p] = at
            if n > (stop - at) // item_size[p]:
                return -1 - row
            at += n * item_size[p]
    return at


@kernel
def walk_numbers(values, at, rows, is_list, wanted, starts, counts):
    """The same over an array of numbers; a length must be a whole number that the rest can hold."""
    stop = len(values)
    for row in range(rows):
        for p in range(len(is_list)):
            n = np.int64(1)
            if is_list[p]:
                if at >= stop or not (0.0 <= values[at] <= stop - at - 1) or values[at] != np.floor(values[at]):
                    return -1 - row
                n = np.int64(values[at])
                at += 1
                if p == wanted:
                    counts[row] = n
            starts[row, p] = at
            if n > stop - at:
                return -1 - row
            at += n
    return at
