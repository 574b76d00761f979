"""Putting a part of a mesh back that was taken out and worked on alone."""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

import numpy as np

from oddseam.arrays import Array, IdIndex
from oddseam.geometry.edge_keys import edge_keys, edges_of_triangles
from oddseam.model.editing import edited, joint_creases, without_nodes
from oddseam.model.groups import Groups
from oddseam.model.kinds import KINDS
from oddseam.model.mesh import Mesh
from oddseam.model.renumbering import Content, Origin, kept_creases, renumbered
from oddseam.model.rings import nodes_of, used_nodes


def extracted(mesh: Mesh, elements: Array) -> Mesh:
    """A mesh of some elements, which keep their ids and those of their nodes; of other nodes it has none."""
    part = edited(mesh, drop=np.delete(np.arange(mesh.n_elements), elements))
    return without_nodes(part, ~used_nodes(part))


class Spliced(NamedTuple):
    """A mesh with a part put back.

    Attributes
    ----------
    mesh : Mesh
    node, element : (n,) and (m,) int arrays
        Where in it the nodes and the elements of the part are; -1 for a node that none of these uses.
    """

    mesh: Mesh
    node: Array
    element: Array


def spliced(mesh: Mesh, elements: Array, part: Mesh) -> Mesh | None:
    """The mesh of :func:`spliced_with_rows`."""
    made = spliced_with_rows(mesh, elements, part)
    return None if made is None else made.mesh


def spliced_with_rows(mesh: Mesh, elements: Array, part: Mesh) -> Spliced | None:
    """The mesh with some elements replaced by what was made of them.

    What the part has kept is known by its ids and stays in its place in the order; what is new comes
    last and gets new ids.

    Parameters
    ----------
    mesh : Mesh
    elements : int array
        Those that had been ``extracted``.
    part : Mesh
        Made from these.

    Returns
    -------
    Spliced or None
        ``None`` if a node or an edge that the rest uses too is not as it was.
    """
    out = np.zeros(mesh.n_elements, bool)
    out[elements] = True
    used_out, used_rest = nodes_of(mesh, out), nodes_of(mesh, ~out)
    used = np.flatnonzero(used_nodes(part))
    place = _places(mesh.node_ids, part.node_ids[used], used_out)
    coordinates = _put(mesh.nodes, place, part.nodes[used])
    node = np.full(part.n_nodes, -1)
    node[used] = place
    border = used_out & used_rest
    stays = np.zeros(len(coordinates), bool)
    stays[place] = True
    same = (coordinates[: mesh.n_nodes] == mesh.nodes).all(axis=1)
    if not (stays[: mesh.n_nodes] & same)[border].all():
        return None
    if not _same_border(mesh, out, border, node[part.triangulation.triangles]):
        return None

    stays[: mesh.n_nodes] |= used_rest | ~used_out
    index = np.where(stays, np.cumsum(stays) - 1, -1)
    node_of_part = np.where(node >= 0, index[node], -1)
    node_of_rest = np.where(used_rest | ~used_out, index[: mesh.n_nodes], -1)
    row = _places(mesh.element_ids, part.element_ids, out)
    rest = np.flatnonzero(~out)
    source = np.concatenate([rest, row])
    kind = np.concatenate([_kinds(mesh)[rest], _kinds(part)])
    order = np.lexsort((source, kind))
    element = np.empty(len(order), np.int64)
    element[order] = np.arange(len(order))
    element_of_rest = np.full(mesh.n_elements, -1)
    element_of_rest[rest], element_of_part = element[: len(rest)], element[len(rest) :]
    label = None
    if mesh.patches is not None and part.patches is not None:
        label = np.concatenate([mesh.patches.label[rest], part.patches.label])[order]
    of_node = np.flatnonzero(stays)
    content = Content(
        coordinates[stays],
        {
            name: _table(name, (mesh, node_of_rest, element_of_rest), (part, node_of_part, element_of_part))
            for name in KINDS if name in mesh.elements or name in part.elements
        },
        np.concatenate([mesh.element_part[rest], part.element_part])[order],
        Origin.of(np.where(of_node < mesh.n_nodes, of_node, -1)),
        Origin.of(np.where(source < mesh.n_elements, source, -1)[order]),
    )  # fmt: skip
    groups = _joint_groups((mesh.groups, node_of_rest, element_of_rest), (part.groups, node_of_part, element_of_part))
    creases = joint_creases(kept_creases(mesh.creases, node_of_rest), kept_creases(part.creases, node_of_part))
    new = renumbered(mesh, content, creases=creases, label=label, groups=groups)
    return Spliced(new, node_of_part, element_of_part)


def _places(known: Array, ids: Array, among: Array) -> Array:
    """For each id its row among the known ones of a mask, or one after the last."""
    row, missing = IdIndex(known).of(ids)
    new = missing | ~among[row] if len(known) else missing
    return np.where(new, len(known) + np.cumsum(new) - 1, row)


def _put(values: Array, rows: Array, others: Array) -> Array:
    """Values with others put in their rows, of which those beyond the last one go on without a gap."""
    more = max(int(rows.max(initial=0)) + 1 - len(values), 0)
    result = np.concatenate([values, np.zeros((more, *values.shape[1:]), values.dtype)])
    result[rows] = others
    return result


def _same_border(mesh: Mesh, out: Array, border: Array, triangles: Array) -> bool:
    """Whether the edges that the rest has in common with what was taken out are in the new triangles as often."""
    t = mesh.triangulation
    n = max(mesh.n_nodes, int(triangles.max(initial=0)) + 1)
    on_border = np.zeros(n, bool)
    on_border[: mesh.n_nodes] = border

    def keys(triangles: Array) -> Array:
        ends = edges_of_triangles(triangles[on_border[triangles].sum(axis=1) >= 2])
        return np.sort(edge_keys(ends[on_border[ends].all(axis=2)], n))

    is_out = out[t.element]
    rest, before, after = keys(t.triangles[~is_out]), keys(t.triangles[is_out]), keys(triangles)
    return np.array_equal(before[np.isin(before, rest)], after[np.isin(after, rest)])


def _kinds(mesh: Mesh) -> Array:
    """(m,) number of the kind of every element."""
    numbers = [list(KINDS).index(name) for name in mesh.elements]
    return np.repeat(np.array(numbers, np.int64), [len(block) for block in mesh.elements.values()])


def _table(name: str, *sources: tuple[Mesh, Array, Array]) -> Array:
    """Nodes of the elements of a kind from meshes, each with the new numbers of nodes and elements, or -1."""
    found, places = [], []
    for mesh, node, element in sources:
        block = mesh.elements.get(name)
        if block is not None:
            place = element[_kinds(mesh) == list(KINDS).index(name)]
            found.append(node[block.connectivity[place >= 0]])
            places.append(place[place >= 0])
    return np.concatenate(found)[np.argsort(np.concatenate(places))]


def _joint_groups(*sources: tuple[Groups, Array, Array]) -> Groups:
    """Groups with the members of both, each with the new numbers of nodes and elements, or -1."""

    def joint(found: list[tuple[Mapping[str, Array], Array]]) -> dict[str, Array]:
        names = dict.fromkeys(name for members, _ in found for name in members)
        result = {}
        for name in names:
            its = [number[members[name]] for members, number in found if name in members]
            result[name] = np.unique(np.concatenate(its))
            result[name] = result[name][result[name] >= 0]
        return result

    sides = {}
    for name in dict.fromkeys(name for groups, *_ in sources for name in groups.sides):
        pairs = [
            np.column_stack([element[groups.sides[name][:, 0]], groups.sides[name][:, 1]])
            for groups, _, element in sources
            if name in groups.sides
        ]
        sides[name] = np.concatenate(pairs)
        sides[name] = sides[name][sides[name][:, 0] >= 0]
    return Groups(
        joint([(groups.nodes, node) for groups, node, _ in sources]),
        joint([(groups.elements, element) for groups, _, element in sources]),
        sides,
    )
