"""Which edges turn sharply only because the surface is rough there.

A crease of a part is a line: it runs on, about straight, and turns far more than the surface beside it does.  Edges
that turn much on scanned or organic surface, among others that turn nearly as much, are noise where they make short
and crooked chains, or where the surface, evened out over about the size of the new elements, hardly turns from one side
to the other: a mesh that follows them keeps the noise and the poor facets in it.
"""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array
from oddseam.features.patches.curves import chains_of
from oddseam.geometry.trees.boxtree import BoxTree
from oddseam.geometry.triangles import area_vectors, turn_angles

#: Surface that turns by fewer degrees from facet to facet is smooth, and whatever turns sharply on it is a crease.
_SMOOTH = 6.0
#: A chain is noise if it turns by less than so many times what the surface beside it does ...
_STANDS_OUT = 3.0
#: ... and bends by more than so many degrees from edge to edge, or has no more edges than these.
_CROOKED, _FEW = 25.0, 3
#: Without a chain others become one, which are looked at again; so often.
_ROUNDS = 3
#: Normals are evened out in no more rounds.
_MOST_ROUNDS = 12
#: At large an edge that is noise turns by less than this share of what it turns by itself, beyond what the surface on
#: its sides does; and it is shorter than this share of the size.
_AT_LARGE, _SHORT = 0.4, 0.75


def roughness(count: int, edges: Array, turn: Array) -> Array:
    """(n,) degrees by which surface turns about every node, in the mean over edges (e, 2) between two facets."""

    def mean(value: Array) -> Array:
        total = np.bincount(edges.ravel(), np.repeat(value, 2), minlength=count)
        return np.asarray(total / np.maximum(np.bincount(edges.ravel(), minlength=count), 1))

    return np.sqrt(mean(mean(turn**2)[edges].mean(axis=1)))  # at the nodes themselves, and then at those about them


def is_crooked(points: Array, ends: Array, turn: Array, rough: Array, anchored: Array) -> Array:
    """(k,) bool: sharp edges in short or crooked chains that turn hardly more than the surface beside; O(k).

    Parameters
    ----------
    points : (n, 3) float array
    ends : (k, 2) int array
        Edges that are sharp by their angle alone.
    turn : (k,) float array
        Degrees by which the surface turns at them.
    rough : (n,) float array
        How rough it is about each node.
    anchored : (n,) bool array
        Nodes where chains end.
    """
    noise = np.zeros(len(ends), bool)
    for _ in range(_ROUNDS):
        rows = np.flatnonzero(~noise)
        if not len(rows):
            break
        its = ends[rows]
        degree = np.bincount(its.ravel(), minlength=len(points))
        chain = chains_of(its, (degree != 2) | anchored)
        count = np.bincount(chain)
        beside = np.bincount(chain, rough[its].mean(axis=1)) / count
        bend = _bends(points, its, chain, degree, len(count))
        gone = (beside > _SMOOTH) & (np.bincount(chain, turn[rows]) < _STANDS_OUT * beside * count)
        gone &= (bend > _CROOKED) | (count <= _FEW)
        if not gone.any():
            break
        noise[rows[gone[chain]]] = True
    return noise


def is_even_at_large(
    points: Array, triangles: Array, ends: Array, beside: Array, turn: Array, rough: Array, size: float
) -> Array:
    """(k,) bool: sharp edges on rough surface that hardly turns there when it is evened out over a size.

    Parameters
    ----------
    points, triangles : (n, 3) float and (m, 3) int arrays
    ends, beside : (k, 2) int arrays
        Nodes of the sharp edges, and the triangles on both sides.
    turn, rough : (k,) and (n,) float arrays
        As for ``is_crooked``.
    size : float
    """
    length = np.linalg.norm(points[ends[:, 1]] - points[ends[:, 0]], axis=1)
    found = np.zeros(len(ends), bool)
    its = np.flatnonzero((length < _SHORT * size) & (rough[ends].mean(axis=1) > _SMOOTH))
    if len(its):
        found[its] = _turns_at_large(points, triangles, ends[its], beside[its], size) < _AT_LARGE * turn[its]
    return found


def _turns_at_large(points: Array, triangles: Array, edges: Array, beside: Array, size: float) -> Array:
    """(k,) degrees by which evened surface turns at edges, less what it does on the way from there on both sides."""
    corners = points[triangles]
    normals = _evened(points, triangles, size)
    middle = points[edges].mean(axis=1)
    along = points[edges[:, 1]] - points[edges[:, 0]]
    along /= np.maximum(np.linalg.norm(along, axis=1, keepdims=True), 1e-300)
    tree = BoxTree(corners)
    seen = []
    for k in (0, 1):
        aside = corners[beside[:, k]].mean(axis=1) - middle
        aside -= (aside * along).sum(axis=1, keepdims=True) * along
        aside /= np.maximum(np.linalg.norm(aside, axis=1, keepdims=True), 1e-300)
        seen.append([normals[tree.order[tree.closest(middle + far * size * aside)[1]]] for far in (0.75, 1.5)])
    (one, one_further), (two, two_further) = seen
    return np.asarray(turn_angles(one, two) - turn_angles(one, one_further) - turn_angles(two, two_further))


def _evened(points: Array, triangles: Array, size: float) -> Array:
    """(m, 3) unit normals of triangles, evened out over about a size."""
    corners = points[triangles]
    vectors = area_vectors(corners)
    length = np.linalg.norm(corners - np.roll(corners, 1, axis=1), axis=2)
    rounds = int(np.clip((0.5 * size / max(float(np.median(length)), 1e-300)) ** 2, 1, _MOST_ROUNDS))
    valence = np.maximum(np.bincount(triangles.ravel(), minlength=len(points)), 1)[:, None]
    for _ in range(rounds):
        at = [np.bincount(triangles.ravel(), np.repeat(vectors[:, d], 3), len(points)) for d in range(3)]
        vectors = (np.column_stack(at) / valence)[triangles].mean(axis=1)
    return np.asarray(vectors / np.maximum(np.linalg.norm(vectors, axis=1, keepdims=True), 1e-300))


def _bends(points: Array, edges: Array, chain: Array, degree: Array, count: int) -> Array:
    """(c,) mean angle in degrees between one edge of a chain and the next; 0 for a chain of one edge."""
    step = points[edges[:, 1]] - points[edges[:, 0]]
    length = np.linalg.norm(step, axis=1, keepdims=True)
    step = step / np.where(length > 0, length, 1.0)
    node, row = edges.ravel(), np.repeat(np.arange(len(edges)), 2)
    away = np.where((np.arange(2 * len(edges)) % 2 == 0)[:, None], step[row], -step[row])
    inner = degree[node] == 2
    order = np.flatnonzero(inner)[np.argsort(node[inner], kind="stable")]
    one, two = order[::2], order[1::2]
    same = chain[row[one]] == chain[row[two]]
    one, two = one[same], two[same]
    cosine = -np.einsum("ij,ij->i", away[one], away[two])
    angle = np.degrees(np.arccos(np.clip(cosine, -1.0, 1.0)))
    of = chain[row[one]]
    return np.asarray(np.bincount(of, angle, count) / np.maximum(np.bincount(of, minlength=count), 1))
