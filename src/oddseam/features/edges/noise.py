"""How noisy the nodes of a surface are."""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array, distinct, places_in_runs
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
#: Neighbours of neighbours needed for a fit, and pairs of fits to tell by.
_LEAST, _FEW = 9, 8


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
    beside = _Beside(triangles, n)
    candidates = np.flatnonzero(inside & (beside.count > 0))
    some = np.random.default_rng(0).permutation(candidates)[:_SAMPLE]
    row, other = beside.of(some)
    row, other = row[inside[other]], other[inside[other]]
    row, other = row[other != some[row]], other[other != some[row]]
    count = np.bincount(row, minlength=len(some))
    some, first, count = some[count > 0], np.cumsum(count)[count > 0], count[count > 0]
    if not len(some):
        return 0.0
    partner = other[first - count + some % count]
    vectors = unit_normals(nodes[triangles])
    normals = np.column_stack([np.bincount(triangles.ravel(), np.repeat(vectors[:, i], 3), n) for i in range(3)])
    differences = np.abs(_missed(some, nodes, normals, beside) - _missed(partner, nodes, normals, beside))
    differences = differences[np.isfinite(differences)]
    if len(differences) < _FEW:
        return 0.0
    return float(np.quantile(differences, _SHARE)) / (_QUANTILE * _SPREAD)


class _Beside:
    """Nodes that share a facet with a node, and itself."""

    def __init__(self, triangles: Array, count: int) -> None:
        pairs = np.column_stack([np.repeat(triangles, 3, axis=1).ravel(), np.tile(triangles, 3).ravel()])
        key = distinct(pairs[:, 0].astype(np.int64) * count + pairs[:, 1])
        self._other = key % count
        self.count = np.bincount(key // count, minlength=count)
        self._first = np.cumsum(self.count) - self.count

    def of(self, some: Array) -> tuple[Array, Array]:
        """Rows of some nodes, in order, and the nodes beside those."""
        count = self.count[some]
        row = np.repeat(np.arange(len(some)), count)
        return row, self._other[self._first[some][row] + places_in_runs(count)]


def _missed(some: Array, nodes: Array, normals: Array, beside: _Beside) -> Array:
    """How far nodes lie above a quadratic surface through those near them; ``nan`` where that cannot be told."""
    row, ring = beside.of(some)
    twice, near = beside.of(ring)
    key = distinct(row[twice] * len(nodes) + near)
    row, near = key // len(nodes), key % len(nodes)
    row, near = row[near != some[row]], near[near != some[row]]
    count = np.bincount(row, minlength=len(some))
    away = np.zeros((len(some), count.max(initial=1), 3))
    away[row, places_in_runs(count)] = nodes[near] - nodes[some[row]]
    scale = np.abs(away).max(axis=(1, 2))
    size = np.linalg.norm(normals[some], axis=1)
    told = (count >= _LEAST) & (size > 0) & (scale > 0)
    up = normals[some[told]] / size[told, None]
    one = np.cross(up, np.eye(3)[np.abs(up).argmin(axis=1)])
    one /= np.linalg.norm(one, axis=1, keepdims=True)
    frame = np.stack([one, np.cross(up, one), up], axis=2)
    x, y, z = np.moveaxis(away[told] / scale[told, None, None] @ frame, 2, 0)
    is_near = np.arange(away.shape[1]) < count[told, None]
    form = np.stack([is_near, x, y, x * x, x * y, y * y], axis=2)
    found = np.full(len(some), np.nan)
    found[told] = -scale[told] * np.einsum("ij,ij->i", np.linalg.pinv(form)[:, 0], z)
    return found


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
