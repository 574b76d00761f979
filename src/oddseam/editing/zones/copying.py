"""Copies of a piece of a surface, such as a hole with its collars, put in elsewhere in the same surface."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from oddseam.arrays import Array, point_text
from oddseam.editing.lines.imprinted_lines import brought_to
from oddseam.editing.openings.ligament import Outlined, zone_with_room
from oddseam.editing.zones.acceptance import Try, best_of, margins
from oddseam.editing.zones.chart import Chart
from oddseam.editing.zones.filling_in import Insert
from oddseam.editing.zones.zone import Zone
from oddseam.errors import Refusal
from oddseam.geometry.tolerances import OFF_SURFACE
from oddseam.model import Mesh


def lies_in_sheet(mesh: Mesh, elements: Array) -> bool:
    """Whether picked elements are a piece of a surface that goes on round them, rather than stand on one."""
    c = mesh.connectivity
    inside = np.zeros(mesh.n_elements, bool)
    inside[elements] = True
    its = inside[mesh.faces.element[c.face]]
    faces = np.bincount(c.edge_of[c.edge_of >= 0], minlength=len(c.edges))
    own = np.bincount(c.edge_of[(c.edge_of >= 0) & its], minlength=len(c.edges))
    shared = (own > 0) & (own < faces)
    return bool(shared.any()) and bool((faces[shared] == 2).all() and (own[shared] == 1).all())


def with_copy(
    mesh: Mesh, feature: Mesh, loop: Array, points: Array, distance: float | None
) -> tuple[Mesh, float, Zone]:
    """The mesh with a copy of a piece of its surface elsewhere, how far that was off it, and what it replaced.

    Parameters
    ----------
    mesh : Mesh
    feature : Mesh
        The piece alone.
    loop : int array
        Its border with the rest, nodes in order.
    points : (n, 3) array
        Where its nodes are in the copy.
    distance : float, optional
        How far its border may be off the surface, a share of the length of edges there without.

    Raises
    ------
    Refusal
        If there is no surface, or no room.
    """
    size = float(np.linalg.norm(points[loop] - points[np.roll(loop, 1)], axis=1).mean())
    within = OFF_SURFACE * size if distance is None else distance
    placed, normals, rows = brought_to(mesh, points[loop], None)
    off = np.linalg.norm(placed - points[loop], axis=1)
    if off.max() > within:
        k = int(np.argmax(off))
        at = point_text(points[loop[k]])
        raise Refusal(f"its border is {off[k]:.4g} off the surface at {at}, more than the distance of {within:.4g}")
    middle = points[loop].mean(axis=0)
    axis = normals.mean(axis=0)
    if np.linalg.norm(axis) < 0.5:
        raise Refusal(f"the surface turns away from the copy at {point_text(middle)}")
    chart = Chart.along(middle, axis / np.linalg.norm(axis))
    flat = chart.flat(points)
    outer = flat[loop]
    if float(np.sum(outer[:, 0] * np.roll(outer[:, 1], -1) - np.roll(outer[:, 0], -1) * outer[:, 1])) < 0:
        raise Refusal(f"the surface at {point_text(middle)} looks the other way")
    blocks = {name: block.connectivity.astype(np.int64) for name, block in feature.elements.items()}

    def tries() -> Iterator[Try]:
        grown, missed = 1.0, np.zeros((0, 2))
        for margin in margins(size, size):
            put_in = Outlined(f"the copy at {point_text(middle)}", outer, outer)
            zone = zone_with_room(mesh, chart, int(rows[0]), margin * grown, put_in)
            grown = max(grown, zone.size / size)
            lifted, beneath = chart.lifted(flat, zone.local.nodes, zone.triangles)
            missed = outer[beneath[loop] < 0]
            if len(missed):
                continue
            # nodes over an opening that is there stay where the copy has them
            its = np.where((beneath >= 0)[:, None], lifted, points)
            near = np.linalg.norm(its - points, axis=1) <= within
            its = np.where(near[:, None], its, points)
            first = zone.local.n_nodes
            line = first + np.column_stack([np.roll(loop, -1), loop])
            none = np.zeros((0, 3), np.int64), np.zeros((0, 4), np.int64)
            yield Try(
                zone, Insert(its, first + blocks.get("tri", none[0]), first + blocks.get("quad", none[1]), line, outer)
            )
        if len(missed):
            at = point_text(chart.raised(missed[:1])[0])
            raise Refusal(f"there is no surface, or it is too steep or folded, beneath the border at {at}")

    made, which, _, _ = best_of(mesh, tries(), f"round the copy at {point_text(middle)}")
    return made, float(off.max()), which.zone
