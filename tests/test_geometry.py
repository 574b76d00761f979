from __future__ import annotations

from fractions import Fraction

import numpy as np
import pytest
import shapes
from hypothesis import given, settings, strategies as st

from oddseam.arrays import distinct, for_kernels, numbered_anew
from oddseam.geometry.exact.predicates import is_degenerate, middle_of_collinear
from oddseam.geometry.shapes.quality import quality
from oddseam.geometry.trees.boxtree import BoxTree
from oddseam.geometry.triangles import cone_volumes, turn_angles, winding_number
from oddseam.geometry.welding import weld_exact

coordinate = st.one_of(
    st.integers(-3, 3).map(float), st.floats(-1e6, 1e6, allow_nan=False), st.sampled_from([0.1, 0.2, 0.3, 1e-12, 1 / 3])
)
points = st.tuples(coordinate, coordinate, coordinate)


def exactly_collinear(a, b, c) -> bool:
    u, v = ([Fraction(p) - Fraction(q) for p, q in zip(x, a, strict=True)] for x in (b, c))
    return all(u[i] * v[j] == u[j] * v[i] for i, j in ((0, 1), (1, 2), (2, 0)))


@given(points, points, points)
@settings(max_examples=300, deadline=None)
def test_degenerate_is_decided_exactly(a, b, c):
    assert is_degenerate(np.array([[a, b, c]]))[0] == exactly_collinear(a, b, c)


@given(points, points, st.integers(1, 7))
@settings(max_examples=100, deadline=None)
def test_nearly_collinear_is_not_collinear(a, b, eighths):
    a, b = np.array(a), np.array(b)
    m = a + (b - a) * (eighths / 8)
    assert is_degenerate(np.array([[a, b, m]]))[0] == exactly_collinear(a, b, m)


def test_the_middle_of_three_in_a_line():
    line = np.array([[0, 0, 0], [3, 3, 3], [1, 1, 1.0]])
    for k in range(3):
        assert middle_of_collinear(np.roll(line, k, axis=0)) == (2 + k) % 3
    with pytest.raises(ValueError, match="equal"):
        middle_of_collinear(line[[0, 0, 1]])


def test_quality_of_known_elements():
    flat = [[0, 0, 0], [1, 0, 0], [2, 0, 0]]
    best = [[0, 0, 0], [1, 0, 0], [0.5, np.sqrt(3) / 2, 0]]
    right = [[0, 0, 0], [1, 0, 0], [0, 1, 0]]
    q = quality(np.array([best, right, flat], float))
    assert q["radius_ratio"] == pytest.approx([1.0, 2 * (np.sqrt(2) - 1), 0.0])
    assert q["minimum_angle"] == pytest.approx([60.0, 45.0, 0.0])
    assert q["skewness"] == pytest.approx([0.0, 0.25, 1.0], abs=1e-12)
    assert q["aspect_ratio"][:2] == pytest.approx([1.0, np.sqrt(3.0)]) and np.isinf(q["aspect_ratio"][2])
    square = quality(np.array([[[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]]], float))
    assert [square[m][0] for m in ("radius_ratio", "aspect_ratio", "minimum_angle", "skewness")] == pytest.approx(
        [1, 1, 90, 0]
    )


@given(st.lists(points, min_size=1, max_size=40), st.sampled_from([np.float32, np.float64]))
@settings(max_examples=100, deadline=None)
def test_welding_joins_exactly_the_equal(cloud, dtype):
    given_points = np.array(cloud + cloud[::2] + [(-0.0, 0.0, -0.0)], dtype)
    first, index = weld_exact(given_points)
    rows = [tuple(r) for r in (given_points + dtype(0)).tolist()]
    assert (given_points[first][index] == given_points).all()
    assert len(first) == len(set(rows))
    assert (np.diff(first) > 0).all() and all(rows.index(rows[i]) == i for i in first)


def test_volume_and_winding_number_of_a_cube():
    nodes, triangles = shapes.cube(2.0)
    corners = nodes[triangles]
    assert cone_volumes(corners, np.array([5.0, 1, 1])).sum() == pytest.approx(8.0)
    assert winding_number(np.array([1.0, 1, 1]), corners) == pytest.approx(1.0)
    assert winding_number(np.array([3.0, 1, 1]), corners) == pytest.approx(0.0, abs=1e-12)
    x, y = np.array([[1.0, 0, 0]]), np.array([[0, 1.0, 0]])
    assert turn_angles(x, y) == pytest.approx([90.0])


def test_closest_points_equal_brute_force():
    rng = np.random.default_rng(3)
    corners = rng.normal(size=(300, 3, 3)) * [1, 1, 0.1]
    corners[5] = corners[5, 0]  # a facet that is a point
    corners[6, 2] = corners[6, 0] + 0.5 * (corners[6, 1] - corners[6, 0])  # and one that is a line
    label = rng.integers(0, 3, 300)
    tree, queries = BoxTree(corners, label), rng.normal(size=(400, 3)) * 2
    grid = np.array([[i / 24, j / 24] for i in range(25) for j in range(25 - i)])
    samples = corners[:, 0, None] + grid[None, :, :1] * (corners[:, 1] - corners[:, 0])[:, None] \
        + grid[None, :, 1:] * (corners[:, 2] - corners[:, 0])[:, None]  # fmt: skip
    for wanted in (-1, 1):
        found, row = tree.closest(queries, np.full(400, wanted))
        distance = np.linalg.norm(found - queries, axis=1)
        member = np.ones(300, bool) if wanted < 0 else label == wanted
        sampled = np.array([np.linalg.norm(samples[member] - q, axis=2).min() for q in queries])
        assert (distance <= sampled + 1e-12).all() and (distance >= sampled - 0.3).all()
        assert member[tree.order[row]].all()
        again, _ = tree.closest(queries, np.full(400, wanted), hint=row)
        assert np.allclose(np.linalg.norm(again - queries, axis=1), distance)
    assert (tree.closest(queries, np.full(400, 9))[1] == -1).all()


def test_closest_points_do_not_depend_on_the_order_of_the_questions():
    nodes, triangles = shapes.torus()
    tree, rng = BoxTree(nodes[triangles]), np.random.default_rng(8)
    along = nodes[triangles].mean(axis=1).repeat(20, axis=0)
    along += 0.01 * rng.normal(size=along.shape)
    mixed = rng.permutation(len(along))
    assert len(along) > 5000  # so many that a mixed order is put right first
    (one, row), (other, its) = tree.closest(along), tree.closest(along[mixed])
    assert (one[mixed] == other).all() and (row[mixed] == its).all()
    few = np.arange(0, len(along), 97)
    alone = np.concatenate([tree.closest(along[k : k + 1])[0] for k in few])
    assert (alone == one[few]).all()


@given(st.lists(st.integers(0, 30), max_size=60))
def test_numbers_that_differ(values):
    values = np.array(values, np.int32)
    there, number = np.unique(values, return_inverse=True)
    assert distinct(values).tolist() == there.tolist()
    used, again = numbered_anew(values, 31)
    assert used.tolist() == there.tolist() and again.tolist() == number.tolist()


def test_kernels_get_arrays_of_one_kind():
    held = np.arange(6.0).reshape(2, 3)
    held.flags.writeable = False
    for given_array in (held, held.astype(np.float32), np.asfortranarray(held), [[1, 2, 3]]):
        array = for_kernels(given_array)
        assert array.dtype == np.float64 and array.flags.c_contiguous and array.flags.writeable
    fine = np.ones((2, 3))
    assert for_kernels(fine) is fine
