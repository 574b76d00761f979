"""From even triangles to quads: a field of crosses, nodes on its lattices, pairs of triangles, and their shapes."""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array
from oddseam.compiled import announce
from oddseam.remeshing.kernels import cross_fields, quad_pairs
from oddseam.remeshing.kernels.half_edges import FREE, Net
from oddseam.remeshing.local.relaxation import Around, even_out, search
from oddseam.remeshing.surfaces.rounds import FAIR_SHAPE, LEAST_SHAPE, Rounds

#: Sweeps that smooth the field of crosses, once and in every round.
_SWEEPS, _MORE_SWEEPS = 80, 4
#: Rounds that draw nodes to the lattices, the last ones without splits and collapses.
_ROUNDS, _POLISH = 16, 6
#: Along the arms of crosses lengths are those of edges and of diagonals alike: split and collapsed beyond these.
_LONGEST, _SHORTEST = 1.25, 0.67
#: Exchanges of pairs along a path at most: long paths spoil good quads.
_DEEPEST = 6
#: Rounds of moving the nodes of quads; worth that a move may leave, and below which places are searched for.
_MOVES, _FAIR, _POOR = 12, 0.6, 0.5


def make_quads(rounds: Rounds) -> Array:
    """Lead a net of even triangles to squares.

    Returns
    -------
    (t,) int array
        For each triangle the half-edge across which it makes a quad with another one, or -1.
    """
    draw_to_squares(rounds)
    mate = pair_triangles(rounds.net)
    make_square(rounds, elements_of(rounds.net, mate))
    return mate


def draw_to_squares(rounds: Rounds) -> None:
    """Lead a net of even triangles to one of right-angled ones, two of which make a square."""
    announce(cross_fields.seed_crosses, quad_pairs.pair_rest)
    net = rounds.net._replace(axis=np.zeros((len(rounds.net.point), 3)))
    guide = np.zeros_like(net.point)
    cross_fields.find_bends(net, guide)
    cross_fields.seed_crosses(net, guide, np.zeros(len(net.point), np.int32))
    cross_fields.smooth_crosses(net, guide, _SWEEPS)
    rounds.net = net
    for number in range(_ROUNDS + _POLISH):
        rounds.measure()
        if number < _ROUNDS:
            rounds.split(_LONGEST)
            rounds.collapse(shortest=_SHORTEST)
        else:
            rounds.collapse_bad()
        rounds.flip(by_valence=number < _ROUNDS, most=2)
        guide = np.zeros_like(rounds.net.point)
        cross_fields.smooth_crosses(rounds.net, guide, _MORE_SWEEPS)
        for _ in range(2):
            rounds.smooth(cross_fields.aim_at_lattice, LEAST_SHAPE if number < _ROUNDS else FAIR_SHAPE - 0.15)


def pair_triangles(net: Net) -> Array:
    """(t,) for each triangle the half-edge across which it makes a quad with another one, or -1."""
    total = 3 * int(net.used[1])
    value = np.empty(total)
    quad_pairs.worths(net, value)
    half = np.flatnonzero((value >= quad_pairs.LEAST) & (net.twin[:total] > np.arange(total)))
    order = half[np.argsort(-value[half], kind="stable")]
    mate = np.full(int(net.used[1]), -1, np.int32)
    quad_pairs.pair_best(order, net.twin, mate)
    parent, stamp, queue = (np.full(len(mate), -1, np.int32) for _ in range(3))
    quad_pairs.pair_rest(net, value, mate, _DEEPEST, parent, stamp, queue)
    return mate


def elements_of(net: Net, mate: Array) -> Array:
    """(e, 4) nodes of the quads and of the triangles left over, these with -1 at the end."""
    t = np.flatnonzero(net.origin[: 3 * len(mate) : 3] >= 0)
    alone = t[mate[t] < 0]
    half = mate[t[mate[t] >= 0]].astype(np.int64)
    half = half[half < net.twin[half]]
    before = half + np.where(half % 3 == 0, 2, -1)
    other = net.twin[half].astype(np.int64)
    other_before = other + np.where(other % 3 == 0, 2, -1)
    quads = np.column_stack([net.origin[h] for h in (half, other_before, other, before)])
    triangles = np.column_stack([*(net.origin[3 * alone + i] for i in range(3)), np.full(len(alone), -1, np.int32)])
    return np.ascontiguousarray(np.concatenate([quads, triangles]))


def make_square(rounds: Rounds, elements: Array) -> None:
    """Move the free nodes of elements so that the quads get as square as they can."""
    net, around = rounds.net, Around(elements, len(rounds.net.point))
    rows = np.flatnonzero((np.diff(around.first) > 0) & (net.kind == FREE))
    even_out(net.point, around, rows, rounds.on_surface, _MOVES, _FAIR)
    search(net.point, around, rows, rounds.on_surface, _MOVES, _POOR)
