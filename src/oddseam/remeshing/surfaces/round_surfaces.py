"""Putting nodes on the surfaces that patches were recognised as, rather than on the facets of the old mesh."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oddseam.arrays import Array
from oddseam.features.edges.leftovers import sag_of
from oddseam.geometry.shapes.primitives import PRIMITIVES, Primitive
from oddseam.model import Mesh, Patch
from oddseam.remeshing.kernels import round_steps
from oddseam.remeshing.kernels.half_edges import FIXED, Net
from oddseam.remeshing.surfaces.sheets import Sheets

#: A node goes no farther from the facets than the middles of their edges are from the surface, and this much more.
_ROOM = 1.5
#: Facets that are no farther from planes, over the diagonal, are as flat.
_AS_FLAT = 1e-6
#: Rounds of going to one surface and the other in turn that lead to where they meet.
_TURNS = 40


@dataclass(frozen=True, eq=False)
class RoundSurfaces:
    """Simple surfaces of regions.

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

    def met(self, points: Array, one: Array, two: Array) -> Array:
        """(k, 3) points, those between two regions with a surface each put where these meet."""
        result = points.copy()
        pair = np.column_stack([self.of_region[one], self.of_region[two]])
        for a, b in np.unique(pair, axis=0).tolist():
            its = np.flatnonzero((pair == (a, b)).all(axis=1))
            if a < 0 or b < 0:
                continue
            there = points[its]
            for _ in range(_TURNS):
                there = self.surfaces[b].projected(self.surfaces[a].projected(there))
            near = np.linalg.norm(there - points[its], axis=1) <= 2.0 * max(self.reach[a], self.reach[b])
            result[its[near]] = there[near]
        return result


def round_surfaces(mesh: Mesh, sheets: Sheets) -> RoundSurfaces | None:
    """The surfaces of the patches of a mesh, for the regions of its sheets; ``None`` if facets are as near to them."""
    by_patch = surfaces_of_patches(mesh)
    if mesh.patches is None or by_patch is None:
        return None
    label = mesh.patches.label[mesh.triangulation.element]
    of_region = np.full(int(sheets.region.max(initial=-1)) + 1, -1)
    of_region[sheets.region] = by_patch.of_region[label]
    return RoundSurfaces(by_patch.surfaces, by_patch.reach, of_region)


def surfaces_of_patches(mesh: Mesh) -> RoundSurfaces | None:
    """The surfaces of the patches of a mesh, which count as its regions; ``None`` if facets are as near to them."""
    if mesh.patches is None:
        return None
    label = mesh.patches.label[mesh.triangulation.element]
    surfaces: list[Primitive] = []
    reach: list[float] = []
    of_patch = np.full(len(mesh.patches.table) + 1, -1)  # the last one stands for no patch
    for k, patch in enumerate(mesh.patches.table):
        its = np.flatnonzero(label == k)
        surface = _surface_of(patch)
        if surface is None or not len(its):
            continue
        of_patch[k] = len(surfaces)
        surfaces.append(surface)
        reach.append(_ROOM * sag_of(surface, mesh.nodes, mesh.triangulation.triangles[its]))
    if all(surface.kind == "plane" for surface in surfaces) and max(reach, default=0.0) <= _AS_FLAT * mesh.diagonal:
        return None
    return RoundSurfaces(tuple(surfaces), np.array(reach), of_patch)


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
    region = net.region[np.concatenate([corner, corner]) // 3]
    fresh = (node >= first) & (net.kind[node] == FIXED) & (onto.of_region[region] >= 0)
    # regions of one surface are one
    _, leader = np.unique(onto.of_region, return_index=True)
    region = leader[np.searchsorted(onto.of_region[leader], onto.of_region[region])]
    pairs = np.unique(np.column_stack([node[fresh], region[fresh]]), axis=0)
    if not len(pairs):
        return
    row, at = np.unique(pairs[:, 0], return_index=True)
    count = np.diff(np.append(at, len(pairs)))
    one = pairs[at, 1]
    two = np.where(count > 1, pairs[np.minimum(at + 1, len(pairs) - 1), 1], one)
    row, one, two = row[count <= 2], one[count <= 2], two[count <= 2]
    round_steps.move(net, row, onto.met(net.point[row], one, two), 0.0)
