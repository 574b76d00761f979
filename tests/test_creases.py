"""The network of creases: listed, tidied, drawn, erased; patches follow."""

from __future__ import annotations

import json
import subprocess
import sys

import numpy as np
import pytest
import shapes
from hypothesis import given, settings, strategies as st

import oddseam
from oddseam.model.shape import CREASE_KINDS


def drawn(mesh: oddseam.Mesh, *paths: list[int]) -> oddseam.Mesh:
    """A mesh with creases along node indices."""
    pairs = np.concatenate([np.column_stack([path[:-1], path[1:]]) for path in paths])
    kind = np.full(len(pairs), CREASE_KINDS.index("recognised"), np.int8)
    return mesh.replaced(creases=oddseam.Creases(pairs, kind))


def sheet(n: int = 8) -> oddseam.Mesh:
    return shapes.mesh(shapes.sheet(n), unit="mm")


def at(i: int, j: int, n: int = 8) -> int:
    return i * (n + 1) + j


def length(mesh: oddseam.Mesh) -> float:
    return float(np.linalg.norm(np.diff(mesh.nodes[mesh.creases.edges], axis=1)[:, 0], axis=1).sum())


def test_chains_are_listed_with_their_ends():
    mesh = drawn(sheet(), [at(4, j) for j in range(9)], [at(2, 2), at(2, 3)])
    chains = oddseam.list_creases(mesh)
    assert [c.open_ends for c in chains] == [0, 2]
    assert chains[0].length == pytest.approx(1.0) and chains[0].edges == 8
    assert sorted(chains[1].ends) == [at(2, 2) + 1, at(2, 3) + 1]


def test_stubs_go_and_what_ends_at_a_rim_or_a_crease_stays():
    across = [at(4, j) for j in range(9)]
    mesh = drawn(sheet(), across, [at(4, 3), at(3, 3)], [at(6, 6), at(6, 7)], [at(4, 5), at(5, 5), at(6, 5)])
    tidy = oddseam.make_creases(mesh, stubs=0.2)
    assert length(tidy) == pytest.approx(1.0 + 0.25)
    assert length(oddseam.make_creases(mesh, stubs=0.3)) == pytest.approx(1.0)


def test_small_loops_go_and_their_patches_with_them():
    ring = [at(2, 2), at(3, 2), at(3, 3), at(2, 3), at(2, 2)]
    mesh = oddseam.find_features(drawn(sheet(), ring))
    mesh = oddseam.make_creases(mesh, nodes=[i + 1 for i in ring])
    assert len(mesh.patches.table) == 2
    tidy = oddseam.make_creases(mesh, loops=0.6)
    assert len(tidy.creases.edges) == 0 and len(tidy.patches.table) == 1
    assert len(oddseam.make_creases(mesh, loops=0.4).patches.table) == 2


def test_gaps_are_closed_to_a_crease_a_rim_and_round_a_loop():
    open_line = [at(4, j) for j in range(1, 4)]
    other = [at(4, j) for j in range(5, 9)]
    mesh = drawn(sheet(), open_line, other)
    tidy = oddseam.make_creases(mesh, gaps=0.3)
    assert length(tidy) == pytest.approx(1.0)
    assert all(chain.open_ends == 0 for chain in oddseam.list_creases(tidy))
    loop = [at(3, 3), at(4, 3), at(5, 3), at(6, 3), at(6, 4), at(6, 5), at(5, 5), at(4, 5), at(3, 5), at(3, 4)]
    closed = oddseam.make_creases(drawn(sheet(), loop), gaps=0.2)
    assert length(closed) == pytest.approx(10 / 8)
    assert oddseam.make_creases(drawn(sheet(), loop), gaps=0.1).creases.edges.shape == (9, 2)


def test_even_are_led_straight():
    # along the diagonal by sides of squares, whose facets have that diagonal
    path = [at(0, 0)]
    for k in range(8):
        path += [at(k + 1, k), at(k + 1, k + 1)]
    mesh = drawn(sheet(), path)
    tidy = oddseam.make_creases(mesh, even=True)
    assert length(tidy) == pytest.approx(np.sqrt(2.0))
    assert len(tidy.creases.edges) == 8


def test_a_line_across_facets_is_straight_and_parts_the_patch():
    mesh = oddseam.find_features(sheet())
    new = oddseam.make_creases(mesh, through=[(0.0, 0.31, 0), (1.0, 0.64, 0)])
    assert len(new.patches.table) == 2
    ends = new.nodes[new.creases.edges]
    off = ends[..., 1] - (0.31 + 0.33 * ends[..., 0])
    assert np.abs(off).max() < 0.012
    proof = oddseam.prove(new)
    assert proof.free_edges > 32 - 1 and not (
        proof.crossing_pairs or proof.nonmanifold_edges or proof.degenerate_facets
    )
    areas = [patch.area for patch in new.patches.table]
    assert sum(areas) == pytest.approx(1.0) and min(areas) == pytest.approx(0.475, abs=0.01)
    fine = oddseam.remesh(new, size=0.05)
    inside = (fine.nodes[:, 0] > 0.01) & (fine.nodes[:, 0] < 0.99)
    close = np.abs(fine.nodes[:, 1] - (0.31 + 0.33 * fine.nodes[:, 0]))[inside] < 0.012
    assert close.sum() > 15


@settings(max_examples=30, deadline=None)
@given(st.integers(0, 10_000))
def test_random_lines_on_a_ball_keep_it_whole(seed):
    chance = np.random.default_rng(seed)
    nodes, triangles = shapes.sphere(16)
    mesh = shapes.mesh((nodes + chance.uniform(-0.02, 0.02, nodes.shape), triangles), unit="mm")
    a, b = chance.normal(size=(2, 3))
    a, b = a / np.linalg.norm(a), b / np.linalg.norm(b)
    if abs(a @ b) > 0.5:  # far apart the normals of facets at both ends, which the plane holds, tilt it much
        return
    new = oddseam.make_creases(mesh, through=[tuple(a), tuple(b)])
    proof = oddseam.prove(new)
    assert proof.is_closed and not (proof.nonmanifold_edges or proof.misoriented_edges or proof.degenerate_facets)
    assert proof.volume == pytest.approx(oddseam.prove(mesh).volume, rel=1e-12)
    # one chain, whose edges are edges of the mesh, in the plane of the line
    edges = {tuple(edge) for edge in new.connectivity.edges.tolist()}
    assert {tuple(edge) for edge in new.creases.edges.tolist()} <= edges
    assert len(oddseam.list_creases(new)) == 1
    normal = np.cross(a, b) / np.linalg.norm(np.cross(a, b))
    assert np.abs(new.nodes[new.creases.edges] @ normal).max() < 0.2


def test_a_line_on_quads_splits_them():
    from test_refine import wall

    new = oddseam.make_creases(wall(), through=[(0.2, 1.3, 0), (3.6, 6.1, 0)])
    assert new.counts["quad"] < 72 and new.counts["tri"] > 10
    assert oddseam.prove(new).nonmanifold_edges == 8
    with pytest.raises(oddseam.Refusal, match="more than two facets"):
        oddseam.make_creases(wall(), through=[(2.2, 1.3, 0), (6.6, 6.1, 0)])


def test_along_nodes_the_way_is_the_shortest():
    new = oddseam.make_creases(sheet(), nodes=[at(0, 0) + 1, at(8, 8) + 1])
    assert length(new) == pytest.approx(np.sqrt(2.0))
    with pytest.raises(oddseam.Refusal, match="there is no node 4000"):
        oddseam.make_creases(sheet(), nodes=[1, 4000])
    with pytest.raises(oddseam.Refusal, match="not joined"):
        oddseam.make_creases(shapes.side_by_side(shapes.cube(), (shapes.cube()[0] + 5, shapes.cube()[1])), nodes=[1, 9])


def test_an_erased_crease_joins_patches():
    cube = oddseam.find_features(shapes.mesh(shapes.grid_cube(3), unit="mm"))
    new = oddseam.make_creases(cube, erase=(0.5, 0.0, 0.0))
    assert len(new.patches.table) == 5 and len(new.creases.edges) == 33
    assert {patch.kind for patch in new.patches.table} == {"plane", "free-form"}


@pytest.mark.slow
def test_the_command_line_lists_tidies_draws_and_erases(tmp_path):
    cube = oddseam.find_features(shapes.mesh(shapes.grid_cube(3), unit="mm"))
    oddseam.write_mesh(cube, tmp_path / "cube.seam")

    def call(*words: str) -> subprocess.CompletedProcess:
        return subprocess.run([sys.executable, "-m", "oddseam", "creases", "cube.seam", *words], cwd=tmp_path,
                              capture_output=True, text=True, check=False)  # fmt: skip

    listed = call("--json")
    assert listed.returncode == 0, listed.stderr
    assert len(json.loads(listed.stdout)["creases"]) == 12
    assert "12 chains" in call().stdout
    done = call("--through", "0.5,0.2,1,0.4,0.8,1", "--erase", "0.5,0,0", "-o", "new.seam")
    assert done.returncode == 0, done.stderr
    new = oddseam.read_mesh(tmp_path / "new.seam")
    assert [entry.operation for entry in new.account] == ["find features", "make creases"]
    bad = call("--through", "0.5,0.2,1", "-o", "new.seam")
    assert bad.returncode == 2 and "points" in bad.stderr


def test_patches_that_drawn_creases_bound_are_fitted_again():
    found = oddseam.find_features(shapes.mesh(shapes.grid_cube(4)))
    joined = oddseam.make_creases(found, erase=(0.5, 0.0, 0.0))
    assert sorted(patch.kind for patch in joined.patches.table) == ["free-form"] + 4 * ["plane"]
    parted = oddseam.make_creases(joined, through=[(0.0, 0.0, 0.0), (1.0, 0.0, 0.0)])
    assert [patch.kind for patch in parted.patches.table] == 6 * ["plane"]
    for k, patch in enumerate(parted.patches.table):
        nodes = parted.nodes[parted.triangulation.triangles[parted.patches.label[parted.triangulation.element] == k]]
        assert np.abs((nodes - patch.centre) @ np.array(patch.axis)).max() < 1e-12
