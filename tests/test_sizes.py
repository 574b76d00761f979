"""Size fields say what was asked for, everywhere, and remeshing follows them."""

from __future__ import annotations

import subprocess
import sys

import numpy as np
import pytest
import shapes
from hypothesis import given, settings, strategies as st

import oddseam
from oddseam.sizes.along import chains_along, round_chains
from oddseam.sizes.curvature import largest_curvature


@settings(max_examples=40, deadline=None)
@given(st.integers(0, 10**6))
def test_the_field_is_the_least_of_all_sources_and_grows_no_faster(seed):
    random = np.random.default_rng(seed)
    count = int(random.integers(0, 200))
    points, sizes = random.normal(size=(count, 3)), random.uniform(0.01, 1.0, count)
    field = oddseam.SizeField(0.6, gradation=0.4).finer(points, sizes)
    at = random.normal(size=(50, 3))
    grown = field.sizes + 0.4 * np.linalg.norm(at[:, None] - field.points, axis=2)
    assert field.at(at) == pytest.approx(np.minimum(0.6, grown.min(axis=1, initial=np.inf)), rel=1e-12)
    # what was left out made no difference to speak of, and nothing was made smaller
    every = sizes + 0.4 * np.linalg.norm(at[:, None] - points, axis=2)
    wanted = np.minimum(0.6, every.min(axis=1, initial=np.inf))
    assert (field.at(at) >= wanted - 1e-12).all() and (field.at(at) <= 1.25 * wanted).all()
    steps = np.abs(np.diff(field.at(at))) / np.linalg.norm(np.diff(at, axis=0), axis=1)
    assert steps.max(initial=0.0) <= 0.4 + 1e-9


def test_zones_have_their_size_inside_and_grow_outside():
    zones = (
        oddseam.Zone("box", (1, 1, 1, 0, 0, 0), 0.5),
        oddseam.Zone("cylinder", (5, 0, 0, 5, 0, 4, 1), 0.25),
    )
    field = oddseam.SizeField(2.0, gradation=0.5, zones=zones)
    at = [[0.5, 0.5, 0.5], [-1, 0.5, 0.5], [5.5, 0, 2], [5, 3, 2], [5, 0, 5], [50, 0, 0]]
    assert field.at(at) == pytest.approx([0.5, 1.0, 0.25, 1.25, 0.75, 2.0]) and field.least == 0.25
    for kind, numbers, said in (
        ("ball", (1,), "it takes 'box'"),
        ("sphere", (0, 0, 0), "has 4 numbers"),
        ("sphere", (0, 0, 0, -1), "radius -1"),
        ("cylinder", (0, 0, 0, 0, 0, 0, 1), "one point"),
    ):
        with pytest.raises(oddseam.Refusal, match=said):
            oddseam.Zone(kind, numbers, 1.0)


@pytest.mark.parametrize(
    ("shape", "radius"),
    [(shapes.sphere(60), 1.0), (shapes.capped_cylinder(24), 1.0), (shapes.capped_cylinder(96), 1.0)],
)
def test_curvature_of_tessellations_is_that_of_what_they_stand_for(shape, radius):
    nodes, triangles = shape
    found = largest_curvature(nodes, triangles, 30.0)
    normal = np.cross(nodes[triangles[:, 1]] - nodes[triangles[:, 0]], nodes[triangles[:, 2]] - nodes[triangles[:, 0]])
    wall = np.abs(normal[:, 2]) < 0.9 * np.linalg.norm(normal, axis=1)
    assert np.median(found[wall]) == pytest.approx(1.0 / radius, rel=0.1)
    if len(nodes) < 200:
        assert np.abs(found[~wall]).max() < 1e-9


def test_a_round_body_gets_so_many_elements_round_a_turn():
    mesh = oddseam.Mesh.from_triangles(*shapes.capped_cylinder(96), unit="mm")
    field = oddseam.make_sizes(mesh, base=1.0, per_turn=24)
    even = oddseam.remesh(mesh, sizes=field)
    edges = even.nodes[even.connectivity.edges]
    wall = (np.linalg.norm(edges[..., :2], axis=2) > 0.99).all(axis=1) & (np.ptp(edges[..., 2], axis=1) > 0.01)
    length = np.linalg.norm(np.diff(edges[wall], axis=1)[:, 0], axis=1)
    assert np.median(length) == pytest.approx(2 * np.pi / 24, rel=0.2)
    assert oddseam.prove(even).is_closed and oddseam.prove(even).is_clean


def test_a_wall_gets_so_many_elements_across():
    nodes, triangles = shapes.grid_cube(10)
    plate = oddseam.Mesh.from_triangles(nodes * [10, 10, 0.6], triangles, unit="mm")
    field = oddseam.make_sizes(plate, base=4.0, across=2)
    assert field.at([[5, 5, 0.6], [5, 5, 0.0]]) == pytest.approx([0.3, 0.3], rel=0.05)


def test_remeshing_follows_a_zone_and_keeps_the_rest_coarse():
    mesh = oddseam.Mesh.from_triangles(*shapes.cube(10.0), unit="mm")
    field = oddseam.SizeField(2.0, zones=(oddseam.Zone("sphere", (10, 10, 10, 1.5), size=0.2),))
    even = oddseam.remesh(mesh, sizes=field)
    edges = even.nodes[even.connectivity.edges]
    ratio = np.linalg.norm(np.diff(edges, axis=1)[:, 0], axis=1) / field.at(edges.mean(axis=1))
    assert np.quantile(ratio, [0.02, 0.98]) == pytest.approx([0.95, 0.95], abs=0.5) and 0.75 < np.median(ratio) < 1.1
    assert oddseam.prove(even).volume == pytest.approx(1000.0, rel=1e-9) and oddseam.prove(even).is_clean
    assert even.account.last.settings["sizes"] == "0.2 to 2, 1 zone(s), 0 source(s)"


def test_sizes_of_patches_and_parts():
    found = oddseam.find_features(oddseam.Mesh.from_triangles(*shapes.capped_cylinder(48), unit="mm"))
    field = oddseam.make_sizes(found, base=1.0, patch_sizes={"plane 1": 0.1}, gradation=0.5)
    (plane,) = (patch for patch in found.patches.table if patch.name == "plane 1")
    here = np.array([[0.3, 0.2, plane.centre[2]], [0.3, 0.2, 3.0 - plane.centre[2]]])
    assert field.at(here) == pytest.approx([0.1, 1.0], rel=0.3)
    for wrong, said in (({"patch_sizes": {"lid": 1.0}}, "no patch 'lid'; there are"), ({"part_sizes": {"lid": 1.0}}, "no part 'lid'"),
                        ({"patch_sizes": {"plane 1": -1.0}}, "size -1.0 of patch"), ({"per_turn": 0.0}, "per_turn 0.0")):  # fmt: skip
        with pytest.raises(oddseam.Refusal, match=said):
            oddseam.make_sizes(found, base=1.0, **wrong)


def test_a_field_is_the_same_after_writing_and_reading(tmp_path):
    zone = oddseam.Zone("sphere", (0.0, 0.0, 0.0, 1.0), 0.3)
    field = oddseam.SizeField(2.0, zones=(zone,)).finer([[3.0, 0, 0]], [0.1])
    field.write(tmp_path / "field.npz")
    again = oddseam.SizeField.read(tmp_path / "field.npz")
    at = np.random.default_rng(0).normal(size=(20, 3)) * 3
    assert (again.at(at) == field.at(at)).all() and again.zones == field.zones
    (tmp_path / "bad.npz").write_bytes(b"PK\x03\x04 no field")
    with pytest.raises(oddseam.FormatError, match="no size field"):
        oddseam.SizeField.read(tmp_path / "bad.npz")
    with pytest.raises(oddseam.FormatError, match="cannot be read"):
        oddseam.SizeField.read(tmp_path / "none.npz")


@pytest.mark.slow
def test_the_command_makes_a_field_and_remesh_follows_it(tmp_path):
    def run(*words):
        return subprocess.run([sys.executable, "-m", "oddseam", *words], capture_output=True, text=True, check=False)

    part, field, even = (str(tmp_path / name) for name in ("part.seam", "field.npz", "even.seam"))
    oddseam.write_mesh(oddseam.Mesh.from_triangles(*shapes.capped_cylinder(48), unit="mm"), part)
    done = run("sizes", part, "-o", field, "--base", "1", "--per-turn", "24", "--zones", "sphere:0,0,3,0.2=0.05",
               "--at", "0,0,3")  # fmt: skip
    assert done.returncode == 0 and "at 0, 0, 3: 0.05" in done.stdout
    assert run("remesh", part, "--sizes", field, "-o", even).returncode == 0
    assert oddseam.prove(oddseam.read_mesh(even)).is_closed
    picture = tmp_path / "sizes.png"
    assert (
        run("picture", part, "--sizes", field, "-o", str(picture)).returncode == 0 and picture.stat().st_size > 20_000
    )
    for words, said in (
        (("sizes", part, "-o", field, "--base", "0"), "size 0.0 is not positive"),
        (("sizes", part, "-o", field, "--base", "1", "--zones", "sphere=2"), "say KIND:NUMBERS=SIZE"),
        (("sizes", part, "-o", field, "--base", "1", "--patch-sizes", "lid"), "an equals sign is wanted"),
        (("sizes", part, "-o", str(tmp_path / "f.txt"), "--base", "1"), "written as .npz"),
        (("remesh", part, "--sizes", part, "-o", even), "no size field"),
    ):
        done = run(*words)
        assert done.returncode == 2 and said in done.stderr and len(done.stderr.splitlines()) == 1, done.stderr


RULES = """\
base = 2.0
smallest = 0.05

per_turn = 24

[patch_sizes]
"plane 1" = 0.2

[[zones]]
kind = "sphere"
numbers = [0, 0, 3, 0.2]
size = 0.1
"""


@pytest.mark.slow
def test_rules_from_a_file_are_those_of_the_options(run, tmp_path):
    oddseam.write_mesh(
        oddseam.find_features(oddseam.Mesh.from_triangles(*shapes.capped_cylinder(48), unit="mm")),
        tmp_path / "pin.seam",
    )
    (tmp_path / "rules.toml").write_text(RULES)
    rules = oddseam.read_rules(tmp_path / "rules.toml")
    assert rules["patch_sizes"] == {"plane 1": 0.2} and rules["zones"][0].size == 0.1 and rules["per_turn"] == 24.0
    one = run("sizes", "pin.seam", "--rules", "rules.toml", "-o", "one.npz")
    two = run("sizes", "pin.seam", "--base", 2, "--smallest", 0.05, "--per-turn", 24, "--patch-sizes", "plane 1=0.2",
              "--zones", "sphere:0,0,3,0.2=0.1", "-o", "two.npz")  # fmt: skip
    assert one.returncode == 0 and two.returncode == 0, one.stderr + two.stderr
    fields = [oddseam.SizeField.read(tmp_path / name) for name in ("one.npz", "two.npz")]
    at = np.random.default_rng(0).normal(size=(50, 3))
    assert (fields[0].at(at) == fields[1].at(at)).all()
    assert run("sizes", "pin.seam", "--rules", "rules.toml", "--base", 1, "-o", "three.npz").returncode == 0
    assert oddseam.SizeField.read(tmp_path / "three.npz").base == 1.0


@pytest.mark.slow
@pytest.mark.parametrize(
    ("old", "new", "said"),
    [
        ("base = 2.0", "", "no base size"),
        ("base = 2.0", "base = true", "line 1: base: True is not a number"),
        ("smallest", "least", "line 2: least: a rules file has base, smallest"),
        ("per_turn", "turns", "line 4: turns: a rules file has base"),
        ("0.2\n\n", "'fine'\n\n", "line 7: patch_sizes.plane 1: 'fine' is not a number"),
        ('"sphere"', '"ball"', "line 10: zones.kind: kind is 'ball'; it takes 'box'"),
        ("size = 0.1", "length = 0.1", "line 12: zones.length: [[zones]] has kind, numbers, size"),
        ("numbers = [0, 0, 3, 0.2]", "numbers = 3", "line 11: zones.numbers: numbers are a list"),
        ("[[zones]]", "[zones]", "line 9: zones: zones are tables"),
        ("base = 2.0", "base = ", "this is no TOML"),
    ],
)
def test_a_wrong_rules_file_is_told_by_key_and_line(run, tmp_path, old, new, said):
    assert old in RULES
    (tmp_path / "rules.toml").write_text(RULES.replace(old, new, 1))
    oddseam.write_mesh(oddseam.Mesh.from_triangles(*shapes.capped_cylinder(12)), tmp_path / "pin.seam")
    done = run("sizes", "pin.seam", "--rules", "rules.toml", "-o", "field.npz")
    assert done.returncode == 2 and said in done.stderr and len(done.stderr.splitlines()) == 1, done.stderr
    assert not (tmp_path / "field.npz").exists()


# ---------------------------------------------------------------------- along lines, inside of bodies


def edges_on(mesh: oddseam.Mesh, where: np.ndarray) -> int:
    """Edges of a mesh both ends of which are among the nodes marked."""
    return int(where[mesh.connectivity.edges].all(axis=1).sum())


@pytest.mark.slow
@pytest.mark.parametrize("count", [12, 24, 61, 120])
def test_a_number_of_elements_along_a_line_counts_before_chord_and_size(count):
    drum = shapes.mesh(shapes.capped_cylinder(48), unit="mm")
    top = drum.nodes[:, 2].max()
    field = oddseam.make_sizes(drum, base=0.5, per_turn=60, elements_along={(1, 0, top): count})
    for chord in (None, 1e-4):
        even = oddseam.remesh(drum, sizes=field, chord=chord)
        ends = np.concatenate(chains_along(even, 30.0))
        assert (np.abs(ends[..., 2] - top) < 1e-9).all(axis=1).sum() == count and oddseam.prove(even).is_clean


def test_every_round_rim_and_bore_gets_its_number_and_a_line_counts_instead(tmp_path):
    drum = shapes.mesh(shapes.capped_cylinder(48), unit="mm")
    nodes, triangles = shapes.capped_cylinder(36, radius=0.4)
    both = shapes.side_by_side((drum.nodes, drum.triangulation.triangles), (nodes + np.array([5.0, 0, 0]), triangles))
    for along, wanted in ({}, [20, 20, 20, 20]), ({(1, 0, 0): 33}, [20, 20, 20, 33]):
        field = oddseam.make_sizes(both, base=0.5, elements_round=20, elements_along=along)
        field.write(tmp_path / "field.npz")
        for its in (field, oddseam.SizeField.read(tmp_path / "field.npz")):
            even = oddseam.remesh(both, sizes=its)
            assert sorted(map(len, round_chains(chains_along(even, 30.0)))) == wanted
    with pytest.raises(oddseam.Refusal, match="no round rim"):
        oddseam.make_sizes(shapes.mesh(shapes.cube(), unit="mm"), base=0.5, elements_round=20)


def test_a_size_along_a_rim():
    square = shapes.mesh(shapes.sheet(4), unit="mm")
    field = oddseam.make_sizes(square, base=0.5, along={(0.5, 0, 0): 0.05})
    even = oddseam.remesh(square, sizes=field)
    assert edges_on(even, even.nodes[:, 1] == 0) >= 19


def test_sizes_inside_of_another_mesh():
    cube = shapes.mesh(shapes.grid_cube(6), unit="mm")
    nodes, triangles = shapes.sphere(24, radius=0.3)
    body = shapes.mesh((nodes + 1.0, triangles), unit="mm")
    field = oddseam.make_sizes(cube, base=0.4, within=((body, 0.03),))
    inside = np.array([[1, 1, 1], [1, 0.8, 0.9], [0.75, 1, 1]], float)
    assert field.at(inside) == pytest.approx(0.03)
    assert field.at([[0, 0, 0]])[0] == 0.4
    off = np.array([[1.1, 1.1, 1.1], [1.3, 1.0, 1.0], [1.5, 1.0, 1.0]])  # within, on it, and beside: none on the cube
    assert field.at(off) == pytest.approx([0.03, 0.03, 0.03 + 0.35 * 0.2], abs=2e-3)
    with pytest.raises(oddseam.Refusal, match="not closed"):
        oddseam.make_sizes(cube, base=0.4, within=((shapes.mesh(shapes.sheet(), unit="mm"), 0.03),))


@pytest.mark.parametrize(
    "given", [{"along": {(0, 0, 0): -1.0}}, {"elements_along": {(0, 0, 0): 0}}, {"along": {(0, 1): 1.0}}]
)
def test_lines_that_make_no_sense_are_refused(given):
    with pytest.raises(oddseam.Refusal):
        oddseam.make_sizes(shapes.mesh(shapes.grid_cube(2), unit="mm"), base=0.4, **given)


@pytest.mark.slow
def test_lines_and_bodies_by_command_and_by_file(tmp_path):
    oddseam.write_mesh(shapes.mesh(shapes.grid_cube(6), unit="mm"), tmp_path / "cube.stl")
    nodes, triangles = shapes.sphere(24, radius=0.3)
    oddseam.write_mesh(shapes.mesh((nodes + 1.0, triangles), unit="mm"), tmp_path / "ball.stl")
    (tmp_path / "rules.toml").write_text(
        'base = 0.4\n[within]\n"ball.stl" = 0.03\n[[elements_along]]\nnear = [0, 0, 0.5]\nelements = 25\n'
    )

    def run(*words: str) -> subprocess.CompletedProcess:
        return subprocess.run([sys.executable, "-m", "oddseam", "sizes", "cube.stl", "--unit", "mm", *words], cwd=tmp_path,
                              capture_output=True, text=True, check=False)  # fmt: skip

    assert run("--rules", "rules.toml", "-o", "one.npz").returncode == 0
    options = ("--base", "0.4", "--within", "ball.stl=0.03", "--elements-along", "0,0,0.5=25")
    assert run(*options, "-o", "two.npz").returncode == 0
    one, two = (oddseam.SizeField.read(tmp_path / f"{name}.npz") for name in ("one", "two"))
    at = np.random.default_rng(0).uniform(0, 1, (50, 3))
    assert one.at(at) == pytest.approx(two.at(at))
    assert one.at([[0, 0, 0.5]])[0] == pytest.approx(0.04, rel=0.03)
    (tmp_path / "rules.toml").write_text("base = 0.4\n[[elements_along]]\nnear = [0, 0, 0.5]\nelement = 25\n")
    done = run("--rules", "rules.toml", "-o", "one.npz")
    assert done.returncode == 2 and "line 4: elements_along.element" in done.stderr


def test_a_whole_number_is_a_size_like_any_other():
    nodes, triangles = shapes.sphere(48, radius=10.0)
    ball = shapes.mesh((nodes, triangles), unit="mm")
    for quads in (False, True):
        one, two = (oddseam.remesh(ball, size=size, quads=quads) for size in (2, 2.0))
        assert one.digest == two.digest
    one, two = (oddseam.make_sizes(ball, base=base).at([[10.0, 0, 0]]) for base in (3, 3.0))
    assert one == two == 3.0
