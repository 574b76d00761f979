"""The one function that numbers: a mesh made of another, with the origin of every node and element."""

from __future__ import annotations

import dataclasses
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from oddseam.arrays import Array
from oddseam.model.elements import Elements
from oddseam.model.fresh_ids import fresh_ids
from oddseam.model.groups import Groups
from oddseam.model.kinds import KINDS
from oddseam.model.mesh import Mesh
from oddseam.model.references import ELEMENT_IDS, NODE_IDS
from oddseam.model.shape import Creases, Patches


@dataclass(frozen=True, eq=False)
class Origin:
    """What every node, or every element, of a new mesh comes from.

    Attributes
    ----------
    row : (k,) int array
        Row in the old mesh, or -1 for what is new.
    stays : (k,) bool array
        Whether it is that one still: it keeps its id.  What has an origin and is not that one, such as a copy or a
        piece, joins the groups of it and gets an id of its own.
    """

    row: Array
    stays: Array

    @classmethod
    def of(cls, row: Array) -> Origin:
        """One in which all that has an origin is that one still."""
        return cls(row, row >= 0)


@dataclass(frozen=True, eq=False)
class Content:
    """What a new mesh is made of, before it has ids.

    Attributes
    ----------
    nodes : (n, 3) float array
    tables : mapping of str to (m, k) int array
        Nodes of the elements of each kind, which stand in the order of ``KINDS``.
    part : (m,) int array
        Index of the part of every element, all kinds in order.
    node, element : Origin
    """

    nodes: Array
    tables: Mapping[str, Array]
    part: Array
    node: Origin
    element: Origin


def renumbered(
    mesh: Mesh,
    content: Content,
    *,
    creases: Creases | None,
    label: Array | None = None,
    groups: Groups | None = None,
    anew: bool = False,
) -> Mesh:
    """The mesh that some content makes: what stays keeps its id, what is new gets one that there never was.

    Parameters
    ----------
    mesh : Mesh
        What the content comes from.
    content : Content
    creases : Creases, optional
        Between nodes of the content.
    label : (m,) int array, optional
        Patch of every element; by origin, and none for what is new, where it is not given.
    groups : Groups, optional
        Those of the content; by origin where they are not given, sides as far as their elements stay.
    anew : bool
        Whether nodes and elements count from 1 instead.
    """
    node_ids = _ids(mesh, NODE_IDS, content.node, anew)
    element_ids = _ids(mesh, ELEMENT_IDS, content.element, anew)
    blocks, at = {}, 0
    for name in (name for name in KINDS if name in content.tables):
        table = content.tables[name]
        rows = slice(at, at + len(table))
        blocks[name] = Elements(np.asarray(table, np.int32), element_ids[rows], content.part[rows])
        at += len(table)
    patches = mesh.patches
    if patches is not None:
        origin = content.element.row
        label = np.where(origin >= 0, np.append(patches.label, -1)[origin], -1) if label is None else label
        patches = Patches(label, patches.table)
    return dataclasses.replace(
        mesh,
        nodes=content.nodes,
        node_ids=node_ids,
        elements=blocks,
        groups=groups_by_origin(mesh.groups, content.node, content.element) if groups is None else groups,
        creases=creases,
        patches=patches,
    ).came_of(mesh)


def _ids(mesh: Mesh, what: str, origin: Origin, anew: bool) -> Array:
    if anew:
        return np.arange(1, len(origin.row) + 1)
    old = mesh.node_ids if what == NODE_IDS else mesh.element_ids
    ids = np.empty(len(origin.row), np.int64)
    ids[origin.stays] = old[origin.row[origin.stays]]
    ids[~origin.stays] = fresh_ids(mesh, what, int((~origin.stays).sum()))
    return ids


def groups_by_origin(groups: Groups, node: Origin, element: Origin) -> Groups:
    """Groups after an operation: members follow their origin, sides as long as their element stays; O(n) each."""
    stays = element.row[element.stays]
    heir = np.full(int(stays.max(initial=-1)) + 2, -1)  # the last one stands for those beyond
    heir[stays] = np.flatnonzero(element.stays)
    sides = {}
    for name, pairs in groups.sides.items():
        new = heir[np.minimum(pairs[:, 0], len(heir) - 1)]
        sides[name] = np.column_stack([new, pairs[:, 1]])[new >= 0]
    return Groups(_followed(groups.nodes, node.row), _followed(groups.elements, element.row), sides)


def _followed(members: Mapping[str, Array], origin: Array) -> dict[str, Array]:
    is_member = np.zeros(int(origin.max(initial=-1)) + 2, bool)  # the last one stands for no origin
    kept = {}
    for name, held in members.items():
        index = held[held < len(is_member) - 1]
        is_member[index] = True
        kept[name] = np.flatnonzero(is_member[origin]).astype(np.int32)
        is_member[index] = False
    return kept


def kept_creases(creases: Creases | None, new_index: Array) -> Creases | None:
    """Creases between nodes of new numbers (n,), -1 for none; those at a node that has none are left out."""
    if creases is None:
        return None
    edges = new_index[creases.edges]
    whole = (edges >= 0).all(axis=1)
    return Creases(edges[whole], creases.kind[whole])
