"""Drawing open pieces back that barely go through what they abut on.

The border of a sheet that was meant to end at a wall ends a rounding error behind it, or lies in its plane.
Such nodes are moved to the side of the wall that the rest of their facets is on, no farther than a crack is wide;
a piece that crosses even so is left as it was.
"""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array, Point
from oddseam.findings.classes.finding import MOST_PLACES, point_of
from oddseam.geometry.triangles import unit_normals
from oddseam.mending.sewing.joining import rounded_to
from oddseam.model import Mesh

#: How far from the wall nodes are put, in units of the last place of the largest coordinate.
_UNITS = 8.0
#: A node at several walls is moved from one after the other; so often.
_ROUNDS = 4


def draw_back(
    mesh: Mesh, sheets: Array, width: float, target: str | None
) -> tuple[Mesh, int, float, tuple[Point, ...]]:
    """The mesh with open pieces that barely cross others drawn back.

    Parameters
    ----------
    mesh : Mesh
    sheets : int array
        Elements of the open pieces.
    width : float
        How far a node may move.
    target : str, optional
        Format that the nodes are rounded to single precision for.

    Returns
    -------
    mesh : Mesh
    count : int
        Nodes that moved.
    move : float
        How far the farthest of them did.
    places : tuple of (x, y, z)
    """
    t, pairs = mesh.triangulation, mesh.crossing_triangles
    is_sheet = np.zeros(mesh.n_elements, bool)
    is_sheet[sheets] = True
    is_free = np.ones(mesh.n_nodes, bool)
    is_free[t.triangles[~is_sheet[t.element]]] = False
    off = _UNITS * (2.0**-23 if target is not None else 2.0**-44) * float(np.abs(mesh.nodes).max(initial=0.0))
    new, left = mesh, pairs
    for _ in range(_ROUNDS):
        goal = _goals(new, left, is_sheet, width, off) if len(left) else None
        if goal is None:
            break
        goal[~is_free] = 0.0
        nodes = new.nodes + goal
        far = np.linalg.norm(nodes - mesh.nodes, axis=1) > width
        nodes[far] = mesh.nodes[far]
        moved = mesh.replaced(nodes=nodes)
        moved = rounded_to(moved, target)[0] if target is not None else moved
        left = moved.crossing_triangles
        new = moved
    if new is mesh:
        return mesh, 0, 0.0, ()
    while len(left):  # what crosses even so goes back where it was
        bad = np.zeros(len(mesh.pieces.volume) + 1, bool)
        bad[mesh.pieces.of_triangle[left].ravel()] = True
        nodes = new.nodes.copy()
        its = np.unique(t.triangles[bad[mesh.pieces.of_triangle]])
        stays = its[(nodes[its] != mesh.nodes[its]).any(axis=1)]
        if not len(stays):
            break
        nodes[stays] = mesh.nodes[stays]
        new = mesh.replaced(nodes=nodes)
        left = new.crossing_triangles
    gone = np.flatnonzero((new.nodes != mesh.nodes).any(axis=1))
    if not len(gone) or len(left) >= len(pairs):
        return mesh, 0, 0.0, ()
    most = float(np.linalg.norm(new.nodes[gone] - mesh.nodes[gone], axis=1).max())
    return new, len(gone), most, tuple(point_of(mesh.nodes[row]) for row in gone[:MOST_PLACES].tolist())


def _goals(mesh: Mesh, pairs: Array, is_sheet: Array, width: float, off: float) -> Array | None:
    """(n, 3) how far nodes of open pieces are to go, each from one of the walls that it is at; ``None`` for nowhere."""
    t = mesh.triangulation
    both = np.concatenate([pairs, pairs[:, ::-1]])
    own, wall = both[is_sheet[t.element[both[:, 0]]]].T
    if not len(own):
        return None
    normal = unit_normals(mesh.nodes[t.triangles[wall]])
    base = mesh.nodes[t.triangles[wall, 0]]
    height = np.einsum("ikj,ij->ik", mesh.nodes[t.triangles[own]] - base[:, None], normal)
    is_far = np.abs(height) > width
    above, below = (is_far & (height > 0)).any(axis=1), (is_far & (height < 0)).any(axis=1)
    side = np.where(below, -1.0, 1.0)
    wrong = ~is_far & (side[:, None] * height < 0.5 * off) & ~(above & below)[:, None]
    row, corner = np.nonzero(wrong)
    if not len(row):
        return None
    goal, node = np.zeros((mesh.n_nodes, 3)), t.triangles[own[row], corner]
    step = (side[row] * off - height[row, corner])[:, None] * normal[row]
    order = np.argsort(np.linalg.norm(step, axis=1), kind="stable")  # of several the longest counts
    goal[node[order]] = step[order]
    return goal
