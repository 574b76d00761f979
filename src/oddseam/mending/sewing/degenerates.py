"""Taking out degenerate facets without tearing the surface.

A facet with the same node twice has no area and both its long edges are one: it is dropped.
In a facet whose corners lie in a line, one corner m lies between the others a and b: whatever
else hangs on the edge (a, b) is split at m, and the facet is dropped; then nothing is open
that was closed.  Decisions are exact.
"""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.exact.predicates import is_degenerate, middle_of_collinear
from oddseam.geometry.triangles import areas
from oddseam.model import Mesh
from oddseam.model.editing import Added, edited

#: Facets split behind a degenerate one may be degenerate as well; longer chains are left, and reported.
_CHAIN = 60

Corners = list[int]


def drop_degenerates(mesh: Mesh, thin: float = 0.0) -> tuple[Mesh, int]:
    """Take degenerate triangles out; the new mesh and how many went.

    ``thin`` is a height up to which a triangle counts as one too; the surface moves by no more.
    O(n), and a time that grows with the number of those.
    """
    rows = _found(mesh.nodes[mesh.triangulation.triangles], thin, mesh.degenerate_triangles).tolist()
    if not rows or "tri" not in mesh.elements:
        return mesh, 0
    pool, given = _Pool(mesh), set(rows)
    for _ in range(_CHAIN):
        made: list[int] = []
        for row in rows:
            if row not in pool.gone and pool.is_triangle(row):
                made += _taken_out(pool, row)
        made = [row for row in made if row not in pool.gone]
        if not made:
            break
        corners = mesh.nodes[[pool.corners(row) for row in made]]
        again = [made[k] for k in _found(corners, thin, np.flatnonzero(is_degenerate(corners))).tolist()]
        if thin and len(again) >= len(rows):  # to and fro between two ways of being thin
            break
        rows = again
    return pool.mesh(), len(given & pool.gone)


def _found(corners: Array, thin: float, degenerate: Array) -> Array:
    """Triangles that are degenerate, as is known, or not higher than ``thin``."""
    if not thin:
        return degenerate
    sides = np.linalg.norm(corners - np.roll(corners, -1, axis=1), axis=2)
    twice = 2.0 * areas(corners)
    return np.union1d(np.flatnonzero(twice <= thin * sides.max(axis=1)), degenerate)


class _Pool:
    """Triangles of a mesh by node, some of which are gone, and others are there in their place."""

    def __init__(self, mesh: Mesh) -> None:
        t = mesh.triangulation
        self.nodes = mesh.nodes
        self.gone: set[int] = set()
        self._mesh = mesh
        self._first = sum(len(block) for name, block in mesh.elements.items() if name in ("point", "line", "line3"))
        self._old = t.triangles
        self._new: list[Corners] = []
        self._like: list[int] = []
        self._order = np.argsort(t.triangles, axis=None, kind="stable")
        self._start = np.searchsorted(t.triangles.ravel()[self._order], np.arange(mesh.n_nodes + 1))
        self._at: dict[int, list[int]] = {}

    def corners(self, row: int) -> Corners:
        """The nodes of a triangle."""
        old = len(self._old)
        return self._old[row].tolist() if row < old else self._new[row - old]

    def element(self, row: int) -> int:
        """The element that a triangle is, or is a piece of."""
        old = len(self._old)
        return int(self._mesh.triangulation.element[row]) if row < old else self._like[row - old]

    def is_triangle(self, row: int) -> bool:
        """Whether it is an element by itself, and no half of one."""
        return 0 <= self.element(row) - self._first < len(self._mesh.elements["tri"])

    def along(self, a: int, b: int) -> list[int]:
        """Rows of triangles that have both nodes."""
        mine = (self._order[self._start[a] : self._start[a + 1]] // 3).tolist() + self._at.get(a, [])
        return [row for row in dict.fromkeys(mine) if row not in self.gone and b in self.corners(row)]

    def add(self, corners: Corners, like: int) -> int:
        """Put a piece of an element in; its row."""
        row = len(self._old) + len(self._new)
        self._new.append(corners)
        self._like.append(like)
        for node in corners:
            self._at.setdefault(node, []).append(row)
        return row

    def mesh(self) -> Mesh:
        """The mesh as it is now."""
        old = len(self._old)
        kept = [k for k in range(len(self._new)) if old + k not in self.gone]
        drop = sorted({self.element(row) for row in self.gone})
        triangles = np.array([self._new[k] for k in kept], np.int32).reshape(-1, 3)
        like = np.array([self._like[k] for k in kept], np.int64)
        if not drop:
            return self._mesh
        return edited(self._mesh, drop=np.array(drop), add=Added(triangles=triangles, like=like, derived=True))


def _taken_out(pool: _Pool, row: int) -> list[int]:
    """Take a triangle out, if that can be; the pieces that are new behind it."""
    nodes = pool.corners(row)
    if len(set(nodes)) < 3:
        pool.gone.add(row)
        return []
    place = pool.nodes[nodes]
    try:
        k = middle_of_collinear(place) if is_degenerate(place[None])[0] else _across_longest(place)
    except ValueError:
        return []  # two nodes at one place, not joined: nothing to be done here
    m, a, b = nodes[k], nodes[(k + 1) % 3], nodes[(k + 2) % 3]
    others = [other for other in pool.along(a, b) if other != row]
    if not all(pool.is_triangle(other) for other in others):
        return []
    made = []
    pool.gone.update([row, *others])
    for other in others:
        theirs = pool.corners(other)
        if m in theirs:
            continue  # the same three nodes: it goes as well
        i = next(i for i in range(3) if {theirs[i], theirs[(i + 1) % 3]} == {a, b})
        p, q, far = theirs[i], theirs[(i + 1) % 3], theirs[(i + 2) % 3]
        like = pool.element(other)
        made += [pool.add([p, m, far], like), pool.add([m, q, far], like)]
    return made


def _across_longest(corners: Array) -> int:
    """Which of three about collinear points lies between the others."""
    sides = np.linalg.norm(np.roll(corners, -1, axis=0) - np.roll(corners, -2, axis=0), axis=1)
    return int(np.argmax(sides))
