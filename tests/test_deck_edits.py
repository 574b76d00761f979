"""Edits of decks with loads: what only cards use stays where it is, new nodes are like those beside them."""

from __future__ import annotations

import decks
import numpy as np
import pytest
import solids

import oddseam


def shells(mesh: oddseam.Mesh) -> oddseam.Mesh:
    """The panel without its bars."""
    return oddseam.delete(mesh, "ids 500-501") if "line" in mesh.elements else mesh


ROUND_HOLE = "box (3.5,3.5,-1) (8.5,8.5,1)"
OPERATIONS = {
    "lift": lambda mesh: oddseam.lift(mesh, ROUND_HOLE, by=1.0, taper=10.0),
    "remesh": lambda mesh: oddseam.remesh(shells(mesh), size=0.8),
    "remesh by quads": lambda mesh: oddseam.remesh(shells(mesh), size=1.0, quads=True),
    "remesh a pick": lambda mesh: oddseam.remesh(mesh, size=0.5, pick=ROUND_HOLE),
    "coarsen": lambda mesh: oddseam.coarsen(shells(mesh), deviation=0.01),
    "refine": lambda mesh: oddseam.refine(mesh, ROUND_HOLE, times=1),
    "improve": lambda mesh: oddseam.improve(mesh, limits={"minimum_angle": 20.0}),
    "mend": oddseam.mend,
    "weld": lambda mesh: oddseam.weld(oddseam.delete(mesh, "ids 1"), tolerance=0.4),
    "cut": lambda mesh: oddseam.cut(mesh, at=(9, 3, 0), diameter=2.0),
    "fill": lambda mesh: oddseam.fill(mesh, near=(5, 6, 0)),
    "delete": lambda mesh: oddseam.delete(mesh, ROUND_HOLE),
    "repeat": lambda mesh: oddseam.repeat(mesh, "box (0.5,8.5,-1) (2.5,10.5,1)", times=1, vector=(3.0, 0.0, 0.0)),
    "offset": lambda mesh: oddseam.morph(mesh, oddseam.Move("box (-1,9.5,-1) (3.5,13,1)", by=(0.0, 0.0, 0.2))),
}


@pytest.fixture(params=["bdf", "inp"])
def panel(request, tmp_path):
    """The panel as a deck."""
    path = tmp_path / f"panel.{request.param}"
    path.write_text(decks.bulk_panel() if request.param == "bdf" else decks.keyword_panel())
    return oddseam.read_mesh(path, unit="mm")


def apart(mesh: oddseam.Mesh) -> dict[int, tuple]:
    """Nodes that no element uses, with their places."""
    used = np.unique(np.concatenate([block.connectivity.ravel() for block in mesh.elements.values()]))
    rows = np.setdiff1d(np.arange(mesh.n_nodes), used)
    return {int(mesh.node_ids[row]): tuple(mesh.nodes[row].tolist()) for row in rows}


@pytest.mark.slow
@pytest.mark.parametrize("name", OPERATIONS)
def test_nodes_that_no_element_uses_stay_where_they_are(panel, name, tmp_path):
    before = apart(panel)
    assert len(before) == 2
    new = OPERATIONS[name](panel)
    assert before.items() <= apart(new).items()
    assert new.digest != panel.digest or name in ("mend", "improve")
    form = "bdf" if panel.source.format == "nastran" else "inp"
    oddseam.write_mesh(new, tmp_path / f"new.{form}")
    text, old = (tmp_path / f"new.{form}").read_text(), (tmp_path / f"panel.{form}").read_text()
    points = decks.bulk_points if form == "bdf" else decks.keyword_points
    assert {number: points(text)[number] for number in before} == {number: points(old)[number] for number in before}


@pytest.mark.parametrize("form", ["bdf", "inp"])
def test_a_tied_node_follows_what_all_of_its_spokes_are_on(tmp_path, form):
    path = tmp_path / f"panel.{form}"
    path.write_text(decks.bulk_panel() if form == "bdf" else decks.keyword_panel())
    panel = oddseam.read_mesh(path, unit="mm")
    hub = panel.node_ids.tolist().index(decks.HUB)
    moved = oddseam.morph(panel, oddseam.Move("box (4.5,4.5,-1) (7.5,7.5,1)", by=(0.25, 0.0, 0.5)))
    assert moved.nodes[hub] - panel.nodes[hub] == pytest.approx([0.25, 0.0, 0.5], abs=1e-9)
    step = next(step for step in moved.account.last.outcome.steps if str(decks.HUB) in step.detail)
    assert "tied by" in step.detail and step.largest_move == pytest.approx(np.hypot(0.25, 0.5))
    half = oddseam.morph(panel, oddseam.Move("box (4.5,4.5,-1) (5.5,7.5,1)", by=(-0.25, 0.0, 0.0)), reach=0.3)
    assert (half.nodes[hub] == panel.nodes[hub]).all()
    (note,) = [note for note in half.account.last.outcome.notes if str(decks.HUB) in note]
    assert "stays" in note and "0.09375 farther off their middle" in note


def test_new_nodes_take_the_frames_of_those_beside(tmp_path):
    text = decks.bulk_panel()
    in_frames = [
        f"GRID,{decks.node(i, j)},8,{float(np.hypot(i - 6, j - 6))!r},{float(np.degrees(np.arctan2(j - 6, i - 6)))!r},0.,7"
        if max(abs(i - 6), abs(j - 6)) <= 3
        else f"GRID,{decks.node(i, j)},,{i}.,{j}.,0.,8"
        for i, j in decks.used_nodes()
    ]
    lines = [line for line in text.splitlines() if not (line.startswith("GRID") and line.endswith(",7"))]
    lines[lines.index("ENDDATA") : lines.index("ENDDATA")] = in_frames
    (tmp_path / "framed.bdf").write_text("\n".join([*lines, ""]))
    panel = oddseam.read_mesh(tmp_path / "framed.bdf", unit="mm")
    for new in (
        oddseam.cut(panel, at=(10.5, 1.5, 0), diameter=1.2),
        oddseam.fill(panel, near=(5, 6, 0)),
        oddseam.remesh(panel, size=0.4, pick="box (0.5,0.5,-1) (3.5,11.5,1)"),
    ):
        oddseam.write_mesh(new, tmp_path / "new.bdf")
        cards = {
            int(card[1]): card for card in decks.bulk_cards((tmp_path / "new.bdf").read_text()) if card[0] == "GRID"
        }
        fresh = np.setdiff1d(new.node_ids, panel.node_ids)
        assert len(fresh)
        for number in fresh.tolist():
            x, y, _ = new.nodes[new.node_ids.tolist().index(number)].tolist()
            inside = np.linalg.norm(np.round([x, y]) - 6, np.inf) <= 3
            near_border = abs(np.linalg.norm([x - 6, y - 6], np.inf) - 3.5) < 0.6
            assert near_border or (cards[number][2], cards[number][6]) == (("8", "7") if inside else ("", "8")), number
        back = oddseam.read_mesh(tmp_path / "new.bdf")
        assert back.node_ids.tolist() == new.node_ids.tolist() or sorted(back.node_ids) == sorted(new.node_ids)
        order = np.argsort(back.node_ids), np.argsort(new.node_ids)
        assert np.abs(back.nodes[order[0]] - new.nodes[order[1]]).max() < 1e-8


def test_a_rim_keeps_its_ids_where_its_number_stays(tmp_path):
    path = tmp_path / "panel.bdf"
    path.write_text(decks.bulk_panel())
    panel = oddseam.read_mesh(path, unit="mm")
    cut = oddseam.cut(panel, at=(9.2, 3, 0), diameter=1.6, rim_nodes=16)
    (row,) = [row for row in oddseam.list_openings(cut) if row.rim_nodes == 16]
    assert row.length == pytest.approx(1.6, rel=0.02) == pytest.approx(row.width, rel=0.02)
    for more in ({"diameter": 2.2}, {"to": (9.2, 8.5, 0)}, {"to": (9.5, 3.2, 0), "diameter": 1.2}):
        moved = oddseam.change_openings(cut, near=tuple(cut.nodes[cut.node_ids == row.ids[0]][0]), **more)
        (now,) = [other for other in oddseam.list_openings(moved) if other.rim_nodes == 16]
        assert sorted(now.ids) == sorted(row.ids)
        was = {n: cut.nodes[cut.node_ids == n][0] - row.centre for n in row.ids}
        for number in row.ids:
            there = moved.nodes[moved.node_ids == number][0] - now.centre
            cosine = there @ was[number] / np.linalg.norm(there) / np.linalg.norm(was[number])
            assert cosine > 0.9


def test_what_goes_and_is_referred_to_is_named_in_the_account(tmp_path):
    path = tmp_path / "panel.bdf"
    path.write_text(decks.bulk_panel())
    panel = oddseam.read_mesh(path, unit="mm")
    cut = oddseam.cut(panel, at=(3, 9.5, 0), diameter=2.0)
    notes = "\n".join(cut.account.last.outcome.notes)
    gone = np.setdiff1d(panel.node_ids, cut.node_ids)
    assert len(gone) and "node(s) go that cards refer to" in notes and "SET1" in notes


def test_openings_have_length_and_width_and_borders_are_told_apart(panel):
    rows = oddseam.list_openings(panel)
    assert [row.kind for row in rows] == ["rim", "border"]
    assert (rows[0].length, rows[0].width) == pytest.approx((2.0, 2.0))
    assert (rows[1].length, rows[1].width) == pytest.approx((12.0, 12.0))
    slot = oddseam.cut(panel, at=(9, 3, 0), kind="slot", length=3.0, width=1.2, angle=20.0, rim_nodes=40)
    (row,) = [row for row in oddseam.list_openings(slot) if row.kind == "rim" and row.centre[0] > 8]
    assert row.length == pytest.approx(3.0, rel=0.02) and row.width == pytest.approx(1.2, rel=0.02)
    with pytest.raises(oddseam.Refusal, match="outer border of a flat sheet"):
        oddseam.fill(panel, near=(0, 0, 0))
    assert oddseam.fill(panel, below=50.0).account.last.outcome.steps[0].count == 1


def test_bores_of_solids_are_listed():
    rows = oddseam.list_openings(solids.solid(solids.bored_block(), "hex"))
    (row,) = [row for row in rows if row.kind == "bore"]
    assert row.diameter == pytest.approx(20.0, rel=1e-3) and row.length == pytest.approx(40.0)


def test_a_middle_in_the_air_is_refused_or_said(tmp_path):
    path = tmp_path / "panel.bdf"
    path.write_text(decks.bulk_panel())
    panel = oddseam.read_mesh(path, unit="mm")
    with pytest.raises(oddseam.Refusal, match="away from the surface, beyond its edge"):
        oddseam.cut(panel, at=(6, 6, 0), diameter=0.6)  # in the hole
    with pytest.raises(oddseam.Refusal, match="away from the surface, beyond its edge"):
        oddseam.cut(panel, at=(15, 6, 0), diameter=0.6)
    with pytest.raises(oddseam.Refusal, match="is 90 off the surface"):
        oddseam.cut(panel, at=(9, 3, 90), diameter=2.0)
    cut = oddseam.cut(panel, at=(9, 3, 0.5), diameter=2.0)
    assert any("the middle lay 0.5 off the surface" in note for note in cut.account.last.outcome.notes)
    cut = oddseam.cut(panel, at=(9, 3, 0), diameter=2.0, rim_nodes=16)
    rim = tuple(cut.nodes[cut.node_ids == next(r for r in oddseam.list_openings(cut) if r.rim_nodes == 16).ids[0]][0])
    with pytest.raises(oddseam.Refusal, match="surface"):
        oddseam.change_openings(cut, near=rim, to=(900.0, 3.0, 0.0))


def part_areas(mesh: oddseam.Mesh) -> np.ndarray:
    """The area of each part."""
    t = mesh.triangulation
    a, b, c = mesh.nodes[t.triangles].transpose(1, 0, 2)
    area = np.linalg.norm(np.cross(b - a, c - a), axis=1) / 2
    return np.bincount(mesh.element_part[t.element], area, minlength=len(mesh.parts))[:2]


def test_borders_between_parts_stay(panel):
    before = part_areas(panel)
    across = oddseam.cut(panel, at=(6.1, 2.5, 0), diameter=2.0, rim_nodes=24)
    lost = before - part_areas(across)
    whole = np.pi  # of which the border at x = 6 leaves a little more on the right
    right = whole / 2 + 0.1 * 2.0
    assert lost == pytest.approx([whole - right, right], rel=0.03)
    for points in ([(3.5, 2.5, 0), (6, 2.5, 0), (8.5, 2.5, 0)], [(2, 1.5, 0), (10, 1.5, 0)]):
        assert part_areas(oddseam.imprint(panel, through=points, closed=False, count=9)) == pytest.approx(before)
    beside = oddseam.cut(panel, at=(6.7, 2.4, 0), diameter=1.2)
    assert any("the border between parts did not stay" in line for line in beside.account.last.outcome.notes)
