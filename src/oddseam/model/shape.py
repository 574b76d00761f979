"""Creases and patches: the shape that an engineer sees in a mesh without CAD."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oddseam.arrays import Array, check_index, locked
from oddseam.frozen import Value
from oddseam.inputs import Given

#: Why an edge is a crease: sharper than an angle, recognised, drawn by hand, or where surfaces crossed.
CREASE_KINDS = ("angle", "recognised", "drawn", "crossing")


@dataclass(frozen=True, eq=False)
class Creases(Value):
    """Edges that the mesh follows.

    Attributes
    ----------
    edges : (k, 2) int32 array
        Node indices, smaller first.
    kind : (k,) int8 array
        Index into :data:`CREASE_KINDS`.
    """

    edges: Array
    kind: Array

    def __post_init__(self) -> None:
        edges = np.sort(locked(self.edges, "int32", (-1, 2), "creases"), axis=1)
        object.__setattr__(self, "edges", locked(edges, "int32", (-1, 2), "creases"))
        object.__setattr__(self, "kind", locked(self.kind, "int8", (len(edges),), "crease kinds"))
        check_index(self.kind, len(CREASE_KINDS), "crease", "kind")


@dataclass(frozen=True)
class Patch(Given):
    """What one patch is: a name, a recognised surface and its measures.

    ``centre`` is a point of a plane, on the axis of a cylinder, the apex of a cone, the middle of a sphere or torus;
    ``radius`` is the half angle of a cone, in degrees, and that of the middle circle of a torus, whose tube has the
    radius ``tube``.
    """

    name: str
    kind: str = "free-form"
    axis: tuple[float, float, float] | None = None
    centre: tuple[float, float, float] | None = None
    radius: float | None = None
    tube: float | None = None
    area: float | None = None


@dataclass(frozen=True, eq=False)
class Patches(Value):
    """Regions of surface bounded by creases.

    Attributes
    ----------
    label : (m,) int32 array
        For each element (all kinds, in order) the patch it lies in, or -1.
    table : tuple of Patch
        What each label is.
    """

    label: Array
    table: tuple[Patch, ...]

    def __post_init__(self) -> None:
        label = locked(self.label, "int32", (-1,), "patch labels")
        object.__setattr__(self, "label", label)
        check_index(label[label >= 0], len(self.table), "patch label of element", "patch")
