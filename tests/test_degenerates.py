"""Facets without area are taken out, and what was closed stays closed."""

from __future__ import annotations

import numpy as np
import pytest
import shapes
from hypothesis import given, settings, strategies as st

import oddseam
from oddseam.geometry.triangles import cone_volumes
from oddseam.mending.sewing.degenerates import drop_degenerates


def with_flat_facets(seed: int, count: int, off: float) -> tuple[np.ndarray, list[list[int]]]:
    """A cube on some of whose edges flat facets lie, some of them on the sides of others.

    A facet (a, b, c) becomes (a, m, c) and (m, b, c) with m on its side, and (a, b, m) closes the gap.
    """
    random = np.random.default_rng(seed)
    nodes, triangles = shapes.cube(4.0)
    points, rows = nodes.tolist(), triangles.tolist()
    for _ in range(count):
        row = int(random.integers(len(rows)))
        k = int(random.integers(3))
        a, b, c = rows[row][k:] + rows[row][:k]
        m = len(points)
        share = random.integers(1, 2**12) / 2**12  # exact, and hardly ever the same twice
        place = (1 - share) * np.array(points[a]) + share * np.array(points[b])
        points.append((place + off * random.normal(size=3)).tolist())
        rows[row] = [a, m, c]
        rows += [[m, b, c], [a, b, m]]
    return np.array(points), rows


@settings(max_examples=60, deadline=None)
@given(st.integers(0, 10**6), st.integers(1, 12))
def test_flat_facets_go_and_the_cube_stays_closed(seed, count):
    mesh = oddseam.Mesh.from_triangles(*with_flat_facets(seed, count, 0.0))
    assert oddseam.prove(mesh).is_closed and len(mesh.degenerate_triangles)
    result, gone = drop_degenerates(mesh)
    proof = oddseam.prove(result)
    assert gone == len(mesh.degenerate_triangles)
    assert not proof.free_edges and proof.is_oriented and not proof.degenerate_facets
    assert proof.volume == pytest.approx(64.0, rel=1e-12)
    kept = np.intersect1d(mesh.element_ids, result.element_ids)
    assert len(kept) + gone <= mesh.n_elements  # no id comes back for what is new


@settings(max_examples=40, deadline=None)
@given(st.integers(0, 10**6))
def test_thin_facets_go_as_well_if_asked_and_the_surface_hardly_moves(seed):
    mesh = oddseam.Mesh.from_triangles(*with_flat_facets(seed, 3, 1e-7))
    result, gone = drop_degenerates(mesh, 1e-5)
    assert gone and oddseam.prove(result).free_edges == 0
    corners = result.nodes[result.triangulation.triangles]
    assert cone_volumes(corners, np.full(3, 2.0)).sum() == pytest.approx(64.0, rel=1e-5)


def test_a_chain_of_flat_facets_and_one_with_a_node_twice():
    nodes = np.array([[0.0, 0, 0], [1, 0, 0], [2, 0, 0], [3, 0, 0], [4, 0, 0], [2, 2, 0], [2, -2, 0]])
    # the sheet below hangs on the long edge, the one above on four short ones, flat facets between
    triangles = [[0, 1, 5], [1, 2, 5], [2, 3, 5], [3, 4, 5], [4, 0, 6], [0, 4, 3], [0, 3, 2], [0, 2, 1], [5, 5, 4]]
    mesh = oddseam.Mesh.from_triangles(nodes, triangles)
    result, gone = drop_degenerates(mesh)
    assert gone == 4 and not len(result.degenerate_triangles)
    assert result.n_elements == 8 and result.connectivity.n_rims == 1
    assert result.connectivity.is_free.sum() == 4


def test_a_mesh_without_flat_facets_comes_back_itself():
    mesh = oddseam.Mesh.from_triangles(*shapes.cube())
    result, gone = drop_degenerates(mesh, 1e-9)
    assert result is mesh and gone == 0
