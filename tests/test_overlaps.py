"""Facets that cross: cut exactly, and what is solid becomes one."""

from __future__ import annotations

import numpy as np
import pytest
import shapes
from hypothesis import given, settings, strategies as st
from unions import box, volume_of_boxes

import oddseam
from oddseam.geometry.exact.arrangement import arrange
from oddseam.geometry.exact.crossings import crossing_pairs
from oddseam.geometry.triangles import area_vectors, cone_volumes, winding_number


def bodies(*shapes_given) -> tuple[np.ndarray, np.ndarray]:
    start = np.cumsum([0, *(len(nodes) for nodes, _ in shapes_given)])
    return (
        np.concatenate([nodes for nodes, _ in shapes_given]),
        np.concatenate([t + first for (_, t), first in zip(shapes_given, start, strict=False)]),
    )


def turned(seed: int) -> np.ndarray:
    turn, _ = np.linalg.qr(np.random.default_rng(seed).normal(size=(3, 3)))
    return turn * np.sign(np.linalg.det(turn))


def united(shape, target: str | None = None, **how) -> oddseam.Mesh:
    mended = oddseam.mend(oddseam.Mesh.from_triangles(*shape), target=target, crumbs=0.0, close="none", **how)
    assert not mended.account.last.outcome.unmet
    proof = oddseam.prove(mended if target is None else oddseam.as_written(mended, target))
    assert proof.is_closed and proof.is_clean
    return mended


corner = st.tuples(*[st.integers(0, 4)] * 3)


@pytest.mark.slow
@settings(max_examples=40, deadline=None)
@given(st.lists(st.tuples(corner, st.tuples(*[st.integers(1, 3)] * 3)), min_size=2, max_size=4), st.booleans())
def test_boxes_on_a_grid_share_planes_edges_and_corners(given_boxes, to_stl):
    boxes = [(np.array(low, float), np.array(low, float) + size) for low, size in given_boxes]
    mesh = oddseam.Mesh.from_triangles(*bodies(*(box(*b) for b in boxes)))
    result = oddseam.mend(mesh, target="stl" if to_stl else None, crumbs=0.0, close="none")
    proof = oddseam.prove(result)
    assert proof.is_closed and proof.is_oriented and not proof.crossing_pairs and not proof.duplicate_facets
    # where the one surface touches itself in an edge or a node, it is left so, and that is said
    assert proof.is_manifold == (not result.account.last.outcome.unmet)
    assert all(line.startswith("non-manifold") for line in result.account.last.outcome.unmet)
    corners = result.nodes[result.triangulation.triangles]
    volume = cone_volumes(corners, corners.reshape(-1, 3).mean(axis=0)).sum()
    assert volume == pytest.approx(volume_of_boxes(boxes), rel=1e-5 if to_stl else 1e-12)


@pytest.mark.parametrize("seed", range(8))
def test_turned_boxes_agree_with_counting_points(seed):
    random = np.random.default_rng(seed)
    parts = [
        (
            box(-random.random(3), random.random(3))[0] @ turned(10 * seed + k) + 0.3 * random.normal(size=3),
            shapes.cube()[1],
        )
        for k in range(3)
    ]
    result = united(bodies(*parts), "stl")
    corners = result.nodes[result.triangulation.triangles]
    for point in random.uniform(-1.2, 1.2, size=(60, 3)):
        inside = any(winding_number(point, nodes[t]) > 0.5 for nodes, t in parts)
        assert (winding_number(point, corners) > 0.5) == inside


def test_round_bodies_keep_ids_parts_and_all_that_does_not_cross():
    (a, s), (b, t) = shapes.torus(), shapes.torus()
    nodes, triangles = bodies((a, s), (b @ turned(5) + [0.9, 0.3, 0.2], t))
    parts = (oddseam.Part("one", 1), oddseam.Part("two", 2))
    mesh = oddseam.Mesh.from_triangles(nodes, triangles, part=np.repeat([0, 1], [len(s), len(t)]), parts=parts)
    result = oddseam.mend(mesh, target=None, close="none")
    assert oddseam.prove(result).is_clean and oddseam.prove(result).is_closed and result.connectivity.n_pieces == 1
    stays = np.isin(result.element_ids, mesh.element_ids)
    before = dict(zip(mesh.element_ids.tolist(), mesh.nodes[mesh.triangulation.triangles].tolist(), strict=True))
    corners = result.nodes[result.triangulation.triangles].tolist()
    for number, its in zip(result.element_ids[stays].tolist(), np.array(corners)[stays].tolist(), strict=True):
        assert its == before[number]
    assert stays.sum() > 2000
    # every piece lies on the torus of its part
    middles = np.array(corners).mean(axis=1)[~stays]
    of = result.element_part[~stays]
    for part, back in ((0, lambda p: p), (1, lambda p: (p - [0.9, 0.3, 0.2]) @ turned(5).T)):
        p = back(middles[of == part])
        assert np.abs(np.hypot(np.hypot(p[:, 0], p[:, 1]) - 2.0, p[:, 2]) - 0.7).max() < 0.02


def test_cavities_stay_inner_bodies_go_and_what_is_given_twice_counts_once():
    big, small = box([0, 0, 0], [4, 4, 4]), box([1, 1, 1], [2, 2, 2])
    hollow = bodies(big, (small[0], small[1][:, ::-1]))
    other = box([3, 3, 3], [5, 5, 5])
    assert oddseam.prove(united(bodies(hollow, other))).volume == pytest.approx(64 - 1 + 8 - 1)
    assert oddseam.prove(united(bodies(big, small, other))).volume == pytest.approx(64 + 8 - 1)
    assert oddseam.prove(united(bodies(other, other, big))).volume == pytest.approx(64 + 8 - 1)
    # a body that crosses and looks inward is turned, not eaten
    assert oddseam.prove(united(bodies(big, (other[0], other[1][:, ::-1])))).volume == pytest.approx(64 + 8 - 1)


def test_imprint_keeps_every_surface_and_keep_keeps_the_crossing():
    shape = bodies(box([0, 0, 0], [2, 2, 2]), box([1, 1, 1], [3, 3, 3]))
    mesh = oddseam.Mesh.from_triangles(*shape)
    area = np.linalg.norm(area_vectors(shape[0][shape[1]]), axis=1).sum()
    imprinted = oddseam.mend(mesh, overlaps="imprint", close="none")
    corners = imprinted.nodes[imprinted.triangulation.triangles]
    assert np.linalg.norm(area_vectors(corners), axis=1).sum() == pytest.approx(area)
    assert not len(imprinted.crossing_triangles) and imprinted.connectivity.is_nonmanifold.sum() >= 6
    kept = oddseam.mend(mesh, overlaps="keep")
    assert kept.n_elements == 24 and any("crossing facets" in line for line in kept.account.last.outcome.unmet)
    with pytest.raises(oddseam.Refusal, match="'union', 'imprint' or 'keep'"):
        oddseam.mend(mesh, overlaps="merge")


def test_open_sheets_are_imprinted_where_that_is_asked():
    nodes, triangles = shapes.sheet(6)
    upright = np.column_stack([nodes[:, 0], 0.47 + 0 * nodes[:, 1], nodes[:, 1] - 0.47])
    mesh = oddseam.Mesh.from_triangles(*bodies((nodes, triangles), (upright, triangles)))
    mended = oddseam.mend(mesh, close="none", overlaps="imprint")
    assert not len(mended.crossing_triangles) and not mended.account.last.outcome.unmet
    left = oddseam.mend(mesh, close="none")
    assert left.digest == mesh.digest
    assert any("open sheets cross" in line for line in left.account.last.outcome.unmet)
    line = np.abs(mended.nodes - [0.0, 0.47, 0.0])[:, 1:].max(axis=1) < 1e-5
    assert line.sum() >= 7 and mended.nodes[line, 0].min() < 1e-5 and mended.nodes[line, 0].max() > 1.0 - 1e-5


@settings(max_examples=25, deadline=None)
@given(st.integers(0, 10**6), st.integers(2, 14), st.booleans())
def test_any_soup_is_cut_so_that_nothing_crosses_and_no_area_is_lost(seed, count, on_grid):
    random = np.random.default_rng(seed)
    soup = random.integers(0, 4, size=(count, 3, 3)).astype(float) if on_grid else random.random((count, 3, 3))
    area = np.linalg.norm(area_vectors(soup), axis=1)
    soup = soup[area > 1e-9]
    if not len(soup):
        return
    nodes, triangles = shapes.joined(soup)
    if not on_grid:
        nodes, triangles = soup.reshape(-1, 3), np.arange(3 * len(soup)).reshape(-1, 3)
    cut = arrange(nodes, triangles)
    pieces = np.linalg.norm(area_vectors(cut.points[cut.triangles]), axis=1)
    whole = np.linalg.norm(area_vectors(nodes[triangles]), axis=1)
    assert np.bincount(cut.origin, pieces, len(triangles)) == pytest.approx(whole, abs=1e-12)
    names = np.sort(cut.triangles, axis=1)
    pairs = crossing_pairs(cut.points, cut.triangles)
    crossing = pairs[(names[pairs[:, 0]] != names[pairs[:, 1]]).any(axis=1)]
    assert len(crossing) == 0 if on_grid else len(crossing) <= 0.02 * len(names)


def test_a_facet_that_has_no_area_once_its_nodes_are_joined_is_no_hole():
    nodes, triangles = bodies(box([0, 0, 0], [2, 2, 2]), box([1, 1, 1], [3, 3, 3]))
    # an edge of the first box is split, and a facet lies between the halves and itself, on nodes of its own
    a, b = triangles[0, :2]
    far = triangles[0, 2]
    middle = (nodes[a] + nodes[b]) / 2
    n = len(nodes)
    nodes = np.concatenate([nodes, [middle, middle]])
    other = next(r for r in range(1, 12) if {a, b} <= set(triangles[r].tolist()))
    rest = next(v for v in triangles[other].tolist() if v not in (a, b))
    extra = [[a, n, far], [n, b, far], [b, n + 1, rest], [n + 1, a, rest], [n, n + 1, b], [n + 1, n, a]]
    kept = np.delete(triangles, [0, other], axis=0)
    mesh = oddseam.Mesh.from_triangles(nodes, np.concatenate([kept, extra]))
    result = oddseam.mend(mesh, crumbs=0.0, close="none")
    assert not result.account.last.outcome.unmet
    assert oddseam.prove(result).volume == pytest.approx(15)
