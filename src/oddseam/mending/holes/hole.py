"""A hole: the loop of nodes round it, and triangles over it that no mesh has yet.

Islands in a hole are tied to its outer loop by bridges, so that one loop runs round all of it; the
loop is triangulated by least fold and least area, and its inside is remeshed to the edge lengths
found along the border, which itself stays.  A loop too long for that at once is first cut in two
by its best chord.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from oddseam.arrays import Array
from oddseam.compiled import announce
from oddseam.geometry.triangles import areas
from oddseam.mending.holes.creased import Division, crease_ends, divided, normals_beside
from oddseam.model import Mesh

#: Longer loops are cut in two before they are triangulated, for time grows with the cube; those round islands later,
#: as a cut may part an island from its bridge.
_MOST_AT_ONCE, _MOST_WITH_ISLANDS = 200, 400
#: At most about so many facets are made for each node of the border; the area of an equilateral one of side one.
_MOST_TO_ONE, _EQUILATERAL = 50, 0.43
#: Borders with fewer nodes have no room for a node inside.
_LEAST_TO_REFINE = 6


@dataclass(frozen=True, eq=False)
class Hole:
    """The border of a hole, run through against the facets beside it.

    Attributes
    ----------
    node : (p,) int64 array
        Node of the mesh at every place of the loop; the ends of bridges come twice.
    corner : (p,) int64 array
        Corner of the mesh whose free edge leads to the next place; -1 along a bridge.
    """

    node: Array
    corner: Array

    @classmethod
    def along(cls, loop: Array, corners: Array) -> Hole:
        """The hole within a loop of nodes, given as a rim runs, with the corners of its edges."""
        return cls(np.asarray(loop[::-1], np.int64), np.roll(corners[::-1], -1).astype(np.int64))

    def with_island(self, nodes: Array, island: Hole) -> Hole:
        """The same hole, except for an island in it; the shortest bridge ties it to the border."""
        away = np.linalg.norm(nodes[self.node][:, None] - nodes[island.node][None], axis=2)
        i, j = (int(k) for k in np.unravel_index(np.argmin(away), away.shape))
        node = [self.node[: i + 1], island.node[j:], island.node[: j + 1], self.node[i:]]
        bridge = np.array([-1])
        corner = [self.corner[:i], bridge, island.corner[j:], island.corner[:j], bridge, self.corner[i:]]
        return Hole(np.concatenate(node), np.concatenate(corner).astype(np.int64))

    @cached_property
    def border(self) -> Array:
        """The different nodes of the border, in the order in which they come."""
        return np.asarray(self.node[np.sort(np.unique(self.node, return_index=True)[1])])

    @cached_property
    def local(self) -> Array:
        """(p,) row in ``border`` at every place."""
        order = np.argsort(self.border)
        return np.asarray(order[np.searchsorted(self.border[order], self.node)])

    @cached_property
    def edges(self) -> Array:
        """(e, 2) free edges of the border, in rows of ``border``."""
        return np.column_stack([self.local, np.roll(self.local, -1)])[self.corner >= 0]

    def sizes(self, nodes: Array) -> Array:
        """(b,) mean length of the two free edges at every node of the border."""
        a, b = self.edges.T
        length = np.linalg.norm(nodes[self.border[a]] - nodes[self.border[b]], axis=1)
        total = np.bincount(a, length, len(self.border)) + np.bincount(b, length, len(self.border))
        size: Array = total / np.maximum(np.bincount(self.edges.ravel(), minlength=len(self.border)), 1)
        return np.asarray(np.maximum(size, 0.2 * np.median(length)))


@dataclass(frozen=True, eq=False)
class Patch:
    """Triangles over a hole.

    Attributes
    ----------
    points : (k, 3) float array
        New nodes.
    triangles : (t, 3) int array
        In rows of the hole's border, and then of the new nodes.
    sides : list of int arrays
        Corners of the mesh along the border, for each of the sides that creases and borders between parts divide it in.
    side : (t,) int array
        Which of them each triangle is of.
    has_crease : bool
        Whether a crease goes on over it.
    """

    points: Array
    triangles: Array
    sides: list[Array]
    side: Array
    has_crease: bool = False


def cover(mesh: Mesh, hole: Hole, plain: bool = False) -> tuple[Patch | None, str]:
    """Triangles over a hole with new nodes as close as those of the border, or a reason why not.

    A ``plain`` one has no new nodes.
    """
    border, local = hole.border, hole.local
    if len(border) < 3:
        return None, "it has fewer than three nodes"
    if len(border) == 3 and _is_facet(mesh, border):
        return None, "it is the border of a single facet"
    size, taken = hole.sizes(mesh.nodes), _taken(mesh, hole)
    division, has_crease = (Division.none(len(hole.node)), False) if plain else _division(mesh, hole, size)
    at_border = len(hole.node)
    normals = np.zeros((at_border, 3))
    normals[hole.corner >= 0] = normals_beside(mesh, hole.corner[hole.corner >= 0])
    points = np.concatenate([mesh.nodes[hole.node], division.points])
    most = _MOST_WITH_ISLANDS if (hole.corner < 0).any() else _MOST_AT_ONCE
    parts = [triangulated(points, normals, loop, taken, most) for loop in division.loops]
    if any(part is None for part in parts) and len(division.loops) > 1:
        division = Division.none(at_border)
        points = mesh.nodes[hole.node]
        parts = [triangulated(points, normals, division.loops[0], taken, most)]
    if any(part is None for part in parts):
        return None, "every way to fill it uses an edge that is there already"
    name = np.concatenate([local, len(border) + np.arange(len(division.points))])
    triangles = name[np.concatenate([part for part in parts if part is not None])]
    side = np.repeat(np.arange(len(parts)), [len(part) for part in parts if part is not None])
    sides = [_corners_along(hole, loop) for loop in division.loops]
    added = division.points
    if len(border) >= _LEAST_TO_REFINE and not plain:
        wanted = np.concatenate([size, np.full(len(added), float(np.median(size)))])
        every = np.concatenate([mesh.nodes[border], added])
        more, refined, origin = _refined(every, triangles, wanted, name[division.creases])
        if not _doubles(refined, hole, taken):
            added, triangles, side = np.concatenate([added, more]), refined, side[origin]
    return Patch(added, triangles, sides, side, has_crease and len(division.loops) > 1), ""


def _corners_along(hole: Hole, loop: Array) -> Array:
    """Corners of the mesh along the edges of the border that a loop of places goes along."""
    after = np.roll(loop, -1)
    n = len(hole.node)
    corner = hole.corner[loop[(loop < n) & (after == (loop + 1) % n)]]
    return np.asarray(corner[corner >= 0])


def _division(mesh: Mesh, hole: Hole, size: Array) -> tuple[Division, bool]:
    """The loop divided along what ends at it, whole where it runs round islands; and whether creases do."""
    if len(hole.node) == len(hole.border) >= _LEAST_TO_REFINE:
        at, direction, is_sharp = crease_ends(mesh, hole.border)
        if len(at) > 1:
            return divided(mesh.nodes[hole.border], size, at, direction, is_sharp), bool(is_sharp.sum() > 1)
    return Division.none(len(hole.node)), False


def _taken(mesh: Mesh, hole: Hole) -> set[tuple[int, int]]:
    """Pairs of places that no chord may join: their nodes are joined already, or are one node."""
    first, neighbour = mesh.connectivity.neighbours
    places: dict[int, list[int]] = {}
    for place, node in enumerate(hole.node.tolist()):
        places.setdefault(node, []).append(place)
    taken = set()
    for node, its in places.items():
        for other in (node, *neighbour[first[node] : first[node + 1]].tolist()):
            taken |= {(a, b) for a in its for b in places.get(other, ())}
    # nor may a chord run along a bridge once more
    n = len(hole.node)
    for i in np.flatnonzero(hole.corner < 0).tolist():
        one, two = places[int(hole.node[i])], places[int(hole.node[(i + 1) % n])]
        taken |= {pair for a in one for b in two for pair in ((a, b), (b, a))}
    return taken


def _is_facet(mesh: Mesh, nodes: Array) -> bool:
    corners = np.flatnonzero(mesh.faces.node == nodes[0])
    want = set(nodes.tolist())
    c = mesh.connectivity
    return any(
        {int(mesh.faces.node[x]), int(mesh.faces.node[c.next[x]]), int(mesh.faces.node[c.previous[x]])} == want
        for x in corners
    )


def triangulated(
    points: Array, normals: Array, which: Array, taken: set[tuple[int, int]], most: int = _MOST_AT_ONCE
) -> Array | None:
    """Triangles over the loop ``which`` (indices into ``points``), or ``None``.

    ``normals`` belongs to the first points, those round the hole; a loop that goes from one to
    the next of them runs along a facet.  Loops of more than ``most`` points are cut in two.
    """
    from oddseam.mending.kernels.loop_triangles import triangulate_loop

    announce(triangulate_loop)
    n = len(which)
    if n > most:
        i, k = _best_chord(points[which], which, taken)
        one, two = which[i : k + 1], np.concatenate([which[k:], which[: i + 1]])
        parts = [triangulated(points, normals, half, taken, most) for half in (one, two)]
        return None if any(p is None for p in parts) else np.concatenate(parts)  # type: ignore[arg-type]
    forbidden = np.zeros((n, n), np.bool_)
    row = {int(w): i for i, w in enumerate(which.tolist())}
    for a, b in taken:
        if a in row and b in row:
            forbidden[row[a], row[b]] = True
    for i in range(n):
        forbidden[i, (i + 1) % n] = forbidden[(i + 1) % n, i] = False
    triangles = np.empty((n - 2, 3), np.int32)
    along = np.zeros((n, 3))
    beside = (which < len(normals)) & (np.roll(which, -1) == (which + 1) % len(normals))
    along[beside] = normals[which[beside]]
    if not triangulate_loop(np.ascontiguousarray(points[which]), np.ascontiguousarray(along), forbidden, triangles):
        return None
    return np.asarray(which[triangles])


def _best_chord(points: Array, which: Array, taken: set[tuple[int, int]]) -> tuple[int, int]:
    """The shortest chord between about opposite places."""
    n = len(points)
    best, chord = np.inf, (0, n // 2)
    for i in range(n // 2):
        ks = np.arange(i + n // 4, min(i + 3 * n // 4, n))
        length = np.linalg.norm(points[ks] - points[i], axis=1)
        while length.min() < best:
            k = int(np.argmin(length))
            if (int(which[i]), int(which[ks[k]])) not in taken:
                best, chord = float(length[k]), (i, int(ks[k]))
            length[k] = np.inf
    return chord


def _refined(points: Array, triangles: Array, size: Array, creases: Array) -> tuple[Array, Array, Array]:
    """New points and triangles after remeshing the inside to the sizes along the border; creases stay.

    And a triangle on the same side of the creases that each of these came from.
    """
    from oddseam.remeshing.surfaces.net import Fineness
    from oddseam.remeshing.surfaces.sheets import cut_into_sheets
    from oddseam.remeshing.surfaces.surface import remesh_sheets
    from oddseam.sizes import SizeField

    sheets = cut_into_sheets(points, triangles, np.zeros(len(triangles), np.int32), 179.0, creases)
    area = float(areas(points[triangles]).sum())
    coarse = np.sqrt(area / (_EQUILATERAL * _MOST_TO_ONE * len(size)))
    fineness = Fineness(SizeField(max(float(size.max()), coarse), gradation=0.5))
    result = remesh_sheets(sheets, fineness, fixed_size=size[sheets.node]).surface
    n = len(points)
    new = np.flatnonzero(result.node_origin < 0)
    index = np.empty(len(result.points), np.int64)
    index[new] = n + np.arange(len(new))
    old = np.flatnonzero(result.node_origin >= 0)
    index[old] = result.node_origin[old]
    return result.points[new], index[result.triangles], result.facet_origin


def _doubles(triangles: Array, hole: Hole, taken: set[tuple[int, int]]) -> bool:
    """Whether a chord between border nodes is an edge that the mesh has already."""
    n = len(hole.border)
    known = {tuple(sorted(pair)) for pair in hole.edges.tolist()}
    local = hole.local.tolist()
    joined = {(local[a], local[b]) for a, b in taken if hole.node[a] != hole.node[b]}
    bridges = np.column_stack([hole.local, np.roll(hole.local, -1)])[hole.corner < 0]
    joined -= {pair for a, b in bridges.tolist() for pair in ((a, b), (b, a))}
    a, b = triangles.ravel(), np.roll(triangles, -1, axis=1).ravel()
    chords = zip(a[(a < n) & (b < n)].tolist(), b[(a < n) & (b < n)].tolist(), strict=True)
    return any((x, y) in joined and tuple(sorted((x, y))) not in known for x, y in chords)
