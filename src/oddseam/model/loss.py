"""What an operation on a surface lost: how far what was given is from what came of it, and area and volume.

Only facets that changed are measured: samples of those that are gone, as dense as the facets themselves or
denser, look for the nearest facet of the result.  What lies within the space that the result encloses was
inside of the solid before, and is no loss of its shape.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from oddseam.accounts import Loss, LostPlace
from oddseam.arrays import Array, IdIndex, point_text
from oddseam.geometry.threads import in_runs
from oddseam.geometry.trees.boxtree import BoxTree, morton_order
from oddseam.geometry.trees.winding_tree import WindingTree
from oddseam.geometry.triangles import area_vectors, areas
from oddseam.model.connectivity import label_components
from oddseam.model.lost_names import names_lost
from oddseam.model.mesh import Mesh

#: By default no place may be lost that is farther than this share of the diagonal from the result.
SHAPE = 1e-3
#: Up to so many samples each is looked for exactly; of more, those that are near enough are not looked at closer.
_EXACT = 4_000
#: Facets are sampled at distances of this share of the diagonal, with about so many samples in all, or one each.
_SPACING, _FEWEST, _MOST_ACROSS = 5e-3, 20_000, 64
#: Area vectors that differ by less than this share of the area are those of surfaces with the same border.
_SAME_BORDER = 1e-9
#: If this share of the facets changed, changes are told in percent too.
_MOST_OF_IT = 0.5
#: Coarse cells along the diagonal, by which facets near to changed ones are found.
_CELLS = 64
#: Distances are unsure by this share of the coordinates.
_UNSURE = 16 * 2.0**-52
#: So many points of a run are told by the first, if they lie within this share of its distance from the surface.
_RUN, _SURELY = 16, 0.5
#: So many places are named.
_NAMED = 4


def measure_loss(
    before: Mesh, after: Mesh, tolerance: float | Array | None, asked: Array | None = None,
    loose: tuple[Array, float] | None = None,
) -> Loss:  # fmt: skip
    """How much of a surface was lost.

    Parameters
    ----------
    before, after : Mesh
    tolerance : float, (m,) float array or None
        How far a place that was given may be from the result, everywhere or for each element of ``before``; ``None``
        for as far as may be, as the shape is to change.
    asked : (k,) int array, optional
        Elements of ``before`` that were asked to go: they are not missed.
    loose : ((k,) int array, float), optional
        Elements of ``before`` that bounded nothing, and how far such may have stood off what stays.

    Notes
    -----
    O(n) to tell what changed, and O(c log n) for c changed facets.
    """
    least = None if tolerance is None else float(np.min(tolerance, initial=np.inf))
    gone, new = changed_triangles(before, after)
    if not len(gone) and not len(new):
        return Loss(least)
    old, fresh = _measured(before, gone), _measured(after, new)
    named = names_lost(before, gone, old.area, after, new, fresh.area)
    loss = replace(_changes(before, gone, old, fresh), tolerance=least, named=named)
    stays_away = _not_asked(before, gone, asked)
    gone = gone[stays_away]
    held = old.middle[stays_away], old.longest[stays_away], old.area[stays_away]
    del old, fresh  # the largest arrays here; what follows needs the room
    points, facet = _samples(before, gone, *held)
    del held
    if not len(points):
        return loss
    wanted = np.broadcast_to(np.inf if tolerance is None else tolerance, before.n_elements)
    limit = wanted[before.triangulation.element[gone]][facet] + _UNSURE * float(np.abs(points).max())
    away = _distances(before, after, points, limit, gone, new)
    far = np.flatnonzero(away > limit)
    away[far[_within(after, points[far], away[far])]] = 0.0
    lost = far[away[far] > 0]
    is_loose = np.zeros(len(gone), bool)
    if loose is not None:
        of_mesh = np.zeros(before.n_elements, bool)
        of_mesh[loose[0]] = True
        is_loose = of_mesh[before.triangulation.element[gone]]
        lost = lost[~is_loose[facet[lost]] | (away[lost] > loose[1])]
    places, n_places = _places(before, gone, points, facet, away, lost, is_loose)
    worst = int(np.argmax(away))
    x, y, z = points[worst].tolist()
    farthest = float(away[worst])
    return replace(loss, facets=len(gone), farthest=farthest, place=(x, y, z), n_places=n_places, places=places)


def kept_shape(before: Mesh, after: Mesh, settings: Mapping[str, Any]) -> Loss:
    """The loss of an operation that is to keep the shape, except for the ``tolerance`` among its settings."""
    return measure_loss(before, after, max(settings.get("tolerance") or 0.0, SHAPE * before.diagonal))


def changed_shape(before: Mesh, after: Mesh, settings: Mapping[str, Any]) -> Loss:
    """The loss of an operation that is to change the shape: how far it did, and nothing is missed."""
    return measure_loss(before, after, None)


def element_middles(mesh: Mesh) -> Array:
    """(m, 3) middles of the shell elements of a mesh; the origin for others."""
    t, middles = mesh.triangulation, np.zeros((mesh.n_elements, 3))
    middles[t.element] = in_runs(
        lambda corners: (corners[:, 0] + corners[:, 1] + corners[:, 2]) / 3, mesh.nodes, t.triangles
    )
    return middles


def half_edges(mesh: Mesh) -> Array:
    """(m,) half of the longest edge of every shell element; 0 for others."""
    t, longest = mesh.triangulation, np.zeros(mesh.n_elements)
    np.maximum.at(longest, t.element, in_runs(_measures, mesh.nodes, t.triangles)[:, 3])
    return 0.5 * longest


def vanished_pieces(before: Mesh, after: Mesh) -> list[str]:
    """What is to be said of pieces of a surface of which nothing is left nearer than they are wide."""
    pieces = before.pieces
    if after.connectivity.n_pieces >= before.connectivity.n_pieces or not len(after.triangulation.triangles):
        return []
    rows = np.flatnonzero(pieces.of_triangle >= 0)
    middles = _measured(before, rows).middle
    tree = BoxTree(after.nodes[after.triangulation.triangles])
    away = np.linalg.norm(tree.closest(middles)[0] - middles, axis=1)
    nearest = np.full(len(pieces.volume), np.inf)
    np.minimum.at(nearest, pieces.of_triangle[rows], away)
    gone = np.flatnonzero(nearest > 0.5 * pieces.extent)
    middle = (pieces.low + pieces.high) / 2
    lines = [
        f"a piece {pieces.extent[p]:.4g} across vanished, at {point_text(middle[p])}" for p in gone[:_NAMED].tolist()
    ]
    return lines + [f"{len(gone) - _NAMED:,} more pieces vanished"] * (len(gone) > _NAMED)


def changed_triangles(before: Mesh, after: Mesh) -> tuple[Array, Array]:
    """Rows of triangles of either mesh that are no element of the other one, of the same id, kind and corners."""
    if before.nodes is after.nodes and before.elements is after.elements:
        return np.zeros(0, np.int64), np.zeros(0, np.int64)
    same = np.zeros(before.n_elements, bool), np.zeros(after.n_elements, bool)
    first = {}
    at = 0
    for name, block in after.elements.items():
        first[name], at = at, at + len(block)
    for name, block, span in before.blocks():
        its = after.elements.get(name)
        if its is not None and len(its):
            row, missing = _rows(block.ids, its.ids)
            mine = np.flatnonzero(~missing)
            for k in range(block.connectivity.shape[1]):  # what differs in one corner is not looked at again
                one, two = before.nodes[block.connectivity[mine, k]], after.nodes[its.connectivity[row[mine], k]]
                equal = one == two
                mine = mine[equal[:, 0] & equal[:, 1] & equal[:, 2]]
            same[0][span.start + mine] = True
            same[1][first[name] + row[mine]] = True
    gone, new = (np.flatnonzero(~same[k][mesh.triangulation.element]) for k, mesh in enumerate((before, after)))
    return gone, new


def _rows(wanted: Array, ids: Array) -> tuple[Array, Array]:
    """Rows of ids among others, and which are missing; at once where both begin alike."""
    if len(wanted) <= len(ids) and np.array_equal(wanted, ids[: len(wanted)]):
        return np.arange(len(wanted)), np.zeros(len(wanted), bool)
    return IdIndex(ids).of(wanted)


def _not_asked(mesh: Mesh, rows: Array, asked: Array | None) -> Array:
    """(k,) bool: triangles that were not asked to go."""
    spared = np.zeros(mesh.n_elements, bool)
    if asked is not None:
        spared[asked] = True
    return np.asarray(~spared[mesh.triangulation.element[rows]])


@dataclass(frozen=True, eq=False)
class _Measured:
    """Of triangles: middles (k, 3), longest edges (k,), area vectors (k, 3) and areas (k,)."""

    middle: Array
    longest: Array
    vector: Array
    area: Array


def _measured(mesh: Mesh, rows: Array) -> _Measured:
    if not len(rows):
        return _Measured(np.zeros((0, 3)), np.zeros(0), np.zeros((0, 3)), np.zeros(0))
    columns = in_runs(_measures, mesh.nodes, mesh.triangulation.triangles[rows])
    return _Measured(columns[:, :3], columns[:, 3], columns[:, 4:7], columns[:, 7])


def _changes(mesh: Mesh, gone: Array, old: _Measured, new: _Measured) -> Loss:
    """How much the area grew, and the volume, and what they were; ``None`` where that cannot be told, or is not."""
    about = mesh.box[0] + (mesh.box[1] - mesh.box[0]) / 2

    def space(its: _Measured) -> float:
        # a cone over a triangle is a third of its height times its area; any point of its plane tells the height
        return float(np.einsum("ij,ij->", its.middle - about, its.vector)) / 3.0

    area = float(old.area.sum()), float(new.area.sum())
    change = np.abs(new.vector.sum(axis=0) - old.vector.sum(axis=0)).max()
    has_same_border = change <= _SAME_BORDER * max(sum(area), 1e-300)
    found = Loss(None, area=area[1] - area[0], volume=space(new) - space(old) if has_same_border else None)
    if len(gone) < _MOST_OF_IT * len(mesh.triangulation.triangles):
        return found
    rest = np.ones(len(mesh.triangulation.triangles), bool)
    rest[gone] = False
    other = _measured(mesh, np.flatnonzero(rest))
    of_volume = None if mesh.connectivity.is_free.any() else space(old) + space(other)
    return replace(found, of_area=area[0] + float(other.area.sum()), of_volume=of_volume)


def _samples(mesh: Mesh, rows: Array, middle: Array, longest: Array, spans: Array) -> tuple[Array, Array]:
    """Points of triangles (k, 3), in an order along the surface, and the row of each triangle in ``rows``.

    Small triangles are sampled in the middle, larger ones at their corners and in a regular net as well.
    """
    if not len(rows):
        return np.zeros((0, 3)), np.zeros(0, np.int64)
    triangles, area = mesh.triangulation.triangles[rows], float(spans.sum())
    spacing = max(_SPACING * mesh.diagonal, float(np.sqrt(area / _FEWEST)), 1e-300)
    across = np.clip(np.ceil(longest / spacing), 1, _MOST_ACROSS).astype(np.int64)
    points, facet = [middle], [np.arange(len(rows))]
    large = np.flatnonzero(longest > spacing)
    node, first = np.unique(triangles[large], return_index=True)
    points.append(mesh.nodes[node])
    facet.append(large[first // 3])
    for n in np.unique(across[across > 1]).tolist():
        its = np.flatnonzero(across == n)
        i, j = (w.ravel() for w in np.meshgrid(np.arange(n), np.arange(n), indexing="ij"))
        lower = i + j < n
        u, v = (i[lower] + 1 / 3) / n, (j[lower] + 1 / 3) / n
        weights = np.column_stack([1 - u - v, u, v])
        points.append(np.einsum("sk,fkd->fsd", weights, mesh.nodes[triangles[its]]).reshape(-1, 3))
        facet.append(np.repeat(its, len(weights)))
    place, of = np.concatenate(points), np.concatenate(facet)
    del points, facet
    order = morton_order(place)
    return place[order], of[order]


def _measures(corners: Array) -> Array:
    """(m, 8) middles of triangles, their longest edges, area vectors, and areas."""
    a, b, c = corners[:, 0], corners[:, 1], corners[:, 2]
    measures = np.empty((len(corners), 8))
    measures[:, :3] = (a + b + c) / 3
    squares = [np.einsum("ij,ij->i", edge, edge) for edge in (b - a, c - b, a - c)]
    measures[:, 3] = np.sqrt(np.maximum(np.maximum(squares[0], squares[1]), squares[2]))
    measures[:, 4:7] = vectors = area_vectors(corners)
    measures[:, 7] = np.sqrt(np.einsum("ij,ij->i", vectors, vectors))
    return measures


def _distances(before: Mesh, after: Mesh, points: Array, limit: Array, gone: Array, new: Array) -> Array:
    """(k,) how far points are from a surface; where that is within half of the limit, it may be less than said."""
    t = after.triangulation.triangles
    if not len(t):
        return np.full(len(points), np.inf)
    rows = _about(after, new, before, gone)
    enough = None if len(points) <= _EXACT else 0.5 * min(float(limit.min()), 2 * SHAPE * before.diagonal)
    away = np.full(len(points), np.inf)
    tree = BoxTree(after.nodes[t[rows]]) if len(rows) else None
    if tree is not None:
        away = np.linalg.norm(tree.closest(points, enough=enough)[0] - points, axis=1)
    if len(rows) < len(t):
        far = np.flatnonzero(away > np.minimum(limit, SHAPE * before.diagonal))
        tree = BoxTree(after.nodes[t]) if len(far) else tree
        if len(far) and tree is not None:
            away[far] = np.linalg.norm(tree.closest(points[far])[0] - points[far], axis=1)
    if enough is not None and tree is not None:
        worst = np.argsort(-away, kind="stable")[:_EXACT]
        away[worst] = np.minimum(away[worst], np.linalg.norm(tree.closest(points[worst])[0] - points[worst], axis=1))
    return away


def _about(after: Mesh, new: Array, before: Mesh, gone: Array) -> Array:
    """Rows of triangles of a mesh that may be near to what is gone: new ones, and those in the same coarse cells."""
    t = after.triangulation.triangles
    if 4 * max(len(new), len(gone)) >= len(t):
        return np.arange(len(t))
    low, size = before.box[0], max(before.diagonal, 1e-300) / _CELLS
    marked = np.zeros((_CELLS + 3,) * 3, bool)
    cells = [_cells(mesh, low, size) for mesh in (before, after)]
    for cell, its in ((cells[0], before.triangulation.triangles[gone]), (cells[1], t[new])):
        i, j, k = np.unique(cell[its].reshape(-1, 3), axis=0).astype(np.int64).T
        for d in np.ndindex(3, 3, 3):
            at = (np.clip(v + e - 1, 0, _CELLS + 2) for v, e in zip((i, j, k), d, strict=True))
            marked[tuple(at)] = True
    cell = cells[1]
    is_near = marked[cell[:, 0], cell[:, 1], cell[:, 2]]
    a, b, c = (cell[t[:, k]] for k in range(3))
    chosen = np.asarray(is_near[t].any(axis=1))
    # of a triangle that spans more than two cells the middle may be near, and no corner
    wide = np.flatnonzero((np.maximum(np.maximum(a, b), c) - np.minimum(np.minimum(a, b), c)).max(axis=1) > 1)
    chosen[wide] = True
    chosen[new] = True
    return np.flatnonzero(chosen)


def _cells(mesh: Mesh, low: Array, size: float) -> Array:
    """(n, 3) coarse cells that nodes are in."""
    return (np.clip(np.floor((mesh.nodes - low) / size), -1, _CELLS) + 1).astype(np.int8)


def _within(mesh: Mesh, points: Array, away: Array) -> Array:
    """(k,) bool: points, in an order along the surface, in the space that another one encloses, ``away`` from that.

    No side changes within that distance of a point, so that one in a run answers for those about it.
    """
    t = mesh.triangulation.triangles
    if not len(t) or not len(points):
        return np.zeros(len(points), bool)
    tree = WindingTree(mesh.nodes[t])
    first = np.arange(0, len(points), _RUN)
    answer = tree.at(points[first]) > 0.5
    of = np.repeat(np.arange(len(first)), _RUN)[: len(points)]
    found = answer[of]
    other = np.linalg.norm(points - points[first[of]], axis=1) > _SURELY * away[first[of]]
    found[other] = tree.at(points[other]) > 0.5
    return np.asarray(found)


def _places(
    mesh: Mesh, rows: Array, points: Array, facet: Array, away: Array, lost: Array, is_loose: Array
) -> tuple[tuple[LostPlace, ...], int]:
    """What is lost, facets that hang together through nodes as one place, the largest first; and how many there are."""
    if not len(lost):
        return (), 0
    its = np.unique(facet[lost])
    triangles = mesh.triangulation.triangles[rows[its]]
    label = label_components(mesh.n_nodes, np.repeat(triangles[:, 0], 2), triangles[:, 1:].ravel())[1][triangles[:, 0]]
    names, of = np.unique(label, return_inverse=True)
    area = np.bincount(of, areas(mesh.nodes[triangles]))
    place_of = of[np.searchsorted(its, facet[lost])]
    low, high = np.full((len(names), 3), np.inf), np.full((len(names), 3), -np.inf)
    for k in range(3):
        np.minimum.at(low, of, mesh.nodes[triangles[:, k]])
        np.maximum.at(high, of, mesh.nodes[triangles[:, k]])
    across = np.linalg.norm(high - low, axis=1)
    loose = np.bincount(of, is_loose[its]) == np.bincount(of)
    found = []
    for k in np.argsort(-area, kind="stable")[:_NAMED].tolist():
        mine = lost[place_of == k]
        worst = mine[np.argmax(away[mine])]
        x, y, z = points[worst].tolist()
        size = float(across[k]), float(area[k]), int((of == k).sum())
        found.append(LostPlace((x, y, z), float(away[worst]), *size, bool(loose[k])))
    return tuple(found), len(names)
