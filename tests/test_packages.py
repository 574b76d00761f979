"""3MF and glTF: units, objects, placements, and nothing that a hostile file could do."""

from __future__ import annotations

import io
import json
import random
import struct
import zipfile

import numpy as np
import pytest
import shapes
from damage import read_or_refused, survives
from test_facet_formats import mixed

import oddseam

CORE = "http://schemas.microsoft.com/3dmanufacturing/core/2015/02"
TET = '<vertices><vertex x="0" y="0" z="0"/><vertex x="1" y="0" z="0"/><vertex x="0" y="1" z="0"/><vertex x="0" y="0" z="1"/></vertices><triangles><triangle v1="0" v2="2" v3="1"/><triangle v1="0" v2="1" v3="3"/><triangle v1="1" v2="2" v3="3"/><triangle v1="2" v2="0" v3="3"/></triangles>'
RELATIONS = '<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Target="/3D/a.model" Id="r" Type="http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel"/></Relationships>'


def package(path, resources, build, unit="inch", **more):
    model = f'<model unit="{unit}" xmlns="{CORE}"><resources>{resources}</resources><build>{build}</build></model>'
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as file:
        file.writestr("[Content_Types].xml", "<Types/>")
        file.writestr("_rels/.rels", RELATIONS)
        file.writestr("3D/a.model", more.get("model", model))
    return path


def volume(mesh):
    return oddseam.prove(mesh).volume


def test_3mf_places_objects_and_components(tmp_path):
    resources = (
        f'<object id="1" name="tooth"><mesh>{TET}</mesh></object><object id="2"><components>'
        '<component objectid="1"/><component objectid="1" transform="-1 0 0 0 1 0 0 0 1 5 0 0"/></components></object>'
    )
    build = '<item objectid="2" transform="2 0 0 0 2 0 0 0 2 0 0 10"/><item objectid="1"/>'
    mesh = oddseam.read_mesh(package(tmp_path / "a.3mf", resources, build))
    assert mesh.unit == "in" and mesh.n_elements == 12 and {part.name for part in mesh.parts} == {
        "tooth", "tooth (2)", "tooth (3)",
    }  # fmt: skip
    assert volume(mesh) == pytest.approx((8 + 8 + 1) / 6)  # a mirrored one keeps its outside
    assert mesh.box[1].tolist() == [10, 2, 12]


@pytest.mark.parametrize("name", ["a.3mf", "a.glb"])
def test_written_and_read_is_the_same(tmp_path, name):
    mesh = mixed().replaced(unit="mm")
    written = oddseam.write_mesh(mesh, tmp_path / name)
    back = oddseam.read_mesh(tmp_path / name)
    scale = 1e3 if name.endswith("glb") else 1.0
    assert back.unit == ("m" if name.endswith("glb") else "mm") and [p.name for p in back.parts] == ["flank", "lip"]
    corners = [m.nodes[m.triangulation.triangles].sum(axis=1) for m in (mesh, back)]
    key = [c[np.lexsort(np.round(c, 6).T)] for c in (corners[0], corners[1] * scale)]
    assert np.allclose(*key, atol=1e-6 if scale > 1 else 0) and "quad elements, to triangles" in " ".join(
        written.converted
    )


@pytest.mark.parametrize(
    "resources, build, message",
    [
        (f'<object id="1"><mesh>{TET}</mesh></object>', '<item objectid="7"/>', "object 7 is placed, but not there"),
        (
            '<object id="1"><components><component objectid="1"/></components></object>',
            '<item objectid="1"/>',
            "nested too deeply",
        ),
        ("", "", "builds no facet"),
        (
            '<object id="1"><mesh><vertices><vertex x="0" y="0"/></vertices></mesh></object>',
            "",
            "line 1: an element misses the attribute 'z'",
        ),
        (
            '<object id="1"><mesh><vertices><vertex x="a" y="0" z="0"/></vertices></mesh></object>',
            "",
            "line 1: an element is wrong: could not convert",
        ),
        (
            f'<object id="1"><mesh>{TET.replace("v3=" + chr(34) + "3", "v3=" + chr(34) + "9")}</mesh></object>',
            '<item objectid="1"/>',
            "triangle 1 of object 1 refers",
        ),
        (
            f'<object id="1"><mesh>{TET}</mesh></object>',
            '<item objectid="1" transform="1 0"/>',
            "without twelve numbers",
        ),
    ],
)
def test_bad_3mf_gets_one_line(tmp_path, resources, build, message):
    with pytest.raises(oddseam.FormatError, match=message):
        oddseam.read_mesh(package(tmp_path / "bad.3mf", resources, build))


def test_entities_and_bombs_are_refused(tmp_path):
    entity = f'<!DOCTYPE m [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;">]><model xmlns="{CORE}">&b;</model>'
    with pytest.raises(oddseam.FormatError, match="entities are not allowed"):
        oddseam.read_mesh(package(tmp_path / "e.3mf", "", "", model=entity))
    with pytest.raises(oddseam.FormatError, match="unpacks to more than"):
        oddseam.read_mesh(
            package(tmp_path / "b.3mf", "", "", model=f'<model xmlns="{CORE}">' + " " * 80_000_000 + "</model>")
        )
    levels = "".join(
        f'<object id="{k}"><components>' + f'<component objectid="{k - 1}"/>' * 100 + "</components></object>"
        for k in range(2, 9)
    )
    with pytest.raises(oddseam.FormatError, match="out of repeated components"):
        oddseam.read_mesh(
            package(tmp_path / "c.3mf", f'<object id="1"><mesh>{TET}</mesh></object>{levels}', '<item objectid="8"/>')
        )


# ---------------------------------------------------------------------- glTF


def glb(content, binary=b""):
    text = json.dumps(content).encode()
    text += b" " * (-len(text) % 4)
    chunks = struct.pack("<II", len(text), 0x4E4F534A) + text + struct.pack("<II", len(binary), 0x004E4942) + binary
    return b"glTF" + struct.pack("<II", 2, 12 + len(chunks)) + chunks


def strip_file(**changes):
    """A strip of three triangles with interleaved points, placed twice, once mirrored."""
    points = np.zeros(5, [("xyz", "<f4", 3), ("colour", "<f4")])
    points["xyz"] = [[0, 0, 0], [1, 0, 0], [0, 1, 0], [1, 1, 0], [0, 2, 0]]
    content = {
        "asset": {"version": "2.0"}, "scene": 0, "scenes": [{"nodes": [0]}],
        "nodes": [{"children": [1, 2], "scale": [2, 2, 2]}, {"mesh": 0, "name": "left"},
                  {"mesh": 0, "name": "right", "matrix": [-1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 9, 0, 0, 1]}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "mode": 5}]}],
        "accessors": [{"bufferView": 0, "componentType": 5126, "count": 5, "type": "VEC3"}],
        "bufferViews": [{"buffer": 0, "byteLength": 80, "byteStride": 16}], "buffers": [{"byteLength": 80}],
        "materials": [{}],
    }  # fmt: skip
    for key, value in changes.items():
        *path, last = key.split("__")
        at = content
        for step in path:
            at = at[int(step) if step.isdigit() else step]
        at[int(last) if last.isdigit() else last] = value
    return glb(content, points.tobytes())


def read(folder, content, name="a.glb"):
    (folder / name).write_bytes(content)
    return oddseam.read_mesh(folder / name)


def test_gltf_strips_strides_and_placements(tmp_path):
    mesh = read(tmp_path, strip_file())
    assert mesh.unit == "m" and mesh.counts["tri"] == 6 and [p.name for p in mesh.parts] == ["left", "right"]
    p = mesh.nodes[mesh.elements["tri"].connectivity]
    assert np.allclose(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), [0, 0, 4])
    assert (
        mesh.box[0].tolist() == [0, 0, 0]
        and mesh.box[1].tolist() == [18, 4, 0]
        and mesh.source.carried["materials"] == 1
    )


@pytest.mark.parametrize(
    "changes, message",
    [
        ({"accessors__0__count": 50}, "50 values goes beyond its buffer view"),
        ({"accessors__0__count": -1}, "'-1' is not a count"),
        ({"buffers__0": {"byteLength": 9, "uri": "../secret.bin"}}, "is another file"),
        ({"extensionsRequired": ["KHR_draco_mesh_compression"]}, "needs the extension KHR_draco_mesh_compression"),
        ({"nodes__0__children": [0]}, "stands below itself"),
        ({"nodes__0__scale": [1, "x", 1]}, "content is damaged"),
        ({"scenes": [{"nodes": []}]}, "places no triangles"),
    ],
)
def test_bad_gltf_gets_one_line(tmp_path, changes, message):
    with pytest.raises(oddseam.FormatError, match=message):
        read(tmp_path, strip_file(**changes))


@pytest.mark.parametrize("name", ["a.3mf", "a.glb"])
def test_any_damage_gives_a_mesh_or_one_line(tmp_path, name):
    if name == "a.glb":
        whole = strip_file()
    else:
        oddseam.write_mesh(shapes.mesh(shapes.cube()), tmp_path / name)
        whole = (tmp_path / name).read_bytes()
    survives(lambda content: read(tmp_path, content, name), whole, seed=8, count=400, bytes_at_once=4)


def test_damage_inside_the_packed_xml(tmp_path):
    oddseam.write_mesh(shapes.mesh(shapes.cube()), tmp_path / "a.3mf")
    with zipfile.ZipFile(tmp_path / "a.3mf") as file:
        xml = file.read("3D/3dmodel.model").decode()
    rng = random.Random(3)
    for _ in range(200):
        at = rng.randrange(len(xml))
        broken = xml[:at] + rng.choice(["<", "9", "-", "", '"', "&", "e9"]) + xml[at + rng.randint(0, 3) :]
        buffer = io.BytesIO()
        with zipfile.ZipFile(buffer, "w") as file:
            file.writestr("[Content_Types].xml", "<Types/>")
            file.writestr("_rels/.rels", RELATIONS)
            file.writestr("3D/a.model", broken)
        read_or_refused(lambda content: read(tmp_path, content, "b.3mf"), buffer.getvalue())
