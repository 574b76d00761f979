"""Loads and constraints that go from one deck to the other: judged by the decks' text, and by a solver that runs them."""

from __future__ import annotations

import decks
import numpy as np
import pytest
import solids
from solver import needs_solver, solve

import oddseam
from oddseam.model import KINDS


def solved(path):
    """Displacements by node of the last step of a keyword deck."""
    text = path.read_text()
    steps = text.replace("*END STEP", "*NODE PRINT, NSET=EVERY\nU\n*END STEP")
    first = next(k for k, line in enumerate(text.splitlines()) if line.startswith("*NODE"))
    every = "*NSET, NSET=EVERY\n" + "".join(f"{n},\n" for n in decks.keyword_points(text))
    lines = steps.splitlines(keepends=True)
    at = next(k for k in range(first + 1, len(lines)) if lines[k].startswith("*"))
    run = path.with_name(path.stem + "_run.inp")
    run.write_text("".join([*lines[:at], every, *lines[at:]]))
    done = solve(path.parent, run.stem)
    assert done.returncode == 0 and "*ERROR" not in done.stdout, done.stdout[-2000:]
    rows = [line.split() for line in run.with_suffix(".dat").read_text().splitlines()]
    table = {int(row[0]): list(map(float, row[1:])) for row in rows if len(row) == 4 and row[0].isdecimal()}
    assert table
    return table


def rows_of(path, keyword):
    """Lines of data under a keyword, in all of a deck."""
    return [row for name, _, rows in decks.keyword_blocks(path.read_text()) if name == keyword for row in rows]


def ids_where(mesh, which):
    return mesh.node_ids[which].tolist()


def written_with(mesh, path, cards, head="SPC = 1\nLOAD = 2\n"):
    """The mesh as a bulk data deck with more cards."""
    oddseam.write_mesh(mesh, path)
    text = path.read_text().replace("BEGIN BULK\n", f"SOL 101\nCEND\n{head}BEGIN BULK\n")
    path.write_text(text.replace("ENDDATA", "\n".join([*cards, "ENDDATA"])))
    return oddseam.read_mesh(path, unit="mm")


def end_faces(mesh, x):
    """Elements with a face at x, and the corners of that face in order."""
    for kind, block in mesh.elements.items():
        for number, row in zip(block.ids.tolist(), block.connectivity, strict=True):
            for side in KINDS[kind].sides:
                if np.allclose(mesh.nodes[row[list(side)], 0], x):
                    corners = mesh.node_ids[row[list(side)]].tolist()
                    others = [n for n in mesh.node_ids[row[: KINDS[kind].corners]].tolist() if n not in corners]
                    yield kind, number, corners, others


@needs_solver
@pytest.mark.parametrize("kind", ["hex", "hex20", "tet", "tet10", "wedge"])
def test_a_pulled_and_heavy_bar_of_solids_moves_as_the_theory_says(tmp_path, kind):
    bar = solids.solid(solids.grid(np.linspace(0, 4, 5), np.linspace(0, 1, 3), np.linspace(0, 1, 3)), kind)
    bar = oddseam.assign_property(bar, young=1000.0, poisson=0.0, density=2.0)
    held = ids_where(bar, bar.nodes[:, 0] == 0)
    cards = ["SPC1,1,123456," + ",".join(map(str, held[:4]))]
    cards += [f"SPC,1,{node},123,0.0" for node in held[4:]]
    for its, number, corners, others in end_faces(bar, 4.0):
        named = (
            (corners[0], others[0]) if its.startswith("tet") else (corners[0], corners[2] if len(corners) == 4 else "")
        )
        cards.append(f"PLOAD4,5,{number},-3.0,,,,{named[0]},{named[1]}")
    cards += ["GRAV,6,,2.0,1.0,0.0,0.0", "LOAD,2,2.0,1.0,5,0.5,6"]
    mesh = written_with(bar, tmp_path / "bar.bdf", cards)
    written = oddseam.write_mesh(mesh, tmp_path / "bar.inp")
    assert not any("carries" in line for line in written.lost)
    assert any("rotations of 4 nodes of solids" in line for line in written.lost)
    moved = solved(tmp_path / "bar.inp")
    end = np.mean([moved[n][0] for n in ids_where(bar, bar.nodes[:, 0] == 4.0)])
    # pull of 6 over the end, and a weight of 2 * 2.0 along the bar: u = p L / E + rho g L^2 / 2 E
    assert end == pytest.approx(6.0 * 4 / 1000 + 2.0 * 2.0 * 16 / 2000, rel=2e-3)


@needs_solver
def test_a_panel_goes_there_and_back_and_answers_the_same(tmp_path):
    text = decks.keyword_panel()
    for block in ("*RIGID BODY", "*EQUATION"):
        text = without_block(text, block)
    text = without_block(text.replace("9000, 3, 10.\n", "72, 4, 3.\n"), "*ELEMENT, TYPE=MASS")
    text = without_block(text, "*MASS").replace("\n9000, 6., 6., 1.5\n9010, 6., 6., 2.5", "")
    text = without_block(text, "*NODE PRINT")
    (tmp_path / "a.inp").write_text(text)
    first = oddseam.read_mesh(tmp_path / "a.inp", unit="mm")
    there = oddseam.write_mesh(first, tmp_path / "b.bdf")
    assert not any("carries" in line or "loads" in line for line in there.lost), there.lost
    back = oddseam.write_mesh(oddseam.read_mesh(tmp_path / "b.bdf"), tmp_path / "c.inp")
    assert [line for line in back.lost if "carries" in line] == ["what b.bdf carries: 7 SET1"]
    one, two = solved(tmp_path / "a.inp"), solved(tmp_path / "c.inp")
    assert one.keys() == two.keys() and max(map(abs, one[140])) > 0
    assert np.allclose(np.array(list(one.values())), np.array([two[n] for n in one]), rtol=1e-5, atol=1e-12)


def without_block(text, keyword):
    lines, kept, skip = text.splitlines(keepends=True), [], False
    for line in lines:
        skip = line.startswith(keyword) or (skip and not line.startswith("*"))
        kept += [] if skip else [line]
    return "".join(kept)


def test_vectors_in_frames_are_turned_and_what_cannot_be_is_left_and_said(tmp_path):
    panel = decks.bulk_panel().replace(f"FORCE,2,{decks.HUB},,10.,0.,0.,1.", "FORCE,2,100,8,10.,1.,2.,3.")
    at = decks.used_nodes()
    x, y = next(np.array(ij) for ij in at if decks.node(*ij) == 100)
    more = ["MOMENT,2,100,7,2.,0.,0.,1.", "PLOAD4,2,5,1.,2.,1.,1.", "SPC1,1,12,50", "GRID,9200,,0.,0.,9.,,456",
            "FORCE,77,100,,1.,1.,0.,0."]  # fmt: skip
    (tmp_path / "a.bdf").write_text(panel.replace("ENDDATA", "\n".join([*more, "ENDDATA"])))
    written = oddseam.write_mesh(oddseam.read_mesh(tmp_path / "a.bdf"), tmp_path / "a.inp")
    forces = {(int(n), int(c)): float(v) for n, c, v in rows_of(tmp_path / "a.inp", "CLOAD")}
    radial = np.array([x - 6, y - 6, 0]) / np.hypot(x - 6, y - 6)
    want = 10 * (radial + 2 * np.cross([0, 0, 1], radial) + [0, 0, 3])
    assert [forces.get((100, c), 0.0) for c in (1, 2, 3)] == pytest.approx(want.tolist())
    assert forces[100, 6] == pytest.approx(2.0) and len(forces) == 3
    said = "\n".join(written.lost)
    for words in (
        "PLOAD4 cards that differ from corner to corner",
        "frames of their own: nodes 50",
        "the set 77, which no case chooses",
        "no shell or solid uses: 9200",
        "1 PLOAD4",
        "1 FORCE",
    ):
        assert words in said, (words, said)


def test_every_step_goes_on_from_the_one_before_and_becomes_a_subcase(tmp_path):
    text = without_block(decks.keyword_panel(), "*NODE PRINT").replace("9000, 3, 10.\n", "")
    text += "*STEP\n*STATIC\n*CLOAD\n153, 1, 5.\n*DLOAD, OP=NEW\nALL, GRAV, 9810., 0., 0., -1.\n*END STEP\n"
    text += "*STEP\n*FREQUENCY\n10\n*BOUNDARY\n140, 1, 3\n*END STEP\n"
    (tmp_path / "a.inp").write_text(text)
    written = oddseam.write_mesh(oddseam.read_mesh(tmp_path / "a.inp", unit="mm"), tmp_path / "a.bdf")
    cards = decks.bulk_cards((tmp_path / "a.bdf").read_text())
    forces = {card[1]: card for card in cards if card[0] == "FORCE"}
    assert {number: float(card[5]) for number, card in forces.items()} == {"1001": 2.0, "2002": 5.0}
    assert {card[1] for card in cards if card[0] == "PLOAD4"} == {"1001"}
    (gravity,) = (card for card in cards if card[0] == "GRAV")
    (both,) = (card for card in cards if card[0] == "LOAD")
    assert both[1] == "1002" and gravity[1] in both[2:] and float(gravity[6]) == -9810.0
    assert "SUBCASE 2" in (tmp_path / "a.bdf").read_text() and "SUBCASE 3" not in (tmp_path / "a.bdf").read_text()
    said = "\n".join(written.lost)
    assert "1 keywords with loads or constraints in steps that are not static" in said and "1 FREQUENCY" in said


def test_care_is_taken_before_a_deck_becomes_another(tmp_path):
    (tmp_path / "a.bdf").write_text(decks.bulk_panel())
    mesh = oddseam.cut(oddseam.read_mesh(tmp_path / "a.bdf", unit="mm"), at=(2.6, 1.4, 0), diameter=1.2)
    plain = oddseam.write_mesh(mesh, tmp_path / "plain.inp")
    assert any("elements that are not there" in line for line in plain.lost)
    careful = oddseam.write_mesh(mesh, tmp_path / "careful.inp", carry_loads=True)
    assert not any("elements that are not there" in line for line in careful.lost)
    assert any("pressures" in line for line in careful.carried)
    pressed = {int(row[0]) for row in rows_of(tmp_path / "careful.inp", "DLOAD")}
    new = set(mesh.element_ids.tolist()) - set(oddseam.read_mesh(tmp_path / "a.bdf").element_ids.tolist())
    assert new <= pressed
