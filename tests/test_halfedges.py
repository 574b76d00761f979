"""The half-edge kernels: whatever is done, in whatever order, the surface stays a surface."""

from __future__ import annotations

import numpy as np
import pytest
import shapes
from hypothesis import given, settings, strategies as st

from oddseam.features.patches.curves import trace_curves
from oddseam.remeshing.kernels import half_edges as he
from oddseam.remeshing.surfaces.net import Fineness
from oddseam.remeshing.surfaces.sheets import cut_into_sheets
from oddseam.remeshing.surfaces.surface import remesh_sheets
from oddseam.sizes import SizeField


def net_of(nodes: np.ndarray, triangles: np.ndarray, room: int = 400) -> he.Net:
    sheets = cut_into_sheets(nodes, triangles.astype(np.int32), np.zeros(len(triangles), np.int32), 179.0)

    def wide(values, count, fill):
        made = np.full((count, *values.shape[1:]), fill, values.dtype)
        made[: len(values)] = values
        return made

    n, m = len(sheets.point), len(sheets.triangles)
    return he.Net(
        wide(sheets.point, n + room, 0.0), wide(sheets.triangles.ravel(), 3 * (m + 2 * room), -1),
        wide(sheets.twin, 3 * (m + 2 * room), -1), wide(sheets.half_curve, 3 * (m + 2 * room), -1),
        wide(sheets.region, m + 2 * room, -1), wide(sheets.out, n + room, -1),
        np.zeros(n + room, np.int8), np.ones(n + room), np.zeros((0, 3)), np.array([n, m], np.int64),
    )  # fmt: skip


def check(net: he.Net) -> tuple[int, int, int]:
    """Raise unless the arrays are a consistent oriented surface; numbers of nodes, edges, facets."""
    total = 3 * int(net.used[1])
    alive = np.flatnonzero(net.origin[:total] >= 0)
    following = np.where(alive % 3 == 2, alive - 2, alive + 1)
    end = net.origin[following]
    assert (net.origin[following] >= 0).all() and (net.origin[alive] != end).all()
    twin = net.twin[alive]
    paired = twin >= 0
    assert (net.twin[twin[paired]] == alive[paired]).all()
    assert (net.origin[twin[paired]] == end[paired]).all()
    assert (net.curve[twin[paired]] == net.curve[alive[paired]]).all()
    nodes = np.unique(net.origin[alive])
    assert (net.origin[net.out[nodes]] == nodes).all()
    used = np.arange(int(net.used[0]))
    assert (net.out[np.setdiff1d(used, nodes)] == -1).all()
    on_border = np.unique(np.concatenate([net.origin[alive[~paired]], end[~paired]]))
    assert (net.twin[net.out[np.intersect1d(nodes, net.origin[alive[~paired]])]] < 0).all()
    pairs = np.unique(np.sort(np.column_stack([net.origin[alive], end]), axis=1), axis=0)
    edges = len(alive) - int(paired.sum()) // 2
    assert len(pairs) == edges and len(on_border) <= len(nodes)
    return len(nodes), edges, len(alive) // 3


@given(st.integers(0, 2**32 - 1), st.sampled_from(["torus", "sheet", "cube"]))
@settings(max_examples=30, deadline=None)
def test_splits_flips_and_collapses_in_any_order_keep_a_surface(seed, kind):
    rng = np.random.default_rng(seed)
    net = net_of(*{"torus": lambda: shapes.torus(9, 6), "sheet": lambda: shapes.sheet(4), "cube": shapes.cube}[kind]())
    v, e, f = check(net)
    euler = v - e + f
    mark = np.zeros(len(net.point) + 1, np.int32)
    for step in range(60):
        alive = np.flatnonzero(net.origin[: 3 * int(net.used[1])] >= 0)
        h = int(rng.choice(alive))
        what = rng.integers(3)
        if what == 0:
            u, w = net.origin[h], net.origin[he.after(h)]
            he.split(net, h, *(0.5 * (net.point[u] + net.point[w])).tolist())
        elif what == 1:
            o = int(net.twin[h])
            a, b = net.origin[he.before(h)], net.origin[he.before(o)] if o >= 0 else -1
            if o < 0 or a == b or he.is_joined(net.origin, net.twin, net.out, a, b):
                continue
            he.flip(net, h)
        else:
            mark[-1] = step + 1
            if not he.link_is_sound(net.origin, net.twin, net.out, h, mark, step + 1):
                continue
            he.collapse(net, h)
        v, e, f = check(net)
        assert v - e + f == euler


def test_moves_that_would_turn_a_facet_over_are_not_sound():
    nodes, triangles = shapes.sheet(2)
    net = net_of(nodes, triangles)
    middle = int(np.flatnonzero((np.abs(net.point[: len(nodes), :2] - 0.5) < 1e-9).all(axis=1))[0])
    arrays = net.point, net.origin, net.twin, net.out, net.region, net.size
    sound, now, then = he.may_move(*arrays, middle, -1, 0.55, 0.5, 0.0, -1.0)
    assert sound and 0 < then < now < 1
    assert not he.may_move(*arrays, middle, -1, 1.2, 0.5, 0.0, -1.0)[0]  # beyond a neighbour
    assert not he.may_move(*arrays, middle, -1, 0.5, 0.5, 2.0, -1.0)[0]  # turned by more than 60 degrees
    assert not he.may_move(*arrays, middle, -1, 0.55, 0.5, 0.0, 0.1)[0]  # an edge longer than allowed


def test_curves_run_between_corners_and_closed_ones_are_cut_in_three():
    square = np.array(
        [[x, y, 0.0] for x, y in ((0, 0), (0.5, 0), (1, 0), (1, 0.5), (1, 1), (0.5, 1), (0, 1), (0, 0.5))]
    )
    ring = np.column_stack([np.arange(8), np.roll(np.arange(8), -1)])
    curves = trace_curves(square, ring, np.zeros(8, bool))
    assert set(np.flatnonzero(curves.is_corner)) == {0, 2, 4, 6} and len(curves.first) == 5
    turn = np.arange(60) * 2 * np.pi / 60
    circle = np.column_stack([np.cos(turn), np.sin(turn), 0 * turn])
    ring = np.column_stack([np.arange(60), np.roll(np.arange(60), -1)])
    curves = trace_curves(circle, ring, np.zeros(60, bool))
    assert len(curves.first) == 4 and curves.is_corner.sum() == 3
    assert sorted(curves.edge[curves.edge >= 0].tolist()) == list(range(60))
    star = np.array([[0.0, 0, 0], [1, 0, 0], [-1, 1, 0], [-1, -1, 0]])
    curves = trace_curves(star, np.array([[0, 1], [0, 2], [0, 3]]), np.zeros(4, bool))
    assert len(curves.first) == 4 and curves.is_corner.all()


@pytest.mark.parametrize("size", [0.02, 0.3])
def test_the_work_grows_with_the_result_and_not_with_the_coarseness_of_the_input(size):
    nodes, triangles = shapes.cube()
    sheets = cut_into_sheets(nodes, triangles.astype(np.int32), np.zeros(12, np.int32), 30.0)
    result = remesh_sheets(sheets, Fineness(SizeField(size)))
    assert result.n_splits < 3 * len(result.surface.points) and result.n_collapses < 2 * len(result.surface.points)


def test_a_long_edge_that_must_stay_beside_a_fine_size_ends_well():
    """The edge in the middle is kept as it is, fifty times as long as what is wanted round it."""
    nodes = np.array([[0.0, 0, 0], [1, 0, 0], [0.5, 0.5, 0], [0.5, -0.5, 0], [0.5, 0, 0.5]])
    triangles = np.array([[0, 1, 2], [1, 0, 3], [0, 1, 4]], np.int32)
    sheets = cut_into_sheets(nodes, triangles, np.zeros(3, np.int32), 30.0)
    result = remesh_sheets(sheets, Fineness(SizeField(0.02), 0.001)).surface
    assert 2_000 < len(result.triangles) < 20_000
    kept = np.isin(result.node_origin, [0, 1])
    assert (result.points[kept] == nodes[result.node_origin[kept]]).all() and kept.sum() == 2
