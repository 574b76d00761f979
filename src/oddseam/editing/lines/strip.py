"""A strip of elements between two sides of a gap."""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array
from oddseam.editing.lines.seams import Seam
from oddseam.model import Mesh
from oddseam.model.editing import Added, edited


def bridged(mesh: Mesh, seam: Seam) -> tuple[Mesh, float]:
    """The mesh with one row of elements across a gap, and how wide that is at most.

    Quads where the elements beside the first side are, and steps on both sides follow each other.
    """
    one, two = seam.chains[0], seam.chains[1][::-1]
    elements = seam.elements
    if seam.closed:
        near = int(np.argmin(np.linalg.norm(mesh.nodes[two] - mesh.nodes[one[0]], axis=1)))
        two = np.roll(two, -near)
        one, two, elements = np.append(one, one[0]), np.append(two, two[0]), np.append(elements, elements[0])
    p, q = mesh.nodes[one], mesh.nodes[two]
    is_quad = (
        np.isin(mesh.element_ids[elements], mesh.elements["quad"].ids) if "quad" in mesh.elements else elements < 0
    )
    steps, width = _steps(p, q)
    triangles, quads, like_triangle, like_quad = [], [], [], []
    i = j = at = 0
    while at < len(steps):
        like = int(elements[min(i, len(elements) - 1)])
        if at + 1 < len(steps) and steps[at] != steps[at + 1] and is_quad[min(i, len(is_quad) - 1)]:
            quads.append((one[i + 1], one[i], two[j], two[j + 1]))
            like_quad.append(like)
            i, j, at = i + 1, j + 1, at + 2
        elif steps[at]:
            triangles.append((one[i + 1], one[i], two[j]))
            like_triangle.append(like)
            i, at = i + 1, at + 1
        else:
            triangles.append((one[i], two[j], two[j + 1]))
            like_triangle.append(like)
            j, at = j + 1, at + 1
    new = edited(
        mesh,
        add=Added(
            triangles=np.array(triangles, np.int64).reshape(-1, 3),
            quads=np.array(quads, np.int64).reshape(-1, 4),
            like=np.array([*like_triangle, *like_quad], np.int64),
        ),
    )
    return new, width


def _steps(p: Array, q: Array) -> tuple[list[bool], float]:
    """Which side goes on at every step, the first or not, by the shorter diagonal; and the longest edge across."""
    i = j = 0
    steps: list[bool] = []
    width = float(np.linalg.norm(p[0] - q[0]))
    while i < len(p) - 1 or j < len(q) - 1:
        ahead = float(np.linalg.norm(p[i + 1] - q[j])) if i < len(p) - 1 else np.inf
        across = float(np.linalg.norm(p[i] - q[j + 1])) if j < len(q) - 1 else np.inf
        steps.append(ahead <= across)
        i, j = (i + 1, j) if ahead <= across else (i, j + 1)
        if len(steps) % 2 == 0 or min(ahead, across) < width:
            width = max(width, float(np.linalg.norm(p[i] - q[j])))
    return steps, width
