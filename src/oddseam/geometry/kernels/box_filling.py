"""Kernels that fill a tree of boxes: where triangles lie on a Morton curve, and the boxes of its leaves."""

from __future__ import annotations

import numpy as np

from oddseam.compiled import helper, kernel


@helper
def _spread(x):
    """The 21 bits of a number, two places apart."""
    x = (x | x << np.uint64(32)) & np.uint64(0x1F00000000FFFF)
    x = (x | x << np.uint64(16)) & np.uint64(0x1F0000FF0000FF)
    x = (x | x << np.uint64(8)) & np.uint64(0x100F00F00F00F00F)
    x = (x | x << np.uint64(4)) & np.uint64(0x10C30C30C30C30C3)
    return (x | x << np.uint64(2)) & np.uint64(0x1249249249249249)


@kernel
def morton_keys(points, low, scale, keys):
    """The place (n,) of points (n, 3) along a Morton curve, of 63 bits."""
    for i in range(points.shape[0]):
        key = np.uint64(0)
        for k in range(3):
            key |= _spread(np.uint64((points[i, k] - low[k]) * scale)) << np.uint64(k)
        keys[i] = key


@kernel
def middles(nodes, triangles, points):
    """The middles (m, 3) of triangles."""
    for i in range(triangles.shape[0]):
        a, b, c = triangles[i, 0], triangles[i, 1], triangles[i, 2]
        for k in range(3):
            points[i, k] = (nodes[a, k] + nodes[b, k] + nodes[c, k]) / 3.0


@kernel
def leaf_boxes(nodes, triangles, order, box):
    """The boxes (l, 6) of equal runs of triangles, in this order."""
    m = order.shape[0]
    leaves = box.shape[0]
    for leaf in range(leaves):
        for k in range(3):
            box[leaf, k] = np.inf
            box[leaf, k + 3] = -np.inf
        for at in range(leaf * m // leaves, (leaf + 1) * m // leaves):
            for corner in range(3):
                node = triangles[order[at], corner]
                for k in range(3):
                    box[leaf, k] = min(box[leaf, k], nodes[node, k])
                    box[leaf, k + 3] = max(box[leaf, k + 3], nodes[node, k])
