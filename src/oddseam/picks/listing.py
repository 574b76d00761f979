"""What a pick selects as rows of a table: by id and place, with the measure that it was picked by."""

from __future__ import annotations

from typing import Any

import numpy as np

from oddseam.arrays import Array
from oddseam.findings.qualities import element_quality
from oddseam.geometry.quality import sign_of
from oddseam.inputs import checked
from oddseam.model import Mesh
from oddseam.model.rings import corner_means, nodes_of
from oddseam.picks.language import Node, parse_pick
from oddseam.picks.selection import measure_name, pick


@checked
def list_picked(mesh: Mesh, what: str, of: str = "elements") -> list[dict[str, Any]]:
    """List what a pick selects, in the terms of the commands that take it.

    Parameters
    ----------
    mesh : Mesh
    what, of : str
        As for :func:`pick`.

    Returns
    -------
    list of dict
        One for each: ``ids`` (its own of an element or node, those of the nodes of an edge or rim), ``kind``,
        ``place`` (its middle) and ``values``: the measures that the pick names, of an element; the length of an edge;
        the diameter of a rim.  The worst come first where a measure is named, else ids ascend.  O(m).

    Raises
    ------
    PickError
        As :func:`pick` does.

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [2, 0, 0], [0, 2, 0], [0, 0, 9]]
    >>> tall = oddseam.Mesh.from_triangles(nodes, [[0, 2, 1], [0, 1, 3], [0, 3, 2], [1, 2, 3]], unit="mm")
    >>> (row,) = oddseam.list_picked(tall, "worst 1 minimum-angle")
    >>> row["ids"], round(row["values"]["minimum_angle"], 2)
    ([2], 12.53)
    """
    return rows_of(mesh, pick(mesh, what, of), what, of)


def rows_of(mesh: Mesh, chosen: Array, what: str, of: str) -> list[dict[str, Any]]:
    """The rows of what a pick is known to select."""
    if of == "elements":
        rows = _elements(mesh, chosen, _measures(parse_pick(what)))
    elif of == "nodes":
        rows = [
            {"ids": [number], "kind": "node", "place": place, "values": {}}
            for number, place in zip(mesh.node_ids[chosen].tolist(), mesh.nodes[chosen].tolist(), strict=True)
        ]
    elif of == "edges":
        ends = mesh.connectivity.edges[chosen]
        start, end = mesh.nodes[ends[:, 0]], mesh.nodes[ends[:, 1]]
        length = np.linalg.norm(end - start, axis=1).tolist()
        places = ((start + end) / 2).tolist()
        rows = [
            {"ids": ids, "kind": "edge", "place": place, "values": {"length": its}}
            for ids, place, its in zip(mesh.node_ids[ends].tolist(), places, length, strict=True)
        ]
    else:
        rims = mesh.connectivity.rims
        _, across, centre = mesh.connectivity.measure_rims(mesh.nodes)
        rows = [
            {
                "ids": mesh.node_ids[rims[k].nodes].tolist(), "kind": "rim", "place": centre[k].tolist(),
                "values": {"diameter": float(across[k])},
            }
            for k in chosen.tolist()
        ]  # fmt: skip
    return rows


def picked_nodes(mesh: Mesh, chosen: Array, of: str) -> Array:
    """Indices, ascending, of the nodes of what a pick selected."""
    if of == "nodes":
        return chosen
    if of == "edges":
        return np.unique(mesh.connectivity.edges[chosen])
    if of == "rims":
        return np.unique(np.concatenate([mesh.connectivity.rims[k].nodes for k in chosen.tolist()]))
    is_chosen = np.zeros(mesh.n_elements, bool)
    is_chosen[chosen] = True
    return np.flatnonzero(nodes_of(mesh, is_chosen))


def _elements(mesh: Mesh, chosen: Array, measures: list[str]) -> list[dict[str, Any]]:
    kinds = np.repeat(list(mesh.elements), [len(block) for block in mesh.elements.values()])[chosen]
    ids = mesh.element_ids[chosen]
    places = corner_means(mesh)[chosen]
    values = np.full((len(measures), mesh.n_elements), np.nan)
    for index, measured in element_quality(mesh).values() if measures else ():
        for k, name in enumerate(measures):
            if name in measured:
                values[k, index] = measured[name]
    values = values[:, chosen]
    order = np.argsort(ids, kind="stable")
    if measures:
        order = order[np.argsort(sign_of(measures[0]) * values[0, order], kind="stable")]
    return [
        {"ids": [int(ids[k])], "kind": str(kinds[k]), "place": places[k].tolist(),
         "values": {name: float(values[j, k]) for j, name in enumerate(measures) if not np.isnan(values[j, k])}}
        for k in order.tolist()
    ]  # fmt: skip


def _measures(node: Node) -> list[str]:
    """Names of the measures in a pick, each once."""
    own = [measure_name(node)] if node.kind == "worst" else []
    return list(dict.fromkeys([*own, *(name for below in node.below for name in _measures(below))]))
