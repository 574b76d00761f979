"""Openings of shells and free-form patches: nodes stay on the surface; parts held and moved whole; patches renewed."""

from __future__ import annotations

import numpy as np
import pytest
import solids

import oddseam
from oddseam.geometry.shapes.fitted import FittedSurface


def bowl(x: np.ndarray, y: np.ndarray) -> np.ndarray:
    """A doubly curved panel, no simple surface."""
    return 0.004 * (x - 50) ** 2 + 0.0025 * (y - 40) ** 2 + 0.00004 * (x - 50) ** 3


@pytest.fixture(scope="module")
def panel() -> oddseam.Mesh:
    x, y = np.meshgrid(np.linspace(0, 100, 51), np.linspace(0, 80, 41))
    nodes = np.column_stack([x.ravel(), y.ravel(), bowl(x, y).ravel()])
    at = np.arange(len(nodes)).reshape(x.shape)
    quads = np.stack([at[:-1, :-1], at[:-1, 1:], at[1:, 1:], at[1:, :-1]], -1).reshape(-1, 4)
    block = oddseam.Elements(quads, np.arange(1, len(quads) + 1), np.zeros(len(quads), int))
    sheet = oddseam.Mesh(nodes, {"quad": block}, (oddseam.Part("panel", 1, thickness=1.0),), unit="mm")
    return oddseam.cut(sheet, at=(55.0, 42.0, 0.0), direction=(0, 0, 1), diameter=20.0, rim_nodes=32, collars=[2.5])


def off(mesh: oddseam.Mesh) -> float:
    return float(np.abs(mesh.nodes[:, 2] - bowl(mesh.nodes[:, 0], mesh.nodes[:, 1])).max())


def opening(mesh: oddseam.Mesh) -> dict:
    return min(oddseam.list_openings(mesh), key=lambda row: row.diameter)


@pytest.mark.parametrize(
    "change",
    [
        {"diameter": 26.0},
        {"diameter": 15.0},
        {"centre": (49.0, 45.0, 0.1)},
        {"centre": (52.0, 40.0, 0.0), "diameter": 17.0},
    ],
)
def test_an_opening_changes_on_a_free_form_panel(panel, change):
    was = opening(panel)
    new = oddseam.morph(panel, oddseam.Bore(oddseam.rim_points(panel, near=was.centre)[0], **change))
    now = opening(new)
    assert now.diameter == pytest.approx(change.get("diameter", was.diameter), rel=3e-3)
    if "centre" in change:
        assert now.centre[:2] == pytest.approx(change["centre"][:2], abs=0.1)
    assert off(new) < off(panel) + 0.02  # a hundredth of the elements, on a bowl 12 deep
    edge = (panel.nodes[:, 0] < 1e-9) | (panel.nodes[:, 1] < 1e-9)
    assert (new.nodes[edge] == panel.nodes[edge]).all()
    assert not new.account.last.outcome.notes


def test_no_opening_and_no_cylinder_is_said(panel):
    with pytest.raises(oddseam.Refusal, match=r"is free-form, and no cylinder .* nor is there a round opening"):
        oddseam.morph(panel, oddseam.Bore((5.0, 5.0, 0.0), diameter=3.0))


def test_a_free_form_patch_is_offset_by_the_distance(panel):
    new = oddseam.morph(panel, oddseam.Offset("near (20, 20, 5) flat 60", 1.5))
    surface = FittedSurface(panel.nodes, np.tile([0.0, 0.0, 1.0], (panel.n_nodes, 1)))
    height = surface.distance(new.nodes)
    assert np.abs(np.abs(height) - 1.5).max() < 0.01


def test_a_fitted_surface_is_where_the_surface_is():
    random = np.random.default_rng(4)
    x, y = random.uniform(0, 100, (2, 4000))
    normals = np.tile([0.0, 0.0, 1.0], (4000, 1))
    surface = FittedSurface(np.column_stack([x, y, bowl(x, y)]), normals)
    u, v = random.uniform(5, 95, (2, 500))
    points = np.column_stack([u, v, bowl(u, v)])
    distance, normal = surface.measured(points)
    assert np.abs(distance).max() < 1e-3
    slope = np.column_stack([-(0.008 * (u - 50) + 0.00012 * (u - 50) ** 2), -0.005 * (v - 40), np.ones(500)])
    slope /= np.linalg.norm(slope, axis=1, keepdims=True)
    assert np.einsum("ij,ij->i", slope, normal).min() > 0.9999
    raised = points + 0.3 * slope
    assert surface.distance(raised) == pytest.approx(0.3 * np.ones(500), abs=2e-3)
    assert len(surface.distance(np.zeros((0, 3)))) == 0


def two_parts() -> oddseam.Mesh:
    """A box of two parts that share the nodes of their border."""
    mesh = solids.solid(solids.grid(np.linspace(0, 20, 11), *[np.linspace(0, 8, 5)] * 2), "hex")
    block = mesh.elements["hex"]
    part = (mesh.nodes[block.connectivity].mean(axis=1)[:, 0] > 10).astype(int)
    parts = (oddseam.Part("left", 1), oddseam.Part("right", 2))
    return mesh.replaced(elements={"hex": oddseam.Elements(block.connectivity, block.ids, part)}, parts=parts)


def test_parts_are_held_and_moved_with_all_that_is_in_them():
    mesh = two_parts()
    left = mesh.nodes[:, 0] <= 10
    change = oddseam.Scale("near (20, 4, 4) flat 5", (1.0, 1.3, 1.3), about=(20, 4, 4))
    free, held = (oddseam.morph(mesh, change, hold=hold, reach=50.0) for hold in ((), ("part left",)))
    inner = left & ((mesh.nodes[:, 1:] > 0) & (mesh.nodes[:, 1:] < 8)).all(axis=1)
    assert (free.nodes[inner] != mesh.nodes[inner]).any()
    assert (held.nodes[left] == mesh.nodes[left]).all()
    moved = oddseam.morph(mesh, oddseam.Move("part right minus part left", (1.0, 0.0, 0.0)))
    right = mesh.nodes[:, 0] > 10
    assert (moved.nodes[right] == mesh.nodes[right] + (1.0, 0.0, 0.0)).all()


def test_patches_say_what_they_are_afterwards():
    turn = np.arange(24) * np.pi / 12
    ring = 5.0 * np.column_stack([np.cos(turn), np.sin(turn)])
    nodes = np.concatenate([np.column_stack([ring, np.full(24, z)]) for z in np.linspace(0, 12, 7)])
    k, a = np.arange(24), (np.arange(24) + 1) % 24
    rows = [np.column_stack([k + r, a + r, a + r + 24, k + r + 24]) for r in range(0, 144, 24)]
    quads = np.concatenate(rows)
    block = oddseam.Elements(quads, np.arange(1, len(quads) + 1), np.zeros(len(quads), int))
    pipe = oddseam.find_features(oddseam.Mesh(nodes, {"quad": block}, (oddseam.Part("pipe", 1),), unit="mm"))
    new = oddseam.morph(pipe, oddseam.Bore((5, 0, 6), diameter=12.0))
    assert new.patches.table[0].radius == pytest.approx(6.0)
    assert new.patches.table[0].name == pipe.patches.table[0].name
    assert new.patches.table[0].area == pytest.approx(pipe.patches.table[0].area * 1.2)
    again = oddseam.morph(new, oddseam.Bore((6, 0, 6), diameter=10.0))
    assert np.abs(again.nodes - pipe.nodes).max() < 1e-9


def test_midside_nodes_that_would_fold_an_element_are_refused():
    mesh = solids.solid(solids.grid(*[np.linspace(0, 4, 3)] * 3), "hex20")
    mid = int(np.flatnonzero((mesh.nodes == (1.0, 4.0, 4.0)).all(axis=1))[0])
    number = int(mesh.node_ids[mid])
    oddseam.morph(mesh, oddseam.Targets({number: (1.2, 4.0, 4.0)}))
    with pytest.raises(oddseam.Refusal, match="would be turned inside out"):
        oddseam.morph(mesh, oddseam.Targets({number: (1.6, 4.0, 4.0)}))


def rolled(turn: float, radius: float = 20.0) -> oddseam.Mesh:
    """A sheet of quads rolled round z, so many degrees, 30 high."""
    k, rows = round(turn / 3), 24
    whole = turn >= 360
    angle = np.radians(np.linspace(0, turn, k + 1)[: k if whole else None])
    n = len(angle)
    z = np.linspace(0, 30, rows + 1)
    nodes = np.column_stack([np.tile(radius * np.cos(angle), rows + 1), np.tile(radius * np.sin(angle), rows + 1),
                             np.repeat(z, n)])  # fmt: skip
    i, j = np.meshgrid(np.arange(k), np.arange(rows), indexing="ij")
    a, b = (j * n + i).ravel(), (j * n + (i + 1) % n).ravel()
    block = oddseam.Elements(np.column_stack([a, b, b + n, a + n]), np.arange(1, k * rows + 1), np.zeros(k * rows, int))
    return oddseam.Mesh(nodes, {"quad": block}, (oddseam.Part("skin", 1),), unit="mm")


@pytest.mark.parametrize("turn", [120, 360])
@pytest.mark.parametrize("where", ["middle", "rim"])
def test_a_bore_near_a_small_hole_in_a_curved_skin_is_the_hole(turn, where):
    middle = np.array([20 * np.cos(1.0), 20 * np.sin(1.0), 14.0])
    skin = oddseam.cut(rolled(turn), at=tuple(middle), diameter=5.0)
    near = tuple(middle if where == "middle" else oddseam.rim_points(skin, near=tuple(middle))[0])
    new = oddseam.morph(skin, oddseam.Bore(near, diameter=6.0), reach=12.0)
    (hole,) = [row for row in oddseam.list_openings(new) if row.length < 10]
    assert hole.diameter == pytest.approx(6.0, rel=0.01)
    far = np.linalg.norm(skin.nodes - middle, axis=1) > 16
    assert far.sum() > 200 and (new.nodes[far] == skin.nodes[far]).all()
    # what is meant by a point on the skin away from the hole is the skin, whether it goes all round or not
    wider = oddseam.morph(skin, oddseam.Bore((20 * np.cos(1.6), 20 * np.sin(1.6), 6.0), diameter=42.0))
    assert np.linalg.norm(wider.nodes[far][:, :2], axis=1) == pytest.approx(21.0, abs=0.05)


@pytest.mark.slow
@pytest.mark.parametrize("diameter", [30.0, 52.0, 400.0])
def test_a_panel_with_another_radius_keeps_its_outline(diameter, run, tmp_path):
    panel = rolled(80)
    near = (20 * np.cos(0.6), 20 * np.sin(0.6), 12.0)
    new = oddseam.morph(panel, oddseam.Bore(near, diameter=diameter, outline=True))
    angle = np.arctan2(panel.nodes[:, 1], panel.nodes[:, 0])
    middle = np.array([np.cos(angle.mean()), np.sin(angle.mean()), 0.0])
    step = new.nodes - panel.nodes
    assert np.abs(step - np.outer(step @ middle, middle)).max() < 1e-9  # the outline, seen along the middle
    edge = np.isclose(angle, angle.min()) | np.isclose(angle, angle.max())
    assert np.abs(step[edge]).max() < 1e-9 and np.abs(step).max() > 0.1
    centre = middle * (20 * np.cos(np.radians(40)) - np.sqrt((diameter / 2) ** 2 - (20 * np.sin(np.radians(40))) ** 2))
    assert np.linalg.norm((new.nodes - centre)[:, :2], axis=1) == pytest.approx(diameter / 2, rel=1e-9)
    oddseam.write_mesh(panel, tmp_path / "panel.seam")
    point = ",".join(f"{x:.17g}" for x in near)
    asked = ["--bore", f"{point}={diameter}", "--bore-outline", point, "-o", "new.seam"]
    assert run("morph", "panel.seam", *asked).returncode == 0
    assert np.abs(oddseam.read_mesh(tmp_path / "new.seam").nodes - new.nodes).max() < 1e-12
    assert run("morph", "panel.seam", "--bore-outline", point, "-o", "no.seam").returncode == 2


def test_what_has_no_outline_to_keep_is_refused():
    near = (20 * np.cos(0.6), 20 * np.sin(0.6), 12.0)
    with pytest.raises(oddseam.Refusal, match="goes all round"):
        oddseam.morph(rolled(360), oddseam.Bore(near, diameter=50.0, outline=True))
    with pytest.raises(oddseam.Refusal, match="cannot be bent to the diameter 20"):
        oddseam.morph(rolled(80), oddseam.Bore(near, diameter=20.0, outline=True))
    with pytest.raises(oddseam.Refusal, match="gets a diameter, and nothing else"):
        oddseam.Bore(near, centre=(0, 0, 1), outline=True)
