from __future__ import annotations

import itertools

import numpy as np
import pytest
import shapes
from hypothesis import given, settings, strategies as st

import oddseam
from oddseam.geometry.exact.crossings import crossing_pairs, interiors_meet
from oddseam.geometry.exact.predicates import is_degenerate


def brute(nodes: np.ndarray, triangles: np.ndarray) -> set[tuple[int, int]]:
    """All pairs, each by rational arithmetic."""
    sound = np.flatnonzero(~is_degenerate(nodes[triangles])).tolist()
    return {
        (i, j)
        for i, j in itertools.combinations(sound, 2)
        if interiors_meet(nodes[triangles[i]].tolist(), nodes[triangles[j]].tolist())
    }


def found(nodes: np.ndarray, triangles: np.ndarray) -> set[tuple[int, int]]:
    return {tuple(pair) for pair in crossing_pairs(nodes, np.asarray(triangles, np.int32)).tolist()}


def meet(one: list, two: list) -> bool:
    nodes = np.array([*one, *two], float)
    first, index = np.unique(nodes, axis=0, return_inverse=True)
    triangles = index.reshape(2, 3)
    assert (found(first, triangles) == {(0, 1)}) == interiors_meet(one, two)
    assert found(first, triangles[::-1]) == found(first, triangles)
    return bool(found(first, triangles))


FLAT = [[0, 0, 0], [2, 0, 0], [0, 2, 0]]


@pytest.mark.parametrize(
    ("other", "crosses"),
    [
        ([[0.5, 0.5, -1], [0.5, 0.5, 1], [3, 3, 0]], True),  # pierces
        ([[0.5, 0.5, 0], [0.5, 0.5, 1], [3, 3, 1]], False),  # stands on it with a corner
        ([[0.2, 0.2, 0], [0.6, 0.2, 0], [0.3, 0.3, 1]], False),  # stands on it with an edge
        ([[2, 0, 0], [0, 2, 0], [2, 2, 0]], False),  # the other half of a square
        ([[2, 0, 0], [0, 2, 0], [0.1, 0.1, 0]], True),  # folded back over the shared edge
        ([[2, 0, 0], [0, 2, 0], [0.1, 0.1, 1e-9]], False),  # nearly folded back
        ([[0, 0, 0], [-1, 0, 0], [0, -1, 0]], False),  # opposite at a corner, in the same plane
        ([[0, 0, 0], [1, 0.5, 0], [0.5, 1, 0]], True),  # within it, from the same corner
        ([[0, 0, 0], [1, 1, 1], [1, 1, -1]], True),  # through it from the same corner
        ([[0, 0, 0], [-1, -1, 1], [-1, -1, -1]], False),  # away from it at the same corner
        ([[1, 0, 0], [3, 0, 0], [1, -2, 0]], False),  # along a part of an edge
        ([[0.5, 0.5, 0], [1.5, 1.5, 0], [0.5, 1.5, 0]], True),  # overlaps in the plane
        ([[5, 5, 0], [6, 5, 0], [5, 6, 0]], False),  # elsewhere in the plane
        (FLAT[::-1], True),  # the same, turned over
    ],
)
@pytest.mark.parametrize("shift", [0.0, 0.1, 1e6])
def test_every_way_to_meet_is_told_apart(other, crosses, shift):
    if shift == 1e6 and any(abs(x) == 1e-9 for p in other for x in p):
        shift = 1.0
    moved = [(np.array(t, float) + shift).tolist() for t in (FLAT, other)]
    assert (
        meet(*moved) == crosses or shift == 0.1
    )  # a tenth is rounded: only the exact answer counts, which meet checks


@given(st.integers(0, 2**32 - 1), st.sampled_from(["coarse", "flat", "fine"]))
@settings(max_examples=40, deadline=None)
def test_pairs_equal_those_of_rational_arithmetic(seed, kind):
    rng = np.random.default_rng(seed)
    nodes = {
        "coarse": lambda: rng.integers(0, 5, (20, 3)) * 0.1,
        "flat": lambda: np.column_stack([rng.integers(0, 4, (20, 2)), rng.integers(0, 2, 20)]) / 3.0,
        "fine": lambda: rng.random((20, 3)),
    }[kind]()
    nodes = np.unique(nodes, axis=0)
    triangles = np.array([rng.choice(len(nodes), 3, replace=False) for _ in range(20)])
    assert found(nodes, triangles) == brute(nodes, triangles)


def test_sound_surfaces_have_none_and_pushed_together_ones_have_some():
    for shape in (shapes.torus(), shapes.sphere(24), shapes.grid_cube(9)):
        assert not found(*shape)
    nodes, triangles = shapes.torus(60, 30)
    turned = nodes @ np.array([[0.0, -1, 0], [0, 0, -1], [1, 0, 0]]) + [2.1, 0.3, 0.2]
    both = np.concatenate([nodes, turned]), np.concatenate([triangles, triangles + len(nodes)])
    pairs = found(*both)
    assert len(pairs) > 100 and all(one < len(triangles) <= two for one, two in pairs)
    order = np.random.default_rng(3).permutation(len(both[1]))
    again = found(both[0], both[1][order])
    assert {tuple(sorted(order[list(pair)].tolist())) for pair in again} == pairs


def test_crossings_are_found_listed_and_not_called_mended():
    one, two = shapes.grid_cube(4), shapes.grid_cube(4)
    nodes = np.concatenate([one[0], two[0] + [0.55, 0.35, 0.45]])
    mesh = oddseam.Mesh.from_triangles(nodes, np.concatenate([one[1], two[1] + len(one[0])]))
    finding = oddseam.survey(mesh).finding("crossing facets")
    assert finding.severity == "fault" and finding.count == len(mesh.crossing_triangles) > 20
    low, high = np.array([0.55, 0.35, 0.45]), np.ones(3)
    assert all((low - 0.3 < p.centre).all() and (p.centre < high + 0.3).all() for p in finding.places)
    mended = oddseam.mend(mesh, overlaps="keep")
    assert any(line.startswith("crossing facets: ") for line in mended.account.last.outcome.unmet)
    assert mended.digest == mesh.digest


def test_a_fill_that_would_cross_the_rest_is_not_made():
    nodes, triangles = shapes.grid_cube(20)
    middle = nodes[triangles].mean(axis=1)
    hole = (middle[:, 2] == 1) & (np.abs(middle[:, :2] - 0.5).max(axis=1) < 0.06)
    needle = np.array([[0.48, 0.5, 0.8], [0.52, 0.5, 0.8], [0.5, 0.5, 1.2]])
    torn = np.concatenate([triangles[~hole], [[len(nodes), len(nodes) + 1, len(nodes) + 2]]])
    mesh = oddseam.Mesh.from_triangles(np.concatenate([nodes, needle]), torn)
    mended = oddseam.mend(mesh, close=0.2, crumbs=0.0)
    assert any("its fill would cross" in line for line in mended.account.last.outcome.unmet)
    assert oddseam.prove(mended).crossing_pairs == 0
    assert oddseam.prove(oddseam.mend(mesh, close=0.2, crumbs=0.7)).is_closed


def test_a_fill_by_hand_says_what_it_crosses_and_can_go_on():
    nodes, triangles = shapes.grid_cube(20)
    middle = nodes[triangles].mean(axis=1)
    holes = [(middle[:, 2] == z) & (np.abs(middle[:, :2] - 0.5).max(axis=1) < 0.06) for z in (0, 1)]
    needle = np.array([[0.48, 0.5, 0.8], [0.52, 0.5, 0.8], [0.5, 0.5, 1.2]])
    torn = np.concatenate([triangles[~(holes[0] | holes[1])], [[len(nodes), len(nodes) + 1, len(nodes) + 2]]])
    mesh = oddseam.Mesh.from_triangles(np.concatenate([nodes, needle]), torn)
    spike = int(mesh.element_ids[-1])
    filled = oddseam.fill(mesh, below=0.2)
    (line,) = filled.account.last.outcome.unmet
    assert f"its fill would cross facet(s) {spike}, first about (0.49" in line
    assert oddseam.prove(filled).crossing_pairs == 0 and filled.connectivity.n_rims == 2
    whole = oddseam.fill(mesh, below=0.2, may_cross=True)
    (line,) = whole.account.last.outcome.unmet
    assert f"crosses facet(s) {spike}" in line and whole.connectivity.n_rims == 1
    assert oddseam.prove(whole).crossing_pairs > 0


def test_rounding_that_makes_facets_cross_is_said(tmp_path):
    nodes, triangles = shapes.cube()
    thin = nodes * [1.0, 1.0, 1e-9] + [0.3, 0.4, 1.0]
    lid = nodes * [0.5, 0.5, 1.0] + [0.5, 0.6, 1.0 + 1.1e-9]
    mesh = oddseam.Mesh.from_triangles(np.concatenate([thin, lid]), np.concatenate([triangles, triangles + 8]))
    assert oddseam.prove(mesh).is_clean
    assert oddseam.write_mesh(mesh, tmp_path / "thin.stl").broken


@pytest.mark.parametrize("seed", range(12))
def test_crossings_that_follow_from_known_ones_are_those_found_from_the_start(seed):
    from oddseam.geometry.exact.crossings import crossing_pairs
    from oddseam.model.editing import Added, edited, merged

    chance = np.random.default_rng(seed)
    nodes, triangles = shapes.sphere(16)
    mesh = shapes.side_by_side((nodes, triangles), (nodes * 0.8 + chance.normal(size=3) * 0.5, triangles))
    if seed % 3 == 0:
        from test_refine import wall  # of quads, each two triangles of one name

        mesh = wall()
        mesh = mesh.replaced(nodes=mesh.nodes + chance.normal(0.0, 0.4, mesh.nodes.shape))
    assert len(mesh.crossing_triangles)
    for _ in range(6):
        match chance.integers(4):
            case 0:
                nodes = mesh.nodes.copy()
                nodes[chance.integers(mesh.n_nodes, size=5)] += chance.normal(0.0, 0.3, (5, 3))
                mesh = mesh.replaced(nodes=nodes)
            case 1:
                few, more = (chance.integers(mesh.n_elements, size=k) for k in (9, 20))
                mesh = edited(mesh, drop=few, turn=more)
            case 2:
                mesh = edited(
                    mesh, add=Added(triangles=chance.integers(mesh.n_nodes, size=(6, 3)), like=np.zeros(6, int))
                )
            case _:
                into = np.arange(mesh.n_nodes)
                gone, stays = chance.choice(mesh.n_nodes, 2, replace=False)
                into[gone] = stays
                mesh = merged(mesh, into)
        found = mesh.crossing_triangles
        assert np.array_equal(found, crossing_pairs(mesh.nodes, mesh.triangulation.triangles))
