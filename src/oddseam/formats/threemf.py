"""3MF (ISO/IEC 25422): triangle meshes in a zip package of XML, with units, objects and transforms.

The package is read as a stream with a bound on what it may unpack to; document types and
entities are refused; every path is looked up in the package and nowhere else.
"""

from __future__ import annotations

import io
import posixpath
import zipfile
import zlib
from array import array
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import BinaryIO
from xml.sax.saxutils import quoteattr

import numpy as np

from oddseam.arrays import Array
from oddseam.errors import FormatError
from oddseam.formats.facets import unlike
from oddseam.formats.files import Data, write_whole
from oddseam.formats.losses import Remarks, losses, refuse_bare
from oddseam.formats.room import check_room
from oddseam.formats.threemf_runs import VERTICES, Run, feed
from oddseam.formats.xml_events import XmlReader, whole_count
from oddseam.model import Mesh, Part, Source

CORE = "http://schemas.microsoft.com/3dmanufacturing/core/2015/02"
_START = "http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel"
_UNITS = {"micron": "um", "millimeter": "mm", "centimeter": "cm", "meter": "m", "inch": "in", "foot": "ft"}
#: XML of a mesh packs to a fifth, of a very regular one to a fiftieth; what claims more is a bomb.
_MOST_UNPACKED = 200
#: Nested components may repeat an object; so many placements are more than anybody means.
_MOST_PLACED = 200_000
_DEEPEST = 32
#: Name of the object that holds all parts of a mesh, one for each of its materials.
_WHOLE = "surface"


def recognises(data: Data) -> bool:
    """A zip container that names a model or the content types of a package."""
    return data[:4] == b"PK\x03\x04" and (b"[Content_Types].xml" in data[-65536:] or b".model" in data[-65536:])


# ---------------------------------------------------------------------- reading


@dataclass
class _Object:
    name: str
    xyz: array[float] = field(default_factory=lambda: array("d"))
    corners: array[int] = field(default_factory=lambda: array("q"))
    material: list[tuple[str, str]] = field(default_factory=list)
    components: list[tuple[str, str, Array]] = field(default_factory=list)
    default: tuple[str, str] = ("", "")


@dataclass
class _Model:
    """What one model part of the package states."""

    unit: str = "millimeter"
    objects: dict[str, _Object] = field(default_factory=dict)
    items: list[tuple[str, str, Array]] = field(default_factory=list)
    materials: dict[str, list[str]] = field(default_factory=dict)
    unknown: dict[str, int] = field(default_factory=dict)


class _Package:
    """The members of the zip container, unpacked within bounds."""

    def __init__(self, path: Path, data: Data) -> None:
        self.path = path
        try:
            self._zip = zipfile.ZipFile(io.BytesIO(data[:]))
        except (zipfile.BadZipFile, ValueError, OSError, EOFError, NotImplementedError) as error:
            raise FormatError(str(path), f"the container is damaged ({error})") from error
        self._names = {name.lower().lstrip("/"): name for name in self._zip.namelist()}
        self._left = _MOST_UNPACKED * max(len(data), 10_000)

    def holds(self, name: str) -> bool:
        return name.lower().lstrip("/") in self._names

    def chunks(self, name: str) -> Iterator[bytes]:
        """The content of a member, piece by piece."""
        found = self._names.get(name.lower().lstrip("/"))
        if found is None:
            raise FormatError(str(self.path), f"the package has no part {name!r}")
        try:
            with self._zip.open(found) as member:
                while chunk := member.read(1 << 22):
                    self._left -= len(chunk)
                    if self._left < 0:
                        raise FormatError(str(self.path), f"unpacks to more than {_MOST_UNPACKED} times its size", name)
                    yield chunk
        except (zipfile.BadZipFile, zlib.error, EOFError, OSError, NotImplementedError, RuntimeError) as error:
            raise FormatError(str(self.path), f"is damaged ({error})", name) from error


class _Reader(XmlReader):
    """Events of the XML of one part."""

    def __init__(self, package: _Package, name: str) -> None:
        super().__init__(package.path, name, namespaces=True)
        self._package = package

    def read(self) -> None:
        """Take all events of the part."""
        self.run(self._package.chunks(self.name))


class _Relations(_Reader):
    """Finds the model that a package starts with."""

    def __init__(self, package: _Package) -> None:
        super().__init__(package, "_rels/.rels")
        self.target = ""

    def started(self, tag: str, attributes: dict[str, str]) -> None:
        if tag.endswith("|Relationship") and attributes.get("Type") == _START:
            self.target = attributes["Target"]


class _ModelReader(_Reader):
    def __init__(self, package: _Package, name: str) -> None:
        super().__init__(package, name)
        self.model = _Model()
        self._object: _Object | None = None
        self._materials: list[str] = []
        self._last = ""

    def read(self) -> None:
        """Take all events, except for plain runs of vertices and triangles, which are read in bulk."""

        def parse(text: bytes) -> None:
            self._last = ""
            self.parser.Parse(text)

        self.run(
            self._package.chunks(self.name), lambda pieces: feed(iter(pieces), parse, lambda: self._last, self._take)
        )

    def _take(self, run: Run, values: Array) -> None:
        its = self._current()
        if run is VERTICES:
            its.xyz.frombytes(values.tobytes())
        else:
            its.corners.frombytes(values[:, :3].astype(np.int64).tobytes())
            kinds, which = np.unique(values[:, 3:], axis=0, return_inverse=True)
            of, default = its.default
            named = [
                (str(int(pid)) if pid >= 0 else of, str(int(index)) if index >= 0 else default)
                for pid, index in kinds.tolist()
            ]
            its.material += [named[k] for k in which.ravel().tolist()]

    def started(self, tag: str, attributes: dict[str, str]) -> None:
        space, _, name = tag.rpartition("|")
        self._last = name if space == CORE else ""
        if space != CORE:
            known = self.model.unknown
            known[name] = known.get(name, 0) + 1
            return
        if name == "vertex":
            self._current().xyz.extend(float(attributes[axis]) for axis in "xyz")
        elif name == "triangle":
            its = self._current()
            its.corners.extend(whole_count(attributes[corner]) for corner in ("v1", "v2", "v3"))
            of, which = its.default
            its.material.append((attributes.get("pid", of), attributes.get("p1", which)))
        elif name == "object":
            self._object = _Object(attributes.get("name", "") or f"object {attributes['id']}")
            self._object.default = (attributes.get("pid", ""), attributes.get("pindex", ""))
            self.model.objects[attributes["id"]] = self._object
        elif name in ("component", "item"):
            path = next((value for key, value in attributes.items() if key.endswith("|path")), self.name)
            entry = (path.lstrip("/"), attributes["objectid"], _transform(attributes.get("transform")))
            (self._current().components if name == "component" else self.model.items).append(entry)
        elif name == "model":
            self.model.unit = attributes.get("unit", "millimeter")
            if self.model.unit not in _UNITS:
                self.fail(f"the unit {self.model.unit!r} is not one of {', '.join(_UNITS)}")
        elif name == "basematerials":
            self._materials = self.model.materials.setdefault(attributes["id"], [])
        elif name == "base":
            self._materials.append(attributes["name"])

    def _current(self) -> _Object:
        if self._object is None:
            self.fail("a mesh stands outside of an object")
        assert self._object is not None
        return self._object

    def ended(self, tag: str) -> None:
        if tag == f"{CORE}|object":
            self._object = None


def _transform(text: str | None) -> Array:
    """The (4, 3) matrix that a row (x, y, z, 1) is multiplied by."""
    if text is None:
        return np.eye(4, 3)
    values = [float(word) for word in text.split()]
    if len(values) != 12 or not np.isfinite(values).all():
        raise ValueError("has a transform without twelve numbers")
    return np.array(values).reshape(4, 3)


def read(path: Path, data: Data) -> Mesh:
    """Read a 3MF package: every build item, with its components, where they stand."""
    package = _Package(path, data)
    relations = _Relations(package)
    relations.read()
    start = posixpath.normpath(relations.target.lstrip("/")) if relations.target else "3D/3dmodel.model"
    models: dict[str, _Model] = {}

    def model(name: str) -> _Model:
        if name not in models:
            reader = _ModelReader(package, name)
            reader.read()
            models[name] = reader.model
        return models[name]

    root = model(start)
    build = _Build(path, model)
    build.check([(name, number) for name, number, _ in root.items])
    for name, number, transform in root.items:
        build.add(name, number, transform)
    carried: dict[str, int] = {}
    for one in models.values():
        for name, count in one.unknown.items():
            carried[f"{name} elements"] = carried.get(f"{name} elements", 0) + count
    unused = sum(len(one.objects) for one in models.values()) - len(build.used)
    if unused > 0:
        carried["objects that nothing builds"] = unused
    return build.mesh(_UNITS[root.unit], carried)


class _Build:
    """The facets of the build, object after object."""

    def __init__(self, path: Path, model: Callable[[str], _Model]) -> None:
        self._path, self._model = path, model
        self._nodes: list[Array] = []
        self._triangles: list[Array] = []
        self._part: list[Array] = []
        self._names: list[str] = []
        self._n_nodes = 0
        self._sizes: dict[tuple[str, str], tuple[int, int]] = {}
        self.used: set[tuple[str, str]] = set()

    def check(self, items: list[tuple[str, str]]) -> None:
        """Refuse, before anything is placed, what nests in itself or repeats beyond all measure."""
        facets = placed = 0
        for name, number in items:
            more, times = self._size(name, number, 0)
            facets, placed = facets + more, placed + times
        if placed > _MOST_PLACED:
            raise FormatError(
                str(self._path), f"builds {facets:,} facets in {placed:,} places out of repeated components"
            )
        check_room(self._path, facets, "builds")

    def _size(self, name: str, number: str, depth: int) -> tuple[int, int]:
        """Facets of an object with its components, and how many objects it places."""
        model = self._model(name)
        if number not in model.objects:
            raise FormatError(str(self._path), f"object {number} is placed, but not there", name)
        if depth > _DEEPEST:
            raise FormatError(str(self._path), f"object {number} is nested too deeply, or in itself", name)
        key = (name, number)
        if key not in self._sizes:
            its = model.objects[number]
            inner = [self._size(path, other, depth + 1) for path, other, _ in its.components]
            facets = len(its.corners) // 3 + sum(size for size, _ in inner)
            self._sizes[key] = (facets, 1 + sum(times for _, times in inner))
        return self._sizes[key]

    def add(self, name: str, number: str, transform: Array) -> None:
        """Place an object and its components."""
        model = self._model(name)
        its = model.objects[number]
        self.used.add((name, number))
        if not self._size(name, number, 0)[0]:
            return
        if its.corners:
            self._add_mesh(name, number, its, transform, model.materials)
        for path, other, inner in its.components:
            combined = np.vstack([inner[:3] @ transform[:3], inner[3] @ transform[:3] + transform[3]])
            self.add(path, other, combined)

    def _add_mesh(
        self, name: str, number: str, its: _Object, transform: Array, materials: dict[str, list[str]]
    ) -> None:
        nodes, triangles = np.array(its.xyz).reshape(-1, 3), np.array(its.corners, np.int64).reshape(-1, 3)
        wrong = ((triangles < 0) | (triangles >= len(nodes))).any(axis=1)
        if wrong.any():
            row = int(np.argmax(wrong))
            raise FormatError(
                str(self._path), f"triangle {row} of object {number} refers to a vertex that is not there", name
            )
        if np.linalg.det(transform[:3]) < 0:
            triangles = triangles[:, ::-1]  # a mirrored object keeps its outside
        self._nodes.append(nodes @ transform[:3] + transform[3])
        self._triangles.append(triangles + self._n_nodes)
        self._n_nodes += len(nodes)
        labels = [_named(pid, index, materials) for pid, index in dict.fromkeys(its.material)]
        which = {key: k for k, key in enumerate(dict.fromkeys(its.material))}
        same = len(labels) == 1
        self._part.append(np.array([which[key] for key in its.material]) + len(self._names))
        self._names += [its.name if same or not label else _joined(its.name, label) for label in labels]

    def mesh(self, unit: str, carried: dict[str, int]) -> Mesh:
        """All of it as one mesh, a part for each object and material."""
        if not self._triangles:
            raise FormatError(str(self._path), "builds no facet")
        part = np.concatenate(self._part)
        used, part = np.unique(part, return_inverse=True)
        names = unlike([self._names[k] for k in used.tolist()])
        parts = tuple(Part(name, number) for number, name in enumerate(names, 1))
        source = Source("3mf", self._path.name, 2.0**-23, carried)
        return Mesh.from_triangles(
            np.concatenate(self._nodes), np.concatenate(self._triangles), part=part, parts=parts, unit=unit,
            source=source,
        )  # fmt: skip


def _joined(name: str, label: str) -> str:
    return label if name == _WHOLE else f"{name} / {label}"


def _named(pid: str, index: str, materials: dict[str, list[str]]) -> str:
    """The name of a base material, empty where there is none."""
    names = materials.get(pid, [])
    try:
        return names[whole_count(index)]
    except (ValueError, IndexError):
        return ""


# ---------------------------------------------------------------------- writing

_TYPES = (
    '<?xml version="1.0" encoding="UTF-8"?>\n'
    '<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types">'
    '<Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/>'
    '<Default Extension="model" ContentType="application/vnd.ms-package.3dmanufacturing-3dmodel+xml"/></Types>'
)
_RELATIONS = (
    '<?xml version="1.0" encoding="UTF-8"?>\n'
    '<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships">'
    f'<Relationship Target="/3D/3dmodel.model" Id="rel0" Type="{_START}"/></Relationships>'
)


def rounded(mesh: Mesh) -> Mesh:
    """Text holds every digit."""
    return mesh


def write(mesh: Mesh, path: Path) -> Remarks:
    """Write a package with one object, its parts as base materials; the result says what it cannot hold."""
    triangles = mesh.triangulation.triangles
    if not len(triangles):
        refuse_bare(mesh, path, "no surface that a 3MF could hold")
    said = losses(mesh, kinds=("tri",), holds={"unit", "parts"}, triangulated=True)
    if mesh.unit is None:
        said.lost.append("that the unit is unknown (written as mm, what the format takes where none is given)")
    units = {unit: name for name, unit in _UNITS.items()}
    part = mesh.element_part[mesh.triangulation.element]
    head = (
        '<?xml version="1.0" encoding="UTF-8"?>\n'
        f'<model unit="{units[mesh.unit or "mm"]}" xml:lang="en-US" xmlns="{CORE}">\n<resources>\n'
        '<basematerials id="1">\n'
        + "".join(f'<base name={quoteattr(p.name)} displaycolor="#B0B7C0FF"/>\n' for p in mesh.parts)
        + f'</basematerials>\n<object id="2" name="{_WHOLE}" type="model" pid="1" pindex="0"><mesh>\n<vertices>\n'
    )
    tail = '</triangles>\n</mesh></object>\n</resources>\n<build><item objectid="2"/></build>\n</model>\n'
    vertices = "".join('<vertex x="{!r}" y="{!r}" z="{!r}"/>\n'.format(*xyz) for xyz in mesh.nodes.tolist())
    facets = "".join(
        '<triangle v1="{}" v2="{}" v3="{}" pid="1" p1="{}"/>\n'.format(*row)
        for row in np.column_stack([triangles, part]).tolist()
    )

    def fill(file: BinaryIO) -> None:
        with zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED, compresslevel=6) as package:
            package.writestr(_entry("[Content_Types].xml"), _TYPES)
            package.writestr(_entry("_rels/.rels"), _RELATIONS)
            text = f"{head}{vertices}</vertices>\n<triangles>\n{facets}{tail}"
            package.writestr(_entry("3D/3dmodel.model"), text)

    write_whole(path, fill)
    return said


def _entry(name: str) -> zipfile.ZipInfo:
    """A member without the time of day, so that the same mesh makes the same file."""
    entry = zipfile.ZipInfo(name)
    entry.compress_type = zipfile.ZIP_DEFLATED
    return entry
