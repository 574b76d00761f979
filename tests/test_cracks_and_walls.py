"""Cracks are sewn, walls and fins resolved, surfaces that touch parted; nothing else is touched."""

from __future__ import annotations

import numpy as np
import pytest
import shapes
from hypothesis import given, settings, strategies as st

import oddseam


def outcome(mesh):
    return mesh.account.last.outcome


def step(mesh, name):
    return next(s for s in outcome(mesh).steps if s.name == name)


def soup(*parts):
    """One mesh of several (nodes, triangles), joined where their coordinates are equal."""
    return oddseam.Mesh.from_triangles(*shapes.joined(np.concatenate([n[t] for n, t in parts])))


def apart(*parts):
    """One mesh of several, not joined."""
    nodes, triangles, at = [], [], 0
    for n, t in parts:
        nodes.append(n)
        triangles.append(t + at)
        at += len(n)
    return oddseam.Mesh.from_triangles(np.concatenate(nodes), np.concatenate(triangles))


def strip(y0, y1, n, shift=0.0):
    """A strip of the plane z = 0 from x = 0 to 1, n facets along each side."""
    x = np.linspace(0, 1, n + 1)
    x[1:-1] += shift / n
    nodes = np.concatenate([np.column_stack([x, np.full(n + 1, y), 0 * x]) for y in (y0, y1)])
    i = np.arange(n)
    return nodes, np.concatenate([np.column_stack([i, i + 1, i + n + 2]), np.column_stack([i, i + n + 2, i + n + 1])])


@pytest.mark.parametrize("seed", range(6))
def test_sides_meshed_differently_are_sewn(seed):
    rng = np.random.default_rng(seed)
    width = 0.9e-4
    one, two = strip(0, 0.4, int(rng.integers(3, 14)), 0.3), strip(0.4, 0.8, int(rng.integers(3, 14)))
    one[0][:, 1] -= width * rng.random(len(one[0])) * (one[0][:, 1] > 0.3)
    turn = np.linalg.qr(rng.normal(size=(3, 3)))[0]
    mesh = apart((one[0] @ turn, one[1]), (two[0] @ turn, two[1]))
    mended = oddseam.mend(mesh, close="none")
    c = mended.connectivity
    assert c.n_rims == 1 and c.n_pieces == 1 and oddseam.prove(mended).is_clean
    assert 0 < step(mended, "sew cracks").largest_move <= width * 1.3
    assert oddseam.mend(mended, close="none").digest == mended.digest


def test_a_gap_wider_than_the_tolerance_is_never_closed():
    mesh = apart(strip(0, 0.4, 5), strip(0.4 + 3e-4, 0.8, 5))
    mended = oddseam.mend(mesh, close="none")
    assert mended.digest == mesh.digest
    sewn = oddseam.mend(mesh, close="none", gap=4e-4)
    assert sewn.connectivity.n_pieces == 1 and step(sewn, "sew cracks").largest_move <= 4e-4


def test_a_wall_of_twice_the_tolerance_survives():
    nodes, triangles = shapes.grid_cube(6)
    thin = nodes * [1, 1, 2.2e-4]
    mesh = oddseam.Mesh.from_triangles(thin, np.delete(triangles, np.arange(4), axis=0))
    mended = oddseam.mend(mesh, close="all")
    proof = oddseam.prove(mended)
    assert proof.is_closed and proof.is_clean and proof.volume == pytest.approx(2.2e-4, rel=1e-9)


def test_a_node_on_an_edge_is_worked_into_it():
    nodes = np.array([[0, 0, 0], [2, 0, 0], [1, 1, 0], [1, 0, 0], [0.5, -1, 0], [1.5, -1, 0]], float)
    mesh = oddseam.Mesh.from_triangles(nodes, [[0, 1, 2], [0, 4, 3], [4, 5, 3], [5, 1, 3]])
    mended = oddseam.mend(mesh, close="none")
    assert mended.n_elements == 5 and mended.connectivity.n_rims == 1
    assert (mended.nodes == nodes).all() and set(mended.element_ids.tolist()) >= {2, 3, 4}


def test_coincident_nodes_are_joined_on_rims_only():
    half = shapes.sheet(4)
    mesh = apart(half, (half[0] + [1, 0, 0], half[1]))
    assert oddseam.mend(mesh, close="none").connectivity.n_pieces == 1
    cube = shapes.cube()
    two = apart(cube, (cube[0] + [1, 0, 0], cube[1]))
    # closed as they are, they are two; but they share a wall, and what is solid becomes one
    assert oddseam.mend(two, overlaps="keep").digest == two.digest
    one = oddseam.prove(oddseam.mend(two))
    assert one.is_clean and one.volume == pytest.approx(2.0)
    kept = oddseam.mend(mesh, close="none", keep_joints=True)
    assert kept.digest == mesh.digest


def test_a_fin_and_an_inner_wall_go_and_the_outside_stays():
    nodes, triangles = shapes.grid_cube(4)
    wall = shapes.sheet(4)
    level = np.column_stack([wall[0][:, :2], np.full(len(wall[0]), 0.5)])
    fin = np.array([[0, 0, 0.5], [0.25, 0, 0.5], [0.1, -0.4, 0.5]]), np.array([[0, 1, 2]])
    mesh = soup((nodes, triangles), (level, wall[1]), fin)
    assert mesh.connectivity.is_nonmanifold.sum() == 16
    mended = oddseam.mend(mesh)
    proof = oddseam.prove(mended)
    assert proof.is_clean and proof.is_closed and proof.volume == pytest.approx(1)
    assert step(mended, "drop walls and fins").count == 33
    assert set(mended.element_ids.tolist()) == set(range(1, len(triangles) + 1))


@settings(max_examples=12, deadline=None)
@given(st.integers(0, 2**20), st.integers(0, 191), st.booleans())
def test_walls_go_whatever_the_order_and_side(seed, hole, inside_out):
    rng = np.random.default_rng(seed)
    nodes, triangles = shapes.grid_cube(4)
    wall = shapes.sheet(4)
    level = np.column_stack([wall[0][:, :2], np.full(len(wall[0]), 0.5)])
    skin = triangles[:, ::-1] if inside_out else triangles
    corners = np.concatenate([nodes[np.delete(skin, hole % len(skin), axis=0)], level[wall[1]]])
    corners[-20:] = corners[-20:, ::-1]
    turn = np.linalg.qr(rng.normal(size=(3, 3)))[0]
    turn[0] *= np.linalg.det(turn)
    mesh = oddseam.Mesh.from_triangles(*shapes.joined(corners[rng.permutation(len(corners))] @ turn))
    proof = oddseam.prove(oddseam.mend(mesh, close="all"))
    assert proof.is_clean and proof.is_closed and proof.volume == pytest.approx(1)


def test_a_box_beside_a_box_becomes_one():
    cube = shapes.grid_cube(3)
    mirrored = cube[0] * [-1, 1, 1] + [2, 0, 0], cube[1][:, ::-1]
    mended = oddseam.mend(soup(cube, mirrored))
    proof = oddseam.prove(mended)
    assert proof.is_clean and proof.is_closed and proof.volume == pytest.approx(2)


@pytest.mark.slow
@pytest.mark.parametrize("shift", [[1, 1, 0], [1, 1, 1]])
@pytest.mark.parametrize("target", ["stl", "obj"])
def test_solids_that_touch_are_parted(shift, target, tmp_path):
    cube = shapes.cube()
    mended = oddseam.mend(soup(cube, (cube[0] + shift, cube[1])), target=target)
    assert not outcome(mended).unmet
    oddseam.write_mesh(mended, tmp_path / f"a.{target}")
    proof = oddseam.prove(oddseam.read_mesh(tmp_path / f"a.{target}"))
    assert proof.is_clean and proof.is_closed and proof.volume == pytest.approx(2, rel=1e-5)
    assert step(mended, "part what touches").largest_move < 1e-5


def test_joints_that_are_meant_stay(tmp_path):
    nodes = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [0, 0, 1], [1, 0, 1], [0, -1, 0], [1, -1, 0.0]])
    quads = oddseam.Elements([[0, 1, 2, 3], [0, 1, 5, 4], [6, 7, 1, 0]], [1, 2, 3], [0, 0, 0])
    mesh = oddseam.Mesh(nodes, {"quad": quads}, (oddseam.Part("shell", 1),))
    mended = oddseam.mend(mesh, close="none", keep_joints=True)
    assert mended.connectivity.is_nonmanifold.sum() == 1 and "non-manifold" not in " ".join(outcome(mended).unmet)


def test_an_open_cup_is_turned_by_what_it_holds_and_not_by_majority():
    nodes, triangles = shapes.grid_cube(6)
    middle = nodes[triangles].mean(axis=1)
    cup = triangles[middle[:, 2] < 0.99]
    flipped = nodes[cup].mean(axis=1)[:, 0] < 0.8
    cup[flipped] = cup[flipped][:, ::-1]
    assert flipped.mean() > 0.6
    mended = oddseam.mend(oddseam.Mesh.from_triangles(nodes, cup), close="none")
    p = mended.nodes[mended.elements["tri"].connectivity]
    normal = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    centre = mended.nodes[mended.elements["tri"].connectivity].mean(axis=1) - [0.5, 0.5, 0.5]
    assert (np.einsum("ij,ij->i", normal, centre) > 0).all()


@pytest.mark.parametrize("scale, offset", [(1e-3, 0.0), (1e3, 0.0), (1.0, 1e6)])
def test_sewing_and_walls_depend_on_neither_unit_nor_place_nor_order(scale, offset):
    nodes, triangles = shapes.grid_cube(4)
    wall = shapes.sheet(4)
    level = np.column_stack([wall[0][:, :2], np.full(len(wall[0]), 0.5)])
    one, two = strip(0, 0.4, 5), strip(0.4, 0.8, 8)
    one[0][:, 1] -= 6e-5 * (one[0][:, 1] > 0.3)
    corners = np.concatenate([nodes[triangles], level[wall[1]], one[0][one[1]] + [3, 0, 0], two[0][two[1]] + [3, 0, 0]])

    def counts(soup):
        mended = oddseam.mend(oddseam.Mesh.from_triangles(*shapes.joined(soup)), close="none")
        return {s.name: s.count for s in outcome(mended).steps}, oddseam.prove(mended).is_clean

    plain = counts(corners)
    assert plain[1] and plain[0]["sew cracks"] > 0 and plain[0]["drop walls and fins"] == 32
    order = np.random.default_rng(3).permutation(len(corners))
    assert counts(corners[order] * scale + offset) == plain
