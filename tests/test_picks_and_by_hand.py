"""The pick language, and mending by hand with it."""

from __future__ import annotations

import numpy as np
import pytest
import shapes
from hypothesis import given, settings, strategies as st
from test_cracks_and_walls import apart, strip

import oddseam


@pytest.fixture
def two_cubes():
    """A large cube in part 'hull', a small one far off in part 'gauge boss'."""
    nodes, triangles = shapes.grid_cube(3)
    small = shapes.cube(0.25)
    mesh = apart((nodes, triangles), (small[0] + [3, 0, 0], small[1]))
    part = (mesh.nodes[mesh.elements["tri"].connectivity].mean(axis=1)[:, 0] > 2).astype(int)
    parts = oddseam.Part("hull", 1), oddseam.Part("gauge boss", 2)
    groups = oddseam.Groups(elements={"wet": np.arange(10)}, nodes={"corner": [0, 1, 4, 5]})
    return oddseam.Mesh.from_triangles(
        mesh.nodes, mesh.elements["tri"].connectivity, part=part, parts=parts, groups=groups
    )


@pytest.mark.parametrize(
    "text, count",
    [
        ("all", 120), ("part hull", 108), ('part "gauge boss"', 12), ("not part hull", 12), ("ids 3, 5 7-9", 5),
        ("group wet", 10), ("piece (3, 0, 0)", 12), ("near (0.9, 0.9, 1.2)", 1), ("box (2,-1,-1) (9,9,9)", 12),
        ("sphere (3.1, 0.1, 0.1) 1", 12), ("all minus piece (3.1, 0, 0)", 108), ("part hull and box (-1,-1,0.99) (2,2,2)", 18),
        ("part hull and (group wet or ids 50)", 11), ("not (part hull or ids 109-118)", 2), ("near (3, 0, 0) rings 1 rings 5", 12),
        ("group wet and not group wet or ids 1", 1),
    ],
)  # fmt: skip
def test_picks(two_cubes, text, count):
    assert len(oddseam.pick(two_cubes, text)) == count


def test_rings_grow_by_shared_nodes(two_cubes):
    one = oddseam.pick(two_cubes, "ids 1")
    ring = oddseam.pick(two_cubes, "ids 1 rings 1")
    nodes = two_cubes.elements["tri"].connectivity
    assert set(ring) == set(np.flatnonzero(np.isin(nodes, nodes[one]).any(axis=1)))


def test_findings_can_be_picked(raw_cowl, damage):
    for name, count in (
        ("duplicate facets", damage.duplicated),
        ("slivers", damage.slivers),
        ("misoriented edges", damage.flipped),
        ("crumbs", damage.crumbs),
    ):
        assert len(oddseam.pick(raw_cowl, f'finding "{name}"')) == count


@pytest.mark.parametrize(
    "text, message",
    [
        ("", "column 1: a pick is missing"), ("part", "column 5: a name is missing"), ("part rudder", "column 1: there is no part 'rudder'; parts are hull"),
        ("all all", "column 5: 'all' is one word too many"), ("(all", "column 5: a closing parenthesis is missing"),
        ("near (1, 2)", "column 11: a point such as"), ("sphere (1,2,3) x", "column 16: a number is wanted, not 'x'"),
        ("ids 9-3", "column 5: the range 9-3 runs backwards"), ("ids 900", "column 1: there is no element 900"), ("all $", r"column 5: '\$' cannot be understood"),
        ("all rings 1.5", "column 11: a whole number is wanted"), ("finding teeth", "no finding 'teeth' to pick; there are duplicate facets"),
        ("not all", "selects nothing"), ("__import__('os')", "column 1: '__import__' begins no pick"), ("(" * 200 + "all", "nested too deeply"),
        ("not " * 200 + "all", "nested too deeply"), ("group wet2", "there is no group 'wet2'; groups are wet"),
    ],
)  # fmt: skip
def test_what_is_wrong_with_a_pick_is_said_with_its_column(two_cubes, text, message):
    with pytest.raises(oddseam.PickError, match=message):
        oddseam.pick(two_cubes, text)


@settings(max_examples=300, deadline=None)
@given(
    st.lists(
        st.sampled_from(
            [
                "all",
                "part",
                "hull",
                "ids",
                "1-3",
                "and",
                "or",
                "not",
                "minus",
                "(",
                ")",
                "rings",
                "2",
                ",",
                "near",
                "(0,0,0)",
                "'x",
                "\n",
                "é",
            ]
        ),
        max_size=9,
    )
)
def test_any_words_pick_or_are_refused(words):
    mesh = shapes.mesh(shapes.cube())
    try:
        assert len(oddseam.pick(mesh, " ".join(words)))
    except oddseam.PickError as error:
        assert "pick" in str(error)


@pytest.mark.slow
def test_delete_and_flip(two_cubes, run, tmp_path):
    less = oddseam.delete(two_cubes, 'part "gauge boss"')
    assert less.n_elements == 108 and oddseam.prove(less).is_clean and less.account.last.operation == "delete"
    with pytest.raises(oddseam.Refusal, match="selects every element"):
        oddseam.delete(two_cubes, "all")
    turned = oddseam.flip(two_cubes, "near (0.9, 0.9, 1.2)")
    assert len(oddseam.pick(turned, 'finding "misoriented edges"')) == 1
    assert oddseam.flip(turned, 'finding "misoriented edges"').digest == two_cubes.digest
    oddseam.write_mesh(two_cubes, tmp_path / "a.seam")
    done = run("delete", "a.seam", "part hull", "-o", "b.seam")
    assert done.returncode == 0 and oddseam.read_mesh(tmp_path / "b.seam").n_elements == 12
    wrong = run("flip", "a.seam", "part hull andd", "-o", "c.seam")
    assert wrong.returncode == 2 and "column 11" in wrong.stderr and not (tmp_path / "c.seam").exists()


@pytest.mark.slow
def test_fill_by_point_diameter_and_nodes(run, tmp_path):
    nodes, triangles = shapes.grid_cube(4)
    middle = nodes[triangles].mean(axis=1)
    top = np.linalg.norm(middle - [0.5, 0.5, 1], axis=1) < 0.3
    holes = top | (np.abs(middle - [0.375, 0.375, 0]).max(axis=1) < 0.13)
    mesh = oddseam.Mesh.from_triangles(nodes, triangles[~holes])
    assert mesh.connectivity.n_rims == 2
    one = oddseam.fill(mesh, near=(0.5, 0.5, 2.0))
    assert one.connectivity.n_rims == 1 and one.nodes[one.connectivity.rims[0].nodes][:, 2].max() == 0
    both = oddseam.fill(mesh, below=2.0)
    assert oddseam.prove(both).is_closed and oddseam.prove(both).is_clean
    by_nodes = oddseam.fill(one, nodes=tuple(one.node_ids[one.connectivity.rims[0].nodes].tolist()))
    assert oddseam.prove(by_nodes).is_closed and oddseam.prove(by_nodes).is_clean
    for settings_, message in (
        ({"below": 1e-3}, "no rim is less than"),
        ({}, "say one of"),
        ({"nodes": (1, 2)}, "three different"),
        ({"nodes": (1, 2, 3)}, "free edge"),
    ):
        with pytest.raises(oddseam.Refusal, match=message):
            oddseam.fill(mesh, **settings_)
    oddseam.write_mesh(mesh, tmp_path / "a.obj")
    done = run("fill", "a.obj", "-o", "b.stl", "--below", "2")
    assert done.returncode == 0 and oddseam.prove(oddseam.read_mesh(tmp_path / "b.stl")).is_closed
    assert run("fill", "a.obj", "-o", "c.stl", "--near", "1,2").returncode == 2


def test_weld_keeps_the_lowest_id_and_never_collapses(run, tmp_path):
    mesh = apart(strip(0, 0.4, 4), strip(0.41, 0.8, 4))
    welded = oddseam.weld(mesh, tolerance=0.02)
    assert welded.n_nodes == mesh.n_nodes - 5 and welded.connectivity.n_pieces == 1
    assert set(welded.node_ids.tolist()) == set(range(1, 11)) | set(range(16, 21))
    assert welded.account.last.largest_move == pytest.approx(0.01)
    assert oddseam.weld(mesh, tolerance=0.001).digest == mesh.digest
    wide = oddseam.weld(mesh, tolerance=0.5)
    assert not len(wide.degenerate_triangles) and wide.n_elements == mesh.n_elements
    parted = oddseam.Mesh.from_triangles(
        mesh.nodes,
        mesh.elements["tri"].connectivity,
        part=np.repeat([0, 1], 8),
        parts=(oddseam.Part("a", 1), oddseam.Part("b", 2)),
    )
    assert oddseam.weld(parted, tolerance=0.02, parts=("a", "b")).n_nodes == mesh.n_nodes - 5
    with pytest.raises(oddseam.PickError, match="there is no part 'c'"):
        oddseam.weld(parted, tolerance=0.02, parts=("a", "c"))
    oddseam.write_mesh(mesh, tmp_path / "a.obj")
    assert run("weld", "a.obj", "-o", "b.obj", "--tolerance", "0.02").returncode == 0
    assert oddseam.read_mesh(tmp_path / "b.obj").n_nodes == mesh.n_nodes - 5
