"""Openings in shells: cut with collars, only their neighbourhood changed, refused by name where they do not fit."""

from __future__ import annotations

import json
import re

import numpy as np
import pytest
import shapes
from hypothesis import given, settings, strategies as st
from test_regions import contents

import oddseam
from oddseam.demo import write_draft_tube
from oddseam.geometry.shapes.quality import quality


def panel(n: int = 20, bend: float = 0.0, kind: str = "quad") -> oddseam.Mesh:
    """A square panel of n x n elements of size one, bent both ways, with sparse ids."""
    x, y = np.meshgrid(np.arange(n + 1.0), np.arange(n + 1.0))
    z = bend * ((x - n / 2) ** 2 - 0.5 * (y - n / 3) ** 2)
    at = np.arange((n + 1) ** 2).reshape(n + 1, n + 1)
    quads = np.stack([at[:-1, :-1], at[:-1, 1:], at[1:, 1:], at[1:, :-1]], axis=-1).reshape(-1, 4)
    if kind == "tri":
        quads = np.concatenate([quads[:, [0, 1, 2]], quads[:, [0, 2, 3]]])
    block = oddseam.Elements(quads, 100 + 7 * np.arange(len(quads)), np.zeros(len(quads), np.int32))
    nodes = np.column_stack([x.ravel(), y.ravel(), z.ravel()])
    bare = oddseam.Mesh.from_triangles(nodes, np.zeros((0, 3), int), unit="mm", node_ids=5 + 3 * np.arange(len(nodes)))
    return bare.replaced(elements={kind: block})


def with_more(mesh: oddseam.Mesh, nodes: np.ndarray, **blocks: np.ndarray) -> oddseam.Mesh:
    """A mesh with more nodes and elements."""
    first = int(mesh.node_ids.max()) + 1
    more = dict(mesh.elements)
    for name, added in blocks.items():
        its, ids, part = added, 50_000 + 1_000 * len(name) + np.arange(len(added)), np.zeros(len(added), np.int32)
        if name in more:
            known = more[name]
            its, ids = np.concatenate([known.connectivity, its]), np.concatenate([known.ids, ids])
            part = np.concatenate([known.part, part])
        more[name] = oddseam.Elements(its, ids, part)
    return mesh.replaced(
        nodes=np.concatenate([mesh.nodes, nodes]),
        node_ids=np.concatenate([mesh.node_ids, first + np.arange(len(nodes))]),
        elements=more,
    )


def with_rib(mesh: oddseam.Mesh, column: int, n: int = 20) -> oddseam.Mesh:
    foot = np.arange(n + 1) * (n + 1) + column
    top = mesh.n_nodes + np.arange(n + 1)
    rib = np.column_stack([foot[:-1], foot[1:], top[1:], top[:-1]])
    return with_more(mesh, mesh.nodes[foot] + (0.0, 0.0, 2.0), quad=rib)


def area(mesh: oddseam.Mesh) -> float:
    corners = mesh.nodes[mesh.triangulation.triangles]
    return float(
        np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1).sum() / 2
    )


def check(mesh: oddseam.Mesh, cut: oddseam.Mesh, rims: int = 1) -> None:
    """Only a neighbourhood has changed, nothing is worse, and new elements are good."""
    before, after = contents(mesh), contents(cut)
    gone = before.keys() - after.keys()
    assert all(after[i] == before[i] for i in before.keys() - gone)
    assert len(gone) == cut.account.last.outcome.steps[1].count
    proof, was = oddseam.prove(cut), oddseam.prove(mesh)
    assert not proof.worse_than(was) and proof.rims == was.rims + rims
    top = mesh.element_ids.max()
    for name, measure, least in (("quad", "scaled_jacobian", 0.5), ("tri", "minimum_angle", 25.0)):
        block = cut.elements.get(name)
        if block is not None and (block.ids > top).any():
            assert quality(cut.nodes[block.connectivity[block.ids > top]])[measure].min() > least


@pytest.mark.parametrize("kind", ["quad", "tri"])
def test_a_round_opening_has_its_area_and_its_nodes(kind):
    mesh = panel(kind=kind)
    cut = oddseam.cut(mesh, at=(9.3, 10.2, 0.0), diameter=5.0, rim_nodes=24)
    check(mesh, cut)
    assert area(mesh) - area(cut) == pytest.approx(12 * np.sin(np.pi / 12) * 2.5**2, rel=1e-12)
    rim = next(rim for rim in cut.connectivity.rims if len(rim.nodes) == 24)
    assert np.linalg.norm(cut.nodes[rim.nodes] - (9.3, 10.2, 0.0), axis=1) == pytest.approx(2.5)
    assert kind == "quad" or "quad" not in cut.elements


def test_collars_are_rings_of_regular_quads_of_their_widths():
    mesh = panel()
    cut = oddseam.cut(mesh, at=(10, 10, 0), diameter=4.0, rim_nodes=16, collars=[0.5, 0.8])
    check(mesh, cut)
    away = np.linalg.norm(cut.nodes[:, :2] - 10.0, axis=1)
    for radius in (2.0, 2.5, 3.3):
        assert (np.abs(away - radius) < 1e-12).sum() == 16
    block = cut.elements["quad"]
    inner = (away[block.connectivity] < 3.31).all(axis=1)
    assert inner.sum() == 32
    widths = np.ptp(away[block.connectivity[inner]], axis=1)
    assert sorted(set(widths.round(9).tolist())) == [0.5, 0.8]


def test_slots_and_rectangles_are_turned_and_keep_their_corners():
    mesh = panel()
    slot = oddseam.cut(mesh, at=(10, 10, 0), kind="slot", length=8.0, width=2.0, angle=30.0, rim_nodes=36)
    check(mesh, slot)
    rim = next(rim for rim in slot.connectivity.rims if len(rim.nodes) == 36)
    along = (slot.nodes[rim.nodes, :2] - 10.0) @ (np.cos(np.pi / 6), np.sin(np.pi / 6))
    assert (along.min(), along.max()) == pytest.approx((-4.0, 4.0), abs=0.03)
    square = oddseam.cut(mesh, at=(10, 10, 0), kind="rectangle", length=6.0, width=3.0, angle=90.0, rim_nodes=18)
    check(mesh, square)
    corners = {(8.5, 7.0), (11.5, 7.0), (8.5, 13.0), (11.5, 13.0)}
    assert corners <= {tuple(xy) for xy in square.nodes[:, :2].round(9).tolist()}
    assert area(mesh) - area(square) == pytest.approx(18.0, rel=1e-12)


@pytest.mark.slow
@settings(max_examples=40, deadline=None)
@given(
    st.floats(-0.03, 0.03), st.floats(6, 14), st.floats(6, 14), st.floats(0, 360), st.sampled_from(["slot", "rectangle"]),
    st.sampled_from([[], [0.6], [0.5, 0.9]]),
)  # fmt: skip
def test_any_slot_or_rectangle_fits_on_a_doubly_curved_panel(bend, x, y, turn, shape, collars):
    mesh = panel(bend=bend)
    place = (x, y, bend * ((x - 10) ** 2 - 0.5 * (y - 20 / 3) ** 2))
    cut = oddseam.cut(mesh, at=place, kind=shape, length=4.0, width=1.7, angle=turn, collars=collars)
    check(mesh, cut)


def test_an_opening_over_a_smaller_one_takes_its_place():
    mesh = oddseam.cut(panel(), at=(10, 10, 0), diameter=3.0)
    larger = oddseam.cut(mesh, at=(10.2, 10, 0), diameter=6.0)
    check(mesh, larger, rims=0)
    assert len(larger.connectivity.rims) == 2


def test_the_direction_may_be_oblique():
    mesh = panel(bend=0.01)
    cut = oddseam.cut(mesh, at=(10, 10, 5), direction=(0.5, 0, -1), diameter=4.0, rim_nodes=20)
    check(mesh, cut)
    rim = next(rim for rim in cut.connectivity.rims if len(rim.nodes) == 20)
    arm = cut.nodes[rim.nodes] - (10, 10, 5)
    axis = np.array([0.5, 0, -1]) / np.linalg.norm([0.5, 0, -1])
    assert np.linalg.norm(arm - np.outer(arm @ axis, axis), axis=1) == pytest.approx(2.0)


@pytest.mark.parametrize(
    ("settings", "reason"),
    [
        ({"at": (1.5, 10, 0), "diameter": 3.0}, r"stay 0\.\d+ clear of the free edge at .*only 0"),
        ({"at": (0.5, 10, 0), "diameter": 3.0}, r"overlaps it by 0\.9"),
        ({"at": (30, 10, 0), "direction": (0, 0, 1), "diameter": 3.0}, "meets no element"),
        ({"at": (10, 10, 0), "direction": (1, 0, -0.1), "diameter": 3.0}, "meets the surface at"),
        ({"at": (10, 10, 0), "diameter": -3.0}, "not positive"),
        ({"at": (10, 10, 0)}, "has a diameter"),
        ({"at": (10, 10, 0), "kind": "slot", "length": 2.0, "width": 3.0}, "is not longer than wide"),
        ({"at": (10, 10, 0), "kind": "oval", "diameter": 3.0}, "it takes 'round', 'slot'"),
        ({"at": (10, 10, 0), "diameter": 3.0, "rim_nodes": 3}, "too few"),
        ({"at": (10, 10, 0), "diameter": 3.0, "collars": [-1.0]}, "positive"),
        ({"at": (10, 10, 0), "direction": (0, 0, 0), "diameter": 3.0}, "is not a direction"),
    ],
)
def test_what_cannot_be_cut_is_refused_with_the_place_and_the_number(settings, reason):
    mesh = panel()
    with pytest.raises(oddseam.Refusal, match=reason):
        oddseam.cut(mesh, **settings)


def test_joints_and_stringers_are_named_and_beside_them_there_is_room():
    ribbed = with_rib(panel(), 12)
    with pytest.raises(oddseam.Refusal, match="T-joint"):
        oddseam.cut(ribbed, at=(11, 10, 0), diameter=3.0)
    check(ribbed, oddseam.cut(ribbed, at=(9.4, 10, 0), diameter=3.0, collars=[0.4]))
    column = np.arange(21) * 21 + 12
    stiff = with_more(panel(), np.zeros((0, 3)), line=np.column_stack([column[:-1], column[1:]]))
    with pytest.raises(oddseam.Refusal, match="line element"):
        oddseam.cut(stiff, at=(12, 10, 0), diameter=3.0)
    check(stiff, oddseam.cut(stiff, at=(9.4, 10, 0), diameter=3.0))


def test_parts_follow_what_lay_there():
    mesh = panel()
    part = (mesh.nodes[mesh.elements["quad"].connectivity][:, :, 0].mean(axis=1) > 10).astype(np.int32)
    block = mesh.elements["quad"]
    two = mesh.replaced(
        elements={"quad": oddseam.Elements(block.connectivity, block.ids, part)},
        parts=(oddseam.Part("thin", 1, thickness=1.0), oddseam.Part("thick", 2, thickness=2.0)),
    )
    for x in (7.0, 10.3):  # beside the border of the parts, and across it
        cut = oddseam.cut(two, at=(x, 10, 0), diameter=3.0)
        check(two, cut)
        middle = cut.nodes[cut.elements["quad"].connectivity][:, :, 0].mean(axis=1)
        its = cut.elements["quad"].part
        assert (its[middle < 9.5] == 0).all() and (its[middle > 10.5] == 1).all()


@pytest.mark.slow
def test_the_cable_slot_of_the_draft_tube(run, tmp_path):
    write_draft_tube(tmp_path / "draft_tube.bdf")
    words = ["--at=-300,-100,250", "--kind", "slot", "--length", "120", "--width", "40", "--angle", "30"]
    done = run("cut", "draft_tube.bdf", "--unit", "mm", *words, "--collars", "8,8", "-o", "slot.bdf")
    assert done.returncode == 0 and "scaled Jacobian" in done.stdout and "PLOAD4" in done.stdout
    mesh, cut = (oddseam.read_mesh(tmp_path / name, unit="mm") for name in ("draft_tube.bdf", "slot.bdf"))
    before, after = contents(mesh), contents(cut)
    assert all(after[i] == before[i] for i in before.keys() & after.keys())
    # cards of what stays are the same to the last byte
    old, new = ((tmp_path / name).read_bytes() for name in ("draft_tube.bdf", "slot.bdf"))
    cards = [set(re.findall(rb"^(?:CQUAD4|CTRIA3|CBAR|GRID\*|PLOAD4).*$", text, re.M)) for text in (old, new)]
    gone = {f"{i}".encode() for i in before.keys() - after.keys()}
    assert all(card[8:16].strip() in gone for card in cards[0] - cards[1] if card.startswith(b"C"))
    assert cards[0] - cards[1] and {c for c in cards[0] if c.startswith((b"CBAR", b"PLOAD4"))} <= cards[1]
    said = run("cut", "draft_tube.bdf", "--unit", "mm", "--at=0,-400,350", "--diameter", "60", "-o", "no.bdf")
    assert said.returncode == 2 and "line element" in said.stderr and not (tmp_path / "no.bdf").exists()
    told = run("cut", "draft_tube.bdf", "--unit", "mm", *words, "-o", "slot2.seam", "--json")
    assert json.loads(told.stdout)["account"][0]["operation"] == "cut"


def test_a_facet_solid_gets_an_opening_too():
    mesh = shapes.mesh(shapes.grid_cube(12), unit="mm")
    cut = oddseam.cut(mesh, at=(0.5, 0.5, 1.0), diameter=0.3, collars=[0.05])
    check(mesh, cut)
    assert "quad" not in cut.elements and oddseam.prove(cut).rims == 1


# ---------------------------------------------------------------------- listed, filled, moved, from a table


def test_openings_are_listed_with_what_they_are():
    mesh = oddseam.cut(panel(), at=(6, 6, 0), diameter=3.0, rim_nodes=24)
    mesh = oddseam.cut(mesh, at=(14, 13, 0), kind="slot", length=5.0, width=2.0)
    small, slot, outer = oddseam.list_openings(mesh)
    assert small.diameter == pytest.approx(3.0) and small.roundness == pytest.approx(1.0)
    assert small.centre == pytest.approx((6, 6, 0)) and np.abs(small.axis) == pytest.approx((0, 0, 1))
    assert small.rim_nodes == 24 == len(small.ids) and slot.roundness < 0.6 and outer.rim_nodes == 80
    solid = oddseam.find_features(shapes.mesh(shapes.capped_cylinder(48), unit="mm"))
    assert not len(oddseam.list_openings(solid))  # a pin is no bore
    nodes, triangles = shapes.capped_cylinder(48)
    turned = oddseam.find_features(oddseam.Mesh.from_triangles(nodes, triangles[:, ::-1], unit="mm"))
    (bore,) = oddseam.list_openings(turned)
    assert bore.kind == "bore" and bore.diameter == pytest.approx(2.0, rel=1e-3)


def test_a_filled_opening_is_of_quads_like_those_around():
    mesh = oddseam.cut(panel(bend=0.01), at=(10, 10, 0), diameter=4.0)
    filled = oddseam.fill(mesh, near=(8, 10, 0.1))
    before, after = contents(mesh), contents(filled)
    assert all(after[i] == before[i] for i in before.keys() & after.keys())
    new = filled.elements["quad"].ids > mesh.element_ids.max()
    assert new.sum() > 20 and oddseam.prove(filled).is_clean and oddseam.prove(filled).rims == 1
    assert quality(filled.nodes[filled.elements["quad"].connectivity[new]])["scaled_jacobian"].min() > 0.5
    assert area(filled) == pytest.approx(area(panel(bend=0.01)), rel=2e-3)


def test_an_opening_is_moved_and_made_larger():
    mesh = oddseam.cut(panel(), at=(7, 10, 0), diameter=3.0, rim_nodes=20)
    moved = oddseam.change_openings(mesh, near=(7, 10, 0), to=(13, 9, 0), diameter=4.0, collars=[0.5])
    before, after = contents(mesh), contents(moved)
    assert all(after[i] == before[i] for i in before.keys() & after.keys())
    row = oddseam.list_openings(moved)[0]
    assert row.diameter == pytest.approx(4.0) and row.centre == pytest.approx((13, 9, 0)) and row.rim_nodes == 20
    assert oddseam.prove(moved).is_clean and oddseam.prove(moved).rims == 2
    with pytest.raises(oddseam.Refusal, match="not round"):
        oddseam.change_openings(mesh, near=(0, 0, 0), diameter=2.0)
    with pytest.raises(oddseam.Refusal, match="free edge"):
        oddseam.change_openings(mesh, near=(7, 10, 0), to=(19, 19, 0))


@pytest.mark.slow
def test_many_openings_come_from_a_table(run, tmp_path):
    oddseam.write_mesh(panel(), tmp_path / "panel.seam")
    table = tmp_path / "holes.csv"
    table.write_text("x,y,z,kind,diameter,length,width,angle,collars\n5,5,0,,2,,,,0.4 0.5\n14,12,0,slot,,4,1.5,30,\n")
    done = run("cut", "panel.seam", "--unit", "mm", "--table", "holes.csv", "-o", "two.seam")
    assert done.returncode == 0
    assert oddseam.prove(oddseam.read_mesh(tmp_path / "two.seam", unit="mm")).rims == 3
    listed = json.loads(run("openings", "two.seam", "--unit", "mm", "--json").stdout)["openings"]
    assert listed[0]["diameter"] == pytest.approx(2.0, rel=1e-5) and len(listed) == 3
    assert "roundness" in run("openings", "two.seam", "--unit", "mm").stdout
    for text, reason in (
        ("x,y,z,radius\n1,1,0,2\n", "'radius' is not known"),
        ("x,y\n1,1\n", "the column 'z' is not there"),
        ("x,y,z,diameter\n5,5,0,wide\n", "line 2.*'wide' is not a number"),
        ("x,y,z,diameter\n5,5,0\n", "line 2"),
        ("x,y,z,dx\n5,5,0,1\n", "go together"),
        ("x,y,z,diameter\n", "holds no opening"),
    ):
        table.write_text(text)
        with pytest.raises(oddseam.FormatError, match=reason):
            oddseam.read_openings(table)
    table.write_text("x,y,z,diameter\n5,5,0,2\n0,0,0,3\n")
    said = run("cut", "panel.seam", "--unit", "mm", "--table", "holes.csv", "-o", "no.seam")
    assert said.returncode == 2 and re.search("opening 2 of 2.*free edge", said.stderr)
    assert not (tmp_path / "no.seam").exists() and said.stderr.count("\n") == 1


@pytest.mark.slow
def test_the_bolt_row_of_the_draft_tube_is_changed(run, tmp_path):
    write_draft_tube(tmp_path / "draft_tube.bdf")
    said = run("openings", "draft_tube.bdf", "--unit", "mm")
    assert said.returncode == 0 and said.stdout.count("property 13") == 12
    words = ["--near=460,134,600", "--diameter", "26", "--rim-nodes", "16", "--collars", "4"]
    done = run("change-openings", "draft_tube.bdf", "--unit", "mm", *words, "-o", "wider.bdf")
    assert done.returncode == 0
    new = oddseam.list_openings(oddseam.read_mesh(tmp_path / "wider.bdf", unit="mm"))
    assert sorted(round(row.diameter) for row in new) == [18] * 11 + [26, 85, 600]
    half = run("change-openings", "draft_tube.bdf", "--near=460,134,600")
    assert half.returncode == 2 and "say -o FILE" in half.stderr


def test_coarse_facets_are_to_be_meshed_finer_first():
    mesh = shapes.mesh(shapes.cube(10.0), unit="mm")
    with pytest.raises(oddseam.Refusal, match="mesh the surface finer first"):
        oddseam.cut(mesh, at=(4, 6, 10), diameter=3.0)
    fine = oddseam.remesh(mesh, size=1.5)
    cut = oddseam.cut(fine, at=(4, 6, 10), diameter=3.0)
    assert oddseam.prove(cut).is_clean and oddseam.prove(cut).rims == 1


def test_quadratic_elements_are_refused_by_name():
    nodes = np.array([[0, 0, 0], [4, 0, 0], [0, 4, 0], [2, 0, 0], [2, 2, 0], [0, 2, 0]], float)
    bare = oddseam.Mesh.from_triangles(nodes, np.zeros((0, 3), int), unit="mm")
    mesh = bare.replaced(elements={"tri6": oddseam.Elements([[0, 1, 2, 3, 4, 5]], [7], [0])})
    with pytest.raises(oddseam.Refusal, match="element 7 is a tri6"):
        oddseam.cut(mesh, at=(1, 1, 0), diameter=0.5)


@pytest.mark.slow
def test_some_rims_are_filled_flat_or_with_the_curvature(run, tmp_path):
    mesh = panel(bend=0.02)
    for x in (5.5, 14.5):
        mesh = oddseam.cut(mesh, at=(x, 10, 0), diameter=4.0, direction=(0, 0, 1))
    deep = []
    for flat in (False, True):
        filled = oddseam.fill(mesh, near=[(5.5, 8, 0), (14.5, 8, 0)], flat=flat)
        assert oddseam.prove(filled).rims == 1 and oddseam.prove(filled).is_clean
        inside = np.hypot(filled.nodes[:, 0] - 5.5, filled.nodes[:, 1] - 10) < 1.0
        x, y, z = filled.nodes[inside].T
        deep.append(float(np.abs(z - 0.02 * ((x - 10) ** 2 - 0.5 * (y - 20 / 3) ** 2)).max()))
    assert 1.5 * deep[0] < deep[1]  # on a saddle a flat fill is not far off
    oddseam.write_mesh(mesh, tmp_path / "two.seam")
    asked = ["fill", "two.seam", "--near=5.5,8,0", "--near=14.5,8,0", "--flat", "-o", "none.seam"]
    assert run(*asked).returncode == 0
    assert oddseam.prove(oddseam.read_mesh(tmp_path / "none.seam")).rims == 1


def folded_sheet(degrees: float, kind: str) -> oddseam.Mesh:
    """A panel of 20 x 20 folded along its middle."""
    flat = panel(20, 0.0, kind)
    turn = np.radians(degrees)
    x = flat.nodes[:, 0] - 10
    beyond = x > 0
    nodes = np.column_stack([
        np.where(beyond, x * np.cos(turn), x), flat.nodes[:, 1], np.where(beyond, -x * np.sin(turn), 0.0)
    ])  # fmt: skip
    return flat.replaced(nodes=nodes)


@pytest.mark.slow
@pytest.mark.parametrize("kind", ["quad", "tri"])
@pytest.mark.parametrize(
    ("degrees", "at", "count"), [(40, (0.2, 10.3, 0), 16), (60, (-1.1, 9.7, 0), 14), (35, (0, 10, 0), 20)]
)
def test_an_opening_across_a_fold_has_nodes_on_it(kind, degrees, at, count):
    sheet = folded_sheet(degrees, kind)
    direction = (np.sin(np.radians(degrees) / 2), 0, np.cos(np.radians(degrees) / 2))
    new = oddseam.cut(sheet, at=at, diameter=5.0, rim_nodes=count, direction=direction)
    before, after = contents(sheet), contents(new)
    assert all(after[i] == before[i] for i in before.keys() & after.keys()) and len(before.keys() & after.keys()) > 250
    proof = oddseam.prove(new)
    assert proof.is_clean and proof.rims == 2 and not new.account.last.outcome.unmet
    rim = min(new.connectivity.rims, key=lambda rim: len(rim.nodes))
    on_fold = np.abs(new.nodes[rim.nodes][:, 0]) + np.abs(new.nodes[rim.nodes][:, 2]) < 1e-9
    assert on_fold.sum() == 2 and len(rim.nodes) in (count, count + 1, count + 2)
    axis = np.array(direction)
    step = new.nodes[rim.nodes] - np.array(new.account.last.outcome.steps[0].places[0])
    across = np.linalg.norm(step - np.outer(step @ axis, axis), axis=1)
    assert across[~on_fold] == pytest.approx(2.5, rel=1e-6)
    with pytest.raises(oddseam.Refusal, match="without collars it can go across the sharp edges"):
        oddseam.cut(sheet, at=at, diameter=5.0, rim_nodes=count, direction=direction, collars=[1.0])


@pytest.mark.slow
def test_all_round_openings_are_changed_at_once_or_none(run, tmp_path):
    """Those that are not round stay, which is said; one that cannot be changed is named, and nothing is changed."""
    mesh = oddseam.cut(oddseam.cut(panel(), at=(6, 6, 0), diameter=3.0), at=(14, 6, 0), diameter=2.0)
    mesh = oddseam.cut(mesh, at=(10, 14, 0), kind="slot", length=5.0, width=2.0)
    new = oddseam.change_openings(mesh, rim_nodes=24)
    round_ones = [row for row in oddseam.list_openings(new) if row.roundness > 0.9 and row.kind == "rim"]
    assert [row.rim_nodes for row in round_ones] == [24, 24]
    assert any("1 opening(s) that are not round" in note for note in new.account.last.outcome.notes)
    small = oddseam.change_openings(mesh, below=2.5, rim_nodes=20)
    assert [row.rim_nodes for row in oddseam.list_openings(small) if row.diameter < 2.5] == [20]
    both = oddseam.change_openings(mesh, near=[(6, 6, 0), (14, 6, 0)], diameter=2.5)
    assert [round(row.diameter, 3) for row in oddseam.list_openings(both)[:2]] == [2.5, 2.5]
    for asked, said in (
        ({"diameter": 40.0}, "cannot be changed"), ({}, "say what is to change"), ({"below": 0.1, "rim_nodes": 9}, "no round"),
        ({"near": (6, 6, 0), "below": 3.0, "rim_nodes": 9}, "not both"),
        ({"near": [(6, 6, 0), (14, 6, 0)], "to": (9, 9, 0)}, "2 openings are meant"),
    ):  # fmt: skip
        with pytest.raises(oddseam.Refusal, match=said):
            oddseam.change_openings(mesh, **asked)
    oddseam.write_mesh(mesh, tmp_path / "holed.seam")
    done = run("change-openings", "holed.seam", "--rim-nodes", 24, "-o", "even.seam")
    assert done.returncode in (0, 1) and oddseam.read_mesh(tmp_path / "even.seam").digest == new.digest
