"""What rims say: cracks, T-junctions, nodes that nearly coincide, and openings like holes."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from oddseam.arrays import Array
from oddseam.findings.classes.finding import MOST_PLACES, Finding, Place, gathered, point_of
from oddseam.model import Mesh
from oddseam.model.facing import Facing, crack_width, facing_rims

#: Rims are said to face each other up to so many widths of a crack.
_REACH = 3.0
#: A rim is like a hole if its nodes lie about as far from its middle, and about in a plane.
_ROUND, _FLAT = 0.8, 0.1


def gap_findings(mesh: Mesh) -> list[Finding | None]:
    """Cracks, T-junctions and nodes that nearly coincide, along rims; O(n log n)."""
    width = crack_width(mesh)
    found = facing_rims(mesh, _REACH * width)
    if not len(found):
        return []
    c, node = mesh.connectivity, mesh.faces.node
    ends = np.column_stack([node[found.corner], node[c.next[found.corner]]]).astype(np.int64)
    from_ends = np.linalg.norm(mesh.nodes[ends] - mesh.nodes[found.node][:, None], axis=2)
    return [
        _cracks(mesh, found, ends, width),
        _t_junctions(mesh, found, ends, (found.distance <= width) & (from_ends > width).all(axis=1)),
        _near_coincident(mesh, found, ends, from_ends, width),
    ]


def _cracks(mesh: Mesh, found: Facing, ends: Array, width: float) -> Finding | None:
    rows = np.lexsort((found.distance, found.node))
    rows = rows[np.unique(found.node[rows], return_index=True)[1]]  # each node with its nearest edge
    places, n = gathered(mesh.nodes, np.column_stack([found.node, ends])[rows], mesh.node_ids[found.node[rows]])
    nearest = found.distance[rows]
    message = (
        f"nodes on rims that face another rim, {nearest.min():.3g} to {nearest.max():.3g} apart; "
        f"{int((nearest <= width).sum()):,} within {width:.3g}"
    )
    return Finding("cracks", "fault", len(nearest), "nodes (node ids)", message,
                   "`oddseam mend` sews them; --gap sets how wide.", places, n)  # fmt: skip


def _t_junctions(mesh: Mesh, found: Facing, ends: Array, which: Array) -> Finding | None:
    rows = np.flatnonzero(which)
    if not len(rows):
        return None
    rows = rows[np.unique(found.node[rows], return_index=True)[1]]
    members = np.column_stack([found.node[rows], ends[rows]])
    places, n = gathered(mesh.nodes, members, mesh.node_ids[found.node[rows]])
    message = f"nodes that lie on the free edge of another facet, at most {found.distance[rows].max():.3g} off"
    return Finding("T-junctions", "fault", len(rows), "nodes (node ids)", message,
                   "`oddseam mend` works them into the edge.", places, n)  # fmt: skip


def _near_coincident(mesh: Mesh, found: Facing, ends: Array, from_ends: Array, width: float) -> Finding | None:
    nearer = np.argmin(from_ends, axis=1)
    gap = from_ends[np.arange(len(nearer)), nearer]
    other = ends[np.arange(len(nearer)), nearer]
    rows = np.flatnonzero((gap > 0) & (gap <= width))
    if not len(rows):
        return None
    pairs, once = np.unique(
        np.sort(np.column_stack([found.node[rows], other[rows]]), axis=1), axis=0, return_index=True
    )
    gaps = gap[rows[once]]
    places, n = gathered(mesh.nodes, pairs, mesh.node_ids[pairs])
    message = f"pairs of nodes on rims that nearly coincide, {gaps.min():.3g} to {gaps.max():.3g} apart"
    return Finding("near-coincident nodes", "warning", len(pairs), "pairs (node ids)", message,
                   "`oddseam mend` joins them where that sews a crack.", places, n)  # fmt: skip


class RoundRim(NamedTuple):
    """A rim that is round and flat; roundness is the least over the largest distance from the middle."""

    diameter: float
    roundness: float
    middle: tuple[float, float, float]
    axis: tuple[float, float, float]
    nodes: Array


def round_rims(mesh: Mesh) -> list[RoundRim]:
    """Rims that are like holes, the largest first."""
    found = []
    for rim in mesh.connectivity.rims:
        if not rim.closed or len(rim.nodes) < 6:
            continue
        p = mesh.nodes[rim.nodes]
        middle = p.mean(axis=0)
        arms = p - middle
        radius = np.linalg.norm(arms, axis=1)
        normal = np.cross(arms, np.roll(arms, -1, axis=0)).sum(axis=0)
        size = np.linalg.norm(normal)
        flat = np.abs(arms @ normal).max() / size if size > 0 else np.inf
        roundness = radius.min() / radius.max() if radius.max() > 0 else 0.0
        if roundness >= _ROUND and flat <= _FLAT * radius.mean():
            diameter = 2.0 * float(radius.mean())
            found.append(RoundRim(diameter, float(roundness), point_of(middle), point_of(normal / size), rim.nodes))
    return sorted(found, key=lambda hole: (-hole.diameter, hole.middle))


def holes(mesh: Mesh) -> Finding | None:
    """Rims that are round and flat: their diameter and roundness, the largest first."""
    found = round_rims(mesh)
    if not found:
        return None
    said = ", ".join(f"{hole.diameter:.4g} ({hole.roundness:.2f})" for hole in found[:6])
    places = tuple(Place(hole.middle, hole.diameter, len(hole.nodes), ()) for hole in found[:MOST_PLACES])
    message = f"round openings; diameter (roundness): {said}" + (", ..." if len(found) > 6 else "")
    return Finding("hole-like rims", "note", len(found), "rims", message,
                   "`oddseam mend --close DIAMETER` fills those up to a diameter.", places, len(found))  # fmt: skip
