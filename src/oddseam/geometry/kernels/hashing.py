"""The kernel that joins equal points.

The mixing of bits follows D. E. Knuth (1973), The art of computer programming 3, 6.4: products
with odd constants, the high bits folded down.
"""

from __future__ import annotations

import numpy as np

from oddseam.compiled import kernel

_ODD = np.uint64(0x9E3779B97F4A7C15)
_HALF = np.uint64(32)


@kernel
def join_equal(bits, table, first, index):
    """Number rows of ``bits`` (n, w) uint32 by first occurrence; ``table`` holds -1 and a power of two of places.

    Fills ``first`` with the row where each number occurs first and ``index`` (n,); returns the count.
    """
    mask = np.uint64(table.shape[0] - 1)
    words = bits.shape[1]
    count = 0
    for i in range(bits.shape[0]):
        h = np.uint64(0)
        for w in range(words):
            h = ((h ^ (h >> _HALF)) + np.uint64(bits[i, w])) * _ODD
        place = (h ^ (h >> _HALF)) & mask
        while True:
            k = table[place]
            if k < 0:
                table[place] = count
                first[count] = i
                index[i] = count
                count += 1
                break
            j = first[k]
            same = True
            for w in range(words):
                same = same and bits[j, w] == bits[i, w]
            if same:
                index[i] = k
                break
            place = (place + np.uint64(1)) & mask
    return count
