"""Narrow strips: the border of one, folded so that its two long sides lie on each other.

A strip is bounded by one loop, which is folded at its two tips, or by two, one of which is laid on the other.  Nodes
of one side that have no node across get a place on the edge there.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from oddseam.arrays import Array

_Point = list[float]
#: Places along an edge nearer to its end than this share of the width allowed are that end.
_AT_END = 0.3
#: So many of the sharpest corners of a loop are tried as its tips.
_TIPS = 6


class Fold(NamedTuple):
    """What lies on what.

    ``ends`` (k, 2, 2) are nodes: for each place and each of the two sides the ends of the edge that it is on, twice
    the same for a node; ``share`` (k, 2) is how far along that it is.  ``width`` is the largest distance across,
    ``length`` how long the longer side is.
    """

    ends: Array
    share: Array
    width: float
    length: float


def folded(points: Array, loops: list[Array], most: float, snap: float | None = None) -> Fold | None:
    """Fold the border of a strip, or ``None`` if it is wider than ``most`` somewhere, or no strip.

    O(k) for k nodes, for each pair of tips that is tried.

    Parameters
    ----------
    points : (n, 3) array
    loops : list of int arrays
        Nodes of the border in order, the strip on the same hand all along.
    most : float
    snap : float, optional
        Places along an edge nearer to its end than this are that end; a share of ``most`` without.
    """
    near = _AT_END * most if snap is None else snap
    if len(loops) == 2:
        one, two = loops
        far = np.linalg.norm(points[two] - points[one[0]], axis=1)
        start = int(np.argmin(far))
        two = np.roll(two[::-1], start + 1)  # backwards, from the node nearest to the other's first
        return laid(points, np.append(one, one[0]), np.append(two, two[0]), most, near)
    if len(loops) != 1 or len(loops[0]) < 3:
        return None
    loop = loops[0]
    best: Fold | None = None
    tips = _tips(points[loop])
    for a in tips:
        for b in tips:
            if a < b:
                fold = laid(points, loop[a : b + 1], np.concatenate([loop[b:], loop[: a + 1]])[::-1], most, near)
                if fold is not None and (best is None or fold.width < best.width):
                    best = fold
    return best


def either_way(points: Array, one: Array, two: Array, most: float, snap: float, *, closed: bool) -> Fold | None:
    """Lay a chain or a loop on another one, whichever way round that is nearer; see :func:`folded`."""
    ways = [
        folded(points, [one, its], most, snap) if closed else laid(points, one, its, most, snap)
        for its in (two, two[::-1])
    ]
    return min((fold for fold in ways if fold is not None), key=lambda fold: fold.width, default=None)


def paired(points: Array, one: Array, two: Array, most: float) -> Fold | None:
    """Lay a loop on another one with as many nodes, node on node, turned so that they are nearest in the mean.

    ``None`` if two are farther apart than ``most``.  O(k^2) for k nodes.  See :func:`folded`.
    """
    back = two[::-1]
    squared = ((points[one][:, None] - points[back][None]) ** 2).sum(axis=2)
    k = np.arange(len(one))
    turns = squared[k[:, None], (k[:, None] + k[None]) % len(k)].sum(axis=0)
    back = np.roll(back, -int(np.argmin(turns)))
    width = float(np.linalg.norm(points[one] - points[back], axis=1).max())
    if width > most:
        return None
    closed = np.append(k, 0)
    ends = np.stack([np.column_stack([loop[closed]] * 2) for loop in (one, back)], axis=1)
    length = float(np.linalg.norm(points[one] - np.roll(points[one], 1, axis=0), axis=1).sum())
    return Fold(ends, np.zeros((len(closed), 2)), width, length)


def onto_nodes(points: Array, fold: Fold, side: int) -> Fold:
    """The fold with places at nodes of one side alone: what lies across an edge of it goes to the nearer end of that.

    Nodes of that side that nothing comes to keep their place on an edge of the other.
    """
    ends, share, other = fold.ends.copy(), fold.share.copy(), 1 - side
    its = np.where(share[:, side] > 0.5, ends[:, side, 1], ends[:, side, 0])
    is_node = ends[:, other, 0] == ends[:, other, 1]
    ends[:, side], share[:, side] = its[:, None], 0.0
    kept = is_node | ~np.isin(its, its[is_node])
    ends, share = ends[kept], share[kept]
    at = points[ends[:, other, 0]] * (1 - share[:, other, None]) + points[ends[:, other, 1]] * share[:, other, None]
    width = float(np.linalg.norm(at - points[ends[:, side, 0]], axis=1).max())
    return Fold(ends, share, width, fold.length)


def _tips(p: Array) -> list[int]:
    """The sharpest corners of a loop, and the two nodes farthest from each other, roughly."""
    before, after = p - np.roll(p, 1, axis=0), np.roll(p, -1, axis=0) - p
    size = np.linalg.norm(before, axis=1) * np.linalg.norm(after, axis=1)
    turn = np.einsum("ij,ij->i", before, after) / np.where(size > 0, size, 1.0)
    sharp = [k for k in np.argsort(turn, kind="stable")[:_TIPS].tolist() if turn[k] < 0.75]
    far = int(np.argmax(np.linalg.norm(p - p.mean(axis=0), axis=1)))
    return sorted({*sharp, far, int(np.argmax(np.linalg.norm(p - p[far], axis=1)))})


def laid(points: Array, one: Array, two: Array, most: float, snap: float) -> Fold | None:
    """Lay a chain on another one, place by place; ``None`` if they are farther apart than ``most`` somewhere."""
    p, q = points[one].tolist(), points[two].tolist()
    i, j, s, t = 0, 0, 0.0, 0.0
    places = [(0, 0.0, 0, 0.0)]
    while i < len(p) - 1 or j < len(q) - 1:
        if i == len(p) - 1 or j == len(q) - 1:  # one has ended: the rest of the other comes there
            ways = [(i, s, j + 1, 0.0) if i == len(p) - 1 else (i + 1, 0.0, j, t)]
        else:  # both one node on, or one side alone, to the place across
            ways = [(i + 1, 0.0, j + 1, 0.0), (i + 1, 0.0, *_across(p[i + 1], q, j, t, snap))]
            ways.append((*_across(q[j + 1], p, i, s, snap), j + 1, 0.0))
        away = [math.dist(_at(p, k, x), _at(q, m, y)) for k, x, m, y in ways]
        least = min(away)
        if least > most:
            return None
        i, s, j, t = ways[away.index(least)]
        places.append((i, s, j, t))
    table = np.array(places)
    on = [table[:, 0].astype(np.int64), table[:, 2].astype(np.int64)]
    share = table[:, [1, 3]]
    ends = np.stack(
        [
            np.column_stack([chain[k], chain[np.minimum(k + (share[:, side] > 0), len(chain) - 1)]])
            for side, (chain, k) in enumerate(zip((one, two), on, strict=True))
        ],
        axis=1,
    )
    its = [points[ends[:, k, 0]] * (1 - share[:, k, None]) + points[ends[:, k, 1]] * share[:, k, None] for k in (0, 1)]
    length = max(sum(map(math.dist, x[:-1], x[1:])) for x in (p, q))
    return Fold(ends, share, float(np.linalg.norm(its[0] - its[1], axis=1).max()), length)


def _at(chain: list[_Point], k: int, share: float) -> _Point:
    if share == 0.0:
        return chain[k]
    return [a + share * (b - a) for a, b in zip(chain[k], chain[k + 1], strict=True)]


def _across(x: _Point, chain: list[_Point], k: int, least: float, snap: float) -> tuple[int, float]:
    """Where x is nearest to an edge of a chain, not before a share of it; near to either end of the rest that is it."""
    a, b = chain[k], chain[k + 1]
    ux, uy, uz = b[0] - a[0], b[1] - a[1], b[2] - a[2]
    length = math.sqrt(ux * ux + uy * uy + uz * uz)
    share = 1.0
    if length > 0:
        along = (x[0] - a[0]) * ux + (x[1] - a[1]) * uy + (x[2] - a[2]) * uz
        share = min(max(along / (length * length), least), 1.0)
    near, far = (share - least) * length, (1.0 - share) * length
    if min(near, far) > snap:
        return k, share
    return (k, least) if near < far else (k + 1, 0.0)
