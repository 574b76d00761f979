"""Cutting triangles and edges by a plane."""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array


def clip_triangles(nodes: Array, triangles: Array, point: Array, normal: Array) -> tuple[Array, Array, Array, Array]:
    """Keep what lies behind a plane; O(n + m).

    Parameters
    ----------
    nodes : (n, 3) float array
    triangles : (m, 3) int array
    point, normal : (3,) float arrays
        The side to which the normal points is cut away.

    Returns
    -------
    nodes : (n + k, 3) float array
        With new ones where edges meet the plane, the same for both triangles of an edge.
    triangles : (j, 3) int32 array
    origin : (j,) int64 array
        Row of the triangle that each came from.
    section : (s, 2) int32 array
        Edges along the plane, one for each triangle that it cuts.
    """
    height = (nodes - point) @ normal
    kept = height[triangles] <= 0
    count = kept.sum(axis=1)
    cut = np.flatnonzero((count == 1) | (count == 2))
    # turned so that the corner that is alone on its side comes first
    lone = np.argmax(kept[cut] == (count[cut] == 1)[:, None], axis=1)
    turned = triangles[cut][np.arange(len(cut))[:, None], (lone[:, None] + np.arange(3)) % 3].astype(np.int64)
    ends = np.concatenate([turned[:, [0, 1]], turned[:, [0, 2]]])
    edges, at = np.unique(np.sort(ends, axis=1), axis=0, return_inverse=True)
    low, high = height[edges[:, 0]], height[edges[:, 1]]
    share = np.divide(low, low - high, out=np.full(len(edges), 0.5), where=low != high)[:, None]
    made = nodes[edges[:, 0]] + share * (nodes[edges[:, 1]] - nodes[edges[:, 0]])
    at = len(nodes) + at.ravel()
    one, two = at[: len(cut)], at[len(cut) :]
    tip = count[cut] == 1
    whole = np.flatnonzero(count == 3)
    parts = [
        triangles[whole],
        np.column_stack([turned[:, 0], one, two])[tip],
        np.column_stack([one, turned[:, 1], turned[:, 2]])[~tip],
        np.column_stack([one, turned[:, 2], two])[~tip],
    ]
    origin = np.concatenate([whole, cut[tip], cut[~tip], cut[~tip]])
    section = np.column_stack([one, two]).astype(np.int32)
    return np.concatenate([nodes, made]), np.concatenate(parts).astype(np.int32), origin, section
