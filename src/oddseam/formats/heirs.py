"""What lay where new elements of a deck are: whose offsets, angles and orientations they get, and whose pressures."""

from __future__ import annotations

from collections.abc import Callable, Container
from dataclasses import dataclass

import numpy as np

from oddseam.arrays import Array, IdIndex
from oddseam.formats.rewriting import Differences
from oddseam.geometry.trees.boxtree import BoxTree
from oddseam.geometry.triangles import unit_normals
from oddseam.model import KINDS, Mesh
from oddseam.model.connectivity import label_components
from oddseam.model.source import ELEMENT, NODE, Records

#: A new element lies on an old one if its middle is this near to it, over its size.
_ON = 0.3
#: Cosine of the largest angle between their normals.
_AGREES = 0.5


@dataclass(frozen=True, eq=False)
class Heirs:
    """New elements, and what each is like.

    Attributes
    ----------
    ids : (k,) int64 array
        Of the new elements.
    record : (k,) int64 array
        Of the deck: the element of the same part and dimension that is nearest of those which are gone or beside; -1.
    on : (k,) bool array
        Whether it lies where that one was, or is.
    piece : (k,) int64 array
        Which new elements hang together.
    """

    ids: Array
    record: Array
    on: Array
    piece: Array

    def successors(self, mesh: Mesh, records: Records) -> Successors:
        """What came in the place of elements that are gone."""
        key = records.key[self.record]
        lies = self.on & (self.record >= 0) & ~np.isin(key, mesh.element_ids)
        number = np.cumsum(records.role == ELEMENT) - 1
        new: dict[int, list[int]] = {}
        nodes: dict[int, list[int]] = {}
        row = IdIndex(mesh.element_ids).of(self.ids[lies])[0]
        of_element = _node_ids(mesh)
        for old, record, its, k in zip(
            key[lies].tolist(), self.record[lies].tolist(), self.ids[lies].tolist(), row.tolist(), strict=True
        ):
            new.setdefault(old, []).append(its)
            if old not in nodes:
                n = int(number[record])
                nodes[old] = records.element_nodes[records.element_first[n] : records.element_first[n + 1]].tolist()
            nodes.setdefault(-its, of_element(k))
        return Successors(new, nodes)


@dataclass(frozen=True, eq=False)
class Successors:
    """What came in the place of elements that are gone.

    Attributes
    ----------
    elements : dict of int to list of int
        New elements by the old one that they lie on.
    nodes : dict of int to list of int
        Nodes of these, by the id of an old one, and by minus the id of a new one.
    """

    elements: dict[int, list[int]]
    nodes: dict[int, list[int]]

    def of_elements(self, ids: Container[int]) -> list[int]:
        """New elements that lie on some old ones."""
        return sorted(new for old, its in self.elements.items() if old in ids for new in its)

    def of_nodes(self, ids: Container[int]) -> list[int]:
        """Nodes of new elements that lie on old ones all of whose nodes are among some."""
        found: set[int] = set()
        for old, new in self.elements.items():
            if all(node in ids for node in self.nodes[old]):
                found.update(*(self.nodes[-number] for number in new))
        return sorted(node for node in found if node not in ids)


def _node_ids(mesh: Mesh) -> Callable[[int], list[int]]:
    """Gives the ids of the nodes of an element by its row."""
    blocks = list(mesh.elements.values())
    starts = np.cumsum([0, *(len(block) for block in blocks)])

    def of(row: int) -> list[int]:
        k = int(np.searchsorted(starts, row, side="right")) - 1
        ids: list[int] = mesh.node_ids[blocks[k].connectivity[row - starts[k]]].tolist()
        return ids

    return of


def heirs_of(mesh: Mesh, records: Records, placed: Array, found: Differences, kind_of: Callable[[int], str]) -> Heirs:
    """Find what new elements are like; O(n log n).

    Parameters
    ----------
    mesh : Mesh
    records : Records
    placed : (n, 3) array
        Where the node records put their nodes.
    found : Differences
    kind_of : callable
        The linear kind of the element in a record, or an empty text.
    """
    new = [(kind, rows) for kind, rows in found.new_elements if KINDS[kind].dimension in (1, 2)]
    touched = np.zeros(mesh.n_nodes, bool)
    for kind, rows in new:
        touched[mesh.elements[kind].connectivity[rows]] = True
    at = np.flatnonzero(records.role == ELEMENT)
    index = IdIndex(records.key[at])
    beside = [found.gone["element"][0]]
    for block in mesh.elements.values():
        row, unknown = index.of(block.ids)
        near = touched[block.connectivity].any(axis=1) & ~unknown
        beside.append(at[row[near]])
    sources = np.unique(np.concatenate(beside))
    ids, record, on, ends = [], [], [], []
    old = _Shapes.of_records(records, placed, sources, kind_of)
    for kind, rows in new:
        block = mesh.elements[kind]
        parts = np.array([part.id for part in mesh.parts], np.int64)[block.part[rows]]
        corners = block.connectivity[rows][:, : KINDS[kind].corners]
        its, lies = old.nearest(mesh.nodes[corners], parts, KINDS[kind].dimension)
        ids.append(block.ids[rows])
        record.append(its)
        on.append(lies)
        ends.append(corners)
    every = np.concatenate([np.zeros(0, np.int64), *ids])
    piece = _pieces(ends, mesh.n_nodes)
    if not len(every):
        return Heirs(every, every, np.zeros(0, bool), every)
    return Heirs(every, np.concatenate(record), np.concatenate(on), piece)


def _pieces(corners: list[Array], n: int) -> Array:
    """Which elements hang together by nodes."""
    first, last = [], []
    for its in corners:
        first.append(np.repeat(its[:, 0], its.shape[1] - 1))
        last.append(its[:, 1:].ravel())
    label = label_components(n, np.concatenate([*first, [0]]), np.concatenate([*last, [0]]))[1]
    return np.concatenate([np.zeros(0, np.int64), *(label[its[:, 0]] for its in corners)])


@dataclass(frozen=True, eq=False)
class _Shapes:
    """Lines and shells of a deck as triangles, by dimension: corners, part and record."""

    corners: dict[int, Array]
    part: dict[int, Array]
    record: dict[int, Array]

    @classmethod
    def of_records(cls, records: Records, placed: Array, sources: Array, kind_of: Callable[[int], str]) -> _Shapes:
        """Those in some records of elements."""
        at = np.flatnonzero(records.role == ELEMENT)
        number = np.searchsorted(at, sources)
        node_index = IdIndex(records.key[records.role == NODE])
        triangles: dict[int, list[Array]] = {1: [], 2: []}
        parts: dict[int, list[int]] = {1: [], 2: []}
        of: dict[int, list[int]] = {1: [], 2: []}
        for k, source in zip(number.tolist(), sources.tolist(), strict=True):
            kind = kind_of(source)
            if not kind or KINDS[kind].dimension not in (1, 2):
                continue
            nodes = records.element_nodes[records.element_first[k] : records.element_first[k + 1]]
            row, missing = node_index.of(nodes[: KINDS[kind].corners])
            if missing.any():
                continue
            p, dimension = placed[row], KINDS[kind].dimension
            fan = [p[[0, 1, 1]]] if dimension == 1 else [p[[0, i, i + 1]] for i in range(1, len(p) - 1)]
            triangles[dimension] += fan
            parts[dimension] += [int(records.element_part[k])] * len(fan)
            of[dimension] += [source] * len(fan)
        return cls(
            {d: np.array(its).reshape(-1, 3, 3) for d, its in triangles.items()},
            {d: np.array(its, np.int64) for d, its in parts.items()},
            {d: np.array(its, np.int64) for d, its in of.items()},
        )

    def nearest(self, corners: Array, parts: Array, dimension: int) -> tuple[Array, Array]:
        """(k,) record of the nearest one of the same part, or -1, and whether each lies on it."""
        record, on = np.full(len(corners), -1), np.zeros(len(corners), bool)
        if not len(self.record[dimension]):
            return record, on
        known, label = np.unique(self.part[dimension], return_inverse=True)
        wanted = np.searchsorted(known, parts)
        has = np.flatnonzero((wanted < len(known)) & (known[np.minimum(wanted, len(known) - 1)] == parts))
        if not len(has):
            return record, on
        tree = BoxTree(self.corners[dimension], label.astype(np.int32))
        middle = corners[has].mean(axis=1)
        place, row = tree.closest(middle, wanted[has].astype(np.int32))
        row = tree.order[row]
        record[has] = self.record[dimension][row]
        size = np.linalg.norm(corners[has] - np.roll(corners[has], 1, axis=1), axis=2).mean(axis=1)
        near = np.linalg.norm(place - middle, axis=1) <= _ON * size
        if dimension == 2:
            own = unit_normals(corners[has][:, :3])
            near &= np.einsum("ij,ij->i", own, unit_normals(self.corners[2][row])) >= _AGREES
        on[has] = near
        return record, on
