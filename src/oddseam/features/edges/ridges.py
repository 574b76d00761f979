"""Ridges and valleys of small angle on surfaces that no simple surface explains.

The angle of the surface is followed towards an edge from either side, by a straight line through the angles of the
facets there, and what is left between the two at the edge is its jump: curvature, and the steps of a tessellation, are
on both sides alike and leave none.  Edges with a jump are linked into chains from the strong ones, by hysteresis,
as J. Canny (1986), A computational approach to edge detection, does in pictures; A. Hubeli, M. Gross (2001),
Multiresolution feature extraction from unstructured meshes, have the idea on surfaces.
"""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array, for_kernels
from oddseam.features.kernels import ridge_jumps
from oddseam.geometry.threads import in_shares
from oddseam.geometry.triangles import areas_and_normals
from oddseam.model.connectivity import label_components

#: Facets looked at on each side of an edge: at least, and at most where there is noise.
_FEW, _MANY = 12, 96
#: Weaker edges go on with a chain down to this share of the angle.
_WEAK = 0.7
#: The edge itself has to turn by this share of the jump.
_OWN = 0.4
#: A jump is at least this share of what the surface beside it turns by over the width of a facet.
_BESIDE = 1.2
#: A jump counts if it is so many times what noise makes of it; that is the tilt of a facet by noise times a factor
#: over the root of the number of facets looked at.
_SURE, _SPREAD = 5.0, 2.83
#: Where chains meet, another edge has to jump by this share of those there.
_JUNCTION = 0.8
#: A chain of fewer edges is none; more of them where there is noise.
_SHORT, _SHORT_NOISY = 4, 8


def find_ridges(nodes: Array, triangles: Array, across: Array, angle: float, noise: float, anchors: Array) -> Array:
    """Half-edges (k,), one for each edge, on ridges and valleys.

    O(m) in the number of facets, times the facets looked at.

    Parameters
    ----------
    nodes : (n, 3) array
    triangles : (m, 3) int array
    across : (m, 3) int array
        Facet across each edge, -1 where it is no question or a crease already.
    angle : float
        Least angle of a ridge, in degrees; chains go on at smaller ones.
    noise : float
        Standard deviation of the nodes, in the unit of the mesh.
    anchors : (n,) bool array
        Nodes on creases: a short chain that ends at one is none of its own.
    """
    m = len(triangles)
    flat = across.ravel()
    half = np.flatnonzero((flat >= 0) & (np.repeat(np.arange(m), 3) < flat)).astype(np.int32)
    area, normal = areas_and_normals(nodes[triangles])
    ends = np.column_stack([triangles.ravel()[half], np.roll(triangles, -1, axis=1).ravel()[half]])
    # where even the facets themselves do not turn, nothing is to be looked for
    cosine = np.einsum("ij,ij->i", normal[half // 3], normal[flat[half]])
    own = np.degrees(np.arccos(np.clip(cosine, -1.0, 1.0)))
    kept = own > _OWN * _WEAK * angle
    half, ends = half[kept], ends[kept]
    if not len(half):
        return np.asarray(half)
    length = float(np.median(np.linalg.norm(nodes[ends[:, 1]] - nodes[ends[:, 0]], axis=1)))
    tilt = np.degrees(2.0 * noise / length) if length > 0 else 0.0  # of a facet by noise
    needed = _SURE * _SPREAD * tilt / _WEAK
    most = int(np.clip((needed / angle) ** 2, _FEW, _MANY))
    jump, turn, bend = np.empty(len(half)), np.empty(len(half)), np.empty(len(half))
    points, centre = for_kernels(nodes), nodes[triangles].mean(axis=1)

    def look(start: int, stop: int) -> None:
        its = slice(start, stop)
        queue, mark = np.empty(max(most, 4), np.int32), np.zeros(m, np.int32)
        ridge_jumps.jumps(
            half[its], most, points, triangles, centre, normal, area, across, queue, mark, jump[its], turn[its],
            bend[its],
        )  # fmt: skip

    in_shares(look, len(half))
    least = max(angle, needed / np.sqrt(most))
    jump, turn, bend = np.degrees(jump), np.degrees(turn), np.degrees(bend)
    real = (turn * jump > 0) & (np.abs(turn) >= _OWN * np.abs(jump)) & (np.abs(jump) >= _WEAK * least)
    real &= np.abs(jump) >= _BESIDE * bend
    half, ends, jump = half[real], ends[real], jump[real]
    crest = _crests(ends, np.abs(jump), triangles, len(nodes))
    half, ends, jump = half[crest], ends[crest], jump[crest]
    short = _SHORT_NOISY if noise > 0 else _SHORT
    return np.asarray(half[_linked(ends, np.abs(jump) >= least, jump > 0, anchors, short)])


def _crests(ends: Array, jump: Array, triangles: Array, n_nodes: int) -> Array:
    """(k,) bool: edges that are not merely beside stronger ones."""
    every = np.concatenate([triangles, triangles[:, [1, 2, 0]], triangles[:, [2, 0, 1]]])
    touched = np.zeros(n_nodes, bool)
    touched[ends] = True
    rows = every[touched[every[:, 0]]]
    rows = rows[np.argsort(rows[:, 0], kind="stable")]
    first = np.searchsorted(rows[:, 0], np.arange(n_nodes + 1))
    degree, shadowed = np.zeros(n_nodes, np.int64), np.zeros(n_nodes, bool)
    strongest = np.zeros(n_nodes)
    keep = np.zeros(len(ends), bool)
    for k in np.argsort(-jump, kind="stable").tolist():
        u, v = int(ends[k, 0]), int(ends[k, 1])
        if not degree[u] and not degree[v] and shadowed[u] and shadowed[v]:
            continue
        if max(degree[u], degree[v]) > 1 and jump[k] < _JUNCTION * max(strongest[u], strongest[v]):
            continue
        keep[k] = True
        for w in (u, v):
            degree[w] += 1
            strongest[w] = max(strongest[w], jump[k])
            shadowed[rows[first[w] : first[w + 1], 1:]] = True
    return keep


def _linked(ends: Array, strong: Array, convex: Array, anchors: Array, least: int) -> Array:
    """(k,) bool: edges in chains that hold strong ones, without what is too short."""
    keep = np.ones(len(ends), bool)
    for sign in (True, False):
        of_sign = np.flatnonzero(convex == sign)
        if not len(of_sign):
            continue
        _, chain = label_components(len(anchors), ends[of_sign, 0], ends[of_sign, 1])
        its = chain[ends[of_sign, 0]]
        count = np.bincount(its, minlength=len(anchors))
        sure = np.bincount(its, strong[of_sign], minlength=len(anchors)) > 0
        keep[of_sign] = sure[its] & (count[its] >= least)
    return _without_stubs(ends, keep, anchors)


def _without_stubs(ends: Array, keep: Array, anchors: Array) -> Array:
    """Take out branches of one or two edges that end nowhere."""
    for length in (1, 2):
        degree = np.bincount(ends[keep].ravel(), minlength=len(anchors))
        tip = (degree == 1) & ~anchors
        branch = (degree > 2) | anchors
        if length == 1:
            stub = keep & (tip[ends] & branch[ends[:, ::-1]]).any(axis=1)
        else:
            middle = np.zeros(len(anchors), bool)
            near = keep & tip[ends].any(axis=1)
            middle[ends[near][~tip[ends[near]]]] = True
            middle &= degree == 2
            last = keep & (middle[ends] & branch[ends[:, ::-1]]).any(axis=1)
            ends_of = np.zeros(len(anchors), bool)
            ends_of[ends[last]] = True
            stub = last | (near & (ends_of & middle)[ends].any(axis=1))
        keep = keep & ~stub
    return keep
