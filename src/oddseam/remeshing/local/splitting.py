"""Splitting elements at marked edges, without ``Mesh``: which edges follow, and the pieces of every pattern.

An element is turned so that its pattern of marked edges is one of a few.  Local numbers count
corners first, then the middles of the edges in order, then the centre of a quad.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.triangles import cross_product

Cells = tuple[tuple[int, ...], ...]

#: Pieces of a triangle by its marked edges, the longest of which is edge 0; for all three edges in two ways.
_TRIANGLE: dict[tuple[int, ...], tuple[Cells, ...]] = {
    (0,): (((0, 3, 2), (3, 1, 2)),),
    (0, 1): (((0, 3, 2), (3, 1, 4), (3, 4, 2)),),
    (0, 2): (((0, 3, 5), (3, 2, 5), (3, 1, 2)),),
    (0, 1, 2): (
        ((0, 3, 5), (3, 1, 4), (5, 4, 2), (3, 4, 5)),
        ((0, 3, 5), (3, 1, 4), (3, 4, 2), (3, 2, 5)),
    ),
}
#: Pieces of a quad by its marked edges.
_QUAD: dict[tuple[int, ...], tuple[Cells, ...]] = {
    (0,): (((0, 4, 3), (4, 1, 2), (4, 2, 3)),),
    (0, 1): (((4, 1, 5), (0, 4, 3), (4, 5, 3), (5, 2, 3)),),
    (0, 2): (((0, 4, 6, 3), (4, 1, 2, 6)),),
    (0, 1, 2): (((0, 4, 6, 3), (4, 1, 5), (5, 2, 6), (4, 5, 6)),),
    (0, 1, 2, 3): (((0, 4, 8, 7), (4, 1, 5, 8), (8, 5, 2, 6), (7, 8, 6, 3)),),
}


class Pieces(NamedTuple):
    """Pieces of one number of corners.

    ``nodes`` (p, k) are theirs, ``row`` (p,) the row of the element that each is a piece of.
    """

    nodes: Array
    row: Array


def with_longest(edges: Array, marked: Array, rank: Array) -> Array:
    """(e,) bool: the marked edges, and those that must follow so that no triangle is split beside its longest edge.

    Every piece then has at least half of the smallest angle there was.  M. C. Rivara (1984), Algorithms for refining
    triangular grids suitable for adaptive and multigrid techniques.

    Parameters
    ----------
    edges : (t, 3) int array
        Edges of every triangle.
    marked : (e,) bool array
    rank : (e,) int array
        Place of every edge among all by length.
    """
    marked = marked.copy()
    longest = edges[np.arange(len(edges)), np.argmax(rank[edges], axis=1)]
    while True:
        follow = marked[edges].any(axis=1) & ~marked[longest]
        if not follow.any():
            return marked
        marked[longest[follow]] = True


def split(points: Array, corners: Array, middles: Array, centres: Array, rank: Array) -> list[Pieces]:
    """Pieces of elements of one kind: triangles and quads.

    Parameters
    ----------
    points : (n, 3) array
    corners : (m, k) int array
        Triangles (k = 3) or quads (k = 4), each with a marked edge.
    middles : (m, k) int array
        The node in the middle of each edge, -1 where it is not marked.
    centres : (m,) int array
        The node in the middle of a quad of four marked edges.
    rank : (m, k) int array
        Place of every edge among all by length.
    """
    k = corners.shape[1]
    patterns = _TRIANGLE if k == 3 else _QUAD
    marked = middles >= 0
    found: dict[int, list[Pieces]] = {3: [], 4: []}
    turn = np.argmax(rank, axis=1) if k == 3 else _turns(marked)
    local = (np.arange(k) + turn[:, None]) % k
    marks = np.take_along_axis(marked, local, axis=1)
    code = marks @ (1 << np.arange(k))
    nodes = np.column_stack(
        [np.take_along_axis(corners, local, axis=1), np.take_along_axis(middles, local, axis=1), centres]
    )
    for pattern, ways in patterns.items():
        rows = np.flatnonzero(code == sum(1 << i for i in pattern))
        choice = _best(points, nodes[rows], ways)
        for number, cells in enumerate(ways):
            its = rows[choice == number]
            for cell in cells:
                found[len(cell)].append(Pieces(nodes[its][:, list(cell)], its))
    return [
        Pieces(*(np.concatenate(columns) for columns in zip(*pieces, strict=True)))
        if pieces
        else Pieces(np.zeros((0, size), np.int64), np.zeros(0, np.int64))
        for size, pieces in found.items()
    ]


def _turns(marked: Array) -> Array:
    """By how many corners each quad is turned so that its marked edges are one of the patterns."""
    wanted = {sum(1 << i for i in pattern) for pattern in _QUAD}
    turn = np.zeros(16, np.int64)
    for code in range(1, 16):
        for t in range(4):
            if sum(1 << i for i in range(4) if code >> (i + t) % 4 & 1) in wanted:
                turn[code] = t
                break
    return np.asarray(turn[marked @ (1 << np.arange(4))])


def _best(points: Array, nodes: Array, ways: tuple[Cells, ...]) -> Array:
    """(r,) which way leaves the better worst triangle, of each row."""
    if len(ways) == 1:
        return np.zeros(len(nodes), np.int64)
    worst = []
    for cells in ways:
        p = points[nodes[:, np.array(cells)]]
        edges = p - np.roll(p, 1, axis=2)
        area = np.linalg.norm(cross_product(edges[:, :, 1], edges[:, :, 2]), axis=2)
        size = (edges**2).sum(axis=(2, 3))
        worst.append((area / np.where(size > 0, size, 1.0)).min(axis=1))
    # the first way keeps the shape of the whole, and is taken unless the other one is better
    return np.asarray(np.argmax(np.stack([worst[0] * (1.0 + 1e-9), *worst[1:]]), axis=0))
