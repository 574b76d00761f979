"""The outer faces of solids as a surface on the nodes of the mesh, for picks that speak of surfaces."""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array
from oddseam.model import KINDS, Elements, Groups, Mesh
from oddseam.model.skin import has_solids, outer_faces

#: Steps of a pick that speak of a surface.
OF_SURFACES = {"near", "piece", "patch", "surface", "rim", "rims", "flat"}


def has_skin_alone(mesh: Mesh) -> bool:
    """Whether a mesh has solids and no shells."""
    return has_solids(mesh) and not any(KINDS[kind].dimension == 2 for kind in mesh.elements)


def skin_on_nodes(mesh: Mesh) -> tuple[Mesh, Array]:
    """The outer faces as shells, midside nodes included, and (f,) the element that each is of.  O(n)."""
    elements, owners, at = {}, [np.zeros(0, np.int64)], 0
    for kind, (table, element, _) in outer_faces(mesh).items():
        elements[kind] = Elements(table, np.arange(at + 1, at + 1 + len(table)), mesh.element_part[element])
        owners.append(element)
        at += len(table)
    groups = Groups(nodes=mesh.groups.nodes)
    return Mesh(mesh.nodes, elements, mesh.parts, mesh.node_ids, groups, unit=mesh.unit), np.concatenate(owners)
