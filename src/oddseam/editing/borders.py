"""Borders between parts that could not stay, in words."""

from __future__ import annotations

import numpy as np

from oddseam.editing.zone import Zone
from oddseam.model import Mesh
from oddseam.model.lost_names import part_areas


def moved_borders(mesh: Mesh, made: Mesh, zone: Zone) -> tuple[str, ...]:
    """What is said where the border between parts did not stay for want of room; what was cut away counts as well."""
    parts = np.unique(zone.local.element_part[zone.elements]).tolist()
    if len(parts) < 2:
        return ()
    change = part_areas(made) - part_areas(mesh)
    words = ", ".join(f"{mesh.parts[k].name} {change[k]:+.4g}" for k in parts)
    return (f"the border between parts did not stay, for there is no room beside it; their areas: {words}",)
