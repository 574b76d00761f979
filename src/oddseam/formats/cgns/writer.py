"""Writing of CGNS files."""

from __future__ import annotations

from pathlib import Path
from typing import Any, BinaryIO

import numpy as np

from oddseam.arrays import Array
from oddseam.errors import FormatError
from oddseam.formats.cgns.names import BOUNDARY_TYPE, NUMBER_OF, TYPES, UNITS
from oddseam.formats.files import write_whole
from oddseam.formats.losses import Remarks, losses
from oddseam.model import KINDS, Mesh, Part

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
    said = losses(mesh, kinds=KINDS, holds={"unit", "parts", "boundaries"})
    with h5py.File("memory", "w", driver="core", backing_store=False, libver=("earliest", "v108")) as file:
        _root(file)
        _fill(file, mesh)
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


def _fill(file: Any, mesh: Mesh) -> None:
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
    boundaries = _Boundaries(zone, dimension)
    names, at = _Names(), 1
    for kind, block in mesh.elements.items():
        number = NUMBER_OF[kind]
        order = np.argsort(TYPES[number][3])
        for index in np.unique(block.part).tolist():
            rows = block.connectivity[block.part == index][:, order] + 1
            last = at + len(rows) - 1
            section = _node(
                zone, names(mesh.parts[index].name, f" [{kind}]"), "Elements_t", np.array([number, 0], "<i4")
            )
            _node(section, "ElementRange", "IndexRange_t", np.array([at, last], "<i4"))
            _node(section, "ElementConnectivity", "DataArray_t", rows.astype("<i4").ravel())
            boundaries.add(mesh.parts[index], kind, at, last)
            at = last + 1
    boundaries.write()


class _Boundaries:
    """Boundary conditions: parts below the dimension of the cells, and surfaces that have a kind."""

    def __init__(self, zone: Any, dimension: int) -> None:
        self._zone, self._dimension = zone, dimension
        self._found: dict[Part, list[Array]] = {}

    def add(self, part: Part, kind: str, first: int, last: int) -> None:
        if 0 < KINDS[kind].dimension < self._dimension or part.boundary:
            self._found.setdefault(part, []).append(np.arange(first, last + 1))

    def write(self) -> None:
        if not self._found:
            return
        conditions, names = _node(self._zone, "ZoneBC", "ZoneBC_t"), _Names()
        for part, members in self._found.items():
            type_ = BOUNDARY_TYPE.get(part.boundary, "UserDefined") if part.boundary else "Null"
            condition = _node(conditions, names(part.name), "BC_t", type_)
            points = np.concatenate(members).astype("<i4")[:, None]
            _node(condition, "PointList", "IndexArray_t", points)
            location = "FaceCenter" if self._dimension == 3 else "CellCenter"
            _node(condition, "GridLocation", "GridLocation_t", location)
