"""What closed surfaces enclose together: the winding number of every cell that they cut space into.

Triangles that lie on one another count as one with a multiplicity; crossing a triangle from its
back to its front, the winding number falls by that.  Within what hangs together it follows from
one cell to the next; between pieces that nowhere meet it is measured.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.exact.exact_points import Point
from oddseam.geometry.trees.spatial_cells import in_turn, linked_sides
from oddseam.geometry.trees.winding_tree import WindingTree
from oddseam.geometry.triangles import boxes, cone_volumes, sorted_corners, winding_number
from oddseam.geometry.welding import equal_rows

#: With so many points times triangles a tree of these is not worth its while.
_DIRECT = 20_000
#: A winding number that a tree finds this much off a whole one is summed up exactly.
_CLEAR = 0.1


@dataclass(frozen=True, eq=False)
class SpaceCells:
    """The cells that triangles cut space into, each complex of triangles that hang together by itself.

    Attributes
    ----------
    row : (r,) int64 array
        Of triangles on the same three nodes the first.
    times : (r,) int64 array
        How often it is there, one way less the other.
    cell : (r, 2) int64 array
        The cell on the side that the normal points to, and that on the other.
    complex : (r,) int64 array
        What hangs together through edges.
    content : (c,) float64 array
        Volume of every cell; that of the one round a complex is below zero.
    outermost : (k,) int64 array
        The cell round each complex.
    """

    row: Array
    times: Array
    cell: Array
    complex: Array
    content: Array
    outermost: Array


@dataclass(frozen=True, eq=False)
class Windings:
    """Winding numbers of cells.

    Attributes
    ----------
    cells : SpaceCells
    number : (c,) int64 array
        Winding number of every cell.
    is_sound : bool
        Whether the numbers agree all round; they do where the surfaces are closed.
    """

    cells: SpaceCells
    number: Array
    is_sound: bool


def space_cells(
    nodes: Array, triangles: Array, exact: Callable[[list[int]], list[Point]] | None = None, *, cancel: bool = True
) -> SpaceCells:
    """The cells that triangles which meet in whole edges and nodes only cut space into; O(n log n).

    Parameters
    ----------
    nodes : (n, 3) float64 array
    triangles : (m, 3) int array
    exact : callable, optional
        Gives the exact places of nodes, where ``nodes`` holds them rounded.
    cancel : bool
        Whether those that are there as often one way as the other are left out.
    """
    row, times = _without_copies(triangles, cancel)
    t = triangles[row].astype(np.int64)
    m, n = len(t), len(nodes)
    if not m:
        return SpaceCells(row, times, t[:, :2], row, np.zeros(0), row)
    start, end, apex = t.ravel(), np.roll(t, -1, axis=1).ravel(), np.roll(t, -2, axis=1).ravel()
    low, high = np.minimum(start, end), np.maximum(start, end)
    order, first, edge = sorted_corners(t, n)
    ends = np.column_stack([low, high])[order[first[:-1]]]
    order = in_turn(nodes, ends, apex, order, first, exact)
    facet = np.repeat(np.arange(m), 3)
    one, two = linked_sides(facet, start < end, order, first)
    cell = _labels(2 * m, one, two).reshape(m, 2)
    beside = edge[order][1:] == edge[order][:-1]
    piece = _labels(m, facet[order[:-1]][beside], facet[order[1:]][beside])
    corners = nodes[t]
    volume = cone_volumes(corners, (corners.reshape(-1, 3).min(axis=0) + corners.reshape(-1, 3).max(axis=0)) / 2)
    cells = int(cell.max()) + 1
    content = np.bincount(cell[:, 1], volume, cells) - np.bincount(cell[:, 0], volume, cells)
    of_cell = np.zeros(cells, np.int64)
    of_cell[cell] = piece[:, None]
    outermost = np.lexsort((content, of_cell))
    outermost = outermost[np.searchsorted(of_cell[outermost], np.arange(int(piece.max()) + 1))]
    return SpaceCells(row, times, cell, piece, content, outermost)


def windings(nodes: Array, triangles: Array, exact: Callable[[list[int]], list[Point]] | None = None) -> Windings:
    """Winding numbers of the cells of closed surfaces, in any number, that meet in whole edges and nodes only.

    O(n log n); see :func:`space_cells`.
    """
    cells = space_cells(nodes, triangles, exact)
    if not len(cells.row):
        return Windings(cells, np.zeros(0, np.int64), True)
    corners = nodes[triangles[cells.row]]
    base = _measured(corners, cells.times, cells.complex)
    return Windings(cells, *_followed(cells.cell, cells.times, cells.outermost, base))


def _without_copies(triangles: Array, cancel: bool) -> tuple[Array, Array]:
    """First rows of the different triples of nodes, and how often each is there, one way less the other.

    With ``cancel`` none of those that are there as often either way.
    """
    first, which = equal_rows(np.sort(triangles, axis=1).astype(np.int32))
    # a triple is turned the same way as its first row if an even number of swaps makes them alike
    lead = triangles[first[which]]
    rolled = [np.roll(triangles, k, axis=1) for k in range(3)]
    same = np.logical_or.reduce([(one == lead).all(axis=1) for one in rolled])
    times = np.bincount(which, np.where(same, 1, -1), len(first)).astype(np.int64)
    keep = np.flatnonzero(times) if cancel else np.arange(len(times))
    return first[keep], times[keep]


def _labels(count: int, one: Array, two: Array) -> Array:
    """(count,) numbers of the connected components."""
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import connected_components

    links = coo_array((np.ones(len(one), bool), (one, two)), shape=(count, count))
    return np.asarray(connected_components(links, directed=False)[1])


def _measured(corners: Array, times: Array, piece: Array) -> Array:
    """(p,) winding number that the other pieces have at each piece."""
    count = int(piece.max()) + 1
    low, high = np.full((count, 3), np.inf), np.full((count, 3), -np.inf)
    lows, highs = boxes(corners)
    np.minimum.at(low, piece, lows)
    np.maximum.at(high, piece, highs)
    by_piece = np.argsort(piece, kind="stable")
    begin = np.searchsorted(piece[by_piece], np.arange(count + 1))
    base = np.zeros(count, np.int64)
    point = corners[by_piece[begin[:-1]]].mean(axis=1)
    for q in range(count):
        held = ((low[q] <= point) & (point <= high[q])).all(axis=1)
        held[q] = False
        its = np.flatnonzero(held)
        if len(its):
            rows = by_piece[begin[q] : begin[q + 1]]
            base[its] += _whole_windings(point[its], _repeated(corners[rows], times[rows]))
    return base


def _whole_windings(points: Array, corners: Array) -> Array:
    """(k,) winding numbers of a closed surface about points, which are whole; of many points in O(log m) each."""
    if len(points) * len(corners) > _DIRECT:
        turns = WindingTree(corners).at(points)
        unsure = np.abs(turns - np.round(turns)) > _CLEAR
    else:
        turns, unsure = np.zeros(len(points)), np.ones(len(points), bool)
    turns[unsure] = [winding_number(point, corners) for point in points[unsure]]
    return np.round(turns).astype(np.int64)


def _repeated(corners: Array, times: Array) -> Array:
    """Triangles as often as they count, turned over where that is below zero."""
    turned = np.where((times < 0)[:, None, None], corners[:, ::-1], corners)
    return np.repeat(turned, np.abs(times), axis=0)


def _followed(cell: Array, times: Array, outermost: Array, base: Array) -> tuple[Array, bool]:
    """(c,) winding number of every cell, from the outermost ones on; and whether all agree."""
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import breadth_first_order

    cells = int(cell.max()) + 1
    front, back = cell.T
    number = np.zeros(cells, np.int64)
    hub = cells  # joins the outermost cells, so that one walk meets all
    links = coo_array(
        (
            np.ones(len(front) + len(outermost)),
            (np.append(front, np.full(len(outermost), hub)), np.append(back, outermost)),
        ),
        shape=(cells + 1, cells + 1),
    ).tocsr()
    reached, before = breadth_first_order(links, hub, directed=False)
    step = {}
    some = np.unique(front * cells + back, return_index=True)[1]
    for f, b, k in zip(front[some].tolist(), back[some].tolist(), times[some].tolist(), strict=True):
        step[f, b], step[b, f] = k, -k
    start = dict(zip(outermost.tolist(), base.tolist(), strict=True))
    for c in reached[1:].tolist():
        parent = int(before[c])
        number[c] = start[c] if parent == hub else number[parent] + step[parent, c]
    return number, bool((number[back] == number[front] + times).all())
