"""CGNS: zones, sections, boundaries with their kinds; links and damage refused."""

from __future__ import annotations

import h5py
import numpy as np
import pytest
from damage import survives
from test_keyword import block_of
from test_vtu import every_kind

import oddseam


def test_every_kind_comes_back(tmp_path):
    mesh = every_kind().replaced(unit="mm")
    written = oddseam.write_mesh(mesh, tmp_path / "a.cgns")
    back = oddseam.read_mesh(tmp_path / "a.cgns")
    assert (back.nodes == mesh.nodes).all() and back.unit == "mm"
    for kind, block in mesh.elements.items():
        assert (back.elements[kind].connectivity == block.connectivity).all()
    names = [np.array([p.name for p in m.parts])[m.element_part].tolist() for m in (mesh, back)]
    assert [n.replace("&", "&") for n in names[0]] == names[1]
    assert "node and element ids" in written.lost


def test_boundaries_keep_their_kind(tmp_path):
    solid = block_of("hex")
    shell = oddseam.skin(solid)
    quads = shell.elements["quad"]
    row = {int(n): k for k, n in enumerate(solid.node_ids)}
    table = np.array([[row[int(shell.node_ids[n])] for n in q] for q in quads.connectivity])
    inlet = (solid.nodes[table][:, :, 0] == 0).all(axis=1)
    parts = (
        oddseam.Part("fluid", 1),
        oddseam.Part("draft tube", 2, boundary="inlet"),
        oddseam.Part("hull", 3, boundary="wall"),
    )
    block = oddseam.Elements(table, np.arange(1000, 1000 + len(table)), np.where(inlet, 1, 2))
    mesh = oddseam.Mesh(solid.nodes, {**solid.elements, "quad": block}, parts)
    oddseam.write_mesh(mesh, tmp_path / "a.cgns")
    back = oddseam.read_mesh(tmp_path / "a.cgns")
    assert {p.name: p.boundary for p in back.parts} == {"fluid": None, "draft tube": "inlet", "hull": "wall"}
    counts = dict(zip([p.name for p in back.parts], np.bincount(back.element_part).tolist(), strict=True))
    assert counts == {"fluid": 27, "draft tube": 9, "hull": 45}


def node(parent, name, label, data=None):
    group = parent.create_group(name)
    group.attrs["label"] = np.array(label.encode(), "S33")
    if data is not None:
        group.create_dataset(" data", data=np.frombuffer(data.encode(), "i1") if isinstance(data, str) else data)
    return group


def hand_made(path):
    """Two zones; a mixed section; conditions by range, by family, at nodes."""
    with h5py.File(path, "w") as file:
        node(file, "CGNSLibraryVersion", "CGNSLibraryVersion_t", np.array([3.1], "f4"))
        base = node(file, "b", "CGNSBase_t", np.array([3, 3]))
        family = node(base, "rim", "Family_t")
        node(family, "FamilyBC", "FamilyBC_t", "BCOutflowSubsonic")
        for name in ("one", "two"):
            zone = node(base, name, "Zone_t", np.array([[5], [1], [0]]))
            node(zone, "ZoneType", "ZoneType_t", "Unstructured")
            grid = node(zone, "GridCoordinates", "GridCoordinates_t")
            for axis, values in zip(
                "XYZ", np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [0, 0, 1], [1, 1, 1.0]]).T, strict=True
            ):
                node(grid, f"Coordinate{axis}", "DataArray_t", values)
            section = node(zone, "stuff", "Elements_t", np.array([20, 0]))
            node(section, "ElementRange", "IndexRange_t", np.array([1, 3]))
            node(section, "ElementConnectivity", "DataArray_t", np.array([10, 1, 2, 3, 4, 5, 1, 3, 2, 5, 2, 3, 5]))
            conditions = node(zone, "ZoneBC", "ZoneBC_t")
            wall = node(conditions, "floor", "BC_t", "BCWallViscous")
            node(wall, "PointRange", "IndexRange_t", np.array([[2], [2]]))
            node(wall, "GridLocation", "GridLocation_t", "FaceCenter")
            out = node(conditions, "mouth", "BC_t", "FamilySpecified")
            node(out, "FamilyName", "FamilyName_t", "rim")
            node(out, "ElementList", "IndexArray_t", np.array([[3]]))
            held = node(conditions, "held", "BC_t", "BCDirichlet")
            node(held, "PointList", "IndexArray_t", np.array([[1], [5]]))
    return path


def test_a_file_of_another_hand(tmp_path):
    mesh = oddseam.read_mesh(hand_made(tmp_path / "h.cgns"))
    assert mesh.counts == {"nodes": 10, "tri": 4, "tet": 2}
    kinds = {p.name: p.boundary for p in mesh.parts}
    assert kinds["one / floor"] == "wall" and kinds["two / mouth"] == "outlet" and kinds["one / stuff"] is None
    assert mesh.groups.nodes["two / held"].tolist() == [5, 9]
    assert mesh.elements["tri"].connectivity[2].tolist() == [5, 7, 6] or mesh.elements["tri"].connectivity[
        1
    ].tolist() == [1, 2, 4]


def test_links_are_not_followed(tmp_path):
    with h5py.File(hand_made(tmp_path / "h.cgns"), "a") as file:
        file["b/one/secret"] = h5py.ExternalLink("/etc/passwd", "/")
    with pytest.raises(oddseam.FormatError, match="is a link, which is not followed"):
        oddseam.read_mesh(tmp_path / "h.cgns")


@pytest.mark.parametrize(
    "where, value, message",
    [
        ("b/one/stuff/ElementRange/ data", [1, 4], "element 4 is of type"),
        ("b/one/stuff/ElementRange/ data", [3, 1], "no sound range"),
        ("b/one/stuff/ElementConnectivity/ data", [10, 1, 2, 3, 9, 5, 1, 3, 2, 5, 2, 3, 5], "refers to node 9"),
        ("b/one/GridCoordinates/CoordinateX/ data", [0.0, np.nan, 0, 0, 0], "not a finite number"),
        ("b/one/GridCoordinates/CoordinateX/ data", [0.0, 1.0], "cartesian coordinates of one length"),
    ],
)
def test_bad_files_get_one_line(tmp_path, where, value, message):
    with h5py.File(hand_made(tmp_path / "h.cgns"), "a") as file:
        del file[where]
        file[where] = np.array(value)
    with pytest.raises(oddseam.FormatError, match=message):
        oddseam.read_mesh(tmp_path / "h.cgns")


@pytest.mark.slow
def test_any_damage_gives_a_mesh_or_one_line(tmp_path):
    def read(content):
        (tmp_path / "x.cgns").write_bytes(content)
        return oddseam.read_mesh(tmp_path / "x.cgns")

    survives(read, hand_made(tmp_path / "h.cgns").read_bytes(), seed=9, count=300, bytes_at_once=6)


def grouped(kind):
    """A block with a group of nodes, of elements and of sides; and the points in the middles of these sides."""
    solid = block_of(kind)
    low = np.flatnonzero(solid.nodes[:, 2] == 0)
    pairs, middles, at = [], [], 0
    for name, block in solid.elements.items():
        for side, corners in enumerate(oddseam.model.KINDS[name].sides):
            points = solid.nodes[block.connectivity[:, list(corners)]]
            for row in np.flatnonzero((points[:, :, 2] == 0).all(axis=1)).tolist():
                pairs.append([at + row, side])
                middles.append(points[row].mean(axis=0))
        at += len(block)
    groups = oddseam.Groups({"base": low}, {"some": np.array([3, 5, 8])}, {"wet": np.array(pairs)})
    return solid.replaced(groups=groups), np.array(middles)


@pytest.mark.parametrize("kind", ["hex", "hex20", "tet10", "tet"])
def test_groups_are_conditions_regions_and_faces(tmp_path, kind):
    solid, middles = grouped(kind)
    written = oddseam.write_mesh(solid, tmp_path / "a.cgns")
    assert not any("group" in line for line in written.lost) and "1 groups of sides, to elements" in str(written)
    back = oddseam.read_mesh(tmp_path / "a.cgns")
    assert back.groups.nodes["base"].tolist() == solid.groups.nodes["base"].tolist()
    connectivity = back.elements[kind].connectivity
    at = sum(len(b) for name, b in back.elements.items() if oddseam.model.KINDS[name].dimension < 3)
    some = back.groups.elements["some"] - at
    assert (connectivity[some] == solid.elements[kind].connectivity[[3, 5, 8]]).all()
    faces = [(name, b) for name, b in back.elements.items() if oddseam.model.KINDS[name].dimension == 2]
    found = np.concatenate([
        back.nodes[b.connectivity[:, : oddseam.model.KINDS[name].corners]].mean(axis=1) for name, b in faces
    ])  # fmt: skip
    assert len(found) == len(middles)
    assert np.allclose(np.sort(found.round(9), axis=0), np.sort(middles.round(9), axis=0))
    for name, block in faces:  # midside nodes lie between their corners
        k = oddseam.model.KINDS[name]
        for n, edge in enumerate(k.edges if k.is_quadratic else ()):
            ends = back.nodes[block.connectivity[:, list(edge)]].mean(axis=1)
            assert np.allclose(back.nodes[block.connectivity[:, k.corners + n]], ends)
    assert {part.name for part in back.parts} >= {"wet"}
