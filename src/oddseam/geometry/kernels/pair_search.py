"""The kernel that compares every triangle with all that are near it in a tree of boxes."""

from __future__ import annotations

import numpy as np

from oddseam.compiled import helper, kernel
from oddseam.geometry.kernels.contact_filters import may_touch
from oddseam.geometry.kernels.exact_signs import APART, MEETS, compare

#: More than half a step of single precision, as a share, and where that is nothing.
_OUT, _LEAST = 1.2e-7, 1e-37
#: What single precision can hold.
_MOST = 3.4e38


@helper
def _boxes_meet(a, i, b, j):
    return (
        a[i, 0] <= b[j, 3] and b[j, 0] <= a[i, 3]
        and a[i, 1] <= b[j, 4] and b[j, 1] <= a[i, 4]
        and a[i, 2] <= b[j, 5] and b[j, 2] <= a[i, 5]
    )  # fmt: skip


@kernel
def facet_boxes(p, t, box):
    """The boxes (m, 6) of triangles, each bound moved out by more than single precision rounds."""
    for x in range(t.shape[0]):
        for k in range(3):
            a, b, c = p[t[x, 0], k], p[t[x, 1], k], p[t[x, 2], k]
            low, high = min(min(a, b), c), max(max(a, b), c)
            box[x, k] = min(low - (abs(low) * _OUT + _LEAST), _MOST)
            box[x, k + 3] = max(high + (abs(high) * _OUT + _LEAST), -_MOST)


@kernel
def search_pairs(p, t, own, box, begin, end, contacts, marked, pairs, state):
    """Compare the triangles of leaves ``begin`` to ``end`` of a box tree with all later ones near them.

    ``t`` (m, 3), their boxes ``own`` (m, 6) and ``marked`` (m,) are in the order of the tree; one of a pair must be
    marked.  With ``contacts`` those pairs are found that may touch, else those whose interiors may meet.  What is
    not apart goes into ``pairs`` and ``state``; pairs for which there is no room are counted only.
    Returns how many there are.
    """
    m = t.shape[0]
    leaves = (box.shape[0] + 1) // 2
    stack = np.empty(128, np.int64)
    count = 0
    for leaf in range(begin, end):
        home = leaf + leaves - 1
        first = leaf * m // leaves
        last = (leaf + 1) * m // leaves
        top = 1
        stack[0] = 0
        while top > 0:
            top -= 1
            q = stack[top]
            if not _boxes_meet(box, q, box, home):
                continue
            if q < leaves - 1:
                stack[top] = 2 * q + 2
                top += 1
                # the left child is of use only if it reaches as far as this leaf
                reach = 2 * q + 1
                while reach < leaves - 1:
                    reach = 2 * reach + 2
                if reach >= home:
                    stack[top] = 2 * q + 1
                    top += 1
                continue
            if q < home:
                continue
            start = (q - leaves + 1) * m // leaves
            stop = (q - leaves + 2) * m // leaves
            for y in range(start, stop):
                if not _boxes_meet(own, y, box, home):
                    continue
                for x in range(first, min(last, y)):
                    if not _boxes_meet(own, x, own, y) or not (marked[x] or marked[y]):
                        continue
                    if contacts:
                        found = MEETS if may_touch(p, t, x, y) else APART
                    else:
                        found = compare(p, t, x, y)
                    if found != APART:
                        if count < pairs.shape[0]:
                            pairs[count, 0] = x
                            pairs[count, 1] = y
                            state[count] = found
                        count += 1
    return count


@kernel
def compare_pairs(p, t, pairs, state):
    """What each pair of triangles is, into ``state``."""
    for k in range(pairs.shape[0]):
        state[k] = compare(p, t, pairs[k, 0], pairs[k, 1])
