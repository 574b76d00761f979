"""How noisy the nodes of a surface are."""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.triangles import unit_normals

#: Nodes that are looked at.
_SAMPLE = 1500
#: The share of the differences, from the smallest, that is taken for noise: the rest may hold creases and bends.
_SHARE = 0.25
#: That quantile of the absolute value of a normal variable, over its deviation.
_QUANTILE = 0.3186
#: Deviation of the difference of two residuals of such fits, over that of the nodes.
_SPREAD = 1.75
#: A power of ten is so many times what single precision takes of coordinates, and no more than a share of an edge.
_ROUGHER, _COARSEST = 8.0, 0.1
#: Neighbours of neighbours needed for a fit.
_LEAST = 9


def estimate_noise(nodes: Array, triangles: Array, across: Array) -> float:
    """Standard deviation of the nodes from a smooth surface.

    A quadratic surface is fitted to what is near a node, and to what is near a neighbour of it; where the shape is
    smooth both are missed alike, so that the difference tells the noise.

    Parameters
    ----------
    nodes : (n, 3) array
    triangles : (m, 3) int array
    across : (m, 3) int array
        Facet across each edge, -1 at creases and rims.

    Returns
    -------
    float
        0 where too little of the surface is smooth to tell.
    """
    n = len(nodes)
    inside = np.ones(n, bool)
    inside[triangles[across < 0]] = False
    inside[np.roll(triangles, -1, axis=1)[across < 0]] = False
    order = np.argsort(triangles.ravel(), kind="stable")
    first = np.searchsorted(triangles.ravel()[order], np.arange(n + 1))
    facet = order // 3
    candidates = np.flatnonzero(inside & (np.diff(first) > 0))
    if not len(candidates):
        return 0.0
    some = np.random.default_rng(0).permutation(candidates)[:_SAMPLE]
    normals = unit_normals(nodes[triangles])
    differences = []
    for v in some.tolist():
        beside = np.unique(triangles[facet[first[v] : first[v + 1]]])
        beside = beside[(beside != v) & inside[beside]]
        if not len(beside):
            continue
        w = int(beside[v % len(beside)])
        missed = [_missed(u, nodes, triangles, facet, first, normals) for u in (v, w)]
        if None not in missed:
            differences.append(abs(missed[0] - missed[1]))  # type: ignore[operator]
    if len(differences) < 8:
        return 0.0
    return float(np.quantile(differences, _SHARE)) / (_QUANTILE * _SPREAD)


def decimal_step(nodes: Array, triangles: Array) -> float:
    """The power of ten that all coordinates are a multiple of, as files written with few digits have; or 0.

    0 too where facets are not far larger than that: then it may be what they were drawn with.
    """
    size = float(np.abs(nodes).max(initial=0.0))
    corners = nodes[triangles]
    edge = float(np.median(np.linalg.norm(corners - np.roll(corners, 1, axis=1), axis=2)))
    if not edge > 0:
        return 0.0
    held = size * float(np.finfo(np.float32).eps)
    for power in range(int(np.floor(np.log10(_COARSEST * edge))), int(np.ceil(np.log10(held))), -1):
        step = 10.0**power
        if step > _ROUGHER * held and (np.abs(nodes - step * np.rint(nodes / step)) <= held).all():
            return step
    return 0.0


def _missed(v: int, nodes: Array, triangles: Array, facet: Array, first: Array, normals: Array) -> float | None:
    """How far a node lies above a quadratic surface through those near it."""
    ring = np.unique(triangles[facet[first[v] : first[v + 1]]])
    near = np.unique(np.concatenate([triangles[facet[first[u] : first[u + 1]]].ravel() for u in ring.tolist()]))
    near = near[near != v]
    if len(near) < _LEAST:
        return None
    normal = normals[facet[first[v] : first[v + 1]]].sum(axis=0)
    size = float(np.linalg.norm(normal))
    if not size > 0:
        return None
    normal = normal / size
    one = np.cross(normal, np.eye(3)[np.argmin(np.abs(normal))])
    one /= np.linalg.norm(one)
    away = nodes[near] - nodes[v]
    scale = float(np.abs(away).max())
    if not scale > 0:
        return None
    x, y, z = (away @ axis / scale for axis in (one, np.cross(normal, one), normal))
    form = np.column_stack([np.ones(len(x)), x, y, x * x, x * y, y * y])
    return -scale * float(np.linalg.lstsq(form, z, rcond=None)[0][0])
