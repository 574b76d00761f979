"""Curves: chains of feature edges between corners.

A node is a corner where other than two feature edges meet, where the chain turns sharply, or
where it turns far more than its neighbours do.  A chain that closes on itself is cut at three
nodes, so that every curve runs between two different corners.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oddseam.arrays import Array
from oddseam.model.connectivity import label_components

#: A turn beyond this many degrees is a corner whatever its neighbours do.
SHARP_TURN = 50.0
#: A smaller turn is a corner if it is this many times those beside it ...
STAND_OUT = 2.5
#: ... and at least this many degrees.
LEAST_TURN = 15.0


@dataclass(frozen=True, eq=False)
class Curves:
    """Curves of a network of edges.

    Attributes
    ----------
    node : (k,) int64 array
        Nodes of all curves, one curve after the other, both ends included.
    edge : (k,) int64 array
        Edge that leads from each node to the next; -1 at the end of a curve.
    first : (c + 1,) int64 array
        Where each curve begins.
    is_corner : (n,) bool array
    """

    node: Array
    edge: Array
    first: Array
    is_corner: Array


def turns_sharply(points: Array, edges: Array, degree: Array) -> Array:
    """(n,) bool: nodes with two edges where the chain turns so much that they are corners."""
    n = len(points)
    total = np.zeros((n, 3))
    direction = points[edges[:, 1]] - points[edges[:, 0]]
    length = np.linalg.norm(direction, axis=1, keepdims=True)
    direction = direction / np.where(length > 0, length, 1.0)
    np.add.at(total, edges[:, 0], direction)
    np.add.at(total, edges[:, 1], -direction)
    # two unit vectors away from the node add up to 2 sin(turn / 2)
    turn = 2.0 * np.degrees(np.arcsin(np.clip(np.linalg.norm(total, axis=1) / 2.0, 0.0, 1.0)))
    turn[degree != 2] = 0.0
    beside = np.zeros(n)
    np.maximum.at(beside, edges[:, 0], turn[edges[:, 1]])
    np.maximum.at(beside, edges[:, 1], turn[edges[:, 0]])
    stands_out = (turn > LEAST_TURN) & (turn > STAND_OUT * beside)
    return np.asarray((turn > SHARP_TURN) | stands_out)


def trace_curves(points: Array, edges: Array, fixed: Array) -> Curves:
    """Trace the curves of a network.

    O(k) in the number of edges.

    Parameters
    ----------
    points : (n, 3) array
    edges : (e, 2) int array
        Feature edges, each once.
    fixed : (n,) bool array
        Nodes that are corners in any case.
    """
    n = len(points)
    degree = np.bincount(edges.ravel(), minlength=n)
    corner = ((degree > 0) & (degree != 2)) | fixed | turns_sharply(points, edges, degree)
    ends = np.concatenate([edges, edges[:, ::-1]])
    order = np.argsort(ends[:, 0], kind="stable")
    start = np.searchsorted(ends[order, 0], np.arange(n + 1)).tolist()
    to, by = ends[order, 1].tolist(), (order % max(len(edges), 1)).tolist()
    done = np.zeros(len(edges), bool)
    node: list[int] = []
    edge: list[int] = []
    first = [0]

    def walk(begin: int, slot: int) -> tuple[list[int], list[int]]:
        chain, links = [begin], []
        while True:
            links.append(by[slot])
            done[by[slot]] = True
            at = to[slot]
            chain.append(at)
            if corner[at] or at == begin:
                return chain, links
            slot = start[at] if not done[by[start[at]]] else start[at] + 1

    def keep(chain: list[int], links: list[int]) -> None:
        if chain[0] != chain[-1]:
            node.extend(chain)
            edge.extend([*links, -1])
            first.append(len(node))
            return
        steps = np.linalg.norm(np.diff(points[chain], axis=0), axis=1)
        along = np.concatenate([[0.0], np.cumsum(steps)])
        cuts = [0]
        for share in (1 / 3, 2 / 3):
            nearest = int(np.argmin(np.abs(along - share * along[-1])))
            room = len(links) - (1 if share > 0.5 else 2)
            cuts.append(min(max(nearest, cuts[-1] + 1), room))
        cuts.append(len(links))
        for a, b in zip(cuts[:-1], cuts[1:], strict=True):
            corner[chain[a]] = True
            node.extend(chain[a : b + 1])
            edge.extend([*links[a:b], -1])
            first.append(len(node))

    for begin in np.flatnonzero(corner).tolist():
        for slot in range(start[begin], start[begin + 1]):
            if not done[by[slot]]:
                keep(*walk(begin, slot))
    for number in range(len(edges)):
        if not done[number]:
            begin = int(edges[number, 0])
            keep(*walk(begin, start[begin]))
    return Curves(np.array(node, np.int64), np.array(edge, np.int64), np.array(first, np.int64), corner)


def neighbours_along(edges: Array, n: int) -> tuple[Array, Array]:
    """Where the neighbours of each of n nodes along edges (e, 2) begin, (n + 1,), and those (2 e,)."""
    ends = np.concatenate([edges, edges[:, ::-1]])
    order = np.argsort(ends[:, 0], kind="stable")
    return np.searchsorted(ends[order, 0], np.arange(n + 1)), ends[order, 1]


def chains_of(edges: Array, breaks: Array) -> Array:
    """(e,) the chain of every edge: edges (e, 2) are of one where they share a node that is no break (n,)."""
    slot = np.argsort(edges.ravel(), kind="stable")
    node = edges.ravel()[slot]
    same = np.flatnonzero((node[1:] == node[:-1]) & ~breaks[node[1:]])
    return label_components(len(edges), slot[same] // 2, slot[same + 1] // 2)[1]


def is_stub(points: Array, edges: Array, anchored: Array, length: float) -> Array:
    """(e,) bool: edges of chains that end in the open and are shorter than a length.

    A chain runs between nodes with other than two edges.  When one goes, what it hung on may become one with another
    chain or a stub itself, so that it is gone through until nothing changes.  O(k) for k edges each time.

    Parameters
    ----------
    points : (n, 3) array
    edges : (e, 2) int array
    anchored : (n,) bool array
        Nodes where a chain does not end in the open.
    length : float
    """
    long = np.linalg.norm(points[edges[:, 1]] - points[edges[:, 0]], axis=1)
    left = np.arange(len(edges))
    gone = np.zeros(len(edges), bool)
    while len(left):
        ends = edges[left]
        degree = np.bincount(ends.ravel(), minlength=len(points))
        chain = chains_of(ends, (degree != 2) | anchored)
        total = np.bincount(chain, long[left])
        is_open = np.zeros(len(total), bool)
        is_open[chain[((degree[ends] == 1) & ~anchored[ends]).any(axis=1)]] = True
        drop = (is_open & (total < length))[chain]
        if not drop.any():
            break
        gone[left[drop]] = True
        left = left[~drop]
    return gone
