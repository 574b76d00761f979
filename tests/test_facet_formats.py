"""OBJ, PLY and OFF: all their variants, and nothing dropped in silence."""

from __future__ import annotations

import numpy as np
import pytest
import shapes
from damage import read_or_refused
from hypothesis import HealthCheck, given, settings, strategies as st

import oddseam

CUBE = shapes.mesh(shapes.cube())


def read(folder, name, content):
    path = folder / name
    path.write_bytes(content if isinstance(content, bytes) else content.encode())
    return oddseam.read_mesh(path)


def mixed():
    """A quad, two triangles, a line and a point, in two parts."""
    nodes = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 1 / 3], [2, 0, 0], [2, 1, 1e-17]])
    elements = {
        "point": oddseam.Elements([[5]], [9], [1]),
        "line": oddseam.Elements([[1, 4]], [8], [1]),
        "tri": oddseam.Elements([[1, 4, 2], [4, 5, 2]], [2, 3], [0, 1]),
        "quad": oddseam.Elements([[0, 1, 2, 3]], [1], [0]),
    }
    return oddseam.Mesh(nodes, elements, (oddseam.Part("flank", 1), oddseam.Part("lip", 2)))


@pytest.mark.parametrize("name", ["a.obj", "a.ply", "b.ply", "a.off"])
def test_written_and_read_is_the_same_surface_to_the_last_bit(tmp_path, name):
    mesh = mixed()
    written = oddseam.write_mesh(mesh, tmp_path / name, format="ply-text" if name == "b.ply" else None)
    back = oddseam.read_mesh(tmp_path / name)
    assert (back.nodes == mesh.nodes).all()
    for kind in back.elements:
        assert (back.elements[kind].connectivity == mesh.elements[kind].connectivity).all()
    lost = " ".join([*written.lost, *written.converted])
    for kind in set(mesh.elements) - set(back.elements):
        assert f"1 {kind} elements" in lost
    assert ("2 parts" in lost) == (len(back.parts) == 1)
    assert "node and element ids" in lost


def test_obj_parts_groups_and_ids(tmp_path):
    mesh = oddseam.read_mesh(written(tmp_path, mixed(), "a.obj"))
    assert [part.name for part in mesh.parts] == ["flank", "lip"]
    assert mesh.element_part.tolist() == [1, 1, 0, 1, 0]


def written(folder, mesh, name):
    oddseam.write_mesh(mesh, folder / name)
    return folder / name


OBJ = """\ufeff# a comment\r
mtllib some.mtl\r
o hood\r
v 0 0 0 0.5 0.5 0.5\r
v 1 0 0 0.5 0.5 0.5\r
v 1 1 0 0.5 0.5 0.5\r
v 0 1 0 0.5 0.5 0.5\r
vt 0 0\r
vn 0 0 1\r
g left\r
usemtl red\r
f 1/1/1 2//1 \\\r
  3/1\r
g right\r
f -4 -2 -1\r
v 2 0.5 0\r
v 3 1 0\r
usemtl blue\r
f 2 5 6 3 4\r
f 1 2\r
l 1 2 3\r
p 5\r
curv 0 1 1 2\r
"""


def test_obj_as_it_really_comes(tmp_path):
    mesh = read(tmp_path, "hood.obj", OBJ)
    assert mesh.n_nodes == 6 and mesh.counts["tri"] == 5 and mesh.counts["line"] == 2 and mesh.counts["point"] == 1
    assert [part.name for part in mesh.parts] == ["hood / left", "hood / right"]
    assert mesh.elements["tri"].connectivity[:2].tolist() == [[0, 1, 2], [0, 2, 3]]
    assert mesh.elements["tri"].ids.tolist()[:3] == [1, 2, 3]
    materials = {name: len(rows) for name, rows in mesh.groups.elements.items()}
    assert materials == {"material red": 2, "material blue": 3}
    carried = dict(mesh.source.carried)
    assert carried["colours of nodes"] == 4 and carried["curv statements"] == 1
    assert carried["faces with fewer than three nodes, left out"] == 1
    assert carried["faces of five nodes and more, cut into triangles"] == 1


def test_a_concave_polygon_is_cut_without_folds(tmp_path):
    star = [(2 if k % 2 else 5) * np.exp(1j * np.pi * k / 7) for k in range(14)]
    text = "".join(f"v {z.real} {z.imag} 0\n" for z in star) + "f " + " ".join(map(str, range(1, 15)))
    mesh = read(tmp_path, "star.obj", text)
    p = mesh.nodes[mesh.elements["tri"].connectivity]
    area = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])[:, 2] / 2
    z = np.array(star)
    assert (area > 0).all() and np.isclose(area.sum(), np.sum(z.conj() * np.roll(z, -1)).imag / 2)


@pytest.mark.parametrize(
    "text, message",
    [
        ("v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 4\n", "line 4: a face refers to node 4, but there are 3"),
        ("v 0 0 0\nv 1 0\nf 1 2 3\n", "line 2: a node has fewer than three"),
        ("v 0 0 0\nv 1 0,5 0\nf 1 2 3\n", "line 2: ',5' is not a number"),
        ("v 0 0 0\nv 1 nan 0\nf 1 2 3\n", "line 2: the coordinate 'nan' is not a finite"),
        ("v 0 0 0\nv 1 1e999 0\nf 1 2 3\n", "line 2: the coordinate '1e999' is not a finite"),
        ("v 0 0 0\nv 1 1_0 0\nf 1 2 3\n", "line 2: '1_0' is not a number"),
        ("v 0 0 0\nf 1 0 1\n", "line 2: nodes are counted from 1, not 0"),
        ("v 0 0 0\nf -1 -2 -1\n", "line 2: '-2' counts back beyond the first node"),
        ("v 0 0 0\nf 1 x 1\n", "line 2: 'x' is not a node number"),
        ("v 0 0 0\nv 1 0 0\nf 1 2\n", "holds no facet"),
    ],
)
def test_bad_obj_gets_one_line_with_the_place(tmp_path, text, message):
    with pytest.raises(oddseam.FormatError, match=message):
        read(tmp_path, "bad.obj", text)


PLY = b"""ply
format FORM 1.0
comment made by hand
element vertex 4
property float nx
property float x
property float y
property float z
property list uchar short weights
element face 3
property uchar red
property list uchar int vertex_indices
property float quality
element camera 1
property int zoom
end_header
"""


def ply_body(order):
    body = b""
    for k, (x, y, z) in enumerate([(0, 0, 0), (1, 0, 0), (1, 1, 0), (0, 1, 0)]):
        body += np.array([np.nan, x, y, z], order + "f4").tobytes() + bytes([k])
        body += np.arange(k).astype(order + "i2").tobytes()
    for corners in ([0, 1, 2], [0, 1, 2, 3], [2, 3, 0]):
        body += bytes([255, len(corners)]) + np.array(corners, order + "i4").tobytes()
        body += np.array([0.5], order + "f4").tobytes()
    return body + np.array([7], order + "i4").tobytes()


PLY_TEXT = b"""nan 0 0 0 0
nan 1 0 0 1 5
nan 1 1 0 2 5 6
nan 0 1 0 0
255 3 0 1 2 0.5
255 4 0 1 2 3 0.5
255 3 2 3 0 0.5
7
"""


@pytest.mark.parametrize("form", ["ascii", "binary_little_endian", "binary_big_endian"])
def test_ply_of_all_forms_with_lists_among_the_scalars(tmp_path, form):
    body = PLY_TEXT if form == "ascii" else ply_body("<" if "little" in form else ">")
    mesh = read(tmp_path, "a.ply", PLY.replace(b"FORM", form.encode()) + body)
    assert mesh.nodes.tolist() == [[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]]
    assert mesh.elements["tri"].connectivity.tolist() == [[0, 1, 2], [2, 3, 0]]
    assert mesh.elements["tri"].ids.tolist() == [1, 3] and mesh.elements["quad"].ids.tolist() == [2]
    assert set(mesh.source.carried) == {
        "properties of vertex: nx, weights", "properties of face: red, quality", "element camera",
    }  # fmt: skip


@pytest.mark.parametrize(
    "change, message",
    [
        (lambda b: b.replace(b"element vertex 4", b"element vertex 4000000000"), "counts 4,000,000,000 rows of vertex"),
        (lambda b: b.replace(b"element face 3", b"element face 30000"), "counts 30,000 rows of face"),
        (lambda b: b[:-30], "ends within row"),
        (
            lambda b: b.replace(b"property float nx", b"property quad nx"),
            "line 5: 'property quad nx' is no header line",
        ),
        (lambda b: b.replace(b"property float z", b"property float w"), "no scalar property z"),
        (lambda b: b.replace(b"end_header", b"end"), "no end_header"),
        (lambda b: b.replace(b"vertex_indices", b"corners"), "no list property vertex_indices"),
    ],
)
def test_bad_ply_gets_one_line(tmp_path, change, message):
    whole = PLY.replace(b"FORM", b"binary_little_endian") + ply_body("<")
    with pytest.raises(oddseam.FormatError, match=message):
        read(tmp_path, "bad.ply", change(whole))


@pytest.mark.parametrize(
    "text",
    [
        "OFF\n3 1 0\n0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n",
        "OFF 3 1 0\n0 0 0 1 0 0 0 1 0 3 0 1 2\n",
        "# first\nCOFF # colours\n3 1 3\n\n0 0 0 255 0 0 255\n1 0 0 255 0 0 255\n0 1 0 255 0 0 255\n3 0 1 2 0.1 0.2 0.3 # red\n",
        "STCNOFF\n3 1 3 " + "".join(f"{xyz} 0 0 1 1 0 0 1 0 1 " for xyz in ("0 0 0", "1 0 0", "0 1 0")) + "3 0 1 2",
        "3 1 0\n0 0 0\n1 0 0\n0 1 0\n3 0 1 2 7\n",
    ],
)
def test_off_variants(tmp_path, text):
    mesh = read(tmp_path, "a.off", text)
    assert mesh.nodes.tolist() == [[0, 0, 0], [1, 0, 0], [0, 1, 0]]
    assert mesh.elements["tri"].connectivity.tolist() == [[0, 1, 2]]


@pytest.mark.parametrize(
    "text, message",
    [
        ("4OFF\n1 0 0\n0 0 0 0\n", "more than three coordinates"),
        ("nOFF\n5\n1 0 0\n", "more than three coordinates"),
        ("OFF BINARY\n...", "binary OFF"),
        ("OFF\n3 1\n0 0 0\n1 0 0\n", "ends before the last"),
        ("OFF\n3 900000\n0 0 0\n1 0 0\n", "more than the file could hold"),
        ("OFF\n3 1 0\n0 0 0\n1 0 0\n0 1 0\n3 0 1 3\n", "line 6: a face refers to node 4, but there are 3"),
        ("OFF\n3 1 0\n0 0 0\n1 0 0\n0 1 0\n9 0 1 2\n", "line 6: a face has fewer corners"),
    ],
)
def test_bad_off_gets_one_line(tmp_path, text, message):
    with pytest.raises(oddseam.FormatError, match=message):
        read(tmp_path, "bad.off", text)


@settings(max_examples=300, deadline=None)
@given(
    st.floats(allow_nan=False, allow_infinity=False), st.sampled_from(["{!r}", "{:.17g}", "{:.25e}", "{:f}", "{:.6E}"])
)
def test_reals_are_correctly_rounded(value, form):
    from oddseam.formats.text import numbers_in

    word = form.format(value)
    found = numbers_in(np.frombuffer(f" {word}\n".encode(), np.uint8), 0).values
    assert found[0] == float(word) and np.signbit(found[0]) == np.signbit(float(word))


@settings(max_examples=250, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(data=st.data())
def test_any_damage_gives_a_mesh_or_one_line(tmp_path, data):
    samples = {
        "a.obj": OBJ.encode(),
        "t.ply": PLY.replace(b"FORM", b"ascii") + PLY_TEXT,
        "l.ply": PLY.replace(b"FORM", b"binary_little_endian") + ply_body("<"),
        "b.ply": PLY.replace(b"FORM", b"binary_big_endian") + ply_body(">"),
        "a.off": b"OFF\n4 2 0\n0 0 0\n1 0 0\n0 1 0\n0 0 1\n3 0 1 2\n4 0 1 2 3\n",
    }
    name = data.draw(st.sampled_from(sorted(samples)))
    broken = bytearray(samples[name])
    for _ in range(data.draw(st.integers(1, 4))):
        broken[data.draw(st.integers(0, len(broken) - 1))] = data.draw(st.integers(0, 255))
    broken = broken[: data.draw(st.integers(0, len(broken)))]
    read_or_refused(lambda content: read(tmp_path, name, content), bytes(broken))
