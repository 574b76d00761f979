"""Remeshing on a smooth surface through the nodes: what is refined gets rounder, and creases stay."""

from __future__ import annotations

import numpy as np
import pytest
import shapes

import oddseam


def off_sphere(mesh: oddseam.Mesh) -> float:
    """How far the farthest of many points on the facets is from the unit sphere."""
    corners = mesh.nodes[mesh.triangulation.triangles]
    shares = np.random.default_rng(0).dirichlet((1, 1, 1), 10)
    points = np.einsum("sk,mkd->msd", shares, corners).reshape(-1, 3)
    return float(np.abs(np.linalg.norm(np.concatenate([points, mesh.nodes]), axis=1) - 1.0).max())


def ball() -> oddseam.Mesh:
    """An icosahedron refined twice onto its sphere: 320 facets."""
    golden = (1 + 5**0.5) / 2
    nodes = np.array([(0, s, t * golden) for s in (-1, 1) for t in (-1, 1)], float)
    nodes = np.concatenate([np.roll(nodes, k, axis=1) for k in range(3)])
    nodes /= np.linalg.norm(nodes[0])
    near = np.linalg.norm(nodes[:, None] - nodes, axis=2) < 1.1
    triangles = [
        (i, j, k) if np.linalg.det(nodes[[i, j, k]]) > 0 else (i, k, j)
        for i in range(12) for j in range(i) for k in range(j) if near[i, j] and near[j, k] and near[i, k]
    ]  # fmt: skip
    mesh = oddseam.Mesh.from_triangles(nodes, triangles, unit="mm")
    for _ in range(2):
        mesh = oddseam.refine(mesh, "all")
        round_nodes = mesh.nodes / np.linalg.norm(mesh.nodes, axis=1, keepdims=True)
        mesh = oddseam.Mesh.from_triangles(round_nodes, mesh.triangulation.triangles, unit="mm")
    return mesh


@pytest.mark.slow
@pytest.mark.parametrize("quads", [False, True])
def test_a_coarse_sphere_gets_ten_times_rounder(quads):
    given = ball()
    assert given.n_elements == 320
    new = oddseam.remesh(given, size=0.04, surface="smooth", quads=quads)
    assert off_sphere(new) < off_sphere(given) / 10
    assert off_sphere(oddseam.remesh(given, size=0.04)) > off_sphere(given) / 2
    assert oddseam.prove(new).is_closed and oddseam.prove(new).is_clean


def test_a_torus_comes_near_to_its_volume():
    given = shapes.mesh(shapes.torus(30, 15), unit="mm")
    true = 2 * np.pi**2 * 2 * 0.7**2
    new = oddseam.remesh(given, size=0.08, surface="smooth")
    assert abs(oddseam.prove(new).volume - true) < 0.1 * abs(oddseam.prove(given).volume - true)


def test_rims_of_a_drum_get_round_and_its_ends_stay_flat():
    new = oddseam.remesh(shapes.mesh(shapes.capped_cylinder(24), unit="mm"), size=0.1, surface="smooth")
    radius = np.linalg.norm(new.nodes[:, :2], axis=1)
    assert np.abs(radius[radius > 0.97] - 1.0).max() < 5e-4
    height = new.nodes[:, 2]
    low, high = height.min(), height.max()
    assert high - low == pytest.approx(3.0, abs=1e-12)
    ends = (radius < 0.9) & (np.minimum(height - low, high - height) < 0.5)
    assert np.minimum(height - low, high - height)[ends].max() < 1e-12
    assert oddseam.prove(new).is_clean


def test_flat_and_straight_stay_so():
    cube = oddseam.remesh(shapes.mesh(shapes.cube(), unit="mm"), size=0.1, surface="smooth")
    assert oddseam.prove(cube).volume == pytest.approx(1.0, abs=1e-12)
