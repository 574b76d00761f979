"""The rounds of the remesher on sheets, without ``Mesh``."""

from __future__ import annotations

from dataclasses import dataclass

from oddseam.arrays import Array
from oddseam.compiled import announce
from oddseam.progress import Progress, silent
from oddseam.remeshing.kernels import curve_spacing, round_steps
from oddseam.remeshing.kernels.half_edges import FIXED, Net
from oddseam.remeshing.surfaces import squares
from oddseam.remeshing.surfaces.assembly import Surface, sewn
from oddseam.remeshing.surfaces.curve_nodes import put_on_curves, wanted_nodes
from oddseam.remeshing.surfaces.net import Fineness, build
from oddseam.remeshing.surfaces.round_surfaces import RoundSurfaces, pull_curves
from oddseam.remeshing.surfaces.rounds import FAIR_SHAPE, LEAST_SHAPE, LONGEST, Rounds
from oddseam.remeshing.surfaces.sheets import Sheets
from oddseam.remeshing.surfaces.smooth_surface import SmoothSurface

#: Rounds that make edges even, and rounds that then only make angles better.
ROUNDS, POLISH = 7, 4


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
    smooth: bool = False,
    quads: bool = False,
    squared: bool = True,
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
    smooth : bool
        Whether nodes of other regions are put on a smooth surface through the nodes of the facets.
    quads, squared : bool
        Whether triangles are paired, and whether they are led to squares before that.
    """
    announce(round_steps.collapse_short, round_steps.flip_edges, curve_spacing.place_nodes)
    inserted, field = 0, fineness.field
    curved = SmoothSurface(sheets) if smooth else None
    if fixed_size is None:
        wanted = wanted_nodes(sheets, fineness)
        inserted = len(wanted.arc)

        rounds = Rounds(build(sheets, fineness, inserted), field)

        def refine(net: Net, level: int) -> Net:
            rounds.net = net
            rounds.flip(by_valence=False, most=6)
            if level:
                rounds.split(LONGEST * 2**level)
                rounds.flip(by_valence=False, most=6)
            return rounds.net

        rounds.net.size[: len(sheets.point)] = field.at(sheets.point)
        rounds.net = put_on_curves(rounds.net, sheets, wanted, field, refine)
        if curved is not None:
            curved.pull_curves(rounds.net, len(sheets.point))
        if onto is not None:
            pull_curves(rounds.net, len(sheets.point), onto)
    else:
        net = build(sheets, fineness, 0)
        net.kind[: len(sheets.point)][sheets.curves.node] = FIXED
        net.size[: len(sheets.point)] = fixed_size.clip(max=field.base)
        rounds = Rounds(net, field)
    rounds.stand_on(sheets, onto, curved)
    for number in range(ROUNDS if quads and squared else ROUNDS + POLISH):
        progress("remeshing", 0.1 + 0.8 * number / (ROUNDS + POLISH))
        polish = number >= ROUNDS
        rounds.measure()
        if not polish:
            rounds.split()
            rounds.collapse(first=number == 0)
        else:
            rounds.collapse_bad()
        rounds.flip(by_valence=not polish, most=2)
        rounds.smooth(round_steps.aim, FAIR_SHAPE if polish else LEAST_SHAPE)
    mate = None
    if quads:
        progress("making quads", 0.6)
        mate = squares.make_quads(rounds) if squared else squares.pair_triangles(rounds.net)
    tally = rounds.tally
    return Result(
        surface=sewn(rounds.net, sheets, mate=mate),
        n_curve_nodes=inserted,
        n_splits=tally["split"],
        n_collapses=tally["collapse"],
        n_flips=tally["flip"],
        n_moves=tally["move"],
    )
