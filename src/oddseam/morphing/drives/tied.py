"""Nodes that no element uses, and that a rigid or distributing element ties to what is moved."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from oddseam.accounts import Step
from oddseam.arrays import Array, IdIndex
from oddseam.findings.classes.finding import point_of
from oddseam.model import KINDS, Mesh
from oddseam.model.references import Tie
from oddseam.model.rings import used_nodes

#: Nodes in a line, or at one place, by the share of their spread across, turn nothing with them.
_IN_LINE = 1e-6


def follow_ties(mesh: Mesh, points: Array, driven: Array) -> tuple[Array, list[Step], list[str]]:
    """Move tied nodes along, by the rigid motion that is nearest to that of the nodes that they are tied to.

    Where only some of those lie on what is moved, the node stays.

    Parameters
    ----------
    mesh : Mesh
    points : (n, 3) array
        Where nodes have come to lie; not changed.
    driven : (n,) bool array

    Returns
    -------
    points : (n, 3) array
    steps : list of Step
        What followed.
    notes : list of str
        What stayed, and how far off the middle it is now.

    Notes
    -----
    The rigid motion by the singular values of the covariance (Kabsch, 1976, A solution for the best rotation to relate
    two sets of vectors).
    """
    references = None if mesh.source is None else mesh.source.references
    moved = (points != mesh.nodes).any(axis=1)
    if references is None or not references.ties or not moved.any():
        return points, [], []
    free = ~used_nodes(mesh) & ~driven
    new, steps, notes = points.copy(), [], []
    for tie in references.ties:
        its = _nodes_of(mesh, tie)
        hubs, spokes = its[free[its]], its[~free[its]]
        if not len(hubs) or not len(spokes) or not moved[spokes].any():
            continue
        if (moved | driven)[spokes].all():
            new[hubs] = _carried(mesh.nodes[spokes], points[spokes], mesh.nodes[hubs])
        for hub in hubs.tolist():
            number, place = int(mesh.node_ids[hub]), point_of(mesh.nodes[hub])
            far = float(np.linalg.norm(new[hub] - mesh.nodes[hub]))
            off = new[hub] - points[spokes].mean(axis=0)
            off -= mesh.nodes[hub] - mesh.nodes[spokes].mean(axis=0)
            if (moved | driven)[spokes].all():
                steps.append(Step("follow", 1, far, f"node {number}, tied by a {tie.card} to what is moved", (place,)))
            else:
                some = f"{int(moved[spokes].sum()):,} of the {len(spokes):,} nodes"
                notes.append(
                    f"node {number} stays: {some} that a {tie.card} ties it to are moved; it is "
                    f"{float(np.linalg.norm(off)):.4g} farther off their middle than it was"
                )
    return new, steps, notes


def _nodes_of(mesh: Mesh, tie: Tie) -> Array:
    """Rows of the nodes that a tie holds together, each once."""
    row, missing = IdIndex(mesh.node_ids).of(np.array(tie.ids, np.int64))
    found = [row[~missing], *(mesh.groups.nodes[name] for name in tie.sets if name in mesh.groups.nodes)]
    for name in tie.surfaces:
        found += _nodes_of_sides(mesh, mesh.groups.sides.get(name, np.zeros((0, 2), np.int32)))
    return np.unique(np.concatenate(found))


def _nodes_of_sides(mesh: Mesh, pairs: Array) -> Iterator[Array]:
    for name, block, span in mesh.blocks():
        its = pairs[(pairs[:, 0] >= span.start) & (pairs[:, 0] < span.stop)]
        for side in np.unique(its[:, 1]).tolist():
            rows = its[its[:, 1] == side, 0] - span.start
            yield block.connectivity[rows][:, list(KINDS[name].sides[side])].ravel()


def _carried(before: Array, after: Array, points: Array) -> Array:
    """Points moved by the rigid motion that is nearest to one of nodes."""
    middle, to = before.mean(axis=0), after.mean(axis=0)
    u, size, vt = np.linalg.svd((before - middle).T @ (after - to))
    if size[1] <= _IN_LINE * max(size[0], 1e-300):
        return np.asarray(points + (to - middle))
    flip = np.diag([1.0, 1.0, np.sign(np.linalg.det(u @ vt))])
    return np.asarray((points - middle) @ (u @ flip @ vt) + to)
