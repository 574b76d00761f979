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
        axis=np.zeros((0, 3)),
        used=np.array([n, m], np.int64),
    )
    given = net.point.copy()
    form = np.zeros((n, 10))
    into, was = np.arange(n, dtype=np.int32), np.arange(n, dtype=np.int32)
    most2 = np.full(n, bounds.shape**2) if most is None else most**2
    gap, mark = np.zeros(n if bounds.limit >= 0 else 0), np.zeros(n, np.int32)
    if frees:
        _let_go(net, sheets)
    kernels.fill_forms(net, form)
    edge_of, half_of = np.empty(3 * m, np.int32), np.empty(3 * m, np.int32)
    half_of = half_of[: int(kernels.number_edges(net, edge_of, half_of))]
    cost, item, place = (np.empty(len(half_of), kind) for kind in (np.float64, np.int32, np.int32))
    waiting = int(kernels.fill_heap(net, form, half_of, cost, item, place))
    kernels.collapse_cheapest(
        net, form, edge_of, half_of, cost, item, place, waiting, bounds.goal, most2, bounds.spare, bounds.limit,
        gap, into, was, mark,
    )  # fmt: skip
    error2 = np.zeros(n)
    kernels.errors(net, form, error2)
    # what did not move is where it was, to the last bit
    stays = (net.point == given[was]).all(axis=1)
    net.point[:] = np.where(stays[:, None], sheets.point[was], net.point + middle)
    corners = net.origin.reshape(-1, 3)
    alive = corners[:, 0] >= 0
    farthest = float(gap[corners[alive]].max(initial=0.0)) if bounds.limit >= 0 else 0.0
    return Coarse(sewn(net, sheets, was), _followed(into), corners[alive], np.sqrt(error2), farthest)


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
