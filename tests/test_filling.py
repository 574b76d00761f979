from __future__ import annotations

import numpy as np
import pytest
import shapes

import oddseam
from oddseam.geometry.quality import quality


def new_corners(before: oddseam.Mesh, after: oddseam.Mesh) -> np.ndarray:
    """Corners of the facets that were added."""
    return after.nodes[after.elements["tri"].connectivity[after.element_ids > before.element_ids.max()]]


def tube(n: int, wave: float = 0.0) -> oddseam.Mesh:
    """An open tube; ``wave`` makes its upper rim rise and fall."""
    turn = np.arange(n) * 2 * np.pi / n
    rows = [
        np.column_stack([np.cos(turn), np.sin(turn), z + wave * z * np.cos(2 * turn)]) for z in np.linspace(0, 1, 12)
    ]
    i, j = np.arange(n), (np.arange(n) + 1) % n
    triangles = []
    for r in range(11):
        a, b, c, d = i + r * n, j + r * n, j + (r + 1) * n, i + (r + 1) * n
        triangles += [np.stack([a, b, c], 1), np.stack([a, c, d], 1)]
    return oddseam.Mesh.from_triangles(np.concatenate(rows), np.concatenate(triangles))


@pytest.mark.parametrize("n", [12, 120, 900])
def test_a_flat_end_is_filled_flat_whatever_its_length(n):
    open_tube = tube(n)
    shut = oddseam.mend(open_tube, close="all")
    proof = oddseam.prove(shut)
    assert proof.is_clean and proof.is_closed
    assert proof.volume == pytest.approx(0.5 * n * np.sin(2 * np.pi / n), rel=1e-9)
    added = new_corners(open_tube, shut)
    assert np.isin(np.round(added[:, :, 2], 9), [0.0, 1.0]).all()
    angle = quality(added)["minimum_angle"]
    assert angle.min() > 10.0 and np.median(angle) > 40.0


@pytest.mark.parametrize("wave", [0.1, 0.3])
def test_a_waved_rim_is_filled_without_folds(wave):
    open_tube = tube(60, wave)
    shut = oddseam.mend(open_tube, close="all")
    proof = oddseam.prove(shut)
    assert proof.is_clean and proof.is_closed
    added = new_corners(open_tube, shut)
    assert added[:, :, 2].max() <= 1.0 + wave + 1e-9 and np.hypot(added[..., 0], added[..., 1]).max() <= 1.0 + 1e-9
    assert quality(added)["minimum_angle"].min() > 5.0


def test_one_missing_facet_is_put_back_and_nothing_else():
    nodes, triangles = shapes.torus(60, 40)
    for gone in (0, 77, 1234):
        mesh = oddseam.Mesh.from_triangles(nodes, np.delete(triangles, gone, axis=0))
        mended = oddseam.mend(mesh)
        assert mended.n_nodes == len(nodes) and mended.n_elements == len(triangles)
        added = mended.elements["tri"].connectivity[mended.element_ids > mesh.element_ids.max()]
        assert sorted(added[0].tolist()) == sorted(triangles[gone].tolist())


def test_a_fill_goes_to_the_part_that_most_of_its_rim_belongs_to():
    nodes, triangles = shapes.sheet(20)
    middle = nodes[triangles].mean(axis=1)
    hole = np.hypot(middle[:, 0] - 0.55, middle[:, 1] - 0.5) < 0.13
    left = middle[~hole, 0] < 0.5
    parts = (oddseam.Part("right", 1), oddseam.Part("left", 2))
    mesh = oddseam.Mesh.from_triangles(nodes, triangles[~hole], part=left.astype(int), parts=parts)
    filled = oddseam.mend(mesh, close=0.6)
    new = filled.element_ids > mesh.element_ids.max()
    assert new.sum() > 10 and (filled.element_part[new] == 0).all()
    assert filled.connectivity.n_rims == 1
    area = np.linalg.norm(
        np.cross(*np.diff(filled.nodes[filled.elements["tri"].connectivity], axis=1).transpose(1, 0, 2)), axis=1
    )
    assert 0.5 * area.sum() == pytest.approx(1.0)


def slit_cube(width):
    """A cube with a slit along a line of nodes in its upper side, tapering to both ends."""
    nodes, triangles = shapes.grid_cube(12)
    on = (nodes[:, 2] == 1) & (np.abs(nodes[:, 1] - 0.5) < 1e-9) & (np.abs(nodes[:, 0] - 0.5) < 0.3)
    split = np.flatnonzero(on)
    above = nodes[triangles].mean(axis=1)[:, 1] > 0.5
    other = np.full(len(nodes), -1)
    other[split] = len(nodes) + np.arange(len(split))
    moved = np.where(above[:, None] & (other[triangles] >= 0), other[triangles], triangles)
    return oddseam.Mesh.from_triangles(np.concatenate([nodes, nodes[split] + [0.0, width, 0.0]]), moved)


@pytest.mark.parametrize("width", [1e-5, 1.7e-4, 4e-4])
def test_a_crack_is_closed_whatever_its_length(width):
    mended = oddseam.mend(slit_cube(width))
    assert oddseam.prove(mended).is_closed and not mended.account.last.outcome.unmet
    assert mended.account.last.largest_move <= 1.8e-4


def test_a_slot_stays_and_is_listed():
    outcome = (mended := oddseam.mend(slit_cube(0.004))).account.last.outcome
    assert mended.connectivity.n_rims == 1 and not outcome.unmet
    assert any("left open: a rim" in note for note in outcome.notes)
