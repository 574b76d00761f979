"""Creases and patches are those that a person would name; noise and the steps of a tessellation are none."""

from __future__ import annotations

import json
import subprocess
import sys

import numpy as np
import pytest
import shapes

import oddseam
from oddseam.demo.deflector import KEEL, deflector, ridge_angle
from oddseam.features.edges.noise import estimate_noise
from oddseam.geometry.trees.boxtree import BoxTree
from oddseam.remeshing.surfaces.round_surfaces import _surface_of


def mesh_of(shape, noise=0.0, seed=0):
    nodes, triangles = shape
    size = float(np.linalg.norm(np.ptp(nodes, axis=0)))
    nodes = nodes + np.random.default_rng(seed).normal(scale=noise * size, size=nodes.shape)
    return oddseam.Mesh.from_triangles(nodes, triangles, unit="mm")


def kinds(mesh):
    return sorted(patch.kind for patch in mesh.patches.table)


@pytest.mark.parametrize("noise", [0.0, 1e-4])
@pytest.mark.parametrize("sides", [24, 96])
def test_a_tessellated_cylinder_has_one_wall_without_a_crease(sides, noise):
    found = oddseam.find_features(mesh_of(shapes.capped_cylinder(sides), noise))
    assert kinds(found) == ["cylinder", "plane", "plane"]
    assert found.patches.table[0].radius == pytest.approx(1.0, rel=5e-3)
    ends = found.nodes[found.creases.edges][:, :, 2]
    assert len(found.creases.edges) == 2 * sides and np.ptp(ends, axis=1).max() < 0.01


@pytest.mark.parametrize("noise", [0.0, 1e-4])
@pytest.mark.parametrize(("steps", "rows"), [(6, 1), (12, 10), (8, 4)])
def test_a_fillet_between_planes_ends_where_they_touch(steps, rows, noise):
    shape = shapes.fillet(steps, rows)
    found = oddseam.find_features(mesh_of(shape, noise))
    assert kinds(found) == ["cylinder", "plane", "plane"]
    (round_one,) = (patch for patch in found.patches.table if patch.kind == "cylinder")
    assert round_one.radius == pytest.approx(0.3, rel=5e-3 if not noise else 1e-2)
    # the tangent edges are where the fillet begins and ends
    given = shape[0][found.creases.edges]
    touching = (np.abs(given[..., 0] - 1.7) < 1e-9) | (np.abs(given[..., 2] + 0.3) < 1e-9)
    assert touching.all() and len(given) == 2 * rows


@pytest.mark.parametrize(
    ("shape", "kind", "radius", "tube"),
    [
        (shapes.sphere(24), "sphere", 1.0, None),
        (shapes.torus(40, 20), "torus", 2.0, 0.7),
        (shapes.cone(48), "cone", 30.0, None),
    ],
)
@pytest.mark.parametrize("noise", [0.0, 5e-5])
def test_round_bodies_are_named(shape, kind, radius, tube, noise):
    found = oddseam.find_features(mesh_of(shape, noise))
    (patch,) = (patch for patch in found.patches.table if patch.kind != "plane")
    assert patch.kind == kind and patch.radius == pytest.approx(radius, rel=5e-3)
    assert patch.tube is None if tube is None else patch.tube == pytest.approx(tube, rel=5e-3)


@pytest.mark.slow
@pytest.mark.parametrize(("noise", "least"), [(0.0, 5.0), (1e-4, 8.0)])
def test_the_fading_ridge_of_the_deflector_is_found_to_its_end(noise, least):
    nodes, triangles = deflector()
    found = oddseam.find_features(mesh_of((nodes, triangles), noise))
    assert kinds(found) == ["free-form"] + 5 * ["plane"]
    middle = nodes[found.creases.edges].mean(axis=1)
    ridge = middle[(np.abs(middle[:, 1]) < 1e-9) & (middle[:, 2] > 30.0) & (middle[:, 0] > 0)]
    x = np.unique(nodes[(np.abs(nodes[:, 1]) < 1e-9) & (nodes[:, 2] > 30.0), 0])
    wanted = 0.5 * (x[1:] + x[:-1])
    wanted = wanted[(ridge_angle(wanted) > least) & (wanted < KEEL)]
    assert np.isin(np.round(wanted, 6), np.round(ridge[:, 0], 6)).all()
    # and nothing else is a crease but the edges of the body
    inside = (np.abs(middle[:, 1]) < 74.9) & (middle[:, 0] > 1e-6) & (middle[:, 0] < 319.9) & (middle[:, 2] > 1e-6)
    others = middle[inside & ~((np.abs(middle[:, 1]) < 1e-9) & (middle[:, 2] > 30.0))]
    assert not len(others) or (noise and (np.abs(others[:, 1]) < 8).all() and (ridge_angle(others[:, 0]) < 8).all())
    even = oddseam.remesh(found, size=8.0)
    edge = even.nodes[even.creases.edges]
    on_ridge = edge[(np.abs(edge[..., 1]) < 20 * max(noise, 1e-6) * 360).all(axis=1) & (edge[..., 2] > 30).all(axis=1)]
    assert len(on_ridge) > 20
    true = np.abs(on_ridge[..., 1]).max() / found.diagonal
    assert true < (1e-6 if not noise else 4e-4)


def test_names_and_numbers_of_the_cowl_are_those_of_the_drawing(mended_cowl):
    from oddseam.demo.cowl import BOSS_RADIUS, HOLE_RADIUS

    found = oddseam.find_features(mended_cowl)
    radii = sorted(round(patch.radius, 2) for patch in found.patches.table if patch.kind == "cylinder")
    assert radii == [HOLE_RADIUS] * 4 + [BOSS_RADIUS, 105.0] and kinds(found).count("plane") == 4
    assert kinds(found).count("free-form") == 2 and len(found.patches.table) == 12
    rows = oddseam.list_patches(found)
    assert sum(row.elements for row in rows) == found.n_elements
    assert all(row.number in rows[other - 1].neighbours for row in rows for other in row.neighbours)


def test_noise_is_told_from_shape():
    for shape in (shapes.sphere(24), shapes.torus(40, 20), shapes.fillet(12, 10)):
        for noise in (0.0, 1e-5, 1e-4):
            mesh = mesh_of(shape, noise)
            triangles = mesh.triangulation.triangles
            from oddseam.features.find_features import _skin

            found = estimate_noise(mesh.nodes, triangles, _skin(mesh.nodes, triangles, 30.0).smooth) / mesh.diagonal
            assert found < 1e-8 if not noise else 0.5 * noise < found < 6 * noise


def test_what_was_drawn_stays_and_finding_twice_is_once():
    nodes, triangles = shapes.sheet(10)
    mesh = oddseam.Mesh.from_triangles(nodes, triangles, unit="mm")
    line = np.flatnonzero(np.abs(nodes[:, 0] - 0.5) < 1e-9)
    line = line[np.argsort(nodes[line, 1])]
    edges = np.column_stack([line[:-1], line[1:]])
    mesh = mesh.replaced(creases=oddseam.Creases(edges, np.full(len(edges), 2)))
    once = oddseam.find_features(mesh)
    assert kinds(once) == ["plane", "plane"] and (once.creases.kind == 2).all()
    twice = oddseam.find_features(once)
    assert twice.patches.table == once.patches.table and (twice.patches.label == once.patches.label).all()
    assert (twice.creases.edges == once.creases.edges).all() and (twice.creases.kind == once.creases.kind).all()


@pytest.mark.parametrize("scale", [1e-3, 1e3])
def test_units_rotation_and_order_do_not_matter(scale):
    nodes, triangles = shapes.fillet(8, 4)
    turn = np.linalg.qr(np.random.default_rng(1).normal(size=(3, 3)))[0]
    order = np.random.default_rng(2).permutation(len(triangles))
    found = oddseam.find_features(oddseam.Mesh.from_triangles(scale * nodes @ turn.T, triangles[order]))
    assert kinds(found) == ["cylinder", "plane", "plane"]
    assert sorted(patch.radius or 0 for patch in found.patches.table)[-1] == pytest.approx(0.3 * scale, rel=1e-6)


def test_patches_are_kept_by_remeshing_and_coarsening_and_on_disk(tmp_path):
    found = oddseam.find_features(mesh_of(shapes.capped_cylinder(48)))
    oddseam.write_mesh(found, tmp_path / "found.seam")
    again = oddseam.read_mesh(tmp_path / "found.seam")
    assert again.patches.table == found.patches.table and (again.patches.label == found.patches.label).all()
    assert (again.creases.edges == found.creases.edges).all()
    for other in (oddseam.remesh(again, size=0.3), oddseam.coarsen(again, facets=150)):
        assert kinds(other) == ["cylinder", "plane", "plane"] and set(other.patches.label.tolist()) == {0, 1, 2}


@pytest.mark.slow
def test_the_command_lists_them_and_says_what_is_wrong(tmp_path):
    def run(*words):
        return subprocess.run([sys.executable, "-m", "oddseam", *words], capture_output=True, text=True, check=False)

    path = tmp_path / "part.seam"
    oddseam.write_mesh(mesh_of(shapes.capped_cylinder(24)), path)
    done = run("features", str(path))
    assert done.returncode == 0 and "3 patch(es): 1 cylinder, 2 plane" in done.stdout
    done = run("features", str(path), "--json")
    assert [row["kind"] for row in json.loads(done.stdout)["patches"]] == ["cylinder", "plane", "plane"]
    out = tmp_path / "found.seam"
    assert run("features", str(path), "-o", str(out)).returncode == 0
    assert run("picture", str(out), "-o", str(tmp_path / "p.png"), "--colour", "patch").returncode == 0
    for words, said in (
        (("features", str(path), "--ridge", "0"), "ridge 0.0 is not between 0 and 180 degrees"),
        (("features", str(path), "--noise", "-1"), "noise -1 is not a distance"),
        (("picture", str(path), "-o", str(tmp_path / "q.png"), "--colour", "patch"), "`oddseam features` finds them"),
        (("features", str(tmp_path / "none.seam"), "-o", str(out)), "none.seam"),
    ):
        done = run(*words)
        assert done.returncode == 2 and said in done.stderr and len(done.stderr.splitlines()) == 1


def test_patches_of_random_folded_sheets_abut_without_overlap():
    for seed in range(12):
        random = np.random.default_rng(seed)
        nodes, triangles = shapes.sheet(16)
        folds = np.sort(random.choice(np.arange(2, 15), 2, replace=False)) / 16
        slope = random.uniform(-0.4, 0.4, 3)
        height = np.interp(nodes[:, 0], [0, *folds, 1], np.cumsum([0, *(slope * np.diff([0, *folds, 1]))]))
        nodes = np.column_stack([nodes[:, :2], height])
        found = oddseam.find_features(oddseam.Mesh.from_triangles(nodes, triangles))
        turns = np.abs(np.diff(np.degrees(np.arctan(slope))))
        expected = 1 + int((turns > 0.5).sum())
        assert len(found.patches.table) == expected and (found.patches.label >= 0).all(), seed
        closest, _ = BoxTree(found.nodes[triangles]).closest(found.nodes[np.unique(found.creases.edges)])
        assert np.isin(np.round(closest[:, 0], 9), np.round(folds, 9)).all()


@pytest.mark.parametrize(
    "shape", [shapes.capped_cylinder(24), shapes.sphere(24), shapes.torus(40, 20), shapes.fillet(6, 1)]
)
def test_remeshing_a_recognised_round_makes_it_rounder(shape):
    found = oddseam.find_features(oddseam.Mesh.from_triangles(*shape, unit="mm"))
    for facets in (False, True):
        even = oddseam.remesh(found, size=0.1, surface="facets" if facets else "recognised")
        assert oddseam.prove(even).is_clean
        for k, patch in enumerate(found.patches.table):
            nodes = even.nodes[np.unique(even.triangulation.triangles[even.patches.label == k])]
            surface = _surface_of(patch)
            farthest = np.abs(surface.distance(nodes)).max()
            if patch.kind == "plane" or not facets:
                assert farthest < 1e-12
            else:  # on the facets, which are off by their sag
                old = found.nodes[found.triangulation.triangles[found.patches.label == k]]
                middles = 0.5 * (old + np.roll(old, 1, axis=1)).reshape(-1, 3)
                assert 0.3 < farthest / np.abs(surface.distance(middles)).max() < 1.4


def test_patches_are_renamed_joined_and_made_parts(mended_cowl):
    found = oddseam.find_features(mended_cowl)
    bolts = {f"cylinder {k}": "bolts" for k in (3, 4, 5, 6)}
    named = oddseam.name_patches(found, {"plane 2": "flange", **bolts})
    names = [patch.name for patch in named.patches.table]
    assert names.count("bolts") == 1 and "flange" in names and len(names) == 9
    (bolt,) = (patch for patch in named.patches.table if patch.name == "bolts")
    assert bolt.kind == "free-form" and bolt.area == pytest.approx(4 * 502.0, rel=1e-3)
    assert (named.patches.label >= 0).all()
    split = oddseam.split_parts(named, boundaries={"flange": "wall", "free-form 2": "inlet"})
    assert sorted(part.name for part in split.parts_used) == sorted(names)
    assert {part.name: part.boundary for part in split.parts}["free-form 2"] == "inlet"
    flange = split.patches.label[oddseam.pick(split, "part flange")]
    assert len(np.unique(flange)) == 1 and len(flange) == (split.patches.label == flange[0]).sum()
    for call, said in (
        (lambda: oddseam.name_patches(found, {"lid": "x"}), "no patch 'lid'"),
        (lambda: oddseam.name_patches(found, {"plane 1": " "}), "is empty"),
        (lambda: oddseam.split_parts(found, boundaries={"plane 1": " "}), "of patch 'plane 1' is empty"),
        (lambda: oddseam.split_parts(mended_cowl), "no patches"),
    ):
        with pytest.raises(oddseam.Refusal, match=said):
            call()


@pytest.mark.slow
def test_the_commands_name_and_split_what_the_file_holds(run, tmp_path):
    oddseam.write_mesh(mesh_of(shapes.capped_cylinder(24)), tmp_path / "pin.seam")
    assert run("features", "pin.seam", "-o", "found.seam").returncode == 0
    assert run("name-patches", "found.seam", "plane 1=top", "-o", "named.seam").returncode == 0
    done = run("split-parts", "named.seam", "--boundaries", "top=inlet", "-o", "parts.seam")
    assert done.returncode == 0, done.stderr
    parts = oddseam.read_mesh(tmp_path / "parts.seam").parts_used
    assert {part.name: part.boundary for part in parts} == {"cylinder 1": None, "top": "inlet", "plane 2": None}
    refused = run("name-patches", "found.seam", "top", "-o", "x.seam")
    assert refused.returncode == 2 and "an equals sign" in refused.stderr
