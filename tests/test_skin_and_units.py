"""The skin of solids, and units of length."""

from __future__ import annotations

import dataclasses

import numpy as np
import pytest
import shapes
from test_keyword import block_of

import oddseam
from oddseam.model import KINDS


@pytest.mark.parametrize("kind", ["tet", "tet10", "hex", "hex20"])
def test_a_skin_is_closed_and_encloses_the_solid(kind):
    mesh = block_of(kind)
    shell = oddseam.skin(mesh)
    proof = oddseam.prove(shell)
    assert proof.is_closed and proof.is_clean and proof.volume == pytest.approx(6.0)
    assert set(shell.elements) == {{"tet": "tri", "tet10": "tri6", "hex": "quad", "hex20": "quad8"}[kind]}
    row = {int(n): k for k, n in enumerate(mesh.node_ids)}
    assert all((mesh.nodes[row[int(n)]] == xyz).all() for n, xyz in zip(shell.node_ids, shell.nodes, strict=True))
    for name, block in shell.elements.items():  # midside nodes lie on their edges
        if KINDS[name].is_quadratic:
            p, k = shell.nodes[block.connectivity], KINDS[name].corners
            assert np.allclose(p[:, k:], [[(q[a] + q[b]) / 2 for a, b in KINDS[name].edges] for q in p])


def test_kinds_that_meet_leave_no_inner_face():
    cube = shapes.cube()[0][[0, 1, 3, 2, 4, 5, 7, 6]]
    nodes = np.vstack([cube, cube[4:] + np.array([0, 0, 1]), [[0.5, 0.5, -1]], [[2.0, 0, 0], [2, 0, 1]]])
    elements = {
        "pyramid": oddseam.Elements([[0, 3, 2, 1, 12]], [5], [0]),
        "wedge": oddseam.Elements([[1, 13, 2, 5, 14, 6]], [6], [0]),
        "hex": oddseam.Elements([np.arange(8), np.arange(4, 12)], [7, 8], [1, 0]),
    }
    parts = oddseam.Part("steel", 4), oddseam.Part("rubber", 9)
    side = oddseam.Groups(sides={"wet": [[2, 2], [2, 5]], "top": [[3, 1], [2, 2]]}, nodes={"all": np.arange(15)})
    shell = oddseam.skin(oddseam.Mesh(nodes, elements, parts, np.arange(15) * 2 + 1, side))
    proof = oddseam.prove(shell)
    assert proof.is_closed and proof.is_clean
    assert [p.name for p in shell.parts] == ["steel", "rubber", "wet", "top"]
    counts = dict(zip([p.name for p in shell.parts], np.bincount(shell.element_part).tolist(), strict=True))
    assert counts["wet"] == 2 and counts["top"] == 1
    assert len(shell.groups.elements["top"]) == 2 and len(shell.groups.nodes["all"]) == 15


def test_what_is_no_solid_is_refused_or_listed():
    with pytest.raises(oddseam.Refusal, match="no solid elements"):
        oddseam.skin(shapes.mesh(shapes.cube()))
    solid = block_of("hex")
    line = oddseam.Elements([[0, 1]], [999], [0])
    both = dataclasses.replace(solid, elements={**solid.elements, "line": line})
    assert oddseam.skin(both).account.last.outcome.notes == ("left out: 1 line elements",)


def test_the_command_takes_a_skin(run, tmp_path):
    oddseam.write_mesh(block_of("hex"), tmp_path / "block.vtu")
    done = run("skin", "block.vtu", "-o", "skin.stl")
    assert done.returncode == 0 and "take the outer faces" in done.stdout
    assert oddseam.prove(oddseam.read_mesh(tmp_path / "skin.stl")).volume == pytest.approx(6.0)


def test_units(run, tmp_path):
    mesh = oddseam.assign_property(shapes.mesh(shapes.cube(), unit="mm"), thickness=25.4, young=1.0, poisson=0.3)
    inches = oddseam.convert(mesh, to_unit="in")
    assert (
        inches.unit == "in"
        and inches.nodes.max() == pytest.approx(1 / 25.4)
        and inches.parts[0].thickness == pytest.approx(1)
    )
    assert "constants of materials are not converted" in inches.account.last.outcome.notes
    assert oddseam.convert(mesh, to_unit="mm").digest == mesh.digest
    with pytest.raises(oddseam.Refusal, match="unit of the mesh is unknown"):
        oddseam.convert(shapes.mesh(shapes.cube()), to_unit="m")
    oddseam.write_mesh(mesh, tmp_path / "a.stl")
    done = run("convert", "a.stl", "-o", "b.obj", "--unit", "mm", "--to-unit", "m")
    assert done.returncode == 0 and oddseam.read_mesh(tmp_path / "b.obj").nodes.max() == pytest.approx(1e-3)
