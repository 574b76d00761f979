"""A line of nodes laid into elements: points brought to the surface, and what is round them meshed anew."""

from __future__ import annotations

from collections.abc import Collection, Iterator

import numpy as np

from oddseam.arrays import Array, point_text
from oddseam.editing.lines.met_lines import crossed, leaves
from oddseam.editing.zones.acceptance import Try, best_with_borders, margins
from oddseam.editing.zones.bounds import BOUNDS, PART_BORDER
from oddseam.editing.zones.chart import Chart, unit
from oddseam.editing.zones.filling_in import Insert
from oddseam.editing.zones.zone import Beyond, Zone, ray_meets, zone_round
from oddseam.errors import Refusal
from oddseam.geometry.tolerances import SAME_NODE
from oddseam.geometry.trees.boxtree import BoxTree
from oddseam.geometry.triangles import boxes, unit_normals
from oddseam.inputs import PointLike
from oddseam.model import Mesh

#: The surface may turn away from the mean of its normals along the line up to an angle of this cosine.
_LEAST_COSINE = 0.3


def with_line(
    mesh: Mesh,
    points: Array,
    normals: Array,
    element: int,
    *,
    closed: bool,
    opening: bool,
    direction: PointLike | None = None,
    split_lines: bool = False,
) -> tuple[Mesh, Array, Zone, tuple[float, float]]:
    """The mesh with points (k, 3) of its surface as nodes joined by edges, these nodes, and the worst elements.

    ``element`` is the one that the first point lies in.  Where the line crosses sharp edges, creases, and line elements
    if these may be split, there are more nodes.
    """
    axis = normals.mean(axis=0)
    size = float(np.linalg.norm(axis))
    if size == 0:
        raise Refusal("the surface turns all round along the line; imprint it piece by piece")
    axis = axis / size
    if direction is not None:
        ahead = unit(direction)
        axis = ahead if ahead @ axis > 0 else -ahead
    if (normals @ axis).min() < _LEAST_COSINE:
        k = int(np.argmin(normals @ axis))
        raise Refusal(f"the surface turns away from the line at {point_text(points[k])}; imprint it piece by piece")
    chart = Chart.along(points[0], axis)
    flat = chart.flat(points)
    if closed and float(np.sum(flat[:, 0] * np.roll(flat[:, 1], -1) - np.roll(flat[:, 0], -1) * flat[:, 1])) < 0:
        points, flat = points[::-1], flat[::-1]
    line = np.concatenate([flat, flat[:1]]) if closed else flat
    steps = np.linalg.norm(np.diff(line, axis=0), axis=1)
    if not steps.min() > 0:
        raise Refusal(f"two points of the line are one, at {point_text(points[int(np.argmin(steps))])}")
    reach = 3.0 * float(steps.mean())
    size = zone_round(mesh, chart, element, flat[:1], reach, closed=False, beyond=Beyond((PART_BORDER,))).size

    splits = ("sharp edge", "crease", PART_BORDER, *(("line element",) if split_lines else ()))

    def tries(keeps_borders: bool) -> Iterator[Try]:
        grown, fits, leaves = 1.0, False, None
        within = flat if opening else line
        for margin in margins(size, float(steps.mean())):
            for through in ((), splits):
                beyond = Beyond((PART_BORDER, *through), keeps_borders)
                zone = zone_round(mesh, chart, element, within, margin * grown, closed=opening, beyond=beyond)
                grown = max(grown, zone.size / size)
                try:
                    made = Try(zone, _insert(zone, points.copy(), flat, closed, opening, splits))
                except Refusal as refusal:  # with more around it, or beyond an edge, there may be room
                    leaves = leaves or refusal
                    continue
                fits = True
                yield made
                break
        if leaves is not None and not fits:
            raise leaves

    (made, which, node, worst), _ = best_with_borders(mesh, tries, f"along the line at {point_text(points[0])}")
    ends = which.insert.line[:, ::-1] if opening else which.insert.line
    chain = ends[:, 0] if closed else np.append(ends[:, 0], ends[-1:, 1])
    return made, node[chain], which.zone, worst


def brought_to(mesh: Mesh, points: Array, direction: PointLike | None) -> tuple[Array, Array, Array]:
    """Points (k, 3) brought to the surface, its normals there, and the elements.

    To the nearest place without a direction; normals on an edge are then between those of its sides.
    """
    t = mesh.triangulation
    if not len(t.triangles):
        raise Refusal("the mesh has no surface")
    if direction is None:
        tree = BoxTree(mesh.nodes[t.triangles])
        place, found = tree.closest(points)
        rows = tree.order[found]
        return place, _normals(mesh, tree, place, rows), t.element[rows]
    ahead = unit(direction)
    chart = Chart.along(points[0], ahead)
    places, flat = chart.flat(points), chart.flat(mesh.nodes)
    low, high = boxes(flat[t.triangles])
    rows = np.flatnonzero(((high >= places.min(axis=0)) & (low <= places.max(axis=0))).all(axis=1))
    found_at = [ray_meets(mesh, rows, point, ahead) for point in points]
    rows = np.array([row for row, _ in found_at], np.int64)
    return np.array([place for _, place in found_at]), unit_normals(mesh.nodes[t.triangles[rows]]), t.element[rows]


def _normals(mesh: Mesh, tree: BoxTree, places: Array, rows: Array) -> Array:
    """(k, 3) normals at places on triangles, the mean of those that meet there."""
    corners = mesh.nodes[mesh.triangulation.triangles[rows]]
    own = unit_normals(corners)
    size = float(np.linalg.norm(corners - np.roll(corners, -1, axis=1), axis=2).mean())
    at, row = tree.near(places, SAME_NODE * size)
    beside = unit_normals(mesh.nodes[mesh.triangulation.triangles[row]])
    _, first = np.unique(np.column_stack([at, np.round(beside, 3)]), axis=0, return_index=True)
    total = np.zeros_like(own)
    np.add.at(total, at[first], beside[first])  # every side once, of however many triangles it is
    length = np.linalg.norm(total, axis=1, keepdims=True)
    return np.where(length > 0.5, total / np.maximum(length, 0.5), own)


def _insert(zone: Zone, points: Array, flat: Array, closed: bool, opening: bool, splits: Collection[str]) -> Insert:
    """What is put in; points (k, 3) at nodes of the zone are moved to these."""
    local = zone.local
    own = np.unique(zone.triangles)
    away = np.linalg.norm(local.nodes[own][None] - points[:, None], axis=2)
    nearest = np.argmin(away, axis=1)
    is_known = away[np.arange(len(points)), nearest] <= SAME_NODE * zone.size
    _, row = zone.chart.lifted(flat, local.nodes, zone.triangles)
    outside = ~is_known & (row < 0)
    if outside.any():
        raise Refusal(_where_it_leaves(zone, points[outside][0]))
    number = np.where(is_known, own[nearest], local.n_nodes + np.cumsum(~is_known) - 1)
    found = crossed(zone, number, points[~is_known], closed=closed, splits=splits)
    number = found.number
    ends = np.column_stack([number, np.roll(number, -1)])[: len(number) if closed else -1]
    line = ends[:, ::-1] if opening else ends
    hollow = zone.chart.flat(np.concatenate([local.nodes, found.points])[number]) if opening else np.zeros((0, 2))
    none = np.zeros((0, 3), np.int64), np.zeros((0, 4), np.int64)
    return Insert(found.points, *none, line, hollow, found.splits)


def _where_it_leaves(zone: Zone, point: Array) -> str:
    """What is between a point and the surface on which a line began."""
    best = (np.inf, "border of what can be seen from one direction")
    for what in BOUNDS:
        edges = zone.bounds[what]
        if len(edges):
            middle = zone.local.nodes[edges].mean(axis=1)
            best = min(best, (float(np.linalg.norm(middle - point, axis=1).min()), what))
    return leaves(best[1], point)
