"""Putting nodes on the surfaces that patches were recognised as, rather than on the facets of the old mesh."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oddseam.arrays import Array
from oddseam.features.leftovers import sag_of
from oddseam.geometry.primitives import PRIMITIVES, Primitive
from oddseam.model import Mesh, Patch
from oddseam.remeshing import kernels
from oddseam.remeshing.halfedge_kernels import FIXED, Net
from oddseam.remeshing.sheets import Sheets

#: A node goes no farther from the facets than the middles of their edges are from the surface, and this much more.
_ROOM = 1.5
#: Rounds of going to one surface and the other in turn that lead to where they meet.
_TURNS = 40


@dataclass(frozen=True, eq=False)
class RoundSurfaces:
    """Curved surfaces of regions.

    ``of_region`` (r,) is the surface of every region, -1 for none; ``reach`` holds how far a node may go to each.
    """

    surfaces: tuple[Primitive, ...]
    reach: Array
    of_region: Array

    def pulled(self, points: Array, region: Array) -> Array:
        """(k, 3) points, those on regions with a surface put on it."""
        result = points.copy()
        which = self.of_region[region]
        for k, surface in enumerate(self.surfaces):
            its = np.flatnonzero(which == k)
            if len(its):
                there = surface.projected(points[its])
                near = np.linalg.norm(there - points[its], axis=1) <= self.reach[k]
                result[its[near]] = there[near]
        return result


def round_surfaces(mesh: Mesh, sheets: Sheets) -> RoundSurfaces | None:
    """The surfaces of the patches of a mesh, for the regions of its sheets; ``None`` if none is curved."""
    if mesh.patches is None:
        return None
    label = mesh.patches.label[mesh.triangulation.element]
    surfaces: list[Primitive] = []
    reach: list[float] = []
    of_region = np.full(int(sheets.region.max(initial=-1)) + 1, -1)
    for k, patch in enumerate(mesh.patches.table):
        its = np.flatnonzero(label == k)
        surface = _surface_of(patch)
        if surface is None or not len(its):
            continue
        of_region[sheets.region[its]] = len(surfaces)
        surfaces.append(surface)
        reach.append(_ROOM * sag_of(surface, sheets.point, sheets.triangles[its]))
    if all(surface.kind == "plane" for surface in surfaces):
        return None  # facets are as flat
    return RoundSurfaces(tuple(surfaces), np.array(reach), of_region)


def _surface_of(patch: Patch) -> Primitive | None:
    if patch.kind not in PRIMITIVES or patch.centre is None:
        return None
    axis = (0.0, 0.0, 1.0) if patch.axis is None else patch.axis
    return Primitive(patch.kind, np.array(patch.centre), np.array(axis), patch.radius or 0.0, patch.tube or 0.0)


def pull_curves(net: Net, first: int, onto: RoundSurfaces) -> None:
    """Put the nodes from row ``first`` on that lie on curves where the surfaces on both sides meet."""
    corner = np.flatnonzero((net.origin >= 0) & (net.curve >= 0))
    after = corner + np.where(corner % 3 == 2, -2, 1)
    node = np.concatenate([net.origin[corner], net.origin[after]])
    which = onto.of_region[net.region[np.concatenate([corner, corner]) // 3]]
    fresh = (node >= first) & (net.kind[node] == FIXED) & (which >= 0)
    pairs = np.unique(np.column_stack([node[fresh], which[fresh]]), axis=0)
    if not len(pairs):
        return
    row, at = np.unique(pairs[:, 0], return_index=True)
    count = np.diff(np.append(at, len(pairs)))
    one = pairs[at, 1]
    two = np.where(count > 1, pairs[np.minimum(at + 1, len(pairs) - 1), 1], one)
    row, one, two = row[count <= 2], one[count <= 2], two[count <= 2]
    place = net.point[row].copy()
    for a, b in np.unique(np.column_stack([one, two]), axis=0).tolist():
        its = np.flatnonzero((one == a) & (two == b))
        moved = place[its]
        for _ in range(_TURNS):
            moved = onto.surfaces[b].projected(onto.surfaces[a].projected(moved))
        near = np.linalg.norm(moved - place[its], axis=1) <= 2.0 * max(onto.reach[a], onto.reach[b])
        place[its[near]] = moved[near]
    kernels.move(net, row, place, 0.0)
