"""Loads and constraints that both decks know, in a form that is of neither: what a conversion carries over."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Collection, Iterator, Mapping
from dataclasses import dataclass, field

import numpy as np

from oddseam.arrays import Array, IdIndex, runs_text
from oddseam.model import KINDS, Mesh
from oddseam.model.source import Records

#: Components of a node: three translations, three rotations.
MOVES, TURNS = (1, 2, 3), (4, 5, 6)


@dataclass
class Case:
    """What acts at the same time, all in the basic frame.

    Attributes
    ----------
    constraints, forces : dict
        By (node id, component from 1 to 6): the value that it is held at, and the force or moment.
    pressures : dict
        By (element id, local side): on a shell (side -1) along its normal, on a solid into it.
    gravity : (3,) array
        Acceleration of everything.
    """

    constraints: dict[tuple[int, int], float] = field(default_factory=dict)
    forces: dict[tuple[int, int], float] = field(default_factory=dict)
    pressures: dict[tuple[int, int], float] = field(default_factory=dict)
    gravity: Array = field(default_factory=lambda: np.zeros(3))

    def add(self, other: Case, scale: float = 1.0) -> None:
        """Add the loads of another case, so many times."""
        for mine, its in ((self.forces, other.forces), (self.pressures, other.pressures)):
            for key, value in its.items():
                mine[key] = mine.get(key, 0.0) + scale * value
        self.gravity = self.gravity + scale * other.gravity

    @property
    def acts(self) -> bool:
        """Whether there is any load."""
        return bool(self.forces or self.pressures or self.gravity.any())


@dataclass
class Loads:
    """Loads of a deck.

    Attributes
    ----------
    cases : list of Case
    taken : Counter
        How many cards or keywords of each name are in these.
    left : list of str
        Why others are not, and what of these is not.
    """

    cases: list[Case] = field(default_factory=list)
    taken: Counter[str] = field(default_factory=Counter)
    left: list[str] = field(default_factory=list)


class LeftOutError(Exception):
    """Why a card or a line is not taken."""


def framed_lost(constraints: Mapping[tuple[int, int], float], framed: Collection[int]) -> list[tuple[int, int]]:
    """Constraints of nodes with frames of their own that do not hold in the basic frame too.

    Those do that hold all three translations, or all three rotations, of a node at zero.
    """
    lost = list[tuple[int, int]]()
    for node, its in components([key for key in constraints if key[0] in framed]).items():
        for group in (MOVES, TURNS):
            there = [(node, component) for component in group if component in its]
            if len(there) < 3 or any(constraints[key] for key in there):
                lost += there
    return lost


def loads_of(mesh: Mesh) -> Loads:
    """Loads and constraints of the deck that a mesh came from, on what is left of it; nothing where there is none."""
    source = mesh.source
    if source is None or source.records is None or source.format not in READERS:
        return Loads()
    target = Targets(mesh)
    return _on_what_is_there(READERS[source.format](mesh, source.records, target), target)


def _on_what_is_there(loads: Loads, target: Targets) -> Loads:
    """Without what acts on nodes that no shell or solid uses, and on elements that are not there."""
    gone: dict[str, set[int]] = {"nodes that no shell or solid uses": set(), "elements that are not there": set()}
    of_nodes, of_elements = gone.values()
    for case in loads.cases:
        for held in (case.constraints, case.forces):
            lost = {key for key in held if key[0] not in target.nodes}
            of_nodes.update(node for node, _ in lost)
            for key in lost:
                del held[key]
        lost = {key for key in case.pressures if key[0] not in target.row}
        of_elements.update(element for element, _ in lost)
        for key in lost:
            del case.pressures[key]
    left = [f"loads and constraints on {what}: {runs_text(np.array(sorted(ids)))}" for what, ids in gone.items() if ids]
    return Loads(loads.cases, loads.taken, loads.left + left)


class Targets:
    """Nodes and elements of a mesh that loads can act on, by id.

    Attributes
    ----------
    nodes : set of int
        Ids of nodes that shells or solids use.
    turning : set of int
        Of those that shells use, which have rotations.
    row : dict of int to (str, int)
        Kind and row of every shell and solid.
    """

    def __init__(self, mesh: Mesh) -> None:
        self._mesh = mesh
        used, turning = np.zeros(mesh.n_nodes, bool), np.zeros(mesh.n_nodes, bool)
        self.row: dict[int, tuple[str, int]] = {}
        for kind, block in mesh.elements.items():
            if KINDS[kind].dimension > 1:
                used[block.connectivity] = True
                self.row |= {number: (kind, row) for row, number in enumerate(block.ids.tolist())}
            if KINDS[kind].dimension == 2:
                turning[block.connectivity] = True
        self.nodes: set[int] = set(mesh.node_ids[used].tolist())
        self.turning: set[int] = set(mesh.node_ids[turning].tolist())
        self._index = IdIndex(mesh.node_ids)

    def is_solid(self, element: int) -> bool:
        """Whether an element is there, and is a solid."""
        return element in self.row and KINDS[self.row[element][0]].dimension == 3

    def corners(self, element: int) -> list[int]:
        """Ids of the corners of an element."""
        kind, row = self.row[element]
        its = self._mesh.elements[kind].connectivity[row][: KINDS[kind].corners]
        ids: list[int] = self._mesh.node_ids[its].tolist()
        return ids

    def sides(self, element: int) -> Iterator[tuple[int, list[int]]]:
        """Every side of an element with the ids of its corners."""
        corners = self.corners(element)
        for number, side in enumerate(KINDS[self.row[element][0]].sides):
            yield number, [corners[k] for k in side]

    def place(self, node: int) -> Array:
        """Where a node is."""
        row, _ = self._index.of(np.array([node]))
        return np.asarray(self._mesh.nodes[row[0]])


def components(held: Collection[tuple[int, int]]) -> dict[int, list[int]]:
    """Components of every node of some pairs, ascending."""
    found: dict[int, list[int]] = {}
    for node, component in sorted(held):
        found.setdefault(node, []).append(component)
    return found


#: How the loads of a deck are read, by its format.
READERS: dict[str, Callable[[Mesh, Records, Targets], Loads]] = {}
