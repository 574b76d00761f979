"""The neighbourhood of a place: elements of one sheet near to it, alone, with what bounds them."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

import numpy as np

from oddseam.arrays import Array, point_text
from oddseam.editing.zones.bounds import BOUNDS, PART_BORDER, bounds_of, element_normals
from oddseam.editing.zones.chart import Chart
from oddseam.errors import Refusal
from oddseam.geometry.edge_keys import edge_keys, edges_of_triangles
from oddseam.geometry.threads import in_blocks
from oddseam.geometry.trees.boxtree import BoxTree
from oddseam.geometry.triangles import area_vectors
from oddseam.model import Mesh
from oddseam.model.connectivity import label_components
from oddseam.model.rings import having
from oddseam.model.splicing import extracted

#: The sheet may be seen under no flatter angle than of this sine.
_STEEP = 0.25


@dataclass(frozen=True, eq=False)
class Zone:
    """Elements round a place.

    Attributes
    ----------
    whole : Mesh
    around : (k,) int array
        Elements of ``whole`` with a node within reach.
    local : Mesh
        These alone, with their ids.
    chart : Chart
    elements : (j,) int array
        Elements of ``local``, tri and quad, that hang together with the place without crossing a bound.
    bounds : dict of str to (e, 2) int array
        Edges of ``local`` that bound them, by what they are.
    size : float
        Mean length of their edges.
    """

    whole: Mesh
    around: Array
    local: Mesh
    chart: Chart
    elements: Array
    bounds: dict[str, Array]
    size: float

    @property
    def triangles(self) -> Array:
        """(t, 3) the triangles of the elements."""
        t = self.local.triangulation
        return np.asarray(t.triangles[np.isin(t.element, self.elements)])

    def element_of_triangles(self) -> Array:
        """(t,) the element of ``local`` that each of ``triangles`` is of."""
        t = self.local.triangulation
        return np.asarray(t.element[np.isin(t.element, self.elements)])

    @cached_property
    def border(self) -> Array:
        """(e, 2) edges that one of the triangles has, directed as in that."""
        return self._edges[0]

    @cached_property
    def slits(self) -> Array:
        """(s, 2) bounds within: edges that stay, with elements on both sides."""
        return self._edges[1]

    @cached_property
    def _edges(self) -> tuple[Array, Array]:
        t = self.triangles.astype(np.int64)
        ends = edges_of_triangles(t).reshape(-1, 2)
        n = self.local.n_nodes
        known, inverse, count = np.unique(edge_keys(ends, n), return_inverse=True, return_counts=True)
        bounds = np.concatenate(list(self.bounds.values()))
        within = np.isin(edge_keys(bounds, n), known[count > 1])
        return np.asarray(ends[count[inverse] == 1]), bounds[within]


def surface_at(mesh: Mesh, place: Array, direction: Array | None) -> tuple[Array, Array, int]:
    """Where a line through a place, or the nearest point to it, meets the surface; the normal there, and the element.

    Raises
    ------
    Refusal
        If the line meets nothing.
    """
    t = mesh.triangulation
    if not len(t.triangles):
        raise Refusal("the mesh has no surface")
    if direction is None:
        tree = BoxTree(mesh.nodes[t.triangles])
        found, row = tree.closest(place[None])
        best, point = int(tree.order[row[0]]), found[0]
    else:
        best, point = ray_meets(mesh, np.arange(len(t.triangles)), place, direction)
    vector = area_vectors(mesh.nodes[t.triangles[best]][None])[0]
    size = float(np.linalg.norm(vector))
    if size == 0:
        raise Refusal(f"the element at {point_text(point)} has no area")
    return point, vector / size, int(t.element[best])


def ray_meets(mesh: Mesh, rows: Array, place: Array, direction: Array) -> tuple[int, Array]:
    """The triangle, of some rows, that a line through a place meets nearest to that, and where.

    Raises
    ------
    Refusal
        If it meets none.
    """
    met, distance = _met(mesh.nodes[mesh.triangulation.triangles[rows]], place, direction)
    if not len(met):
        raise Refusal(f"the line through {point_text(place)} along {point_text(direction)} meets no element")
    k = int(np.argmin(np.abs(distance)))
    return int(rows[met[k]]), np.asarray(place + distance[k] * direction)


def _met(corners: Array, place: Array, direction: Array) -> tuple[Array, Array]:
    """Triangles that a line meets, and how far along it."""
    ab, ac = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    cross = np.cross(direction, ac)
    det = np.einsum("ij,ij->i", ab, cross)
    safe = np.where(det != 0, det, 1.0)
    away = place - corners[:, 0]
    s = np.einsum("ij,ij->i", away, cross) / safe
    other = np.cross(away, ab)
    t = other @ direction / safe
    hit = np.flatnonzero((det != 0) & (s >= -1e-9) & (t >= -1e-9) & (s + t <= 1.0 + 1e-9))
    return hit, np.einsum("ij,ij->i", ac[hit], other[hit]) / safe[hit]


class Beyond(NamedTuple):
    """What a neighbourhood goes on beyond.

    Attributes
    ----------
    kinds : collection of str
        Kinds of bound; their edges stay all the same.
    keeps_borders : bool
        Whether that holds for edges of borders between parts too.
    """

    kinds: Collection[str]
    keeps_borders: bool = True


def zone_round(
    mesh: Mesh,
    chart: Chart,
    element: int,
    line: Array,
    margin: float,
    *,
    closed: bool,
    beyond: Beyond,
) -> Zone:
    """The neighbourhood of a line, or of a polygon and what it encloses.

    Parameters
    ----------
    mesh : Mesh
    chart : Chart
    element : int
        Where to begin.
    line : (k, 2) array
        In the plane of the chart.
    margin : float
        Elements belong to it with all nodes nearer, measured in the plane; and those that the line crosses.
    closed : bool
        Whether the line is a polygon.
    beyond : Beyond

    Raises
    ------
    Refusal
        If the element is neither tri nor quad.
    """
    flat = chart.flat(mesh.nodes)
    low, high = line.min(axis=0) - margin, line.max(axis=0) + margin
    reach = float(np.linalg.norm(high - low))
    box = ((flat >= low) & (flat <= high)).all(axis=1)
    rows = np.flatnonzero(box & (np.abs((mesh.nodes - chart.origin) @ chart.normal) <= reach))
    near = np.zeros(mesh.n_nodes, bool)
    away = distance_to_polygon(flat[rows], line) if closed else distance_to_edges(flat[rows], line[:-1], line[1:])
    near[rows] = away <= margin
    within = having(mesh, near, every=True)
    within[_beneath(mesh, chart, flat, line, reach, closed)] = True
    near[np.unique(mesh.triangulation.triangles[within[mesh.triangulation.element]])] = True
    touched = having(mesh, near)  # all that is beside what is within
    touched[element] = True
    around = np.flatnonzero(touched)
    local = extracted(mesh, around)
    within = within[around]
    seed = int(np.searchsorted(around, element))
    c = local.connectivity
    normal = element_normals(local)
    within &= normal @ chart.normal >= _STEEP
    within[seed] = True
    kinds = np.repeat(list(local.elements), [len(block) for block in local.elements.values()])
    within &= np.isin(kinds, ("tri", "quad"))
    if not within[seed]:
        raise Refusal(
            f"element {int(local.element_ids[seed])} is a {kinds[seed]}; only tri and quad can be meshed anew"
        )

    kind = bounds_of(local)
    if not beyond.keeps_borders:
        kind[kind == BOUNDS.index(PART_BORDER)] = -1
    face_element = local.faces.element.astype(np.int64)
    one, two = face_element[c.face[c.pairs]].T
    edge = c.pair_edges
    passed = [-1, *(BOUNDS.index(what) for what in beyond.kinds)]
    open_ = np.isin(kind[edge], passed) & c.pair_agrees & within[one] & within[two]
    label = label_components(local.n_elements, one[open_], two[open_])[1]
    elements = np.flatnonzero(within & (label == label[seed]))
    member = np.zeros(local.n_elements, bool)
    member[elements] = True
    corner = np.flatnonzero(member[face_element[c.face]] & (c.edge_of >= 0))
    its = np.unique(c.edge_of[corner])
    ends = local.nodes[c.edges[its]]
    mean = float(np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1).mean())
    bounds = {name: c.edges[its[kind[its] == k]].astype(np.int64) for k, name in enumerate(BOUNDS)}
    return Zone(mesh, around, local, chart, elements, bounds, mean)


def _beneath(mesh: Mesh, chart: Chart, flat: Array, line: Array, reach: float, closed: bool) -> Array:
    """Elements that a line crosses, seen along the direction and near to its plane."""
    t = mesh.triangulation
    low, high = line.min(axis=0), line.max(axis=0)
    # on which sides of the line's box every node is: a triangle all of whose nodes are on one side is apart
    sides = (flat < low) @ np.array([1, 2], np.int8) + (flat > high) @ np.array([4, 8], np.int8)
    one, two, three = (sides[t.triangles[:, k]] for k in range(3))
    rows = np.flatnonzero((one & two & three) == 0)
    depth = np.abs((mesh.nodes[t.triangles[rows]] - chart.origin) @ chart.normal).min(axis=1)
    rows = rows[depth <= reach]
    corners = flat[t.triangles[rows]]
    a, b = (line, np.roll(line, -1, axis=0)) if closed else (line[:-1], line[1:])
    return np.asarray(np.unique(t.element[rows[_crosses(corners, a, b)]]))


def _crosses(corners: Array, a: Array, b: Array) -> Array:
    """(t,) bool: triangles (t, 3, 2) of a plane that any of some edges (e, 2) has a point in common with."""
    found = np.zeros(len(corners), bool)
    turn = np.array([[0.0, 1.0], [-1.0, 0.0]])
    for start, end in zip(a, b, strict=True):
        ends = np.stack([start, end])
        # apart along the normal of the edge, or of a side, or along either axis
        axes = [
            np.broadcast_to((end - start) @ turn, (len(corners), 2)),
            *np.eye(2)[:, None].repeat(len(corners), axis=1),
        ]
        axes += [(np.roll(corners, -1, axis=1) - corners)[:, k] @ turn for k in range(3)]
        apart = np.zeros(len(corners), bool)
        for axis in axes:
            one = np.einsum("tkd,td->tk", corners, axis)
            two = axis @ ends.T
            apart |= (one.max(axis=1) < two.min(axis=1)) | (two.max(axis=1) < one.min(axis=1))
        found |= ~apart
    return found


def distance_to_edges(points: Array, start: Array, end: Array) -> Array:
    """(k,) distances of points (k, 2) of a plane to the nearest of some edges (e, 2); infinite without edges."""
    if not len(start):
        return np.full(len(points), np.inf)
    ahead = end - start
    length = np.einsum("ij,ij->i", ahead, ahead)

    def measured(its: Array) -> Array:
        away = its[:, None, :] - start
        share = np.clip(np.einsum("kij,ij->ki", away, ahead) / np.where(length > 0, length, 1.0), 0.0, 1.0)
        return np.asarray(np.linalg.norm(away - share[..., None] * ahead, axis=2).min(axis=1))

    return in_blocks(measured, points, len(start))


def distance_to_polygon(points: Array, polygon: Array) -> Array:
    """(k,) distances of points of a plane to a polygon (n, 2), negative inside; infinite without one."""
    a, b = polygon, np.roll(polygon, -1, axis=0)
    rise = np.where(b[:, 1] != a[:, 1], b[:, 1] - a[:, 1], 1.0)

    def crossed(its: Array) -> Array:
        x, y = its[:, :1], its[:, 1:]
        left = x < a[:, 0] + (y - a[:, 1]) * (b[:, 0] - a[:, 0]) / rise
        return np.asarray((((a[:, 1] > y) != (b[:, 1] > y)) & left).sum(axis=1))

    distance = distance_to_edges(points, a, b)
    return np.where(in_blocks(crossed, points, len(a)) % 2 == 1, -distance, distance)
