from __future__ import annotations

import json

import numpy as np
import pytest
import shapes
from hypothesis import given, settings, strategies as st

import oddseam


def box(size, at=(0.0, 0.0, 0.0), n: int = 6) -> tuple[np.ndarray, np.ndarray]:
    nodes, triangles = shapes.grid_cube(n)
    return nodes * size + at, triangles


def both(*bodies) -> oddseam.Mesh:
    start = np.cumsum([0, *(len(nodes) for nodes, _ in bodies)])
    return oddseam.Mesh.from_triangles(
        np.concatenate([nodes for nodes, _ in bodies]),
        np.concatenate([triangles + first for (_, triangles), first in zip(bodies, start, strict=False)]),
    )


def length(mesh: oddseam.Mesh, what: str) -> float | None:
    row = oddseam.measure(mesh).find(what)
    return None if row is None else row.length


@settings(max_examples=15, deadline=None)
@given(
    st.floats(0.1, 0.9), st.floats(0.05, 3.0), st.sampled_from([1e-3, 1.0, 1e3]), st.integers(0, 1000),
)  # fmt: skip
def test_a_plate_beside_a_plate_measures_its_wall_and_the_gap(wall, gap, scale, seed):
    random = np.random.default_rng(seed)
    turn, _ = np.linalg.qr(random.normal(size=(3, 3)))
    mesh = both(box((4.0, 4.0, wall)), box((4.0, 4.0, 1.0), at=(0.0, 0.0, wall + gap)))
    order = random.permutation(len(mesh.faces))
    nodes, triangles = mesh.nodes @ turn * scale, mesh.triangulation.triangles[order]
    if np.linalg.det(turn) < 0:
        triangles = triangles[:, ::-1]
    turned = oddseam.Mesh.from_triangles(nodes, triangles)
    assert length(turned, "thinnest wall") == pytest.approx(wall * scale, rel=1e-9)
    assert length(turned, "smallest gap") == pytest.approx(gap * scale, rel=1e-9)


def test_walls_of_round_bodies_and_none_where_there_is_none():
    hollow = both(shapes.sphere(48, 10.0), (shapes.sphere(48, 9.0)[0], shapes.sphere(48, 9.0)[1][:, ::-1]))
    assert length(hollow, "thinnest wall") == pytest.approx(1.0, rel=0.01)
    assert length(hollow, "smallest gap") == pytest.approx(18.0, rel=0.01)
    assert length(shapes.mesh(shapes.sheet()), "thinnest wall") is None
    # a wedge of 20 degrees ends in an edge, not in a wall of no thickness: what is left is its width
    nodes = np.array([[0, 0, 0], [5, 0, 0], [5, 0, 1.8], [0, 3, 0], [5, 3, 0], [5, 3, 1.8]], float)
    wedge = [[0, 1, 2], [3, 5, 4], [0, 3, 4], [0, 4, 1], [1, 4, 5], [1, 5, 2], [0, 2, 5], [0, 5, 3]]
    assert length(oddseam.Mesh.from_triangles(nodes, wedge), "thinnest wall") == 3.0


def test_a_survey_names_the_wall_and_where_it_is():
    found = oddseam.survey(both(box((4.0, 4.0, 0.5))))
    wall = found.finding("thinnest wall")
    assert wall.severity == "note" and "0.5" in wall.message
    assert wall.places[0].centre[2] == pytest.approx(0.25) and len(wall.places[0].ids) == 2


@pytest.mark.slow
def test_distances_between_nodes(run, tmp_path):
    nodes = np.array([[0, 0, 0], [3, 0, 0], [3, 4, 0]], float)
    mesh = oddseam.Mesh.from_triangles(nodes, [[0, 1, 2]], node_ids=[70, 11, 900], unit="mm")
    frame = oddseam.measure(mesh, nodes=[11, 900, 70]).frame()
    assert frame["length"].tolist() == [4.0, 5.0] and frame["dy"].tolist() == [4.0, -4.0]
    oddseam.write_mesh(mesh, tmp_path / "three.seam")
    said = json.loads(run("measure", "three.seam", "--nodes", "70,11", "--json").stdout)
    assert said["measures"][0]["length"] == 3.0 and said["unit"] == "mm"
    for nodes, reason in (("70,12", "no node 12"), ("70", "two nodes"), ("70,x", "--nodes: 'x'")):
        refused = run("measure", "three.seam", "--nodes", nodes)
        assert refused.returncode == 2 and reason in refused.stderr and refused.stdout == ""


@pytest.mark.slow
def test_the_cowl_is_measured_as_its_formula_says(even_cowl):
    said = str(oddseam.measure(even_cowl).frame())
    # the wall is five millimetres of formula; facets of four millimetres cut across its bend
    assert 4.0 < length(even_cowl, "thinnest wall") < 5.0 and "smallest gap" in said


def test_diameters_of_openings_holes_and_pins(mended_cowl):
    found = oddseam.measure(oddseam.find_features(mended_cowl))
    holes = [row.length for row in found.rows if row.what.startswith("diameter of hole")]
    pins = sorted(row.length for row in found.rows if row.what.startswith("diameter of pin"))
    assert holes == pytest.approx([20.0] * 4, rel=1e-4) and pins == pytest.approx([24.0, 210.0], rel=1e-4)
    (smallest,) = (row for row in found.rows if row.what.startswith("smallest patch (cylinder"))
    assert smallest.length == pytest.approx(np.linalg.norm([20, 20, 8]), rel=5e-3)
    for row in found.rows:
        if row.what.startswith("diameter"):
            assert np.linalg.norm(np.subtract(row.end, row.start)) == pytest.approx(row.length)
    turn = np.arange(24) * np.pi / 12
    ring = np.column_stack([np.cos(turn), np.sin(turn)])
    pipe = np.concatenate([np.column_stack([ring, np.full(24, z)]) for z in (0.0, 3.0)])
    k, a = np.arange(24), (np.arange(24) + 1) % 24
    triangles = np.concatenate([np.column_stack([k, a, a + 24]), np.column_stack([k, a + 24, k + 24])])
    openings = [
        row for row in oddseam.measure(oddseam.Mesh.from_triangles(pipe, triangles)).rows if "opening" in row.what
    ]
    assert [row.length for row in openings] == pytest.approx([2.0, 2.0])


def test_every_element_has_the_wall_behind_it_and_the_gap_before_it():
    mesh = both(box((9.0, 9.0, 1.0)), box((9.0, 9.0, 2.0), at=(0.0, 0.0, 4.0)))
    height = mesh.nodes[mesh.triangulation.triangles][:, :, 2]
    walls, gaps = (oddseam.local_lengths(mesh, what) for what in ("thickness", "gap"))
    for z, wall in ((0.0, 1.0), (1.0, 1.0), (4.0, 2.0), (6.0, 2.0)):
        flat = (height == z).all(axis=1)
        assert flat.any() and walls[flat] == pytest.approx(wall)
        if z in (1.0, 4.0):
            assert gaps[flat] == pytest.approx(3.0)
        else:
            assert np.isnan(gaps[flat]).all()
    assert length(mesh, "median wall") in (1.0, 2.0)
    with pytest.raises(oddseam.Refusal, match="'thickness' or 'gap'"):
        oddseam.local_lengths(mesh, "width")
