"""What a pick selects as rows of a table: by id and place, with the measure that it was picked by."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from oddseam.arrays import Array, Point, point_text
from oddseam.findings.classes.finding import point_of
from oddseam.findings.judged.qualities import element_quality
from oddseam.geometry.shapes.quality import sign_of
from oddseam.inputs import checked
from oddseam.listing import Listing, column
from oddseam.model import Mesh
from oddseam.model.rings import corner_means, nodes_of
from oddseam.picks.language import Node, parse_pick
from oddseam.picks.selection import Of, measure_name, selected
from oddseam.progress import Progress, silent


@dataclass(frozen=True)
class Picked:
    """An element, node, edge or rim.

    Attributes
    ----------
    ids : tuple of int
        Its own of an element or node, those of the nodes of an edge or rim.
    kind : str
    values : mapping of str to float
        The measures that the pick names, of an element; the length of an edge; the diameter of a rim.
    place : (x, y, z)
        Its middle.
    """

    ids: tuple[int, ...]
    kind: str
    values: Mapping[str, float] = column()
    place: Point = column()  # noqa: RUF009  (it makes a field)


@checked
def list_picked(mesh: Mesh, pick: str, *, of: Of = "elements", progress: Progress = silent) -> Listing[Picked]:
    """List what a pick selects, in the terms of the commands that take it.

    Parameters
    ----------
    mesh : Mesh
    pick, of : str
        As for :func:`pick`.
    progress : callable, optional

    Returns
    -------
    Listing of Picked
        The worst come first where a measure is named, else ids ascend.  O(m).

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
    >>> row.ids, round(row.values["minimum_angle"], 2)
    ((2,), 12.53)
    """
    chosen = selected(mesh, pick, of)
    nodes = mesh.nodes[_nodes_of(mesh, chosen, of)]
    if of == "elements":
        rows = _elements(mesh, chosen, _measures(parse_pick(pick)))
    elif of == "nodes":
        rows = [
            Picked((number,), "node", {}, point_of(place))
            for number, place in zip(mesh.node_ids[chosen].tolist(), mesh.nodes[chosen], strict=True)
        ]
    elif of == "edges":
        ends = mesh.connectivity.edges[chosen]
        start, end = mesh.nodes[ends[:, 0]], mesh.nodes[ends[:, 1]]
        length = np.linalg.norm(end - start, axis=1).tolist()
        places = (start + end) / 2
        rows = [
            Picked(tuple(ids), "edge", {"length": its}, point_of(place))
            for ids, place, its in zip(mesh.node_ids[ends].tolist(), places, length, strict=True)
        ]
    else:
        rims = mesh.connectivity.rims
        _, across, centre = mesh.connectivity.measure_rims(mesh.nodes)
        rows = [
            Picked(
                tuple(mesh.node_ids[rims[k].nodes].tolist()), "rim", {"diameter": float(across[k])}, point_of(centre[k])
            )
            for k in chosen.tolist()
        ]  # fmt: skip
    kinds = ", ".join(f"{count:,} {kind}" for kind, count in Counter(row.kind for row in rows).items())
    low, high = (point_text(end) for end in (nodes.min(axis=0), nodes.max(axis=0)))
    title = f"{len(rows):,} {of}{f' ({kinds})' if of == 'elements' else ''}, from {low} to {high}"
    return Listing(tuple(rows), Picked, title, mesh.diagonal)


def _nodes_of(mesh: Mesh, chosen: Array, of: Of) -> Array:
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


def _elements(mesh: Mesh, chosen: Array, measures: list[str]) -> list[Picked]:
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
        Picked(
            (int(ids[k]),), str(kinds[k]),
            {name: float(values[j, k]) for j, name in enumerate(measures) if not np.isnan(values[j, k])},
            point_of(places[k]),
        )
        for k in order.tolist()
    ]  # fmt: skip


def _measures(node: Node) -> list[str]:
    """Names of the measures in a pick, each once."""
    own = [measure_name(node)] if node.kind == "worst" else []
    return list(dict.fromkeys([*own, *(name for below in node.below for name in _measures(below))]))
