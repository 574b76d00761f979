"""Surfaces fitted to a few facets, and to what they grow to."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from oddseam.arrays import Array
from oddseam.compiled import helper, kernel
from oddseam.features.kernels.patch_growth import edges_on, grow, nodes_on, smoothed
from oddseam.geometry.kernels.primitive_guesses import fit_kind

#: A surface is fitted to no more facets than this.
_SAMPLE = 400
#: Up to so many facets, normals are smoothed so often to guess at a surface, against noise of short facets.
HOODS, _SWEEPS = (24, 96, 384, 1536, 6144), (0, 2, 6, 14, 30)
#: A region grows by this factor at most before the surface is fitted to it again.
_STEP = 4
#: A flat region has to have so many facets, or be larger by this factor than those around it.
_MANY, _LARGER = 12, 6.0
#: A curved region has to have so many facets, and to turn by so many degrees.
LEAST_CURVED, _LEAST_TURN = 6, 12.0


class Ground(NamedTuple):
    """Facets that regions are sought among, and room to do it in.

    ``across`` (m, 3) are the facets beyond their edges, ``label`` (m,) is negative where there is no surface yet,
    and ``normals`` (k, m, 3) holds those smoothed more and more as far as they are ``ready`` (k,).  ``stamp`` (1,)
    tells the marks of one search from those of others.
    """

    nodes: Array
    triangles: Array
    across: Array
    label: Array
    area: Array
    normals: Array
    ready: Array
    queue: Array
    region: Array
    mark: Array
    seen: Array
    stamp: Array


class Near(NamedTuple):
    """What lies on a surface: nodes within a distance, facets turned by no more than the cosine says.

    ``off`` is the root mean square distance of a fit, as in :func:`fit_kind`.
    """

    distance: float
    cosine: float
    off: float


@helper
def _level(count, ground):
    """How far normals are smoothed for so many facets; they are, then."""
    level = 0
    while level < len(HOODS) - 1 and count > HOODS[level]:
        level += 1
    if not ground.ready[level]:
        known = level
        while not ground.ready[known]:
            known -= 1
        vectors = ground.normals[known].copy()
        other = np.empty_like(vectors)
        for _ in range(_SWEEPS[level] - _SWEEPS[known]):
            smoothed(vectors, ground.across, other)
            vectors, other = other, vectors
        ground.normals[level] = vectors
        ground.ready[level] = True
    return level


@kernel
def fit_facets(kind, facets, is_whole, least, ground, near, q):
    """Whether a surface of a kind lies near facets, with at least so many nodes; ``q`` (8,) gets its numbers."""
    count = facets.shape[0]
    if count > _SAMPLE:
        step = (count - 1) / (_SAMPLE - 1)
        some = np.empty(_SAMPLE, np.int32)
        for i in range(_SAMPLE):
            some[i] = facets[min(int(i * step), count - 1)]
        facets = some
    points = np.empty((3 * facets.shape[0], 3))
    middles, directions = np.empty_like(points), np.empty_like(points)
    ground.stamp[0] += 1
    n = nodes_on(facets, ground.nodes, ground.triangles, ground.seen, ground.stamp[0], points)
    if n < least:
        return False
    if kind == 0:
        for k in range(facets.shape[0]):
            for i in range(3):
                directions[k, i] = ground.normals[0, facets[k], i]
        here, there = points[:n], directions[: facets.shape[0]]
    else:
        normals = ground.normals[_level(count, ground)]
        found = edges_on(
            facets, is_whole, ground.nodes, ground.triangles, normals, ground.across, ground.mark, ground.stamp[0],
            middles, directions,
        )  # fmt: skip
        if found < 3:
            return False
        here, there = middles[:found], directions[:found]
    return fit_kind(kind, points[:n], here, there, near.off, q)


@kernel
def grown_from(kind, hood, is_whole, least, ground, near, q):
    """Fit a surface to facets and to what they grow to, until that grows no more: how many, in ``ground.region``."""
    trial = np.empty(8)
    count, most = 0, _STEP * hood.shape[0]
    starts = hood[:1] if kind == 0 else hood
    region = hood
    while fit_facets(kind, region, is_whole, least, ground, near, trial):
        ground.stamp[0] += 1
        more = grow(
            starts, most, kind, trial, ground.nodes, ground.triangles, ground.normals[0], ground.across, ground.label,
            near.distance, near.cosine, ground.queue, ground.mark, ground.stamp[0],
        )  # fmt: skip
        if more <= count:
            break
        count, most = more, _STEP * more
        for i in range(8):
            q[i] = trial[i]
        for k in range(count):
            ground.region[k] = ground.queue[k]
        region = ground.region[:count]
        is_whole = False
    return count


@kernel
def is_region(kind, facets, ground):
    """Whether facets are more than happen to agree on a surface of a kind."""
    count = facets.shape[0]
    if kind == 0:
        if count >= _MANY:
            return True
        own, beyond, others = 0.0, 0.0, 0
        ground.stamp[0] += 1
        for t in facets:
            ground.mark[t] = ground.stamp[0]
            own += ground.area[t]
        for t in facets:
            for i in range(3):
                o = ground.across[t, i]
                if o >= 0 and ground.mark[o] != ground.stamp[0]:
                    ground.mark[o] = ground.stamp[0]
                    beyond += ground.area[o]
                    others += 1
        return own * others >= _LARGER * beyond
    if count < LEAST_CURVED:
        return False
    mean = np.zeros(3)
    for t in facets:
        for i in range(3):
            mean[i] += ground.normals[0, t, i]
    size = np.sqrt(mean[0] ** 2 + mean[1] ** 2 + mean[2] ** 2)
    if size < 1e-9 * count:
        return True
    least = np.cos(np.radians(0.5 * _LEAST_TURN)) * size
    for t in facets:
        along = 0.0
        for i in range(3):
            along += ground.normals[0, t, i] * mean[i]
        if along <= least:
            return True
    return False
