"""Which nodes become one: clusters that grow by the nearest pairs."""

from __future__ import annotations

from collections.abc import Callable, Collection

import numpy as np

from oddseam.arrays import Array


def joined_nodes(
    nodes: Array, one: Array, two: Array, reach: float, rank: Array, beside: Callable[[int], Collection[int]]
) -> Array:
    """For each node the one that takes its place, itself for one that stays.

    Parameters
    ----------
    nodes : (n, 3) float array
    one, two : (p,) int arrays
        Pairs that may become one; the nearest come first.
    reach : float
        No node moves farther than this.
    rank : (n,) int array
        Of nodes that become one, that of the lowest rank stays.
    beside : callable
        The nodes that a node must stay apart from, such as those it shares an edge with.
    """
    gap = np.linalg.norm(nodes[one] - nodes[two], axis=1)
    into = np.arange(len(nodes))
    members: dict[int, list[int]] = {}
    for row in np.lexsort((rank[two], rank[one], gap)).tolist():
        a, b = int(into[one[row]]), int(into[two[row]])
        if a == b:
            continue
        if rank[b] < rank[a]:
            a, b = b, a
        ours, theirs = members.get(a, [a]), members.get(b, [b])
        if np.linalg.norm(nodes[theirs] - nodes[a], axis=1).max() > reach:
            continue
        if any(not set(ours).isdisjoint(beside(node)) for node in theirs):
            continue  # an edge would collapse
        members[a] = ours + theirs
        into[theirs] = a
    return into
