"""What refers to the gone is listed, all of it; ids that were ever there are not given again."""

from __future__ import annotations

import json
import re

import decks
import numpy as np
import pytest

import oddseam
from oddseam.formats.keyword.keyword_reference_table import RULES as KEYWORDS
from oddseam.formats.nastran.bulk_reference_table import RULES as CARDS

#: Cards whose rules depend on a word, with that word's place and what else they name: (fields, nodes, elements).
SPECIAL = {
    "PLOAD4": ([["2", "E", "1."], ["2", "E", "1.", "", "", "", "N", "N"], ["2", "E", "1.", "", "", "", "THRU", "E"]]),
    "RBE3": [["9", "", "N", "123", "1.", "123", "N", "N"], ["9", "", "N", "1", "1.", "1", "N", "", "UM", "N", "1"]],
    "SET3": [["9", "GRID", "N", "N"], ["9", "ELEM", "E", "E"], ["9", "PROP", "1", "2"]],
    "DMIG": [["A", "N", "1", "", "N", "1", "1."], ["A", "0", "6", "1", "0"]],
    "CFAST": [["9", "1", "ELEM", "E", "E", "N", "N", "N"], ["9", "1", "PROP", "1", "2", "N", "N", "N"]],
    "CWELD": [
        ["9", "1", "N", "ALIGN", "N", "N"],
        ["9", "1", "N", "ELEMID", "", "", "", "", "E", "E"],
        ["9", "1", "N", "GRIDID", "", "", "QT", "", "N", "N", "N", "", "", "", "", "", "N", "N"],
    ],
    "RSSCON": [["9", "GRID", "N", "N", "N"], ["9", "ELEM", "E", "E", "E"]],
    "NSM NSML": [["1", "ELEMENT", "E", "1.", "E", "2."], ["1", "PSHELL", "1", "1."]],
    "NSM1 NSML1": [["1", "ELEMENT", "1.", "E", "E"], ["1", "PSHELL", "1.", "1"]],
    "PARAM": [["GRDPNT", "N"], ["POST", "0"]],
    "CBAR": [["9001", "3", "101", "103", "N"]],
    "CBEAM": [["9002", "3", "101", "103", "N", *11 * [""], "N", "N"]],
}
PATTERNS = {name: rows for names, rows in SPECIAL.items() for name in names.split()}


def pattern_of(rules: str) -> list[str]:
    """Fields of a card with N and E where its rules say that nodes and elements are named."""
    fields: dict[int, str] = {}
    for letter, first, rest in re.findall(r"([neNE])(\d+)(\S*)", rules):
        places = [int(first)]
        if rest.startswith("-"):
            places = list(range(int(first), int(rest[1:]) + 1))
        elif rest == "+":
            places = [int(first), int(first) + 1, int(first) + 2]
        elif rest:
            places = [int(first), int(first) + int(rest[1:])]
        fields |= {place: letter.upper() if letter.islower() else "9" for place in places}
    return [fields.get(k, "") for k in range(1, max(fields, default=0) + 1)]


def strip_text(n: int) -> tuple[list[str], list[str]]:
    """Nodes 101, 102, ... in two rows with elements 501, 502, ... between them."""
    grids = [f"GRID,{101 + k},,{k // 2}.,{k % 2}.,0." for k in range(2 * n + 2)]
    quads = [f"CQUAD4,{501 + k},1,{101 + 2 * k},{103 + 2 * k},{104 + 2 * k},{102 + 2 * k}" for k in range(n)]
    return grids, quads


def filled(pattern: list[str], numbers: dict[str, int]) -> tuple[list[str], dict[str, set[int]]]:
    """A card with the next free numbers in the places of a pattern, and which these are."""
    named: dict[str, set[int]] = {"N": set(), "E": set()}
    fields = []
    for word in pattern:
        if word in named:
            named[word].add(numbers[word])
            fields.append(str(numbers[word]))
            numbers[word] += 1
        else:
            fields.append(word)
    if "THRU" in fields:
        low, high = (int(fields[k]) for k in (1, 7))
        named["E"] |= set(range(low, high + 1))
    return fields, named


def lines_of(name: str, fields: list[str]) -> str:
    rows = [fields[k : k + 8] for k in range(0, max(len(fields), 1), 8)]
    return "\n".join(",".join([name if k == 0 else "", *row]) for k, row in enumerate(rows))


def write_all_cards(path, n: int) -> tuple[dict[str, dict[str, set[int]]], list[str]]:
    """A strip of n quads with every card of the table and sixty others: what each names, and the texts of all."""
    grids, quads = strip_text(n)
    numbers = {"N": 101, "E": 501}
    wanted: dict[str, dict[str, set[int]]] = {}
    cards = []
    for name, rules in CARDS.items():
        for pattern in PATTERNS.get(name) or [pattern_of(rules)]:
            fields, named = filled(pattern, numbers)
            cards.append(lines_of(name, fields))
            held = wanted.setdefault(name, {"N": set(), "E": set()})
            for letter, its in named.items():
                held[letter] |= its
    assert numbers["N"] < 101 + 2 * n and numbers["E"] < 501 + n, numbers
    cards += [f"QX{k:02d}A,{k + 1},{101 + k}" for k in range(60)]
    head = ["BEGIN BULK", "MAT1,1,210000.,,.3", "PSHELL,1,1,1."]
    path.write_text("\n".join([*head, *grids, *quads, *cards, "ENDDATA", ""]))
    return wanted, cards


def beside(mesh: oddseam.Mesh) -> oddseam.Mesh:
    """The mesh with another strip along it, which is not joined."""
    x, y = np.meshgrid(np.arange(0.0, 40.0), [1.02, 2.0])
    k = np.arange(39)
    block = oddseam.Elements(np.column_stack([k, k + 1, k + 41, k + 40]), 1 + k, 0 * k)
    other = oddseam.Mesh(np.column_stack([x.ravel(), y.ravel(), 0 * x.ravel()]), {"quad": block},
                         (oddseam.Part("other", 9),), unit="mm")  # fmt: skip
    return oddseam.combine(mesh, other=oddseam.assign_property(other, thickness=1.0, young=7e4, poisson=0.3))


def bent(mesh: oddseam.Mesh) -> oddseam.Mesh:
    """Another surface with a ramp where the strip is flat."""
    up = np.clip(1.0 - np.abs(mesh.nodes[:, 0] - 110.0) / 8.0, 0.0, None)
    return mesh.replaced(nodes=mesh.nodes + np.column_stack([0 * up, 0 * up, up]), source=None)


#: What may befall a deck; the strip lies along x, a unit wide.
EDITS = {
    "delete": lambda mesh: oddseam.delete(mesh, "ids 501-1199"),
    "cut": lambda mesh: oddseam.cut(mesh, at=(300.4, 0.5, 0), diameter=0.4),
    "repeat": lambda mesh: oddseam.repeat(beside(mesh), "piece (5,2,0)", times=1, vector=(0, 5, 0)),
    "stitch": lambda mesh: oddseam.stitch(beside(mesh), one=(5, 1.02, 0), two=(5, 1, 0), distance=0.1),
    "lift": lambda mesh: oddseam.lift(mesh, "box (99.9,-1,-1) (120.1,2,1)", by=1.0),
    "splice": lambda mesh: oddseam.splice(mesh, "box (99.9,-1,-1) (120.1,2,1)", replacement=bent(mesh), distance=0.1),
    "merge": lambda mesh: oddseam.weld(mesh, nodes=(301, 302)),
    "combine": beside,
    "remesh": lambda mesh: oddseam.remesh(mesh, size=0.4, pick="ids 601-640"),
}


@pytest.mark.parametrize("name", EDITS)
def test_every_card_of_the_table_is_searched(tmp_path, name):
    assert len(CARDS) >= 150
    wanted, cards = write_all_cards(tmp_path / "all.bdf", 700)
    mesh = oddseam.read_mesh(tmp_path / "all.bdf", unit="mm")
    new = EDITS[name](mesh)
    assert new.digest != mesh.digest
    written = oddseam.write_mesh(new, tmp_path / "left.bdf")
    text = (tmp_path / "left.bdf").read_text()
    grids = set(decks.bulk_ids(text, "GRID"))
    shells = {number for card in ("CQUAD4", "CTRIA3") for number in decks.bulk_ids(text, card)}
    for card, held in wanted.items():
        told = {d.what: set(d.ids) for d in written.dangling if d.card == card}
        lost = {"node": held["N"] - grids, "element": held["E"] - shells}
        assert told == {what: ids for what, ids in lost.items() if ids}, card
    assert all(card in text for card in cards)
    searched = [line for line in written.listed if line.startswith("not searched")]
    if set(mesh.node_ids.tolist()) - grids or set(mesh.elements["quad"].ids.tolist()) - shells:
        assert all(f"1 QX{k:02d}A" in searched[0] for k in range(60))


def test_a_deck_of_every_card_says_what_another_one_does_not_get(tmp_path):
    wanted, _ = write_all_cards(tmp_path / "all.bdf", 700)
    written = oddseam.write_mesh(oddseam.read_mesh(tmp_path / "all.bdf", unit="mm"), tmp_path / "all.inp")
    (line,) = [line for line in written.lost if "carries" in line]
    there = {name: int(count) for count, name in re.findall(r"(\d+) ([A-Z]\w*)", line)}
    converted = {"SPC", "SPC1", "FORCE", "MOMENT", "PLOAD2", "PLOAD4", "GRAV", "LOAD", "SPCADD"}
    assert {name for name in wanted if name not in there} <= converted | {"CBAR", "CBEAM", "CROD", "CONROD"}
    assert all(f"QX{k:02d}A" in there for k in range(60))


def keyword_pattern(rules: str) -> list[str]:
    return pattern_of(re.sub(r"[ne]:[A-Z ]+", "", rules))


KEYWORD_LINES = {
    "INITIAL CONDITIONS": [(", TYPE=TEMPERATURE", ["N", "20."]), (", TYPE=STRESS", ["E", "1", "3."])],
    "STATIC": [(", RIKS", ["1.", "1.", "1e-9", "1.", "1.", "N", "3", "1."]), ("", ["1.", "1."])],
    "EQUATION": [("", ["2"], ["N", "1", "1.", "N", "1", "-1."])],
    "NETWORK MPC": [("", ["2"], ["N", "1", "1.", "N", "1", "-1."])],
    "ORIENTATION": [(", NAME=O1, DEFINITION=NODES", ["N", "N", "N"]), (", NAME=O2", ["1.", "0.", "0."])],
    "NSET": [(", NSET=A1", ["N", "N", "N"]), (", NSET=A2, GENERATE", ["N", "N"])],
    "ELSET": [(", ELSET=B1", ["E", "E"]), (", ELSET=B2, GENERATE", ["E", "E"])],
    "SURFACE": [(", NAME=S1, TYPE=NODE", ["N"]), (", NAME=S2, TYPE=ELEMENT", ["E", "SPOS"])],
    "NGEN": [("", ["N", "N"])],
    "ELEMENT": [(", TYPE=SPRINGA, ELSET=C1", ["9000000", "N", "N"])],
    "RIGID BODY": [(", NSET=A1, REF NODE=@N, ROT NODE=@N",)],
    "PRE-TENSION SECTION": [(", SURFACE=S9, NODE=@N",)],
    "MONITOR": [(", DOF=1, NODE=@N",)],
    **{
        name: [(", REF NODE=@N",)]
        for name in ("COUPLING", "RIGID SURFACE", "FLUID CAVITY", "FLUID PROPERTY", "INTEGRATED OUTPUT SECTION")
    },
    "KINEMATIC COUPLING": [(", REF NODE=@N", ["N", "1"])],
}


def test_every_keyword_of_the_table_is_searched(tmp_path):
    assert len(KEYWORDS) >= 60
    n = 300
    numbers = {"N": 101, "E": 501}
    wanted: dict[str, dict[str, set[int]]] = {}
    lines = ["*NODE"] + [f"{101 + k}, {k // 2}., {k % 2}., 0." for k in range(2 * n + 2)]
    lines += ["*ELEMENT, TYPE=S4, ELSET=STRIP"]
    lines += [f"{501 + k}, {101 + 2 * k}, {103 + 2 * k}, {104 + 2 * k}, {102 + 2 * k}" for k in range(n)]
    carried = []
    for name, rules in KEYWORDS.items():
        for first, *rows in KEYWORD_LINES.get(name) or [("", keyword_pattern(rules))]:
            head = first
            held = wanted.setdefault(name, {"N": set(), "E": set()})
            while "@N" in head:
                head = head.replace("@N", str(numbers["N"]), 1)
                held["N"].add(numbers["N"])
                numbers["N"] += 1
            carried.append(f"*{name}{head}")
            for row in rows:
                fields, named = filled(row, numbers)
                for letter, its in named.items():
                    held[letter] |= its
                carried.append(", ".join(fields))
    strange = [line for k in range(60) for line in (f"*ODD WORD {k}", f"{101 + k}, 1.")]
    assert numbers["N"] < 101 + 2 * n and numbers["E"] < 501 + n, numbers
    (tmp_path / "all.inp").write_text("\n".join([*lines, *carried, *strange, ""]))
    mesh = oddseam.read_mesh(tmp_path / "all.inp", unit="mm")
    gone = oddseam.delete(mesh, "ids 501-799")
    written = oddseam.write_mesh(gone, tmp_path / "left.inp")
    for name, held in wanted.items():
        told = {d.what: set(d.ids) for d in written.dangling if d.card == f"*{name}"}
        lost = {"node": held["N"] - set(gone.node_ids.tolist()), "element": held["E"] - set(gone.element_ids.tolist())}
        assert told == {what: ids for what, ids in lost.items() if ids}, name
    text = (tmp_path / "left.inp").read_text().splitlines()
    assert all(line in text for line in (*carried, *strange))
    (line,) = [line for line in written.listed if line.startswith("not searched")]
    assert all(f"1 *ODD WORD {k}" in line for k in range(60))


def test_lists_with_steps_and_exceptions(tmp_path):
    grids, quads = strip_text(20)
    cards = [
        "SPC1,1,123,101,THRU,111,EXCEPT,103,104",
        "SPC1,2,123,101,THRU,111,BY,5",
        "SPC1,3,123,120,THRU,130",
    ]
    head = ["BEGIN BULK", "MAT1,1,210000.,,.3", "PSHELL,1,1,1."]
    (tmp_path / "lists.bdf").write_text("\n".join([*head, *grids, *quads, *cards, "ENDDATA", ""]))
    gone = oddseam.delete(oddseam.read_mesh(tmp_path / "lists.bdf"), "ids 501-504")
    assert set(range(101, 109)).isdisjoint(gone.node_ids.tolist())
    (told,) = oddseam.write_mesh(gone, tmp_path / "left.bdf").dangling
    assert told.ids == (101, 102, 105, 106, 107, 108) and told.count == 2
    lines = (tmp_path / "lists.bdf").read_text().splitlines()
    assert [lines[number - 1] for number in told.lines] == cards[:2]


@pytest.mark.parametrize("between", ["deck", "seam", "nothing"])
@pytest.mark.parametrize("form", ["bdf", "inp"])
def test_ids_that_were_ever_there_are_not_given_again(tmp_path, form, between):
    text = decks.bulk_panel() if form == "bdf" else decks.keyword_panel()
    (tmp_path / f"panel.{form}").write_text(text)
    panel = oddseam.read_mesh(tmp_path / f"panel.{form}", unit="mm")
    top = decks.element(decks.N - 1, decks.N - 1)
    gone = oddseam.delete(panel, f"ids {top - 2}-{top}")
    if between != "nothing":
        path = tmp_path / f"between.{form if between == 'deck' else 'seam'}"
        oddseam.write_mesh(gone, path)
        gone = oddseam.read_mesh(path, unit=None if between == "seam" else "mm")
    cut = oddseam.cut(gone, at=(9, 3, 0), diameter=2.0)
    new = [np.setdiff1d(getattr(cut, what), getattr(gone, what)) for what in ("node_ids", "element_ids")]
    assert min(map(len, new)) > 0
    highest = 9100 if form == "bdf" else 9010
    assert new[0].min() == highest + 1
    if form == "bdf":  # the plot element has the highest number of all
        assert new[1].min() == 9004
    elif between == "deck":  # the mass has
        assert new[1].min() == decks.MASS + 1
    assert np.intersect1d(new[1], panel.element_ids).size == 0


def test_ids_take_the_largest_free_run_where_there_is_no_room_above(tmp_path):
    grids, quads = strip_text(30)
    grids.append("GRID,99999990,,0.,9.,0.")
    head = ["BEGIN BULK", "MAT1,1,210000.,,.3", "PSHELL,1,1,1.", "SPC1,1,123,99999990", "CONM2,99999999,99999990,,1."]
    (tmp_path / "full.bdf").write_text("\n".join([*head, *grids, *quads, "ENDDATA", ""]))
    mesh = oddseam.read_mesh(tmp_path / "full.bdf", unit="mm")
    fine = oddseam.refine(mesh, "ids 510", size=0.3)
    new = np.setdiff1d(fine.node_ids, mesh.node_ids), np.setdiff1d(fine.element_ids, mesh.element_ids)
    assert new[0].min() == 163 and new[1].min() > 530 and new[1].max() < 600
    written = oddseam.write_mesh(fine, tmp_path / "fine.bdf")
    assert any("largest run of free" in line for line in written.listed), written.listed


def test_the_command_line_lists_all_ids_in_json_too(tmp_path, run):
    (tmp_path / "panel.bdf").write_text(decks.bulk_panel())
    path = str(tmp_path / "panel.bdf")
    done = run(
        "delete", path, "box (0.5,7.5,-1) (5.5,11.5,1)", "-o", str(tmp_path / "out.bdf"), "--unit", "mm", "--json"
    )
    told = json.loads(done.stdout)["written"]["dangling"]
    (its,) = [one for one in told if one["card"] == "SET1"]
    assert its["what"] == "node" and its["ids"] == [decks.node(i, j) for j in (9, 10) for i in (2, 3, 4)]


def test_odd_numbers_and_endless_runs_are_no_hindrance(tmp_path):
    grids, quads = strip_text(8)
    cards = [
        "SPC1,1,123,101,THRU,99999999",
        "SET1,2,101,THRU,99999999",
        "FORCE,3,99999999999999999999999,,1.,0.,0.,1.",
        "QXA,99999999999999999999999,\xb2,\xb3",
        "SPC1,4,123,\xb2,102",
        "SPC1,5,123,130,THRU,120",
        "RBE2,9,101,123,102,THRU,99999999",
        "PLOAD4,6,501,1.,,,,THRU,99999999",
    ]
    head = ["BEGIN BULK", "MAT1,1,210000.,,.3", "PSHELL,1,1,1."]
    (tmp_path / "odd.bdf").write_bytes("\n".join([*head, *grids, *quads, *cards, "ENDDATA", ""]).encode("latin-1"))
    mesh = oddseam.read_mesh(tmp_path / "odd.bdf", unit="mm")
    gone = oddseam.delete(mesh, "ids 503")
    fine = oddseam.refine(gone, "ids 505", times=1)
    new = np.setdiff1d(fine.node_ids, mesh.node_ids)
    assert len(new) and new.max() < 99_999_999  # no room above, for a run names it all
    for trims in (False, True):
        written = oddseam.write_mesh(fine, tmp_path / "out.bdf", trim_references=trims)
        assert oddseam.read_mesh(tmp_path / "out.bdf").counts == fine.counts
    assert any(line.startswith("cards that name less") for line in written.carried)
    lines = ["*NODE", *(f"{k + 1}, {k}., 0., 0." for k in range(4)), *(f"{k + 5}, {k}., 1., 0." for k in range(4))]
    lines += ["*ELEMENT, TYPE=S4, ELSET=A", *(f"{k}, {k}, {k + 1}, {k + 5}, {k + 4}" for k in (1, 2, 3))]
    lines += ["*NSET, NSET=ALL, GENERATE", "1, 99999999, 1", "*CLOAD", "99999999999999999999999, 1, 1.", "4, 1, 1."]
    (tmp_path / "odd.inp").write_text("\n".join([*lines, ""]))
    strip = oddseam.delete(oddseam.read_mesh(tmp_path / "odd.inp", unit="mm"), "ids 3")
    written = oddseam.write_mesh(strip, tmp_path / "left.inp", trim_references=True)
    text = (tmp_path / "left.inp").read_text()
    assert not written.dangling and "\n1, 3, 1\n5, 7, 1\n" in text
