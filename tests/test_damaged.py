"""Files that are damaged on purpose, with an eye for their structure: one line, at once, and in little memory."""

from __future__ import annotations

import json
import resource
import struct
import subprocess
import sys
import zipfile

import numpy as np
import pytest
import shapes
from test_packages import CORE, RELATIONS

import oddseam


def refused(path) -> str:
    with pytest.raises(oddseam.FormatError) as told:
        oddseam.read_mesh(path)
    assert "\n" not in str(told.value) and len(str(told.value)) < 400
    return str(told.value)


def package(path, body: str, head: str = '<?xml version="1.0" encoding="UTF-8"?>') -> None:
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as out:
        out.writestr("[Content_Types].xml", "<Types/>")
        out.writestr("_rels/.rels", RELATIONS.replace("a.model", "3dmodel.model"))
        out.writestr("3D/3dmodel.model", f'{head}<model xmlns="{CORE}">{body}</model>')


def changed(path, old: bytes, new: bytes) -> None:
    content = path.read_bytes()
    assert old in content
    path.write_bytes(content.replace(old, new, 1))


@pytest.fixture
def vtu(tmp_path):
    oddseam.write_mesh(shapes.mesh(shapes.cube()), tmp_path / "a.vtu", format="vtu-text")
    return tmp_path / "a.vtu"


@pytest.mark.parametrize("encoding", ["klingon", "cp0370"])
def test_an_encoding_that_nobody_knows_is_named(tmp_path, vtu, encoding):
    changed(vtu, b'<?xml version="1.0"?>', f'<?xml version="1.0" encoding="{encoding}"?>'.encode())
    assert "encoding" in refused(vtu)
    package(tmp_path / "a.3mf", "<resources/><build/>", f'<?xml version="1.0" encoding="{encoding}"?>')
    assert "encoding" in refused(tmp_path / "a.3mf")


@pytest.mark.parametrize("word", ["9" * 4400, "\u00b2\u00b3", "-4", "1e3", "9" * 20, "0x10", "1_0", ""])
def test_counts_that_are_none_are_refused_in_one_place(vtu, word):
    content = vtu.read_text()
    vtu.write_text(content.replace('NumberOfCells="12"', f'NumberOfCells="{word}"'))
    assert "line " in refused(vtu)


def test_arrays_of_another_length_than_the_cells_are_refused(tmp_path):
    mesh = shapes.mesh(shapes.cube()).replaced(groups=oddseam.Groups(elements={"some": np.array([1, 2])}))
    oddseam.write_mesh(mesh, tmp_path / "a.vtu", format="vtu-text")
    text = (tmp_path / "a.vtu").read_text()
    piece = text[text.index("<Piece") : text.index("</UnstructuredGrid>")]
    start = piece.index('<DataArray type="UInt8" Name="group some"')
    bare = piece[:start] + piece[piece.index("</DataArray>", start) + len("</DataArray>") :]
    (tmp_path / "a.vtu").write_text(text.replace(piece, piece + bare))
    assert "'group some' has 12 values for 24" in refused(tmp_path / "a.vtu")


@pytest.mark.parametrize("word", ["\u00b2", "9" * 4400, "-1", "99999999999999999999"])
def test_a_material_that_is_no_number_is_none(tmp_path, word):
    vertices = "".join(f'<vertex x="{x}" y="{y}" z="0"/>' for x, y in ((0, 0), (1, 0), (0, 1)))
    package(tmp_path / "a.3mf",
            f'<resources><basematerials id="5"><base name="steel"/></basematerials><object id="1"><mesh><vertices>{vertices}'
            f'</vertices><triangles><triangle v1="0" v2="1" v3="2" pid="5" p1="{word}"/></triangles></mesh></object></resources>'
            '<build><item objectid="1"/></build>')  # fmt: skip
    if len(word) > 100:
        assert "line 1: an element is wrong" in refused(tmp_path / "a.3mf")
        return
    mesh = oddseam.read_mesh(tmp_path / "a.3mf")
    assert mesh.n_elements == 1 and "steel" not in mesh.parts[0].name


def nested(path, levels: int, times: int, facets: int) -> None:
    """Objects that place the one below them so often, level by level; 30 kB of text that means more than any memory."""
    vertices = "".join(f'<vertex x="{k}" y="{k * k % 7}" z="0"/>' for k in range(3))
    triangles = '<triangle v1="0" v2="1" v3="2"/>' * facets
    objects = [
        f'<object id="1"><mesh><vertices>{vertices}</vertices><triangles>{triangles}</triangles></mesh></object>'
    ]
    for level in range(2, levels + 2):
        inner = f'<component objectid="{level - 1}"/>' * times
        objects.append(f'<object id="{level}"><components>{inner}</components></object>')
    package(path, f'<resources>{"".join(objects)}</resources><build><item objectid="{levels + 1}"/></build>')


def glb(path, content: dict, binary: bytes = b"") -> None:
    text = json.dumps(content).encode()
    text += b" " * (-len(text) % 4)
    binary += b"\0" * (-len(binary) % 4)
    chunks = struct.pack("<I4s", len(text), b"JSON") + text + struct.pack("<I4s", len(binary), b"BIN\0") + binary
    path.write_bytes(struct.pack("<4sII", b"glTF", 2, 12 + len(chunks)) + chunks)


def in_little_memory(path) -> subprocess.CompletedProcess:
    """Survey a file with a gigabyte and a half to spare, in at most ten seconds of processor time."""

    def limits():
        resource.setrlimit(resource.RLIMIT_DATA, (1536 << 20, 1536 << 20))
        resource.setrlimit(resource.RLIMIT_CPU, (10, 10))

    words = [sys.executable, "-m", "oddseam", "survey", str(path)]
    return subprocess.run(words, preexec_fn=limits, capture_output=True, text=True, timeout=60, check=False)


@pytest.mark.slow
def test_what_repeats_itself_beyond_all_memory_is_counted_first(tmp_path):
    nested(tmp_path / "places.3mf", 6, 40, 0)
    nested(tmp_path / "facets.3mf", 3, 50, 9_000)
    corners = [{"attributes": {"POSITION": 0}}]
    huge = {"componentType": 5126, "type": "VEC3", "count": 2_000_000_000}
    glb(
        tmp_path / "accessor.glb",
        {"asset": {"version": "2.0"}, "meshes": [{"primitives": corners}], "accessors": [huge]},
    )
    points = np.zeros((3_000, 3), "<f4")
    one = {
        "asset": {"version": "2.0"}, "buffers": [{"byteLength": points.nbytes}], "meshes": [{"primitives": corners}],
        "bufferViews": [{"buffer": 0, "byteLength": points.nbytes}],
        "accessors": [{**huge, "count": 3_000, "bufferView": 0}], "scenes": [{"nodes": list(range(60_000))}],
        "nodes": [{"mesh": 0, "translation": [k, 0, 0]} for k in range(60_000)],
    }  # fmt: skip
    glb(tmp_path / "instances.glb", one, points.tobytes())
    for name, said in (("places.3mf", "out of repeated components"), ("facets.3mf", "there is room for"),
                       ("accessor.glb", "room for"), ("instances.glb", "room for")):  # fmt: skip
        done = in_little_memory(tmp_path / name)
        assert done.returncode == 2 and said in done.stderr and done.stderr.count("\n") == 1, (name, done)


def test_the_room_can_be_set(tmp_path, monkeypatch):
    nested(tmp_path / "a.3mf", 1, 20, 10)
    assert oddseam.read_mesh(tmp_path / "a.3mf").n_elements == 200
    monkeypatch.setenv("ODDSEAM_MOST_FACETS", "150")
    assert "builds 200 facets, and there is room for 150; ODDSEAM_MOST_FACETS" in refused(tmp_path / "a.3mf")
    monkeypatch.setenv("ODDSEAM_MOST_FACETS", "many")
    with pytest.raises(oddseam.Refusal, match="ODDSEAM_MOST_FACETS is 'many', which is not a count"):
        oddseam.read_mesh(tmp_path / "a.3mf")


@pytest.mark.parametrize("name", ["a.bdf", "a.inp"])
def test_a_deck_cut_short_within_its_nodes_is_no_mesh(tmp_path, name):
    mesh = oddseam.assign_property(shapes.mesh(shapes.cube()), thickness=1.0, young=7e4, poisson=0.3)
    oddseam.write_mesh(mesh, tmp_path / name)
    text = (tmp_path / name).read_text()
    (tmp_path / name).write_text(text[: text.index("CTRIA3" if name == "a.bdf" else "*ELEMENT")])
    assert "holds 8 nodes and no element: it is cut short" in refused(tmp_path / name)
