"""The least size that any of many sources allows at a point, and how often triangles wind round one."""

from __future__ import annotations

import numpy as np

from oddseam.compiled import kernel
from oddseam.geometry.kernels.box_walks import box_distance


@kernel
def lower_sizes(points, source, size, box, least, gradation, found):
    """Lower ``found`` (k,) to the least of the sizes plus ``gradation`` times the distances of the sources.

    ``source`` (m, 3) and ``size`` (m,) hang under the tree of ``box``, and ``least`` holds the smallest size in
    every box, so that a box is passed over where none in it can count.
    """
    m = source.shape[0]
    leaves = (box.shape[0] + 1) // 2
    stack = np.empty(128, np.int64)
    bound = np.empty(128, np.float64)
    for k in range(points.shape[0]):
        x, y, z = points[k, 0], points[k, 1], points[k, 2]
        best = found[k]
        top = 1
        stack[0] = 0
        bound[0] = least[0] + gradation * np.sqrt(box_distance(box, 0, x, y, z))
        while top > 0:
            top -= 1
            q = stack[top]
            if bound[top] >= best:
                continue
            if q >= leaves - 1:
                for i in range((q - leaves + 1) * m // leaves, (q - leaves + 2) * m // leaves):
                    d2 = (source[i, 0] - x) ** 2 + (source[i, 1] - y) ** 2 + (source[i, 2] - z) ** 2
                    best = min(best, size[i] + gradation * np.sqrt(d2))
                continue
            one = least[2 * q + 1] + gradation * np.sqrt(box_distance(box, 2 * q + 1, x, y, z))
            two = least[2 * q + 2] + gradation * np.sqrt(box_distance(box, 2 * q + 2, x, y, z))
            swap = two < one
            # the lower child goes on top
            stack[top] = 2 * q + 1 if swap else 2 * q + 2
            bound[top] = one if swap else two
            stack[top + 1] = 2 * q + 2 if swap else 2 * q + 1
            bound[top + 1] = two if swap else one
            top += 2
        found[k] = best
