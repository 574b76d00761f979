"""Edges as one number each, so that they can be sorted, counted and found again."""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array


def edge_keys(ends: Array, n: int) -> Array:
    """One number (...,) for every edge between two of n nodes (..., 2), the same from either end."""
    one, other = ends[..., 0], ends[..., 1]
    return np.asarray(np.minimum(one, other).astype(np.int64) * n + np.maximum(one, other))


def arc_keys(ends: Array, n: int) -> Array:
    """The same (...,) for edges from one of n nodes to another (..., 2), of which the way back is another."""
    return np.asarray(ends[..., 0].astype(np.int64) * n + ends[..., 1])


def edges_of_triangles(triangles: Array) -> Array:
    """(m, 3, 2) ends of the edge from every corner of triangles (m, 3) to the next."""
    return np.stack([triangles, np.roll(triangles, -1, axis=1)], axis=2)


def edges_among(edges: Array, others: Array, n: int) -> Array:
    """(k,) bool: edges (k, 2) between n nodes that are among others (l, 2), from either end."""
    return np.isin(edge_keys(edges, n), edge_keys(others, n))
