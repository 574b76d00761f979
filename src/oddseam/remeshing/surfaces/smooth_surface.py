"""A smooth surface through the nodes of facets, curved over every one of them.

Over a facet it is a cubic patch that stands square on the normals at its corners (A. Vlachos, J.
Peters, C. Boyd, J. L. Mitchell 2001, Curved PN triangles), with edges that follow an arc of a circle to the sixth order
rather than the fourth.  Normals are those of N. Max (1999), Weights for computing vertex normals from
facet normals, which are exact where nodes lie on a sphere; those of each region count alone, so that
creases stay.
"""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.trees.boxtree import BoxTree
from oddseam.geometry.triangles import cross_product, unit_normals
from oddseam.remeshing.kernels import round_steps
from oddseam.remeshing.kernels.half_edges import FIXED, Net
from oddseam.remeshing.surfaces.sheets import Sheets


class SmoothSurface:
    """The surface over the facets of sheets.

    O(n) to make, and for every place that is asked for.
    """

    def __init__(self, sheets: Sheets) -> None:
        self._sheets = sheets
        corners = sheets.point[sheets.triangles]
        self._normals = _corner_normals(corners, sheets.triangles, sheets.region)

    def above(self, places: Array, row: Array) -> Array:
        """(k, 3) points of the surface over places (k, 3) on the facets ``row`` (k,)."""
        corner, normal = self._sheets.point[self._sheets.triangles[row]], self._normals[row]
        share = _shares(corner, places)
        ahead, behind = np.roll(corner, -1, axis=1), np.roll(corner, 1, axis=1)
        to_next = corner + _handles(ahead - corner, normal)
        to_last = corner + _handles(behind - corner, normal)
        middle = (to_next + to_last).sum(axis=1) / 6.0
        middle = middle + 0.5 * (middle - corner.mean(axis=1))
        u = share[:, :, None]
        ahead_share, behind_share = np.roll(u, -1, axis=1), np.roll(u, 1, axis=1)
        found = (u**3 * corner + 3.0 * u**2 * (ahead_share * to_next + behind_share * to_last)).sum(axis=1)
        return np.asarray(found + 6.0 * share.prod(axis=1)[:, None] * middle)

    def pull_curves(self, net: Net, first: int) -> None:
        """Put nodes from row ``first`` on that lie on the chords of curves on arcs over these."""
        curves, point = self._sheets.curves, self._sheets.point
        last = np.zeros(len(curves.node), bool)
        last[curves.first[1:] - 1] = True
        at = np.flatnonzero(~last)
        row = first + np.flatnonzero((net.kind[first : net.used[0]] == FIXED) & (net.out[first : net.used[0]] >= 0))
        if not len(at) or not len(row):
            return
        p = point[curves.node]
        tangent = _tangents(p, curves.first)
        tree = BoxTree(p[np.column_stack([at, at + 1, at + 1])])
        place, found = tree.closest(net.point[row])
        i = at[tree.order[found]]
        chord = p[i + 1] - p[i]
        size2 = (chord**2).sum(axis=1)
        t = np.clip(np.einsum("ij,ij->i", place - p[i], chord) / np.where(size2 > 0, size2, 1.0), 0.0, 1.0)[:, None]
        one, two = p[i] + _along(chord, tangent[i]), p[i + 1] - _along(chord, tangent[i + 1])
        goal = (1 - t) ** 3 * p[i] + 3 * t * (1 - t) * ((1 - t) * one + t * two) + t**3 * p[i + 1]
        round_steps.move(net, row, np.ascontiguousarray(goal), 0.0)


def _corner_normals(corners: Array, triangles: Array, region: Array) -> Array:
    """(m, 3, 3) unit normal at every corner, of the facets of its region round its node."""
    ahead, behind = np.roll(corners, -1, axis=1) - corners, np.roll(corners, 1, axis=1) - corners
    size = (ahead**2).sum(axis=2) * (behind**2).sum(axis=2)
    weighed = cross_product(ahead, behind) / np.where(size > 0, size, 1.0)[:, :, None]
    key = triangles.astype(np.int64) * (int(region.max(initial=0)) + 1) + region[:, None]
    _, of = np.unique(key.ravel(), return_inverse=True)
    total = np.column_stack([np.bincount(of, weighed.reshape(-1, 3)[:, d]) for d in range(3)])
    length = np.linalg.norm(total, axis=1, keepdims=True)
    normals = (total / np.where(length > 0, length, 1.0))[of].reshape(-1, 3, 3)
    # where facets are folded up the mean may look anywhere; their own does not
    own = unit_normals(corners)[:, None]
    turned = (normals * own).sum(axis=2, keepdims=True) < 0.5
    return np.where(turned, own, normals)


def _handles(chord: Array, normal: Array) -> Array:
    """What leads from a corner to the control point beside it on an edge, square to the normal there."""
    flat = chord - (chord * normal).sum(axis=-1, keepdims=True) * normal
    return _along(chord, flat)


def _along(chord: Array, direction: Array) -> Array:
    """A third of the arc that goes over a chord, leaving it in a direction."""
    length, size = (np.linalg.norm(v, axis=-1, keepdims=True) for v in (chord, direction))
    both = length * size
    cosine = (chord * direction).sum(axis=-1, keepdims=True) / np.where(both > 0, both, 1.0)
    scale = 2.0 / 3.0 * length / (1.0 + np.clip(cosine, 0.0, 1.0))
    return np.asarray(np.where(size > 0, direction * scale / np.where(size > 0, size, 1.0), chord / 3.0))


def _shares(corners: Array, places: Array) -> Array:
    """(k, 3) barycentric coordinates of places in the planes of triangles (k, 3, 3), not below 0."""
    a, b = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    d = places - corners[:, 0]
    aa, ab, bb = ((u * v).sum(axis=1) for u, v in ((a, a), (a, b), (b, b)))
    da, db = (d * a).sum(axis=1), (d * b).sum(axis=1)
    det = aa * bb - ab * ab
    det = np.where(det > 0, det, 1.0)
    second, third = (bb * da - ab * db) / det, (aa * db - ab * da) / det
    share = np.clip(np.column_stack([1.0 - second - third, second, third]), 0.0, 1.0)
    return np.asarray(share / share.sum(axis=1, keepdims=True))


def _tangents(p: Array, first: Array) -> Array:
    """(k, 3) directions of curves at their nodes: of the circle through it and its neighbours, mirrored at ends."""
    step = np.diff(p, axis=0)
    size2 = (step**2).sum(axis=1, keepdims=True)
    weighed = step / np.where(size2 > 0, size2, 1.0)
    tangent = np.zeros_like(p)
    tangent[1:-1] = weighed[:-1] + weighed[1:]
    begin, end = first[:-1], first[1:] - 1
    short = end - begin == 1
    for here, there in ((begin, begin + 1), (end, end - 1)):
        chord = p[there] - p[here]
        length = np.linalg.norm(chord, axis=1, keepdims=True)
        chord = chord / np.where(length > 0, length, 1.0)
        inner = tangent[there]
        mirrored = 2.0 * (inner * chord).sum(axis=1, keepdims=True) * chord - inner
        sign = 1.0 if here is begin else -1.0
        tangent[here] = np.where(short[:, None], sign * chord, mirrored)
    return tangent
