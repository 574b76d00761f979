"""VTK XML unstructured grids: every encoding, every kind of cell, ids, parts and groups."""

from __future__ import annotations

import base64
import lzma
import struct
import zlib

import numpy as np
import pytest
from damage import survives

import oddseam
from oddseam.model import KINDS


def every_kind():
    """One element of every kind, with sparse ids, two parts and groups."""
    rng = np.random.default_rng(2)
    blocks, at, number = {}, 0, 11
    for name, kind in KINDS.items():
        blocks[name] = oddseam.Elements([np.arange(at, at + kind.size)], [number], [number % 2])
        at, number = at + kind.size, number + 7
    groups = oddseam.Groups({"held": np.array([3, 5])}, {"loaded & <hot>": np.array([0, 8, 14])})
    parts = oddseam.Part("hood", 30), oddseam.Part("lip & rib", 7)
    nodes = rng.normal(size=(at, 3))
    nodes[blocks["wedge"].connectivity[0]] = [[0, 0, 0], [1, 0, 0], [0, 1, 0], [0, 0, 1], [1, 0, 1], [0, 1, 1]]
    return oddseam.Mesh(nodes, blocks, parts, np.arange(at)[::-1] * 3 + 1, groups)


def test_linear_wedges_are_read_either_way_round(tmp_path):
    mesh = every_kind()
    block = mesh.elements["wedge"]
    other = {"wedge": oddseam.Elements(block.connectivity[:, [0, 2, 1, 3, 5, 4]], block.ids, block.part)}
    oddseam.write_mesh(mesh.replaced(elements=dict(mesh.elements) | other), tmp_path / "b.vtu")
    back = oddseam.read_mesh(tmp_path / "b.vtu")
    assert (back.elements["wedge"].connectivity == block.connectivity).all()
    assert "wedges that face the other way, turned" in back.source.carried


@pytest.mark.parametrize("form", ["vtu", "vtu-text"])
def test_everything_comes_back(tmp_path, form):
    mesh = every_kind()
    written = oddseam.write_mesh(mesh, tmp_path / "a.vtu", format=form)
    back = oddseam.read_mesh(tmp_path / "a.vtu")
    assert (
        (back.nodes == mesh.nodes).all()
        and (back.node_ids == mesh.node_ids).all()
        and not written.lost
        and not written.converted
    )
    for name, block in mesh.elements.items():
        assert (back.elements[name].connectivity == block.connectivity).all()
        assert back.elements[name].ids.tolist() == block.ids.tolist()
    assert {p.id: p.name for p in back.parts} == {30: "hood", 7: "lip & rib"}
    names = [np.array([p.id for p in m.parts])[m.element_part].tolist() for m in (mesh, back)]
    assert names[0] == names[1]
    assert back.groups.nodes["held"].tolist() == [3, 5] and back.groups.elements["loaded & <hot>"].tolist() == [
        0,
        8,
        14,
    ]


POINTS = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [0, 0, 1], [1, 0, 1], [1, 1, 1], [0, 1, 1]], float)
TYPES = {"f8": "Float64", "i4": "Int32", "u1": "UInt8"}


class Encoder:
    """Writes data arrays in one of the encodings, as other programs do."""

    def __init__(self, form, order="<", word="I", pack=None, block=40):
        self.form, self.order, self.word, self.pack, self.block = form, order, word, pack, block
        self.appended = b""

    def raw(self, values):
        raw = values.astype(values.dtype.newbyteorder(self.order)).tobytes()
        if self.pack is None:
            return struct.pack(self.order + self.word, len(raw)), raw
        pieces = [raw[k : k + self.block] for k in range(0, len(raw), self.block)]
        packed = [self.pack(p) for p in pieces]
        head = [len(packed), self.block, len(raw) % self.block, *map(len, packed)]
        return struct.pack(f"{self.order}{len(head)}{self.word}", *head), b"".join(packed)

    def array(self, name, values, width=1):
        values = np.asarray(values)
        kind = TYPES[values.dtype.str[1:]]
        tag = f'<DataArray type="{kind}" Name="{name}" NumberOfComponents="{width}" '
        if self.form == "ascii":
            return tag + 'format="ascii">' + " ".join(map(str, values.ravel().tolist())) + "</DataArray>"
        head, raw = self.raw(values)
        if self.form == "binary":
            text = (base64.b64encode(head) + base64.b64encode(raw)) if self.pack else base64.b64encode(head + raw)
            return tag + 'format="binary">\n  ' + text.decode() + "\n</DataArray>"
        at = len(self.appended)
        if self.form == "base64":
            self.appended += (
                (base64.b64encode(head) + base64.b64encode(raw)) if self.pack else base64.b64encode(head + raw)
            )
        else:
            self.appended += head + raw
        return tag + f'format="appended" offset="{at}"/>'

    def file(self, **changes):
        arrays = {
            "points": self.array("points", POINTS, 3),
            "connectivity": self.array("connectivity", np.array([0, 1, 2, 3, 4, 5, 6, 7, 0, 1, 5, 4, 2, 3], "i4")),
            "offsets": self.array("offsets", np.array([8, 12, 14], "i4")),
            "types": self.array("types", np.array([11, 9, 3], "u1")),
            "stress": self.array("stress", np.ones(3)),
        } | changes
        compressor = {
            None: "",
            zlib.compress: ' compressor="vtkZLibDataCompressor"',
            lzma.compress: ' compressor="vtkLZMADataCompressor"',
        }[self.pack]
        endian = "LittleEndian" if self.order == "<" else "BigEndian"
        header = "UInt32" if self.word == "I" else "UInt64"
        text = (
            f'<?xml version="1.0"?>\n<VTKFile type="UnstructuredGrid" version="1.0" byte_order="{endian}" header_type="{header}"{compressor}>'
            f'<UnstructuredGrid><Piece NumberOfPoints="8" NumberOfCells="3"><Points>{arrays["points"]}</Points>'
            f"<Cells>{arrays['connectivity']}{arrays['offsets']}{arrays['types']}</Cells><CellData>{arrays['stress']}</CellData>"
            "</Piece></UnstructuredGrid>"
        ).encode()
        if self.appended:
            encoding = b"base64" if self.form == "base64" else b"raw"
            text += b'<AppendedData encoding="' + encoding + b'">\n_' + self.appended + b"\n</AppendedData>"
        return text + b"</VTKFile>"


def read(folder, content):
    (folder / "a.vtu").write_bytes(content)
    return oddseam.read_mesh(folder / "a.vtu")


@pytest.mark.parametrize("form", ["ascii", "binary", "base64", "raw"])
@pytest.mark.parametrize("order, word", [("<", "I"), (">", "Q")])
@pytest.mark.parametrize("pack", [None, zlib.compress, lzma.compress])
def test_every_encoding(tmp_path, form, order, word, pack):
    mesh = read(tmp_path, Encoder(form, order, word, pack).file())
    assert (mesh.nodes == POINTS).all() and mesh.counts == {"nodes": 8, "line": 1, "quad": 1, "hex": 1}
    assert mesh.elements["hex"].connectivity[0].tolist() == [0, 1, 3, 2, 4, 5, 7, 6]  # a voxel counts in another order
    assert mesh.elements["hex"].ids.tolist() == [1] and mesh.source.carried == {"cell array 'stress'": 3}


@pytest.mark.parametrize(
    "change, message",
    [
        (lambda b: b.replace(b"UnstructuredGrid", b"ImageData"), "holds a ImageData"),
        (lambda b: b'<!DOCTYPE a [<!ENTITY b "c">]>' + b.split(b"?>")[1], "entities are not allowed"),
        (lambda b: b.replace(b'NumberOfPoints="8"', b'NumberOfPoints="9"'), "24 coordinates for 9 points"),
        (lambda b: b.replace(b">0 1 2 3 4", b">0 1 2 3 44"), "a point that is not there"),
        (lambda b: b.replace(b"8 12 14", b"8 11 14"), "cell 2 of type 3 has 3 points, not 2"),
        (lambda b: b.replace(b"</Cells>", b""), "is not well-formed XML"),
        (lambda b: b.replace(b'Name="types"', b'Name="kinds"'), "Cells has no array 'types'"),
        (lambda b: b.replace(b"0.0 0.0 0.0", b"0.0 zero 0.0"), "'zero' is not a number"),
    ],
)
def test_bad_files_get_one_line(tmp_path, change, message):
    with pytest.raises(oddseam.FormatError, match=message):
        read(tmp_path, change(Encoder("ascii").file()))


def test_a_bomb_is_refused(tmp_path):
    encoder = Encoder("binary", pack=zlib.compress)
    packed = zlib.compress(b"\0" * 50_000_000)
    head = struct.pack("<4I", 1, 2**31, 0, len(packed))
    bomb = (
        encoder.array("points", POINTS, 3).split(">")[0]
        + ">"
        + (base64.b64encode(head) + base64.b64encode(packed)).decode()
        + "</DataArray>"
    )
    with pytest.raises(oddseam.FormatError, match="claims to unpack"):
        read(tmp_path, encoder.file(points=bomb))


@pytest.mark.parametrize(
    "form, pack", [("ascii", None), ("binary", zlib.compress), ("raw", None), ("base64", lzma.compress)]
)
def test_any_damage_gives_a_mesh_or_one_line(tmp_path, form, pack):
    survives(
        lambda content: read(tmp_path, content), Encoder(form, pack=pack).file(), seed=4, count=250, bytes_at_once=3
    )


@pytest.mark.parametrize("text", [False, True])
def test_groups_of_sides_come_back(tmp_path, text):
    mesh = every_kind()
    sides = [[k, s] for k in range(1, mesh.n_elements) for s in (0, 1)]
    mesh = mesh.replaced(groups=oddseam.Groups(sides={"wet": np.array(sides), "one": np.array([[2, 1]])}))
    written = oddseam.write_mesh(mesh, tmp_path / "a.vtu", format="vtu-text" if text else "vtu")
    assert not any("group" in line for line in written.lost)
    back = oddseam.read_mesh(tmp_path / "a.vtu")
    assert {name: its.tolist() for name, its in back.groups.sides.items()} == {"wet": sides, "one": [[2, 1]]}
