"""Dropping, turning and adding elements and joining nodes, with everything else following."""

from __future__ import annotations

import dataclasses

import numpy as np

from oddseam.arrays import Array
from oddseam.model.fresh_ids import fresh_ids
from oddseam.model.groups import Groups
from oddseam.model.kinds import KINDS
from oddseam.model.mesh import Elements, Mesh
from oddseam.model.shape import Creases, Patches


def edited(
    mesh: Mesh,
    *,
    drop: Array | None = None,
    turn: Array | None = None,
    add_nodes: Array | None = None,
    add_triangles: Array | None = None,
    add_quads: Array | None = None,
    add_lines: Array | None = None,
    like: Array | None = None,
    derived: bool = False,
    add_creases: Creases | None = None,
) -> Mesh:
    """A mesh with some elements dropped, some turned over, and triangles, quads and lines added.

    Everything else keeps its id, its nodes and its bits.  Nodes that no element uses any more
    go; nodes that none used before stay.  New ids lie above the highest.

    Parameters
    ----------
    mesh : Mesh
    drop, turn : int arrays, optional
        Element indices.
    add_nodes : (k, 3) float array, optional
        Their indices count on from the mesh's.
    add_triangles : (t, 3) int array, optional
    add_quads : (q, 4) int array, optional
    add_lines : (l, 2) int array, optional
        What is added comes last in its kind.
    like : (t + q + l,) int array, optional
        For each added element, triangles, quads and lines in this order, the one whose part and patch it takes.
    derived : bool
        Whether added elements are pieces of those, and join their groups.
    add_creases : Creases, optional
        Between nodes of the mesh and added ones.
    """
    old_nodes = mesh.n_nodes
    nodes = mesh.nodes if add_nodes is None else np.concatenate([mesh.nodes, add_nodes])
    dropped = np.zeros(mesh.n_elements, bool)
    if drop is not None:
        dropped[drop] = True
    turned = np.zeros(mesh.n_elements, bool)
    if turn is not None:
        turned[turn] = True
    added = {
        "tri": np.zeros((0, 3), np.int32) if add_triangles is None else np.asarray(add_triangles, np.int32),
        "quad": np.zeros((0, 4), np.int32) if add_quads is None else np.asarray(add_quads, np.int32),
        "line": np.zeros((0, 2), np.int32) if add_lines is None else np.asarray(add_lines, np.int32),
    }
    like = np.zeros(0, np.int64) if like is None else np.asarray(like, np.int64)
    likes = dict(zip(added, np.split(like, np.cumsum([len(its) for its in added.values()])[:-1]), strict=True))

    blocks: dict[str, Elements] = {}
    origin: list[Array] = []
    is_added: list[Array] = []
    at = 0
    fresh = fresh_ids(mesh, "element", len(like))
    for name in KINDS:
        block, more = mesh.elements.get(name), added.get(name, ())
        if block is None and not len(more):
            continue
        if block is None:
            block = Elements(added[name][:0], np.zeros(0, np.int64), np.zeros(0, np.int32))
        rows = np.arange(at, at + len(block))
        at += len(block)
        keep = ~dropped[rows]
        connectivity = block.connectivity[keep]
        over = turned[rows[keep]]
        if over.any():
            connectivity = connectivity.copy()
            connectivity[over] = connectivity[over][:, _turned_order(name)]
        ids, part, its_origin = block.ids[keep], block.part[keep], rows[keep]
        if len(more):
            connectivity = np.concatenate([connectivity, more])
            ids, fresh = np.concatenate([ids, fresh[: len(more)]]), fresh[len(more) :]
            part = np.concatenate([part, mesh.element_part[likes[name]]])
            its_origin = np.concatenate([its_origin, likes[name] if derived else np.full(len(more), -1)])
            is_added.append(np.arange(len(its_origin) - len(more), len(its_origin)) + sum(map(len, origin)))
        blocks[name] = Elements(connectivity, ids, part)
        origin.append(its_origin)
    element_origin = np.concatenate(origin) if origin else np.zeros(0, np.int64)

    used_before, used = np.zeros(len(nodes), bool), np.zeros(len(nodes), bool)
    for block in mesh.elements.values():
        used_before[block.connectivity] = True
    for block in blocks.values():
        used[block.connectivity] = True
    keep_node = used | ~used_before
    keep_node[old_nodes:] = used[old_nodes:]
    new_index = np.cumsum(keep_node) - 1
    blocks = {
        name: Elements(new_index[block.connectivity].astype(np.int32), block.ids, block.part)
        for name, block in blocks.items()
    }
    kept = np.flatnonzero(keep_node)
    node_origin = np.where(kept < old_nodes, kept, -1)
    node_ids = np.concatenate([mesh.node_ids, fresh_ids(mesh, "node", len(nodes) - old_nodes)])[kept]
    patches = mesh.patches
    if patches is not None:
        label = np.full(len(element_origin), -1, np.int32)
        label[element_origin >= 0] = patches.label[element_origin[element_origin >= 0]]
        if is_added and not derived:
            its = np.concatenate([likes[name] for name in blocks if len(likes.get(name, ()))])
            label[np.concatenate(is_added)] = patches.label[its]
        patches = Patches(label, patches.table)
    return dataclasses.replace(
        mesh,
        nodes=nodes[kept],
        node_ids=node_ids,
        elements=blocks,
        groups=_turned_sides(mesh, turned).carried(node_origin, element_origin, sides=True),
        creases=_kept_creases(joint_creases(mesh.creases, add_creases), keep_node, new_index),
        patches=patches,
    ).came_of(mesh)


def as_it_was(mesh: Mesh, new: Mesh) -> Mesh:
    """The mesh itself where a new one differs from it by ids of nodes alone, which were joined and parted again."""
    if mesh.n_nodes != new.n_nodes or mesh.elements.keys() != new.elements.keys():
        return new
    same = np.array_equal(mesh.nodes, new.nodes) and all(
        np.array_equal(getattr(block, name), getattr(new.elements[kind], name))
        for kind, block in mesh.elements.items()
        for name in ("connectivity", "ids", "part")
    )
    before, after = (np.zeros((0, 2)) if one.creases is None else one.creases.edges for one in (mesh, new))
    return mesh if same and np.array_equal(before, after) else new


def without_nodes(mesh: Mesh, gone: Array) -> Mesh:
    """A mesh without some nodes (n,) that no element uses; groups and creases follow."""
    if not gone.any():
        return mesh
    keep = ~gone
    index = np.cumsum(keep) - 1
    return dataclasses.replace(
        mesh,
        nodes=mesh.nodes[keep],
        node_ids=mesh.node_ids[keep],
        elements={
            name: Elements(index[block.connectivity].astype(np.int32), block.ids, block.part)
            for name, block in mesh.elements.items()
        },
        groups=mesh.groups.carried(np.flatnonzero(keep), np.arange(mesh.n_elements), sides=True),
        creases=_kept_creases(mesh.creases, keep, index),
    ).came_of(mesh)


def new_elements(mesh: Mesh, before: Mesh) -> Array:
    """(k,) elements that have come since an earlier state: those with ids that are not in it."""
    return np.flatnonzero(~np.isin(mesh.element_ids, before.element_ids))


def merged(mesh: Mesh, into: Array) -> Mesh:
    """A mesh with some nodes joined into others; elements keep their ids, groups and creases follow.

    Parameters
    ----------
    mesh : Mesh
    into : (n,) int array
        For each node the one that takes its place, itself for one that stays.
    """
    into = np.asarray(into)
    stays = into == np.arange(mesh.n_nodes)
    new_index = (np.cumsum(stays) - 1)[into].astype(np.int32)
    groups = Groups(
        {name: np.unique(new_index[members]) for name, members in mesh.groups.nodes.items()},
        mesh.groups.elements,
        mesh.groups.sides,
    )
    creases = mesh.creases
    if creases is not None:
        edges = np.sort(new_index[creases.edges], axis=1)
        _, first = np.unique(edges, axis=0, return_index=True)
        first = np.sort(first[edges[first, 0] != edges[first, 1]])
        creases = Creases(edges[first], creases.kind[first])
    return dataclasses.replace(
        mesh,
        nodes=mesh.nodes[stays],
        node_ids=mesh.node_ids[stays],
        elements={
            name: Elements(new_index[block.connectivity], block.ids, block.part)
            for name, block in mesh.elements.items()
        },
        groups=groups,
        creases=creases,
    ).came_of(mesh)


def parted(mesh: Mesh, element: Array, node: Array, copy: Array, points: Array) -> Mesh:
    """A mesh in which some elements use copies of their nodes.

    Parameters
    ----------
    mesh : Mesh
    element, node, copy : (k,) int arrays
        Element ``element[i]`` uses copy ``copy[i]`` in place of ``node[i]``.
    points : (c, 3) float array
        Where the copies are; they join the groups of the nodes they are of.
    """
    blocks, at = {}, 0
    for name, block in mesh.elements.items():
        mine = np.flatnonzero((element >= at) & (element < at + len(block)))
        connectivity = block.connectivity
        if len(mine):
            connectivity = connectivity.copy()
            row = element[mine] - at
            column = np.argmax(connectivity[row] == node[mine][:, None], axis=1)
            connectivity[row, column] = mesh.n_nodes + copy[mine]
        blocks[name] = Elements(connectivity, block.ids, block.part)
        at += len(block)
    of = np.zeros(len(points), np.int64)
    of[copy] = node
    groups = {
        name: np.concatenate([members, mesh.n_nodes + np.flatnonzero(np.isin(of, members))])
        for name, members in mesh.groups.nodes.items()
    }
    ids = fresh_ids(mesh, "node", len(points))
    return dataclasses.replace(
        mesh,
        nodes=np.concatenate([mesh.nodes, points]),
        node_ids=np.concatenate([mesh.node_ids, ids]),
        elements=blocks,
        groups=Groups(groups, mesh.groups.elements, mesh.groups.sides),
    ).came_of(mesh)


def _turned_order(name: str) -> list[int]:
    """Node order of a shell element turned over, its first node kept."""
    k = KINDS[name].corners
    corners = [0, *range(k - 1, 0, -1)]
    return corners + ([k + k - 1 - j for j in range(k)] if KINDS[name].is_quadratic else [])


def _turned_sides(mesh: Mesh, turned: Array) -> Groups:
    """Side groups after turning: the two faces change places, and edges count the other way."""
    if not mesh.groups.sides or not turned.any():
        return mesh.groups
    corners = np.concatenate([np.full(len(b), KINDS[name].corners) for name, b in mesh.elements.items()])
    sides = {}
    for name, pairs in mesh.groups.sides.items():
        element, side = pairs.T
        other = np.where(side < 2, 1 - side, corners[element] + 3 - side)
        sides[name] = np.column_stack([element, np.where(turned[element], other, side)])
    return Groups(mesh.groups.nodes, mesh.groups.elements, sides)


def joint_creases(one: Creases | None, two: Creases | None) -> Creases | None:
    """Both together; an edge that is in both keeps the first kind."""
    if one is None or two is None:
        return one or two
    edges = np.concatenate([one.edges, two.edges])
    _, first = np.unique(edges, axis=0, return_index=True)
    first.sort()
    return Creases(edges[first], np.concatenate([one.kind, two.kind])[first])


def _kept_creases(creases: Creases | None, keep: Array, new_index: Array) -> Creases | None:
    if creases is None:
        return None
    whole = keep[creases.edges].all(axis=1)
    return Creases(new_index[creases.edges[whole]], creases.kind[whole])
