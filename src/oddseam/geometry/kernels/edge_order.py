"""Kernels that find edges: corners sorted by the two nodes of their edge, and numbered.

Sorting is by counting, first by the larger node and then, keeping that order, by the smaller
one: D. E. Knuth (1973), The art of computer programming 3, 5.2.5.  O(n), whatever the valences.
"""

from __future__ import annotations

import numpy as np

from oddseam.compiled import helper, kernel


@helper
def _by_end(node, after, smaller, corner, count, sorted_corner):
    """Copy ``corner`` into ``sorted_corner`` in the order of one end of its edge, otherwise as it was."""
    count[:] = 0
    for i in range(corner.shape[0]):
        c = corner[i]
        end = min(node[c], node[after[c]]) if smaller else max(node[c], node[after[c]])
        count[end + 1] += 1
    for i in range(1, count.shape[0]):
        count[i] += count[i - 1]
    for i in range(corner.shape[0]):
        c = corner[i]
        end = min(node[c], node[after[c]]) if smaller else max(node[c], node[after[c]])
        sorted_corner[count[end]] = c
        count[end] += 1


@kernel
def sort_corners(node, after, n_nodes, corner):
    """Sort ``corner`` in place by the smaller node of its edge, then by the larger, then as it was."""
    other = np.empty_like(corner)
    count = np.empty(n_nodes + 1, np.int32)
    _by_end(node, after, False, corner, count, other)
    _by_end(node, after, True, other, count, corner)


@kernel
def number_edges(node, after, corner, first, edge_of):
    """Number the edges along sorted corners; fills ``first`` (corners + 1,) and ``edge_of``; returns how many."""
    edges = 0
    low = -1
    high = -1
    for i in range(corner.shape[0]):
        c = corner[i]
        a = min(node[c], node[after[c]])
        b = max(node[c], node[after[c]])
        if a != low or b != high:
            first[edges] = i
            edges += 1
            low = a
            high = b
        edge_of[c] = edges - 1
    first[edges] = corner.shape[0]
    return edges
