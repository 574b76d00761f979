"""A solver runs morphed decks: a cantilever is as stiff as one that was made with the new measures."""

from __future__ import annotations

import dataclasses
import re

import numpy as np
import pytest
import solids
from solver import needs_solver, solve

import oddseam


def cantilever(kind: str, length: float = 100.0, height: float = 10.0) -> oddseam.Mesh:
    """A beam along x, 8 wide."""
    steps = np.linspace(0, length, 25), np.linspace(0, 8, 4), np.linspace(0, height, 5)
    mesh = solids.solid(solids.grid(*steps), kind)
    return oddseam.assign_property(mesh, young=210_000.0, poisson=0.3, density=7.85e-9)


def deflection(folder, mesh: oddseam.Mesh) -> float:
    """By how much the end goes down under a force of 100, from the deck that was written."""
    folder.mkdir()
    x = mesh.nodes[:, 0]
    end = np.flatnonzero(x > x.max() - 1e-6)
    groups = oddseam.Groups({"held": np.flatnonzero(x < 1e-6), "tip": end})
    oddseam.write_mesh(dataclasses.replace(mesh, groups=groups), folder / "model.inp")
    share = -100.0 / len(end)
    job = (
        f"*INCLUDE, INPUT=model.inp\n*BOUNDARY\nHELD, 1, 3\n*STEP\n*STATIC\n*CLOAD\nTIP, 3, {share!r}\n"
        "*NODE PRINT, NSET=TIP\nU\n*END STEP\n"
    )
    (folder / "job.inp").write_text(job)
    done = solve(folder, "job")
    assert done.returncode == 0 and "*ERROR" not in done.stdout, done.stdout[-2000:]
    rows = re.findall(r"^\s+\d+\s+(\S+)\s+(\S+)\s+(\S+)\s*$", (folder / "job.dat").read_text(), re.MULTILINE)
    assert len(rows) == len(end)
    return float(np.mean([float(row[2]) for row in rows]))


@pytest.mark.slow
@needs_solver
@pytest.mark.parametrize("kind", ["hex", "hex20", "tet10", "wedge15"])
@pytest.mark.parametrize(
    ("change", "measures"),
    [
        (oddseam.Offset("near (50, 4, 10) flat 5", 3.0), {"height": 13.0}),
        (oddseam.Offset("near (50, 4, 10) flat 5", -4.0), {"height": 6.0}),
        (oddseam.Offset("near (100, 4, 5) flat 5", 20.0), {"length": 120.0}),
    ],
)
def test_a_morphed_cantilever_is_as_stiff_as_a_new_one(tmp_path, kind, change, measures):
    morphed = oddseam.morph(cantilever(kind), change)
    fresh = cantilever(kind, **measures)
    assert morphed.n_elements == fresh.n_elements
    assert deflection(tmp_path / "a", morphed) == pytest.approx(deflection(tmp_path / "b", fresh), rel=0.01)


@needs_solver
def test_a_morphed_cantilever_by_new_shape(tmp_path):
    fresh = cantilever("tet10", height=13.0)
    target = oddseam.as_written(
        oddseam.skin(solids.solid(solids.grid(*[np.linspace(0, s, 9) for s in (100, 8, 13)]))), "stl"
    )
    morphed = oddseam.morph(cantilever("tet10"), oddseam.Shape(target))
    assert deflection(tmp_path / "a", morphed) == pytest.approx(deflection(tmp_path / "b", fresh), rel=0.01)
