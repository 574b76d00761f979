"""Nodes that a change drives, and turning them."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from oddseam.arrays import Array
from oddseam.morphing.drives.settling import Level

#: Where a surface is after a share of a change: itself, and what is added to the distances that nodes keep from it.
Target = Callable[[float], tuple[Level, float]]


@dataclass(frozen=True, eq=False)
class Driven:
    """Nodes (k,) that a change drives.

    ``at(t)`` (k, 3) is where they are after the share ``t`` of it; where ``settles`` holds they are then brought onto
    the surfaces that they lie on, as ``targets`` says of those that change, by patch, but none of the patches that they
    leave.  ``turn`` is by how many degrees the change turns things; ``off`` how far any of the nodes is left from where
    the change wants it.
    """

    nodes: Array
    at: Callable[[float], Array]
    targets: Mapping[int, Target] = field(default_factory=dict)
    turn: float = 0.0
    settles: bool = False
    leaves: frozenset[int] = frozenset()
    off: float = 0.0


def rotated(vectors: Array, axis: Array, angle: float) -> Array:
    """(k, 3) vectors turned about a unit axis by an angle in degrees."""
    cos, sin = np.cos(np.radians(angle)), np.sin(np.radians(angle))
    along = (vectors @ axis)[:, None] * axis
    return np.asarray(along + cos * (vectors - along) + sin * np.cross(axis, vectors))


def unit(vector: Sequence[float] | Array) -> Array:
    """A vector of length one."""
    return np.asarray(np.array(vector) / np.linalg.norm(vector))
