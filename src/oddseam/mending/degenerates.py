"""Taking out degenerate facets without tearing the surface.

A facet with the same node twice has no area and both its long edges are one: it is dropped.
In a facet whose corners lie in a line, one corner m lies between the others a and b: whatever
else hangs on the edge (a, b) is split at m, and the facet is dropped; then nothing is open
that was closed.  Decisions are exact.
"""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.predicates import middle_of_collinear
from oddseam.geometry.triangles import area_vectors
from oddseam.model import Mesh
from oddseam.model.editing import edited

#: A chain of degenerate facets takes a pass for each link; longer ones are reported, not mended.
_PASSES = 60


def drop_degenerates(mesh: Mesh, thin: float = 0.0) -> tuple[Mesh, int]:
    """Take degenerate triangles out; the new mesh and how many went.

    ``thin`` is a height up to which a triangle counts as one too; the surface moves by no more.
    """
    count, rows = 0, _rows(mesh, thin)
    for _ in range(_PASSES):
        drop, added, like = _one_pass(mesh, rows)
        if not len(drop):
            break
        mesh = edited(mesh, drop=drop, add_triangles=added, like=like, derived=True)
        before, rows = len(rows), _rows(mesh, thin)
        count += max(before - len(rows), 0)
        if thin and len(rows) >= before:
            break
    return mesh, count


def _rows(mesh: Mesh, thin: float) -> Array:
    """Triangles that are degenerate, or not higher than ``thin``."""
    if not thin:
        return mesh.degenerate_triangles
    corners = mesh.nodes[mesh.triangulation.triangles]
    sides = np.linalg.norm(corners - np.roll(corners, -1, axis=1), axis=2)
    twice = 2.0 * np.linalg.norm(area_vectors(corners), axis=1)
    low = np.flatnonzero(twice <= thin * sides.max(axis=1))
    return np.union1d(low, mesh.degenerate_triangles)


def _middle(corners: Array) -> int:
    """Which of three about collinear points lies between the others: that across from the longest side."""
    sides = np.linalg.norm(np.roll(corners, -1, axis=0) - np.roll(corners, -2, axis=0), axis=1)
    return int(np.argmax(sides))


def _one_pass(mesh: Mesh, rows: Array) -> tuple[Array, Array, Array]:
    """Elements to drop, triangles to add, and the element each is a piece of."""
    t = mesh.triangulation
    exact = set(mesh.degenerate_triangles.tolist())
    if "tri" not in mesh.elements or not len(rows):
        return np.zeros(0, np.int64), np.zeros((0, 3), np.int32), np.zeros(0, np.int64)
    first = sum(len(block) for name, block in mesh.elements.items() if name in ("point", "line", "line3"))
    last = first + len(mesh.elements["tri"])
    c = mesh.connectivity
    face_of = np.full(mesh.n_elements, -1, np.int64)
    face_of[mesh.faces.element] = np.arange(len(mesh.faces))
    touched: set[int] = set()
    drop: list[int] = []
    added: list[list[int]] = []
    like: list[int] = []
    for row in rows.tolist():
        element = int(t.element[row])
        if not first <= element < last or element in touched:
            continue
        nodes = t.triangles[row].tolist()
        if len(set(nodes)) < 3:
            drop.append(element)
            touched.add(element)
            continue
        try:
            k = middle_of_collinear(mesh.nodes[nodes]) if row in exact else _middle(mesh.nodes[nodes])
        except ValueError:
            continue  # two nodes at one place, not joined: nothing to be done here
        m, a = nodes[k], nodes[(k + 1) % 3]
        corner = int(mesh.faces.first[face_of[element]]) + (k + 1) % 3
        others = [
            int(mesh.faces.element[c.face[x]])
            for x in c.corners_of_edge(int(c.edge_of[corner])).tolist()
            if x != corner
        ]
        if any(other in touched or not first <= other < last for other in others):
            continue
        touched.update([element, *others])
        drop += [element, *others]
        for other in others:
            theirs = mesh.elements["tri"].connectivity[other - first].tolist()
            if m in theirs:
                continue  # the same three nodes: it goes as well
            i = next(i for i in range(3) if {theirs[i], theirs[(i + 1) % 3]} == {a, nodes[(k + 2) % 3]})
            p, q, far = theirs[i], theirs[(i + 1) % 3], theirs[(i + 2) % 3]
            added += [[p, m, far], [m, q, far]]
            like += [other, other]
    return np.array(drop, np.int64), np.array(added, np.int32).reshape(-1, 3), np.array(like, np.int64)
