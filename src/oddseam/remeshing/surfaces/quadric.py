"""Coarsening cut sheets by least quadric error, without ``Mesh``."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from oddseam.arrays import Array
from oddseam.compiled import announce
from oddseam.geometry.threads import in_shares
from oddseam.remeshing.kernels import edge_collapses
from oddseam.remeshing.kernels.half_edges import FIXED, FREE, PASSING, Net
from oddseam.remeshing.surfaces.assembly import Surface, sewn
from oddseam.remeshing.surfaces.sheets import Sheets

#: Two halves are worth it for so many triangles to be taken.
_WORTH = 40_000
#: They stop at so many times the triangles that are to be left, and rise through these shares of the first costs, ...
_MORE, _QUANTILES = 1.6, (0.5, 0.9, 0.99)
#: ... of so many of them, and so often at most.
_SAMPLE, _ROUNDS = 200_000, 40


class Coarse(NamedTuple):
    """A coarsened surface.

    ``into`` is for every node of the sheets the one that it went into, ``corners`` are the
    triangles of the surface in terms of those, and ``error`` (n,) is how far each lies from
    the planes of the facets it stands for, in the mean.  ``gap`` bounds the distance of either surface from
    the other, if that was limited.
    """

    surface: Surface
    into: Array
    corners: Array
    error: Array
    gap: float


class _Heap(NamedTuple):
    """Edges that wait, the cheapest on top: costs, numbers, the state of the kernel, and its marks."""

    cost: Array
    item: Array
    state: Array
    mark: Array


class Bounds(NamedTuple):
    """How far a surface may be coarsened.

    ``goal`` is the number of triangles to be left; ``limit`` bounds the distance both ways, negative for none.
    ``shape`` bounds how far a node lies from the planes of the facets it stands for, in the mean, and ``spare`` the
    space swept: the sum of those distances times the areas of the facets.
    """

    goal: int
    limit: float = -1.0
    shape: float = np.inf
    spare: float = np.inf


def coarsen_sheets(sheets: Sheets, bounds: Bounds, most: Array | None = None, *, frees: bool = False) -> Coarse:
    """Collapse edges, the cheapest first.

    Nodes on curves go along these; corners, and nodes that several sheets share, stay.

    Parameters
    ----------
    sheets : Sheets
    bounds : Bounds
    most : (n,) float array, optional
        The bound of the shape, for each node.
    frees : bool
        Whether curves of angle alone are let go: nothing but the errors holds their nodes then.
    """
    announce(edge_collapses.collapse_cheapest)
    n, m = len(sheets.point), len(sheets.triangles)
    middle = sheets.point.mean(axis=0) if n else np.zeros(3)
    net = Net(
        point=sheets.point - middle,
        origin=sheets.triangles.ravel().copy(),
        twin=sheets.twin.copy(),
        curve=sheets.half_curve.copy(),
        region=sheets.region,
        out=sheets.out.copy(),
        kind=_kinds(sheets),
        size=np.zeros(0),
        axis=np.zeros((0, 3)),
        used=np.array([n, m], np.int64),
    )
    given = net.point.copy()
    into, was = np.arange(n, dtype=np.int32), np.arange(n, dtype=np.int32)
    gap = np.zeros(n if bounds.limit >= 0 else 0)
    if frees:
        _let_go(net, sheets)
    work = _Work(net, into, was, gap, bounds, np.full(n, bounds.shape**2) if most is None else most**2)
    work.collapse()
    form = work.form
    error2 = np.zeros(n)
    edge_collapses.errors(net, form, error2)
    # what did not move is where it was, to the last bit
    stays = (net.point == given[was]).all(axis=1)
    net.point[:] = np.where(stays[:, None], sheets.point[was], net.point + middle)
    corners = net.origin.reshape(-1, 3)
    alive = corners[:, 0] >= 0
    farthest = float(gap[corners[alive]].max(initial=0.0)) if bounds.limit >= 0 else 0.0
    return Coarse(sewn(net, sheets, was), _followed(into), corners[alive], np.sqrt(error2), farthest)


class _Work:
    """Edges on their way out of a net: what they cost, and how much may yet go."""

    def __init__(self, net: Net, into: Array, was: Array, gap: Array, bounds: Bounds, most2: Array) -> None:
        n, halves = len(net.out), len(net.origin)
        self._net, self._into, self._was, self._gap, self._bounds, self._most2 = net, into, was, gap, bounds, most2
        self.form = np.zeros((n, 10))
        edge_collapses.fill_forms(net, self.form)
        self._edge_of, half_of = np.empty(halves, np.int32), np.empty(halves, np.int32)
        self._half_of = half_of[: int(edge_collapses.number_edges(net, self._edge_of, half_of))]
        edges = len(self._half_of)
        self._place, self._choice = np.full(edges, -1, np.int32), np.zeros(edges, np.int8)
        self._stale, self._swept = np.zeros(edges, bool), np.zeros(n)
        self._left, self._spare = int((net.origin[::3] >= 0).sum()), float(bounds.spare)

    def collapse(self) -> None:
        """Collapse all that may go: in two halves at the same time at first, if there is enough to do."""
        if self._left - self._bounds.goal > _WORTH:
            self._collapse_halves()
            self._place[:], self._choice[:], self._stale[:] = -1, 0, False
        everything = np.zeros(len(self._net.out), np.int8)
        heap = self._heap(everything, 0, self._costs())
        heap.state[1], heap.state[3] = self._left, self._spare
        self._run(heap, everything, 0, np.inf, self._bounds.goal)

    def _collapse_halves(self) -> None:
        """Collapse what lies within either half, up to levels of cost that rise together."""
        share = _halves(self._net)
        costs = self._costs()
        heaps = [self._heap(share, own, costs) for own in (0, 1)]
        some = costs[:: 1 + len(costs) // _SAMPLE]
        levels = np.quantile(some[some >= 0], _QUANTILES) if (some >= 0).any() else np.zeros(1)
        del costs, some
        goal = max(_MORE * self._bounds.goal, 1)
        for rise in range(_ROUNDS):
            if self._left <= goal or self._spare <= 0 or not any(heap.state[0] > 0 for heap in heaps):
                break
            last = len(levels) - 1
            level = float(levels[min(rise, last)]) * 4.0 ** max(rise - last, 0)
            self._run_both(heaps, share, level, (self._left - goal) / 2.0)

    def _run_both(self, heaps: list[_Heap], share: Array, level: float, most: float) -> None:
        """Collapse in both shares what costs no more than a level, and takes no more triangles in either than that."""
        left, spare = self._left, self._spare
        for heap in heaps:
            heap.state[1], heap.state[3] = left, spare / 2.0

        def run(first: int, last: int) -> None:
            for own in range(first, last):
                self._run(heaps[own], share, own, level, left - most)

        in_shares(run, 2, least=1)
        self._left = left - sum(left - int(heap.state[1]) for heap in heaps)
        if spare < np.inf:
            self._spare = sum(float(heap.state[3]) for heap in heaps)

    def _costs(self) -> Array:
        """(e,) cost of every edge, -1 for those that are gone or may not go."""
        found = np.empty(len(self._half_of))

        def run(first: int, last: int) -> None:
            edge_collapses.fill_costs(self._net, self.form, self._edge_of, self._half_of, first, last, found)

        in_shares(run, len(found))
        return found

    def _heap(self, share: Array, own: int, costs: Array) -> _Heap:
        """The edges of a share, the cheapest on top."""
        size = len(costs)
        cost, item = np.empty(size), np.empty(size, np.int32)
        count = edge_collapses.fill_heap(self._net, self._half_of, costs, share, own, cost, item, self._place)
        return _Heap(cost, item, np.array([count, 0, 0, 0], np.float64), np.zeros(len(self._net.out), np.int32))

    def _run(self, heap: _Heap, share: Array, own: int, level: float, goal: float) -> None:
        edge_collapses.collapse_cheapest(
            self._net, self.form, self._edge_of, self._half_of, heap.cost, heap.item, self._place, self._choice,
            self._stale, share, own, level, int(goal), heap.state, self._most2, self._swept, self._bounds.limit,
            self._gap, self._into, self._was, heap.mark,
        )  # fmt: skip


def _halves(net: Net) -> Array:
    """(n,) int8 share of every node: 0 or 1 with its facets on one side of the middle of the longest axis, else 2."""
    corners = net.origin.reshape(-1, 3)
    place = np.ascontiguousarray(net.point[:, int(np.argmax(np.ptp(net.point, axis=0)))])
    along = place[corners[:, 0]]
    for k in (1, 2):  # less room than all at once
        along += place[corners[:, k]]
    beyond = along > np.median(along)
    one, two = np.zeros(len(net.out), bool), np.zeros(len(net.out), bool)
    one[corners[~beyond]] = True
    two[corners[beyond]] = True
    return np.where(one & two, 2, two).astype(np.int8)


def _let_go(net: Net, sheets: Sheets) -> None:
    """Make curves of angle alone a part of the surface like any other."""
    on_curve = net.curve >= 0
    on_curve[on_curve] = sheets.is_angle[net.curve[on_curve]]
    net.curve[on_curve] = -1
    half = np.flatnonzero((net.curve >= 0) | (net.twin < 0))
    held = np.zeros(len(net.kind), bool)
    held[net.origin[half]] = True
    held[net.origin[half + np.where(half % 3 == 2, -2, 1)]] = True
    held |= sheets.is_locked
    net.kind[~held] = FREE


def _kinds(sheets: Sheets) -> Array:
    kind = np.full(len(sheets.point), FREE, np.int8)
    kind[sheets.curves.node] = PASSING
    kind[sheets.curves.is_corner | sheets.is_locked] = FIXED
    return kind


def _followed(into: Array) -> Array:
    """Where each node comes to in the end."""
    while True:
        farther = into[into]
        if np.array_equal(farther, into):
            return into
        into = farther
