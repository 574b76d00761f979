from __future__ import annotations

import dataclasses

import numpy as np
import pytest
import shapes
from hypothesis import HealthCheck, given, settings, strategies as st

import oddseam
from oddseam.formats.decks import real_text

DECK = """\
SOL 101
CEND
  LOAD = 1
BEGIN BULK
$ a shell of a liner, in three styles
PSHELL  7       3       2.5     3               3
MAT1*   3               210000.                         .3
*       7.85-9
CORD2C  5               10.     0.      0.      10.     0.      1.
        11.     0.      0.
GRID    101             0.0     0.0     0.0
GRID,102,,1.0,0.0,0.0
GRID*   103                             1.0             1.0
*       0.0
GRID    104             .0      1.+0    0.
GRID    900     5       2.      90.     3.
CTRIA3  11      7       101     102     103
$ between two elements
CQUAD4  12      7       101     102     103     104     15.
CBAR,13,9,101,102,0.,0.,1.
FORCE   1       101             5.      1.      0.      0.
PLOAD4  1       11      2.5
ENDDATA
what comes after
"""


def read(tmp_path, text: str | bytes, name: str = "deck.bdf") -> oddseam.Mesh:
    path = tmp_path / name
    path.write_bytes(text if isinstance(text, bytes) else text.encode("latin-1"))
    return oddseam.read_mesh(path)


@pytest.fixture
def deck(tmp_path) -> oddseam.Mesh:
    return read(tmp_path, DECK)


def rewritten(mesh: oddseam.Mesh, tmp_path) -> str:
    oddseam.write_mesh(mesh, tmp_path / "out.bdf")
    return (tmp_path / "out.bdf").read_bytes().decode("latin-1")


def test_free_small_and_large_fields_mean_the_same(deck):
    assert deck.node_ids.tolist() == [101, 102, 103, 104, 900]
    assert deck.nodes[:4].tolist() == [[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]]
    assert deck.elements["tri"].ids.tolist() == [11] and deck.elements["quad"].ids.tolist() == [12]
    part = deck.parts[0]
    assert (part.id, part.thickness, part.material) == (7, 2.5, oddseam.Material(3, 210000.0, 0.3, 7.85e-9))
    assert dict(deck.source.carried) == {"CORD2C": 1, "FORCE": 1, "PLOAD4": 1}
    assert deck.elements["line"].ids.tolist() == [13] and [part.id for part in deck.parts] == [7, 9]


def test_a_local_frame_is_resolved(deck):
    assert deck.nodes[4] == pytest.approx([10.0, 2.0, 3.0], abs=1e-12)


@pytest.mark.parametrize(
    "text",
    [DECK, DECK.replace("\n", "\r\n"), DECK.rstrip("\n"), DECK.split("BULK\n")[1].split("ENDDATA", maxsplit=1)[0]],
)
def test_an_unchanged_deck_is_the_same_byte_for_byte(tmp_path, text):
    mesh = read(tmp_path, text)
    assert rewritten(mesh, tmp_path) == text
    oddseam.write_mesh(mesh, tmp_path / "d.seam")
    assert rewritten(oddseam.read_mesh(tmp_path / "d.seam"), tmp_path) == text


def test_only_what_changed_is_written_anew(deck, tmp_path):
    nodes = deck.nodes.copy()
    nodes[1] = [1.5, 0.25, 1 / 3]
    nodes[4] = [10.0, 4.0, 3.0]
    block = deck.elements["tri"]
    turned = oddseam.Elements(block.connectivity[:, [0, 2, 1]], block.ids, block.part)
    changed = dataclasses.replace(deck, nodes=nodes, elements={**deck.elements, "tri": turned})
    old, new = DECK.splitlines(), rewritten(changed, tmp_path).splitlines()
    assert [a for a in old if a not in new] == [
        "GRID,102,,1.0,0.0,0.0",
        "GRID    900     5       2.      90.     3.",
        "CTRIA3  11      7       101     102     103",
    ]
    assert "GRID,102,,1.5,.25,.333333333333333" in "\n".join(new)
    assert "CTRIA3  11      7       101     103     102" in new
    again = oddseam.read_mesh(tmp_path / "out.bdf")
    assert again.nodes == pytest.approx(nodes, abs=1e-9) and again.nodes[4] == pytest.approx([10, 4, 3])


def test_new_and_removed_elements(deck, tmp_path):
    from oddseam.model.editing import Added, edited

    changed = edited(deck, drop=np.array([1]), add=Added(nodes=np.array([[0.5, 0.5, 9.0]]), triangles=np.array([[0, 1, 5]]), like=np.array([2])))  # fmt: skip
    written = oddseam.write_mesh(changed, tmp_path / "out.bdf")
    assert "1 element of the original deck is gone" in written.listed
    assert [(d.card, d.what, d.ids) for d in written.dangling] == [("PLOAD4", "element", (11,))]
    text = (tmp_path / "out.bdf").read_text()
    assert "CTRIA3  11 " not in text and "CTRIA3  14 " in text and "GRID*   901" in text
    assert text.index("CTRIA3  14 ") < text.index("ENDDATA") < text.index("what comes after")


def test_a_part_without_thickness_or_material_is_refused(tmp_path):
    mesh = shapes.mesh(shapes.cube())
    target = tmp_path / "c.bdf"
    with pytest.raises(oddseam.Refusal, match="no thickness"):
        oddseam.write_mesh(mesh, target)
    with pytest.raises(oddseam.Refusal, match="no material"):
        oddseam.write_mesh(oddseam.assign_property(mesh, thickness=1.0), target)
    assert not target.exists()
    good = oddseam.assign_property(mesh, thickness=1.5, young=7e4, poisson=0.33, density=2.7e-9)
    oddseam.write_mesh(good, target)
    again = oddseam.read_mesh(target)
    assert again.parts[0].thickness == 1.5 and again.parts[0].material.density == 2.7e-9
    assert (again.nodes == mesh.nodes).all()


def test_a_changed_property_is_rewritten(deck, tmp_path):
    thicker = oddseam.assign_property(deck, thickness=4.0)
    assert "PSHELL  7       3       4.0     3               3" in rewritten(thicker, tmp_path)


@pytest.mark.parametrize(
    ("old", "new", "message"),
    [
        ("GRID,102,,1.0", "GRID,102,,1.0x", r"line 12: GRID: field 4: '1.0x' is not a number"),
        ("GRID,102,", "GRID,101,", "line 12: GRID 101 is given twice"),
        ("GRID,102,,1.0", "GRID,102,,1e999", r"line 12: GRID: field 4: '1e999' is not a finite number"),
        ("CTRIA3  11      7       101     102     103", "CTRIA3  11      7       101     102     333",
         "line 17: element 11 refers to GRID 333"),
        ("CTRIA3  11 ", "CTRIA3  -1 ", "line 17: CTRIA3: the id is not a positive number"),
        ("GRID    900     5 ", "GRID    900     6 ", "GRID 900 is given in frame 6"),
        ("10.     0.      0.      10.     0.      1.", "10.     0.      0.      10.     0.      0.", "lie in a line"),
        ("PSHELL  7       3       2.5", "PSHELL  7       3       -2.5", "thickness -2.5 is not positive"),
    ],
)  # fmt: skip
def test_bad_decks_get_one_line_with_the_place(tmp_path, old, new, message):
    assert old in DECK
    with pytest.raises(oddseam.FormatError, match=message) as caught:
        read(tmp_path, DECK.replace(old, new))
    assert "\n" not in str(caught.value)


@given(st.data())
@settings(max_examples=120, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_any_damage_gives_a_mesh_or_one_line(tmp_path, data):
    broken = bytearray(DECK.encode())
    for _ in range(data.draw(st.integers(1, 5))):
        at = data.draw(st.integers(0, len(broken) - 1))
        broken[at] = data.draw(st.one_of(st.sampled_from(list(b"0129 ,.-+*$\n")), st.integers(0, 255)))
    try:
        mesh = read(tmp_path, bytes(broken))
        assert np.isfinite(mesh.nodes).all()
    except oddseam.OddSeamError as error:
        assert "\n" not in str(error)


@given(st.floats(allow_nan=False, allow_infinity=False, min_value=-1e90, max_value=1e90), st.sampled_from([8, 16]))
def test_a_real_fits_its_field_and_loses_little(value, width):
    text = real_text(value, width)
    assert len(text) <= width and "." in text
    assert abs(float(text) - value) <= abs(value) * (0.35 if width == 8 else 1e-8) + 1e-200


@given(st.floats(allow_nan=False, allow_infinity=False, width=32, min_value=-1e6, max_value=1e6))
def test_sixteen_characters_keep_single_precision(value):
    if abs(value) > 1e-4:
        assert np.float32(float(real_text(value, 16))) == np.float32(value)


WIDE = """\
GRID,1,,0.,0.,0.
GRID    2               1.+0    0.      0.
GRID*   3                               1.D0            1.0E+00         *A1
*A1     0.
GRID    4\t\t0.\t1.\t0.
GRID,5,,0.,0.,1.,,,,+X
+X
GRID,6,,1.,0.,1.
GRID,7,,1.,1.,1.
GRID,8,,0.,1.,1.
GRID    9               10.0000010.0000010.00000
GRID,21,,.5,0.,0.
GRID,22,,1.,.5,0.
GRID,23,,.5,.5,0.
CTRIA6,31,1,1,2,3,21,22,23
CHEXA   32      2       1       2       3       4       5       6       +B
$ a comment within a card
+B      7       8
CTETRA,33,2,1,2,3,5,21
CROD,34,3,1,9
CONROD,35,2,9,1,4.0
CTRIAR,36,1,1,2,3
PCOMP,1,,,,,,,SYM
,1,.25,0.,,1,.5
PSOLID,2,1
PROD,3,1,1.
MAT1,1,7.+4,,.3
RBE2,41,9,123,1,2,
,3
RBE3,42,,9,123,1.0,123,1,2
,0.5,123,3
SPC1,1,123456,1,THRU,4
CONM2,43,9,,2.5
PLOAD4,2,31,1.,,,,THRU,33
ENDDATA
"""


def test_the_everyday_deck(tmp_path):
    mesh = read(tmp_path, WIDE)
    assert mesh.counts == {"nodes": 12, "line": 2, "tri": 1, "tri6": 1, "tet": 1, "hex": 1}
    assert mesh.nodes[[1, 2, 3]].tolist() == [[1, 0, 0], [1, 1, 0], [0, 1, 0]]
    assert mesh.nodes[mesh.node_ids == 9].tolist() == [[10, 10, 10]]  # fields that touch
    assert mesh.node_ids[mesh.elements["hex"].connectivity].tolist() == [[1, 2, 3, 4, 5, 6, 7, 8]]
    assert {part.id: part.thickness for part in mesh.parts} == {1: 1.5, 2: None, 3: None, 0: None}
    assert mesh.source.carried["CTETRA with some of its midside nodes, read by its corners"] == 1
    assert rewritten(mesh, tmp_path) == WIDE


def test_what_refers_to_removed_nodes_is_listed(tmp_path):
    from oddseam.model.editing import edited

    mesh = read(tmp_path, WIDE)
    gone = np.flatnonzero(np.isin(mesh.element_ids, [31, 32, 34, 35]))
    written = oddseam.write_mesh(edited(mesh, drop=gone), tmp_path / "less.bdf")
    said = "\n".join([*written.lost, *written.converted, *written.listed])
    for name, ids in (
        ("RBE2", "9"),
        ("RBE3", "9"),
        ("CONM2", "9"),
        ("SPC1", "4"),
        ("PLOAD4", "31, 32"),
        ("CTETRA", "21"),
    ):
        (line,) = [line for line in said.splitlines() if line.startswith(f"1 {name} card (line ")]
        assert "written as it was, refers to" in line and line.endswith(f"that are gone: {ids}")


def test_quadratic_solids_keep_their_order(tmp_path):
    from test_vtu import every_kind

    mesh = every_kind()
    parts = tuple(dataclasses.replace(p, material=oddseam.Material(1, 7e4, 0.3)) for p in mesh.parts)
    shells = {k: b for k, b in mesh.elements.items() if k not in ("point", "line", "line3")}
    solid = {
        k: oddseam.Elements(b.connectivity, b.ids, [0]) for k, b in shells.items() if not k.startswith(("tri", "quad"))
    }
    flat = {k: oddseam.Elements(b.connectivity, b.ids, [1]) for k, b in shells.items() if k.startswith(("tri", "quad"))}
    parts = parts[0], dataclasses.replace(parts[1], thickness=2.0)
    mesh = oddseam.Mesh(mesh.nodes, flat | solid, parts, mesh.node_ids)
    back = read(tmp_path, (oddseam.write_mesh(mesh, tmp_path / "q.bdf"), (tmp_path / "q.bdf").read_bytes())[1])
    for kind, block in mesh.elements.items():
        ids = [m.node_ids[m.elements[kind].connectivity].tolist() for m in (mesh, back)]
        assert ids[0] == ids[1] and back.elements[kind].ids.tolist() == block.ids.tolist()
    assert {p.id: p.thickness for p in back.parts} == {30: None, 7: 2.0}
