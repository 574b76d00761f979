"""The skin of a solid mesh: its outer faces as shell elements.

A face is an outer one if no second solid has it, by the identity of its corner nodes; nothing is
merged by distance.  Quadratic solids give quadratic shells.
"""

from __future__ import annotations

import numpy as np

from oddseam.accounts import Outcome, Step, recorded
from oddseam.arrays import Array
from oddseam.errors import Refusal
from oddseam.model.elements import Elements
from oddseam.model.groups import Groups
from oddseam.model.held_back import held_back
from oddseam.model.kinds import KINDS, ElementKind
from oddseam.model.mesh import Mesh
from oddseam.model.parts import Part
from oddseam.progress import Progress, silent


@recorded()
def skin(mesh: Mesh, *, progress: Progress = silent) -> tuple[Mesh, Outcome]:
    """Take the outer faces of solids as shell elements.

    Nodes keep their ids, and only those of the faces stay.  Faces look out of their solid and
    are numbered from 1.  Those of a group of element sides (a named boundary) become a part of
    that name, the first where there are several, and a group of elements for each; the rest
    stays in the part of its solid.

    Parameters
    ----------
    mesh : Mesh
    progress : callable, optional

    Returns
    -------
    Mesh

    Raises
    ------
    Refusal
        If there is no solid.

    Notes
    -----
    O(n) in the number of faces.

    Examples
    --------
    >>> import oddseam
    >>> nodes, parts = [[0, 0, 0], [2, 0, 0], [0, 2, 0], [0, 0, 2]], (oddseam.Part("block", 1),)
    >>> tet = oddseam.Mesh(nodes, {"tet": oddseam.Elements([[0, 1, 2, 3]], [1], [0])}, parts)
    >>> oddseam.skin(tet).counts
    {'nodes': 4, 'tri': 4}
    """
    tables = outer_faces(mesh)
    if not tables:
        raise Refusal("the mesh has no solid elements to take a skin of")
    element = np.concatenate([columns[1] for columns in tables.values()])
    side = np.concatenate([columns[2] for columns in tables.values()])
    named, part_of, parts = _named_boundaries(mesh, element, side)
    used = np.unique(np.concatenate([columns[0].ravel() for columns in tables.values()]))
    new_index = np.full(mesh.n_nodes, -1, np.int32)
    new_index[used] = np.arange(len(used))
    elements, at = {}, 0
    for shell, (table, _, _) in tables.items():
        rows = slice(at, at + len(table))
        elements[shell] = Elements(new_index[table], np.arange(at + 1, at + 1 + len(table)), part_of[rows])
        at += len(table)
    of_nodes = {name: new_index[members] for name, members in mesh.groups.nodes.items()}
    groups = Groups({name: index[index >= 0] for name, index in of_nodes.items()}, named)
    result = Mesh(mesh.nodes[used], elements, parts, mesh.node_ids[used], groups, unit=mesh.unit, account=mesh.account)
    solids = sum(len(mesh.elements[name]) for name, _ in _solids(mesh))
    left = {name: len(block) for name, block in mesh.elements.items() if KINDS[name].dimension < 3}
    notes = [f"left out: {count:,} {name} elements" for name, count in left.items()]
    notes += held_back(mesh)
    return result, Outcome((Step("take the outer faces", at, 0.0, f"of {solids:,} solids"),), tuple(notes))


def has_solids(mesh: Mesh) -> bool:
    """Whether any element is a solid."""
    return any(KINDS[kind].dimension == 3 for kind in mesh.elements)


def outer_faces(mesh: Mesh) -> dict[str, tuple[Array, Array, Array]]:
    """By shell kind the outer faces of solids: their nodes (f, k), and element and local side (f,) of each.  O(n)."""
    sides = [_Sides(mesh, name, at) for name, at in _solids(mesh)]
    if not sides:
        return {}
    outer = _outer([s.key for s in sides], mesh.n_nodes)
    blocks: dict[str, list[tuple[Array, Array, Array]]] = {}
    for its, is_outer in zip(sides, outer, strict=True):
        for shell, table, element, side in its.faces(is_outer):
            blocks.setdefault(shell, []).append((table, element, side))
    return {
        shell: tuple(np.concatenate(column) for column in zip(*blocks[shell], strict=True))  # type: ignore[misc]
        for shell in KINDS
        if shell in blocks
    }


def _solids(mesh: Mesh) -> list[tuple[str, int]]:
    """Solid kinds, with the index of their first element."""
    found = []
    for name, _, span in mesh.blocks():
        if KINDS[name].dimension == 3:
            found.append((name, span.start))
    return found


class _Sides:
    """All sides of the solids of one kind, side after side."""

    def __init__(self, mesh: Mesh, name: str, at: int) -> None:
        self._kind, self._at = KINDS[name], at
        self._table = mesh.elements[name].connectivity
        keys = []
        for side in self._kind.sides:
            corners = np.sort(self._table[:, list(side)], axis=1)
            key = np.full((len(corners), 4), -1, np.int32)
            key[:, 4 - len(side) :] = corners
            keys.append(key)
        self.key = np.concatenate(keys)

    def faces(self, outer: Array) -> list[tuple[str, Array, Array, Array]]:
        """Shell kind, nodes, element and local side of the outer faces, side by side."""
        found = []
        for number, (side, mine) in enumerate(
            zip(self._kind.sides, outer.reshape(len(self._kind.sides), -1), strict=True)
        ):
            rows = np.flatnonzero(mine)
            shell, columns = nodes_of_side(self._kind, side)
            found.append((shell, self._table[rows][:, columns], rows + self._at, np.full(len(rows), number)))
        return found


def nodes_of_side(kind: ElementKind, side: tuple[int, ...]) -> tuple[str, list[int]]:
    """The kind of element that a side of another one is, and its local nodes there, midside ones included."""
    pairs = [{side[k], side[(k + 1) % len(side)]} for k in range(len(side) if len(side) > 2 else 1)]
    middles = [kind.corners + next(n for n, edge in enumerate(kind.edges) if set(edge) == pair) for pair in pairs]
    columns = [*side, *(middles if kind.is_quadratic else ())]
    dimension = min(len(side) - 1, 2)
    name = next(
        k.name for k in KINDS.values() if (k.dimension, k.size, k.corners) == (dimension, len(columns), len(side))
    )
    return name, columns


def _outer(keys: list[Array], n_nodes: int) -> list[Array]:
    """Which faces occur once."""
    from oddseam.compiled import announce
    from oddseam.model.kernels.outer_marks import mark_outer

    announce(mark_outer)
    whole = np.concatenate(keys)
    outer = np.zeros(len(whole), bool)
    mark_outer(whole, n_nodes, outer)
    return np.split(outer, np.cumsum([len(key) for key in keys])[:-1])


def _named_boundaries(mesh: Mesh, element: Array, side: Array) -> tuple[dict[str, Array], Array, tuple[Part, ...]]:
    """Element groups of the faces, part of each face, and the parts."""
    most = 1 + max(len(kind.sides) for kind in KINDS.values())
    key = element.astype(np.int64) * most + side
    part = mesh.element_part[element].astype(np.int32)
    parts = list(mesh.parts)
    groups: dict[str, Array] = {}
    free = np.ones(len(element), bool)
    next_id = max((p.id for p in parts), default=0) + 1
    for name, pairs in mesh.groups.sides.items():
        rows = np.flatnonzero(np.isin(key, pairs[:, 0].astype(np.int64) * most + pairs[:, 1]))
        groups[name] = rows.astype(np.int32)
        rows = rows[free[rows]]
        if len(rows):
            part[rows] = len(parts)
            free[rows] = False
            parts.append(Part(name, next_id))
            next_id += 1
    held, of_held = np.unique(part, return_inverse=True)
    return groups, of_held.astype(np.int32), tuple(parts[k] for k in held.tolist())
