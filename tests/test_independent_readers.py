"""Every format that is written, read by somebody else: standard packages, or a few lines that know the specification."""

from __future__ import annotations

import base64
import struct
import xml.etree.ElementTree as ET
import zipfile
import zlib

import decks
import h5py
import numpy as np
import pytest
import shapes
import solids
from plyfile import PlyData
from pygltflib import GLTF2

import oddseam


def from_stl(path):
    data = path.read_bytes()
    (count,) = struct.unpack_from("<I", data, 80)
    rows = [struct.unpack_from("<12f", data, 84 + 50 * k)[3:] for k in range(count)]
    assert len(data) == 84 + 50 * count
    return np.array(rows).reshape(-1, 3, 3)


def from_text_stl(path):
    words = path.read_text().split()
    values = [words[k + 1 : k + 4] for k, word in enumerate(words) if word == "vertex"]
    return np.array(values, float).reshape(-1, 3, 3)


def from_obj(path):
    rows = [line.split() for line in path.read_text().splitlines()]
    points = np.array([row[1:4] for row in rows if row[:1] == ["v"]], float)
    faces = [[int(word.split("/")[0]) - 1 for word in row[1:]] for row in rows if row[:1] == ["f"]]
    return points[np.array(faces)]


def from_off(path):
    lines = [line.split() for line in path.read_text().splitlines() if line and not line.startswith("#")]
    count, faces = int(lines[1][0]), int(lines[1][1])
    points = np.array(lines[2 : 2 + count], float)
    return points[np.array([row[1:4] for row in lines[2 + count : 2 + count + faces]], int)]


def from_ply(path):
    held = PlyData.read(path)
    points = np.column_stack([held["vertex"][axis] for axis in "xyz"])
    return points[np.stack([np.asarray(face[0]) for face in held["face"].data])]


def from_gltf(path):
    held = GLTF2().load(str(path))
    blob = held.binary_blob()

    def values(number, kind, width):
        accessor = held.accessors[number]
        view = held.bufferViews[accessor.bufferView]
        start = (view.byteOffset or 0) + (accessor.byteOffset or 0)
        return np.frombuffer(blob, kind, accessor.count * width, start).reshape(-1, width)

    found = []
    stack = [(number, np.ones(3)) for number in held.scenes[held.scene].nodes]
    while stack:
        number, scale = stack.pop()
        node = held.nodes[number]
        assert not (node.matrix or node.translation or node.rotation)
        scale = scale * (node.scale or (1, 1, 1))
        stack += [(child, scale) for child in node.children or ()]
        for part in held.meshes[node.mesh].primitives if node.mesh is not None else ():
            points = values(part.attributes.POSITION, "<f4", 3).astype(float) * scale
            kind = {5121: "u1", 5123: "<u2", 5125: "<u4"}[held.accessors[part.indices].componentType]
            found.append(points[values(part.indices, kind, 1).reshape(-1, 3).astype(int)])
    return np.concatenate(found) * 1000.0  # it is in metres


def from_3mf(path):
    with zipfile.ZipFile(path) as archive:
        root = ET.fromstring(archive.read("3D/3dmodel.model"))
    ns = "{http://schemas.microsoft.com/3dmanufacturing/core/2015/02}"
    found = []
    for mesh in root.iter(f"{ns}mesh"):
        points = np.array([[float(v.get(axis)) for axis in "xyz"] for v in mesh.iter(f"{ns}vertex")])
        found.append(points[np.array([[int(t.get(f"v{k}")) for k in (1, 2, 3)] for t in mesh.iter(f"{ns}triangle")])])
    return np.concatenate(found)


def vtu_arrays(path):
    kinds = {"UInt8": "u1", "Int32": "<i4", "Int64": "<i8", "Float64": "<f8"}
    found = {}
    for array in ET.parse(path).getroot().iter("DataArray"):
        text, kind = "".join(array.text.split()), kinds[array.get("type")]
        blocks = struct.unpack("<Q", base64.b64decode(text[:12])[:8])[0]
        size = 4 * -(-8 * (3 + blocks) // 3)
        lengths = struct.unpack(f"<{3 + blocks}Q", base64.b64decode(text[:size])[: 8 * (3 + blocks)])[3:]
        packed, at, raw = base64.b64decode(text[size:]), 0, b""
        for length in lengths:
            raw += zlib.decompress(packed[at : at + length])
            at += length
        found[array.get("Name")] = np.frombuffer(raw, kind)
    return found


def from_vtu(path):
    held = vtu_arrays(path)
    assert set(held["types"].tolist()) == {5}
    return held["points"].reshape(-1, 3)[held["connectivity"].reshape(-1, 3)]


def from_cgns(path):
    with h5py.File(path) as file:
        zone = file["Base/Zone"]
        axes = [zone[f"GridCoordinates/Coordinate{axis}/ data"][()] for axis in "XYZ"]
        points, tables = np.column_stack(axes), []
        for node in zone.values():
            if node.attrs.get("label") == b"Elements_t":
                assert node[" data"][0] == 5  # TRI_3
                tables.append(node["ElementConnectivity/ data"][()].reshape(-1, 3) - 1)
    return points[np.concatenate(tables)]


def from_bulk(path):
    text = path.read_text()
    points = decks.bulk_points(text)
    return np.array([[points[int(n)] for n in card[3:6]] for card in decks.bulk_cards(text) if card[0] == "CTRIA3"])


def from_keyword(path):
    text = path.read_text()
    points = decks.keyword_points(text)
    rows = [row for name, _, rows in decks.keyword_blocks(text) if name == "ELEMENT" for row in rows]
    return np.array([[points[int(n)] for n in row[1:4]] for row in rows])


READERS = {
    "stl": ("a.stl", from_stl, 1e-6), "stl-text": ("a.stl", from_text_stl, 1e-6), "obj": ("a.obj", from_obj, 0.0),
    "off": ("a.off", from_off, 0.0), "ply": ("a.ply", from_ply, 0.0), "ply-text": ("a.ply", from_ply, 0.0),
    "gltf": ("a.glb", from_gltf, 1e-6), "3mf": ("a.3mf", from_3mf, 0.0), "vtu": ("a.vtu", from_vtu, 0.0),
    "cgns": ("a.cgns", from_cgns, 0.0), "nastran": ("a.bdf", from_bulk, 1e-9), "keyword": ("a.inp", from_keyword, 1e-15),
}  # fmt: skip


@pytest.mark.parametrize("form", READERS)
def test_others_read_the_same_facets(tmp_path, form):
    nodes, triangles = shapes.torus(24, 12)
    part = (nodes[triangles].mean(axis=1)[:, 2] > 0).astype(int)
    parts = tuple(oddseam.Part(name, k, thickness=1.5) for k, name in enumerate(("low & <wet>", "high"), 1))
    mesh = oddseam.Mesh.from_triangles(nodes * 1.37, triangles, part=part, parts=parts, unit="mm")
    mesh = oddseam.assign_property(mesh, young=7e4, poisson=0.3)
    name, reader, allowed = READERS[form]
    oddseam.write_mesh(mesh, tmp_path / name, format=form)
    found = reader(tmp_path / name)
    assert found.shape == (len(triangles), 3, 3)
    want = mesh.nodes[mesh.elements["tri"].connectivity]
    for corners in (found, want):  # the same facets, in whatever order, begun at whatever corner
        first = np.lexsort(np.round(corners, 5).transpose(2, 0, 1)[::-1], axis=1)[:, 0]
        corners[:] = np.take_along_axis(corners, ((first[:, None] + np.arange(3)) % 3)[:, :, None], axis=1)
    order = [np.lexsort(np.round(its.reshape(-1, 9), 5).T) for its in (found, want)]
    assert np.abs(found[order[0]] - want[order[1]]).max() <= allowed * 3.0


@pytest.mark.parametrize("kind", ["tet", "tet10", "hex", "hex20", "wedge"])
def test_solids_of_a_grid_enclose_what_they_should_in_the_order_of_the_format(tmp_path, kind):
    block = solids.solid(solids.grid(*[np.linspace(0, 2, 3)] * 3), kind)
    oddseam.write_mesh(block, tmp_path / "a.vtu")
    held = vtu_arrays(tmp_path / "a.vtu")
    number, corners = {"tet": (10, 4), "tet10": (24, 4), "hex": (12, 8), "hex20": (25, 8), "wedge": (13, 6)}[kind]
    assert set(held["types"].tolist()) == {number}
    rows = held["connectivity"].reshape(len(held["types"]), -1)
    p = held["points"].reshape(-1, 3)[rows]
    if corners == 6:  # the specification's triangle looks away from the other one
        six = np.einsum("ij,ij->i", np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), p[:, 3] - p[:, 0])
        assert np.abs(six).sum() / 2 == pytest.approx(8.0) and len(set(np.sign(six))) == 1
    else:
        last = {4: 3, 8: 4}[corners]
        second = {4: 2, 8: 3}[corners]
        six = np.einsum("ij,ij->i", np.cross(p[:, 1] - p[:, 0], p[:, second] - p[:, 0]), p[:, last] - p[:, 0])
        assert (six > 0).all() and six.sum() / {4: 6, 8: 1}[corners] == pytest.approx(8.0)
    if kind in ("tet10", "hex20"):  # every midside node lies between the corners of the specification's edge
        edges = {
            "tet10": [(0, 1), (1, 2), (2, 0), (0, 3), (1, 3), (2, 3)],
            "hex20": [(0, 1), (1, 2), (2, 3), (3, 0), (4, 5), (5, 6), (6, 7), (7, 4), (0, 4), (1, 5), (2, 6), (3, 7)],
        }[kind]
        for k, (a, b) in enumerate(edges):
            assert np.allclose(p[:, corners + k], (p[:, a] + p[:, b]) / 2)
