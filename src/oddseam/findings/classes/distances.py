"""How far two surfaces are from each other."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oddseam.arrays import Array
from oddseam.errors import Refusal
from oddseam.findings.classes.finding import point_of
from oddseam.geometry.trees.boxtree import BoxTree
from oddseam.geometry.triangles import areas
from oddseam.model import KINDS, Mesh
from oddseam.model.skin import skin


@dataclass(frozen=True)
class Off:
    """How far one surface is from another: at most, where, in 95 % of its area, and in the mean over that."""

    most: float
    place: tuple[float, float, float]
    p95: float
    mean: float


def surface_of(mesh: Mesh) -> Mesh:
    """The shells of a mesh, or the skin of its solids.

    Raises
    ------
    Refusal
        If it has neither.
    """
    dimensions = {KINDS[name].dimension for name, block in mesh.elements.items() if len(block)}
    if 2 not in dimensions and 3 not in dimensions:
        raise Refusal("the mesh has neither shells nor solids")
    return skin(mesh) if 3 in dimensions else mesh


def distance_to(points: Array, surface: Mesh) -> Array:
    """(k,) how far points are from the facets of a surface; infinite without any."""
    if not len(surface.triangulation.triangles):
        return np.full(len(points), np.inf)
    found, _ = BoxTree(surface.nodes[surface.triangulation.triangles]).closest(points)
    return np.asarray(np.linalg.norm(found - points, axis=1))


def off_between(one: Mesh, two: Mesh) -> Off:
    """How far one surface is from another, from its nodes and the middles of its facets."""
    t = one.triangulation.triangles
    nodes, middles = np.unique(t), one.nodes[t].mean(axis=1)
    away = distance_to(np.concatenate([one.nodes[nodes], middles]), two)
    k = int(np.argmax(away))
    place = one.nodes[nodes[k]] if k < len(nodes) else middles[k - len(nodes)]
    at = np.zeros(one.n_nodes)
    at[nodes] = away[: len(nodes)]
    of_facet = 0.25 * (at[t].sum(axis=1) + away[len(nodes) :])  # the mean of its corners and its middle
    area = areas(one.nodes[t])
    order = np.argsort(of_facet)
    share = np.cumsum(area[order])
    p95 = float(of_facet[order][min(int(np.searchsorted(share, 0.95 * share[-1])), len(order) - 1)])
    mean = float((of_facet * area).sum() / area.sum()) if area.sum() > 0 else float(of_facet.mean())
    return Off(float(away[k]), point_of(place), p95, mean)
