from __future__ import annotations

import numpy as np
import pytest
import shapes
from test_openings import panel

import oddseam
from oddseam.geometry.shapes.quality import quality
from oddseam.mending.holes.creased import divided
from oddseam.model.lost_names import part_areas


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


@pytest.mark.slow
@pytest.mark.parametrize("n", [12, 120, 450])
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


def test_a_fill_goes_to_the_parts_that_the_sides_of_its_rim_belong_to():
    nodes, triangles = shapes.sheet(20)
    middle = nodes[triangles].mean(axis=1)
    hole = np.hypot(middle[:, 0] - 0.55, middle[:, 1] - 0.5) < 0.13
    left = middle[~hole, 0] < 0.5
    parts = (oddseam.Part("right", 1), oddseam.Part("left", 2))
    mesh = oddseam.Mesh.from_triangles(nodes, triangles[~hole], part=left.astype(int), parts=parts)
    filled = oddseam.mend(mesh, close=0.6)
    new = filled.element_ids > mesh.element_ids.max()
    x = filled.nodes[filled.elements["tri"].connectivity][new].mean(axis=1)[:, 0]
    assert new.sum() > 10 and ((x < 0.5) == (filled.element_part[new] == 1)).all()
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


def without(shape, centre, reach) -> oddseam.Mesh:
    """A shape without the facets near a place."""
    nodes, triangles = shape
    away = np.linalg.norm(nodes[triangles].mean(axis=1) - centre, axis=1)
    return oddseam.Mesh.from_triangles(nodes, triangles[away > reach])


@pytest.mark.parametrize("reach", [0.2, 0.35, 0.5])
def test_a_hole_in_a_ball_is_filled_round(reach):
    mesh = without(shapes.sphere(96), [0.6, 0.0, 0.8], reach)
    filled = oddseam.mend(mesh, close="all")
    assert oddseam.prove(filled).is_closed and oddseam.prove(filled).is_clean
    radius = np.linalg.norm(new_corners(mesh, filled), axis=2)
    flat = 1.0 - np.sqrt(1.0 - reach**2 * (1 - reach**2 / 4))  # how far a flat fill would lie within
    assert np.abs(radius - 1.0).max() < 0.05 * flat
    assert quality(new_corners(mesh, filled))["minimum_angle"].min() > 10.0
    assert "1 with the curvature round them" in str(filled.account.last.outcome.steps)


@pytest.mark.parametrize("place", [(2.7, 0, 0), (1.3, 0, 0), (2.0, 0, 0.7)])
def test_a_hole_in_a_torus_is_filled_with_its_curvature(place):
    mesh = without(shapes.torus(160, 80), np.array(place), 0.25)
    filled = oddseam.mend(mesh, close="all")
    corners = new_corners(mesh, filled)
    radius = np.hypot(np.hypot(corners[..., 0], corners[..., 1]) - 2.0, corners[..., 2])
    assert np.abs(radius - 0.7).max() < 0.004 and oddseam.prove(filled).is_closed


@pytest.mark.slow
@pytest.mark.parametrize("seed", range(12))
def test_a_hole_over_edges_and_corners_keeps_them(seed):
    random = np.random.default_rng(seed)
    place = random.random(3)
    for k in range(1 + seed % 3):  # on a side, an edge, a corner
        place[k] = random.integers(0, 2)
    turn, _ = np.linalg.qr(random.normal(size=(3, 3)))
    turn *= np.sign(np.linalg.det(turn))
    mesh = without(shapes.grid_cube(20), place, random.uniform(0.08, 0.28))
    turned = oddseam.Mesh.from_triangles(mesh.nodes @ turn, mesh.triangulation.triangles)
    filled = oddseam.mend(turned, close="all")
    assert oddseam.prove(filled).is_closed and not filled.account.last.outcome.unmet
    assert oddseam.prove(filled).volume == pytest.approx(1.0, rel=1e-9)
    corners = new_corners(turned, filled) @ turn.T
    assert np.minimum(np.abs(corners), np.abs(corners - 1.0)).min(axis=2).max() < 1e-9  # each on a side
    assert quality(new_corners(turned, filled))["minimum_angle"].min() > 5.0


def ring_gap(middles, inner: float, outer: float, n: int = 40) -> oddseam.Mesh:
    """A sheet with ring-shaped gaps round some middles."""
    nodes, triangles = shapes.sheet(n)
    away = np.linalg.norm(nodes[triangles].mean(axis=1)[:, None] - np.array(middles), axis=2)
    gone = ((away > inner) & (away < outer)).any(axis=1)
    return oddseam.Mesh.from_triangles(nodes, triangles[~gone])


@pytest.mark.parametrize("middles", [[(0.5, 0.5, 0)], [(0.3, 0.3, 0), (0.7, 0.7, 0)]])
def test_an_island_is_filled_round(middles):
    mesh = ring_gap(middles, 0.08, 0.19)
    assert mesh.connectivity.n_pieces == 1 + len(middles)
    filled = oddseam.mend(mesh, close=0.6)
    assert filled.connectivity.n_pieces == 1 and filled.connectivity.n_rims == 1
    assert not filled.account.last.outcome.unmet and oddseam.prove(filled).is_clean
    corners = filled.nodes[filled.elements["tri"].connectivity]
    area = 0.5 * np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    assert area[:, 2].min() > 0 and area[:, 2].sum() == pytest.approx(1.0) and (filled.nodes[:, 2] == 0).all()
    assert quality(new_corners(mesh, filled))["minimum_angle"].min() > 15.0


def test_several_islands_in_one_hole():
    nodes, triangles = shapes.sheet(60)
    middle = nodes[triangles].mean(axis=1)[:, :2]
    keep = np.abs(middle - 0.5).max(axis=1) > 0.35
    for x, y in ((0.35, 0.35), (0.62, 0.4), (0.5, 0.68)):
        keep |= np.hypot(*(middle - (x, y)).T) < 0.07
    mesh = oddseam.Mesh.from_triangles(nodes, triangles[keep])
    filled = oddseam.mend(mesh, close=1.2)
    assert filled.connectivity.n_pieces == 1 and filled.connectivity.n_rims == 1 and oddseam.prove(filled).is_clean
    assert "round 3 island(s)" in str(filled.account.last.outcome.steps)


def test_a_sheet_above_a_hole_is_no_island():
    nodes, triangles = shapes.sheet(40)
    away = np.linalg.norm(nodes[triangles].mean(axis=1) - [0.5, 0.5, 0.0], axis=1)
    above, lid = shapes.sheet(4)
    above = above * [0.1, 0.1, 0.0] + [0.45, 0.45, 0.3]
    both = np.concatenate([triangles[away > 0.19], lid + len(nodes)])
    filled = oddseam.mend(oddseam.Mesh.from_triangles(np.concatenate([nodes, above]), both), close=0.6)
    assert filled.connectivity.n_pieces == 2
    assert any("border of a sheet" in line or "left open" in line for line in
               (*filled.account.last.outcome.unmet, *filled.account.last.outcome.notes))  # fmt: skip


def test_rims_that_touch_in_a_node_are_filled_each():
    nodes, triangles = shapes.grid_cube(8)
    top = np.flatnonzero((nodes[triangles][:, :, 2] == 1).all(axis=1))
    middle = nodes[triangles[top]].mean(axis=1)
    corner_to_corner = ((middle[:, :2] > 0.25) & (middle[:, :2] < 0.5)).all(axis=1)
    corner_to_corner |= ((middle[:, :2] > 0.5) & (middle[:, :2] < 0.75)).all(axis=1)
    mesh = oddseam.Mesh.from_triangles(nodes, np.delete(triangles, top[corner_to_corner], axis=0))
    assert len(mesh.connectivity.nonmanifold_nodes) == 1
    filled = oddseam.mend(mesh, close="all")
    assert oddseam.prove(filled).is_closed and oddseam.prove(filled).is_clean
    assert oddseam.prove(filled).volume == pytest.approx(1.0)


@pytest.mark.parametrize("width", [1, 3])
def test_a_long_slot_is_zipped_and_not_fanned(width):
    nodes, triangles = shapes.sheet(80)
    random = np.random.default_rng(width)
    nodes = nodes + 0.2 / 80 * random.uniform(-1, 1, nodes.shape) * [1, 1, 0]
    middle = nodes[triangles].mean(axis=1)
    slot = (np.abs(middle[:, 0] - nodes[:, 0].mean()) < 30 / 80) & (np.abs(middle[:, 1] - 40.5 / 80) < width / 160)
    mesh = oddseam.Mesh.from_triangles(nodes, triangles[~slot])
    mended = oddseam.mend(mesh, close=0.9)
    corners = new_corners(mesh, mended)
    assert len(corners) >= slot.sum() * 0.8 and mended.connectivity.n_rims == 1
    longest = np.linalg.norm(corners - np.roll(corners, 1, axis=1), axis=2).max()
    assert longest < 2.0 * max(1.0, width / 2) / 80
    used = np.unique(corners.reshape(-1, 3), axis=0, return_counts=True)[1]
    assert used.max() <= 9


def test_creases_that_would_meet_far_beyond_the_hole_meet_in_no_corner():
    turn = np.arange(24) * np.pi / 12
    loop = np.column_stack([np.cos(turn), np.sin(turn), np.zeros(24)])
    at = np.array([10, 12, 14])
    for corner, is_met in (([0.2, 0.0, 0.0], True), ([400.0, 0.0, 0.0], False)):
        ways = np.array(corner) - loop[at]
        made = divided(loop, np.full(24, 0.25), at, ways / np.linalg.norm(ways, axis=1, keepdims=True), at >= 0)
        assert (len(made.points) > 0) == is_met and np.linalg.norm(made.points, axis=1).max(initial=0.0) < 1.0


@pytest.mark.slow
def test_a_wide_hole_with_a_fine_rim_is_not_filled_ever_finer():
    # as fine as the rim all over it would take 37,000 facets
    nodes, triangles = shapes.capped_cylinder(450)
    cup = shapes.mesh((nodes, triangles[: 3 * 450]))
    filled = oddseam.mend(cup, close="all")
    assert oddseam.prove(filled).is_closed and not filled.account.last.outcome.unmet
    assert filled.n_elements - cup.n_elements < 60 * 450


def in_two_parts(mesh, beyond):
    """The mesh with the elements whose middles are beyond a line in a part of their own."""
    blocks = {}
    for name, block in mesh.elements.items():
        middle = mesh.nodes[block.connectivity].mean(axis=1)
        blocks[name] = oddseam.Elements(block.connectivity, block.ids, beyond(middle).astype(np.int32))
    return oddseam.Mesh(mesh.nodes, blocks, (oddseam.Part("one", 1), oddseam.Part("two", 2)), mesh.node_ids, unit="mm")


@pytest.mark.parametrize("kind", ["quad", "tri"])
@pytest.mark.parametrize("bend", [0.0, 0.02])
@pytest.mark.parametrize("slope", [0.0, 1.0])
def test_the_border_between_parts_goes_on_over_a_fill(kind, bend, slope):
    whole = in_two_parts(panel(20, bend, kind), lambda m: m[:, 0] - 10 > slope * (m[:, 1] - 10))
    holed = oddseam.delete(whole, "cylinder (10.2,9.7,-9) (10.2,9.7,9) 3.3")
    filled = oddseam.fill(holed, near=(10.2, 6.4, 0))
    assert oddseam.prove(filled).is_clean and oddseam.prove(filled).rims == 1
    one, two = (part_areas(mesh) for mesh in (whole, filled))
    assert two == pytest.approx(
        one, rel=2e-3 if kind == "tri" or slope == 0 else 0.015
    )  # quads: stairs become straight
    if slope == 0:  # straight along edges: the border itself, to the last bit but for what curvature it has
        assert two == pytest.approx(one, rel=1e-9 if bend == 0 else 1e-3)


def test_a_fill_over_a_corner_of_three_parts_takes_each_side():
    sheet = panel(20, 0.0, "tri")
    block = sheet.elements["tri"]
    middle = sheet.nodes[block.connectivity].mean(axis=1) - 10
    part = np.where(middle[:, 1] < 0, 0, np.where(middle[:, 0] < 0, 1, 2)).astype(np.int32)
    parts = tuple(oddseam.Part(name, k) for k, name in enumerate("abc", 1))
    whole = oddseam.Mesh(sheet.nodes, {"tri": oddseam.Elements(block.connectivity, block.ids, part)}, parts, unit="mm")
    filled = oddseam.fill(oddseam.delete(whole, "cylinder (10,10,-9) (10,10,9) 3"), near=(10, 7, 0))
    assert part_areas(filled) == pytest.approx(part_areas(whole), rel=1e-9)
