"""What touches without crossing, and what pieces do to one another."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
import shapes
import unions
from hypothesis import given, settings, strategies as st

import oddseam
from oddseam.geometry.exact.crossings import interiors_meet
from oddseam.geometry.exact.predicates import is_degenerate
from oddseam.geometry.exact.touching_pairs import touching_pairs

FLAT = [[0, 0, 0], [2, 0, 0], [0, 2, 0]]


def touch(one: list, two: list) -> bool:
    nodes, index = np.unique(np.array([*one, *two], float), axis=0, return_inverse=True)
    pairs = touching_pairs(nodes, index.reshape(2, 3), np.zeros((0, 2), int)).tolist()
    assert touching_pairs(nodes, index.reshape(2, 3)[::-1], np.zeros((0, 2), int)).tolist() == pairs
    return pairs == [[0, 1]]


@pytest.mark.parametrize(
    ("other", "touches"),
    [
        ([[0.5, 0.5, 0], [0.5, 0.5, 1], [3, 3, 1]], True),  # stands on it with a corner
        ([[0.25, 0.25, 0], [0.5, 0.25, 0], [0.25, 0.5, 1]], True),  # with an edge
        ([[1, 0, 0], [3, 0, 0], [1, -2, 0]], True),  # along a part of an edge, in its plane
        ([[1, 1, 0], [3, 1, 0], [3, 3, 0]], True),  # a corner on its edge, in its plane
        ([[0, 0, 0], [1, -1, 0], [2, -1, 0]], False),  # only at a corner of both
        ([[0, 0, 0], [2, 0, 0], [1, -2, 1]], False),  # only along an edge of both
        ([[2, 0, 0], [0, 2, 0], [2, 2, 0]], False),  # the other half of a square
        ([[0, 0, 0], [1, 1, 0], [0, 0, 2]], True),  # from a common corner over it
        ([[0, 0, 0], [1, 0, 0], [0, -1, 0]], True),  # half of an edge from a common corner
        ([[0, 0, 0], [3, 0, 0], [0, -1, 0]], True),  # more than an edge
        ([[5, 5, 0], [6, 5, 0], [5, 6, 0]], False),  # elsewhere in its plane
        ([[0.5, 0.5, 0.5], [0.5, 0.5, 1], [3, 3, 1]], False),  # above it
    ],
)
def test_every_way_to_touch_is_told_apart(other, touches):
    assert touch(FLAT, other) == touches
    assert touch([p[::-1] for p in FLAT], [p[::-1] for p in other]) == touches


def are_apart(one: np.ndarray, two: np.ndarray) -> bool:
    """Whether some plane parts two triangles of whole coordinates: one along a facet, or two edges."""
    edges = [[t[(k + 1) % 3] - t[k] for k in range(3)] for t in (one, two)]
    normals = [np.cross(e[0], e[1]) for e in edges]
    axes = [*normals, *(np.cross(p, q) for p in edges[0] for q in edges[1])]
    axes += [np.cross(normals[i], e) for i in (0, 1) for e in edges[i]]
    return any((one @ a).max() < (two @ a).min() or (two @ a).max() < (one @ a).min() for a in axes)


@given(st.integers(0, 2**32 - 1), st.integers(2, 4))
@settings(max_examples=60, deadline=None)
def test_triangles_without_a_common_corner_touch_if_no_plane_parts_them_and_they_do_not_cross(seed, size):
    random = np.random.default_rng(seed)
    corners = random.integers(0, size + 1, (14, 3, 3))
    corners = corners[~is_degenerate(corners.astype(float))]
    nodes, index = np.unique(corners.reshape(-1, 3).astype(float), axis=0, return_inverse=True)
    triangles = index.reshape(-1, 3)
    pairs = list(itertools.combinations(range(len(corners)), 2))
    crossing = [p for p in pairs if interiors_meet(*(corners[k].astype(float).tolist() for k in p))]
    found = {tuple(p) for p in touching_pairs(nodes, triangles, np.array(crossing, int).reshape(-1, 2)).tolist()}
    for one, two in pairs:
        if not set(triangles[one]) & set(triangles[two]):
            expected = (one, two) not in crossing and not are_apart(corners[one], corners[two])
            assert ((one, two) in found) == expected


def test_the_survey_tells_what_pieces_do_to_one_another():
    hollow = unions.box([1, 1, 1], [3, 3, 3])
    mesh = shapes.side_by_side(
        unions.box([0, 0, 0], [9, 9, 9]), (hollow[0], hollow[1][:, ::-1]), unions.box([1.5, 1.5, 1.5], [2, 2, 2]),
        unions.box([4, 4, 4], [5, 5, 5]), unions.box([4.5, 4.5, 4.5], [6, 6, 6]),  # these two cross
        unions.box([20, 0, 0], [21, 1, 1]), unions.box([4, 4, 9], [5, 5, 10]),  # and this stands on the first
    )  # fmt: skip
    found = oddseam.survey(mesh, thin=False)
    assert found.finding("nested pieces").count == 4 and "1 of which" in found.finding("nested pieces").message
    assert found.finding("overlapping pieces").count == 2
    walls = found.finding("coincident walls")
    assert walls.severity == "warning" and walls.places[0].centre[2] == 9.0 and "look opposite ways" in walls.message
    apart = oddseam.survey(shapes.side_by_side(unions.box([0, 0, 0], [1, 1, 1]), unions.box([3, 0, 0], [4, 1, 1])))
    assert not {"nested pieces", "overlapping pieces", "coincident walls", "touching facets"} & {
        f.kind for f in apart.findings
    }


def test_solids_that_touch_in_an_edge_are_left_as_they_are():
    wedge = (
        np.array([[1.0, 1, 1], [3, 1, 1], [2, 0.5, 2], [2, 1.5, 2]]),
        np.array([[0, 3, 1], [0, 1, 2], [0, 2, 3], [1, 3, 2]]),
    )
    mesh = shapes.side_by_side(unions.box([0, 0, 0], [4, 4, 1]), wedge)
    assert len(mesh.touching_triangles) and not len(mesh.crossing_triangles)
    mended = oddseam.mend(mesh, crumbs=0.0, close="none")
    assert mended.digest == mesh.digest and not mended.account.last.outcome.unmet


def test_imprinting_that_was_asked_for_is_no_fault(tmp_path):
    mesh = shapes.side_by_side(unions.box([0, 0, 0], [2, 2, 2]), unions.box([1, 1, 1], [3, 3, 3]))
    mended = oddseam.mend(mesh, overlaps="imprint", target="stl")
    outcome = mended.account.last.outcome
    assert mended.connectivity.is_nonmanifold.sum() == 6 and not outcome.unmet
    assert any(line.startswith("shared: 6 edges") for line in outcome.notes)
    # what was shared before, and is no line of imprinting, is a fault as ever
    fin = np.array([[0.0, 0, 0], [0, 0, 2], [-1, -1, 1]])
    nodes = np.concatenate([mesh.nodes, fin[2:]])
    triangles = np.concatenate([mesh.triangulation.triangles, [[0, 4, 16]]])
    finned = oddseam.mend(oddseam.Mesh.from_triangles(nodes, triangles), overlaps="imprint", close="none")
    assert len(finned.crossing_triangles) == 0 and finned.connectivity.is_nonmanifold.sum() == 7
    assert any(line.startswith("non-manifold edges: 7") for line in finned.account.last.outcome.unmet)


@pytest.mark.parametrize("scale", [1.0, 1e-30, 1e39])
def test_one_search_finds_the_crossings_that_a_search_for_them_alone_finds(scale):
    random = np.random.default_rng(4)
    nodes = scale * random.integers(-4, 5, (240, 3)).astype(float)
    triangles = np.arange(240, dtype=np.int32).reshape(80, 3)
    alone, both = (oddseam.Mesh.from_triangles(nodes, triangles) for _ in range(2))
    assert len(both.near_triangles) > len(alone.crossing_triangles) > 100
    assert both.crossing_triangles.tolist() == alone.crossing_triangles.tolist()
