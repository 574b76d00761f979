"""Writing of CGNS files."""

from __future__ import annotations

from pathlib import Path
from typing import Any, BinaryIO

import numpy as np

from oddseam.arrays import Array
from oddseam.errors import FormatError
from oddseam.formats.cgns.cgns_groups import element_numbers, side_tables
from oddseam.formats.cgns.names import BOUNDARY_TYPE, NUMBER_OF, REGION, TYPES, UNITS
from oddseam.formats.files import write_whole
from oddseam.formats.losses import Remarks, losses
from oddseam.model import KINDS, Mesh

_VERSION = 3.4
_LONGEST_NAME = 32


def rounded(mesh: Mesh) -> Mesh:
    """Coordinates are written in double precision."""
    return mesh


def write(mesh: Mesh, path: Path) -> Remarks:
    """Write one base with one zone, a section for each part and kind; the result says what it cannot hold."""
    import h5py

    if not mesh.n_elements:
        raise FormatError(str(path), "the mesh has no elements")
    said = losses(mesh, kinds=KINDS, holds={"unit", "parts", "boundaries", "groups"})
    with h5py.File("memory", "w", driver="core", backing_store=False, libver=("earliest", "v108")) as file:
        _root(file)
        _fill(file, mesh, said)
        file.flush()
        image = file.id.get_file_image()

    def fill(out: BinaryIO) -> None:
        out.write(image)

    write_whole(path, fill)
    return said


def _root(file: Any) -> None:
    _attributes(file, "HDF5 MotherNode", "Root Node of HDF5 File", "MT")
    file.create_dataset(" format", data=np.frombuffer(b"IEEE_LITTLE_32\0", "i1"))
    file.create_dataset(" hdf5version", data=np.frombuffer(b"HDF5 Version 1.8.0".ljust(33, b"\0"), "i1"))
    _node(file, "CGNSLibraryVersion", "CGNSLibraryVersion_t", np.array([_VERSION], "<f4"))


def _attributes(group: Any, name: str, label: str, type_: str) -> None:
    for key, value, size in (("name", name, 33), ("label", label, 33), ("type", type_, 3)):
        group.attrs.create(key, np.array(value.encode("latin-1", "replace"), f"S{size}"))


def _node(parent: Any, name: str, label: str, data: Array | str | None = None) -> Any:
    """A node: a group with its name, label and type, and a data set."""
    if isinstance(data, str):
        data = np.frombuffer(data.encode("latin-1", "replace"), "i1")
    type_ = "MT" if data is None else {"i1": "C1", "i4": "I4", "f4": "R4", "f8": "R8"}[data.dtype.str[1:]]
    group = parent.create_group(name)
    _attributes(group, name, label, type_)
    group.attrs.create("flags", np.array([1], "<i4"))
    if data is not None:
        group.create_dataset(" data", data=data)
    return group


class _Names:
    """Names of at most 32 characters, no slashes, all different."""

    def __init__(self) -> None:
        self._taken: set[str] = set()

    def __call__(self, name: str, ending: str = "") -> str:
        plain = "".join(c if c.isprintable() and c != "/" else "_" for c in name).strip() or "part"
        room = _LONGEST_NAME - len(ending)
        made, number = plain[:room] + ending, 2
        while made in self._taken:
            mark = f"~{number}"
            made, number = plain[: room - len(mark)] + mark + ending, number + 1
        self._taken.add(made)
        return made


def _fill(file: Any, mesh: Mesh, said: Remarks) -> None:
    dimension = max(KINDS[kind].dimension for kind in mesh.elements)
    base = _node(file, "Base", "CGNSBase_t", np.array([dimension, 3], "<i4"))
    if mesh.unit is not None and mesh.unit in UNITS.values():
        length = next(name for name, unit in UNITS.items() if unit == mesh.unit)
        words = [word.ljust(32) for word in ("Null", length, "Null", "Null", "Null")]
        table = np.frombuffer("".join(words).encode(), "i1").reshape(5, 32)
        _node(base, "DimensionalUnits", "DimensionalUnits_t", table)
    cells = sum(len(b) for kind, b in mesh.elements.items() if KINDS[kind].dimension == dimension)
    zone = _node(base, "Zone", "Zone_t", np.array([[mesh.n_nodes], [cells], [0]], "<i4"))
    _node(zone, "ZoneType", "ZoneType_t", "Unstructured")
    coordinates = _node(zone, "GridCoordinates", "GridCoordinates_t")
    for axis, name in enumerate("XYZ"):
        _node(coordinates, f"Coordinate{name}", "DataArray_t", np.ascontiguousarray(mesh.nodes[:, axis], "<f8"))
    boundaries, sections = _Boundaries(zone, dimension), _Sections(zone)
    numbers = list[Array]()
    for kind, block in mesh.elements.items():
        number = np.zeros(len(block), np.int64)
        for index in np.unique(block.part).tolist():
            rows, part = block.part == index, mesh.parts[index]
            number[rows] = its = sections.add(part.name, kind, block.connectivity[rows])
            if 0 < KINDS[kind].dimension < dimension or part.boundary:
                type_ = BOUNDARY_TYPE.get(part.boundary, "UserDefined") if part.boundary else "Null"
                boundaries.add(part.name, type_, boundaries.of_elements, its)
        numbers.append(number)
    for name, kind, table in side_tables(mesh, dimension, said):
        boundaries.add(name, "Null", boundaries.of_elements, sections.add(name, kind, table))
    if mesh.groups.sides:
        said.converted.append(f"{len(mesh.groups.sides):,} groups of sides, to elements of their own")
    for name, members in mesh.groups.nodes.items():
        boundaries.add(name, "Null", "Vertex", members + 1)
    boundaries.write()
    names = _Names()
    for name, of, members in element_numbers(mesh, np.concatenate(numbers)):
        region = _node(zone, names(name, REGION), "ZoneSubRegion_t", np.array([of], "<i4"))
        _node(region, "PointList", "IndexArray_t", members.astype("<i4")[:, None])
        _node(region, "GridLocation", "GridLocation_t", "CellCenter" if of == dimension else "FaceCenter")


class _Sections:
    """Sections of elements, counted on from one to the next."""

    def __init__(self, zone: Any) -> None:
        self._zone, self._names, self._at = zone, _Names(), 1

    def add(self, name: str, kind: str, table: Array) -> Array:
        """Write one; the numbers of its elements."""
        number = NUMBER_OF[kind]
        rows = table[:, np.argsort(TYPES[number][3])] + 1
        first, self._at = self._at, self._at + len(rows)
        section = _node(self._zone, self._names(name, f" [{kind}]"), "Elements_t", np.array([number, 0], "<i4"))
        _node(section, "ElementRange", "IndexRange_t", np.array([first, self._at - 1], "<i4"))
        _node(section, "ElementConnectivity", "DataArray_t", rows.astype("<i4").ravel())
        return np.arange(first, self._at)


class _Boundaries:
    """Boundary conditions, each of a type and at nodes or elements."""

    def __init__(self, zone: Any, dimension: int) -> None:
        self._zone = zone
        self.of_elements = "FaceCenter" if dimension == 3 else "CellCenter"
        self._found: dict[tuple[str, str, str], list[Array]] = {}

    def add(self, name: str, type_: str, location: str, members: Array) -> None:
        self._found.setdefault((name, type_, location), []).append(members)

    def write(self) -> None:
        if not self._found:
            return
        conditions, names = _node(self._zone, "ZoneBC", "ZoneBC_t"), _Names()
        for (name, type_, location), members in self._found.items():
            condition = _node(conditions, names(name), "BC_t", type_)
            _node(condition, "PointList", "IndexArray_t", np.concatenate(members).astype("<i4")[:, None])
            _node(condition, "GridLocation", "GridLocation_t", location)
