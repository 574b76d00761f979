"""Parting surfaces that only touch, in a node or along an edge.

Where two solids, or two corners of one, touch along an edge, four facets meet there; where they
touch in a node, its facets make two fans.  Each fan gets a node of its own, facets being paired
where both look away from the wedge between them.  Where the file will join nodes of equal coordinates, the copies
are drawn a few units of the file's last place into their own solid.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.triangles import area_vectors, boxes
from oddseam.mending.walls import Skin, find_cells
from oddseam.model import Mesh
from oddseam.model.connectivity import label_components
from oddseam.model.editing import parted
from oddseam.model.proof import prove

#: How far copies are drawn apart, in units of single precision at the coordinate: more than
#: rounding can take back, far less than any wall; others are tried where facets are as small.
_UNITS = 8.0 * 2.0**-23
_SHARES = (1.0, 0.25, 4.0, 16.0)


@dataclass(frozen=True, eq=False)
class _Copies:
    """Elements that use copies of nodes: element, node and copy by row; the node of each copy and where it goes."""

    element: Array
    node: Array
    copy: Array
    of: Array
    direction: Array

    def chosen(self, nodes: Array) -> _Copies:
        """Those of some nodes."""
        kept = np.isin(self.of, nodes)
        rows = kept[self.copy]
        number = np.cumsum(kept) - 1
        return _Copies(
            self.element[rows], self.node[rows], number[self.copy[rows]], self.of[kept], self.direction[kept]
        )

    def applied(self, mesh: Mesh, units: float) -> Mesh:
        """The mesh with the copies that far off."""
        points = mesh.nodes[self.of]
        size = np.abs(points).max(axis=1, keepdims=True)
        return parted(mesh, self.element, self.node, self.copy, points + units * size * self.direction)


def part_touching(mesh: Mesh, held: Callable[[Mesh], Mesh] | None) -> tuple[Mesh, int, float]:
    """Give every fan a node of its own.

    Parameters
    ----------
    mesh : Mesh
        Without fins and inner walls.
    held : callable or None
        The mesh as the target file will hold it.

    Returns
    -------
    mesh : Mesh
        The same, if that would leave it worse in any way.
    count : int
        Nodes added.
    move : float
        How far they were drawn off.
    """
    if not len(mesh.connectivity.nonmanifold_nodes):
        return mesh, 0, 0.0
    skin = find_cells(mesh)
    found = _copies(mesh, skin, _fans(mesh, skin, solid=True), -1.0)
    if found is None:
        return mesh, 0, 0.0
    for units in (0.0, _UNITS):
        new = found.applied(mesh, units)
        if _is_better(mesh, new, held):
            return new, len(found.of), _farthest(mesh, found, units)
    ways = [found, _copies(mesh, skin, _fans(mesh, skin, solid=False), 1.0)]
    ways += [way and _along_facets(mesh, way) for way in ways]
    return _place_by_place(mesh, held, ways)


def _is_better(mesh: Mesh, new: Mesh, held: Callable[[Mesh], Mesh] | None, whole: bool = True) -> bool:
    """Whether fewer surfaces touch, and nothing else is worse; which way pieces look is seen only of the whole."""
    before, after = (prove(one if held is None else held(one)) for one in (mesh, new))
    if not whole:
        before, after = (dataclasses.replace(one, inward_pieces=0) for one in (before, after))
    return (
        not after.worse_than(before)
        and after.free_edges <= before.free_edges
        and after.nonmanifold_edges + after.nonmanifold_nodes < before.nonmanifold_edges + before.nonmanifold_nodes
    )


def _farthest(mesh: Mesh, copies: _Copies, units: float) -> float:
    return units * float(np.abs(mesh.nodes[copies.of]).max(initial=0.0))


def _place_by_place(
    mesh: Mesh, held: Callable[[Mesh], Mesh] | None, ways: Sequence[_Copies | None]
) -> tuple[Mesh, int, float]:
    """What hangs together is parted in the first way that makes things better round about."""
    c = mesh.connectivity
    nodes = c.nonmanifold_nodes
    ends = c.edges[c.is_nonmanifold]
    ends = np.searchsorted(nodes, ends[np.isin(ends, nodes).all(axis=1)])
    groups, label = label_components(len(nodes), *ends.T)
    count, move = 0, 0.0
    for group in range(groups):
        members = nodes[label == group]
        near = _round_about(mesh, members)
        for share, way in ((share, way) for share in _SHARES for way in ways if way is not None):
            its = way.chosen(members)
            if not len(its.of):
                continue
            new = its.applied(mesh, share * _UNITS)
            if _is_better(_alone(mesh, near), _alone(new, near), held, whole=False):
                mesh, count = new, count + len(its.of)
                move = max(move, _farthest(mesh, its, share * _UNITS))
                break
    return mesh, count, move


def _along_facets(mesh: Mesh, way: _Copies) -> _Copies:
    """The same copies, drawn into their facets: in a wedge like a knife the normals lead out of it."""
    t = mesh.triangulation
    middle = np.zeros((mesh.n_elements, 3))
    middle[t.element] = mesh.nodes[t.triangles].mean(axis=1)
    arm = middle[way.element] - mesh.nodes[way.node]
    arm /= np.maximum(np.linalg.norm(arm, axis=1, keepdims=True), 1e-300)
    direction = np.zeros_like(way.direction)
    np.add.at(direction, way.copy, arm)
    direction /= np.maximum(np.linalg.norm(direction, axis=1, keepdims=True), 1e-300)
    return dataclasses.replace(way, direction=direction)


def _round_about(mesh: Mesh, nodes: Array) -> Array:
    """Rows of the triangulation that lie about the triangles at some nodes."""
    triangles = mesh.triangulation.triangles
    marked = np.zeros(mesh.n_nodes, bool)
    marked[nodes] = True
    low, high = boxes(mesh.nodes[triangles])
    mine = marked[triangles].any(axis=1)
    room = 2.0 * max(_SHARES) * _UNITS * float(np.abs(mesh.nodes).max(initial=0.0))
    meets = (low <= high[mine].max(axis=0) + room) & (high >= low[mine].min(axis=0) - room)
    return np.flatnonzero(meets.all(axis=1))


def _alone(mesh: Mesh, rows: Array) -> Mesh:
    """A mesh of these triangles and no others."""
    used, local = np.unique(mesh.triangulation.triangles[rows], return_inverse=True)
    return Mesh.from_triangles(mesh.nodes[used], local.reshape(-1, 3), unit=mesh.unit)


def _fans(mesh: Mesh, skin: Skin, solid: bool) -> Array:
    """Fan of every corner of the triangulation; facets that bound one wedge, ``solid`` or not, stay together."""
    links = skin.links
    wedge = skin.wedges[skin.wedges[:, 2] == solid]
    node = skin.triangles.ravel()
    one, two = wedge[:, 0], wedge[:, 1]
    same = node[one] == node[two]
    pairs = [
        (one, np.where(same, two, links.next[two])),
        (links.next[one], np.where(same, links.next[two], two)),
    ]
    fan = links.fan
    a, b = (np.concatenate([fan[p[k]] for p in pairs]) for k in (0, 1))
    _, label = label_components(int(fan.max()) + 1, a, b)
    return np.asarray(label[fan])


def _copies(mesh: Mesh, skin: Skin, fan: Array, outward: float) -> _Copies | None:
    """Copies for all fans but the first of a node, to be drawn along the normals (1) or against them (-1)."""
    node, face = skin.triangles.ravel().astype(np.int64), skin.links.face
    shared = np.zeros(mesh.n_nodes, bool)
    shared[mesh.connectivity.nonmanifold_nodes] = True
    corner = np.flatnonzero(shared[node] & skin.links.is_sound[face])
    if not len(corner):
        return None
    pairs, which = np.unique(np.column_stack([node[corner], fan[corner]]), axis=0, return_inverse=True)
    which = which.ravel()
    extra = np.zeros(len(pairs), bool)
    extra[1:] = pairs[1:, 0] == pairs[:-1, 0]
    if not extra.any():
        return None
    number = np.cumsum(extra) - 1
    chosen = extra[which]
    corner, which = corner[chosen], which[chosen]
    copy = number[which]
    count = int(extra.sum())
    direction = np.zeros((count, 3))
    np.add.at(direction, copy, outward * area_vectors(mesh.nodes[skin.triangles[face[corner]]]))
    length = np.linalg.norm(direction, axis=1, keepdims=True)
    direction /= np.where(length > 0, length, 1.0)
    element = mesh.triangulation.element[face[corner]].astype(np.int64)
    return _Copies(element, node[corner], copy, pairs[extra, 0], direction)
