"""What is new in a deck: ids from a range, cards like those of what lay there, pressures carried over when asked."""

from __future__ import annotations

import decks
import numpy as np
import pytest

import oddseam
from oddseam.demo import write_bolt_row, write_draft_tube

SLOT = {"at": (-300, -100, 250), "kind": "slot", "length": 120, "width": 40, "angle": 30, "collars": [8, 8]}


@pytest.fixture(scope="module")
def tube_path(tmp_path_factory):
    path = tmp_path_factory.mktemp("tube") / "draft_tube.bdf"
    write_draft_tube(path)
    return path


def cards(text: str, name: str) -> list[list[str]]:
    """Fields of the small-field cards of a name."""
    lines = [line for line in text.splitlines() if line.startswith(name.ljust(8))]
    return [[line[k : k + 8].strip() for k in range(8, 72, 8)] for line in lines]


def loaded(text: str) -> dict[int, str]:
    """The pressure of each element."""
    return {int(fields[1]): fields[2] for fields in cards(text, "PLOAD4")}


def grids(n: int) -> list[str]:
    """Cards of the nodes of a plate of n x n."""
    every = range(n + 1)
    return [f"GRID    {1 + j * 100 + i:<16}{f'{i}.':<8}{f'{j}.':<8}0." for j in every for i in every]


def test_pressures_go_to_the_elements_in_their_place_when_asked(tube_path, tmp_path):
    tube = oddseam.read_mesh(tube_path, unit="mm")
    cut = oddseam.cut(tube, **SLOT)
    touched = oddseam.compare_ids(tube, cut)["elements"]
    plain = oddseam.write_mesh(cut, tmp_path / "plain.bdf")
    assert any("PLOAD4" in line and "refer to elements that are gone" in line for line in plain.listed)
    assert set(touched["gone"]) <= set(loaded((tmp_path / "plain.bdf").read_text()))
    carried = oddseam.write_mesh(cut, tmp_path / "carried.bdf", carry_loads=True)
    assert not any("refer to" in line for line in carried.listed)
    before, after = loaded(tube_path.read_text()), loaded((tmp_path / "carried.bdf").read_text())
    assert set(after) == set(before) - set(touched["gone"]) | set(touched["new"])
    assert {after[number] for number in touched["new"]} == {"0.05"}
    assert all(after[number] == before[number] for number in set(after) & set(before))


def test_a_fill_among_loaded_elements_is_loaded_too(tube_path, tmp_path):
    tube = oddseam.read_mesh(tube_path, unit="mm")
    filled = oddseam.fill(tube, near=(-49, -309, 180))
    new = oddseam.compare_ids(tube, filled)["elements"]["new"]
    oddseam.write_mesh(filled, tmp_path / "filled.bdf", carry_loads=True)
    assert set(new) <= set(loaded((tmp_path / "filled.bdf").read_text()))


def test_different_or_uneven_pressures_are_listed_not_guessed(tmp_path):
    lines = ["BEGIN BULK", "MAT1    1       2.1E5           .3", "PSHELL  1       1       2.", ""]
    n = 12
    lines += grids(n)
    for j in range(n):
        for i in range(n):
            a = 1 + j * 100 + i
            lines.append(f"CQUAD4  {a:<8}1       {a:<8}{a + 1:<8}{a + 101:<8}{a + 100:<8}")
    lines.append("PLOAD4  3       606     1.      2.      1.      2.")  # at the middle of the cut
    lines += [
        "PLOAD2  4       5.      505     506     1       2",
        "PLOAD2  5       7.      1       THRU    1300",
        "ENDDATA",
    ]
    (tmp_path / "plate.bdf").write_text("\n".join(lines) + "\n")
    plate = oddseam.read_mesh(tmp_path / "plate.bdf", unit="mm")
    cut = oddseam.cut(plate, at=(6, 6, 0), diameter=2.5)
    written = oddseam.write_mesh(cut, tmp_path / "cut.bdf", carry_loads=True)
    text = (tmp_path / "cut.bdf").read_text()
    assert "PLOAD2  5       7.      1       THRU    1300\n" in text
    new = oddseam.compare_ids(plate, cut)["elements"]["new"]
    assert {int(fields[2]) for fields in cards(text, "PLOAD2") if fields[:2] == ["5", "7."] and fields[3] == ""} == set(
        new
    )
    assert any("not clear which" in line for line in written.lost) or 606 in cut.element_ids
    assert "PLOAD2  4       5.      1       2\n" in text


def test_new_cards_have_offsets_angles_and_orientations_of_what_lay_there(tmp_path):
    lines = [
        "BEGIN BULK",
        "MAT1    1       2.1E5           .3",
        "PSHELL  1       1       2.",
        "PBAR    2       1       9.",
    ]
    n = 12
    lines += grids(n)
    for j in range(n):
        for i in range(n):
            a = 1 + j * 100 + i
            lines.append(f"CQUAD4  {a:<8}1       {a:<8}{a + 1:<8}{a + 101:<8}{a + 100:<8}30.     .75")
    lines += [f"CBAR    {5001 + i:<8}2       {601 + i:<8}{602 + i:<8}0.      .6      .8" for i in range(n)]
    (tmp_path / "plate.bdf").write_text("\n".join([*lines, "ENDDATA"]) + "\n")
    plate = oddseam.read_mesh(tmp_path / "plate.bdf", unit="mm")
    cut = oddseam.cut(plate, at=(6.3, 6, 0), diameter=3.1, split_lines=True, collars=[0.5])
    written = oddseam.write_mesh(cut, tmp_path / "cut.bdf")
    assert not any("line elements" in line for line in written.lost)
    text = (tmp_path / "cut.bdf").read_text()
    back = oddseam.read_mesh(tmp_path / "cut.bdf", unit="mm")
    assert back.counts == cut.counts
    bars = cards(text, "CBAR")
    assert len(bars) == len(cut.elements["line"])
    assert {tuple(fields[4:7]) for fields in bars} == {("0.", ".6", ".8")}
    place = dict(zip(cut.node_ids.tolist(), cut.nodes, strict=True))
    new = set(oddseam.compare_ids(plate, cut)["elements"]["new"])
    seen = 0
    for name, corners in (("CQUAD4", 4), ("CTRIA3", 3)):
        for fields in cards(text, name):
            if int(fields[0]) in new:
                side = place[int(fields[3])] - place[int(fields[2])]
                angle = float(fields[2 + corners]) + np.degrees(np.arctan2(side[1], side[0]))
                assert np.cos(np.radians(angle - 30.0)) == pytest.approx(1.0, abs=1e-6)
                assert fields[3 + corners] == ".75"
                seen += 1
    assert seen > 20


def test_an_offset_of_many_digits_is_not_cut_off(tmp_path):
    lines = ["BEGIN BULK", "MAT1    1       2.1E5           .3", "PSHELL  1       1       2."]
    n = 12
    lines += grids(n)
    for j in range(n):
        for i in range(n):
            a = 1 + j * 100 + i
            lines.append(f"CQUAD4,{a},1,{a},{a + 1},{a + 101},{a + 100},,0.1234567891")
    (tmp_path / "plate.bdf").write_text("\n".join([*lines, "ENDDATA"]) + "\n")
    plate = oddseam.read_mesh(tmp_path / "plate.bdf", unit="mm")
    cut = oddseam.cut(plate, at=(6.3, 6, 0), diameter=3.1)
    oddseam.write_mesh(cut, tmp_path / "cut.bdf")
    new = oddseam.compare_ids(plate, cut)["elements"]["new"]
    text = (tmp_path / "cut.bdf").read_text()
    assert text.count("0.1234567891") == 144 - len(oddseam.compare_ids(plate, cut)["elements"]["gone"]) + len(new)
    assert oddseam.read_mesh(tmp_path / "cut.bdf", unit="mm").counts == cut.counts


@pytest.mark.slow
def test_new_ids_come_from_the_range_that_is_given(tube_path, tmp_path, run):
    tube = oddseam.read_mesh(tube_path, unit="mm")
    cut = oddseam.cut(tube, **SLOT)
    numbered = oddseam.number_new(cut, since=tube, node_ids=(700_001, None), element_ids=(800_001, 800_400))
    touched = oddseam.compare_ids(tube, numbered)
    assert touched["nodes"]["new"] == list(range(700_001, 700_001 + len(touched["nodes"]["new"])))
    assert touched["elements"]["new"][0] == 800_001 and touched["elements"]["changed"] == []
    with pytest.raises(oddseam.Refusal, match="there are 10"):
        oddseam.number_new(cut, since=tube, element_ids=(800_001, 800_010))
    first = int(tube.element_ids.min())
    filled = oddseam.number_new(cut, since=tube, element_ids=(first, None))
    assert not set(oddseam.compare_ids(tube, filled)["elements"]["new"]) & set(tube.element_ids.tolist())
    asked = ["cut", tube_path, "--unit", "mm", "--at=-300,-100,250", "--diameter", 60, "-o", "cut.bdf"]
    assert run(*asked, "--element-ids", "800001-800005").returncode == 2
    assert run(*asked, "--element-ids", "many").returncode == 2
    done = run(*asked, "--element-ids", "800001-800900", "--node-ids", 700001, "--carry-loads")
    assert done.returncode == 0, done.stderr
    said = run("compare", tube_path, "cut.bdf", "--unit", "mm")
    assert "700001-7000" in said.stdout and "800001-8000" in said.stdout


def test_unused_nodes_go_unless_something_refers_to_them(tmp_path, run):
    deck = """BEGIN BULK
MAT1    1       2.1E5           .3
PSHELL  1       1       2.
GRID    1               0.      0.      0.
GRID    2               1.      0.      0.
GRID    3               0.      1.      0.
GRID    8               5.      5.      5.
GRID    9               6.      5.      5.
CTRIA3  1       1       1       2       3
RBE2    77      8       123     1
ENDDATA
"""
    (tmp_path / "tri.bdf").write_text(deck)
    mesh = oddseam.delete(oddseam.read_mesh(tmp_path / "tri.bdf", unit="mm"), unused_nodes=True)
    assert mesh.node_ids.tolist() == [1, 2, 3, 8]
    assert "1 nodes" in mesh.account.last.outcome.notes[0]
    done = run("delete", "tri.bdf", "--unused-nodes", "--unit", "mm", "-o", "less.bdf")
    assert done.returncode == 0, done.stderr
    assert (tmp_path / "less.bdf").read_text() == deck.replace("GRID    9               6.      5.      5.\n", "")


@pytest.mark.slow
def test_the_bolt_row_is_spaced_anew(tube_path, tmp_path, run):
    write_bolt_row(tmp_path / "bolts.csv")
    with pytest.raises(oddseam.Refusal, match="the smallest is 18"):
        oddseam.fill(oddseam.read_mesh(tube_path, unit="mm"), below=17.9)
    assert run("fill", tube_path, "--unit", "mm", "--below", 18.1, "-o", "filled.bdf").returncode == 0
    done = run("cut", "filled.bdf", "--unit", "mm", "--table", "bolts.csv", "-o", "row.bdf")
    assert done.returncode == 0, done.stderr
    assert "16 values" in done.stdout
    row = oddseam.read_mesh(tmp_path / "row.bdf", unit="mm")
    holes = [hole for hole in oddseam.list_openings(row) if hole.diameter < 20]
    assert [hole.diameter for hole in holes] == pytest.approx([18.0] * 16)
    tube = oddseam.read_mesh(tube_path, unit="mm")
    assert oddseam.compare_ids(tube, row)["nodes"]["moved"] == []
    assert oddseam.compare_ids(tube, row)["elements"]["changed"] == []
    assert not oddseam.prove(row).worse_than(oddseam.prove(tube))


def test_comparing_lists_what_moved_and_changed():
    nodes = [[0, 0, 0], [2, 0, 0], [2, 2, 0], [0, 2, 0], [1, 1, 0]]
    sheet = oddseam.Mesh.from_triangles(nodes, [[0, 1, 4], [1, 2, 4], [2, 3, 4], [3, 0, 4]], unit="mm")
    moved = oddseam.move_node(sheet, 5, to=(1.2, 0.9, 0.0))
    flipped = oddseam.flip(moved, "ids 2")
    assert oddseam.compare_ids(sheet, flipped) == {
        "nodes": {"gone": [], "new": [], "moved": [5]},
        "elements": {"gone": [], "new": [], "changed": [2]},
    }


def test_new_properties_and_materials_have_numbers_that_no_card_has(tmp_path):
    text = decks.bulk_panel().replace("ENDDATA", "MAT8,5,1.,1.,.3\nPBUSH,40,K,1.\nPCOMP,9,,,,,,,,\n,5,1.\nENDDATA")
    (tmp_path / "a.bdf").write_text(text)
    mesh = oddseam.read_mesh(tmp_path / "a.bdf", unit="mm")
    made = oddseam.make_part(mesh, "box (0,9,-1) (3,12,1)", name="patch")
    assert made.parts[-1].id == 41
    stiffer = oddseam.assign_property(made, young=9e4, poisson=0.2, parts=("patch",))
    assert stiffer.parts[-1].material.id == 6
    oddseam.write_mesh(stiffer, tmp_path / "b.bdf")
    again = oddseam.read_mesh(tmp_path / "b.bdf")
    (patch,) = (part for part in again.parts if part.id == 41)
    assert (patch.material.id, patch.material.young) == (6, 9e4)


def test_materials_of_a_second_deck_stay_what_they_are(tmp_path):
    (tmp_path / "a.bdf").write_text(decks.bulk_panel())
    (tmp_path / "b.bdf").write_text(decks.bulk_panel().replace("MAT1,1,210000.", "MAT1,1,70000."))
    one, two = (oddseam.read_mesh(tmp_path / name, unit="mm") for name in ("a.bdf", "b.bdf"))
    both = oddseam.combine(one, other=two.replaced(nodes=two.nodes + np.array([20.0, 0, 0])))
    for mesh in (both, oddseam.read_mesh(str(save(both, tmp_path)))):
        young = {part.id: part.material.young for part in mesh.parts if part.material is not None}
        assert sorted(young.values()) == [7e4, 7e4, 2.1e5, 2.1e5] and young[1] == 2.1e5
        assert len({part.material.id for part in mesh.parts if part.material is not None}) == 2
    same = oddseam.combine(one, other=one.replaced(nodes=one.nodes + np.array([20.0, 0, 0])))
    assert {part.material.id for part in same.parts if part.material is not None} == {1}


def save(mesh, folder):
    oddseam.write_mesh(mesh, folder / "both.bdf")
    return folder / "both.bdf"
