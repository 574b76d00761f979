"""What was lost: every operation on a surface says how far what was given is from the result."""

from __future__ import annotations

import json

import numpy as np
import pytest
import shapes
from hypothesis import given, settings, strategies as st

import oddseam
from oddseam.geometry.triangles import areas_and_normals
from oddseam.model.editing import edited
from oddseam.model.loss import measure_loss, vanished_pieces


def loss(mesh: oddseam.Mesh):
    found = mesh.account.last.outcome.loss
    assert found is not None
    return found


def test_what_stays_is_not_measured_and_costs_nothing():
    mesh = shapes.mesh(shapes.torus())
    found = measure_loss(mesh, mesh, 0.0)
    assert (found.facets, found.farthest, found.area, found.volume, found.unmet) == (0, 0.0, 0.0, 0.0, ())


@given(st.integers(0, 10_000), st.floats(0.01, 3.0))
@settings(max_examples=10, deadline=None)
def test_the_farthest_place_is_found_whatever_the_size_and_turn(seed, height):
    """A spike on a fine sheet, flattened: the loss is its height, at its tip."""
    random = np.random.default_rng(seed)
    nodes, triangles = shapes.sheet(20)
    spiked = nodes.copy()
    tip = int(random.integers(len(nodes)))
    spiked[tip, 2] = height
    turn, _ = np.linalg.qr(random.normal(size=(3, 3)))
    scale = 10.0 ** random.integers(-3, 4)
    one, two = (oddseam.Mesh.from_triangles(scale * (its @ turn.T), triangles) for its in (spiked, nodes))
    found = measure_loss(one, two, 0.5 * height * scale)
    assert found.farthest <= height * scale * (1 + 1e-9)
    assert found.farthest >= 0.3 * height * scale  # samples lie no farther apart than facets are wide
    back = measure_loss(two, one, None)
    assert back.farthest <= found.farthest * (1 + 1e-9) or back.farthest < height * scale


def test_a_large_facet_is_sampled_within_as_well():
    """A pocket in the middle of a face of two facets, far from any corner."""
    nodes, triangles = shapes.sheet(1)
    bowl, inner = shapes.sheet(30)
    bowl = bowl.copy()
    bowl[:, 2] = -0.2 * np.exp(-(((bowl[:, :2] - [0.63, 0.41]) / 0.06) ** 2).sum(axis=1))
    found = measure_loss(oddseam.Mesh.from_triangles(nodes, triangles), oddseam.Mesh.from_triangles(bowl, inner), 1e-3)
    assert 0.03 < found.farthest < 0.2 and found.n_places == 1
    assert np.linalg.norm(np.array(found.place[:2]) - [0.63, 0.41]) < 0.15


def test_a_piece_that_vanishes_is_lost_with_place_and_size_unless_it_was_asked_to_go():
    mesh = shapes.side_by_side(shapes.cube(), (shapes.cube()[0] + 3.0, shapes.cube()[1]))
    gone = np.arange(12, 24)
    left = edited(mesh, drop=gone)
    found = measure_loss(mesh, left, 0.01)
    assert found.n_places == 1 and "12 facet(s) 1.732 across, 6 in area" in found.unmet[0]
    assert found.area == pytest.approx(-6.0) and found.volume == pytest.approx(-1.0)
    assert measure_loss(mesh, left, 0.01, asked=gone).unmet == ()
    assert vanished_pieces(mesh, left) == ["a piece 1.732 across vanished, at (3.5, 3.5, 3.5)"]


def test_what_lies_within_the_solid_is_no_loss_of_its_shape():
    nodes, triangles = shapes.cube()
    nested = shapes.side_by_side((nodes, triangles), (0.3 * nodes + 0.3, triangles))
    united = oddseam.mend(nested)
    assert united.n_elements == 12 and united.account.last.outcome.unmet == ()


def test_a_mend_that_drops_a_fin_says_so_until_it_may():
    nodes, triangles = shapes.cube()
    flag = np.array([[0, 0, 1], [1, 0, 1], [1, 0, 1.6], [0, 0, 1.6]], float)  # on an edge of the lid
    box = shapes.side_by_side((nodes, triangles), (flag, np.array([[0, 1, 2], [0, 2, 3]])))
    box = oddseam.weld(box, tolerance=0.0)
    mended = oddseam.mend(box, close="none")
    assert mended.n_elements == 12 and "of a fin or fold" in mended.account.last.outcome.unmet[-1]
    assert loss(mended).farthest == pytest.approx(0.6)
    assert oddseam.mend(box, close="none", fins=0.61).account.last.outcome.unmet == ()
    assert oddseam.mend(box, close="none", deviation=0.61).account.last.outcome.unmet == ()


def test_small_pieces_among_sheets_are_no_crumbs():
    sheet, triangles = shapes.sheet(4)
    small, two = shapes.sheet(1)
    soup = shapes.side_by_side((sheet, triangles), (0.003 * small + [0.0, 0.0, 0.5], two))
    mended = oddseam.mend(soup)
    assert mended.digest == soup.digest
    assert any("need not be debris" in note for note in mended.account.last.outcome.notes)
    assert oddseam.mend(soup, crumbs=0.01).n_elements == 32
    ball = shapes.side_by_side(shapes.sphere(), (0.003 * small + [0.0, 0.0, 1.5], two))
    assert oddseam.mend(ball).connectivity.n_pieces == 1  # beside what encloses space it is debris


@pytest.mark.parametrize(
    ("name", "change"),
    [
        ("remesh", lambda m: oddseam.remesh(m, size=0.4)),
        ("coarsen", lambda m: oddseam.coarsen(m, facets=300)),
        ("coarsen", lambda m: oddseam.coarsen(m, deviation=0.02)),
        ("refine", lambda m: oddseam.refine(m, "all")),
        ("improve", lambda m: oddseam.improve(m, limits={"minimum_angle": 35.0})),
        ("weld", lambda m: oddseam.weld(m, tolerance=0.01)),
        ("delete", lambda m: oddseam.delete(m, "sphere (2.7,0,0) 0.8")),
        ("flip", lambda m: oddseam.flip(m, "all")),
    ],
)
def test_every_operation_on_a_surface_measures_its_loss(name, change):
    mesh = shapes.mesh(shapes.torus(), unit="mm")
    done = change(mesh)
    assert done.account.last.operation == name
    found = loss(done)
    assert found.farthest < 0.5 and not any("lost" in line for line in done.account.last.outcome.unmet)
    assert oddseam.Account.from_list(json.loads(json.dumps(done.account.to_list()))) == done.account


def test_volume_is_told_where_the_surface_stays_closed():
    mesh = shapes.mesh(shapes.torus(80, 40))
    coarse = oddseam.coarsen(mesh, facets=600)
    change = oddseam.prove(coarse).volume - oddseam.prove(mesh).volume
    assert loss(coarse).volume == pytest.approx(change, abs=1e-9)
    assert loss(oddseam.delete(mesh, "sphere (2.7,0,0) 0.8")).volume is None


@pytest.mark.slow
def test_the_report_says_the_loss_once_and_unmet_once(run, tmp_path):
    nodes, triangles = shapes.torus()
    oddseam.write_mesh(oddseam.Mesh.from_triangles(nodes, triangles), tmp_path / "ring.stl")
    done = run("remesh", "ring.stl", "-o", "coarse.stl", "--size", "1.4")
    assert done.stdout.count("loss: ") == 1
    report = json.loads(run("remesh", "ring.stl", "-o", "coarse.stl", "--size", "1.4", "--json").stdout)
    assert report["account"][-1]["outcome"]["loss"]["facets"] == len(triangles)
    said = run("mend", "ring.stl", "-o", "cut.stl", "--deviation", "-1")
    assert said.returncode == 2 and "deviation -1.0 is not a size" in said.stderr


def test_areas_and_volumes_that_changed_are_told_in_percent_where_most_changed():
    ball = shapes.mesh(shapes.sphere(24))
    coarse = oddseam.coarsen(ball, facets=ball.n_elements // 8)
    loss = coarse.account.last.outcome.loss
    assert loss.of_volume == pytest.approx(oddseam.prove(ball).volume)
    area, less = (areas_and_normals(m.nodes[m.triangulation.triangles])[0].sum() for m in (ball, coarse))
    share = 100.0 * (less / area - 1.0)
    assert f"area {loss.area:+.4g} ({share:+.3f} %), volume" in loss.text
    one_less = oddseam.delete(ball, "sphere (1,0,0) 0.4")
    assert one_less.account.last.outcome.loss.of_area is None and "%" not in one_less.account.last.outcome.loss.text
