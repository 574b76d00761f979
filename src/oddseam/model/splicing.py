"""Putting a part of a mesh back that was taken out and worked on alone."""

from __future__ import annotations

import dataclasses
from collections.abc import Mapping

import numpy as np

from oddseam.arrays import Array, IdIndex
from oddseam.model.editing import edited, joint_creases, without_nodes
from oddseam.model.fresh_ids import fresh_ids
from oddseam.model.groups import Groups
from oddseam.model.kinds import KINDS
from oddseam.model.mesh import Elements, Mesh
from oddseam.model.rings import nodes_of, used_nodes
from oddseam.model.shape import Creases, Patches


def extracted(mesh: Mesh, elements: Array) -> Mesh:
    """A mesh of some elements, which keep their ids and those of their nodes; of other nodes it has none."""
    part = edited(mesh, drop=np.delete(np.arange(mesh.n_elements), elements))
    return without_nodes(part, ~used_nodes(part))


def spliced(mesh: Mesh, elements: Array, part: Mesh) -> Mesh | None:
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
    Mesh or None
        ``None`` if a node or an edge that the rest uses too is not as it was.
    """
    out = np.zeros(mesh.n_elements, bool)
    out[elements] = True
    used_out, used_rest = nodes_of(mesh, out), nodes_of(mesh, ~out)
    used = np.flatnonzero(used_nodes(part))
    place, ids = _places(mesh, "node", part.node_ids[used], used_out)
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
    row, element_ids = _places(mesh, "element", part.element_ids, out)
    rest = np.flatnonzero(~out)
    kind = np.concatenate([_kinds(mesh)[rest], _kinds(part)])
    order = np.lexsort((np.concatenate([rest, row]), kind))
    element = np.empty(len(order), np.int64)
    element[order] = np.arange(len(order))
    element_of_rest = np.full(mesh.n_elements, -1)
    element_of_rest[rest], element_of_part = element[: len(rest)], element[len(rest) :]
    patches = mesh.patches
    if patches is not None and part.patches is not None:
        patches = Patches(np.concatenate([patches.label[rest], part.patches.label])[order], patches.table)
    return dataclasses.replace(
        mesh,
        nodes=coordinates[stays],
        node_ids=_put(mesh.node_ids, place, ids)[stays],
        elements={
            name: _block(name, (mesh, mesh.element_ids, node_of_rest, element_of_rest),
                         (part, element_ids, node_of_part, element_of_part))
            for name in KINDS if name in mesh.elements or name in part.elements
        },
        groups=_joint_groups(
            (mesh.groups, node_of_rest, element_of_rest), (part.groups, node_of_part, element_of_part)
        ),
        creases=joint_creases(_moved(mesh.creases, node_of_rest), _moved(part.creases, node_of_part)),
        patches=patches,
    ).came_of(mesh)  # fmt: skip


def _places(mesh: Mesh, what: str, ids: Array, among: Array) -> tuple[Array, Array]:
    """For each id its row among the known ones of a mask, or one after the last; and the ids, new ones for those."""
    known = mesh.node_ids if what == "node" else mesh.element_ids
    row, missing = IdIndex(known).of(ids)
    new = missing | ~among[row] if len(known) else missing
    number = np.cumsum(new) - 1
    ids = ids.copy()
    ids[new] = fresh_ids(mesh, what, int(new.sum()))
    return np.where(new, len(known) + number, row), ids


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
        triangles = triangles[on_border[triangles].sum(axis=1) >= 2].astype(np.int64)
        ends = np.sort(np.stack([triangles, np.roll(triangles, -1, axis=1)], axis=2).reshape(-1, 2), axis=1)
        ends = ends[on_border[ends].all(axis=1)]
        return np.sort(ends[:, 0] * n + ends[:, 1])

    is_out = out[t.element]
    rest, before, after = keys(t.triangles[~is_out]), keys(t.triangles[is_out]), keys(triangles)
    return np.array_equal(before[np.isin(before, rest)], after[np.isin(after, rest)])


def _kinds(mesh: Mesh) -> Array:
    """(m,) number of the kind of every element."""
    numbers = [list(KINDS).index(name) for name in mesh.elements]
    return np.repeat(np.array(numbers, np.int64), [len(block) for block in mesh.elements.values()])


def _block(name: str, *sources: tuple[Mesh, Array, Array, Array]) -> Elements:
    """The elements of a kind from meshes, each with its ids and the new numbers of nodes and elements, or -1."""
    found: list[tuple[Array, ...]] = []
    for mesh, ids, node, element in sources:
        block = mesh.elements.get(name)
        if block is None:
            continue
        rows = np.flatnonzero(_kinds(mesh) == list(KINDS).index(name))
        kept = element[rows] >= 0
        rows = rows[kept]
        found.append((element[rows], node[block.connectivity[kept]], ids[rows], block.part[kept]))
    place, connectivity, ids, part = (np.concatenate(values) for values in zip(*found, strict=True))
    order = np.argsort(place)
    return Elements(connectivity[order].astype(np.int32), ids[order], part[order])


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


def _moved(creases: Creases | None, node: Array) -> Creases | None:
    """Creases between nodes of new numbers; those at a node that has none are left out."""
    if creases is None:
        return None
    edges = node[creases.edges]
    whole = (edges >= 0).all(axis=1)
    return Creases(edges[whole], creases.kind[whole])
