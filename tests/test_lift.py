"""Regions lifted out of surfaces and sunk into them."""

from __future__ import annotations

import numpy as np
import pytest
from test_openings import panel, with_rib
from test_regions import contents

import oddseam
from oddseam.editing.zones.acceptance import worst_of

DISC = "cylinder (10,10,-9) (10,10,9) 4.01"


def round_panel(kind: str = "quad", bend: float = 0.0) -> oddseam.Mesh:
    """A panel of 20 x 20 with a circle of radius 4 imprinted, whose nodes are on the surface."""
    return oddseam.imprint(panel(20, bend, kind), circle=4.0, near=(10, 10, 0), direction=(0, 0, 1))


def rest_stays(mesh: oddseam.Mesh, new: oddseam.Mesh, what: str) -> bool:
    """Whether all that is not picked is as it was, and what is picked is there."""
    before, after = contents(mesh), contents(new)
    picked = set(mesh.element_ids[oddseam.pick(mesh, what)].tolist())
    return picked <= set(after) and all(after[number] == its for number, its in before.items() if number not in picked)


@pytest.mark.parametrize("kind", ["quad", "tri"])
@pytest.mark.parametrize("height", [3.0, -2.5])
def test_an_upright_boss_is_the_region_and_a_wall(kind, height):
    mesh = round_panel(kind)
    boss = oddseam.lift(mesh, DISC, by=height)
    assert oddseam.prove(boss).is_clean and oddseam.prove(boss).rims == 1
    assert rest_stays(mesh, boss, DISC)
    top = boss.nodes[np.isclose(boss.nodes[:, 2], height, rtol=0, atol=1e-12)]
    assert np.hypot(*(top[:, :2] - 10).T).max() == pytest.approx(4.0, abs=1e-9)
    perimeter = 24 * 2 * 4.0 * np.sin(np.pi / 24)
    area = float(
        np.linalg.norm(oddseam.geometry.triangles.area_vectors(boss.nodes[boss.triangulation.triangles]), axis=1).sum()
    )
    assert area == pytest.approx(400.0 + perimeter * abs(height), rel=1e-9)


@pytest.mark.parametrize("kind", ["quad", "tri"])
def test_taper_and_rounding_take_off_the_top_what_they_should(kind):
    mesh = round_panel(kind)
    boss = oddseam.lift(mesh, DISC, by=3.0, taper=10.0, rounding=0.8)
    assert oddseam.prove(boss).is_clean and rest_stays(mesh, boss, DISC)
    inset = 3.0 * np.tan(np.radians(10)) + 0.8 * np.tan(np.radians(40))
    top = boss.nodes[np.isclose(boss.nodes[:, 2], 3.0, rtol=0, atol=1e-12)]
    reach = np.hypot(*(top[:, :2] - 10).T)
    # a node of the circle goes in along the bisector of its corner
    assert reach.max() == pytest.approx(4.0 - inset / np.cos(np.pi / 24), abs=1e-9)
    new = np.flatnonzero(boss.element_ids > mesh.element_ids.max())
    angle, jacobian = worst_of(boss, new)
    assert angle > 15 and jacobian > 0.8
    row = np.flatnonzero(np.isin(boss.element_ids, mesh.element_ids[oddseam.pick(mesh, DISC)]))
    angle, jacobian = worst_of(boss, row)
    assert angle > 20 and jacobian > 0.4
    # nodes of the rounding are at its radius from its middle
    up = 3.0 - 0.8
    ring = boss.nodes[(boss.nodes[:, 2] > up + 0.3) & (boss.nodes[:, 2] < 3.0 - 1e-9)]
    out = np.hypot(*(ring[:, :2] - 10).T) * np.cos(np.pi / 24) - (4.0 * np.cos(np.pi / 24) - inset)
    assert np.hypot(out, ring[:, 2] - up) == pytest.approx(0.8, abs=2e-2)


def test_a_region_of_a_curved_sheet_keeps_its_shape():
    mesh = round_panel("quad", 0.02)
    boss = oddseam.lift(mesh, DISC, by=1.5, taper=20, direction=(0, 0, 1))
    assert oddseam.prove(boss).is_clean and rest_stays(mesh, boss, DISC)
    x, y, z = boss.nodes[boss.nodes[:, 2] > mesh.nodes[:, 2].max() + 0.9].T
    shape = 0.02 * ((x - 10) ** 2 - 0.5 * (y - 20 / 3) ** 2) + 1.5
    assert z == pytest.approx(shape, abs=0.02)


def test_a_frame_is_lifted_with_a_wall_on_either_side():
    mesh = panel(20)
    frame = "box (4,4,-1) (16,16,1) and not box (8,8,-1) (12,12,1)"
    new = oddseam.lift(mesh, frame, by=2.0, rounding=0.5)
    assert oddseam.prove(new).is_clean and oddseam.prove(new).rims == 1
    assert rest_stays(mesh, new, frame)


def test_a_region_at_the_free_edge_gets_a_wall_there_too():
    new = oddseam.lift(panel(20), "box (-1,4,-1) (6,16,1)", by=2.0)
    assert oddseam.prove(new).is_clean and oddseam.prove(new).rims == 1


def test_what_cannot_be_lifted_is_refused():
    with pytest.raises(oddseam.Refusal, match="other elements use"):
        oddseam.lift(with_rib(panel(20), 10), "box (4,4,-0.1) (16,16,0.1)", by=2)
    with pytest.raises(oddseam.Refusal, match="folds it"):
        oddseam.lift(panel(20), "box (4,4,-1) (8,16,1)", by=4, taper=50)
    with pytest.raises(oddseam.Refusal, match="higher wall"):
        oddseam.lift(panel(20), "box (4,4,-1) (8,16,1)", by=1, rounding=2)
    with pytest.raises(oddseam.Refusal, match="no border"):
        nodes = [[0, 0, 0], [2, 0, 0], [0, 2, 0], [0, 0, 2]]
        corner = oddseam.Mesh.from_triangles(nodes, [[0, 2, 1], [0, 1, 3], [0, 3, 2], [1, 2, 3]], unit="mm")
        oddseam.lift(corner, "all", by=1, direction=(0, 0, 1))
    mesh = panel(20)
    other = panel(20).replaced(nodes=panel(20).nodes + np.array([0.3, 0.4, 1.5]))
    with pytest.raises(oddseam.Refusal, match="would have faults"):
        oddseam.lift(oddseam.combine(mesh, other=other), "box (4,4,-1) (16,16,1)", by=3)


def test_from_the_command_line(run, tmp_path):
    oddseam.write_mesh(round_panel(), tmp_path / "panel.seam")
    done = run("lift", "panel.seam", DISC, "--by", 3, "--taper", 5, "--rounding", 0.5, "-o", "boss.seam")
    assert done.returncode == 0, done.stderr
    assert "elements of the wall" in done.stdout
    assert oddseam.read_mesh(tmp_path / "boss.seam").nodes[:, 2].max() == pytest.approx(3.0)
