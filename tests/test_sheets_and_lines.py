"""Sheets that solids cut, the lines along which surfaces crossed, and pieces that are nearly closed."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from shapes import cube, sheet, side_by_side, sphere, torus
from unions import box

import oddseam
from oddseam.geometry.exact.crossing_lines import crossing_lines
from oddseam.geometry.shapes.quality import quality
from oddseam.geometry.triangles import area_vectors
from oddseam.mending.holes.caps import with_caps
from oddseam.mending.sewing.joining import held_by

Shape = tuple[np.ndarray, np.ndarray]


def _moved(nodes: np.ndarray, *by: float) -> np.ndarray:
    return nodes + np.array(by)


def _area(mesh: oddseam.Mesh) -> float:
    return float(np.linalg.norm(area_vectors(mesh.nodes[mesh.triangulation.triangles]), axis=1).sum())


def _length(mesh: oddseam.Mesh) -> float:
    assert mesh.creases is not None
    known = set(map(tuple, np.sort(mesh.connectivity.edges, axis=1).tolist()))
    assert all(tuple(edge) in known for edge in mesh.creases.edges.tolist())
    return float(np.linalg.norm(np.diff(mesh.nodes[mesh.creases.edges], axis=1), axis=2).sum())


@pytest.fixture
def pierced() -> oddseam.Mesh:
    """A cube of side 2 that a sheet, 4 by 1, runs through."""
    nodes, triangles = sheet(4)
    return side_by_side(cube(2.0), (nodes * [4, 1, 1] + [-1.1, 0.5, 1.03], triangles))


def test_a_sheet_that_crosses_a_solid_stays_as_it_is_and_is_listed(pierced):
    mended = oddseam.mend(pierced)
    assert mended.digest == pierced.digest
    unmet = mended.account.last.outcome.unmet
    assert "`oddseam mend --close all`" in unmet[0] or "open sheets cross others" in unmet[0]
    assert any("open sheets cross others: 18 pairs" in line for line in unmet)


@pytest.mark.parametrize(("trim", "area"), [("inside", 26.0), ("outside", 26.0)])
def test_a_sheet_is_cut_off_on_the_side_that_was_asked(pierced, trim, area):
    mended = oddseam.mend(pierced, trim=trim)
    assert _area(mended) == pytest.approx(area)
    assert not len(mended.crossing_triangles)
    assert any("open sheets cross others" in line for line in mended.account.last.outcome.unmet)
    assert _length(mended) == pytest.approx(2.0)  # two lines of length one


@pytest.mark.slow
def test_trim_needs_a_union(pierced, tmp_path: Path):
    with pytest.raises(oddseam.Refusal, match="union"):
        oddseam.mend(pierced, trim="inside", overlaps="imprint")
    with pytest.raises(oddseam.Refusal, match="'inside' or 'outside'"):
        oddseam.mend(pierced, trim="left")
    path, out = tmp_path / "tray.stl", tmp_path / "out.stl"
    oddseam.write_mesh(pierced, path)
    command = [sys.executable, "-m", "oddseam", "mend", str(path), "-o", str(out), "--unit", "mm"]
    said = subprocess.run([*command, "--trim", "inside"], capture_output=True, text=True, check=False)
    assert said.returncode == 1 and "what was not cut off" in said.stderr and out.exists()
    said = subprocess.run(
        [*command, "--trim", "inside", "--overlaps", "keep"], capture_output=True, text=True, check=False
    )
    assert said.returncode == 2 and "union" in said.stderr


def test_a_sheet_clear_of_the_solid_is_not_trimmed():
    nodes, triangles = sheet(3)
    turned = nodes[:, [2, 1, 0]] + [5.4, 5.3, 4.5]
    far = side_by_side(cube(2.0), (_moved(nodes, 5, 5, 5), triangles), (turned, triangles))
    mended = oddseam.mend(far, trim="outside")
    assert _area(mended) == pytest.approx(_area(far))


def test_lines_of_crossing_boxes_are_creases():
    nodes, triangles = cube(2.0)
    boxes = side_by_side((nodes, triangles), (_moved(nodes, 1, 0.7, 0.9), triangles))
    pairs = boxes.crossing_triangles
    lines = crossing_lines(boxes.nodes, boxes.triangulation.triangles, pairs)
    assert lines.chain.max() == 0 and lines.length.sum() == pytest.approx(6.8)
    found = oddseam.survey(boxes).finding("crossing facets")
    assert found.n_places == 1 and found.places[0].length == pytest.approx(6.8)
    mended = oddseam.mend(boxes)
    assert _length(mended) == pytest.approx(6.8)
    assert set(mended.creases.kind.tolist()) == {3}


def test_lines_of_crossing_tori_close():
    nodes, triangles = torus(60, 30)
    other = nodes @ np.array([[1, 0, 0], [0, 0, 1], [0, -1, 0]]) + [0.3, 0, 0]
    tori = side_by_side((nodes, triangles), (other, triangles))
    pairs = tori.crossing_triangles
    lines = crossing_lines(tori.nodes, tori.triangulation.triangles, pairs)
    assert lines.chain.max() + 1 == 2
    mended = oddseam.mend(tori, target="stl")
    assert not mended.account.last.outcome.unmet
    assert _length(mended) == pytest.approx(float(lines.length.sum()), rel=1e-5)


def test_boxes_in_one_plane_have_no_line_there():
    nodes, triangles = cube(2.0)
    found = oddseam.survey(side_by_side((nodes, triangles), (_moved(nodes, 1, 0, 0), triangles))).finding(
        "crossing facets"
    )
    assert "lie in one plane" in found.message
    mended = oddseam.mend(side_by_side((nodes, triangles), (_moved(nodes, 1, 0, 0), triangles)))
    assert oddseam.prove(mended).is_clean and oddseam.prove(mended).volume == pytest.approx(12.0)
    assert mended.creases is None or not len(mended.creases.edges)


def _pierced_ball(holes: int) -> Shape:
    """A ball without some facets that touch in nodes, so that its rim is no plain loop."""
    nodes, triangles = sphere(24, 2.0)
    at = np.flatnonzero((triangles == triangles[200, 0]).any(axis=1))
    return nodes, np.delete(triangles, at[::2][:holes], axis=0)


@pytest.mark.parametrize("holes", [1, 2, 3])
def test_a_ball_with_facets_missing_counts_as_solid(holes):
    nodes, triangles = cube(2.0)
    mended = oddseam.mend(
        side_by_side(_pierced_ball(holes), (_moved(nodes, 0.5, 0.6, 0.7), triangles)), close="all", target="stl"
    )
    assert not mended.account.last.outcome.unmet
    proof = oddseam.prove(mended)
    whole = oddseam.mend(side_by_side(sphere(24, 2.0), (_moved(nodes, 0.5, 0.6, 0.7), triangles)), target="stl")
    assert proof.is_closed and proof.volume == pytest.approx(oddseam.prove(whole).volume, rel=2e-3)


def test_a_flipped_facet_and_one_given_thrice_do_not_matter():
    nodes, triangles = sphere(24, 2.0)
    triangles = np.concatenate([triangles, triangles[[50]], triangles[[50]]])
    triangles[120] = triangles[120][::-1]
    c_nodes, c_triangles = cube(2.0)
    mended = oddseam.mend(side_by_side((nodes, triangles), (_moved(c_nodes, 0.5, 0.6, 0.7), c_triangles)), target="stl")
    assert oddseam.prove(mended).is_clean and oddseam.prove(mended).is_closed


def test_a_tub_that_something_crosses_keeps_its_opening():
    """A large rim of a nearly closed piece is closed in thought only."""
    nodes, triangles = sphere(40, 2.0)
    open_at = nodes[triangles].mean(axis=1)[:, 2] > 1.85
    c_nodes, c_triangles = cube(1.0)
    tub = side_by_side((nodes, triangles[~open_at]), (_moved(c_nodes, 1.2, 0.1, -0.4), c_triangles))
    mended = oddseam.mend(tub, close="none", target="stl")
    proof = oddseam.prove(mended)
    assert proof.rims == 1 and proof.crossing_pairs == 0 and proof.nonmanifold_edges == 0
    middle = mended.nodes[mended.triangulation.triangles].mean(axis=1)
    assert not ((np.abs(middle - [1.3, 0.6, 0.1]) < 0.05).all(axis=1)).any()  # nothing within the ball
    assert quality(mended.nodes[mended.triangulation.triangles])["minimum_angle"].min() > 0.0


def test_a_fin_on_a_body_that_another_crosses_goes():
    nodes, triangles = cube(2.0)
    at = np.flatnonzero((nodes[:, 2] == 2.0) & (nodes[:, 1] == 0.0))  # it stands on an edge of the lid
    a, b = nodes[at[np.argsort(nodes[at, 0])]]
    flag = np.stack([a, b, _moved(b, 0, 0, 0.6), _moved(a, 0, 0, 0.6)])
    fin = np.array([[0, 2, 1], [0, 3, 2]])
    mesh = side_by_side((nodes, triangles), (flag, fin), (_moved(nodes, 0.5, 0.6, -0.7), triangles))
    welded = oddseam.weld(mesh, tolerance=1e-9)
    mended = oddseam.mend(welded, fins=0.61)
    assert not mended.account.last.outcome.unmet
    assert (
        "2 facet(s) of a fin or fold 2.088 across, 1.2 in area, up to 0.6 away"
        in oddseam.mend(welded).account.last.outcome.unmet[-1]
    )
    assert oddseam.prove(mended).is_closed
    assert oddseam.prove(mended).volume == pytest.approx(16.0 - 1.5 * 1.4 * 1.3)
    assert any("2 facets of fins dropped" in step.detail for step in mended.account.last.outcome.steps)


def test_a_wall_on_an_open_sheet_is_no_fin():
    """Where taking it away leaves a sheet, nothing tells which of the walls is the fin."""
    nodes, triangles = sheet(2)
    wall = np.column_stack([nodes[:, 2] + 0.5, nodes[:, 1], nodes[:, 0]])
    blade = np.column_stack([nodes[:, 0] * 0.8 + 0.1, nodes[:, 1] * 0.9 + 0.03, nodes[:, 2] + 0.3])
    mesh = side_by_side((nodes, triangles), (wall, triangles), (blade, triangles))
    mended = oddseam.mend(oddseam.weld(mesh, tolerance=1e-9))
    assert _area(mended) == pytest.approx(2.0 + 0.8 * 0.9)


@pytest.mark.parametrize(("height", "fins"), [(1.0, 0), (0.05, 4)])
def test_a_fin_is_flat_and_a_moulding_is_none(height, fins):
    profile = [(0.0, 4.0), (0.0, 4.0 + height), (3.0, 4.0)]
    nodes = np.array([(x, y, z) for x in (0.0, 10.0) for y, z in profile])
    strip = nodes, np.array([(0, 1, 4), (0, 4, 3), (1, 2, 5), (1, 5, 4)])
    mesh = held_by(side_by_side(box([0, 0, 0], [10, 3, 4]), strip), None)[0]
    capped, caps, dropped = with_caps(mesh, widest=0.5)
    assert dropped == fins and capped.n_elements == mesh.n_elements + caps + fins
