"""Coarsening cut sheets by least quadric error, without ``Mesh``."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from oddseam.arrays import Array
from oddseam.compiled import announce
from oddseam.remeshing import coarsen_kernels as kernels
from oddseam.remeshing.assembly import Surface, sewn
from oddseam.remeshing.halfedge_kernels import FIXED, FREE, PASSING, Net
from oddseam.remeshing.sheets import Sheets


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


def coarsen_sheets(sheets: Sheets, goal: int, most: Array, limit: float = -1.0, frees: bool = False) -> Coarse:
    """Collapse edges, the cheapest first.

    Nodes on curves go along these; corners, and nodes that several sheets share, stay.

    Parameters
    ----------
    sheets : Sheets
    goal : int
        Triangles to be left.
    most : (n,) float array
        Bounds of the error at each node.
    limit : float
        Of the distance, both ways; negative for none.
    frees : bool
        Whether curves of angle alone are let go: nothing but the errors holds their nodes then.
    """
    announce(kernels.collapse_cheapest)
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
        used=np.array([n, m], np.int64),
    )
    given = net.point.copy()
    form = np.zeros((n, 10))
    into, was = np.arange(n, dtype=np.int32), np.arange(n, dtype=np.int32)
    most2, gap = most**2, np.zeros(n if limit >= 0 else 0)
    if frees:
        _let_go(net, sheets)
    kernels.fill_forms(net, form)
    _collapsed(net, form, goal, most2, limit, gap, into, was)
    error2 = np.zeros(n)
    kernels.errors(net, form, error2)
    # what did not move is where it was, to the last bit
    stays = (net.point == given[was]).all(axis=1)
    net.point[:] = np.where(stays[:, None], sheets.point[was], net.point + middle)
    corners = net.origin.reshape(-1, 3)
    alive = corners[:, 0] >= 0
    farthest = float(gap[corners[alive]].max(initial=0.0)) if limit >= 0 else 0.0
    return Coarse(sewn(net, sheets, was), _followed(into), corners[alive], np.sqrt(error2), farthest)


def _collapsed(
    net: Net, form: Array, goal: int, most2: Array, limit: float, gap: Array, into: Array, was: Array
) -> int:
    """Collapse the edges of a net, the cheapest first; how many triangles are left."""
    m, mark = int(net.used[1]), np.zeros(int(net.used[0]), np.int32)
    edge_of, half_of = np.empty(3 * m, np.int32), np.empty(3 * m, np.int32)
    half_of = half_of[: int(kernels.number_edges(net, edge_of, half_of))]
    cost, item, place = (np.empty(len(half_of), kind) for kind in (np.float64, np.int32, np.int32))
    waiting = int(kernels.fill_heap(net, form, half_of, cost, item, place))
    left = kernels.collapse_cheapest(
        net, form, edge_of, half_of, cost, item, place, waiting, goal, most2, limit, gap, into, was, mark
    )
    return int(left)


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
