"""Improving elements: limits hold afterwards, the surface stays, and what cannot be is said."""

from __future__ import annotations

import dataclasses
import subprocess
import sys

import numpy as np
import pytest
import shapes
from test_regions import contents

import oddseam
from oddseam.geometry.shapes.quality import quality
from oddseam.geometry.trees.boxtree import BoxTree


def angles(mesh: oddseam.Mesh) -> np.ndarray:
    return quality(mesh.nodes[mesh.elements["tri"].connectivity])["minimum_angle"]


def apart(one: oddseam.Mesh, two: oddseam.Mesh) -> float:
    """How far many points of either surface are from the other."""
    far = 0.0
    for a, b in ((one, two), (two, one)):
        corners = a.nodes[a.triangulation.triangles]
        shares = np.random.default_rng(0).dirichlet((1, 1, 1), 8)
        points = np.concatenate([np.einsum("sk,mkd->msd", shares, corners).reshape(-1, 3), a.nodes])
        closest, _ = BoxTree(b.nodes[b.triangulation.triangles]).closest(points)
        far = max(far, float(np.linalg.norm(closest - points, axis=1).max()))
    return far


def uneven(seed: int = 3) -> oddseam.Mesh:
    """A torus whose nodes have slid about on its facets' planes until many of these are slivers."""
    nodes, triangles = shapes.torus(60, 30)
    chance = np.random.default_rng(seed)
    u, v = np.arctan2(nodes[:, 1], nodes[:, 0]), np.arctan2(nodes[:, 2], np.hypot(nodes[:, 0], nodes[:, 1]) - 2)
    u, v = u + chance.uniform(-0.035, 0.035, len(u)), v + chance.uniform(-0.07, 0.07, len(v))
    ring = 2 + 0.7 * np.cos(v)
    return shapes.mesh((np.column_stack([ring * np.cos(u), ring * np.sin(u), 0.7 * np.sin(v)]), triangles), unit="mm")


def test_angles_hold_the_limit_and_the_surface_stays():
    given = uneven()
    assert (angles(given) < 25).sum() > 500
    new = oddseam.improve(given, limits={"minimum_angle": 25}, deviation=0.02)
    entry = new.account.last
    assert entry.outcome.unmet == () and angles(new).min() >= 25
    assert apart(given, new) < 0.021
    proof = oddseam.prove(new)
    assert proof.is_closed and proof.is_clean
    assert "0 elements beyond the limits after" in entry.outcome.notes[-1]


def test_what_is_good_keeps_its_ids_and_places():
    given = uneven()
    new = oddseam.improve(given, limits={"minimum_angle": 6}, deviation=0.02)
    before, after = contents(given), contents(new)
    same = sum(after.get(i) == what for i, what in before.items())
    assert same > 0.5 * len(before)


def test_a_deviation_of_nothing_moves_nodes_in_planes_only():
    nodes, triangles = shapes.grid_cube(6)
    chance = np.random.default_rng(1)
    inner = ((nodes > 1e-9) & (nodes < 1 - 1e-9)).sum(axis=1) == 2
    shift = chance.uniform(-0.07, 0.07, nodes.shape) * ((nodes > 1e-9) & (nodes < 1 - 1e-9))
    given = shapes.mesh((nodes + np.where(inner[:, None], shift, 0.0), triangles), unit="mm")
    assert angles(given).min() < 20
    new = oddseam.improve(given, limits={"minimum_angle": 25}, deviation=1e-12)
    assert new.account.last.outcome.unmet == ()
    assert oddseam.prove(new).volume == pytest.approx(1.0, abs=1e-12)
    assert angles(new).min() >= 25


def test_quads_get_better_by_moving_nodes():
    i, j = np.meshgrid(np.arange(10), np.arange(10), indexing="ij")
    at = (i * 11 + j).ravel()
    x, y = (w.ravel().astype(float) for w in np.meshgrid(np.arange(11), np.arange(11), indexing="ij"))
    nodes = np.column_stack([x, y, 0 * x])
    nodes[5 * 11 + 5, :2] += (0.85, 0.8)
    block = oddseam.Elements(
        np.column_stack([at, at + 11, at + 12, at + 1]), 7 + 3 * np.arange(100), np.zeros(100, int)
    )
    given = oddseam.Mesh(nodes, {"quad": block}, (oddseam.Part("plate", 1),), unit="mm")
    jacobian = quality(given.nodes[block.connectivity])["scaled_jacobian"]
    assert jacobian.min() < 0.3
    new = oddseam.improve(given, limits={"scaled_jacobian": 0.7})
    assert new.account.last.outcome.unmet == ()
    assert new.elements["quad"].ids.tolist() == block.ids.tolist()
    assert quality(new.nodes[new.elements["quad"].connectivity])["scaled_jacobian"].min() >= 0.7
    assert (new.nodes != given.nodes).any(axis=1).sum() < 20


def test_what_creases_hold_is_reported_with_its_place():
    # a wedge of 5 degrees between two creases cannot have better angles at its tip
    nodes = np.array([[0, 0, 0], [10, 0, 0], [10, 0.9, 0], [0, 0, -3], [10, 0, -3], [10, 0.9, -3]], float)
    triangles = [[0, 1, 2], [3, 5, 4], [0, 3, 4], [0, 4, 1], [1, 4, 5], [1, 5, 2], [2, 5, 3], [2, 3, 0]]
    wedge = oddseam.remesh(oddseam.Mesh.from_triangles(nodes, triangles, unit="mm"), size=1.0)
    new = oddseam.improve(wedge, limits={"minimum_angle": 20})
    assert any("stay beyond the limits" in line and " at (" in line for line in new.account.last.outcome.unmet)
    assert oddseam.prove(new).is_clean
    assert angles(new).min() >= angles(wedge).min()


def test_only_a_pick_is_changed():
    given = uneven()
    where = "box (-9, -9, -9) (9, 0, 9)"
    picked = set(given.element_ids[oddseam.pick(given, where)].tolist())
    new = oddseam.improve(given, limits={"minimum_angle": 20}, pick=where, deviation=0.02)
    before, after = contents(given), contents(new)
    assert all(after[i] == what for i, what in before.items() if i not in picked)
    poor = {i for i, a in zip(new.element_ids.tolist(), angles(new).tolist(), strict=True) if a < 20}
    assert poor <= before.keys() - picked or new.account.last.outcome.unmet


def test_settings_that_make_no_sense_are_refused():
    with pytest.raises(oddseam.Refusal, match="at least one limit"):
        oddseam.improve(uneven(), limits={})
    with pytest.raises(oddseam.Refusal, match="the limit -3 of minimum_angle"):
        oddseam.improve(uneven(), limits={"minimum_angle": -3})


def test_nothing_to_do_changes_nothing():
    given = shapes.mesh(shapes.cube(), unit="mm")
    new = oddseam.improve(given, limits={"minimum_angle": 20})
    assert new.digest == given.digest and new.account.last.outcome.unmet == ()


@pytest.mark.slow
def test_the_command_line_improves(tmp_path):
    oddseam.write_mesh(dataclasses.replace(uneven(), unit="mm"), tmp_path / "torus.stl")
    done = subprocess.run(
        [sys.executable, "-m", "oddseam", "improve", tmp_path / "torus.stl", "--unit", "mm", "--minimum-angle", "22",
         "--deviation", "0.02", "-o", tmp_path / "better.stl"],
        capture_output=True, text=True, check=False,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    assert "elements beyond the limits before" in done.stdout
    assert angles(oddseam.read_mesh(tmp_path / "better.stl", unit="mm")).min() > 21.9
