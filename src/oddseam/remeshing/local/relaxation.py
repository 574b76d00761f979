"""Moving nodes of triangles and quads so that the elements round them get better."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.triangles import cross_product
from oddseam.remeshing.kernels import quad_pairs

#: Puts places (k, 3) wanted for nodes (k,) on the surface.
OnSurface = Callable[[Array, Array], Array]


class Around:
    """Elements and the nodes they use.

    Attributes
    ----------
    elements : (e, 4) int array
        Nodes; a triangle has -1 at the end.
    of, first : int arrays
        Elements round every node: ``of[first[v] : first[v + 1]]``.
    """

    def __init__(self, elements: Array, n_nodes: int) -> None:
        self.elements = np.ascontiguousarray(elements, np.int32)
        flat = self.elements.ravel()
        held = np.flatnonzero(flat >= 0)
        order = np.argsort(flat[held], kind="stable")
        self.of = (held // 4).astype(np.int32)[order]
        self.first = np.searchsorted(flat[held][order], np.arange(n_nodes + 1))

    def worth(self, points: Array) -> Array:
        """(e,) what every element is worth: 1 for a square and an equilateral triangle, 0 for none."""
        value = np.empty(len(self.elements))
        quad_pairs.values_of(points, self.elements, value)
        return value

    def normals(self, points: Array, rows: Array) -> Array:
        """(k, 3) unit normals at nodes, the mean of the elements round them."""
        corners = np.where(self.elements >= 0, self.elements, self.elements[:, 2:3])
        p = points[corners]
        area = cross_product(p[:, 2] - p[:, 0], p[:, 3] - p[:, 1])
        triangle = self.elements[:, 3] < 0
        area[triangle] = cross_product(p[triangle, 1] - p[triangle, 0], p[triangle, 2] - p[triangle, 0])
        total = np.zeros((len(points), 3))
        for k in range(4):
            held = self.elements[:, k] >= 0
            for d in range(3):
                total[:, d] += np.bincount(self.elements[held, k], area[held, d], minlength=len(total))
        normal = total[rows]
        size = np.linalg.norm(normal, axis=1, keepdims=True)
        return np.ascontiguousarray(normal / np.where(size > 0, size, 1.0))


def even_out(points: Array, around: Around, rows: Array, on_surface: OnSurface, times: int, fair: float) -> None:
    """Move nodes to where quads round them would be parallelograms, as long as what is there stays fair."""
    for _ in range(times):
        goal = np.empty((len(rows), 3))
        quad_pairs.aim_at_squares(points, around.elements, around.of, around.first, rows, goal)
        place = on_surface(rows, goal)
        quad_pairs.move_for_squares(points, around.elements, around.of, around.first, rows, place, fair)


def search(points: Array, around: Around, rows: Array, on_surface: OnSurface, times: int, poor: float) -> None:
    """Move nodes of elements worth less than ``poor`` to where the worst element round them is best."""
    for _ in range(times):
        at_poor = np.zeros(len(points), bool)
        worst = around.elements[around.worth(points) < poor]
        at_poor[worst[worst >= 0]] = True
        its = rows[at_poor[rows]]
        if not len(its):
            return
        goal, normals = np.empty((len(its), 3)), around.normals(points, its)
        quad_pairs.search_places(points, around.elements, around.of, around.first, its, normals, goal)
        place = on_surface(its, goal)
        quad_pairs.move_for_squares(points, around.elements, around.of, around.first, its, place, 1.0)
