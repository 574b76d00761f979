from __future__ import annotations

import dataclasses

import numpy as np
import pytest
import shapes
from hypothesis import given, settings, strategies as st

import oddseam
from oddseam.demo.cowl import cowl_volume
from oddseam.geometry.shapes.quality import quality
from oddseam.geometry.trees.boxtree import BoxTree
from oddseam.geometry.triangles import turn_angles, unit_normals


def lengths(mesh: oddseam.Mesh) -> np.ndarray:
    ends = mesh.nodes[mesh.connectivity.edges]
    return np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1)


def angles(mesh: oddseam.Mesh) -> np.ndarray:
    return quality(mesh.nodes[mesh.elements["tri"].connectivity])["minimum_angle"]


def creases(mesh: oddseam.Mesh, angle: float = 30.0) -> np.ndarray:
    """(k, 2, 3) ends of the edges that turn by more than the angle."""
    c = mesh.connectivity
    normals = unit_normals(mesh.nodes[mesh.triangulation.triangles])
    f = c.face[c.pairs]
    sharp = turn_angles(normals[f[:, 0]], normals[f[:, 1]]) > angle
    return mesh.nodes[c.edges[c.pair_edges[sharp]]]


def distance(points: np.ndarray, segments: np.ndarray) -> float:
    closest, _ = BoxTree(segments[:, [0, 1, 1]]).closest(points)
    return float(np.linalg.norm(closest - points, axis=1).max())


def test_the_cowl_is_even_keeps_its_creases_and_its_volume(mended_cowl, even_cowl):
    size = 4.0
    proof = oddseam.prove(oddseam.as_written(even_cowl, "stl"))
    assert proof.is_clean and proof.is_closed
    assert proof.volume == pytest.approx(cowl_volume(), rel=2e-3)
    assert angles(even_cowl).min() > 20.0
    length = lengths(even_cowl)
    assert ((length > 0.6 * size) & (length < 1.5 * size)).mean() > 0.95
    before, after = creases(mended_cowl), creases(even_cowl)
    assert distance(before.reshape(-1, 3), after) < 0.02 * size
    assert distance(after.reshape(-1, 3), before) < 1e-9  # nodes lie on the original creases
    on_surface, _ = BoxTree(mended_cowl.nodes[mended_cowl.triangulation.triangles]).closest(even_cowl.nodes)
    assert np.linalg.norm(on_surface - even_cowl.nodes, axis=1).max() < 1e-9
    assert even_cowl.account.last.largest_move < 0.1 * size


@pytest.mark.parametrize("size", [0.05, 0.11, 0.4])
def test_a_cube_stays_a_cube(size):
    mesh = oddseam.remesh(shapes.mesh(shapes.cube()), size=size)
    proof = oddseam.prove(mesh)
    assert proof.is_clean and proof.is_closed and proof.volume == pytest.approx(1.0, abs=1e-12)
    corners = {tuple(p) for p in shapes.cube()[0].tolist()}
    assert corners <= {tuple(p) for p in mesh.nodes.tolist()}
    assert angles(mesh).min() > 20.0
    assert 0.8 < np.median(lengths(mesh)) / size < 1.2


def test_a_smooth_surface_is_followed():
    nodes, triangles = shapes.torus(160, 80)
    mesh = oddseam.remesh(oddseam.Mesh.from_triangles(nodes, triangles), size=0.15)
    proof = oddseam.prove(mesh)
    assert proof.is_clean and proof.is_closed
    assert proof.volume == pytest.approx(2 * np.pi**2 * 2.0 * 0.7**2, rel=0.02)
    ring = np.hypot(np.hypot(mesh.nodes[:, 0], mesh.nodes[:, 1]) - 2.0, mesh.nodes[:, 2])
    assert np.abs(ring - 0.7).max() < 0.003
    assert angles(mesh).min() > 25.0 and np.percentile(angles(mesh), 5) > 38.0


def test_borders_of_parts_rims_and_groups_are_kept():
    nodes, triangles = shapes.sheet(20)
    x = nodes[triangles].mean(axis=1)[:, 0]
    parts = (oddseam.Part("left", 4), oddseam.Part("right", 9))
    part, strip = (x > 0.35).astype(int), np.flatnonzero(x > 0.8)
    groups = oddseam.Groups(elements={"strip": strip})
    mesh = oddseam.Mesh.from_triangles(nodes, triangles, part=part, parts=parts, groups=groups)
    even = oddseam.remesh(mesh, size=0.07)
    middle = even.nodes[even.elements["tri"].connectivity]
    left = even.element_part == 0
    assert (middle[left][:, :, 0] <= 0.35 + 1e-12).all() and (middle[~left][:, :, 0] >= 0.35 - 1e-12).all()
    strip_x = middle[even.groups.elements["strip"]][:, :, 0]
    assert strip_x.min() == pytest.approx(0.8, abs=1e-12)
    area = 0.5 * np.linalg.norm(np.cross(middle[:, 1] - middle[:, 0], middle[:, 2] - middle[:, 0]), axis=1)
    assert area.sum() == pytest.approx(1.0, abs=1e-12) and even.connectivity.n_rims == 1
    assert even.parts == parts


def test_nodes_where_walls_meet_stay_in_every_wall():
    nodes, triangles = shapes.sheet(10)
    wall = np.column_stack([np.full(len(nodes), 0.5), nodes[:, 0], nodes[:, 1]])
    together, index = np.unique(np.round(np.concatenate([nodes, wall]), 12), axis=0, return_inverse=True)
    joint = oddseam.Mesh.from_triangles(together, np.concatenate([index[triangles], index[triangles + len(nodes)]]))
    before = joint.connectivity.edges[joint.connectivity.is_nonmanifold]
    assert len(before) == 10
    even = oddseam.remesh(joint, size=0.04)
    after = even.connectivity.edges[even.connectivity.is_nonmanifold]
    assert len(after) == 10
    assert {tuple(p) for p in even.nodes[after].reshape(-1, 3).tolist()} == {
        tuple(p) for p in joint.nodes[before].reshape(-1, 3).tolist()
    }
    assert any("stay as they were" in note for note in even.account.last.outcome.notes)


def test_drawn_creases_are_followed():
    nodes, triangles = shapes.sheet(16)
    on = np.flatnonzero(np.isclose(nodes[:, 1], 0.5))
    order = on[np.argsort(nodes[on, 0])]
    drawn = oddseam.Creases(np.column_stack([order[:-1], order[1:]]), np.full(len(order) - 1, 2))
    even = oddseam.remesh(oddseam.Mesh.from_triangles(nodes, triangles, creases=drawn), size=0.09)
    line = even.nodes[even.creases.edges]
    straight = np.abs(line[:, :, 1] - 0.5).max(axis=1) < 1e-12
    assert np.linalg.norm(line[straight, 1] - line[straight, 0], axis=1).sum() == pytest.approx(1.0)


def test_ids_of_a_deck_are_kept_or_new(tmp_path):
    mesh = oddseam.assign_property(shapes.mesh(shapes.grid_cube(6)), thickness=1.0, young=1.0, poisson=0.3)
    oddseam.write_mesh(mesh, tmp_path / "a.bdf")
    deck = oddseam.read_mesh(tmp_path / "a.bdf")
    even = oddseam.remesh(deck, size=0.3)
    assert even.element_ids.min() > deck.element_ids.max()
    old = np.isin(even.node_ids, deck.node_ids)
    row = np.searchsorted(deck.node_ids, even.node_ids[old])
    assert (deck.nodes[row] == even.nodes[old]).all() and old.sum() >= 8
    note = " ".join(oddseam.write_mesh(even, tmp_path / "b.bdf").listed)
    assert "of the original deck" in note
    assert oddseam.read_mesh(tmp_path / "b.bdf").n_elements == even.n_elements


@pytest.mark.parametrize(
    ("settings_", "message"),
    [({"size": 0.0}, "not positive"), ({"size": 1e-6}, "same unit"), ({"size": 1.0, "crease": 200.0}, "crease")],
)
def test_settings_without_sense_are_refused(settings_, message):
    with pytest.raises(oddseam.Refusal, match=message):
        oddseam.remesh(shapes.mesh(shapes.cube()), **settings_)


def test_elements_that_would_lose_their_nodes_are_not_touched():
    mesh = shapes.mesh(shapes.cube())
    line = oddseam.Elements(np.array([[0, 1]]), np.array([99]), np.array([0]))
    with pytest.raises(oddseam.Refusal, match="1 line elements"):
        oddseam.remesh(dataclasses.replace(mesh, elements={**mesh.elements, "line": line}), size=0.5)


@given(st.floats(0.08, 0.5), st.floats(-1, 1), st.sampled_from([1e-3, 1.0, 1e3]))
@settings(max_examples=12, deadline=None)
def test_results_hold_whatever_the_unit_and_the_turn(size, turn, scale):
    nodes, triangles = shapes.grid_cube(5)
    s, c = np.sin(turn), np.cos(turn)
    turned = nodes @ np.array([[c, -s, 0], [s, c, 0], [0, 0, 1.0]]) * scale
    even = oddseam.remesh(oddseam.Mesh.from_triangles(turned, triangles), size=size * scale)
    proof = oddseam.prove(even)
    assert proof.is_clean and proof.is_closed
    assert proof.volume == pytest.approx(scale**3, rel=1e-9)
    assert even.digest == oddseam.remesh(oddseam.Mesh.from_triangles(turned, triangles), size=size * scale).digest


def test_slivers_and_coarse_input_are_no_obstacle():
    n = 90
    angle = np.arange(n) * 2 * np.pi / n
    ring = np.stack([np.cos(angle), np.sin(angle)], axis=1)
    low, high = (np.column_stack([ring, np.full(n, z)]) for z in (0.0, 3.0))
    i, j = np.arange(n), (np.arange(n) + 1) % n
    fan = np.stack([np.zeros(n - 2, int), np.arange(1, n - 1), np.arange(2, n)], axis=1)
    triangles = np.concatenate([np.stack([i, j, j + n], 1), np.stack([i, j + n, i + n], 1), fan[:, ::-1], fan + n])
    even = oddseam.remesh(oddseam.Mesh.from_triangles(np.concatenate([low, high]), triangles), size=0.2)
    proof = oddseam.prove(even)
    assert proof.is_clean and proof.is_closed and proof.volume == pytest.approx(3 * np.pi, rel=0.01)
    assert angles(even).min() > 20.0


def test_facets_that_would_cross_keep_what_lay_beneath_them():
    """Two coarse globes, one barely within the other: chords of the outer one would cut the inner one."""
    mesh = shapes.side_by_side(shapes.sphere(24, 1.0), shapes.sphere(24, 0.99))
    assert not len(mesh.crossing_triangles)
    even = oddseam.remesh(mesh, size=0.4, target="stl")
    assert not len(oddseam.as_written(even, "stl").crossing_triangles) and not even.account.last.outcome.unmet
    assert any("kept their place" in note for note in even.account.last.outcome.notes)
    assert oddseam.prove(even).is_closed


@pytest.mark.parametrize("size", [0.4, 0.1])
def test_the_apex_of_a_cone_stays_though_no_crease_leads_to_it(size):
    turn = np.arange(64) * np.pi / 32
    ring = np.column_stack([np.cos(turn), np.sin(turn), 0 * turn])
    k, a = np.arange(64), (np.arange(64) + 1) % 64
    sides, base = np.column_stack([k, a, np.full(64, 64)]), np.column_stack([a, k, np.full(64, 65)])
    cone = oddseam.Mesh.from_triangles(np.concatenate([ring, [[0, 0, 1.5], [0, 0, 0]]]), np.concatenate([sides, base]))
    even = oddseam.remesh(cone, size=size)
    assert (even.nodes == [0, 0, 1.5]).all(axis=1).any()
    assert oddseam.prove(even).volume == pytest.approx(oddseam.prove(cone).volume, rel=0.4 * size**2 + 1e-3)


def bumps() -> oddseam.Mesh:
    """A flat sheet with two bumps, three and two high."""
    nodes, triangles = shapes.sheet(60)
    nodes = nodes * 100.0
    for x, y, height in ((30, 40, 3.0), (70, 70, 2.0)):
        nodes[:, 2] += height * np.exp(-((nodes[:, 0] - x) ** 2 + (nodes[:, 1] - y) ** 2) / 8.0)
    return oddseam.Mesh.from_triangles(nodes, triangles, unit="mm")


def missed(mesh: oddseam.Mesh) -> str:
    return " ".join(note for note in mesh.account.last.outcome.notes if "missed" in note)


@pytest.mark.slow
def test_places_where_a_coarse_size_loses_the_shape_are_named():
    said = missed(oddseam.remesh(bumps(), size=8.0))
    assert "2 place(s)" in said and "(30, 40, 3)" in said and "(70, 70, 2)" in said
    assert not missed(oddseam.remesh(bumps(), size=0.5))
    assert not missed(oddseam.remesh(shapes.mesh(shapes.cube(10.0)), size=5.0))
    few = oddseam.coarsen(bumps(), facets=30)
    assert "stands out" in missed(few) and not missed(oddseam.coarsen(bumps(), facets=2000))


@pytest.mark.parametrize(("noise", "most"), [(0.004, 3000), (0.01, 4500)])
def test_creases_that_are_noise_lock_nothing(noise, most):
    nodes, triangles = shapes.grid_cube(40)
    nodes = (nodes - 0.5) / np.linalg.norm(nodes - 0.5, axis=1, keepdims=True) * [1.0, 0.7, 1.3]
    chance = np.random.default_rng(1)
    rough = shapes.mesh((nodes * (1 + chance.normal(0.0, noise, (len(nodes), 1))), triangles), unit="mm")
    even = oddseam.remesh(rough, size=0.1)
    outcome = even.account.last.outcome
    assert even.n_elements < most and oddseam.prove(even).is_clean
    assert any("hardly more than the surface beside" in note for note in outcome.notes)
    (step,) = (step for step in outcome.steps if step.name == "judge")
    assert step.count <= 0.002 * even.n_elements
    volume = oddseam.prove(even).volume / oddseam.prove(rough).volume
    assert volume == pytest.approx(1.0, abs=0.01)


def test_creases_of_a_part_stay_however_rough_or_fine_it_is():
    nodes, triangles = shapes.grid_cube(30)
    chance = np.random.default_rng(2)
    for off in (0.0, 0.002):
        cube = shapes.mesh((nodes + chance.normal(0.0, off, nodes.shape), triangles), unit="mm")
        even = oddseam.remesh(cube, size=0.12)
        for corner in np.ndindex(2, 2, 2):
            assert np.linalg.norm(even.nodes - corner, axis=1).min() < 4 * off + 1e-9
        assert oddseam.prove(even).volume == pytest.approx(1.0, abs=0.004)
    # a step much lower than the size is shape
    stepped = shapes.mesh(
        (nodes + 0.04 * ((nodes[:, [2]] == 1) & (nodes[:, [0]] > 0.51)) * [0, 0, 1], triangles), unit="mm"
    )
    even = oddseam.remesh(stepped, size=0.12)
    high = even.nodes[even.nodes[:, 2] > 1.0399]
    assert high[:, 0].min() == pytest.approx(16 / 30, abs=1e-9)


@pytest.mark.slow
def test_what_is_beyond_a_limit_is_unmet_with_its_worst_places(run, tmp_path):
    nodes, triangles = shapes.grid_cube(6)
    oddseam.write_mesh(shapes.mesh((nodes * [1, 1, 0.05], triangles), unit="mm"), tmp_path / "plate.seam")
    done = run("remesh", "plate.seam", "--size", "0.2", "--minimum-angle", "40", "-o", "a.seam")
    assert done.returncode == 1 and "unmet: quality: " in done.stderr and "beyond 40" in done.stderr
    assert "lie between creases, rims and borders alone" in done.stderr  # the plate is a quarter of the size thick
    mesh = oddseam.read_mesh(tmp_path / "a.seam")
    named = next(line for line in mesh.account.last.outcome.unmet if "minimum angle" in line)
    worst = int(named.split("of element ")[1].split()[0])
    (row,) = oddseam.list_picked(mesh, "worst 1 minimum-angle")
    assert row.values["minimum_angle"] == pytest.approx(float(named.split("beyond 40, ")[1].split()[0]), abs=0.05)
    assert worst in mesh.element_ids
    fine = run("remesh", "plate.seam", "--size", "0.2", "-o", "b.seam")
    assert fine.returncode == 0 and "judge" in fine.stdout
    for verb in (("coarsen", "plate.seam", "--facets", "60"), ("refine", "plate.seam", "all")):
        assert "judge" in run(*verb, "-o", "c.seam").stdout
    wrong = run("remesh", "plate.seam", "--size", "0.2", "--beauty", "4", "-o", "d.seam")
    assert wrong.returncode == 2 and "there is no option --beauty" in wrong.stderr


def test_no_quad_is_warped_beyond_the_limit():
    nodes, triangles = shapes.torus(80, 40)
    made = oddseam.remesh(shapes.mesh((nodes, triangles), unit="mm"), size=0.45, quads=True)
    corners = made.nodes[made.elements["quad"].connectivity]
    assert oddseam.geometry.shapes.quality.quality(corners)["warpage"].max() <= 15.0


def test_nodes_go_onto_planes_that_were_recognised_in_noise():
    nodes, triangles = shapes.grid_cube(16)
    noisy = nodes + 2e-4 * np.random.default_rng(0).normal(size=nodes.shape)
    found = oddseam.find_features(shapes.mesh((noisy, triangles)))
    new = oddseam.remesh(found, size=0.08)
    of_triangle = new.patches.label[new.triangulation.element]
    for k, patch in enumerate(new.patches.table):
        its = np.unique(new.triangulation.triangles[of_triangle == k])
        off = np.abs((new.nodes[its] - patch.centre) @ np.array(patch.axis))
        assert patch.kind == "plane" and len(its) > 100 and (off > 1e-9).sum() <= 4  # corners stay
