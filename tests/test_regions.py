"""Working on a picked region: the rest stays to the last bit, and is joined node for node."""

from __future__ import annotations

import json
import subprocess
import sys

import numpy as np
import pytest
from shapes import mesh, sphere, torus

import oddseam


def contents(mesh: oddseam.Mesh) -> dict[int, tuple]:
    """What every element is: its kind, part, and the ids and places of its nodes."""
    found = {}
    for name, block in mesh.elements.items():
        for row, element_id in enumerate(block.ids.tolist()):
            nodes = block.connectivity[row]
            part = mesh.parts[block.part[row]].id
            found[element_id] = name, part, tuple(mesh.node_ids[nodes].tolist()), mesh.nodes[nodes].tobytes()
    return found


def deck() -> oddseam.Mesh:
    """A wall of quads with sparse ids, a rib on it in a T-joint, and a stringer along a row of its nodes."""
    n = 8
    i, j = np.meshgrid(np.arange(n), np.arange(n), indexing="ij")
    grid = (i * (n + 1) + j).ravel()
    quads = np.column_stack([grid, grid + n + 1, grid + n + 2, grid + 1])
    x, y = np.meshgrid(np.arange(n + 1.0), np.arange(n + 1.0), indexing="ij")
    wall = np.column_stack([x.ravel(), y.ravel(), 0 * x.ravel()])
    foot = 4 * (n + 1) + np.arange(n + 1)
    top = len(wall) + np.arange(n + 1)
    nodes = np.concatenate([wall, wall[foot] + (0, 0, 1)])
    rib = np.column_stack([foot[:-1], foot[1:], top[1:], top[:-1]])
    along = 2 * (n + 1) + np.arange(n + 1)
    lines = np.column_stack([along[:-1], along[1:]])
    parts = tuple(oddseam.Part(name, 10 * k) for k, name in enumerate(("wall", "rib", "stringer"), 1))
    shells = np.concatenate([quads, rib])
    return oddseam.Mesh(
        nodes,
        {
            "line": oddseam.Elements(lines, 9000 + np.arange(len(lines)), np.full(len(lines), 2)),
            "quad": oddseam.Elements(shells, 100 + 7 * np.arange(len(shells)), np.repeat([0, 1], [len(quads), n])),
        },
        parts,
        node_ids=5 + 3 * np.arange(len(nodes)),
        unit="mm",
    )


@pytest.mark.parametrize("size", [0.06, 0.5])
def test_only_the_picked_facets_are_meshed_anew(size):
    given = mesh(torus(60, 30), unit="mm")
    where = "sphere (2.7, 0, 0) 0.8"
    new = oddseam.remesh(given, size=size, pick=where)
    picked = set(given.element_ids[oddseam.pick(given, where)].tolist())
    before, after = contents(given), contents(new)
    assert all(after[i] == before[i] for i in before.keys() - picked)
    assert not after.keys() & picked
    proof = oddseam.prove(new)
    assert proof.is_closed and not proof.crossing_pairs and not proof.nonmanifold_edges
    assert proof.volume == pytest.approx(oddseam.prove(given).volume, rel=3e-3)


def test_a_wall_with_rib_and_stringer_stays_joined_to_both():
    given = deck()
    new = oddseam.remesh(given, size=0.4, pick="part wall")
    before, after = contents(given), contents(new)
    stays = {i for i, (_, part, *_) in before.items() if part != 10}
    assert len(stays) == 16
    assert all(after[i] == before[i] for i in stays)
    kinds = new.counts
    assert kinds["line"] == 8 and kinds["quad"] == 8 and kinds["tri"] > 400
    # the nodes along rib and stringer are where elements of the wall have edges
    edges = {
        tuple(sorted(pair))
        for row in new.elements["tri"].connectivity.tolist()
        for pair in zip(row, row[1:] + row[:1], strict=True)
    }
    for block in ("line", "quad"):
        for row in new.elements[block].connectivity[:, :2].tolist():
            assert tuple(sorted(row)) in edges


def test_the_border_of_the_region_does_not_become_a_crease():
    given = oddseam.find_features(mesh(sphere(24), unit="mm"))
    new = oddseam.remesh(given, size=0.1, pick="box (-2, -2, -2) (2, 2, 0.1)")
    assert len(new.creases.edges) == len(given.creases.edges) == 0
    assert new.patches.table == given.patches.table


def test_new_elements_are_as_fine_as_the_border_they_meet():
    given = oddseam.remesh(mesh(sphere(24), unit="mm"), size=0.05, pick="box (-2, -2, -2) (2, 2, 0)")
    coarse = oddseam.remesh(given, size=0.4, pick="box (-2, -2, -0.01) (2, 2, 2)")
    assert coarse.n_elements < given.n_elements
    worst = [row.minimum for row in oddseam.survey(coarse).quality if row.measure == "minimum_angle"]
    assert min(worst) > 10


def test_coarsening_a_region_leaves_the_rest():
    given = mesh(torus(60, 30), unit="mm")
    where = "box (-9, -9, -9) (9, 0, 9)"
    new = oddseam.coarsen(given, facets=600, pick=where)
    picked = set(given.element_ids[oddseam.pick(given, where)].tolist())
    before, after = contents(given), contents(new)
    assert all(after[i] == before[i] for i in before.keys() - picked)
    assert len(after) - len(before.keys() - picked) <= 600
    assert oddseam.prove(new).is_closed


def test_a_pick_of_no_surface_is_refused():
    with pytest.raises(oddseam.Refusal, match="no tri or quad"):
        oddseam.remesh(deck(), size=1.0, pick="part stringer")
    with pytest.raises(oddseam.Refusal, match="pick what is to be worked on"):
        oddseam.remesh(deck(), size=1.0)


@pytest.mark.slow
def test_the_command_line_picks_too(tmp_path):
    oddseam.write_mesh(deck(), tmp_path / "deck.seam")
    done = subprocess.run(
        [sys.executable, "-m", "oddseam", "remesh", tmp_path / "deck.seam", "--size", "0.5", "--pick",
         "part wall", "-o", tmp_path / "new.seam", "--json"],
        capture_output=True, text=True, check=False,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    assert json.loads(done.stdout)["unmet"] == []
    before, after = (contents(oddseam.read_mesh(tmp_path / name)) for name in ("deck.seam", "new.seam"))
    assert all(after[i] == what for i, what in before.items() if what[1] != 10)
    bad = subprocess.run(
        [sys.executable, "-m", "oddseam", "remesh", tmp_path / "deck.seam", "--size", "0.5", "--pick",
         "part wal", "-o", tmp_path / "bad.seam"],
        capture_output=True, text=True, check=False,
    )  # fmt: skip
    assert bad.returncode == 2 and "column 1" in bad.stderr and not (tmp_path / "bad.seam").exists()
