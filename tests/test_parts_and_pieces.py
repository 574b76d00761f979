"""Parts made and named by hand, names of patches as the file holds them, pieces by number, welds, demo data."""

from __future__ import annotations

import dataclasses
import json

import numpy as np
import pytest
import shapes
from hypothesis import given, settings, strategies as st

import oddseam


@pytest.fixture
def pair() -> oddseam.Mesh:
    """A cube and a smaller one beside it, in one part, with an open sheet."""
    nodes, triangles = shapes.cube()
    sheet, flat = shapes.sheet(2)
    return shapes.side_by_side((nodes, triangles), (0.5 * nodes + 3.0, triangles), (2 * sheet + [0, 5, 0], flat))


@pytest.mark.slow
def test_pieces_are_listed_and_picked_by_number(pair, run, tmp_path):
    rows = oddseam.list_pieces(pair)
    assert [row.facets for row in rows] == [8, 12, 12] and [row.is_closed for row in rows] == [False, True, True]
    assert [row.volume for row in rows] == [None, pytest.approx(1.0), pytest.approx(0.125)]
    assert sum(row.area for row in rows) == pytest.approx(4 + 6 + 1.5) and rows[0].rims == 1
    assert len(oddseam.delete(pair, "piece 3").pieces.volume) == 2
    assert np.array_equal(oddseam.pick(pair, "piece 2"), oddseam.pick(pair, "piece (0, 0, 0)"))
    with pytest.raises(oddseam.PickError, match="there is no piece 4; there are 3"):
        oddseam.pick(pair, "piece 4")
    oddseam.write_mesh(pair, tmp_path / "pair.stl")
    said = run("pieces", "pair.stl", "--unit", "mm")
    assert said.returncode == 0 and "3 piece(s), 2 closed" in said.stdout
    assert len(json.loads(run("pieces", "pair.stl", "--json").stdout)["pieces"]) == 3
    assert run("delete", "pair.stl", "piece 1", "-o", "two.stl").returncode == 0
    assert oddseam.read_mesh(tmp_path / "two.stl").n_elements == 24


@pytest.mark.slow
def test_parts_are_made_of_picks_and_named(pair, run, tmp_path):
    made = oddseam.make_part(pair, "piece 3", name="pad", boundary="heated face")
    assert [(p.name, p.boundary) for p in made.parts] == [("surface", None), ("pad", "heated face")]
    assert (made.element_part == 1).sum() == 12 and np.array_equal(made.element_ids, pair.element_ids)
    named = oddseam.name_parts(made, {"surface": "pad", "pad": "surface"}, boundaries={"surface": "inlet"})
    assert [(p.name, p.boundary) for p in named.parts] == [("pad", None), ("surface", "inlet")]
    for names, said in (({"none": "x"}, "no part 'none'"), ({"pad": "surface"}, "already"), ({"pad": " "}, "empty")):
        with pytest.raises(oddseam.Refusal, match=said):
            oddseam.name_parts(made, names)
    oddseam.write_mesh(pair, tmp_path / "pair.seam")
    done = run("part", "pair.seam", "piece 3", "--name", "pad", "--boundary", "wall", "-o", "made.seam")
    assert done.returncode == 0, done.stderr
    done = run("name-parts", "made.seam", "pad=foot", "--boundaries", "foot=my own kind", "-o", "named.seam")
    assert done.returncode == 0, done.stderr
    assert oddseam.read_mesh(tmp_path / "named.seam").parts[1] == dataclasses.replace(
        oddseam.read_mesh(tmp_path / "made.seam").parts[1], name="foot", boundary="my own kind"
    )
    oddseam.write_mesh(named, tmp_path / "named.cgns")  # which knows free words as "user defined"
    assert "surface" in [part.name for part in oddseam.read_mesh(tmp_path / "named.cgns").parts]


@pytest.mark.slow
def test_naming_and_splitting_take_the_patches_that_the_file_holds(run, tmp_path):
    found = oddseam.find_features(shapes.mesh(shapes.grid_cube(4), unit="mm"))
    known = {patch.name for patch in found.patches.table}
    drawn = oddseam.make_creases(found, through=[(0.1, 0.5, 1.0), (0.9, 0.5, 1.0)])
    oddseam.write_mesh(drawn, tmp_path / "box.seam")
    done = run("name-patches", "box.seam", "plane 1=lid", "plane 2=lid", "-o", "named.seam")
    assert done.returncode == 0, done.stderr
    named = oddseam.read_mesh(tmp_path / "named.seam")
    assert {patch.name for patch in named.patches.table} == known - {"plane 1", "plane 2"} | {"lid"}
    assert len(named.creases.edges) == len(drawn.creases.edges)
    done = run("split-parts", "named.seam", "--boundaries", "lid=hot side", "-o", "parts.seam")
    assert done.returncode == 0, done.stderr
    assert {(p.name, p.boundary) for p in oddseam.read_mesh(tmp_path / "parts.seam").parts_used} >= {
        ("lid", "hot side")
    }
    oddseam.write_mesh(shapes.mesh(shapes.cube()), tmp_path / "bare.stl")
    done = run("name-patches", "bare.stl", "plane 1=lid", "-o", "x.seam")
    assert done.returncode == 2 and "has no patches; `oddseam features` finds them" in done.stderr


def test_what_loses_all_or_most_of_its_area_is_named():
    nodes, triangles = shapes.cube()
    both = np.concatenate([nodes, 0.3 * nodes + 0.3]), np.concatenate([triangles, triangles + 8])
    parts = (oddseam.Part("case", 1), oddseam.Part("insert", 2))
    mesh = oddseam.Mesh.from_triangles(
        *both, part=np.repeat([0, 1], 12), parts=parts, groups=oddseam.Groups(elements={"hidden": np.arange(14, 24)})
    )
    named = oddseam.mend(mesh).account.last.outcome.loss.named
    assert "part 'insert' lost all of its area: 12 elements, 0.54 in area, before" in named
    assert any(line.startswith("group 'hidden' lost all of its area: 10 elements") for line in named)
    assert oddseam.remesh(mesh, size=0.2).account.last.outcome.loss.named == ()


@given(st.integers(0, 10**6), st.floats(0.001, 0.01))
@settings(max_examples=30, deadline=None)
def test_weld_twice_is_weld_once(seed, spread):
    """Triangles whose corners cluster round thirty places."""
    random = np.random.default_rng(seed)
    places = random.random((30, 3))
    corners = places[[random.choice(30, 3, replace=False) for _ in range(60)]]
    soup = (corners + spread * random.normal(size=corners.shape)).reshape(-1, 3)
    mesh = oddseam.Mesh.from_triangles(soup, np.arange(180).reshape(60, 3))
    once = oddseam.weld(mesh, tolerance=0.01)
    assert once.account.last.largest_move <= 0.01
    assert oddseam.weld(once, tolerance=0.01).digest == once.digest


@pytest.mark.slow
def test_the_demo_data_of_every_page_comes_by_one_command(run, tmp_path):
    done = run("demo", "--data", "-o", "data")
    assert done.returncode == 0, done.stderr
    made = {path.name for path in (tmp_path / "data").iterdir()}
    assert {"inlet_cowl.stl", "draft_tube.bdf", "bearing_block.bdf", "hand_wheel_rim.stl", "latch_arm.stl"} <= made
    assert all(oddseam.read_mesh(tmp_path / "data" / name).n_elements for name in made - {"bolt_row.csv"})
