"""Random edits one after the other on decks with loads: nothing reused, moved or lost unsaid."""

from __future__ import annotations

import os

import decks
import numpy as np
import pytest
from solver import needs_solver, solve

import oddseam

#: How many are tried; more with ODDSEAM_SEQUENCES.
COUNT = int(os.environ.get("ODDSEAM_SEQUENCES", "4"))


def edit(mesh: oddseam.Mesh, rng: np.random.Generator) -> tuple[oddseam.Mesh, set[int]]:
    """The mesh after one random edit, and the ids of nodes that it may move."""
    x, y = rng.uniform(1.0, 11.0, 2).round(2).tolist()
    box = f"box ({x - 1.6},{y - 1.6},-9) ({x + 1.6},{y + 1.6},9)"
    ids = mesh.element_ids.tolist()
    name = str(
        rng.choice(["cut", "delete", "refine", "remesh", "fill", "lift", "move", "merge", "repeat", "morph", "weld"])
    )
    if name == "cut":
        return oddseam.cut(mesh, at=(x, y, 0), diameter=float(rng.uniform(0.5, 1.6))), set()
    if name == "delete":
        return oddseam.delete(mesh, "ids " + " ".join(map(str, rng.choice(ids, 4).tolist()))), set()
    if name == "refine":
        return oddseam.refine(mesh, box, times=1), set()
    if name == "remesh":
        return oddseam.remesh(mesh, size=0.6, pick=box), None  # what is picked is meshed anew
    if name == "fill":
        return oddseam.fill(mesh, near=(5, 6, 0)), set()
    if name == "lift":
        return oddseam.lift(mesh, box, by=0.5), None
    if name in ("move", "merge"):
        used = np.unique(mesh.faces.node)
        row = int(rng.choice(used))
        number = int(mesh.node_ids[row])
        if name == "move":
            to = (mesh.nodes[row] + [*rng.uniform(-0.2, 0.2, 2), 0.0]).tolist()
            return oddseam.move_node(mesh, number, to=tuple(to)), {number}
        away = np.linalg.norm(mesh.nodes[used] - mesh.nodes[row], axis=1)
        other = int(mesh.node_ids[used[np.argsort(away)[1]]])
        return oddseam.weld(mesh, nodes=(number, other)), set()
    if name == "repeat":
        return oddseam.repeat(mesh, box, times=1, vector=(4.0, 0.0, 0.0)), set()
    if name == "morph":
        return oddseam.morph(mesh, oddseam.Move(box, by=(0.0, 0.0, 0.1)), reach=1.5), None
    return oddseam.weld(mesh, tolerance=0.05), None


def named_in(cards: list[list[str]]) -> dict[str, tuple[set[int], set[int]]]:
    """Nodes and elements that the carried cards of the panel name, by name: what is known of these very cards."""
    found: dict[str, tuple[set[int], set[int]]] = {}
    for name, *fields in cards:
        nodes, elements = found.setdefault(name, (set(), set()))
        numbers = [int(word) if word.isdigit() else 0 for word in fields]
        if name == "RBE2":
            nodes |= {numbers[1], *numbers[3:]}
        elif name in ("CONM2", "FORCE"):
            nodes.add(numbers[1])
        elif name == "SPC1":
            nodes |= set(range(numbers[2], numbers[4] + 1))
        elif name == "PLOAD4":
            elements |= set(range(numbers[1], numbers[7] + 1)) if fields[6] == "THRU" else {numbers[1]}
        elif name == "SET1":
            nodes |= set(numbers[1:])
        elif name == "MPC":
            nodes |= {numbers[1], numbers[4], numbers[9]}
        elif name == "PLOTEL":
            nodes |= {numbers[1], numbers[2]}
        elif name == "TEMP":
            nodes |= {numbers[1], numbers[3]}
        elif name == "CBAR":
            nodes.add(numbers[4])
    return {name: (nodes - {0}, elements - {0}) for name, (nodes, elements) in found.items()}


def sequence(folder, text: str, seed: int) -> list[oddseam.Mesh]:
    """A panel after each of five edits; every other time by way of a working file."""
    rng = np.random.default_rng(seed)
    form = "inp" if "*NODE" in text else "bdf"
    path = folder / f"panel.{form}"
    path.write_text(text)
    mesh = oddseam.read_mesh(path, unit="mm")
    states, ever = [mesh], {"node": set(mesh.node_ids.tolist()), "element": set(mesh.element_ids.tolist())}
    ever["element"] |= {decks.HUB_ELEMENT, decks.MASS} | ({9003} if form == "bdf" else set())
    while len(states) < 6:
        try:
            new, may_move = edit(mesh, rng)
        except (oddseam.Refusal, oddseam.PickError):
            continue
        for what in ("node", "element"):
            now = set(getattr(new, f"{what}_ids").tolist())
            before = set(getattr(mesh, f"{what}_ids").tolist())
            assert not (now - before) & ever[what], f"{what} ids given again"
            ever[what] |= now
        used = np.unique(np.concatenate([block.connectivity.ravel() for block in mesh.elements.values()]))
        places = dict(zip(new.node_ids.tolist(), map(tuple, new.nodes.tolist()), strict=True))
        for row, number in enumerate(mesh.node_ids.tolist()):
            stays = (may_move is not None and number not in may_move) or row not in used
            if stays and not (may_move is None and number in (decks.HUB, 9010)):  # which may be tied to what moves
                assert number in places or row in used, f"node {number} is gone, which only cards use"
                assert number not in places or places[number] == tuple(mesh.nodes[row].tolist()), f"node {number} moved"
        mesh = new
        if len(states) % 2:
            oddseam.write_mesh(mesh, folder / "between.seam")
            mesh = oddseam.read_mesh(folder / "between.seam")
        states.append(mesh)
    return states


@pytest.mark.slow
@pytest.mark.parametrize("text", [decks.bulk_panel(), decks.ribbed_panel()], ids=["panel", "ribbed"])
@pytest.mark.parametrize("seed", range(COUNT))
def test_every_card_is_unchanged_or_listed(tmp_path, seed, text):
    *_, last = sequence(tmp_path, text, seed)
    written = oddseam.write_mesh(last, tmp_path / "last.bdf")
    before, after = ((tmp_path / name).read_text() for name in ("panel.bdf", "last.bdf"))
    there = {what: set(getattr(last, f"{what}_ids").tolist()) for what in ("node", "element")}
    cards = decks.bulk_cards(before)
    kept = decks.bulk_cards(after)
    carried = [card for card in cards if card[0] not in ("GRID", "CQUAD4", "CTRIA3", "CBAR")]
    assert all(card in kept for card in carried)
    alive = [card for card in cards if card[0] != "CBAR" or int(card[1]) in there["element"]]
    for name, (nodes, elements) in named_in(alive).items():
        told = {d.what: set(d.ids) for d in written.dangling if d.card == name}
        lost = {"node": nodes - there["node"], "element": elements - there["element"]}
        original = {"node": set(decks.bulk_ids(before, "GRID")), "element": set(decks.bulk_ids(before, "CQUAD4"))}
        assert told == {what: ids & original[what] for what, ids in lost.items() if ids & original[what]}, name
    lines = set(before.splitlines())
    moved = {number for number, xyz in decks.bulk_points(after).items() if decks.bulk_points(before).get(number) != xyz}
    for line in after.splitlines():
        if line.startswith("GRID") and line not in lines:
            assert int(line[8:24] if "," not in line else line.split(",")[1]) in moved
    trimmed = oddseam.write_mesh(last, tmp_path / "trimmed.bdf", trim_references=True, carry_loads=True)
    left = decks.bulk_cards((tmp_path / "trimmed.bdf").read_text())
    assert not trimmed.dangling
    for name, (nodes, elements) in named_in([card for card in left if card[0] != "SPC1"]).items():
        assert nodes <= there["node"], name
        assert elements <= there["element"] or name == "PLOAD4", name


@pytest.mark.slow
@needs_solver
@pytest.mark.parametrize("seed", range(COUNT))
def test_the_solver_takes_what_is_left_of_a_keyword_deck(tmp_path, seed):
    *_, last = sequence(tmp_path, decks.keyword_panel(), seed)
    written = oddseam.write_mesh(last, tmp_path / "last.inp", trim_references=True, carry_loads=True)
    assert not [one for one in written.dangling if one.card != "*RIGID BODY"]
    assert_runs(tmp_path)


def assert_runs(folder):
    done = solve(folder, "last")
    assert done.returncode == 0 and "*ERROR" not in done.stdout, done.stdout[-3000:]


@needs_solver
@pytest.mark.parametrize("seed", range(COUNT))
def test_the_solver_takes_a_bulk_data_deck_as_a_keyword_deck(tmp_path, seed):
    *_, last = sequence(tmp_path, decks.plain_panel(), seed)
    written = oddseam.write_mesh(last, tmp_path / "last.inp", trim_references=True, carry_loads=True)
    assert not any("carries" in line for line in written.lost), written.lost
    assert_runs(tmp_path)
