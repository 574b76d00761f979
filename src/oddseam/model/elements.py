"""The elements of one kind."""

from __future__ import annotations

from dataclasses import dataclass

from oddseam.arrays import Array


@dataclass(frozen=True, eq=False)
class Elements:
    """The elements of one kind.

    Attributes
    ----------
    connectivity : (m, k) int32 array
        Node indices, in the order of the kind.
    ids : (m,) int64 array
        Identifiers.
    part : (m,) int32 array
        Index into ``Mesh.parts``.
    """

    connectivity: Array
    ids: Array
    part: Array

    def __len__(self) -> int:
        return len(self.ids)
