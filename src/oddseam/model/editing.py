"""Dropping, turning and adding elements and joining nodes, with everything else following."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from oddseam.arrays import Array
from oddseam.model.groups import Groups
from oddseam.model.kinds import KINDS
from oddseam.model.mesh import Mesh
from oddseam.model.renumbering import Content, Origin, groups_by_origin, kept_creases, renumbered
from oddseam.model.shape import Creases


@dataclass(frozen=True, eq=False)
class Added:
    """What comes to a mesh.

    Attributes
    ----------
    nodes : (k, 3) float array, optional
        Their indices count on from the mesh's.
    triangles : (t, 3) int array, optional
    quads : (q, 4) int array, optional
    lines : (l, 2) int array, optional
        What is added comes last in its kind.
    like : (t + q + l,) int array
        For each added element, triangles, quads and lines in this order, the one whose part and patch it takes.
    derived : bool
        Whether added elements are pieces of those, and join their groups.
    creases : Creases, optional
        Between nodes of the mesh and added ones.
    """

    nodes: Array | None = None
    triangles: Array | None = None
    quads: Array | None = None
    lines: Array | None = None
    like: Array | Sequence[int] = ()
    derived: bool = False
    creases: Creases | None = None


_NOTHING = Added()


def edited(mesh: Mesh, *, drop: Array | None = None, turn: Array | None = None, add: Added = _NOTHING) -> Mesh:
    """A mesh with some elements dropped, some turned over, and triangles, quads and lines added.

    Everything else keeps its id, its nodes and its bits.  Nodes that no element uses any more
    go; nodes that none used before stay.  New ids lie above the highest.

    Parameters
    ----------
    mesh : Mesh
    drop, turn : int arrays, optional
        Element indices.
    add : Added, optional
    """
    old_nodes = mesh.n_nodes
    nodes = mesh.nodes if add.nodes is None else np.concatenate([mesh.nodes, add.nodes])
    dropped, turned = np.zeros(mesh.n_elements, bool), np.zeros(mesh.n_elements, bool)
    if drop is not None:
        dropped[drop] = True
    if turn is not None:
        turned[turn] = True
    added = {
        "tri": np.zeros((0, 3), np.int32) if add.triangles is None else np.asarray(add.triangles, np.int32),
        "quad": np.zeros((0, 4), np.int32) if add.quads is None else np.asarray(add.quads, np.int32),
        "line": np.zeros((0, 2), np.int32) if add.lines is None else np.asarray(add.lines, np.int32),
    }
    like = np.asarray(add.like, np.int64)
    likes = dict(zip(added, np.split(like, np.cumsum([len(its) for its in added.values()])[:-1]), strict=True))

    tables: dict[str, Array] = {}
    origin, is_added = [np.zeros(0, np.int64)], [np.zeros(0, bool)]
    at = 0
    for name in (name for name in KINDS if name in mesh.elements or len(added.get(name, ()))):
        block, more = mesh.elements.get(name), added.get(name, np.zeros((0, KINDS[name].size), np.int32))
        rows = np.arange(at, at + (0 if block is None else len(block)))
        at += len(rows)
        kept = rows[~dropped[rows]]
        old = more[:0] if block is None else block.connectivity[~dropped[rows]]
        if turned[kept].any():
            old = old.copy()
            old[turned[kept]] = old[turned[kept]][:, _turned_order(name)]
        tables[name] = np.concatenate([old, more]) if len(more) else old
        origin += [kept, likes.get(name, kept[:0])]
        is_added += [np.zeros(len(kept), bool), np.ones(len(more), bool)]
    source, new = np.concatenate(origin), np.concatenate(is_added)

    used_before, used = np.zeros(len(nodes), bool), np.zeros(len(nodes), bool)
    for block in mesh.elements.values():
        used_before[block.connectivity] = True
    for table in tables.values():
        used[table] = True
    keep = used | ~used_before
    keep[old_nodes:] = used[old_nodes:]
    new_index = np.where(keep, np.cumsum(keep) - 1, -1)
    kept = np.flatnonzero(keep)
    element = Origin(np.where(new & (not add.derived), -1, source), ~new)
    content = Content(
        nodes[kept],
        {name: new_index[table] for name, table in tables.items()},
        mesh.element_part[source],
        Origin.of(np.where(kept < old_nodes, kept, -1)),
        element,
    )
    label = None if mesh.patches is None else mesh.patches.label[source]
    groups = groups_by_origin(_turned_sides(mesh, turned), content.node, element)
    creases = kept_creases(joint_creases(mesh.creases, add.creases), new_index)
    return renumbered(mesh, content, creases=creases, label=label, groups=groups)


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
    kept = np.flatnonzero(~gone)
    index = np.where(gone, -1, np.cumsum(~gone) - 1)
    return _with_nodes(mesh, mesh.nodes[kept], index, Origin.of(kept))


def _with_nodes(mesh: Mesh, nodes: Array, index: Array, origin: Origin, groups: Groups | None = None) -> Mesh:
    """The same elements between other nodes: ``index`` (n,) is what has become of each node."""
    tables = {name: index[block.connectivity] for name, block in mesh.elements.items()}
    content = Content(nodes, tables, mesh.element_part, origin, Origin.of(np.arange(mesh.n_elements)))
    return renumbered(mesh, content, creases=_once(kept_creases(mesh.creases, index)), groups=groups)


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
    return _with_nodes(mesh, mesh.nodes[stays], new_index, Origin.of(np.flatnonzero(stays)), groups)


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
    tables = {}
    for name, block, span in mesh.blocks():
        mine = np.flatnonzero((element >= span.start) & (element < span.stop))
        tables[name] = block.connectivity
        if len(mine):
            tables[name] = block.connectivity.copy()
            row = element[mine] - span.start
            column = np.argmax(block.connectivity[row] == node[mine][:, None], axis=1)
            tables[name][row, column] = mesh.n_nodes + copy[mine]
    of = np.zeros(len(points), np.int64)
    of[copy] = node
    rows = np.arange(mesh.n_nodes + len(points))
    origin = Origin(np.concatenate([rows[: mesh.n_nodes], of]), rows < mesh.n_nodes)
    nodes = np.concatenate([mesh.nodes, points])
    content = Content(nodes, tables, mesh.element_part, origin, Origin.of(np.arange(mesh.n_elements)))
    return renumbered(mesh, content, creases=mesh.creases)


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
    return _once(Creases(np.concatenate([one.edges, two.edges]), np.concatenate([one.kind, two.kind])))


def _once(creases: Creases | None) -> Creases | None:
    """Without edges from a node to itself, and every edge once, of its first kind."""
    if creases is None:
        return None
    _, first = np.unique(creases.edges, axis=0, return_index=True)
    first = np.sort(first[creases.edges[first, 0] != creases.edges[first, 1]])
    return Creases(creases.edges[first], creases.kind[first])
