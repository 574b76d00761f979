"""The rounds of the remesher on sheets, without ``Mesh``."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oddseam.arrays import Array
from oddseam.compiled import announce
from oddseam.geometry.boxtree import BoxTree
from oddseam.progress import Progress, silent
from oddseam.remeshing import curve_kernels, kernels
from oddseam.remeshing.assembly import Surface, sewn
from oddseam.remeshing.curve_nodes import put_on_curves, wanted_nodes
from oddseam.remeshing.halfedge_kernels import FIXED, Net
from oddseam.remeshing.net import Fineness, build, grown, wanted_valence
from oddseam.remeshing.round_surfaces import RoundSurfaces, pull_curves
from oddseam.remeshing.sheets import Sheets
from oddseam.sizes import SizeField

#: Rounds that make edges even, and rounds that then only make angles better.
ROUNDS, POLISH = 7, 4
#: Shapes that a collapse and a move may leave behind while edges are made even, and at the end
#: (1 equilateral; 0.35 has angles of 12 to 17 degrees, 0.65 of 25 to 30).
_LEAST_SHAPE, _FAIR_SHAPE = 0.35, 0.65
#: Edges beyond these multiples of the size are split and collapsed: what either leaves is within the other.
_LONGEST, _SHORTEST = 4.0 / 3.0, 0.8


@dataclass(frozen=True, eq=False)
class Result:
    """A remeshed surface, and how often each thing was done."""

    surface: Surface
    n_curve_nodes: int
    n_splits: int
    n_collapses: int
    n_flips: int
    n_moves: int


def remesh_sheets(
    sheets: Sheets,
    fineness: Fineness,
    *,
    fixed_size: Array | None = None,
    onto: RoundSurfaces | None = None,
    progress: Progress = silent,
) -> Result:
    """Remesh cut sheets and sew them back.

    Parameters
    ----------
    sheets : Sheets
    fineness : Fineness
    fixed_size : (n,) array, optional
        Sizes at nodes of the sheets; with it all curves stay as they are.
    onto : RoundSurfaces, optional
        Surfaces that nodes of regions are put on instead of on the facets.
    """
    announce(kernels.collapse_short, kernels.flip_edges, curve_kernels.place_nodes)
    tally = {"split": 0, "collapse": 0, "flip": 0, "move": 0}
    inserted, field = 0, fineness.field
    if fixed_size is None:
        wanted = wanted_nodes(sheets, fineness)
        inserted = len(wanted.arc)

        def refine(net: Net, level: int) -> Net:
            tally["flip"] += _flip(net, by_valence=False, most=6)
            if level:
                net = _split(net, field, tally, _LONGEST * 2**level)
                tally["flip"] += _flip(net, by_valence=False, most=6)
            return net

        net = build(sheets, fineness, inserted)
        net.size[: len(sheets.point)] = field.at(sheets.point)
        net = put_on_curves(net, sheets, wanted, field, refine)
        if onto is not None:
            pull_curves(net, len(sheets.point), onto)
    else:
        net = build(sheets, fineness, 0)
        net.kind[: len(sheets.point)][sheets.curves.node] = FIXED
        net.size[: len(sheets.point)] = np.minimum(fixed_size, field.base)
    fixed = np.flatnonzero(net.kind[: net.used[0]] == FIXED)
    limit = net.size[fixed]
    tree = BoxTree(sheets.point[sheets.triangles], sheets.region)
    hint = np.full(len(net.point), -1, np.int32)
    for number in range(ROUNDS + POLISH):
        progress("remeshing", 0.1 + 0.8 * number / (ROUNDS + POLISH))
        polish = number >= ROUNDS
        _measure(net, field)
        net.size[fixed] = np.minimum(limit, net.size[fixed])
        kernels.limit_growth(net, field.growth)
        if not polish:
            net = _split(net, field, tally)
            _collapse(net, tally, first=number == 0)
        else:
            tally["collapse"] += int(kernels.collapse_short(net, _marks(net), _FAIR_SHAPE, 0.7, True))
        tally["flip"] += _flip(net, by_valence=not polish, most=2)
        hint = np.concatenate([hint, np.full(len(net.point) - len(hint), -1, np.int32)])
        tally["move"] += _smooth(net, tree, hint, onto, _FAIR_SHAPE if polish else _LEAST_SHAPE)
    return Result(
        surface=sewn(net, sheets),
        n_curve_nodes=inserted,
        n_splits=tally["split"],
        n_collapses=tally["collapse"],
        n_flips=tally["flip"],
        n_moves=tally["move"],
    )


def _measure(net: Net, field: SizeField, first: int = 0) -> None:
    """Give nodes, from row ``first`` on, the size that is wanted where they are."""
    used = int(net.used[0])
    if field.is_even:
        net.size[first:used] = field.base
        return
    rows = first + np.flatnonzero(net.out[first:used] >= 0)
    net.size[rows] = field.at(net.point[rows])


def _split(net: Net, field: SizeField, tally: dict[str, int], goal: float = _LONGEST) -> Net:
    """Split edges longer than ``goal`` times the size, the longest first."""
    sizes = net.size[: net.used[0]].copy()
    while True:
        kernels.raise_at_curves(net, _LONGEST / goal)
        stretch = max(float(kernels.longest_ratio(net)) / 1.5, goal)
        before = int(net.used[0])
        while not kernels.split_long(net, stretch):
            net = grown(net)
        tally["split"] += int(net.used[0]) - before
        if not field.is_even:  # what was split off has the mean of the sizes of its ends until now
            new = net.size[before : net.used[0]].copy()
            _measure(net, field, before)
            np.minimum(net.size[before : net.used[0]], new, out=net.size[before : net.used[0]])
        sizes = np.concatenate([sizes, net.size[before : net.used[0]]])
        if stretch == goal:
            net.size[: len(sizes)] = sizes
            return net
        tally["flip"] += _flip(net, by_valence=False, most=6)


def _collapse(net: Net, tally: dict[str, int], first: bool) -> None:
    """Collapse what is too short; at first the shortest edges first, so that no direction is preferred."""
    mark = _marks(net)
    for shrink in (0.3, 0.45, 0.6, _SHORTEST) if first else (_SHORTEST,):
        done = int(kernels.collapse_short(net, mark, _LEAST_SHAPE, shrink, False))
        tally["collapse"] += done
        if done and shrink != _SHORTEST:
            tally["flip"] += _flip(net, by_valence=False, most=6)


def _marks(net: Net) -> Array:
    """Room for the stamps of ``collapse_short``."""
    return np.zeros(len(net.point) + 1, np.int32)


def _flip(net: Net, *, by_valence: bool, most: int) -> int:
    """Flip edges, in ``most`` passes or until none wants to be flipped."""
    wanted = wanted_valence(net)
    scratch = np.zeros(len(net.point), np.int32)
    total = 0
    for _ in range(most):
        turned = int(kernels.flip_edges(net, np.cos(np.radians(25.0)), by_valence, wanted, scratch))
        total += turned
        if not turned:
            break
    return total


def _smooth(net: Net, tree: BoxTree, hint: Array, onto: RoundSurfaces | None, least: float) -> int:
    row = np.empty(int(net.used[0]), np.int64)
    goal = np.empty((int(net.used[0]), 3))
    count = int(kernels.aim(net, row, goal))
    row, goal = row[:count], goal[:count]
    region = net.region[net.out[row] // 3]
    place, found = tree.closest(goal, region, hint[row])
    hint[row] = found
    place = place if onto is None else onto.pulled(place, region)
    return int(kernels.move(net, row, np.ascontiguousarray(place), least))
