"""The kernel that joins equal points.

The mixing of bits follows D. E. Knuth (1973), The art of computer programming 3, 6.4: products
with odd constants, the high bits folded down.
"""

from __future__ import annotations

import numpy as np

from oddseam.compiled import kernel

_ONE, _TWO, _THREE = np.uint64(0x9E3779B97F4A7C15), np.uint64(0xC2B2AE3D27D4EB4F), np.uint64(0x165667B19E3779F9)
_HALF = np.uint64(32)


@kernel
def join_equal(bits, table, first, index):
    """Number rows of ``bits`` (n, 3) by first occurrence; ``table`` holds -1 and a power of two of places.

    Fills ``first`` with the row where each number occurs first and ``index`` (n,); returns the count.
    """
    mask = np.uint64(table.shape[0] - 1)
    count = 0
    for i in range(bits.shape[0]):
        a = bits[i, 0]
        b = bits[i, 1]
        c = bits[i, 2]
        h = a * _ONE
        h = ((h ^ (h >> _HALF)) + b) * _TWO
        h = ((h ^ (h >> _HALF)) + c) * _THREE
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
            if bits[j, 0] == a and bits[j, 1] == b and bits[j, 2] == c:
                index[i] = k
                break
            place = (place + np.uint64(1)) & mask
    return count
