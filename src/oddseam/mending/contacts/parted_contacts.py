"""What lies next to what, where triangles cross that did not before their nodes were rounded."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oddseam.arrays import Array, places_in_runs
from oddseam.geometry.edge_keys import edges_of_triangles
from oddseam.geometry.triangles import boxes, cross_product, unit_normals
from oddseam.model import Mesh
from oddseam.model.connectivity import label_components

#: Triangles may lie over one another whose normals enclose no more than 11 degrees.
_OVER_ONE_ANOTHER = 0.98
_LITTLE_MORE = 2.0


@dataclass(frozen=True, eq=False)
class Contacts:
    """What lies next to what.

    Attributes
    ----------
    joins : (j, 2) int64 array
        Nodes.
    on_edge : (e, 3) int64 array
        Both ends of an edge, and a node that lies next to it.
    in_facet : (f, 2) int64 array
        Triangle and node.
    passing : (p, 4) int64 array
        Both ends of two edges.
    middle : (p, 3) float64 array
        Between these, where they are nearest.
    flat : (f, 2) int64 array
        Pairs of triangles that lie next to one another wherever one lies over the other.
    """

    joins: Array
    on_edge: Array
    in_facet: Array
    passing: Array
    middle: Array
    flat: Array


def find_contacts(mesh: Mesh, pairs: Array, reach: float) -> Contacts:
    """What lies within ``reach`` of one another, of pairs of triangles."""
    triangles, nodes = mesh.triangulation.triangles.astype(np.int64), mesh.nodes
    both = np.concatenate([pairs, pairs[:, ::-1]])
    point, facet = triangles[both[:, 0]].ravel(), np.repeat(both[:, 1], 3)
    pair = np.unique(np.column_stack([facet, point]), axis=0)
    facet, point = pair[(triangles[pair[:, 0]] != pair[:, 1:]).all(axis=1)].T
    corner = triangles[facet]
    p, c = nodes[point], nodes[corner]
    off = np.linalg.norm(c - p[:, None], axis=2)
    nearest = np.argmin(off, axis=1)
    rows = np.arange(len(point))
    is_join = off[rows, nearest] <= reach
    after = np.roll(corner, -1, axis=1)
    away = np.stack([_off_segment(p, nodes[corner[:, k]], nodes[after[:, k]]) for k in range(3)], axis=1)
    side = np.argmin(away, axis=1)
    is_on_edge = ~is_join & (away[rows, side] <= reach)
    is_inside = ~is_join & ~is_on_edge & (_off_plane(p, c) <= reach)
    joins = np.sort(np.column_stack([point, corner[rows, nearest]])[is_join], axis=1)
    ends = np.sort(np.column_stack([corner[rows, side], after[rows, side]]), axis=1)
    on_edge = np.unique(np.column_stack([ends, point])[is_on_edge], axis=0)
    passing, middle = _passing_edges(nodes, triangles, pairs, reach)
    return Contacts(
        np.unique(joins, axis=0), on_edge, np.column_stack([facet, point])[is_inside], passing, middle,
        pairs[_are_flat(nodes, triangles, pairs, reach)],
    )  # fmt: skip


def _off_segment(p: Array, a: Array, b: Array) -> Array:
    """(n,) distances of points to segments."""
    u = b - a
    along = np.einsum("ij,ij->i", p - a, u) / np.maximum(np.einsum("ij,ij->i", u, u), 1e-300)
    return np.asarray(np.linalg.norm(p - a - along.clip(0, 1)[:, None] * u, axis=1))


def _off_plane(p: Array, corners: Array) -> Array:
    """(n,) distances of points to the planes of triangles; infinite where they are not over the inside."""
    weights, normal = weights_at(p, corners)
    size = np.maximum(np.linalg.norm(normal, axis=1), 1e-300)
    off = np.abs(np.einsum("ij,ij->i", p - corners[:, 0], normal)) / size
    return np.where((weights > 0).all(axis=1), off, np.inf)


def weights_at(p: Array, corners: Array) -> tuple[Array, Array]:
    """(n, 3) barycentric coordinates of points dropped onto triangles, and the normals of these."""
    normal = cross_product(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    size = np.maximum(np.einsum("ij,ij->i", normal, normal), 1e-300)
    parts = [
        np.einsum(
            "ij,ij->i",
            cross_product(corners[:, (k + 2) % 3] - corners[:, (k + 1) % 3], p - corners[:, (k + 1) % 3]),
            normal,
        )
        for k in range(3)
    ]
    return np.stack(parts, axis=1) / size[:, None], normal


def _passing_edges(nodes: Array, triangles: Array, pairs: Array, reach: float) -> tuple[Array, Array]:
    """Edges of crossing triangles that pass within ``reach``, away from their ends: both ends of two, the middle."""
    ends = edges_of_triangles(triangles)
    one = np.repeat(ends[pairs[:, 0]], 3, axis=1).reshape(-1, 2)
    two = np.tile(ends[pairs[:, 1]], (1, 3, 1)).reshape(-1, 2)
    one, two = np.sort(one, axis=1), np.sort(two, axis=1)
    swap = one[:, 0] > two[:, 0]
    both = np.where(swap[:, None], np.column_stack([two, one]), np.column_stack([one, two]))
    both = np.unique(both[(one[:, :, None] != two[:, None, :]).all(axis=(1, 2))], axis=0)
    a, b, c, d = (nodes[both[:, k]] for k in range(4))
    u, v, w = b - a, d - c, a - c
    uu, uv, vv = (np.einsum("ij,ij->i", *k) for k in ((u, u), (u, v), (v, v)))
    uw, vw = np.einsum("ij,ij->i", u, w), np.einsum("ij,ij->i", v, w)
    det = uu * vv - uv * uv
    safe = np.where(det > 1e-14 * uu * vv, det, np.inf)
    s, t = (uv * vw - vv * uw) / safe, (uu * vw - uv * uw) / safe
    p, q = a + s[:, None] * u, c + t[:, None] * v
    near = np.linalg.norm(p - q, axis=1) <= reach
    for place, length in ((s, np.sqrt(uu)), (t, np.sqrt(vv))):
        near &= (place * length > reach) & ((1.0 - place) * length > reach)
    return both[near], 0.5 * (p + q)[near]


def with_neighbours(mesh: Mesh, flat: Array, reach: float) -> Array:
    """Pairs that lie next to one another, among triangles of flat pairs and those round about."""
    triangles, nodes = mesh.triangulation.triangles.astype(np.int64), mesh.nodes
    if not len(flat):
        return flat
    rows, local = np.unique(flat, return_inverse=True)
    count, label = label_components(len(rows), *local.reshape(-1, 2).T)
    corners = nodes[triangles]
    low, high = boxes(corners)
    normal = unit_normals(corners)
    found = [flat]
    for cluster in range(count):
        its = rows[label == cluster]
        near = (low <= high[its].max(axis=0) + reach) & (high >= low[its].min(axis=0) - reach)
        beside = np.flatnonzero(near.all(axis=1) & (np.abs(normal @ normal[its[0]]) > _OVER_ONE_ANOTHER))
        pairs = beside[_boxes_meet(low[beside], high[beside] + reach)]
        found.append(pairs[_are_flat(nodes, triangles, pairs, reach)])
    return np.concatenate(found)


def _boxes_meet(low: Array, high: Array) -> Array:
    """(k, 2) pairs of boxes that have a point in common; those along the longest axis are compared."""
    axis = int(np.argmax(high.max(axis=0) - low.min(axis=0)))
    order = np.argsort(low[:, axis], kind="stable")
    last = np.searchsorted(low[order, axis], high[order, axis], "right")
    count = last - np.arange(len(order)) - 1
    one = np.repeat(np.arange(len(order)), count)
    two = one + 1 + places_in_runs(count)
    one, two = order[one], order[two]
    meet = ((low[one] <= high[two]) & (low[two] <= high[one])).all(axis=1)
    return np.asarray(np.column_stack([one, two])[meet])


def _are_flat(nodes: Array, triangles: Array, pairs: Array, reach: float) -> Array:
    """(k,) bool: pairs of which the one is somewhere over the other, and nowhere much farther off than ``reach``."""
    one, two = nodes[triangles[pairs[:, 0]]], nodes[triangles[pairs[:, 1]]]
    normal = unit_normals(two)
    are = np.abs(np.einsum("ij,ij->i", unit_normals(one), normal)) > _OVER_ONE_ANOTHER
    most = np.full(len(pairs), -1.0)
    for p, c in ((one, two), (two, one)):
        for k in range(3):
            off = _off_plane(p[:, k], c)
            most = np.maximum(most, np.where(np.isfinite(off), off, -1.0))
    for i in range(3):
        for j in range(3):
            a, b, c, d = one[:, i], one[:, (i + 1) % 3], two[:, j], two[:, (j + 1) % 3]
            u, v, w = b - a, d - c, c - a
            turn = np.einsum("ij,ij->i", cross_product(u, v), normal)
            safe = np.where(turn != 0, turn, np.inf)
            s = np.einsum("ij,ij->i", cross_product(w, v), normal) / safe
            t = np.einsum("ij,ij->i", cross_product(w, u), normal) / safe
            cross = (s > 0) & (s < 1) & (t > 0) & (t < 1)
            gap = np.abs(np.einsum("ij,ij->i", a + s[:, None] * u - c - t[:, None] * v, normal))
            most = np.maximum(most, np.where(cross, gap, -1.0))
    return np.asarray(are & (most >= 0) & (most <= _LITTLE_MORE * reach))
