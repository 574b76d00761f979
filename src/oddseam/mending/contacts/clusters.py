"""Which nodes become one: clusters that grow by the nearest pairs."""

from __future__ import annotations

from collections.abc import Callable, Collection

import numpy as np

from oddseam.arrays import Array


def gathered_nodes(
    nodes: Array, one: Array, two: Array, rank: Array, beside: Callable[[int], Collection[int]]
) -> Array:
    """For each node the one that takes its place, itself for one that stays; no two that stay may still become one.

    By rank every node stays that may become one with none which stays already; each of the others goes to the nearest
    of these.  Parameters as for :func:`joined_nodes`, where pairs lie no farther apart than what may be joined.
    """
    gap = np.linalg.norm(nodes[one] - nodes[two], axis=1)
    near: dict[int, list[tuple[float, int]]] = {}
    for a, b, away in zip(one.tolist(), two.tolist(), gap.tolist(), strict=True):
        near.setdefault(a, []).append((away, b))
        near.setdefault(b, []).append((away, a))
    into = np.arange(len(nodes))
    members: dict[int, list[int]] = {}

    def may_join(node: int, stays: int) -> bool:
        apart = set(beside(node))
        return stays not in apart and apart.isdisjoint(members.get(stays, ()))

    ordered = sorted(near, key=lambda node: int(rank[node]))
    staying: set[int] = set()
    for node in ordered:
        if not any(other in staying and may_join(node, other) for _, other in near[node]):
            staying.add(node)
    for node in ordered:
        if node in staying:
            continue
        goals = sorted((away, int(rank[other]), other) for away, other in near[node] if other in staying)
        goal = next((other for _, _, other in goals if may_join(node, other)), None)
        if goal is None:  # what it could have joined was joined by a neighbour of its own
            staying.add(node)
            continue
        into[node] = goal
        members.setdefault(goal, []).append(node)
    return into


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
