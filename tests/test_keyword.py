"""The keyword deck: read, changed, written; and run by the solver it is for."""

from __future__ import annotations

import dataclasses
import random
import re

import numpy as np
import pytest
import shapes
from damage import read_or_refused
from solver import needs_solver, solve
from test_vtu import every_kind

import oddseam
from oddseam.model.editing import Added, edited

DECK = """\
** a bracket, as it came
*Heading
 bracket
*NODE, NSET=Nall
   1,  0.,  0.,  0.
   2,  1.,  0.,
   3,  1.,  1.,  ,
   4,  0.,  1.,  0.
   5,  0.,  0.,  1.
   6,  1.,  0.,  1.
   7,  1.,  1.,  1.
   8,  0.,  1.,  1.D0
  20,  2.,  0.5, 0.
  21,  3.,  0.5, 0.
*ELEMENT, TYPE=C3D8,
  ELSET=block
 11, 1, 2, 3, 4,
     5, 6, 7, 8
*Element,type=S3,elset=flange
12,2,20,3
*ELEMENT, TYPE=SPRINGA, ELSET=springs
13, 1, 20
*ELEMENT, TYPE=B32, ELSET=beam
14, 2, 20, 21
*NSET, NSET=held, GENERATE
1, 7, 2
*NSET, NSET=more
held, 20
*ELSET, ELSET=both
block, flange
*SURFACE, NAME=top, TYPE=ELEMENT
block, S2
12, SNEG
*MATERIAL, NAME=Steel
*ELASTIC
210000., .3
*DENSITY
7.85E-9
*SOLID SECTION, ELSET=block, MATERIAL=Steel
*SHELL SECTION, ELSET=flange, MATERIAL=Steel
2.5
*BOUNDARY
held, 1, 3
*STEP
*STATIC
*CLOAD
20, 3, -10.
*DLOAD
12, P, 1.
*END STEP
"""


def test_a_set_of_a_thousand_million_ids_takes_no_room(tmp_path):
    text = "*NODE\n2, 0., 0., 0.\n7, 1., 0., 0.\n8, 0., 1., 0.\n*ELEMENT, TYPE=S3, ELSET=ALL\n1, 2, 7, 8\n"
    sets = "*NSET, NSET=A, GENERATE\n2, 999999999, 5\n*NSET, NSET=B, GENERATE\n1, 9000000000000000000\n"
    (tmp_path / "a.inp").write_text(text + sets + "*NSET, NSET=C, GENERATE\n9, 2\n")
    groups = oddseam.read_mesh(tmp_path / "a.inp").groups.nodes
    assert groups["A"].tolist() == [0, 1] and groups["C"].tolist() == []
    (tmp_path / "b.inp").write_text(text + "*NSET, NSET=A, GENERATE\n2, 9, 0\n")
    with pytest.raises(oddseam.FormatError, match="not a range of ids"):
        oddseam.read_mesh(tmp_path / "b.inp")


def read(folder, text, name="deck.inp"):
    (folder / name).write_bytes(text if isinstance(text, bytes) else text.encode())
    return oddseam.read_mesh(folder / name)


def rewritten(mesh, folder):
    oddseam.write_mesh(mesh, folder / "out.inp")
    return (folder / "out.inp").read_bytes().decode()


def test_what_a_deck_says(tmp_path):
    mesh = read(tmp_path, DECK)
    assert mesh.counts == {"nodes": 10, "line3": 1, "tri": 1, "hex": 1} and mesh.nodes[7].tolist() == [0, 1, 1]
    assert mesh.node_ids[mesh.elements["hex"].connectivity].tolist() == [[1, 2, 3, 4, 5, 6, 7, 8]]
    assert mesh.node_ids[mesh.elements["line3"].connectivity].tolist() == [[2, 21, 20]]  # the middle one last
    ids = {name: mesh.node_ids[rows].tolist() for name, rows in mesh.groups.nodes.items()}
    assert ids["HELD"] == [1, 3, 5, 7] and ids["MORE"] == [1, 3, 5, 7, 20]
    assert sorted(mesh.element_ids[mesh.groups.elements["BOTH"]].tolist()) == [11, 12]
    top = [(int(mesh.element_ids[e]), int(s)) for e, s in mesh.groups.sides["top".upper()]]
    assert sorted(top) == [(11, 1), (12, 1)]
    parts = {part.name: part for part in mesh.parts}
    assert (
        parts["FLANGE"].thickness == 2.5
        and parts["BLOCK"].material.young == 210000
        and parts["BLOCK"].material.name == "Steel"
    )
    assert mesh.source.carried["ELEMENT of type SPRINGA"] == 1 and mesh.source.carried["CLOAD"] == 1


@pytest.mark.parametrize("text", [DECK, DECK.replace("\n", "\r\n"), DECK.rstrip("\n")])
def test_an_unchanged_deck_is_the_same_byte_for_byte(tmp_path, text):
    mesh = read(tmp_path, text)
    assert rewritten(mesh, tmp_path) == text
    oddseam.write_mesh(mesh, tmp_path / "d.seam")
    assert rewritten(oddseam.read_mesh(tmp_path / "d.seam"), tmp_path) == text


def test_only_what_changed_is_written_anew(tmp_path):
    mesh = read(tmp_path, DECK)
    nodes = mesh.nodes.copy()
    nodes[8] = [2.25, 1 / 3, 0]
    new = rewritten(mesh.replaced(nodes=nodes), tmp_path).splitlines()
    assert [a for a in DECK.splitlines() if a not in new] == ["  20,  2.,  0.5, 0."]
    assert "20, 2.25, .3333333333333333, .0" in new
    again = oddseam.read_mesh(tmp_path / "out.inp")
    assert (again.nodes == nodes).all()


def test_what_is_gone_is_listed_where_it_is_still_named(tmp_path):
    mesh = read(tmp_path, DECK)
    less = edited(mesh, drop=np.flatnonzero(np.isin(mesh.element_ids, [12, 14])), add=Added(nodes=np.array([[5.0, 5, 5]]), triangles=np.array([[1, 2, 10]]), like=np.array([1])))  # fmt: skip
    written = oddseam.write_mesh(less, tmp_path / "less.inp")
    said = "\n".join([*written.lost, *written.listed])
    told = {(d.card, d.what, d.ids): d.lines for d in written.dangling}
    assert told["*ELEMENT", "node", (20,)] == (22,) and told["*NSET", "node", (20,)] == (28,)
    assert told["*CLOAD", "node", (20,)] == (47,) and told["*DLOAD", "element", (12,)] == (49,)
    assert "1 *DLOAD line" in said and "written as it was, refers to elements that are gone: 12" in said
    back = oddseam.read_mesh(tmp_path / "less.inp")
    assert back.counts == {"nodes": 9, "tri": 1, "hex": 1} and back.node_ids.tolist()[-1] == 22
    assert [p.name for p, n in zip(back.parts, np.bincount(back.element_part), strict=False) if n] == [
        "BLOCK",
        "FLANGE",
    ]


@pytest.mark.parametrize(
    "old, new, message",
    [
        ("   2,  1.,", "   2,  1.x,", r"line 6: node: field 2: '1.x' is not a number"),
        ("   2,  1.,", "   1,  1.,", "line 6: node 1 is given twice"),
        ("12,2,20,3", "12,2,99,3", "line 20: element 12 refers to node 99, which is not there"),
        ("12,2,20,3", "12,2,20", "line 20: S3: 3 numbers for an element, which takes 4"),
        ("1, 7, 2", "1, x, 2", "line 26: .*is not a range of ids"),
        ("   1,  0.,", "   -1,  0.,", "line 5: node: the id is not a positive number"),
    ],
)
def test_bad_decks_get_one_line_with_the_place(tmp_path, old, new, message):
    with pytest.raises(oddseam.FormatError, match=message):
        read(tmp_path, DECK.replace(old, new, 1))


def test_any_damage_gives_a_mesh_or_one_line(tmp_path):
    rng = random.Random(6)
    for _ in range(500):
        broken = bytearray(DECK.encode())
        for _ in range(rng.randint(1, 4)):
            at = rng.randrange(len(broken))
            broken[at : at + rng.randint(0, 2)] = bytes([rng.choice(b",*\n 0123456789.E-Sx\0\xff")])
        read_or_refused(lambda content: read(tmp_path, content), bytes(broken))


STEEL = oddseam.Material(1, 210000.0, 0.3, 7.85e-9, "steel")


def with_steel(mesh, thickness=None):
    return dataclasses.replace(
        mesh, parts=tuple(dataclasses.replace(p, material=STEEL, thickness=thickness) for p in mesh.parts)
    )


def test_every_kind_and_group_comes_back(tmp_path):
    whole = every_kind()
    kinds = [k for k in whole.elements if k.startswith(("tri", "quad", "tet", "hex", "wedge"))]
    parts = oddseam.Part("flat plate", 1, thickness=1.5, material=STEEL), oddseam.Part("bulk", 2, material=STEEL)
    elements = {
        k: oddseam.Elements(
            whole.elements[k].connectivity, whole.elements[k].ids, [int(not k.startswith(("tri", "quad")))]
        )
        for k in kinds
    }
    groups = oddseam.Groups({"held": [3, 5]}, {"some": [0, 3]}, {"wet": [[4, 0], [4, 3], [0, 1]]})
    mesh = oddseam.Mesh(whole.nodes, elements, parts, whole.node_ids, groups)
    written = oddseam.write_mesh(mesh, tmp_path / "a.inp")
    back = oddseam.read_mesh(tmp_path / "a.inp")
    for kind, block in mesh.elements.items():
        ids = [m.node_ids[m.elements[kind].connectivity].tolist() for m in (mesh, back)]
        assert ids[0] == ids[1] and back.elements[kind].ids.tolist() == block.ids.tolist()
    assert np.abs(back.nodes - mesh.nodes).max() <= max(written.largest_rounding, 1e-15)
    assert back.groups.nodes["HELD"].tolist() == [3, 5] and back.groups.elements["SOME"].tolist() == [0, 3]
    assert sorted(back.groups.sides["WET"].tolist()) == [[0, 1], [4, 0], [4, 3]]
    assert [(p.name, p.thickness) for p in back.parts] == [("FLAT_PLATE", 1.5), ("BULK", None)]
    assert "names of parts" in " ".join(written.converted)


# ---------------------------------------------------------------------- the solver itself


def block_of(kind, n=3, size=(3.0, 2.0, 1.0)):
    """A box of n x n x n hexes, as they are or cut into six tets each, linear or quadratic."""
    x, y, z = (np.linspace(0, s, n + 1) for s in size)
    nodes = np.stack(np.meshgrid(x, y, z, indexing="ij"), -1).reshape(-1, 3)
    i, j, k = (g.ravel() for g in np.meshgrid(*[np.arange(n)] * 3, indexing="ij"))
    at = lambda a, b, c: ((i + a) * (n + 1) + j + b) * (n + 1) + k + c  # noqa: E731
    hexes = np.stack(
        [at(0, 0, 0), at(1, 0, 0), at(1, 1, 0), at(0, 1, 0), at(0, 0, 1), at(1, 0, 1), at(1, 1, 1), at(0, 1, 1)], -1
    )
    cells = hexes
    if kind.startswith("tet"):
        tets = [(0, 1, 2, 6), (0, 2, 3, 6), (0, 3, 7, 6), (0, 7, 4, 6), (0, 4, 5, 6), (0, 5, 1, 6)]
        cells = np.concatenate([hexes[:, t] for t in tets])
    return quadratic(nodes, cells, kind)


def quadratic(nodes, cells, kind):
    about = oddseam.model.KINDS[kind]
    if about.is_quadratic:
        pairs = np.sort(np.concatenate([cells[:, list(e)] for e in about.edges]), axis=1)
        edges, which = np.unique(pairs, axis=0, return_inverse=True)
        cells = np.column_stack([cells, len(nodes) + which.reshape(len(about.edges), -1).T])
        nodes = np.concatenate([nodes, nodes[edges].mean(axis=1)])
    ids = np.arange(len(cells)) * 2 + 7
    block = oddseam.Elements(cells, ids, np.zeros(len(cells), int))
    return oddseam.Mesh(nodes, {kind: block}, (oddseam.Part("block", 1),), np.arange(len(nodes)) * 3 + 1)


def pulled(mesh):
    """A force (4, -5, -12) at the node farthest from the origin."""
    number = mesh.node_ids[np.argmax(np.linalg.norm(mesh.nodes, axis=1))]
    return f"*CLOAD\n{number}, 1, 4.\n{number}, 2, -5.\n{number}, 3, -12.\n"


def forces_of(folder, mesh, load, constraint):
    """Run the solver on the written deck with a step behind it; what it prints as total forces and volumes."""
    oddseam.write_mesh(mesh, folder / "model.inp")
    step = f"*INCLUDE, INPUT=model.inp\n{constraint}*STEP\n*STATIC\n{load}*NODE PRINT, NSET=HELD, TOTALS=ONLY\nRF\n*EL PRINT, ELSET={mesh.parts[0].name.upper()}, TOTALS=ONLY\nEVOL\n*END STEP\n"
    (folder / "job.inp").write_text(step)
    done = solve(folder, "job")
    assert done.returncode == 0 and "*ERROR" not in done.stdout and "*WARNING" not in done.stdout, done.stdout[-2000:]
    printed = (folder / "job.dat").read_text()
    force = re.search(r"total force.*?\n\s*\n?\s*(\S+)\s+(\S+)\s+(\S+)", printed)
    volume = re.search(r"total volume.*?\n\s*\n?\s*(\S+)", printed)
    return np.array(force.groups(), float), float(volume[1])


@needs_solver
@pytest.mark.parametrize("kind", ["tet", "tet10", "hex", "hex20"])
def test_the_solver_takes_solids(tmp_path, kind):
    mesh = with_steel(block_of(kind))
    held = np.flatnonzero(mesh.nodes[:, 0] == 0)
    mesh = dataclasses.replace(mesh, groups=oddseam.Groups({"held": held}))
    force, volume = forces_of(tmp_path, mesh, pulled(mesh), "*BOUNDARY\nHELD, 1, 3\n")
    assert volume == pytest.approx(6.0, rel=1e-5) and force == pytest.approx([-4, 5, 12], rel=1e-5)


@needs_solver
@pytest.mark.parametrize("kind", ["tri", "tri6", "quad", "quad8"])
def test_the_solver_takes_shells(tmp_path, kind):
    n = 4
    x, y = (g.ravel() for g in np.meshgrid(np.linspace(0, 3, n + 1), np.linspace(0, 2, n + 1), indexing="ij"))
    nodes = np.column_stack([x, y, 0 * x])
    i, j = (g.ravel() for g in np.meshgrid(np.arange(n), np.arange(n), indexing="ij"))
    quads = np.stack([i * (n + 1) + j, (i + 1) * (n + 1) + j, (i + 1) * (n + 1) + j + 1, i * (n + 1) + j + 1], -1)
    cells = np.concatenate([quads[:, [0, 1, 2]], quads[:, [0, 2, 3]]]) if kind.startswith("tri") else quads
    mesh = with_steel(quadratic(nodes, cells, kind), 0.1)
    held = np.flatnonzero(mesh.nodes[:, 0] == 0)
    mesh = dataclasses.replace(mesh, groups=oddseam.Groups({"held": held}))
    force, volume = forces_of(tmp_path, mesh, pulled(mesh), "*BOUNDARY\nHELD, 1, 6\n")
    area = oddseam.survey(mesh).summary["area"]
    assert volume == pytest.approx(area * 0.1, rel=1e-5) and area == pytest.approx(6)
    assert force == pytest.approx([-4, 5, 12], rel=1e-4)


@needs_solver
def test_the_solver_takes_a_mended_shell(tmp_path):
    nodes, triangles = shapes.grid_cube(5)
    torn = oddseam.Mesh.from_triangles(nodes, np.delete(triangles, [3, 4], axis=0))
    mended = oddseam.mend(torn, close="all", target="keyword")
    mesh = with_steel(mended, 0.02)
    held = np.flatnonzero(mesh.nodes[:, 2] == 0)
    mesh = dataclasses.replace(mesh, groups=oddseam.Groups({"held": held}))
    force, volume = forces_of(tmp_path, mesh, pulled(mesh), "*BOUNDARY\nHELD, 1, 6\n")
    assert volume == pytest.approx(6 * 0.02, rel=2e-2) and force == pytest.approx([-4, 5, 12], rel=1e-4)


@pytest.mark.parametrize("type_", ["C3D8", "C3D8R", "F3D8"])
def test_lines_of_elements_may_end_with_a_comma_or_have_more(tmp_path, type_):
    nodes = [f"{k + 1}, {x}., {y}., {z}." for k, (z, y, x) in enumerate(np.ndindex(2, 2, 3))]
    one, two = "1, 1, 2, 5, 4, 7, 8, 11, 10", "2, 2, 3, 6, 5, 8, 9, 12, 11"
    lines = ["*NODE", *nodes, f"*ELEMENT, TYPE={type_}, ELSET=A"]
    ways = {"comma": [f"{one},", f"{two} ,"], "more": [f"{one}, 7", f"{two}, 7"], "some": [one, f"{two}, 7"],
            "split": ["1, 1, 2, 5, 4,", "7, 8, 11, 10", two], "split more": ["1, 1, 2, 5, 4,", "7, 8, 11, 10, 3", two]}  # fmt: skip
    for name, rows in ways.items():
        (tmp_path / "a.inp").write_text("\n".join([*lines, *rows, "*STEP", ""]))
        mesh = oddseam.read_mesh(tmp_path / "a.inp")
        assert mesh.counts == {"nodes": 12, "hex": 2}, name
        assert mesh.node_ids[mesh.elements["hex"].connectivity].tolist()[1] == [2, 3, 6, 5, 8, 9, 12, 11]
        assert any("further numbers" in what for what in mesh.source.carried) == ("more" in name or name == "some")
        oddseam.write_mesh(mesh, tmp_path / "b.inp")
        assert (tmp_path / "b.inp").read_text() == (tmp_path / "a.inp").read_text()


def test_edges_of_shells_in_a_new_group_of_sides_are_said_to_be_lost(tmp_path):
    (tmp_path / "a.inp").write_text(DECK)
    mesh = oddseam.read_mesh(tmp_path / "a.inp")
    tri = int(np.flatnonzero(mesh.element_ids == 12)[0])
    sides = {**mesh.groups.sides, "rim": np.array([[tri, 2], [tri, 3]]), "both": np.array([[tri, 0], [tri, 4]])}
    mesh = mesh.replaced(groups=oddseam.Groups(mesh.groups.nodes, mesh.groups.elements, sides))
    written = oddseam.write_mesh(mesh, tmp_path / "b.inp")
    assert sum("edges of shells in the group of sides" in line for line in written.lost) == 2
    back = oddseam.read_mesh(tmp_path / "b.inp")
    assert "RIM" not in back.groups.sides and len(back.groups.sides["BOTH"]) == 1
