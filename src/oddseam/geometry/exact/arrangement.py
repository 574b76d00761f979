"""The arrangement of triangles: cut so that any two meet in whole edges and nodes, or not at all.

Where triangles meet is found exactly, and every triangle that is met is triangulated anew along
those lines; triangles that overlap in a plane are triangulated together, so that they have the
same pieces there.  The idea is that of Q. Zhou, E. Grinspun, D. Zorin, A. Jacobson (2016), Mesh
arrangements for solid geometry.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.exact.crossings import overlap_in_plane, pairs_near
from oddseam.geometry.exact.exact_points import ExactPoints, Point
from oddseam.geometry.exact.meeting import CoplanarError, Edge, Meetings
from oddseam.geometry.exact.planar import PlanarMesh


@dataclass(frozen=True, eq=False)
class Arrangement:
    """Triangles cut along one another.

    Attributes
    ----------
    points : (k, 3) float64 array
        The given nodes, then new ones, each coordinate rounded once.
    triangles : (t, 3) int32 array
        Those that were not cut first, in order; nodes at one place are one.
    origin : (t,) int64 array
        Row of the triangle that each is a piece of.
    cut : (c,) int64 array
        Rows that were cut.
    exact : ExactPoints
        Where the points are before rounding; ``number`` says which is which.
    number : (k,) int64 array
        Number in ``exact`` of every point, -1 for nodes that are far from all cuts.
    """

    points: Array
    triangles: Array
    origin: Array
    cut: Array
    exact: ExactPoints
    number: Array

    def places(self, rows: list[int]) -> list[Point]:
        """Exact places of points by their rows."""
        return [
            self.exact.points[k] if k >= 0 else self.exact.place(self.points[row])
            for row, k in zip(rows, self.number[rows].tolist(), strict=True)
        ]


def touching_candidates(nodes: Array, triangles: Array, among: Array | None = None) -> Array:
    """(k, 2) pairs of rows, one ``among`` some, that may share more than common nodes and edges; none is missing."""
    pairs = np.sort(pairs_near(nodes, triangles, contacts=True, among=among)[0], axis=1)
    return np.asarray(pairs[np.lexsort((pairs[:, 1], pairs[:, 0]))])


def arrange(nodes: Array, triangles: Array, among: Array | None = None) -> Arrangement:
    """Cut triangles along one another.

    Parameters
    ----------
    nodes : (n, 3) float64 array
    triangles : (m, 3) int array
        None with corners in a line.
    among : int array, optional
        Rows outside of which nothing meets but in common nodes and edges, or it is left so.

    Notes
    -----
    O(n log n) and a time that grows with the number of pairs that meet, and for each triangle
    with the number of points in it.
    """
    return _Arranger(nodes, triangles, among).run()


class _Arranger:
    def __init__(self, nodes: Array, triangles: Array, among: Array | None) -> None:
        self._nodes = nodes
        nothing = among is not None and not len(among)
        pairs = np.zeros((0, 2), np.int64) if nothing else touching_candidates(nodes, triangles, among)
        used = np.unique(triangles[np.unique(pairs)]) if len(pairs) else np.zeros(0, np.int64)
        # only nodes of triangles that may touch, and of those beside them, need exact coordinates
        near = np.isin(triangles, used).sum(axis=1) >= 2
        used = np.unique(triangles[near])
        self._points = ExactPoints(nodes[used])
        first = np.array(self._points.first, np.int64)
        name, local = np.arange(len(nodes)), np.full(len(nodes), -1)
        name[used], local[used] = used[first], first
        self._used, self._pairs = used, pairs
        self._triangles, self._corners = name[triangles], local[triangles]
        self._meetings = Meetings(self._points, self._corners)
        self._segments: dict[int, set[tuple[int, int]]] = {}
        self._inner: dict[int, set[int]] = {}
        self._on_edge: dict[tuple[int, int], set[int]] = {}
        self._cluster: dict[int, int] = {}

    def run(self) -> Arrangement:
        for one, two in self._pairs.tolist():
            self._meet(one, two)
        self._spread()
        pieces: list[tuple[int, int, int]] = []
        origin: list[int] = []
        clusters: dict[int, list[int]] = {}
        for row in list(self._cluster):
            clusters.setdefault(self._root(row), []).append(row)
        alone = (self._segments.keys() | self._inner.keys()) - self._cluster.keys()
        for row in sorted(alone):
            made = self._cut_alone(row)
            pieces += made
            origin += [row] * len(made)
        for root in sorted(clusters):
            for row, made in self._cut_together(sorted(clusters[root])):
                pieces += made
                origin += [row] * len(made)
        cut = np.array(sorted(alone | self._cluster.keys()), np.int64)
        return self._result(pieces, origin, cut)

    # ------------------------------------------------------------------ where they meet

    def _meet(self, one: int, two: int) -> None:
        try:
            met = self._meetings.meet(one, two)
        except CoplanarError:
            self._meet_in_plane(one, two, [self._corners[k].tolist() for k in (one, two)])
            return
        if met is None or all(edge is not None and edge[0] == edge[1] for on in met.on for edge in on):
            return
        for row, on in zip((one, two), met.on, strict=True):
            self._note(row, met.ends, on)

    def _note(self, row: int, ends: tuple[int, int], on: tuple[Edge | None, Edge | None]) -> None:
        """Remember a segment in a triangle, and which points of it lie on its edges."""
        segments = self._segments.setdefault(row, set())
        for k, edge in zip(ends, on, strict=True):
            if edge is None:
                self._inner.setdefault(row, set()).add(k)
            elif edge[0] != edge[1]:
                self._on_edge.setdefault(edge, set()).add(k)
        p, q = ends
        if p != q:
            segments.add((p, q) if p < q else (q, p))

    def _edge_at(self, row: int, corners: list[int], k: int) -> tuple[int, int] | None:
        """The edge of a triangle that a point of its plane lies on."""
        normal = self._meetings.plane(row).normal
        axis = max(range(3), key=lambda n: abs(normal[n]))
        i, j = (axis + 1) % 3, (axis + 2) % 3
        x, y, w = (self._points.points[k][n] for n in (i, j, 3))
        for a, b in ((corners[0], corners[1]), (corners[1], corners[2]), (corners[2], corners[0])):
            p, q = self._points.points[a], self._points.points[b]
            if (q[i] - p[i]) * (y - p[j] * w) == (q[j] - p[j]) * (x - p[i] * w):
                return min(a, b), max(a, b)
        return None

    def _meet_in_plane(self, one: int, two: int, corners: list[list[int]]) -> None:
        if set(corners[0]) == set(corners[1]):
            self._join(one, two)
            return
        xyz = [[list(self._points.points[k][:3]) for k in its] for its in corners]
        if overlap_in_plane(xyz[0], xyz[1], list(self._meetings.plane(one).normal)):
            self._join(one, two)
            return
        for row, its, other in ((one, corners[0], corners[1]), (two, corners[1], corners[0])):
            for k in other:
                if k not in its:
                    edge = self._edge_at(row, its, k)
                    if edge is not None and self._is_between(k, *edge):
                        self._on_edge.setdefault(edge, set()).add(k)

    def _is_between(self, k: int, a: int, b: int) -> bool:
        p, q, r = (self._points.points[n] for n in (a, b, k))
        return sum((p[n] * r[3] - r[n]) * (q[n] * r[3] - r[n]) for n in range(3)) < 0

    def _root(self, row: int) -> int:
        while self._cluster[row] != row:
            self._cluster[row] = self._cluster[self._cluster[row]]
            row = self._cluster[row]
        return row

    def _join(self, one: int, two: int) -> None:
        self._cluster.setdefault(one, one)
        self._cluster.setdefault(two, two)
        a, b = self._root(one), self._root(two)
        self._cluster[max(a, b)] = min(a, b)

    def _spread(self) -> None:
        """Every triangle at an edge gets the points on it."""
        if not self._on_edge:
            return
        known = np.flatnonzero((self._corners >= 0).sum(axis=1) >= 2)
        for row, (a, b, c) in zip(known.tolist(), self._corners[known].tolist(), strict=True):
            for edge in ((a, b), (b, c), (c, a)):
                if (min(edge), max(edge)) in self._on_edge:
                    self._segments.setdefault(row, set())

    # ------------------------------------------------------------------ cutting

    def _cut_alone(self, row: int) -> list[tuple[int, int, int]]:
        a, b, c = self._corners[row].tolist()
        simple = self._cut_across(row, (a, b, c))
        if simple is not None:
            return simple
        plane = PlanarMesh(self._points, self._meetings.plane(row).normal, (a, b, c))
        for edge in ((a, b), (b, c), (c, a)):
            for k in self._along(edge):
                plane.add(k)
        self._insert(plane, [row])
        return plane.triangles()

    def _cut_across(self, row: int, corners: tuple[int, int, int]) -> list[tuple[int, int, int]] | None:
        """The pieces of a triangle with nothing in it but a segment from one edge to another, or to a corner."""
        if self._inner.get(row):
            return None
        on = [self._along((corners[k], corners[(k + 1) % 3])) for k in range(3)]
        count = [len(points) for points in on]
        if max(count) > 1 or sum(count) not in (1, 2):
            return None
        k = count.index(0) if sum(count) == 2 else (count.index(1) + 1) % 3
        # seen from corner c, the edge across from which is whole, or next to which is
        a, b, c = (corners[(k + n) % 3] for n in range(3))
        if sum(count) == 1:  # on the edge from c to a: to b
            (p,) = on[(k + 2) % 3]
            return None if self._segments.get(row, set()) - {(min(b, p), max(b, p))} else [(b, c, p), (b, p, a)]
        (p,), (q,) = on[(k + 1) % 3], on[(k + 2) % 3]  # between b and c, and between c and a
        if self._segments.get(row, set()) - {(min(p, q), max(p, q))}:
            return None
        if self._distance(a, p) < self._distance(b, q):
            return [(c, q, p), (a, b, p), (a, p, q)]
        return [(c, q, p), (a, b, q), (b, p, q)]

    def _distance(self, one: int, two: int) -> float:
        """Distance of two points squared, in scaled coordinates and about."""
        p, q = self._points.points[one], self._points.points[two]
        return sum((p[n] / p[3] - q[n] / q[3]) ** 2 for n in range(3))

    def _along(self, edge: tuple[int, int]) -> list[int]:
        return sorted(self._on_edge.get((min(edge), max(edge)), ()))

    def _insert(self, plane: PlanarMesh, rows: Iterable[int]) -> None:
        for row in rows:
            for k in sorted(self._inner.get(row, ())):
                plane.add(k)
        for row in rows:
            for p, q in sorted(self._segments.get(row, ())):
                plane.add_segment(p, q)

    def _cut_together(self, rows: list[int]) -> list[tuple[int, list[tuple[int, int, int]]]]:
        """The pieces of triangles that overlap in a plane."""
        normal = self._meetings.plane(rows[0]).normal
        edges = {
            (min(edge), max(edge)) for a, b, c in self._corners[rows].tolist() for edge in ((a, b), (b, c), (c, a))
        }
        extent = {k for edge in edges for k in edge}
        plane = PlanarMesh(self._points, normal, extent=sorted(extent))
        for k in sorted(extent):
            plane.add(k)
        for edge in sorted(edges):
            for k in self._along(edge):
                plane.add(k)
        for edge in sorted(edges):
            plane.add_segment(*edge)
        self._insert(plane, rows)
        result = []
        for row in rows:
            a, b, c = self._corners[row].tolist()
            over = plane.side(a, b, c) < 0
            mine = plane.within(a, c, b) if over else plane.within(a, b, c)
            result.append((row, [(x, z, y) for x, y, z in mine] if over else mine))
        return result

    def _result(self, pieces: list[tuple[int, int, int]], origin: list[int], cut: Array) -> Arrangement:
        n, known = len(self._nodes), len(self._used)
        new = self._points.coordinates(known)
        name = np.concatenate([self._used, n + np.arange(len(new))]).astype(np.int64)
        whole = np.delete(np.arange(len(self._triangles)), cut)
        made = name[np.array(pieces, np.int64).reshape(-1, 3)]
        number = np.full(n + len(new), -1)
        number[name] = np.concatenate([np.array(self._points.first, np.int64), known + np.arange(len(new))])
        return Arrangement(
            np.concatenate([self._nodes, new]),
            np.concatenate([self._triangles[whole], made]).astype(np.int32),
            np.concatenate([whole, np.array(origin, np.int64)]),
            cut,
            self._points,
            number,
        )
