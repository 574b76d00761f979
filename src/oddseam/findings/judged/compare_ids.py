"""What differs between two states of a mesh, by ids."""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array, IdIndex
from oddseam.inputs import checked
from oddseam.model import Mesh

Touched = dict[str, dict[str, list[int]]]


@checked
def compare_ids(before: Mesh, after: Mesh) -> Touched:
    """List the ids that were touched from one state of a mesh to another.

    Parameters
    ----------
    before, after : Mesh

    Returns
    -------
    dict
        ``nodes`` with ids ``gone``, ``new`` and ``moved``; ``elements`` with ids ``gone``, ``new`` and ``changed``
        (other nodes, another kind or another part).  O(n log n).

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [2, 0, 0], [0, 2, 0], [0, 0, 2]]
    >>> tent = oddseam.Mesh.from_triangles(nodes, [[0, 1, 3], [0, 3, 2], [1, 2, 3]], unit="mm")
    >>> oddseam.compare_ids(tent, oddseam.fill(tent, near=(0, 0, 0)))["elements"]
    {'gone': [], 'new': [4], 'changed': []}
    """
    gone, new, one, two = _matched(before.node_ids, after.node_ids)
    moved = (before.nodes[one] != after.nodes[two]).any(axis=1)
    nodes = {"gone": gone, "new": new, "moved": before.node_ids[one[moved]]}
    gone, new, one, _ = _matched(before.element_ids, after.element_ids)
    changed = np.setdiff1d(before.element_ids[one], _unchanged(before, after))
    elements = {"gone": gone, "new": new, "changed": changed}
    return {
        "nodes": {name: sorted(ids.tolist()) for name, ids in nodes.items()},
        "elements": {name: sorted(ids.tolist()) for name, ids in elements.items()},
    }


def _matched(before: Array, after: Array) -> tuple[Array, Array, Array, Array]:
    """Ids that went and that came, and the rows of both for the others."""
    row, missing = IdIndex(after).of(before)
    return before[missing], np.setdiff1d(after, before), np.flatnonzero(~missing), row[~missing]


def _unchanged(before: Mesh, after: Mesh) -> Array:
    """Ids of the elements of the same kind, nodes and part in both."""
    same = [np.zeros(0, np.int64)]
    parts = [np.array([part.id for part in mesh.parts], np.int64) for mesh in (before, after)]
    for name, one in before.elements.items():
        two = after.elements.get(name)
        if two is None:
            continue
        row, missing = IdIndex(two.ids).of(one.ids)
        mine, its = np.flatnonzero(~missing), row[~missing]
        equal = (before.node_ids[one.connectivity[mine]] == after.node_ids[two.connectivity[its]]).all(axis=1)
        equal &= parts[0][one.part[mine]] == parts[1][two.part[its]]
        same.append(one.ids[mine[equal]])
    return np.concatenate(same)
