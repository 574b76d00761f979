"""Coarsening keeps the shape, its creases and its topology, and nothing crosses in the result."""

from __future__ import annotations

import dataclasses
import subprocess
import sys

import numpy as np
import pytest
import shapes
from hypothesis import given, settings, strategies as st

import oddseam
from oddseam.geometry.trees.boxtree import BoxTree


def euler(mesh: oddseam.Mesh) -> int:
    used = len(np.unique(mesh.triangulation.triangles))
    return used - len(mesh.connectivity.edges) + mesh.n_elements


@pytest.mark.parametrize(
    ("shape", "share"), [(shapes.torus(80, 40), 0.02), (shapes.sphere(60), 0.015), (shapes.sphere(60, 1e5), 0.015)]
)
def test_a_smooth_body_keeps_its_volume_its_holes_and_its_distance(shape, share):
    mesh = oddseam.Mesh.from_triangles(*shape)
    coarse = oddseam.coarsen(mesh, facets=mesh.n_elements // 10, deviation=0.01 * mesh.diagonal)
    assert mesh.n_elements // 10 - 1 <= coarse.n_elements <= mesh.n_elements // 10
    proof = oddseam.prove(coarse)
    assert proof.is_closed and proof.is_clean and euler(coarse) == euler(mesh)
    assert proof.volume == pytest.approx(oddseam.prove(mesh).volume, rel=share)
    assert coarse.account.last.largest_move < 0.01 * mesh.diagonal
    closest, _ = BoxTree(mesh.nodes[mesh.triangulation.triangles]).closest(coarse.nodes)
    assert np.linalg.norm(closest - coarse.nodes, axis=1).max() < 0.01 * mesh.diagonal


def test_a_cube_keeps_its_corners_and_edges_to_the_last_bit():
    mesh = oddseam.Mesh.from_triangles(*shapes.grid_cube(9))
    coarse = oddseam.coarsen(mesh, facets=12)
    assert coarse.n_elements == 12 and sorted(coarse.nodes.tolist()) == sorted(shapes.cube()[0].tolist())
    assert oddseam.prove(coarse).volume == pytest.approx(1.0, rel=1e-14)
    assert not coarse.account.last.outcome.unmet
    # the corners are the nodes that they were
    ids = {tuple(p): i for p, i in zip(mesh.nodes.tolist(), range(mesh.n_nodes), strict=True)}
    assert all(tuple(p) in ids for p in coarse.nodes.tolist())


def test_fewer_facets_than_the_creases_need_are_not_made_and_that_is_said():
    mesh = oddseam.Mesh.from_triangles(*shapes.grid_cube(4))
    coarse = oddseam.coarsen(mesh, facets=4)
    assert coarse.n_elements == 12
    assert coarse.account.last.outcome.unmet[0].startswith("12 facets are left instead of 4")


def test_creases_of_angle_give_way_to_a_number_but_drawn_ones_do_not():
    """A column with eighty shallow flutes: all their edges are creases of more than 30 degrees."""
    angle = np.linspace(0.0, 2.0 * np.pi, 161)[:-1]
    radius = 1.0 + 0.01 * (np.arange(160) % 2)
    ring = np.column_stack([radius * np.cos(angle), radius * np.sin(angle)])
    nodes = np.concatenate(
        [np.column_stack([ring, np.full(160, z)]) for z in (0.0, 1.5, 3.0)] + [[[0, 0, 0], [0, 0, 3]]]
    )
    k, a = np.arange(160), (np.arange(160) + 1) % 160
    sides = [np.column_stack([k + s, a + s, a + s + 160]) for s in (0, 160)]
    sides += [np.column_stack([k + s, a + s + 160, k + s + 160]) for s in (0, 160)]
    ends = [np.column_stack([a, k, np.full(160, 480)]), np.column_stack([k + 320, a + 320, np.full(160, 481)])]
    column = oddseam.Mesh.from_triangles(nodes, np.concatenate(sides + ends))
    light = oddseam.coarsen(column, facets=500, deviation=0.03)
    assert light.n_elements <= 500
    assert all(line.startswith("quality: ") for line in light.account.last.outcome.unmet)
    assert any("creases of more than 30 degrees" in note for note in light.account.last.outcome.notes)
    assert oddseam.prove(light).is_closed and oddseam.prove(light).is_clean
    # the edges of the ends are drawn: they stay to the last bit, for they turn at every node
    edges = np.concatenate([np.column_stack([k + s, a + s]) for s in (0, 320)]).astype(np.int32)
    drawn = dataclasses.replace(column, creases=oddseam.Creases(edges, np.zeros(320, np.int8)))
    kept = oddseam.coarsen(drawn, facets=500, deviation=0.03)
    assert {tuple(p) for p in nodes[edges].reshape(-1, 3).tolist()} <= {tuple(p) for p in kept.nodes.tolist()}
    assert "facets are left instead of 500" in kept.account.last.outcome.unmet[0]


def test_the_volume_stays_where_nodes_meet_freely():
    mesh = oddseam.Mesh.from_triangles(*shapes.sphere(60))
    light = oddseam.coarsen(mesh, facets=700)
    assert oddseam.prove(light).volume == pytest.approx(oddseam.prove(mesh).volume, rel=3e-4)


def test_a_mesh_with_no_more_facets_comes_back_as_it_was():
    mesh = oddseam.Mesh.from_triangles(*shapes.sphere(12))
    assert oddseam.coarsen(mesh, facets=mesh.n_elements).digest == mesh.digest


def test_rims_and_borders_between_parts_stay():
    nodes, triangles = shapes.sheet(16)
    part = (nodes[triangles].mean(axis=1)[:, 0] > 0.5).astype(int)
    mesh = oddseam.Mesh.from_triangles(
        nodes, triangles, part=part, parts=(oddseam.Part("left", 1), oddseam.Part("right", 2))
    )
    coarse = oddseam.coarsen(mesh, facets=6)
    area = 0.5 * np.abs(np.cross(*(np.diff(coarse.nodes[coarse.triangulation.triangles], axis=1).swapaxes(0, 1)))[:, 2])
    assert np.bincount(coarse.element_part, area) == pytest.approx([0.5, 0.5], rel=1e-12)
    assert coarse.n_elements <= 6 and set(map(tuple, coarse.nodes[:, :2].tolist())) >= {(0, 0), (1, 0), (0, 1), (1, 1)}


def test_walls_that_meet_in_a_joint_stay_joined():
    nodes, triangles = shapes.sheet(10)
    floor = nodes
    wall = nodes[:, [2, 1, 0]] + [0.5, 0.0, 0.0]  # stands on the middle of the floor
    joint = shapes.joined(np.concatenate([floor[triangles], wall[triangles]]))
    mesh = oddseam.Mesh.from_triangles(*joint)
    shared = mesh.nodes[mesh.connectivity.edges[mesh.connectivity.is_nonmanifold]]
    assert len(shared) == 10
    coarse = oddseam.coarsen(mesh, facets=80)
    now = coarse.nodes[coarse.connectivity.edges[coarse.connectivity.is_nonmanifold]]
    assert (
        len(now) == 10
        and np.unique(now.reshape(-1, 3), axis=0).tolist() == np.unique(shared.reshape(-1, 3), axis=0).tolist()
    )
    assert coarse.n_elements <= 80 and not len(coarse.crossing_triangles)


def test_shells_close_to_one_another_do_not_come_to_cross():
    mesh = shapes.side_by_side(shapes.sphere(48, 1.0), shapes.sphere(48, 0.99))
    assert not len(mesh.crossing_triangles)
    coarse = oddseam.coarsen(mesh, facets=1200)
    assert not len(coarse.crossing_triangles) and coarse.n_elements < 3200
    assert "give a deviation to go on" in coarse.account.last.outcome.unmet[0]


@settings(max_examples=25, deadline=None)
@given(st.integers(0, 10**6))
def test_random_bumpy_sheets_keep_rim_topology_and_side(seed):
    random = np.random.default_rng(seed)
    nodes, triangles = shapes.sheet(14)
    inner = (nodes[:, :2] > 0).all(axis=1) & (nodes[:, :2] < 1).all(axis=1)
    nodes[inner] += random.normal(scale=0.012, size=(inner.sum(), 3))
    mesh = oddseam.Mesh.from_triangles(nodes, triangles)
    coarse = oddseam.coarsen(mesh, facets=int(random.integers(4, 200)), crease=170.0)
    # a few of these sheets cross themselves to begin with
    assert not oddseam.prove(coarse).worse_than(oddseam.prove(mesh))
    assert coarse.connectivity.n_rims == 1 and euler(coarse) == 1
    u, v = np.diff(coarse.nodes[coarse.triangulation.triangles], axis=1).swapaxes(0, 1)
    assert 0.5 * np.cross(u, v)[:, 2].sum() == pytest.approx(1.0, rel=1e-9)


def samples(mesh: oddseam.Mesh, random: np.random.Generator) -> np.ndarray:
    """Points all over a surface, its nodes included."""
    corners = mesh.nodes[mesh.triangulation.triangles]
    weights = random.dirichlet([1, 1, 1], (20, len(corners)))
    return np.concatenate([np.einsum("ijk,jkl->ijl", weights, corners).reshape(-1, 3), mesh.nodes])


def farthest(points: np.ndarray, mesh: oddseam.Mesh) -> float:
    closest, _ = BoxTree(mesh.nodes[mesh.triangulation.triangles]).closest(points)
    return float(np.linalg.norm(closest - points, axis=1).max())


@pytest.mark.slow
@settings(max_examples=40, deadline=None)
@given(st.integers(0, 10**6))
def test_no_point_of_either_surface_is_farther_than_the_bound(seed):
    random = np.random.default_rng(seed)
    if random.random() < 0.5:
        nodes, triangles = shapes.sheet(16)
        x, y = nodes[:, 0].copy(), nodes[:, 1].copy()
        # a ragged rim, so that nodes of it go outside and inside
        nodes[:, 0] += 0.02 * np.sin(random.uniform(3, 30) * y)
        nodes[:, 1] += 0.02 * np.sin(random.uniform(3, 30) * x)
        nodes[:, 2] = random.uniform(0, 0.2) * np.sin(5 * x + 3 * y) + random.normal(scale=0.002, size=len(nodes))
    else:
        nodes, triangles = shapes.torus(36, 18, 2.0, random.uniform(0.3, 1.0))
        nodes = nodes + random.normal(scale=0.003, size=nodes.shape)
    mesh = oddseam.Mesh.from_triangles(nodes, triangles)
    limit = mesh.diagonal * 10.0 ** random.uniform(-3.5, -1)
    coarse = oddseam.coarsen(mesh, deviation=limit, crease=random.uniform(20, 179))
    bound = next(step.largest_move for step in coarse.account.last.outcome.steps if step.name == "bound")
    assert bound <= limit and coarse.n_elements <= mesh.n_elements
    slack = 1e-12 * mesh.diagonal
    assert farthest(samples(coarse, random), mesh) <= bound + slack
    assert farthest(samples(mesh, random), coarse) <= bound + slack
    assert not oddseam.prove(coarse).worse_than(oddseam.prove(mesh))


def test_flat_places_cost_no_deviation():
    coarse = oddseam.coarsen(oddseam.Mesh.from_triangles(*shapes.grid_cube(10)), deviation=1e-12)
    assert coarse.n_elements <= 20 and oddseam.prove(coarse).volume == pytest.approx(1.0, rel=1e-14)


def test_what_hangs_on_the_nodes_and_bad_settings_are_refused():
    mesh = oddseam.Mesh.from_triangles(*shapes.cube())
    with pytest.raises(oddseam.Refusal, match="facets 0"):
        oddseam.coarsen(mesh, facets=0)
    with pytest.raises(oddseam.Refusal, match="say how many"):
        oddseam.coarsen(mesh)
    with pytest.raises(oddseam.Refusal, match="deviation -1"):
        oddseam.coarsen(mesh, deviation=-1.0)
    with pytest.raises(oddseam.Refusal, match="crease 200"):
        oddseam.coarsen(mesh, facets=8, crease=200.0)


@pytest.mark.slow
def test_the_command_line_says_what_was_done_and_what_could_not(tmp_path):
    source, out = tmp_path / "ball.stl", tmp_path / "coarse.stl"
    oddseam.write_mesh(oddseam.Mesh.from_triangles(*shapes.grid_cube(6), unit="mm"), source)

    def run(*words: str) -> subprocess.CompletedProcess[str]:
        command = [sys.executable, "-m", "oddseam", "coarsen", str(source), "--unit", "mm", "-o", str(out), *words]
        return subprocess.run(command, capture_output=True, text=True, check=False)

    done = run("--facets", "100")
    assert done.returncode == 0 and "coarsen (facets 100" in done.stdout
    assert oddseam.read_mesh(out, unit="mm").n_elements <= 100
    out.unlink()
    assert run("--facets", "5").returncode == 1 and out.exists()
    wrong = run("--facets", "-3")
    assert wrong.returncode == 2 and "Traceback" not in wrong.stderr
