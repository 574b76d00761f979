"""Open pieces that enclose space look outward; those of which that cannot be told stay, and are named."""

from __future__ import annotations

import numpy as np
import pytest
import shapes
from hypothesis import given, settings, strategies as st

import oddseam
from oddseam.geometry.trees.winding_tree import WindingTree
from oddseam.geometry.triangles import winding_number
from oddseam.model.enclosure import enclosure_of

Shape = tuple[np.ndarray, np.ndarray]


def cup(sides: int, depth: float, floor: bool = True, rows: int = 12) -> Shape:
    """A cup of radius 1, or a tube; outward."""
    turn = np.arange(sides) * 2 * np.pi / sides
    nodes = [[np.cos(u), np.sin(u), z] for z in np.linspace(0, depth, rows + 1) for u in turn] + [[0, 0, 0]]
    k, a = np.arange(sides), (np.arange(sides) + 1) % sides
    walls = [
        f
        for r in range(rows)
        for f in ((k, a, a + sides), (k, a + sides, k + sides))
        for f in [tuple(w + r * sides for w in f)]
    ]
    faces = [np.column_stack(wall) for wall in walls]
    if floor:
        faces.append(np.column_stack([a, k, np.full(sides, len(nodes) - 1)]))
    return np.array(nodes), np.concatenate(faces)


def cut_ball(height: float, squeeze: tuple[float, float, float] = (1, 1, 1), axis: int = 2, n: int = 36) -> Shape:
    """The part of a ball, or of a hull, beyond a height along an axis; outward."""
    nodes, triangles = shapes.sphere(n)
    return nodes * squeeze, triangles[nodes[triangles].mean(axis=1)[:, axis] > height]


def folded(gap: float) -> Shape:
    """A sheet folded over, so that its halves face one another across a narrow gap; the fold looks outward."""
    nodes, triangles = shapes.sheet(40)
    u, r = 2 * nodes[:, 0] - 1, gap / 2
    bend = np.abs(u) < r * np.pi / 2
    x = np.where(bend, r * np.cos(u / r), r * np.pi / 2 - np.abs(u))
    z = np.where(bend, r * np.sin(u / r), np.sign(u) * r)
    return np.column_stack([x, nodes[:, 1], z]), triangles[:, ::-1]


def told(kind: int, random: np.random.Generator) -> Shape:
    """A helmet, half a hull, a cup or a tube with one end, of random proportions."""
    if kind == 0:
        return cut_ball(random.uniform(-0.8, 0.1))
    if kind == 1:
        return cut_ball(0.0, (random.uniform(2, 6), 1.0, random.uniform(0.6, 1.4)), int(random.integers(1, 3)))
    return cup(int(random.integers(12, 50)), random.uniform(0.6, 1.5) if kind == 2 else random.uniform(3, 9))


def placed(shape: Shape, random: np.random.Generator) -> Shape:
    turn, _ = np.linalg.qr(random.normal(size=(3, 3)))
    turn[:, 0] *= np.sign(np.linalg.det(turn))
    return shape[0] @ turn.T * 10.0 ** random.integers(-2, 3) + random.normal(size=3), shape[1]


@given(st.integers(0, 3), st.integers(0, 10**6), st.booleans())
@settings(max_examples=16, deadline=None)
def test_open_pieces_that_enclose_space_are_turned_outward(kind, seed, inside_out):
    random = np.random.default_rng(seed)
    nodes, triangles = placed(told(kind, random), random)
    given_ = triangles[:, ::-1] if inside_out else triangles
    mended = oddseam.mend(oddseam.Mesh.from_triangles(nodes, given_), close="none")
    assert np.array_equal(np.sort(mended.elements["tri"].connectivity, axis=1), np.sort(triangles, axis=1))
    space = enclosure_of(mended.nodes, mended.elements["tri"].connectivity)
    assert not space.is_inward and space.share > 0.58
    steps = {step.name: step for step in mended.account.last.outcome.steps}
    assert steps["turn facets"].count == (len(triangles) if inside_out else 0)
    assert ("open piece(s) that enclose space looked inward" in steps["turn facets"].detail) == inside_out
    again = oddseam.mend(mended, close="none")
    assert again.digest == mended.digest


@pytest.mark.parametrize(
    "shape",
    [
        shapes.sheet(12),
        cut_ball(0.9),
        cup(30, 0.05),
        cup(30, 0.3, floor=False),
        (shapes.sheet(20)[0] + np.sin(9 * shapes.sheet(20)[0][:, :1]) * [0, 0, 0.1], shapes.sheet(20)[1]),
    ],
)
def test_what_cannot_be_told_is_left_either_way_and_named(shape):
    for triangles in (shape[1], shape[1][:, ::-1]):
        mesh = oddseam.Mesh.from_triangles(shape[0], triangles)
        mended = oddseam.mend(mesh, close="none")
        assert mended.digest == mesh.digest
        assert any("of 1 open piece(s) cannot be told" in note for note in mended.account.last.outcome.notes)


@pytest.mark.parametrize("gap", [0.02, 0.1, 0.3])
def test_a_sheet_folded_into_a_gap_looks_out_of_it(gap):
    nodes, triangles = folded(gap)
    for given_ in (triangles, triangles[:, ::-1]):
        mended = oddseam.mend(oddseam.Mesh.from_triangles(nodes, given_), close="none", gap=0.0)
        assert not enclosure_of(mended.nodes, mended.elements["tri"].connectivity).is_inward


def test_panels_that_only_together_enclose_something_look_out_of_it():
    """Six panels of a box, none of which touches another, all looking inward."""
    nodes, triangles = shapes.grid_cube(6)
    middle = nodes[triangles].mean(axis=1)
    side = np.argmax(np.abs(middle - 0.5), axis=1) * 2 + (
        np.abs(middle - 0.5).max(axis=1) == (middle - 0.5).max(axis=1)
    )
    panels = []
    for k in range(6):
        used, local = np.unique(triangles[side == k], return_inverse=True)
        out = nodes[used].mean(axis=0) - 0.5
        panels.append((nodes[used] + 0.05 * out, local.reshape(-1, 3)[:, ::-1]))
    box = shapes.side_by_side(*panels)
    mended = oddseam.mend(box, close="none", gap=0.0)
    assert winding_number(np.array([0.5, 0.5, 0.5]), mended.nodes[mended.elements["tri"].connectivity]) > 0.8
    assert oddseam.mend(mended, close="none", gap=0.0).digest == mended.digest


def test_the_sides_of_a_deck_stay_for_its_loads_depend_on_them():
    nodes, triangles = cup(24, 2.0)
    mesh = oddseam.Mesh.from_triangles(nodes, triangles[:, ::-1])
    assert oddseam.mend(mesh, keep_joints=True, close="none").digest == mesh.digest


@given(st.integers(0, 10**6))
@settings(max_examples=20, deadline=None)
def test_winding_numbers_of_a_tree_are_those_of_all_triangles(seed):
    random = np.random.default_rng(seed)
    corners = random.normal(size=(int(random.integers(1, 400)), 3, 3)) + random.normal(size=3)
    points = random.normal(size=(20, 3)) * 2
    exact = np.array([winding_number(point, corners) for point in points])
    assert WindingTree(corners).at(points) == pytest.approx(exact, abs=0.05 * max(1.0, np.sqrt(len(corners)) / 4))
