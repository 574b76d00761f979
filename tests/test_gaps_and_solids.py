"""The survey of cracks, junctions, holes and slivers; quality of quads and solids by known values."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
import shapes
from test_cracks_and_walls import apart, strip
from test_keyword import block_of

import oddseam
from oddseam.geometry.shapes.quality import curved_quality, quality
from oddseam.geometry.shapes.solid_quality import solid_quality
from oddseam.model import KINDS


def test_cracks_junctions_and_pairs_are_told_apart():
    mesh = apart(strip(0, 0.4, 4), strip(0.4 + 5e-5, 0.8, 8))
    found = oddseam.survey(mesh)
    assert found.finding("cracks").count == 5 + 9 and "5e-05 to 5e-05 apart" in found.finding("cracks").message
    assert found.finding("T-junctions").count == 4  # every other node of the finer side
    assert found.finding("near-coincident nodes").count == 5
    assert "oddseam mend" in found.finding("cracks").advice
    wide = oddseam.survey(apart(strip(0, 0.4, 4), strip(0.41, 0.8, 8)))
    assert wide.finding("cracks") is None and wide.finding("T-junctions") is None


def test_holes_have_a_diameter():
    angle = np.arange(24) * np.pi / 12
    ring = [np.column_stack([r * np.cos(angle), r * np.sin(angle), 0 * angle]) for r in (1.0, 3.0)]
    i, j = np.arange(24), (np.arange(24) + 1) % 24
    quads = oddseam.Elements(np.column_stack([i, i + 24, j + 24, j]), np.arange(1, 25), np.zeros(24, int))
    mesh = oddseam.Mesh(np.concatenate(ring), {"quad": quads}, (oddseam.Part("plate", 1),))
    found = oddseam.survey(mesh).finding("hole-like rims")
    assert found.count == 2 and "6 (1.00), 2 (1.00)" in found.message and found.places[1].size == pytest.approx(2)


def test_slivers_are_found_and_degenerates_are_none():
    nodes = np.array([[0, 0, 0], [1, 0, 0], [0.5, 0.009, 0], [0.5, -0.5, 0], [0.25, 0, 0]], float)
    found = oddseam.survey(oddseam.Mesh.from_triangles(nodes, [[0, 1, 2], [0, 3, 1], [0, 4, 1]]))
    assert found.finding("slivers").count == 1 and found.finding("degenerate facets").count == 1


def test_quads_by_known_values():
    square = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], float)
    folded = square.copy()
    folded[2, 2] = 1.0
    dart = np.array([[0, 0, 0], [1, 0, 0], [0.2, 0.2, 0], [0, 1, 0]], float)
    q = quality(np.stack([square, folded, dart]))
    assert q["scaled_jacobian"][0] == pytest.approx(1) and q["warpage"][0] == pytest.approx(0)
    assert q["warpage"][1] == pytest.approx(60) and q["scaled_jacobian"][2] < 0


def test_solids_by_known_values():
    tet = np.array([[1, 1, 1], [1, -1, -1], [-1, 1, -1], [-1, -1, 1]], float)[[0, 2, 1, 3]]
    tet = tet if np.linalg.det(tet[1:] - tet[0]) > 0 else tet[[0, 2, 1, 3]]
    flat = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 1e-3], [0, 1, 0]], float)[[0, 1, 3, 2]]
    m = solid_quality("tet", np.stack([tet, flat, tet[[1, 0, 2, 3]]]), KINDS["tet"].edges)
    assert m["scaled_jacobian"][0] == pytest.approx(np.sqrt(0.5)) and m["radius_ratio"][0] == pytest.approx(1)
    assert m["height"][0] == pytest.approx(np.sqrt(2 / 3)) and m["height"][1] < 2e-3
    assert m["scaled_jacobian"][2] < 0 and m["radius_ratio"][2] == 0
    cube = shapes.cube()[0][[0, 1, 3, 2, 4, 5, 7, 6]]
    assert solid_quality("hex", cube[None], KINDS["hex"].edges)["scaled_jacobian"][0] == pytest.approx(1)
    wedge, pyramid = cube[[0, 1, 3, 4, 5, 7]], np.vstack([cube[:4], [0.5, 0.5, 1.0]])
    assert solid_quality("wedge", wedge[None], KINDS["wedge"].edges)["scaled_jacobian"][0] == pytest.approx(
        np.sqrt(0.5)
    )
    assert solid_quality("pyramid", pyramid[None], KINDS["pyramid"].edges)["scaled_jacobian"][0] > 0.5


@pytest.mark.parametrize("kind", ["tet", "tet10", "hex", "hex20"])
def test_a_survey_of_solids(kind):
    mesh = block_of(kind)
    found = oddseam.survey(mesh)
    assert {row.kind for row in found.quality} == {kind} and found.finding("inverted elements") is None
    table = mesh.elements[kind].connectivity.copy()
    table[3, [0, 1]] = table[3, [1, 0]]
    block = mesh.elements[kind]
    bad = oddseam.Mesh(mesh.nodes, {kind: oddseam.Elements(table, block.ids, block.part)}, mesh.parts)
    worse = oddseam.survey(bad).finding("inverted elements")
    assert worse.count == 1 and worse.places[0].ids == (int(block.ids[3]),)


def shape_jacobian(kind: str, nodes: np.ndarray, at: np.ndarray) -> float:
    """The determinant of an element's map at a place, by differences of its shape functions."""
    corners, others = REFERENCE[kind]
    places = np.array([*corners, *((np.array(corners[a]) + corners[b]) / 2 for a, b in others)])
    powers = [p for p in itertools.product(range(3), repeat=3) if KEEPS[kind](p)]
    inverse = np.linalg.inv(np.prod(places[:, None] ** np.array(powers), axis=2))

    def placed(x: np.ndarray) -> np.ndarray:
        return np.prod(x ** np.array(powers), axis=1) @ inverse @ nodes

    step = 1e-6 * np.eye(3)
    return float(np.linalg.det([(placed(at + h) - placed(at - h)) / 2e-6 for h in step]))


CUBE = [(x, y, z) for z in (-1.0, 1.0) for x, y in ((-1.0, -1.0), (1.0, -1.0), (1.0, 1.0), (-1.0, 1.0))]
CORNER = [(0.0, 0.0, 0.0), (1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0)]
REFERENCE = {"hex20": (CUBE, KINDS["hex20"].edges), "tet10": (CORNER, KINDS["tet10"].edges)}
KEEPS = {"hex20": lambda p: sum(p) - p.count(1) <= 2, "tet10": lambda p: sum(p) <= 2}


@pytest.mark.slow
@pytest.mark.parametrize("kind", ["tet10", "hex20"])
def test_midside_nodes_that_turn_an_element_over_are_seen(kind):
    rng = np.random.default_rng(7)
    corners, edges = REFERENCE[kind]
    straight = np.array([*corners, *((np.array(corners[a]) + corners[b]) / 2 for a, b in edges)])
    tet = np.array(list(itertools.product((0.1381966, 0.5854102), repeat=3)))
    inside = tet[np.isclose(tet.sum(axis=1), 3 * 0.1381966) | np.isclose(tet.sum(axis=1), 0.5854102 + 2 * 0.1381966)]
    inside = inside if kind == "tet10" else np.array(list(itertools.product((-(0.6**0.5), 0.0, 0.6**0.5), repeat=3)))
    turned = 0
    for _ in range(200):
        nodes = straight + rng.normal(0.0, 0.18, straight.shape) * (np.arange(len(straight)) >= len(corners))[:, None]
        least = min(shape_jacobian(kind, nodes, at) for at in [*np.array(corners), *inside])
        found = solid_quality(kind, nodes[None], edges)["scaled_jacobian"][0]
        assert (found > 0) == (least > 0) or abs(least) < 1e-3 or (found <= 0 < least and kind == "hex20")
        turned += least <= 0
        if found <= 0:
            block = oddseam.Elements(np.arange(len(nodes))[None], [1], [0])
            mesh = oddseam.Mesh(nodes, {kind: block}, (oddseam.Part("one", 1),), unit="mm")
            assert oddseam.survey(mesh).finding("inverted elements").count == 1
    assert 20 < turned < 180


def test_a_curved_shell_is_judged_by_all_its_nodes():
    nodes = np.array([[0, 0, 0], [2, 0, 0], [2, 2, 0], [0, 2, 0], [1, 0, 0], [2, 1, 0], [1, 2, 0], [0, 1, 0]], float)
    edges = KINDS["quad8"].edges
    assert curved_quality("quad8", nodes[None], edges)["scaled_jacobian"][0] == pytest.approx(1.0)
    nodes[4] = [2.5, 0.1, 0.0]  # beyond its corner
    assert curved_quality("quad8", nodes[None], edges)["scaled_jacobian"][0] < 0
    six = nodes[[0, 1, 3, 4, 5, 7]].copy()
    six[3], six[4] = [1, 0, 0], [1, 1, 0]
    assert curved_quality("tri6", six[None], KINDS["tri6"].edges)["scaled_jacobian"][0] > 0.5
    six[4] = [-0.2, -0.2, 0.0]
    assert curved_quality("tri6", six[None], KINDS["tri6"].edges)["scaled_jacobian"][0] < 0
