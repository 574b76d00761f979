"""Picks that grow, picks of surfaces and rims, and picks of nodes, edges and rims."""

from __future__ import annotations

import json

import numpy as np
import pytest
import shapes
from test_openings import panel

import oddseam
from oddseam.model import KINDS


@pytest.fixture(scope="module")
def pipe() -> oddseam.Mesh:
    """A cylinder of radius one between z = 0 and 3, with its caps."""
    return shapes.mesh(shapes.capped_cylinder(48), unit="mm")


@pytest.fixture(scope="module")
def holed() -> oddseam.Mesh:
    mesh = oddseam.cut(panel(), at=(6, 6, 0), diameter=3.0, rim_nodes=24)
    return oddseam.cut(mesh, at=(14, 13, 0), diameter=5.0, rim_nodes=32)


def height(mesh: oddseam.Mesh, elements: np.ndarray) -> np.ndarray:
    return mesh.nodes[mesh.triangulation.triangles[elements]][:, :, 2]


def test_growth_ends_at_edges_that_turn_and_at_the_angle_to_the_seed(pipe):
    cap = oddseam.pick(pipe, "near (0.2, 0.3, 3) flat 20")
    assert len(cap) == 48 and (height(pipe, cap) == 3).all()
    wall = oddseam.pick(pipe, "near (1, 0, 1.5) flat 20")
    assert len(wall) == 96
    some = oddseam.pick(pipe, "near (1, 0, 1.5) flat 20 within 45")
    assert 20 < len(some) < 30 and set(some) < set(wall)
    assert len(oddseam.pick(pipe, "near (1, 0, 1.5) flat 100")) == pipe.n_elements
    ring = oddseam.pick(pipe, "near (0.2, 0.3, 3) flat 20 rings 1")
    assert len(ring) > 48


def test_patches_and_whole_surfaces(pipe):
    assert len(oddseam.pick(pipe, "patch (1, 0, 1.5)")) == 96
    assert len(oddseam.pick(pipe, "surface (1, 0, 1.5)")) == 96
    known = oddseam.find_features(pipe)
    assert len(oddseam.pick(known, 'patch "cylinder 1"')) == 96
    # two bores in line are one surface, though two patches
    nodes, triangles = shapes.capped_cylinder(24)
    two = shapes.side_by_side((nodes, triangles), (nodes + np.array([0, 0, 9.0]), triangles))
    assert len(oddseam.pick(two, "surface (1, 0, 1.5)")) == 96 and len(oddseam.pick(two, "patch (1, 0, 1.5)")) == 48
    with pytest.raises(oddseam.PickError, match="no patch 'lid'; patches are"):
        oddseam.pick(known, "patch lid")


def test_places(tmp_path, pipe):
    mesh = panel()
    assert len(oddseam.pick(mesh, "cylinder (10, 10, -1) (10, 10, 1) 3.01")) == 16
    oddseam.write_mesh(
        oddseam.Mesh.from_triangles(pipe.nodes * 4 + (10, 10, -5), pipe.triangulation.triangles, unit="mm"),
        tmp_path / "tool.stl",
    )
    inside = oddseam.pick(mesh, f"inside '{tmp_path / 'tool.stl'}'")
    middle = mesh.nodes[mesh.elements["quad"].connectivity[inside]].mean(axis=1)
    assert len(inside) > 20 and np.linalg.norm(middle[:, :2] - 10, axis=1).max() < 4
    with pytest.raises(oddseam.PickError, match=r"column 1: .*no such file"):
        oddseam.pick(mesh, "inside 'gone.stl'")
    with pytest.raises(oddseam.PickError, match="one point"):
        oddseam.pick(mesh, "cylinder (1, 1, 1) (1, 1, 1) 2")


def test_rims_and_the_worst(holed):
    small = oddseam.pick(holed, "rim (6, 6, 0)", of="nodes")
    assert len(small) == 24 and len(oddseam.pick(holed, "rims below 8", of="nodes")) == 56
    assert len(oddseam.pick(holed, "rims below 8", of="rims")) == 2
    assert len(oddseam.pick(holed, "rim (6, 6, 0)")) == 24
    worst = oddseam.pick(holed, "worst 7 scaled-jacobian")
    quads = holed.elements["quad"]
    values = oddseam.geometry.shapes.quality.quality(holed.nodes[quads.connectivity])["scaled_jacobian"]
    first = sum(len(b) for name, b in holed.elements.items() if name == "tri")
    assert set(worst - first) == set(np.argsort(values, kind="stable")[:7])
    with pytest.raises(oddseam.PickError, match="no measure 'beauty'; there are aspect_ratio"):
        oddseam.pick(holed, "worst 3 beauty")


def test_nodes_and_edges_by_their_own_places(holed):
    nodes = oddseam.pick(holed, "box (-1, -1, -1) (2.5, 2.5, 1)", of="nodes")
    assert len(nodes) == 9 and (holed.nodes[nodes, :2] <= 2).all()
    assert len(oddseam.pick(holed, "near (0, 0, 0)", of="nodes")) == 1
    edges = oddseam.pick(holed, "box (-1, -1, -1) (2.5, 2.5, 1)", of="edges")
    assert len(edges) == 12
    assert len(oddseam.pick(holed, "near (0.4, 0.4, 0) rings 1", of="nodes")) == 4
    assert holed.node_ids[oddseam.pick(holed, "ids 5-14", of="nodes")].tolist() == [5, 8, 11, 14]
    with pytest.raises(oddseam.PickError, match="selects no rims"):
        oddseam.pick(holed, "near (0, 0, 0)", of="rims")
    with pytest.raises(oddseam.BadArgument, match="it takes 'elements'"):
        oddseam.pick(holed, "all", of="corners")


def test_a_finding_of_edges_gives_its_edges(holed):
    free = oddseam.pick(holed, "finding 'free edges'", of="edges")
    assert set(free) == set(np.flatnonzero(holed.connectivity.is_free))
    rims = oddseam.pick(holed, "finding 'free edges' and sphere (6, 6, 0) 5", of="edges")
    middle = holed.nodes[holed.connectivity.edges[rims]].mean(axis=1)
    assert set(rims) < set(free) and (np.linalg.norm(middle - (6, 6, 0), axis=1) < 5).all()
    turned = oddseam.flip(holed, "near (0.4, 0.4, 0)")
    assert len(oddseam.pick(turned, "finding 'misoriented edges'", of="edges")) == 2


def test_what_is_picked_is_listed_by_id_with_its_measure(holed):
    given = holed.replaced(
        elements={name: oddseam.Elements(b.connectivity, b.ids + 5000, b.part) for name, b in holed.elements.items()}
    )
    rows = oddseam.list_picked(given, "worst 5 aspect-ratio or near (0.4, 0.4, 0)")
    values = [row.values["aspect_ratio"] for row in rows]
    assert len(rows) == 6 and values == sorted(values, reverse=True)
    for row in rows:
        again = oddseam.pick(given, f"ids {row.ids[0]}")
        assert np.array_equal(again, oddseam.pick(given, f"near ({', '.join(map(str, row.place))})"))
    (rim,) = oddseam.list_picked(given, "rim (6, 6, 0)", of="rims")
    assert len(rim.ids) == 24 and np.allclose(rim.place, (6, 6, 0), atol=0.1)
    assert [row.ids for row in oddseam.list_picked(given, "box (-1, -1, -1) (1.5, 0.5, 1)", of="nodes")] == [
        (5,),
        (8,),
    ]


def test_a_pick_survives_new_numbers(holed):
    words = "near (6, 4, 0) flat 5 within 20 and not sphere (14, 13, 0) 4"
    before = oddseam.pick(holed, words)
    order = np.random.default_rng(4).permutation(holed.n_nodes)
    new = np.argsort(order)
    moved = holed.replaced(
        nodes=holed.nodes[order],
        node_ids=7 + np.arange(holed.n_nodes),
        elements={
            name: oddseam.Elements(new[b.connectivity], b.ids + 1000, b.part) for name, b in holed.elements.items()
        },
    )
    assert np.array_equal(oddseam.pick(moved, words), before)


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ("near (0,0,0) flat", "column 18: a number is wanted"), ("rims", "column 5: .*'below' is missing"),
        ("worst bad", "column 7: a whole number"), ("inside", "column 7: a name is missing"),
        ("all flat 5 within", "column 18: a number is wanted"), ("surface 5", "column 9: a point such as"),
    ],
)  # fmt: skip
def test_what_is_wrong_is_said_with_its_column(text, message):
    with pytest.raises(oddseam.PickError, match=message):
        oddseam.pick(panel(), text)


@pytest.mark.slow
def test_the_command_counts_lists_draws_and_keeps(run, tmp_path, holed):
    oddseam.write_mesh(holed, tmp_path / "holed.seam")
    said = run("pick", "holed.seam", "rims below 8", "--of", "rims")
    assert said.returncode == 0 and "holed.seam, 2 rims" in said.stdout
    found = json.loads(run("pick", "holed.seam", "near (0.5, 0.5, 0) rings 1", "--json").stdout)
    worst = run("pick", "holed.seam", "worst 3 scaled-jacobian").stdout.splitlines()
    assert worst[1].split()[:4] == ["ids", "kind", "values", "place"] and len(worst) == 5
    assert len(found["picked"]) == 4 and found["picked"][0]["kind"] == "quad"
    drawn = run("pick", "holed.seam", "near (0.5, 0.5, 0) rings 1", "--picture", "p.png")
    assert drawn.returncode == 0 and (tmp_path / "p.png").exists()
    kept = run("group", "holed.seam", "near (0.5, 0.5, 0) rings 1", "--name", "corner", "-o", "kept.seam")
    assert kept.returncode == 0, kept.stderr
    again = oddseam.read_mesh(tmp_path / "kept.seam")
    assert len(oddseam.pick(again, "group corner")) == 4
    for words in (("all", "--name", "x"), ("all", "--of", "edges", "--name", "x", "-o", "y.seam")):
        refused = run("group", "holed.seam", *words)
        assert refused.returncode == 2 and refused.stderr.count("\n") == 1 and not (tmp_path / "y.seam").exists()


@pytest.mark.parametrize("kind", ["hex", "tet", "hex20", "tet10"])
def test_picks_that_speak_of_surfaces_work_on_the_skin_of_solids(kind):
    import solids

    mesh = solids.solid(solids.bored_block(), kind)
    radius = np.hypot(mesh.nodes[:, 0], mesh.nodes[:, 2])
    for what, on in (
        ("near (30, 20, 0) flat 5", mesh.nodes[:, 0] > 30.0 - 1e-9),
        ("patch (0, 20, 10)", radius < 10.0 + 1e-6),
        ("surface (0, 20, 10)", radius < 10.0 + 1e-6),
        ("near (0, 0, 20) flat 5", mesh.nodes[:, 1] < 1e-9),
    ):
        nodes = oddseam.pick(mesh, what, of="nodes")
        if kind in ("hex", "tet"):
            assert nodes.tolist() == np.flatnonzero(on).tolist(), what
        else:  # midside nodes of chords are off the cylinder
            assert set(nodes.tolist()) >= set(np.flatnonzero(on & np.isin(np.arange(len(on)), nodes)).tolist())
            assert len(nodes) > on.sum() / 2
        elements = oddseam.pick(mesh, what)
        block = next(iter(mesh.elements.values()))
        faces = np.isin(block.connectivity[:, : KINDS[kind].corners], nodes).sum(axis=1)
        assert (faces[elements] >= 3).all()
    assert len(oddseam.pick(mesh, "near (30, 20, 0)")) == 1
    lip = oddseam.pick(mesh, "part 'block' and near (30, 20, 0) flat 5")
    assert set(lip.tolist()) == set(oddseam.pick(mesh, "near (30, 20, 0) flat 5").tolist())
