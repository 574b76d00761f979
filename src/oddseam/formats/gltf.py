"""glTF 2.0 in one binary file (``.glb``, ISO/IEC 12113): JSON and a buffer.

Triangles, lines and points of every placed mesh are read, a part for each primitive; lengths
are metres, as the standard says.  Nothing outside of the file is opened.
"""

from __future__ import annotations

import base64
import binascii
import json
import struct
from collections.abc import Iterator
from pathlib import Path
from typing import Any, BinaryIO

import numpy as np

from oddseam.arrays import Array
from oddseam.errors import FormatError
from oddseam.formats.facets import in_single_precision
from oddseam.formats.files import Data, write_whole
from oddseam.formats.losses import Remarks, losses, refuse_bare
from oddseam.formats.room import check_room
from oddseam.model import KINDS, Elements, Mesh, Part, Source
from oddseam.model.units import METRES

_MAGIC, _JSON, _BIN = b"glTF", 0x4E4F534A, 0x004E4942
_COMPONENTS = {5120: "i1", 5121: "u1", 5122: "i2", 5123: "u2", 5125: "u4", 5126: "f4"}
_WIDTHS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT2": 4, "MAT3": 9, "MAT4": 16}
_POINTS, _LINES, _TRIANGLES = 0, 1, 4
#: Extensions that change nothing that is read here.
_HARMLESS = ("KHR_materials_", "KHR_lights_", "KHR_texture_", "EXT_texture_", "KHR_mesh_quantization")
_DEEPEST = 200
#: An accessor without data is of zeros; of more than these no file is made.
_MOST_ZEROS = 1_000_000


def recognises(data: Data) -> bool:
    """The magic word of a binary file."""
    return data[:4] == _MAGIC


# ---------------------------------------------------------------------- reading


def read(path: Path, data: Data) -> Mesh:
    """Read a binary glTF file: its default scene, or all its meshes if there is none."""
    return _Scene(path, *_chunks(path, data)).mesh()


def _chunks(path: Path, data: Data) -> tuple[dict[str, Any], bytes]:
    """The JSON and the buffer."""
    if len(data) < 20:
        raise FormatError(str(path), "is cut short within the header")
    version, length = struct.unpack("<II", data[4:12])
    if version != 2:
        raise FormatError(str(path), f"is glTF version {version}; version 2 is read", "byte 4")
    if length > len(data):
        raise FormatError(str(path), f"says that it is {length:,} bytes long, but has {len(data):,}", "byte 8")
    at = 12
    found: dict[int, bytes] = {}
    while at + 8 <= length:
        size, kind = struct.unpack("<II", data[at : at + 8])
        if at + 8 + size > length:
            raise FormatError(str(path), "a chunk is longer than the file", f"byte {at}")
        found.setdefault(kind, data[at + 8 : at + 8 + size])
        at += 8 + size
    try:
        content = json.loads(found.get(_JSON, b"").decode("utf-8"))
    except ValueError as error:
        raise FormatError(str(path), f"the JSON is damaged ({error})".replace("\n", " ")) from error
    if not isinstance(content, dict):
        raise FormatError(str(path), "the JSON is no object")
    return content, bytes(found.get(_BIN, b""))


class _Scene:
    """What is placed in the scene."""

    def __init__(self, path: Path, content: dict[str, Any], binary: bytes) -> None:
        self._path, self._content, self._binary = path, content, binary
        for name in content.get("extensionsRequired", []):
            if not str(name).startswith(_HARMLESS):
                raise FormatError(str(path), f"needs the extension {name}, which is not read here")
        self._buffers: dict[int, bytes] = {}

    def mesh(self) -> Mesh:
        nodes: list[Array] = []
        connectivity: dict[str, list[Array]] = {"point": [], "line": [], "tri": []}
        part: dict[str, list[Array]] = {"point": [], "line": [], "tri": []}
        names: dict[str, int] = {}  # primitives of one name are one part
        count = 0
        check_room(self._path, sum(self._facets(primitive) for _, primitive, _ in self._placed()), "places")
        placed: dict[tuple[int, bytes], tuple[int, int]] = {}  # primitives may share their points
        for name, primitive, transform in self._placed():
            key = (_whole(primitive["attributes"]["POSITION"]), transform.tobytes())
            if key not in placed:
                points = self._accessor(key[0]).astype(np.float64)
                placed[key] = (count, len(points))
                nodes.append(points @ transform[:3, :3].T + transform[:3, 3])
                count += len(points)
            first, n = placed[key]
            kind, table = _elements(primitive.get("mode", _TRIANGLES), self._index(primitive, n))
            if len(table) and (table.min() < 0 or table.max() >= n):
                raise FormatError(str(self._path), f"a primitive of {name!r} refers to a point that is not there")
            if kind == "tri" and np.linalg.det(transform[:3, :3]) < 0:
                table = table[:, ::-1]  # a mirrored mesh keeps its outside
            connectivity[kind].append(table + first)
            part[kind].append(np.full(len(table), names.setdefault(name, len(names))))
        elements, number = {}, 1
        for kind, tables in connectivity.items():
            if sum(map(len, tables)):
                table = np.concatenate(tables)
                ids = np.arange(number, number + len(table))
                elements[kind] = Elements(table.astype(np.int32), ids, np.concatenate(part[kind]).astype(np.int32))
                number += len(table)
        if not elements:
            raise FormatError(str(self._path), "places no triangles, lines or points")
        parts = tuple(Part(name, k) for k, name in enumerate(names, 1))
        source = Source("gltf", self._path.name, 2.0**-23, self._ignored())
        return Mesh(np.concatenate(nodes), elements, parts, unit="m", source=source)

    def _ignored(self) -> dict[str, int]:
        names = ("materials", "textures", "animations", "skins", "cameras")
        what = {name: len(self._content.get(name, [])) for name in names}
        return {name: count for name, count in what.items() if count}

    def _placed(self) -> Iterator[tuple[str, dict[str, Any], Array]]:
        """Name, primitive and placement of everything in the scene."""
        content = self._content
        meshes = content.get("meshes", [])
        scenes = content.get("scenes", [])
        if not scenes:
            for number, mesh in enumerate(meshes):
                for primitive in mesh["primitives"]:
                    yield mesh.get("name") or f"mesh {number}", primitive, np.eye(4)
            return
        nodes = content.get("nodes", [])
        stack = [(node, np.eye(4), 0) for node in reversed(scenes[content.get("scene", 0)].get("nodes", []))]
        seen = 0
        while stack:
            number, above, depth = stack.pop()
            seen += 1
            if depth > _DEEPEST or seen > len(nodes):
                raise FormatError(str(self._path), f"node {number} stands below itself, or in two places")
            node = nodes[_whole(number)]
            here = above @ _placement(node)
            if "mesh" in node:
                mesh = meshes[_whole(node["mesh"])]
                name = node.get("name") or mesh.get("name") or f"mesh {node['mesh']}"
                for primitive in mesh["primitives"]:
                    yield str(name), primitive, here
            stack += [(child, here, depth + 1) for child in reversed(node.get("children", []))]

    def _facets(self, primitive: dict[str, Any]) -> int:
        """About how many facets a primitive has: what its corners or its points would make at most."""
        numbers = [primitive["attributes"]["POSITION"], *([primitive["indices"]] if "indices" in primitive else [])]
        return max(_whole(self._content["accessors"][_whole(number)]["count"]) for number in numbers) // 2

    def _index(self, primitive: dict[str, Any], count: int) -> Array:
        if "indices" not in primitive:
            return np.arange(count)
        return self._accessor(primitive["indices"]).reshape(-1).astype(np.int64)

    def _accessor(self, number: int) -> Array:
        """(count, width) values of an accessor, sparse ones filled in."""
        about = self._content["accessors"][_whole(number)]
        kind, width, count = _COMPONENTS[about["componentType"]], _WIDTHS[about["type"]], _whole(about["count"])
        if "bufferView" in about:
            values = self._view(about["bufferView"], about.get("byteOffset", 0), kind, width, count)
        else:
            values = self._zeros(count, width, kind)
        if "sparse" in about:
            sparse = about["sparse"]
            n, at, to = _whole(sparse["count"]), sparse["indices"], sparse["values"]
            rows = self._view(at["bufferView"], at.get("byteOffset", 0), _COMPONENTS[at["componentType"]], 1, n)
            values = values.copy()
            values[rows.reshape(-1)] = self._view(to["bufferView"], to.get("byteOffset", 0), kind, width, n)
        if about.get("normalized") and kind != "f4":
            values = np.maximum(values.astype(np.float64) / np.iinfo(kind).max, -1.0)
        return values

    def _zeros(self, count: int, width: int, kind: str) -> Array:
        if count > len(self._binary) + _MOST_ZEROS:
            raise FormatError(str(self._path), f"an accessor of {count:,} values stands on no data")
        return np.zeros((count, width), kind)

    def _view(self, number: int, offset: int, kind: str, width: int, count: int) -> Array:
        view = self._content["bufferViews"][_whole(number)]
        data = self._buffer(_whole(view["buffer"]))
        begin = _whole(view.get("byteOffset", 0)) + _whole(offset)
        row = np.dtype(kind).itemsize * width
        stride = _whole(view.get("byteStride", row))
        end = _whole(view.get("byteOffset", 0)) + _whole(view["byteLength"])
        if stride < row or end > len(data) or (count and begin + (count - 1) * stride + row > end):
            raise FormatError(str(self._path), f"an accessor of {count:,} values goes beyond its buffer view {number}")
        if not count:
            return np.zeros((0, width), kind)
        raw = np.frombuffer(data, np.uint8, (count - 1) * stride + row, begin)
        rows = np.lib.stride_tricks.as_strided(raw, (count, row), (stride, 1), writeable=False)
        return np.asarray(np.ascontiguousarray(rows).view(f"<{kind}" if kind[1] != "1" else kind))

    def _buffer(self, number: int) -> bytes:
        if number not in self._buffers:
            about = self._content["buffers"][number]
            uri = about.get("uri")
            if uri is None:
                self._buffers[number] = self._binary
            elif isinstance(uri, str) and uri.startswith("data:") and ";base64," in uri[:200]:
                try:
                    self._buffers[number] = base64.b64decode(uri.split(";base64,", 1)[1], validate=True)
                except binascii.Error as error:
                    raise FormatError(str(self._path), f"buffer {number} is no base64 ({error})") from error
            else:
                raise FormatError(str(self._path), f"buffer {number} is another file; write it all into one .glb")
        return self._buffers[number]


def _whole(value: Any) -> int:
    if not isinstance(value, int) or value < 0:
        raise ValueError(f"{str(value)[:20]!r} is not a count")
    return value


def _placement(node: dict[str, Any]) -> Array:
    """The (4, 4) matrix of a node."""
    if "matrix" in node:
        matrix = np.array(node["matrix"], float).reshape(4, 4).T
    else:
        x, y, z, w = (float(v) for v in node.get("rotation", (0, 0, 0, 1)))
        turn = np.array(
            [
                [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
                [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
                [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
            ]
        )
        matrix = np.eye(4)
        matrix[:3, :3] = turn * np.array(node.get("scale", (1, 1, 1)), float)
        matrix[:3, 3] = np.array(node.get("translation", (0, 0, 0)), float)
    if not np.isfinite(matrix).all():
        raise ValueError("a placement is not finite")
    return matrix


def _elements(mode: int, index: Array) -> tuple[str, Array]:
    """Kind and connectivity of a primitive."""
    n = len(index)
    rows = np.arange(max(n - 2, 0))
    match mode:
        case 0:
            return "point", index[:, None]
        case 1:
            return "line", index[: n // 2 * 2].reshape(-1, 2)
        case 2:
            return "line", np.column_stack([index, np.roll(index, -1)])
        case 3:
            return "line", np.column_stack([index[:-1], index[1:]])
        case 4:
            return "tri", index[: n // 3 * 3].reshape(-1, 3)
        case 5:
            odd = rows % 2  # every other triangle of a strip runs the other way
            return "tri", index[np.column_stack([rows + odd, rows + 1 - odd, rows + 2])]
        case 6:
            return "tri", index[np.column_stack([np.zeros_like(rows), rows + 1, rows + 2])]
    raise ValueError(f"mode {mode} is not known")


# ---------------------------------------------------------------------- writing


def held_nodes(mesh: Mesh) -> Array:
    """The coordinates in single precision."""
    return in_single_precision(mesh, "glTF")


def rounded(mesh: Mesh) -> Mesh:
    """The mesh in single precision."""
    nodes = held_nodes(mesh)
    return mesh if (nodes == mesh.nodes).all() else mesh.replaced(nodes=nodes)


def write(mesh: Mesh, path: Path) -> Remarks:
    """Write a binary glTF file, a primitive for each part; the result says what it cannot hold."""
    said = losses(mesh, kinds=("point", "line", "tri"), holds={"unit", "parts"}, triangulated=True)
    if mesh.unit is None:
        said.lost.append("that the unit is unknown (a reader takes metres)")
    points = held_nodes(mesh).astype("<f4")
    arrays = [points]
    views = [{"buffer": 0, "byteOffset": 0, "byteLength": points.nbytes}]
    accessors: list[dict[str, Any]] = [
        {"bufferView": 0, "componentType": 5126, "count": len(points), "type": "VEC3",
         "min": points.min(axis=0).tolist() if len(points) else [0, 0, 0],
         "max": points.max(axis=0).tolist() if len(points) else [0, 0, 0]}
    ]  # fmt: skip
    meshes, at = [], points.nbytes
    for name, mode, table in _primitives(mesh):
        index = table.astype("<u4")
        views.append({"buffer": 0, "byteOffset": at, "byteLength": index.nbytes})
        accessors.append(
            {"bufferView": len(views) - 1, "componentType": 5125, "count": int(index.size), "type": "SCALAR"}
        )
        primitive = {"attributes": {"POSITION": 0}, "indices": len(accessors) - 1, "mode": mode}
        meshes.append({"name": name, "primitives": [primitive]})
        arrays.append(index)
        at += index.nbytes
    if not meshes:
        refuse_bare(mesh, path, "no surface, lines or points that a glTF could hold")
    scale = METRES[mesh.unit] if mesh.unit else 1.0
    root: dict[str, Any] = {"children": list(range(1, len(meshes) + 1))}
    if scale != 1.0:
        root["scale"] = [scale] * 3
    content = {
        "asset": {"version": "2.0", "generator": "Odd Seam"}, "scene": 0, "scenes": [{"nodes": [0]}],
        "nodes": [root, *({"mesh": k, "name": m["name"]} for k, m in enumerate(meshes))], "meshes": meshes,
        "accessors": accessors, "bufferViews": views, "buffers": [{"byteLength": at}],
    }  # fmt: skip
    text = json.dumps(content).encode()
    text += b" " * (-len(text) % 4)

    def fill(file: BinaryIO) -> None:
        file.write(_MAGIC + struct.pack("<II", 2, 12 + 8 + len(text) + 8 + at))
        file.write(struct.pack("<II", len(text), _JSON) + text + struct.pack("<II", at, _BIN))
        for array in arrays:
            file.write(array.tobytes())

    write_whole(path, fill)
    return said


def _primitives(mesh: Mesh) -> Iterator[tuple[str, int, Array]]:
    """Name, mode and node indices of what there is of each part."""
    surface = mesh.triangulation
    of_triangle = mesh.element_part[surface.element]
    for index, part in enumerate(mesh.parts):
        triangles = surface.triangles[of_triangle == index]
        if len(triangles):
            yield part.name, _TRIANGLES, triangles
        for kind, block in mesh.elements.items():
            dimension = KINDS[kind].dimension
            rows = block.connectivity[block.part == index, : KINDS[kind].corners]
            if dimension < 2 and len(rows):
                yield part.name, _LINES if dimension == 1 else _POINTS, rows
