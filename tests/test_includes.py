"""Decks that include others."""

from __future__ import annotations

import dataclasses
from pathlib import Path

import pytest

import oddseam

GRIDS = "GRID    1               0.      0.      0.\nGRID    2               1.      0.      0.\n"
MORE = "$ the third\nGRID    3               0.      1.      0.\nCTRIA3  1       1       1       2       3"
BULK = (
    "BEGIN BULK\nINCLUDE 'nodes/grids.inc'\nPSHELL  1       1       2.0\nMAT1    1       210000.         .3\nENDDATA\n"
)
KEYWORD = "*NODE\n1, 0., 0., 0.\n2, 1., 0., 0.\n*INCLUDE, INPUT=nodes/more.inc\n*STEP\n"


@pytest.fixture
def decks(tmp_path) -> Path:
    """A bulk data deck whose include includes another, and a keyword deck."""
    (tmp_path / "nodes").mkdir()
    (tmp_path / "nodes" / "grids.inc").write_text(GRIDS + 'INCLUDE\t"more\n_grids.inc"  $ in two lines\n')
    (tmp_path / "nodes" / "more_grids.inc").write_text(MORE)
    (tmp_path / "nodes" / "more.inc").write_text("3, 0., 1., 0.\n*ELEMENT, TYPE=S3, ELSET=ALL\n1, 1, 2, 3\n")
    (tmp_path / "deck.bdf").write_text(BULK)
    (tmp_path / "deck.inp").write_text(KEYWORD)
    return tmp_path


@pytest.mark.parametrize("name", ["deck.bdf", "deck.inp"])
def test_all_that_is_included_is_read_and_the_deck_comes_back_as_it_was(decks, name):
    mesh = oddseam.read_mesh(decks / name)
    assert mesh.counts == {"nodes": 3, "tri": 1} and mesh.node_ids.tolist() == [1, 2, 3]
    written = oddseam.write_mesh(mesh, decks / f"out_{name}")
    assert (decks / f"out_{name}").read_bytes() == (decks / name).read_bytes()
    assert not any("INCLUDE" in line for line in written.converted)
    # through the working file as well
    oddseam.write_mesh(mesh, decks / "kept.seam")
    oddseam.write_mesh(oddseam.read_mesh(decks / "kept.seam"), decks / f"again_{name}")
    assert (decks / f"again_{name}").read_bytes() == (decks / name).read_bytes()


def test_what_changed_in_an_included_file_is_written_out_in_place(decks):
    mesh = oddseam.read_mesh(decks / "deck.bdf")
    nodes = mesh.nodes.copy()
    nodes[0] = [0.0, 0.0, 0.5]
    written = oddseam.write_mesh(dataclasses.replace(mesh, nodes=nodes), decks / "nodes" / "moved.bdf")
    text = (decks / "nodes" / "moved.bdf").read_text()
    # the inner file did not change and lies beside the new deck
    assert text.count("GRID ") == 2 and 'INCLUDE\t"more\n_grids.inc"' in text and "grids.inc'" not in text
    assert any("nodes/grids.inc" in line and "has changed" in line for line in written.converted)
    again = oddseam.read_mesh(decks / "nodes" / "moved.bdf")
    assert (again.nodes == nodes).all() and again.element_ids.tolist() == [1]
    assert (decks / "nodes" / "grids.inc").read_text().startswith(GRIDS)  # nobody writes into what is included


def test_a_deck_written_elsewhere_holds_all(decks, tmp_path_factory):
    elsewhere = tmp_path_factory.mktemp("elsewhere")
    written = oddseam.write_mesh(oddseam.read_mesh(decks / "deck.bdf"), elsewhere / "deck.bdf")
    assert any(f"does not lead to the same from {elsewhere}" in line for line in written.converted)
    text = (elsewhere / "deck.bdf").read_text()
    assert "INCLUDE" not in text and text.count("GRID ") == 3
    # a file of that name with another content is not the same
    (elsewhere / "nodes").mkdir()
    (elsewhere / "nodes" / "grids.inc").write_text(GRIDS)
    oddseam.write_mesh(oddseam.read_mesh(decks / "deck.bdf"), elsewhere / "deck.bdf")
    assert "INCLUDE" not in (elsewhere / "deck.bdf").read_text()


@pytest.mark.slow
@pytest.mark.parametrize(
    ("include", "reason"),
    [
        ("INCLUDE 'nowhere.inc'", r"deck\.bdf: line 2: includes 'nowhere\.inc', which is not there"),
        ("INCLUDE 'deck.bdf'", r"deck\.bdf: line 2: deck\.bdf includes itself"),
        ("INCLUDE bad.inc", r"bad\.inc: line 2: .*CTRIA3"),
        ("INCLUDE 'nodes'", "which is not there"),
        ("INCLUDE '" + "x" * 5000 + "'", "which is not there"),
    ],
    ids=["missing", "itself", "wrong within", "a folder", "too long"],
)
def test_what_is_wrong_in_an_include_is_named_with_its_file_and_line(tmp_path, run, include, reason):
    (tmp_path / "nodes").mkdir()
    (tmp_path / "bad.inc").write_text("$ a line\nCTRIA3  1       1       x       2       3\n")
    (tmp_path / "deck.bdf").write_text(f"BEGIN BULK\n{include}\n{GRIDS}ENDDATA\n")
    with pytest.raises(oddseam.FormatError, match=reason):
        oddseam.read_mesh(tmp_path / "deck.bdf")
    assert run("survey", "deck.bdf").returncode == 2


def test_a_flood_of_includes_is_refused(tmp_path):
    for k in range(12):
        again = f"INCLUDE 'f{k + 1}.inc'\n" * 3
        (tmp_path / f"f{k}.inc").write_text(again)
    (tmp_path / "f12.inc").write_text(GRIDS)
    (tmp_path / "deck.bdf").write_text("BEGIN BULK\nINCLUDE 'f0.inc'\nENDDATA\n")
    with pytest.raises(oddseam.FormatError, match="more than a deck can hold"):
        oddseam.read_mesh(tmp_path / "deck.bdf")
