"""Kernels that find the faces of solids that no second solid has."""

from __future__ import annotations

import numpy as np

from oddseam.compiled import kernel


@kernel
def mark_outer(keys, n_nodes, outer):
    """Mark every row of ``keys`` (f, 4), corners of a face in ascending order, that no other row equals.

    Faces hang in chains at their highest node.  O(f) where a bounded number of faces meets in a node.
    """
    head = np.full(n_nodes, -1, np.int32)
    after = np.full(keys.shape[0], -1, np.int32)
    for f in range(keys.shape[0]):
        node = keys[f, 3]
        g = head[node]
        while g >= 0:
            if keys[g, 2] == keys[f, 2] and keys[g, 1] == keys[f, 1] and keys[g, 0] == keys[f, 0]:
                break
            g = after[g]
        if g >= 0:
            outer[f] = outer[g] = False
        else:
            outer[f] = True
            after[f] = head[node]
            head[node] = f
