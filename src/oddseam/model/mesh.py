"""``Mesh``: nodes, elements and all that travels with them, as one frozen value.

Arrays are read-only and an inconsistent mesh cannot be constructed.  Derived connectivity is
computed on first use and kept.
"""

from __future__ import annotations

import dataclasses
import hashlib
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from types import MappingProxyType
from typing import Any

import numpy as np

from oddseam.accounts import Account
from oddseam.arrays import Array, check_index, check_unique, listed, locked, point_text
from oddseam.errors import MeshError
from oddseam.frozen import Value
from oddseam.geometry.exact.crossings import crossing_among, crossing_pairs, pairs_near
from oddseam.geometry.exact.crossings_again import Surface, crossing_pairs_again
from oddseam.geometry.exact.predicates import is_degenerate
from oddseam.geometry.exact.touching_pairs import touching_pairs
from oddseam.geometry.threads import in_runs
from oddseam.geometry.trees.boxtree import Boxes, boxes_in_order
from oddseam.geometry.welding import weld_exact
from oddseam.markup import html_table
from oddseam.model.connectivity import Connectivity
from oddseam.model.elements import Elements
from oddseam.model.faces import Faces, Triangulation, duplicate_rows, faces_of, triangulate
from oddseam.model.groups import Groups
from oddseam.model.kinds import KINDS
from oddseam.model.parts import Part
from oddseam.model.pieces import Pieces, measure_pieces
from oddseam.model.shape import Creases, Patches
from oddseam.model.source import Source
from oddseam.model.units import check_unit

_EMPTY = Mapping[str, Any]

#: Where a mesh keeps the one that it was made from.
_CAME_OF = "_came_of"


@dataclass(frozen=True, eq=False, repr=False)
class Mesh(Value):
    """A mesh.

    Parameters
    ----------
    nodes : (n, 3) float array
        Coordinates, finite.
    elements : mapping of str to Elements
        Per kind, such as ``{"tri": Elements(connectivity, ids, part)}``.  Element indices count
        through the kinds in the order of ``KINDS``.
    parts : sequence of Part
        At least one, where there are elements.
    node_ids : (n,) int array, optional
        Identifiers, all different; 1 to n by default.
    groups, creases, patches, unit, account, source
        See their classes; ``unit`` is ``None`` where it is not known.
    last_ids : (int, int), optional
        The highest id that a node and an element ever had, in this mesh before the operation that works on it and in
        those that it was made from; no new one gets one of these again.

    Raises
    ------
    MeshError
        If the arrays do not fit together; the message names the index.
    """

    nodes: Array
    elements: Mapping[str, Elements] = field(default_factory=dict)
    parts: tuple[Part, ...] = ()
    node_ids: Array = None  # type: ignore[assignment]  # filled in when it is not given
    groups: Groups = field(default_factory=Groups)
    creases: Creases | None = None
    patches: Patches | None = None
    unit: str | None = None
    account: Account = field(default_factory=Account)
    source: Source | None = None
    last_ids: tuple[int, int] = None  # type: ignore[assignment]  # filled in when it is not given

    def __post_init__(self) -> None:
        def put(name: str, value: Any) -> None:
            object.__setattr__(self, name, value)

        put("nodes", locked(self.nodes, "float64", (-1, 3), "nodes"))
        n = len(self.nodes)
        if not np.isfinite(self.nodes).all():
            row = int(np.flatnonzero(~np.isfinite(self.nodes).all(axis=1))[0])
            raise MeshError(f"node {row} has a coordinate that is not a finite number")
        ids = np.arange(1, n + 1) if self.node_ids is None else self.node_ids
        put("node_ids", locked(ids, "int64", (n,), "node ids"))
        check_unique(self.node_ids, "node")
        put("parts", tuple(self.parts))
        part_ids = [part.id for part in self.parts]
        check_unique(np.array(part_ids, np.int64), "part")
        put("elements", MappingProxyType(self._checked_elements(n)))
        self.groups.check(n, self._sides_of_elements())
        if self.creases is not None:
            check_index(self.creases.edges, n, "crease", "node")
        if self.patches is not None and len(self.patches.label) != self.n_elements:
            raise MeshError(f"{len(self.patches.label)} patch labels for {self.n_elements} elements")
        check_unit(self.unit)
        put("last_ids", self._top_ids() if self.last_ids is None else self.last_ids)

    def _top_ids(self) -> tuple[int, int]:
        tops = [int(block.ids.max()) for block in self.elements.values()]
        return int(self.node_ids.max(initial=0)), max(tops, default=0)

    def _checked_elements(self, n: int) -> dict[str, Elements]:
        unknown = set(self.elements) - set(KINDS)
        if unknown:
            raise MeshError(f"unknown element kind {sorted(unknown)[0]!r}; kinds are {', '.join(KINDS)}")
        blocks: dict[str, Elements] = {}
        for name, kind in KINDS.items():
            block = self.elements.get(name)
            if block is None or not len(block.connectivity):
                continue
            m = len(block.connectivity)
            connectivity = locked(block.connectivity, "int32", (m, kind.size), f"{name} connectivity")
            check_index(connectivity, n, name, "node")
            part = locked(block.part, "int32", (m,), f"{name} parts")
            check_index(part, len(self.parts), name, "part")
            blocks[name] = Elements(connectivity, locked(block.ids, "int64", (m,), f"{name} ids"), part)
        ids = [block.ids for block in blocks.values()]
        if ids:
            check_unique(np.concatenate(ids), "element")
        return blocks

    def _sides_of_elements(self) -> Array:
        counts = [np.full(len(b), len(KINDS[name].sides), np.int32) for name, b in self.elements.items()]
        return np.concatenate(counts) if counts else np.zeros(0, np.int32)

    # ------------------------------------------------------------------ construction

    @classmethod
    def from_elements(cls, nodes: Any, *, part: Any = None, parts: Sequence[Part] = (), **given: Any) -> Mesh:
        """A mesh of elements of any kinds, numbered from 1 through the kinds in the order of ``KINDS``.

        Parameters
        ----------
        nodes : (n, 3) float array
        part : (m,) int array, optional
            Index into ``parts`` for every element; all in the first by default.
        parts : sequence of Part, optional
            One part called "surface" by default.
        **given
            Connectivities (m, k) by kind, such as ``quad=...`` and ``tet=...``; and other fields of the mesh, such
            as ``unit``.

        Raises
        ------
        MeshError
            If the arrays do not fit together, or a name is that of no kind and no field.

        Examples
        --------
        >>> import oddseam
        >>> nodes = [[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [0, 0, 1]]
        >>> mesh = oddseam.Mesh.from_elements(nodes, quad=[[0, 1, 2, 3]], tet=[[0, 1, 3, 4]], unit="m")
        >>> mesh.counts
        {'nodes': 5, 'quad': 1, 'tet': 1}
        """
        tables = {name: np.asarray(given.pop(name)) for name in KINDS if name in given}
        unknown = given.keys() - {field.name for field in dataclasses.fields(cls)}
        if unknown:
            raise MeshError(f"{min(unknown)!r} is neither a kind of element ({', '.join(KINDS)}) nor a field of a mesh")
        total = sum(map(len, tables.values()))
        of = np.zeros(total, np.int32) if part is None else np.asarray(part)
        if len(of) != total:
            raise MeshError(f"part: one for each of {total} elements is wanted, not {len(of)}")
        blocks, at = {}, 0
        for name, table in tables.items():
            m = len(table)
            ids = np.arange(at + 1, at + m + 1)
            blocks[name] = Elements(table, ids, of[at : at + m])
            at += m
        return cls(nodes, blocks, tuple(parts) or (Part("surface", 1),), **given)

    @classmethod
    def from_triangles(
        cls, nodes: Any, triangles: Any, *, part: Any = None, parts: Sequence[Part] = (), **rest: Any
    ) -> Mesh:
        """As :meth:`from_elements`, of triangles (m, 3) alone."""
        return cls.from_elements(nodes, tri=triangles, part=part, parts=parts, **rest)

    def replaced(self, **changes: Any) -> Mesh:
        """The same mesh with other fields; what was derived from fields that stay is kept."""
        new = dataclasses.replace(self, **changes)
        if not changes.keys() & {"nodes", "elements"}:
            fields = {field.name for field in dataclasses.fields(self)}
            derived = {name: value for name, value in self.__dict__.items() if name not in fields}
            if changes.keys() & {"node_ids", "parts", "unit"}:
                derived.pop("digest", None)
            new.__dict__.update(derived)
            return new
        return new.came_of(self)

    def with_account(self, account: Account) -> Mesh:
        """The same mesh with another account, at the end of an operation: the ids that it has now are had for good."""
        one, two = self.last_ids, self._top_ids()
        return self.replaced(account=account, last_ids=(max(one[0], two[0]), max(one[1], two[1])))

    def gone_since(self, before: Mesh) -> tuple[str, ...]:
        """Nodes and elements that were there before and that cards of the deck refer to, in words."""
        references = None if before.source is None else before.source.references
        if references is None or before is self:
            return ()
        said = []
        for what, was, now in (
            ("node", before.node_ids, self.node_ids),
            ("element", before.element_ids, self.element_ids),
        ):
            gone = was[~np.isin(was, now)]
            hits = references.hits(what, gone)
            if hits:
                ids = np.unique(np.concatenate([gone[its] for _, its in hits]))
                cards = dict.fromkeys(references.names[references.name[row]] for row, _ in hits)
                said.append(
                    f"{len(ids):,} {what}(s) go that cards refer to ({', '.join(cards)}): {listed(ids.tolist())}"
                )
        return tuple(said)

    # ------------------------------------------------------------------ sizes

    @property
    def n_nodes(self) -> int:
        """Number of nodes."""
        return len(self.nodes)

    @cached_property
    def n_elements(self) -> int:
        """Number of elements of all kinds."""
        return sum(len(block) for block in self.elements.values())

    @property
    def counts(self) -> dict[str, int]:
        """Numbers of nodes and of the elements of each kind."""
        return {"nodes": self.n_nodes, **{name: len(block) for name, block in self.elements.items()}}

    def blocks(self) -> Iterator[tuple[str, Elements, slice]]:
        """The kinds of elements in order, each with its block and where that stands among all elements."""
        first = 0
        for name, block in self.elements.items():
            yield name, block, slice(first, first + len(block))
            first += len(block)

    @cached_property
    def element_ids(self) -> Array:
        """(m,) int64: ids of all elements, kinds in order."""
        ids = [block.ids for block in self.elements.values()]
        return np.concatenate(ids) if ids else np.zeros(0, np.int64)

    @cached_property
    def element_part(self) -> Array:
        """(m,) int32: part index of all elements, kinds in order."""
        part = [block.part for block in self.elements.values()]
        return np.concatenate(part) if part else np.zeros(0, np.int32)

    @property
    def parts_used(self) -> tuple[Part, ...]:
        """The parts that hold an element."""
        held = np.bincount(self.element_part, minlength=len(self.parts))
        return tuple(part for part, count in zip(self.parts, held.tolist(), strict=True) if count)

    @cached_property
    def box(self) -> tuple[Array, Array]:
        """Lower and upper corner of the box around the nodes that elements use."""
        used = np.zeros(self.n_nodes, bool)
        for block in self.elements.values():
            used[block.connectivity] = True
        points = self.nodes[used] if used.any() else self.nodes
        if not len(points):
            return np.zeros(3), np.zeros(3)
        return points.min(axis=0), points.max(axis=0)

    @property
    def diagonal(self) -> float:
        """Diagonal of the box."""
        return float(np.linalg.norm(self.box[1] - self.box[0]))

    @property
    def is_deck(self) -> bool:
        """Whether it came with a solver deck, whose cards it carries and whose ids others know."""
        return self.source is not None and self.source.records is not None

    @property
    def unit_name(self) -> str:
        """The unit, or words that say that it is not known."""
        return self.unit or "unknown unit"

    def as_setting(self) -> str:
        """What an account says of it where it is a setting: its digest."""
        return self.digest

    @cached_property
    def digest(self) -> str:
        """Digest of the content: geometry, elements, ids and parts."""
        hasher = hashlib.blake2b(digest_size=16)
        hasher.update(self.nodes.tobytes())
        hasher.update(self.node_ids.tobytes())
        for name, block in self.elements.items():
            hasher.update(name.encode())
            for array in (block.connectivity, block.ids, block.part):
                hasher.update(array.tobytes())
        hasher.update(repr((self.parts, self.unit)).encode())
        return hasher.hexdigest()

    # ------------------------------------------------------------------ derived, kept

    @cached_property
    def faces(self) -> Faces:
        """The shell elements as loops of corners."""
        return faces_of(self.elements)

    @cached_property
    def triangulation(self) -> Triangulation:
        """The shell elements as triangles, with the element that each came from."""
        return triangulate(self.nodes, self.elements)

    @cached_property
    def connectivity(self) -> Connectivity:
        """Edges, neighbours, rims and pieces of the shell elements."""
        return Connectivity(self.faces, self.n_nodes)

    @cached_property
    def pieces(self) -> Pieces:
        """Box, volume and soundness of every piece."""
        return measure_pieces(self.nodes, self.triangulation, self.connectivity)

    @cached_property
    def duplicate_triangles(self) -> Array:
        """Rows of the triangulation whose three nodes an earlier row has already, ascending."""
        return duplicate_rows(self.triangulation.triangles)

    @cached_property
    def degenerate_triangles(self) -> Array:
        """Rows of the triangulation whose corners are exactly collinear, ascending."""
        return np.flatnonzero(in_runs(is_degenerate, self.nodes, self.triangulation.triangles))

    @cached_property
    def boxes(self) -> Boxes:
        """A tree of boxes round the triangulation."""
        return boxes_in_order(self.nodes, self.triangulation.triangles)

    @cached_property
    def _places(self) -> tuple[Array, Array]:
        """A node at each place, and the place of every node."""
        return weld_exact(self.nodes)

    @cached_property
    def near_triangles(self) -> Array:
        """(k, 2) pairs of rows, without collinear corners, that may share more than common corners and edges.

        Nodes at one place count as one.  Crossings and contacts are among them: where both are asked for, one
        search does.
        """
        first, index = self._places
        t, thin = self.triangulation.triangles, self.degenerate_triangles
        rows = np.delete(np.arange(len(t)), thin)
        if len(rows) < 2:
            return np.zeros((0, 2), np.int64)
        boxes = None if len(thin) else self.boxes
        return rows[pairs_near(self.nodes[first], index[t[rows]], contacts=True, boxes=boxes)[0]]

    @cached_property
    def crossing_triangles(self) -> Array:
        """(k, 2) pairs of rows of the triangulation whose interiors meet, sorted; exact."""
        if "near_triangles" in self.__dict__:
            return crossing_among(self.nodes, self.triangulation.triangles, self.near_triangles)
        t, old = self.triangulation, self.__dict__.pop(_CAME_OF, None)
        if old is not None:
            was = Surface(old.nodes[old.triangulation.triangles], old.element_ids[old.triangulation.element])
            names = self.element_ids[t.element]
            found = crossing_pairs_again(was, old.crossing_triangles, self.nodes, t.triangles, names)
            if found is not None:
                return found
        return crossing_pairs(self.nodes, t.triangles, self.degenerate_triangles)

    def came_of(self, old: Mesh) -> Mesh:
        """The mesh itself, told which one it was made from: what is known of that need not be found again.

        Only what both have in common is relied on, by id and coordinates.
        """
        known = old if "crossing_triangles" in old.__dict__ else old.__dict__.get(_CAME_OF)
        if known is not None and "crossing_triangles" not in self.__dict__:
            self.__dict__[_CAME_OF] = known
        return self

    @property
    def unsound_triangles(self) -> Array:
        """Rows of the triangulation that cross another one, once for each, and those whose corners are collinear."""
        return np.concatenate([self.crossing_triangles.ravel(), self.degenerate_triangles])

    @cached_property
    def touching_triangles(self) -> Array:
        """(k, 2) pairs of rows that share more than common corners and edges but do not cross, sorted; exact.

        Nodes at one place count as one.
        """
        first, index = self._places
        t = index[self.triangulation.triangles]
        return touching_pairs(self.nodes[first], t, self.crossing_triangles, self.near_triangles)

    # ------------------------------------------------------------------ for people

    def __repr__(self) -> str:
        what = ", ".join(f"{count:,} {name}" for name, count in self.counts.items())
        return f"<Mesh: {what}; {len(self.parts)} part(s); {self.unit_name}>"

    def _repr_html_(self) -> str:
        size = self.box[1] - self.box[0]
        counts = np.bincount(self.element_part, minlength=len(self.parts)).tolist()
        about = [("box", " x ".join(f"{s:.6g}" for s in size) + f" {self.unit_name}, from {point_text(self.box[0])}")]
        if self.source is not None:
            about.append(("source", f"{self.source.name} ({self.source.format})"))
        about.append(("account", ", ".join(entry.operation for entry in self.account) or "nothing done yet"))
        parts = [
            (part.id, part.name, f"{count:,}", part.thickness or "", part.boundary or "")
            for part, count in zip(self.parts, counts, strict=True)
        ]
        return html_table(repr(self)[1:-1], ("", ""), about) + html_table(
            "parts", ("id", "name", "elements", "thickness", "boundary"), parts
        )

    def __str__(self) -> str:
        lines = [repr(self)[1:-1]]
        size = self.box[1] - self.box[0]
        lines.append("  box     " + " x ".join(f"{s:.6g}" for s in size) + f"  from {point_text(self.box[0])}")
        for index, part in enumerate(self.parts):
            count = int((self.element_part == index).sum())
            data = [f"thickness {part.thickness:g}"] if part.thickness else []
            data += [part.boundary] if part.boundary else []
            lines.append(f"  part    {part.id} {part.name!r}: {count:,} elements" + "".join(f", {d}" for d in data))
        if len(self.faces.first) > 1:
            c = self.connectivity
            lines.append(f"  surface {c.n_pieces:,} piece(s), {c.n_rims:,} rim(s), {int(c.is_free.sum()):,} free edges")
        if self.groups:
            lines.append(f"  groups  {len(self.groups)}")
        if self.source is not None:
            lines.append(f"  source  {self.source.name} ({self.source.format})")
        lines.append(f"  account {len(self.account)} operation(s)")
        return "\n".join(lines)
