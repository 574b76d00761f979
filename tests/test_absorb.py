"""What is small in the network of creases: listed, merged, and left alone where that would do harm."""

from __future__ import annotations

import json

import numpy as np
import pytest
import shapes
from hypothesis import given, settings, strategies as st
from test_regions import contents
from unions import box

import oddseam


def with_creases(shape, **more) -> oddseam.Mesh:
    return oddseam.find_features(shapes.mesh(shape, unit="mm"), crease=10.0, **more)


def kinds(mesh: oddseam.Mesh, below: float) -> dict[str, int]:
    found: dict[str, int] = {}
    for row in oddseam.list_small(mesh, below=below):
        found[row.kind] = found.get(row.kind, 0) + 1
    return found


def steps(mesh: oddseam.Mesh) -> dict[str, int]:
    return {step.name: step.count for step in mesh.account.last.outcome.steps}


def distance(mesh: oddseam.Mesh, other: oddseam.Mesh) -> float:
    """How far the farthest node is from another surface."""
    tree = oddseam.geometry.trees.boxtree.BoxTree(other.nodes[other.triangulation.triangles])
    return float(np.linalg.norm(tree.closest(mesh.nodes)[0] - mesh.nodes, axis=1).max())


@pytest.fixture(scope="module")
def boss() -> oddseam.Mesh:
    """A plate with a boss that stands 0.1 from its edge."""
    both = shapes.side_by_side(box((0, 0, 0), (20, 10, 2)), box((7, 5.9, 1), (13, 9.9, 5)))
    return oddseam.find_features(oddseam.mend(both))


def test_small_chamfers_become_sharp_edges_and_corners():
    mesh = with_creases(shapes.chamfered_box(cut=0.1))
    assert len(mesh.patches.table) == 26 and kinds(mesh, 0.3) == {"edge": 24, "sliver": 12}
    rows = oddseam.list_small(mesh, below=0.3)
    assert rows[0].width == pytest.approx(0.1 * 2**0.5)
    sharp = oddseam.absorb(mesh, below=0.3)
    proof = oddseam.prove(sharp)
    assert proof.is_closed and proof.is_clean and sharp.n_elements == 12
    assert proof.volume == pytest.approx(20 * 16 * 10, rel=1e-5)
    assert np.abs(np.abs(sharp.nodes) - (10, 8, 5)).max() < 1e-3
    assert len(sharp.patches.table) == 6 and {p.kind for p in sharp.patches.table} == {"plane"}
    assert kinds(sharp, 0.3) == {}


def test_nothing_is_small_below_less():
    mesh = with_creases(shapes.chamfered_box(cut=0.1))
    same = oddseam.absorb(mesh, below=0.1)
    assert kinds(mesh, 0.1) == {} and contents(same) == contents(mesh)
    assert steps(same) == {"merge slivers": 0, "merge double edges": 0, "merge tiny edges": 0}


def test_finely_meshed_strips_go_and_the_rest_stays_to_the_last_bit():
    fine = oddseam.remesh(with_creases(shapes.chamfered_box(cut=0.3)), size=0.7)
    sharp = oddseam.absorb(fine, below=0.8)
    proof = oddseam.prove(sharp)
    assert proof.is_closed and proof.is_clean and proof.volume == pytest.approx(20 * 16 * 10, rel=1e-3)
    assert distance(fine, sharp) < 0.05 and distance(sharp, fine) < 0.36  # a corner goes out by 0.35
    before, after = contents(fine), contents(sharp)
    same = [i for i in before if i in after and after[i] == before[i]]
    within = (np.abs(fine.nodes) < np.array([8.6, 6.6, 3.6])).sum(axis=1) >= 2  # two edges away from the chamfers
    t = fine.triangulation
    untouched = set(fine.element_ids[t.element[within[t.triangles].all(axis=1)]].tolist())
    assert len(untouched) > 3000 and untouched <= set(same)
    again = oddseam.remesh(sharp, size=0.7)
    assert oddseam.prove(again).is_clean and oddseam.measure(again).find("shortest edge").length > 0.3


def test_a_tapered_strip_goes_to_its_tip():
    nodes = [[0, 0, 0], [9, 0, 0], [0, -5, 0], [9, -5, 0], [9, 0.2, 0.2], [0, 0, 5], [9, 0.2, 5]]
    mesh = with_creases((nodes, [[2, 3, 1], [2, 1, 0], [0, 1, 4], [0, 4, 6], [0, 6, 5]]))
    assert kinds(mesh, 0.5)["sliver"] == 1
    sharp = oddseam.absorb(mesh, below=0.5)
    assert sharp.n_elements == 4 and steps(sharp)["merge slivers"] == 1
    c = sharp.connectivity
    assert oddseam.prove(sharp).is_clean and (~c.is_free).sum() == 3


def test_two_creases_side_by_side_become_one(boss):
    assert kinds(boss, 0.3) == {"double edge": 1}
    row = oddseam.list_small(boss, below=0.3)[0]
    assert row.width == pytest.approx(0.1) and row.length == pytest.approx(6.0)
    new = oddseam.absorb(boss, below=0.3)
    proof = oddseam.prove(new)
    assert proof.is_closed and proof.is_clean and steps(new)["merge double edges"] == 1
    assert proof.volume == pytest.approx(20 * 10 * 2 + 6 * 4 * 3, rel=0.01)
    assert kinds(new, 0.3) == {} and distance(boss, new) < 0.1 and distance(new, boss) < 0.1
    fine = oddseam.absorb(oddseam.remesh(boss, size=0.6), below=0.3)
    assert oddseam.prove(fine).is_clean and kinds(fine, 0.3) == {}


def test_a_tiny_closed_crease_goes_with_its_patch():
    nodes, triangles = shapes.sheet(20)
    nodes[:, 2] = np.where(np.linalg.norm(nodes[:, :2] - 0.5, axis=1) < 0.03, 0.04, 0.0)  # a tent of one node
    mesh = with_creases((nodes, triangles))
    flat = oddseam.absorb(mesh, below=0.3)
    assert oddseam.prove(flat).is_clean and flat.n_elements < mesh.n_elements


def test_a_rim_stays_on_its_curve():
    profile = [(0, 0), (5, 0), (5.1, 0.1), (5.1, 5)]
    nodes = [(x, y, z) for z in range(4) for x, y in profile]
    quads = [(4 * r + c, 4 * r + c + 1, 4 * r + c + 5, 4 * r + c + 4) for r in range(3) for c in range(3)]
    mesh = with_creases((nodes, [t for a, b, c, d in quads for t in ((a, b, c), (a, c, d))]))
    sharp = oddseam.absorb(mesh, below=0.3)
    assert np.ptp(sharp.nodes[:, 2]) == 3 and sharp.n_elements == 12
    ends = sharp.nodes[(sharp.nodes[:, 2] == 0) | (sharp.nodes[:, 2] == 3)]
    assert len(ends) == 6  # three at either end
    assert sharp.connectivity.n_rims == 1


def test_a_ribbon_between_two_rims_is_refused_by_name():
    nodes, triangles = shapes.sheet(8)
    mesh = with_creases((nodes * (40, 0.2, 1), triangles))
    new = oddseam.absorb(mesh, below=0.5)
    assert new.n_elements > 100 and steps(new)["merge slivers"] == 0  # its two ends are pointed now
    assert any("both of its sides are rims" in note for note in new.account.last.outcome.notes)


def test_what_would_close_a_hole_is_left_and_said():
    both = shapes.side_by_side(box((0, 0, 0), (9, 9, 2)))
    bore = shapes.capped_cylinder(12, radius=0.1, height=4.0)
    nodes, triangles = bore[0] + (4.5, 4.5, -1), bore[1][:, ::-1]
    tube = oddseam.Mesh.from_triangles(
        np.concatenate([both.nodes, nodes]), np.concatenate([both.triangulation.triangles, triangles + 8]), unit="mm"
    )
    mended = oddseam.find_features(oddseam.mend(tube))
    new = oddseam.absorb(mended, below=0.5)
    assert not oddseam.prove(new).worse_than(oddseam.prove(mended))
    assert oddseam.prove(new).is_closed


def test_nodes_of_line_elements_stay():
    fine = oddseam.remesh(with_creases(shapes.chamfered_box(cut=0.3)), size=2.0)
    edge = np.flatnonzero((np.abs(fine.nodes[:, 0] - 9.7) < 1e-9) & (np.abs(fine.nodes[:, 1] - 8.0) < 1e-9))
    line = edge[np.argsort(fine.nodes[edge, 2])]
    ids = int(fine.element_ids.max()) + 1 + np.arange(len(line) - 1)
    bar = oddseam.Elements(np.column_stack([line[:-1], line[1:]]), ids, np.zeros(len(ids), np.int32))
    label = np.concatenate([np.full(len(ids), -1), fine.patches.label])
    held = fine.replaced(elements={"line": bar, **fine.elements}, patches=oddseam.Patches(label, fine.patches.table))
    new = oddseam.absorb(held, below=0.8)
    before = dict(zip(held.node_ids[line].tolist(), map(tuple, held.nodes[line].tolist()), strict=True))
    after = dict(zip(new.node_ids.tolist(), map(tuple, new.nodes.tolist()), strict=True))
    assert all(after[i] == xyz for i, xyz in before.items())
    assert steps(new)["merge slivers"] >= 10


def test_quads_beside_a_strip_stay_quads():
    x = np.array([0.0, 1, 2, 3, 3.1, 4, 5])
    z = np.array([0.0, 0, 0, 0, 0.1, 1, 2])
    nodes = [(x[i], j, z[i]) for j in range(5) for i in range(7)]
    quads = np.array([(7 * j + i, 7 * j + i + 1, 7 * j + i + 8, 7 * j + i + 7) for j in range(4) for i in range(6)])
    shell = oddseam.Elements(quads, np.arange(1, 25), np.ones(24, np.int32) * 0)
    mesh = oddseam.Mesh.from_triangles(nodes, np.zeros((0, 3), int), unit="mm").replaced(elements={"quad": shell})
    creases = oddseam.find_features(mesh, crease=10.0)
    new = oddseam.absorb(creases, below=0.3)
    assert oddseam.prove(new).is_clean
    assert new.counts == {"quad": 20} or new.n_elements == 24


@pytest.mark.parametrize("below", [0.0, -1.0, np.inf, np.nan])
def test_a_size_that_makes_no_sense_is_refused(below):
    with pytest.raises(oddseam.Refusal, match=r"not positive|not a number|more than any length"):
        oddseam.absorb(with_creases(shapes.cube()), below=below)


def test_creases_are_found_where_there_are_none():
    bare = shapes.mesh(shapes.chamfered_box(cut=0.1), unit="mm")
    found = oddseam.find_features(bare, crease=10.0)
    assert oddseam.absorb(bare, below=0.3, crease=10.0).digest == oddseam.absorb(found, below=0.3).digest


@pytest.mark.slow
@settings(max_examples=25, deadline=None)
@given(st.floats(0.05, 0.6), st.floats(0.05, 1.2), st.sampled_from([None, 0.5, 1.5]), st.integers(0, 10_000))
def test_nothing_gets_worse_whatever_is_asked(cut, below, size, seed):
    random = np.random.default_rng(seed)
    nodes, triangles = shapes.chamfered_box(half=(3.0, 2.0, 1.5), cut=cut)
    mesh = with_creases((nodes + random.normal(scale=0.01 * cut, size=nodes.shape), triangles))
    if size is not None:
        mesh = oddseam.remesh(mesh, size=size)
    new = oddseam.absorb(mesh, below=below)
    proof = oddseam.prove(new)
    assert proof.is_closed and not proof.worse_than(oddseam.prove(mesh))
    assert distance(mesh, new) <= 2 * below and distance(new, mesh) <= 2 * below


@pytest.mark.slow
def test_the_command_lists_and_merges(run, tmp_path):
    oddseam.write_mesh(shapes.mesh(shapes.chamfered_box(cut=0.1), unit="mm"), tmp_path / "box.stl")
    listed = run("small", "box.stl", "--unit", "mm", "--below", "0.3", "--crease", "10")
    assert listed.returncode == 0 and "24 edges, 12 slivers" in listed.stdout and "plane" in listed.stdout
    table = run("small", "box.stl", "--unit", "mm", "--below", "0.3", "--crease", "10", "--json")
    assert len(json.loads(table.stdout)["small"]) == 36
    done = run("absorb", "box.stl", "--unit", "mm", "--below", "0.3", "--crease", "10", "-o", "sharp.stl")
    assert done.returncode == 0 and "merge slivers" in done.stdout
    assert oddseam.prove(oddseam.read_mesh(tmp_path / "sharp.stl", unit="mm")).volume == pytest.approx(3200, rel=1e-4)
    wrong = run("small", "box.stl", "--unit", "mm", "--below", "-1")
    assert wrong.returncode == 2 and "not positive" in wrong.stderr and "Traceback" not in wrong.stderr


def test_a_worst_element_that_became_worse_is_said():
    from oddseam.findings.judged.judging import worsened
    from oddseam.findings.judged.limits import Limits

    nodes = np.array([[0, 0, 0], [4, 0, 0], [2, 0.2, 0], [2, 2.0, 0]])
    fair, needle = (shapes.mesh((nodes, np.array([its]))) for its in ([0, 1, 3], [0, 1, 2]))
    said = worsened(fair, needle, Limits())
    aspect = [line for line in said if "aspect ratio" in line]
    assert len(aspect) == 1 and "became" in aspect[0] and "element 1 at (2, 0.0666667, 0)" in aspect[0]
    assert worsened(needle, fair, Limits()) == worsened(needle, needle, Limits()) == []


def drawn_on_a_sheet(*lines) -> oddseam.Mesh:
    """A sheet of 20 by 20 in facets of half, with creases drawn on it."""
    nodes, triangles = shapes.sheet(40)
    mesh = oddseam.find_features(shapes.mesh((nodes / nodes.max(axis=0).max() * 20.0, triangles), unit="mm"))
    for line in lines:
        mesh = oddseam.make_creases(mesh, through=line)
    return mesh


def test_creases_within_a_patch_that_run_side_by_side_are_seen_and_merged():
    mesh = drawn_on_a_sheet([(5, 10.1, 0), (15, 10.1, 0)], [(5, 10.15, 0), (15, 10.15, 0)])
    (row,) = oddseam.list_small(mesh, below=0.1)
    assert row.kind == "double edge" and row.width == pytest.approx(0.05) and row.length == pytest.approx(10.0)
    merged = oddseam.absorb(mesh, below=0.1)
    assert not len(oddseam.list_small(merged, below=0.1)) and steps(merged)["merge double edges"] == 1


def test_a_crease_beside_a_rim_is_merged_and_a_worse_element_is_said():
    mesh = drawn_on_a_sheet([(5, 19.98, 0), (15, 19.94, 0)])
    merged = oddseam.absorb(mesh, below=0.1)
    assert steps(merged)["merge double edges"] == 1
    said = [line for line in merged.account.last.outcome.unmet if "aspect ratio" in line]
    assert len(said) == 1 and "became" in said[0] and "element" in said[0]
