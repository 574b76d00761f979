"""Named groups of nodes, of elements and of element sides."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from types import MappingProxyType

import numpy as np

from oddseam.arrays import Array, check_index, locked
from oddseam.errors import MeshError
from oddseam.frozen import Value


@dataclass(frozen=True, eq=False)
class Groups(Value):
    """Named groups of a mesh.

    Attributes
    ----------
    nodes : mapping of str to (k,) int32 array
        Node indices.
    elements : mapping of str to (k,) int32 array
        Element indices, counted through all kinds in the order of ``KINDS``.
    sides : mapping of str to (k, 2) int32 array
        Element index and local side, as ``ElementKind.sides`` counts them.
    """

    nodes: Mapping[str, Array] = field(default_factory=dict)
    elements: Mapping[str, Array] = field(default_factory=dict)
    sides: Mapping[str, Array] = field(default_factory=dict)

    def __post_init__(self) -> None:
        for name, shape in (("nodes", (-1,)), ("elements", (-1,)), ("sides", (-1, 2))):
            held = {
                key: locked(values, "int32", shape, f"group {key!r}") for key, values in getattr(self, name).items()
            }
            object.__setattr__(self, name, MappingProxyType(held))

    def __len__(self) -> int:
        return len(self.nodes) + len(self.elements) + len(self.sides)

    def check(self, n_nodes: int, sides_of: Array) -> None:
        """Raise MeshError unless all members exist; ``sides_of`` counts the sides of each element."""
        for name, index in self.nodes.items():
            check_index(index, n_nodes, f"node group {name!r}: member", "node")
        for name, index in self.elements.items():
            check_index(index, len(sides_of), f"element group {name!r}: member", "element")
        for name, pairs in self.sides.items():
            check_index(pairs[:, 0], len(sides_of), f"side group {name!r}: member", "element")
            wrong = np.flatnonzero((pairs[:, 1] < 0) | (pairs[:, 1] >= sides_of[pairs[:, 0]]))
            if len(wrong):
                element, side = pairs[wrong[0]].tolist()
                raise MeshError(
                    f"side group {name!r}: member {wrong[0]} is side {side} of element {element}, "
                    f"which has {sides_of[element]}"
                )
