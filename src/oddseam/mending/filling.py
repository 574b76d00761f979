"""Filling rims with well-shaped facets.

The rim is triangulated by least fold and least area, then the inside is remeshed to the edge
lengths found along the rim; the rim itself stays.  A rim too long for that at once is first
cut in two by its best chord.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from oddseam.arrays import Array
from oddseam.compiled import announce
from oddseam.geometry.triangles import unit_normals
from oddseam.model import Mesh
from oddseam.model.connectivity import Rim
from oddseam.model.editing import edited

#: Longer loops are cut in two before they are triangulated: time grows with the cube.
_MOST_AT_ONCE = 400
#: Loops with fewer nodes have no room for a node inside.
_LEAST_TO_REFINE = 6


@dataclass
class Filled:
    """What happened to the rims: how many were filled, with how many facets each, and which were left and why."""

    rims: int = 0
    facets_of: list[int] = field(default_factory=list)
    left: list[tuple[Rim, str]] = field(default_factory=list)


def fill_rims(mesh: Mesh, rims: list[Rim]) -> tuple[Mesh, Filled]:
    """Fill the rims of a consistently oriented mesh; a fill that would cross the rest is left out."""
    filled, report = _fill_all(mesh, rims)
    crossing = _crossing_fills(mesh, filled, np.repeat(np.arange(len(rims)), report.facets_of))
    if crossing:
        filled, report = _fill_all(mesh, [rim for number, rim in enumerate(rims) if number not in crossing])
        report.left += [(rims[number], "its fill would cross other facets") for number in sorted(crossing)]
    return filled, report


def _crossing_fills(mesh: Mesh, filled: Mesh, owner: Array) -> set[int]:
    """Numbers of the rims whose fills cross facets of the mesh, or the fill of an earlier rim."""
    if filled is mesh:
        return set()
    pairs = filled.crossing_triangles
    first_new = int(mesh.element_ids.max()) + 1
    new = filled.element_ids[filled.triangulation.element[pairs]] - first_new
    return {int(owner[max(one, two)]) for one, two in new.tolist() if max(one, two) >= 0}


def _fill_all(mesh: Mesh, rims: list[Rim]) -> tuple[Mesh, Filled]:
    report = Filled()
    points: list[Array] = []
    triangles: list[Array] = []
    like: list[Array] = []
    n_nodes = mesh.n_nodes
    first, neighbour = mesh.connectivity.neighbours
    for rim in rims:
        loops = _simple_loops(rim) if rim.closed and _runs_along(mesh, rim) else []
        made: list[tuple[tuple[Array, Array], Array, Array]] = []
        reason = "it is not a plain loop of consistently oriented facets"
        for loop, corners in loops:
            patch, reason = _fill_loop(mesh, loop, corners, first, neighbour)
            if patch is None:
                made = []
                break
            made.append((patch, loop, corners))
        if not made:
            report.left.append((rim, reason))
            report.facets_of.append(0)
            continue
        report.rims += 1
        report.facets_of.append(sum(len(local) for (_, local), _, _ in made))
        for (new_points, local), loop, corners in made:
            index = np.concatenate([loop, n_nodes + np.arange(len(new_points))])
            n_nodes += len(new_points)
            points.append(new_points)
            triangles.append(index[local])
            like.append(np.full(len(local), _neighbour_in_main_part(mesh, corners)))
    if not triangles:
        return mesh, report
    filled = edited(
        mesh, add_nodes=np.concatenate(points), add_triangles=np.concatenate(triangles), like=np.concatenate(like)
    )
    return filled, report


def _runs_along(mesh: Mesh, rim: Rim) -> bool:
    """Whether every facet runs along the rim in the direction of the first."""
    return bool((mesh.faces.node[rim.corners] == rim.nodes[: len(rim.corners)]).all())


def _simple_loops(rim: Rim) -> list[tuple[Array, Array]]:
    """The loop, cut where it passes a node twice; each with the corners of its edges."""
    loops = []
    nodes: list[int] = []
    corners: list[int] = []
    at: dict[int, int] = {}
    for node, corner in zip(rim.nodes.tolist(), rim.corners.tolist(), strict=True):
        if node in at:
            i = at[node]
            loops.append((np.array(nodes[i:]), np.array(corners[i:])))
            for gone in nodes[i:]:
                del at[gone]
            nodes, corners = nodes[:i], corners[:i]
        at[node] = len(nodes)
        nodes.append(node)
        corners.append(corner)
    loops.append((np.array(nodes), np.array(corners)))
    return loops


def _neighbour_in_main_part(mesh: Mesh, corners: Array) -> int:
    """An element at the rim, of the part that most of the rim belongs to."""
    elements = mesh.faces.element[mesh.connectivity.face[corners]]
    part = mesh.element_part[elements]
    return int(elements[np.argmax(part == np.bincount(part).argmax())])


def _fill_loop(
    mesh: Mesh, loop: Array, corners: Array, first: Array, neighbour: Array
) -> tuple[tuple[Array, Array] | None, str]:
    """New points (k, 3) and triangles over the loop's nodes and then the new points, or a reason."""
    if len(loop) < 3:
        return None, "it has fewer than three nodes"
    # fill facets run against the rim
    back = loop[::-1]
    points = mesh.nodes[back]
    face = mesh.connectivity.face[np.roll(corners[::-1], -1)]
    corner_rows = mesh.faces.first[face]
    three = mesh.faces.node[corner_rows[:, None] + np.arange(3)]
    normals = unit_normals(mesh.nodes[three])
    place = {int(node): i for i, node in enumerate(back.tolist())}
    taken = {
        (place[node], place[other])
        for node in back.tolist()
        for other in neighbour[first[node] : first[node + 1]].tolist()
        if other in place
    }
    local = _triangulated(points, normals, np.arange(len(back)), taken)
    if local is None:
        return None, "every way to fill it uses an edge that is there already"
    if len(loop) == 3 and _is_facet(mesh, back):
        return None, "it is the border of a single facet"
    new_points = np.zeros((0, 3))
    if len(loop) >= _LEAST_TO_REFINE:
        refined_points, refined = _refined(points, local)
        if _keeps_off(refined, len(loop), taken):
            new_points, local = refined_points, refined
    # back to the order of the loop
    flip = np.concatenate([np.arange(len(loop))[::-1], len(loop) + np.arange(len(new_points))])
    return (new_points, flip[local]), ""


def _is_facet(mesh: Mesh, nodes: Array) -> bool:
    corners = np.flatnonzero(mesh.faces.node == nodes[0])
    want = set(nodes.tolist())
    c = mesh.connectivity
    return any(
        {int(mesh.faces.node[x]), int(mesh.faces.node[c.next[x]]), int(mesh.faces.node[c.previous[x]])} == want
        for x in corners
    )


def _triangulated(points: Array, normals: Array, which: Array, taken: set[tuple[int, int]]) -> Array | None:
    """Triangles over the loop ``which`` (indices into ``points``), or ``None``."""
    from oddseam.mending.kernels import triangulate_loop

    announce(triangulate_loop)
    n = len(which)
    if n > _MOST_AT_ONCE:
        i, k = _best_chord(points[which], which, taken)
        one, two = which[i : k + 1], np.concatenate([which[k:], which[: i + 1]])
        parts = [_triangulated(points, normals, half, taken) for half in (one, two)]
        return None if any(p is None for p in parts) else np.concatenate(parts)  # type: ignore[arg-type]
    forbidden = np.zeros((n, n), np.bool_)
    row = {int(w): i for i, w in enumerate(which.tolist())}
    for a, b in taken:
        if a in row and b in row:
            forbidden[row[a], row[b]] = True
    for i in range(n):
        forbidden[i, (i + 1) % n] = forbidden[(i + 1) % n, i] = False
    triangles = np.empty((n - 2, 3), np.int32)
    along = np.where((np.roll(which, -1) == (which + 1) % len(points))[:, None], normals[which], 0.0)
    if not triangulate_loop(np.ascontiguousarray(points[which]), np.ascontiguousarray(along), forbidden, triangles):
        return None
    return np.asarray(which[triangles])


def _best_chord(points: Array, which: Array, taken: set[tuple[int, int]]) -> tuple[int, int]:
    """The chord between about opposite nodes that is shortest for the way round that it saves."""
    n = len(points)
    best, chord = np.inf, (0, n // 2)
    for i in range(n // 2):
        ks = np.arange(i + n // 4, min(i + 3 * n // 4, n))
        length = np.linalg.norm(points[ks] - points[i], axis=1)
        free = np.array([(int(which[i]), int(which[k])) not in taken for k in ks])
        length[~free] = np.inf
        k = int(np.argmin(length))
        if length[k] < best:
            best, chord = float(length[k]), (i, int(ks[k]))
    return chord


def _refined(points: Array, triangles: Array) -> tuple[Array, Array]:
    """New points and triangles after remeshing the inside to the lengths along the rim."""
    from oddseam.remeshing.net import Fineness
    from oddseam.remeshing.sheets import cut_into_sheets
    from oddseam.remeshing.surface import remesh_sheets

    ahead = np.linalg.norm(np.roll(points, -1, axis=0) - points, axis=1)
    size = np.maximum(0.5 * (ahead + np.roll(ahead, 1)), 0.2 * np.median(ahead))
    sheets = cut_into_sheets(points, triangles, np.zeros(len(triangles), np.int32), 179.0)
    fineness = Fineness(float(size.max()), float(size.max()), 0.5)
    result = remesh_sheets(sheets, fineness, fixed_size=size[sheets.node])
    n = len(points)
    new = np.flatnonzero(result.node_origin < 0)
    index = np.empty(len(result.points), np.int64)
    index[new] = n + np.arange(len(new))
    old = np.flatnonzero(result.node_origin >= 0)
    index[old] = result.node_origin[old]
    return result.points[new], index[result.triangles]


def _keeps_off(triangles: Array, n: int, taken: set[tuple[int, int]]) -> bool:
    """Whether no chord between rim nodes is an edge that the mesh has already."""
    a, b = triangles.ravel(), np.roll(triangles, -1, axis=1).ravel()
    chord = (a < n) & (b < n) & ((a + 1) % n != b) & ((b + 1) % n != a)
    return not any(pair in taken for pair in zip(a[chord].tolist(), b[chord].tolist(), strict=True))
