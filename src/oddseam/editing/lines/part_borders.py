"""Borders between parts that could not stay, in words."""

from __future__ import annotations

from oddseam.arrays import Array
from oddseam.model import Mesh


def moved_borders(mesh: Mesh, change: Array, parts: Array) -> tuple[str, ...]:
    """What is said where the border between parts did not stay for want of room.

    Parameters
    ----------
    mesh : Mesh
    change : (p,) float array
        By how much the area of each part of the mesh differs now; what was cut away counts as well.
    parts : (k,) int array
        Those that met there; of fewer than two nothing is said.
    """
    if len(parts) < 2:
        return ()
    words = ", ".join(f"{mesh.parts[k].name} {change[k]:+.4g}" for k in parts.tolist())
    return (f"the border between parts did not stay, for there is no room beside it; their areas: {words}",)
