"""Lines and loops imprinted, meshes combined, rims stitched node for node."""

from __future__ import annotations

import json

import numpy as np
import pytest
import shapes
from hypothesis import given, settings, strategies as st
from test_openings import area, check, panel, with_rib
from test_regions import contents

import oddseam
from oddseam.demo import write_hand_wheel
from oddseam.editing.zones.acceptance import worst_of
from oddseam.geometry.shapes.quality import quality


def edges_of(mesh: oddseam.Mesh) -> set[tuple[int, int]]:
    return {tuple(edge) for edge in mesh.connectivity.edges.tolist()}


def elsewhere_same(mesh: oddseam.Mesh, new: oddseam.Mesh) -> bool:
    before, after = contents(mesh), contents(new)
    return all(after[i] == before[i] for i in before.keys() & after.keys())


@pytest.mark.parametrize("kind", ["quad", "tri"])
def test_the_mesh_follows_a_line_through_its_points(kind):
    mesh = panel(bend=0.01, kind=kind)
    points = [(4.2, 5.1, 9), (8.7, 7.7, 9), (9.1, 13.4, 9)]
    new = oddseam.imprint(mesh, through=points, direction=(0, 0, 1), count=12)
    assert elsewhere_same(mesh, new) and oddseam.prove(new).is_clean and oddseam.prove(new).rims == 1
    assert len(new.creases.edges) == 11 and {tuple(e) for e in new.creases.edges.tolist()} <= edges_of(new)
    on = new.nodes[np.unique(new.creases.edges)]
    assert np.isclose(on[:, :2], (4.2, 5.1)).all(axis=1).any() and np.isclose(on[:, :2], (9.1, 13.4)).all(axis=1).any()
    fine = oddseam.geometry.trees.boxtree.BoxTree(mesh.nodes[mesh.triangulation.triangles])
    assert np.linalg.norm(fine.closest(on)[0] - on, axis=1).max() < 1e-12  # on the facets as they were


def test_points_at_nodes_are_these_and_a_line_may_run_from_rim_to_rim():
    mesh = panel()
    new = oddseam.imprint(mesh, through=[(0, 10, 0), (5, 9.5, 0), (10, 10, 0), (15, 10.5, 0), (20, 10, 0)])
    assert elsewhere_same(mesh, new) and oddseam.prove(new).is_clean
    ids = set(new.node_ids[np.unique(new.creases.edges)].tolist())
    kept = {
        int(mesh.node_ids[np.argmin(np.linalg.norm(mesh.nodes - p, axis=1))])
        for p in ((0, 10, 0), (10, 10, 0), (20, 10, 0))
    }
    assert kept <= ids and new.connectivity.is_free.sum() == 80


def test_a_loop_becomes_the_rim_of_an_opening_whichever_way_it_runs():
    mesh = panel(bend=0.01)
    loop = shapes.circle_points((10, 9, 5), (0.2, 0, 1), 3.0, 24)
    for points in (loop, loop[::-1], loop[5:] + loop[:5]):
        new = oddseam.imprint(mesh, through=points, closed=True, opening=True, direction=(0.2, 0, 1))
        assert elsewhere_same(mesh, new) and oddseam.prove(new).is_clean and oddseam.prove(new).rims == 2
        rim = next(rim for rim in new.connectivity.rims if len(rim.nodes) == 24)
        away = new.nodes[rim.nodes] - (10, 9, 5)
        axis = np.array([0.2, 0, 1]) / np.linalg.norm([0.2, 0, 1])
        assert np.linalg.norm(away - np.outer(away @ axis, axis), axis=1) == pytest.approx(3.0)
    closed = oddseam.imprint(mesh, through=loop, closed=True, direction=(0.2, 0, 1))
    assert len(closed.creases.edges) == 24 and oddseam.prove(closed).rims == 1
    assert area(closed) == pytest.approx(area(mesh), rel=1e-3)


@pytest.mark.slow
@settings(max_examples=30, deadline=None)
@given(st.integers(0, 10_000), st.sampled_from(["quad", "tri"]))
def test_any_line_within_a_panel_is_imprinted(seed, kind):
    random = np.random.default_rng(seed)
    mesh = panel(bend=float(random.uniform(-0.02, 0.02)), kind=kind)
    turn, start = random.uniform(0, 2 * np.pi), random.uniform(7, 13, 2)
    points = [start + r * np.array([np.cos(turn), np.sin(turn)]) for r in (-3.0, 0.0, 3.5)]
    new = oddseam.imprint(
        mesh, through=[(x, y, 5.0) for x, y in points], direction=(0, 0, 1), count=int(random.integers(5, 12))
    )
    assert elsewhere_same(mesh, new) and oddseam.prove(new).is_clean
    for name, measure, least in (("quad", "scaled_jacobian", 0.3), ("tri", "minimum_angle", 15.0)):
        block = new.elements.get(name)
        its = block.ids > mesh.element_ids.max() if block is not None else np.zeros(0, bool)
        if its.any():
            assert quality(new.nodes[block.connectivity[its]])[measure].min() > least


@pytest.mark.parametrize(
    ("points", "more", "reason"),
    [
        ([(1, 1, 0)], {}, "at least 2 points"),
        ([(1, 1, 0), (1, 1, 0)], {}, "are one"),
        ([(5, 5, 0), (25, 5, 0)], {"direction": (0, 0, 1)}, "meets no element"),
        ([(5, 5, 0), (9, 9, 0), (9, 5, 0), (5, 9, 0)], {}, "cross"),
        ([(5, 5, 0), (9, 9, 0)], {"opening": True}, "closed loop"),
        ([(5, 5, 0), (9, 9, 0)], {"count": 1}, "too few"),
        ([(5, 5, 0), (9, 9, 0)], {"direction": (0, 0, 0)}, "is not a direction"),
    ],
)  # fmt: skip
def test_what_cannot_be_imprinted_is_refused(points, more, reason):
    with pytest.raises(oddseam.Refusal, match=reason):
        oddseam.imprint(panel(), through=points, **more)


def test_a_line_does_not_cross_a_joint():
    with pytest.raises(oddseam.Refusal, match="T-joint"):
        oddseam.imprint(with_rib(panel(), 12), through=[(9, 9, 0), (15, 10, 0)], count=6)


def test_lines_that_are_there_stay():
    mesh = oddseam.imprint(panel(), through=[(5, 8, 0), (15, 8.4, 0)], count=11)
    before = {tuple(sorted(e)) for e in mesh.node_ids[mesh.creases.edges].tolist()}
    for new in (
        oddseam.imprint(mesh, through=[(5, 9.5, 0), (15, 9.7, 0)], count=11),
        oddseam.cut(mesh, at=(10, 10.5, 0), diameter=3.0),
    ):
        now = {tuple(sorted(e)) for e in new.node_ids[new.creases.edges].tolist()}
        assert before <= now and {tuple(e) for e in new.creases.edges.tolist()} <= edges_of(new)
        assert elsewhere_same(mesh, new) and oddseam.prove(new).is_clean
    across = oddseam.cut(mesh, at=(10, 8, 0), diameter=3.0)  # what is left of the line ends at the rim
    now = {tuple(sorted(e)) for e in across.node_ids[across.creases.edges].tolist()}
    assert 4 <= len(now & before) < len(before) and oddseam.prove(across).is_clean
    assert {tuple(e) for e in across.creases.edges.tolist()} <= edges_of(across)
    assert any("crosses a crease" in note for note in across.account.last.outcome.notes)
    crossing = oddseam.imprint(mesh, through=[(10, 6, 0), (10, 11, 0)], count=5)
    assert oddseam.prove(crossing).is_clean and len(crossing.creases.edges) >= 10 + 5
    assert (np.bincount(crossing.creases.edges.ravel()) == 4).sum() == 1  # both lines go through one node
    assert {tuple(e) for e in crossing.creases.edges.tolist()} <= edges_of(crossing)
    round_it = oddseam.imprint(mesh, through=[(4, 7, 0), (3.5, 8.2, 0), (4, 9.5, 0)], count=6)  # past its end
    now = {tuple(sorted(e)) for e in round_it.node_ids[round_it.creases.edges].tolist()}
    assert before <= now and {tuple(e) for e in round_it.creases.edges.tolist()} <= edges_of(round_it)


def tube(n: int, low: float, high: float, turn: float = 0.0) -> oddseam.Mesh:
    angle = turn + np.arange(n) * 2 * np.pi / n
    ring = np.column_stack([np.cos(angle), np.sin(angle)])
    nodes = np.concatenate([np.column_stack([ring, np.full(n, z)]) for z in (low, high)])
    k, a = np.arange(n), (np.arange(n) + 1) % n
    return shapes.mesh(
        (nodes, np.concatenate([np.column_stack([k, a, a + n]), np.column_stack([k, a + n, k + n])])), unit="mm"
    )


def pipe(n: int, low: float, high: float, turn: float, kind: str) -> oddseam.Mesh:
    """A tube of n elements round, about as long as they are wide."""
    rows = round(n * (high - low) / (2 * np.pi)) + 1
    angle = turn + np.arange(n) * 2 * np.pi / n
    z = np.repeat(np.linspace(low, high, rows + 1), n)
    nodes = np.column_stack([np.tile(np.cos(angle), rows + 1), np.tile(np.sin(angle), rows + 1), z])
    k = np.arange(n * rows)
    ahead = k - k % n + (k + 1) % n
    quads = np.column_stack([k, ahead, ahead + n, k + n])
    table = quads if kind == "quad" else np.concatenate([quads[:, [0, 1, 2]], quads[:, [0, 2, 3]]])
    block = oddseam.Elements(table, np.arange(1, len(table) + 1), np.zeros(len(table), np.int32))
    return oddseam.Mesh(nodes, {kind: block}, (oddseam.Part("pipe", 1),), unit="mm")


@pytest.mark.parametrize(("one", "two", "turn"), [(24, 24, 0.1), (24, 24, 0.0), (24, 31, 0.3), (40, 12, 0.0)])
def test_rims_are_sewn_node_for_node_with_equal_and_unequal_numbers(one, two, turn):
    mesh = oddseam.combine(tube(one, 0, 1), other=tube(two, 1.1, 2, turn))
    assert len(np.unique(mesh.node_ids)) == mesh.n_nodes and len(np.unique(mesh.element_ids)) == mesh.n_elements
    sewn = oddseam.stitch(mesh, one=(1, 0, 1), distance=0.5)
    proof = oddseam.prove(sewn)
    assert proof.is_clean and proof.rims == 2 and len(np.unique(sewn.pieces.of_triangle)) == 1
    if one == two:
        assert sewn.n_nodes == mesh.n_nodes - one and sewn.n_elements == mesh.n_elements


def test_one_side_may_stay_to_the_last_bit():
    mesh = oddseam.combine(tube(24, 0, 1), other=tube(24, 1.1, 2, 0.05))
    for moves, z in (("one", 1.1), ("two", 1.0), ("both", 1.05)):
        sewn = oddseam.stitch(mesh, one=(1, 0, 1), two=(1, 0, 1.1), distance=0.5, moves=moves)
        middle = sewn.nodes[(sewn.nodes[:, 2] > 0.5) & (sewn.nodes[:, 2] < 1.5)]
        assert len(middle) == 24 and middle[:, 2] == pytest.approx(z, abs=1e-12)


def test_both_sides_meet_in_the_middle_where_numbers_differ():
    apart = oddseam.combine(tube(24, 0, 1), other=tube(31, 1.1, 2, 0.3))
    sewn = oddseam.stitch(apart, one=(1, 0, 1), distance=0.5)
    seam = sewn.nodes[(sewn.nodes[:, 2] > 1) & (sewn.nodes[:, 2] < 1.1)]
    new = np.flatnonzero(sewn.element_ids > apart.element_ids.max())
    assert len(seam) >= 24 and len(new) > 48 and worst_of(sewn, new)[0] > 15


@pytest.mark.parametrize("kind", ["tri", "quad"])
@pytest.mark.parametrize(("first", "second"), [(24, 31), (40, 17), (60, 24), (24, 24)])
@pytest.mark.parametrize("moves", ["one", "two"])
def test_the_side_that_stays_keeps_every_element_to_the_last_bit(kind, first, second, moves):
    one, two = pipe(first, 0, 1, 0.0, kind), pipe(second, 1.1, 2, 0.03, kind)
    apart = oddseam.combine(one, other=two)
    sewn = oddseam.stitch(apart, one=(1, 0, 1), two=(1, 0, 1.1), distance=0.5, moves=moves)
    middle = {number: apart.nodes[nodes, 2].mean() for block in apart.elements.values()
              for number, nodes in zip(block.ids.tolist(), block.connectivity, strict=True)}  # fmt: skip
    before, after = contents(apart), contents(sewn)
    still = [number for number, height in middle.items() if (height > 1.05) == (moves == "one")]
    assert len(still) > 20 and all(after[number] == before[number] for number in still)
    proof = oddseam.prove(sewn)
    assert proof.is_clean and proof.rims == 2 and sewn.connectivity.n_pieces == 1
    z, count = (1.1, second) if moves == "one" else (1.0, first)
    assert (np.abs(sewn.nodes[:, 2] - z) < 1e-12).sum() == count  # the rim that stays, and no node more
    angle, jacobian = worst_of(sewn, np.flatnonzero(~np.isin(sewn.element_ids, apart.element_ids)))
    assert angle > 12 and jacobian > 0.2


def test_what_cannot_be_sewn_is_refused():
    apart = oddseam.combine(pipe(60, 0, 1, 0.0, "tri"), other=pipe(9, 1.1, 2, 0.03, "tri"))
    with pytest.raises(
        oddseam.Refusal, match=r"would go 0\.\d+ to the nearest node of the side that stays, more than 0\.2"
    ):
        oddseam.stitch(apart, one=(1, 0, 1), two=(1, 0, 1.1), distance=0.2, moves="one")
    mesh = oddseam.combine(tube(24, 0, 1), other=tube(24, 1.5, 2))
    with pytest.raises(oddseam.Refusal, match=r"0\.5 apart at .*, more than 0\.1"):
        oddseam.stitch(mesh, one=(1, 0, 1), distance=0.1)
    with pytest.raises(oddseam.Refusal, match="same rim"):
        oddseam.stitch(mesh, one=(1, 0, 1), two=(-1, 0, 1))
    with pytest.raises(oddseam.Refusal, match="two are needed"):
        oddseam.stitch(panel(), one=(0, 0, 0))
    with pytest.raises(oddseam.Refusal, match="convert"):
        oddseam.combine(panel(), other=panel().replaced(unit="m"))


def test_combining_keeps_parts_groups_creases_and_patches_apart():
    one, two = (oddseam.find_features(tube(24, z, z + 1)) for z in (0, 5))
    one = oddseam.make_group(one, "near (1, 0, 0.5)", name="wet")
    two = oddseam.make_group(two, "near (1, 0, 5.5)", name="wet")
    both = oddseam.combine(one, other=two)
    assert len(both.parts) == 2 and len({part.name for part in both.parts}) == 2
    assert len(both.groups.elements["wet"]) == 2 and len(both.patches.table) == 2
    assert both.nodes[both.elements["tri"].connectivity[both.groups.elements["wet"]]][:, :, 2].max() > 5


@pytest.mark.slow
def test_the_hand_wheel_becomes_one_closed_surface(run, tmp_path):
    rim_path, spokes_path = write_hand_wheel(tmp_path)
    rim = oddseam.mend(oddseam.read_mesh(rim_path, unit="mm"))
    spokes = oddseam.mend(oddseam.read_mesh(spokes_path, unit="mm"), close="none")
    ends = oddseam.list_openings(spokes)
    assert len(ends) == 10
    for end in ends:
        loop = oddseam.rim_points(spokes, near=end.centre)
        rim = oddseam.imprint(rim, through=loop, closed=True, opening=True, direction=end.axis)
    wheel = oddseam.combine(rim, other=spokes)
    for end in ends:
        near = oddseam.rim_points(spokes, near=end.centre)[0]
        wheel = oddseam.stitch(wheel, one=near, moves="one")
    proof = oddseam.prove(wheel)
    assert proof.is_closed and proof.is_clean and len(np.unique(wheel.pieces.of_triangle)) == 1
    ring, bar = 2 * np.pi**2, np.pi * 8.0**2
    assert proof.volume == pytest.approx(ring * (200 * 16**2 + 46 * 19**2) + 5 * bar * 128, rel=0.03)
    # the same by commands, for one spoke
    for name, mesh in (("wheel.seam", oddseam.mend(oddseam.read_mesh(rim_path, unit="mm"))), ("spokes.seam", spokes)):
        oddseam.write_mesh(mesh, tmp_path / name)
    near, axis = (",".join(f"{x:.6f}" for x in place) for place in (ends[0].centre, ends[0].axis))
    words = [f"--near={near}", f"--direction={axis}", "--opening"]
    done = run("imprint", "wheel.seam", "--rim-of", "spokes.seam", *words, "-o", "open.seam", "--json")
    assert done.returncode == 0 and json.loads(done.stdout)["account"][-1]["operation"] == "imprint"
    assert run("combine", "open.seam", "spokes.seam", "-o", "both.seam").returncode == 0
    sewn = run("stitch", "both.seam", f"--one={near}", "--moves", "one", "-o", "sewn.seam")
    assert sewn.returncode == 0 and oddseam.prove(oddseam.read_mesh(tmp_path / "sewn.seam")).rims == 9
    for bad in (["--circle", "5", "--near=0,0,0"], ["--rim-of", "spokes.seam"], ["--through", "1,2,3,4"]):
        refused = run("imprint", "wheel.seam", *bad, "-o", "no.seam")
        assert refused.returncode == 2 and refused.stderr.count("\n") == 1


def test_a_circle_is_imprinted_as_an_opening_by_command(run, tmp_path):
    oddseam.write_mesh(panel(), tmp_path / "panel.seam")
    words = ["--circle", "2.5", "--near", "10,10,0", "--direction", "0,0,1", "--count", "20", "--opening"]
    done = run("imprint", "panel.seam", *words, "-o", "holed.seam")
    assert done.returncode == 0
    cut = oddseam.read_mesh(tmp_path / "holed.seam")
    assert area(panel()) - area(cut) == pytest.approx(10 * np.sin(np.pi / 10) * 2.5**2, rel=1e-9)
    check(panel(), oddseam.cut(panel(), at=(10, 10, 0), diameter=5.0, rim_nodes=20))
