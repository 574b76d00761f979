"""Nodes joined: those that lie within a tolerance, or those that are named."""

from __future__ import annotations

import numpy as np

from oddseam.accounts import Outcome, Step, recorded
from oddseam.arrays import Array
from oddseam.editing.nodes.merging_nodes import merged_nodes
from oddseam.errors import PickError, Refusal
from oddseam.findings.classes.finding import MOST_PLACES, point_of
from oddseam.geometry.trees.boxtree import BoxTree
from oddseam.inputs import IdsLike
from oddseam.mending.contacts.clusters import gathered_nodes
from oddseam.model import Mesh
from oddseam.model.editing import merged
from oddseam.model.loss import kept_shape
from oddseam.model.rings import used_nodes
from oddseam.progress import Progress, silent


@recorded(loss=kept_shape)
def weld(
    mesh: Mesh,
    *,
    tolerance: float | None = None,
    parts: tuple[str, str] | None = None,
    nodes: IdsLike | None = None,
    collapse: bool = False,
    progress: Progress = silent,
) -> tuple[Mesh, Outcome]:
    """Join nodes: those within a tolerance, or those that are named.

    Of nodes that become one, that with the lowest id stays, where it is: by id every node stays that is near to none
    which stays already, and each of the others goes to the nearest of these.  So a second weld finds nothing to join.
    Nodes of one element stay apart, and so do those that would leave a facet without area.

    Of nodes that are named the first stays, where it is, and the others go into it.  Triangles that have both go, quads
    with both at one edge become triangles; tets that have both go if that is asked.

    Parameters
    ----------
    mesh : Mesh
    tolerance : float, optional
        In the unit of the mesh; 0 joins nodes at the very same place.
    parts : (str, str), optional
        Only pairs with one node in each of these parts.
    nodes : sequence of int, optional
        Instead of a tolerance: ids of nodes that become one, the one that stays first.
    collapse : bool
        Whether tets that have two of these nodes go.
    progress : callable, optional

    Raises
    ------
    Refusal
        For a tolerance that is not a length; and of nodes that are named, if there is none of that id, solids or lines
        have two of them, solids would be turned inside out, or more than two facets would come to meet in an edge.
    PickError
        For a part that is not there.

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [2, 0, 0], [0, 2, 0], [2, 2, 0], [0, 2.01, 0], [2.01, 0, 0]]
    >>> torn = oddseam.Mesh.from_triangles(nodes, [[0, 1, 2], [5, 3, 4]], unit="mm")
    >>> oddseam.weld(torn, tolerance=0.02).connectivity.n_pieces
    1
    >>> oddseam.weld(torn, nodes=[2, 6]).n_nodes
    5
    """
    if (tolerance is None) == (nodes is None):
        raise Refusal("say a tolerance, or the nodes that become one, one of both")
    if nodes is not None:
        return _named(mesh, nodes, parts, collapse)
    assert tolerance is not None
    if tolerance < 0:
        raise Refusal(f"the tolerance {tolerance} is not a length")
    used = np.zeros(mesh.n_nodes, np.int8)
    if parts is None:
        used[used_nodes(mesh)] = 3
    else:
        for bit, name in enumerate(parts):
            for node in _nodes_of_part(mesh, name):
                used[node] |= 1 << bit
    rows = np.flatnonzero(used)
    if not len(rows):
        return mesh, Outcome((Step("weld", 0, 0.0, "no nodes"),))
    points = mesh.nodes[rows]
    one, two = BoxTree(np.repeat(points[:, None], 3, axis=1)).near(points, tolerance)
    keep = (one < two) if parts is None else (one < two) & ((used[rows[one]] | used[rows[two]]) == 3)
    a, b = rows[one[keep]], rows[two[keep]]
    beside = _sharing(mesh, np.concatenate([a, b]))
    into = gathered_nodes(mesh.nodes, a, b, mesh.node_ids, lambda k: beside.get(k, ()))
    into = _without_collapse(mesh, into)
    gone = np.flatnonzero(into != np.arange(mesh.n_nodes))
    if not len(gone):
        return mesh, Outcome((Step("weld", 0, 0.0, f"no two nodes within {tolerance:g}"),))
    move = float(np.linalg.norm(mesh.nodes[gone] - mesh.nodes[into[gone]], axis=1).max())
    places = tuple(point_of(mesh.nodes[row]) for row in gone[:MOST_PLACES].tolist())
    return merged(mesh, into), Outcome((Step("weld", len(gone), move, f"nodes within {tolerance:g}", places),))


def _named(mesh: Mesh, nodes: IdsLike, parts: tuple[str, str] | None, collapse: bool) -> tuple[Mesh, Outcome]:
    """The mesh with nodes merged into the first of them."""
    if len(nodes) < 2 or parts is not None:
        raise Refusal("say at least two node ids, and no parts with them")
    new, whole = mesh, Outcome()
    for gone in nodes[1:]:
        new, outcome = merged_nodes(new, nodes[0], gone, collapse=collapse)
        whole = Outcome((*whole.steps, *outcome.steps), (*whole.notes, *outcome.notes), (*whole.unmet, *outcome.unmet))
    return new, whole


def _without_collapse(mesh: Mesh, into: Array) -> Array:
    """The same, except for nodes whose joining would leave a facet without area."""
    was = set(mesh.element_ids[mesh.triangulation.element[mesh.degenerate_triangles]].tolist())
    while True:
        stays = np.flatnonzero(into == np.arange(mesh.n_nodes))
        new = merged(mesh, into)
        t = new.triangulation
        ids = new.element_ids[t.element[new.degenerate_triangles]]
        fresh = new.degenerate_triangles[[number not in was for number in ids.tolist()]]
        if not len(fresh):
            return into
        kept = np.isin(into, stays[t.triangles[fresh]])
        into = np.where(kept, np.arange(mesh.n_nodes), into)


def _nodes_of_part(mesh: Mesh, name: str) -> list[int]:
    names = [part.name for part in mesh.parts]
    if name not in names:
        raise PickError(f"there is no part {name!r}; parts are {', '.join(names[:8])}")
    number = names.index(name)
    found = [b.connectivity[b.part == number].ravel() for b in mesh.elements.values()]
    nodes: list[int] = np.unique(np.concatenate(found)).tolist()
    return nodes


def _sharing(mesh: Mesh, wanted: Array) -> dict[int, set[int]]:
    """For each of some nodes the others of them that it shares an element with."""
    mark = np.zeros(mesh.n_nodes, bool)
    mark[wanted] = True
    beside: dict[int, set[int]] = {}
    for block in mesh.elements.values():
        held = mark[block.connectivity]
        for row in np.flatnonzero(held.sum(axis=1) > 1).tolist():
            its = set(block.connectivity[row][held[row]].tolist())
            for node in its:
                beside.setdefault(node, set()).update(its - {node})
    return beside
