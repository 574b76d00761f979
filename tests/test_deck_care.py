"""Decks written with care: lists trimmed, sets and loads carried over, other decks brought along or told of."""

from __future__ import annotations

import decks
import numpy as np
import pytest
from solver import needs_solver, solve

import oddseam

ALL_ROUND = "box (0.5,7.5,-1) (5.5,11.5,1)"


def read_panel(folder, form: str) -> oddseam.Mesh:
    path = folder / f"panel.{form}"
    path.write_text(decks.bulk_panel() if form == "bdf" else decks.keyword_panel())
    return oddseam.read_mesh(path, unit="mm")


def solved(folder, name: str) -> str:
    """What the solver says of a deck; it must end well."""
    done = solve(folder, name)
    assert done.returncode == 0 and "*ERROR" not in done.stdout, done.stdout[-3000:]
    return (folder / f"{name}.dat").read_text()


def test_lists_get_shorter_and_cards_that_act_on_nothing_go(tmp_path):
    panel = read_panel(tmp_path, "bdf")
    gone = oddseam.delete(panel, ALL_ROUND)
    written = oddseam.write_mesh(gone, tmp_path / "left.bdf", trim_references=True)
    assert not written.dangling
    cards = decks.bulk_cards((tmp_path / "left.bdf").read_text())
    names = [card[0] for card in cards]
    lost = set(panel.node_ids.tolist()) - set(gone.node_ids.tolist())
    assert decks.node(3, 10) in lost and "MPC" not in names and "MPCADD" not in names and "SET1" not in names
    assert any("MPC card(s)" in line for line in written.lost) and any("adds nothing" in line for line in written.lost)
    wide = [card for card in cards if card[0] == "PLOAD4"]
    assert [card[2] for card in wide] == [str(decks.element(0, 0))]  # the pressure on (3, 8) is gone with that


def test_lists_of_every_make(tmp_path):
    lines = ["BEGIN BULK", "MAT1,1,210000.,,.3", "PSHELL,1,1,1."]
    lines += [f"GRID,{101 + k},,{k // 2}.,{k % 2}.,0." for k in range(42)]
    lines += [f"CQUAD4,{501 + k},1,{101 + 2 * k},{103 + 2 * k},{104 + 2 * k},{102 + 2 * k}" for k in range(20)]
    lines += [
        "GRID,900,,0.,0.,9.",
        "SPC1,1,123,101,102,131,THRU,142",
        "SPC,2,101,1,0.,135,2,.1",
        "ASET,101,1,102,2,120,3",
    ]
    lines += ["RBE3,91,,900,123,1.,123,101,102,,2.,123,120,,3.,123,103,121", "RBE2,92,900,123,103,104,122"]
    lines = [*lines[:-2], "RBE3,91,,900,123,1.,123,101,102", ",2.,123,120,3.,123,103,121", *lines[-1:]]
    lines += [
        "PLOAD4,5,501,1.,,,,THRU,510",
        "PLOAD2,5,2.,501,502,512",
        "PLOTEL,93,101,103,,94,121,123",
        "SPCADD,7,1,2,3",
    ]
    lines += [
        "SPC1,3,123,101,102",
        "FORCE,6,101,,1.,0.,0.,1.",
        "FORCE,6,130,,1.,0.,0.,1.",
        "LOAD,8,1.,1.,5,2.,6",
        "ENDDATA",
    ]
    (tmp_path / "in.bdf").write_text("\n".join(lines) + "\n")
    gone = oddseam.delete(oddseam.read_mesh(tmp_path / "in.bdf"), "ids 501-503 520")
    assert sorted(set(range(101, 143)) - set(gone.node_ids.tolist())) == [*range(101, 107), 141, 142]
    written = oddseam.write_mesh(gone, tmp_path / "out.bdf", trim_references=True)
    cards = decks.bulk_cards((tmp_path / "out.bdf").read_text())

    def of(name: str) -> list[list[str]]:
        return [[word for word in card[1:] if word] for card in cards if card[0] == name]

    assert of("SPC1") == [["1", "123", "131", "THRU", "140"]] and of("SPC") == [["2", "135", "2", ".1"]]
    assert of("ASET") == [["120", "3"]] and of("RBE3") == [["91", "900", "123", "2.", "123", "120", "3.", "123", "121"]]
    assert of("RBE2") == [["92", "900", "123", "122"]] and of("PLOAD4") == [["5", "504", "1.", "THRU", "510"]]
    assert of("PLOAD2") == [["5", "2.", "512"]] and of("PLOTEL") == [["94", "121", "123"]]
    assert of("SPCADD") == [["7", "1", "2"]] and of("FORCE") == [["6", "130", "1.", "0.", "0.", "1."]]
    assert of("LOAD") == [["8", "1.", "1.", "5", "2.", "6"]] and not written.dangling


@pytest.mark.parametrize("form", ["bdf", "inp"])
def test_sets_and_loads_go_to_what_comes_in_their_place(tmp_path, form):
    panel = read_panel(tmp_path, form)
    fine = oddseam.remesh(panel, size=0.4, pick="box (-0.5,8.5,-1) (5.5,12.5,1)")
    oddseam.write_mesh(fine, tmp_path / f"new.{form}", carry_loads=True, trim_references=True)
    text = (tmp_path / f"new.{form}").read_text()
    new = set(np.setdiff1d(fine.element_ids, panel.element_ids).tolist())
    ids = fine.element_ids.tolist()
    middles = {number: fine.nodes[fine.faces.node[fine.faces.first[k] : fine.faces.first[k + 1]]].mean(axis=0)
               for k, number in enumerate(ids[len(ids) - len(fine.faces.first) + 1 :])}  # fmt: skip
    if form == "bdf":
        (card,) = [card for card in decks.bulk_cards(text) if card[0] == "SET1"]
        listed = {int(word) for word in card[2:] if word}
        points = dict(zip(fine.node_ids.tolist(), fine.nodes.tolist(), strict=True))
        assert listed <= set(points) and len(listed) > 6
        assert all(1.9 <= points[n][0] <= 4.1 and 8.9 <= points[n][1] <= 10.1 for n in listed)
        return
    blocks = decks.keyword_blocks(text)
    pressed = {int(word) for name, options, rows in blocks if name == "ELSET" and options.get("ELSET") == "PRESSED"
               for row in rows for word in row}  # fmt: skip
    assert pressed <= set(ids) and pressed & new
    for number in new & middles.keys():
        x, y, _ = middles[number]
        if abs(y - 9.5) < 0.2 and x < 5.0:
            assert number in pressed, number


@needs_solver
@pytest.mark.parametrize("trims", [False, True])
def test_the_solver_takes_a_trimmed_deck(tmp_path, trims):
    panel = read_panel(tmp_path, "inp")
    solved(tmp_path, "panel")
    gone = oddseam.delete(panel, "box (1.5,8.5,-1) (9.5,12.5,1)")
    written = oddseam.write_mesh(gone, tmp_path / "left.inp", trim_references=trims)
    assert bool(written.dangling) != trims
    if trims:
        solved(tmp_path, "left")


def test_what_a_second_deck_does_not_bring_is_listed(tmp_path):
    panel = read_panel(tmp_path, "bdf")
    both = oddseam.combine(panel, other=panel.replaced(nodes=panel.nodes + np.array([0.0, 0.0, 9.0])))
    notes = both.account.last.outcome.notes
    (cards,) = [note for note in notes if "cards of panel.bdf not brought along" in note]
    for name in ("1 RBE2", "1 CONM2", "1 SPC1", "1 FORCE", "2 PLOAD4", "1 MPC", "1 SET1", "1 PBAR"):
        assert name in cards
    assert any("frames of panel.bdf not brought along" in note for note in notes)
    other = oddseam.splice(
        panel, "box (0.5,8.5,-1) (3.5,11.5,1)", replacement=panel.replaced(nodes=panel.nodes + 0.0), distance=0.1
    )
    assert any("cards of panel.bdf not brought along" in note for note in other.account.last.outcome.notes)


@pytest.mark.slow
@pytest.mark.parametrize(
    "words", [("combine", "a.bdf", "b.bdf", "-o", "b.bdf"), ("splice", "a.bdf", "ids 1", "b.bdf", "-o", "b.bdf", "--distance", "1"),
              ("imprint", "a.bdf", "--rim-of", "b.bdf", "--near", "0,0,0", "-o", "b.bdf"),
              ("picture", "a.bdf", "--before", "b.bdf", "-o", "b.bdf"), ("compare", "a.bdf", "b.bdf", "--picture", "b.bdf")],
)  # fmt: skip
def test_no_input_is_overwritten_unasked(tmp_path, run, words):
    for name in ("a", "b"):
        (tmp_path / f"{name}.bdf").write_text(decks.bulk_panel())
    done = run(*words)
    assert done.returncode == 2 and "b.bdf, which is read" in done.stderr
    assert (tmp_path / "b.bdf").read_text() == decks.bulk_panel()


@pytest.mark.slow
def test_a_working_file_says_when_loads_are_carried(tmp_path, run):
    (tmp_path / "a.bdf").write_text(decks.bulk_panel())
    done = run("move-node", "a.bdf", "1", "--to", "0.1,0,0", "-o", "b.seam", "--unit", "mm", "--carry-loads")
    assert done.returncode == 2 and "when a deck is written from it" in done.stderr
    done = run(
        "move-node",
        "a.bdf",
        "1",
        "--to",
        "0.1,0,0",
        "-o",
        "b.bdf",
        "--unit",
        "mm",
        "--carry-loads",
        "--trim-references",
    )
    assert done.returncode == 0, done.stderr


def test_parts_and_groups_of_a_keyword_deck_go_out_as_they_are(tmp_path):
    panel = read_panel(tmp_path, "inp")
    patch = oddseam.make_part(oddseam.make_group(panel, "ids 1-5", name="spot"), "ids 1-5", name="patch")
    patch = oddseam.assign_property(patch, thickness=5.0, parts=("patch",))
    written = oddseam.write_mesh(patch, tmp_path / "parts.inp")
    back = oddseam.read_mesh(tmp_path / "parts.inp")
    thick = {part.name: (part.thickness, int((back.element_part == k).sum())) for k, part in enumerate(back.parts)}
    assert thick == {"PATCH": (5.0, 5), "LEFT_REST": (0.02, 65), "RIGHT": (0.03, 70)}
    assert back.element_ids[back.groups.elements["SPOT"]].tolist() == [1, 2, 3, 4, 5]
    assert len(back.groups.elements["LEFT"]) == 70  # what other keywords say of it still holds
    assert any("LEFT_REST" in line for line in written.converted)
    metres = oddseam.convert(panel, to_unit="m")
    oddseam.write_mesh(metres, tmp_path / "metres.inp")
    assert [part.thickness for part in oddseam.read_mesh(tmp_path / "metres.inp").parts] == [0.00002, 0.00003]


def test_new_elements_are_of_the_family_of_their_part(tmp_path):
    text = decks.keyword_panel().replace("TYPE=S4", "TYPE=CPS4")
    (tmp_path / "flat.inp").write_text(text)
    cut = oddseam.cut(oddseam.read_mesh(tmp_path / "flat.inp", unit="mm"), at=(9, 3, 0), diameter=1.5)
    oddseam.write_mesh(cut, tmp_path / "cut.inp")
    types = {options["TYPE"] for name, options, _ in decks.keyword_blocks((tmp_path / "cut.inp").read_text())
             if name == "ELEMENT"}  # fmt: skip
    assert types <= {"CPS4", "CPS3", "MASS"}


def test_what_another_format_does_not_get_is_listed_by_kind_and_count(tmp_path):
    for form, other, words in (
        ("bdf", "inp", ("1 CONM2", "1 RBE2", "uses: 9000", "1 MPC", "frames of 1 nodes", "2 line elements")),
        ("inp", "bdf", ("uses: 9000", "1 RIGID BODY", "1 EQUATION", "1 MASS")),
        ("bdf", "vtu", ("1 FORCE", "1 SPC1")),
        ("inp", "cgns", ("1 EQUATION", "1 DLOAD")),
    ):
        mesh = read_panel(tmp_path, form)
        said = "\n".join(oddseam.write_mesh(mesh, tmp_path / f"other.{other}").lost)
        assert all(word in said for word in words), said


@pytest.mark.parametrize("kind", ["hex", "tet10", "wedge"])
def test_solids_go_from_deck_to_deck_with_their_properties_and_names(tmp_path, kind):
    import solids

    block = solids.solid(solids.grid(*[np.linspace(0, 2, 3)] * 3), kind)
    block = oddseam.name_parts(block, {block.parts[0].name: "Bearing Shell"})
    block = oddseam.assign_property(block, young=70_000.0, poisson=0.33, density=2.7e-9)
    oddseam.write_mesh(block, tmp_path / "a.bdf")
    first = oddseam.read_mesh(tmp_path / "a.bdf", unit="mm")
    written = oddseam.write_mesh(first, tmp_path / "b.inp")
    assert not any("carries" in line for line in written.lost)
    second = oddseam.read_mesh(tmp_path / "b.inp", unit="mm")
    oddseam.write_mesh(second, tmp_path / "c.bdf")
    third = oddseam.read_mesh(tmp_path / "c.bdf", unit="mm")
    for mesh, name in ((first, "Bearing Shell"), (second, "BEARING_SHELL"), (third, "BEARING_SHELL")):
        (part,) = mesh.parts
        assert part.name == name and mesh.counts == block.counts
        assert (part.material.young, part.material.poisson, part.material.density) == (70_000.0, 0.33, 2.7e-9)
        assert oddseam.survey(mesh).finding("inverted elements") is None


def test_a_renamed_part_keeps_its_name_in_the_deck(tmp_path):
    panel = read_panel(tmp_path, "bdf")
    named = oddseam.name_parts(panel, {"property 1": "flange"})
    oddseam.write_mesh(named, tmp_path / "one.bdf")
    again = oddseam.name_parts(oddseam.read_mesh(tmp_path / "one.bdf"), {"flange": "lip"})
    oddseam.write_mesh(again, tmp_path / "two.bdf")
    assert [part.name for part in oddseam.read_mesh(tmp_path / "two.bdf").parts] == ["lip", "property 2", "property 3"]


def test_a_deck_keeps_its_properties_where_a_command_gives_a_thickness(tmp_path, run):
    (tmp_path / "a.bdf").write_text(decks.bulk_panel())
    done = run("cut", "a.bdf", "--at", "9,3,0", "--diameter", "2", "-o", "b.bdf", "--unit", "mm", "--thickness", "9")
    assert done.returncode in (0, 1), done.stderr
    assert "keep the thickness that the deck gives them" in done.stderr
    thick = {part.id: part.thickness for part in oddseam.read_mesh(tmp_path / "b.bdf").parts}
    assert thick[1] == 2.0 and thick[2] == 3.0
    dense = oddseam.assign_property(read_panel(tmp_path, "bdf"), young=1000.0, poisson=0.2)
    assert dense.parts[0].material.density == 7.85e-9


def test_an_element_whose_direction_is_gone_stays_and_is_listed(tmp_path):
    from oddseam.model.editing import without_nodes

    panel = read_panel(tmp_path, "bdf")
    bare = without_nodes(panel, panel.node_ids == 9100)
    written = oddseam.write_mesh(bare, tmp_path / "bare.bdf", trim_references=True)
    assert [(one.card, one.count, one.ids) for one in written.dangling] == [("CBAR", 2, (9100,))]
    assert oddseam.read_mesh(tmp_path / "bare.bdf").counts == bare.counts


def test_sets_of_the_case_control_are_said_not_to_be_searched(tmp_path):
    text = decks.bulk_panel().replace("LOAD = 2\n", "LOAD = 2\nSET 1 = 5 THRU 9, 20\n  set 2 = ALL\nDISP = 1\n")
    (tmp_path / "a.bdf").write_text(text)
    mesh = oddseam.read_mesh(tmp_path / "a.bdf", unit="mm")
    written = oddseam.write_mesh(oddseam.delete(mesh, "ids 1"), tmp_path / "b.bdf")
    (line,) = [line for line in written.listed if line.startswith("not searched")]
    assert "2 SET of the case control" in line and "EIGRL" in line
    assert not any("not searched" in line for line in oddseam.write_mesh(mesh, tmp_path / "c.bdf").listed)
