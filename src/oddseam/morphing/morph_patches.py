"""What patches are after their nodes have moved."""

from __future__ import annotations

import dataclasses

import numpy as np

from oddseam.arrays import Array
from oddseam.features.find_features import described
from oddseam.features.patches.recognition import regions_of
from oddseam.geometry.shapes.primitives import fit_primitive
from oddseam.geometry.triangles import areas_and_normals
from oddseam.model import Mesh, Patches

#: A patch is on a simple surface within this, over the diagonal.
_EXACT = 1e-6


def renewed(mesh: Mesh, points: Array) -> Patches | None:
    """The patches of a mesh whose nodes are at points (n, 3) now: names and labels stay, measures are found anew."""
    if mesh.patches is None:
        return None
    t = mesh.triangulation
    label = mesh.patches.label[t.element]
    moved = np.asarray((points != mesh.nodes).any(axis=1)[t.triangles].any(axis=1))
    table = list(mesh.patches.table)
    regions = regions_of(label, len(table))
    for k in np.unique(label[moved & (label >= 0)]).tolist():
        its = t.triangles[regions[k]]
        area, normals = areas_and_normals(points[its])
        middles = points[its].mean(axis=1)
        surface = fit_primitive(points[np.unique(its)], middles, normals, _EXACT * mesh.diagonal)
        table[k] = dataclasses.replace(described(surface, float(area.sum()), {}), name=table[k].name)
    return Patches(mesh.patches.label, tuple(table))
