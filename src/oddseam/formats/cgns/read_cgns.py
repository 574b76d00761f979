"""Reading of CGNS files."""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np

from oddseam.arrays import Array, IdIndex
from oddseam.errors import FormatError
from oddseam.formats.cgns.names import MIXED, REGION, TYPES, UNITS, boundary_kind
from oddseam.formats.facets import unlike
from oddseam.formats.files import Data, damaged
from oddseam.model import KINDS, Elements, Groups, Mesh, Part, Source

#: A packed array unpacks to at most so many times the size of the file.
_MOST_UNPACKED = 1100
_KIND_SUFFIX = re.compile(rf" \[({'|'.join(KINDS)})\]$")


def recognises(data: Data) -> bool:
    """An HDF5 file that names the CGNS library version near its beginning, or at all."""
    return data[:8] == b"\x89HDF\r\n\x1a\n" and b"CGNSLibraryVersion" in data[: 1 << 20]


def read(path: Path, data: Data) -> Mesh:
    """Read the unstructured zones of a CGNS file."""
    import h5py

    try:
        with h5py.File(path, "r") as file:
            return _Base(path, file, len(data)).mesh()
    except (OSError, RuntimeError) as error:
        raise damaged(path, error) from error


def _word(value: Any) -> str:
    return value.decode("latin-1") if isinstance(value, bytes) else str(value)


class _Base:
    """The first base of a file."""

    def __init__(self, path: Path, file: Any, size: int) -> None:
        self.path, self._file, self._most = path, file, _MOST_UNPACKED * size
        bases = list(self.children(file, "CGNSBase_t"))
        if not bases:
            raise FormatError(str(path), "holds no base")
        self._base = bases[0][1]
        self.carried = {"further bases": len(bases) - 1} if len(bases) > 1 else {}
        self.families = {name: self._family(node) for name, node in self.children(self._base, "Family_t")}

    def children(self, node: Any, label: str) -> Iterator[tuple[str, Any]]:
        """Children of one label, in the order of their names in the file; links are refused."""
        import h5py

        for name in node:
            link = node.get(name, getlink=True)
            if isinstance(link, (h5py.ExternalLink, h5py.SoftLink)):
                raise FormatError(str(self.path), f"{node.name}/{name} is a link, which is not followed")
            child = node[name]
            if isinstance(child, h5py.Group) and _word(child.attrs.get("label", "")) == label:
                yield name, child

    def child(self, node: Any, label: str, name: str = "") -> Any:
        """The first child of a label (and name), or ``None``."""
        return next((n for key, n in self.children(node, label) if not name or key == name), None)

    def values(self, node: Any) -> Array:
        """The data of a node, flat."""
        if node is None or " data" not in node:
            return np.zeros(0, np.int64)
        data = node[" data"]
        if data.size * data.dtype.itemsize > self._most:
            raise FormatError(str(self.path), f"{node.name} claims to unpack to more than it can")
        return np.asarray(data[()]).reshape(-1)

    def text(self, node: Any) -> str:
        """The data of a node as text."""
        return self.values(node).astype("u1").tobytes().decode("latin-1").strip()

    def _family(self, node: Any) -> str:
        return self.text(self.child(node, "FamilyBC_t"))

    def unit(self) -> str | None:
        """The unit of length, if the base says one that is known here."""
        node = self.child(self._base, "DimensionalUnits_t")
        words = self.text(node)
        return UNITS.get(words[32:64].strip()) if node is not None else None

    def mesh(self) -> Mesh:
        """All unstructured zones as one mesh."""
        zones = []
        for name, node in self.children(self._base, "Zone_t"):
            if self.text(self.child(node, "ZoneType_t")) == "Unstructured":
                zones.append(_Zone(self, name, node))
            else:
                self.carried["structured zones, left out"] = self.carried.get("structured zones, left out", 0) + 1
        zones = [zone for zone in zones if zone.blocks]
        if not zones:
            raise FormatError(str(self.path), "holds no unstructured zone with elements")
        nodes = np.concatenate([zone.nodes for zone in zones])
        parts: list[tuple[str, str | None]] = []
        blocks: dict[str, list[tuple[Array, Array, Array]]] = {}
        of_nodes: dict[str, Array] = {}
        regions: dict[str, list[Array]] = {}
        n_nodes = n_elements = 0
        for zone in zones:
            prefix = f"{zone.name} / " if len(zones) > 1 else ""
            table, named = zone.parts()
            number = np.array([_number(parts, (prefix + name, kind)) for name, kind in named], np.int64)
            for kind, corners, ids in zone.blocks:
                blocks.setdefault(kind, []).append((corners + n_nodes, ids + n_elements, number[table[ids]]))
            for name, members in zone.node_groups.items():
                of_nodes[prefix + name] = (members + n_nodes).astype(np.int32)
            for name, numbers in zone.regions():
                regions.setdefault(prefix + name, []).append(numbers + n_elements)
            n_nodes, n_elements = n_nodes + len(zone.nodes), n_elements + len(table)
        elements = {}
        for kind in (k for k in KINDS if k in blocks):
            table, ids, part = (np.concatenate(column) for column in zip(*blocks[kind], strict=True))
            elements[kind] = Elements(table.astype(np.int32), ids, part.astype(np.int32))
        names = unlike([name for name, _ in parts])
        made = tuple(
            Part(name, k, boundary) for k, (name, (_, boundary)) in enumerate(zip(names, parts, strict=True), 1)
        )
        index = IdIndex(np.concatenate([np.zeros(0, np.int64), *(block.ids for block in elements.values())]))
        of_elements = {}
        for name, its in regions.items():
            row, missing = index.of(np.unique(np.concatenate(its)))
            of_elements[name] = np.sort(row[~missing]).astype(np.int32)
            if missing.any():
                self.carried[f"members of {name} that are not there"] = int(missing.sum())
        source = Source("cgns", self.path.name, 2.0**-52, self.carried)
        groups = Groups(of_nodes, of_elements)
        return Mesh(nodes, elements, made, groups=groups, unit=self.unit(), source=source)


def _number(parts: list[tuple[str, str | None]], part: tuple[str, str | None]) -> int:
    if part not in parts:
        parts.append(part)
    return parts.index(part)


class _Zone:
    """One unstructured zone: nodes, elements by kind with their numbers, and boundary conditions."""

    def __init__(self, base: _Base, name: str, node: Any) -> None:
        self._base, self._node, self.name = base, node, name
        coordinates = base.child(node, "GridCoordinates_t")
        axes = (
            [base.values(base.child(coordinates, "DataArray_t", f"Coordinate{c}")) for c in "XYZ"]
            if coordinates
            else []
        )
        count = max((len(axis) for axis in axes), default=0)
        if not count or any(len(axis) not in (0, count) for axis in axes):
            self.fail("has no cartesian coordinates of one length")
        self.nodes = np.column_stack([axis if len(axis) else np.zeros(count) for axis in axes]).astype(np.float64)
        self.blocks: list[tuple[str, Array, Array]] = []
        self._sections: list[tuple[str, int, int]] = []
        self.node_groups: dict[str, Array] = {}
        for section, its in base.children(node, "Elements_t"):
            self._add_section(section, its)

    def fail(self, reason: str) -> None:
        raise FormatError(str(self._base.path), f"zone {self.name}: {reason}")

    def _add_section(self, name: str, node: Any) -> None:
        base = self._base
        about, span = base.values(node), base.values(base.child(node, "IndexRange_t", "ElementRange")).astype(np.int64)
        corners = base.values(base.child(node, "DataArray_t", "ElementConnectivity")).astype(np.int64)
        if len(about) < 1 or len(span) != 2 or not 0 < span[0] <= span[1] or span[1] - span[0] > len(corners):
            self.fail(f"section {name} has no sound range of elements")
        number, count = int(about[0]), int(span[1] - span[0] + 1)
        ids = np.arange(span[0], span[1] + 1)
        if number == MIXED:
            self._add_mixed(name, corners, ids)
        elif number in TYPES:
            _, kind, size, order = TYPES[number]
            if len(corners) != count * size:
                self.fail(f"section {name} has {len(corners):,} corners for {count:,} elements of {size}")
            self._add(name, kind, corners.reshape(count, size)[:, list(order)], ids)
        else:
            what = f"elements of type {number}, left out"
            base.carried[what] = base.carried.get(what, 0) + count
            return
        self._sections.append((_KIND_SUFFIX.sub("", name), int(span[0]), int(span[1])))

    def _add_mixed(self, name: str, corners: Array, ids: Array) -> None:
        """A section that states the type before each element."""
        rows: dict[int, tuple[list[int], list[int]]] = {}
        at = 0
        for number in ids.tolist():
            type_ = int(corners[at]) if at < len(corners) else -1
            if type_ not in TYPES or at + 1 + TYPES[type_][2] > len(corners):
                self.fail(f"section {name}: element {number} is of type {type_}, which is not read in a mixed section")
            starts, numbers = rows.setdefault(type_, ([], []))
            starts.append(at + 1)
            numbers.append(number)
            at += 1 + TYPES[type_][2]
        for type_, (starts, numbers) in rows.items():
            _, kind, _, order = TYPES[type_]
            self._add(name, kind, corners[np.array(starts)[:, None] + np.array(order)], np.array(numbers))

    def _add(self, name: str, kind: str, corners: Array, ids: Array) -> None:
        if corners.size and (corners.min() < 1 or corners.max() > len(self.nodes)):
            self.fail(f"section {name} refers to node {corners.max()}, but there are {len(self.nodes):,}")
        self.blocks.append((kind, corners - 1, ids))

    def regions(self) -> Iterator[tuple[str, Array]]:
        """Groups of elements: regions that list them, by number."""
        for name, node in self._base.children(self._node, "ZoneSubRegion_t"):
            location = self._base.text(self._base.child(node, "GridLocation_t")) or "Vertex"
            members = self._base.values(self._base.child(node, "IndexArray_t", "PointList")).astype(np.int64)
            if location == "Vertex" or not len(members):
                self._base.carried[f"region {name}"] = 1
            else:
                yield name.removesuffix(REGION), members

    def parts(self) -> tuple[Array, list[tuple[str, str | None]]]:
        """For every element number its part, and the parts: sections, then boundary conditions."""
        most = max(last for _, _, last in self._sections)
        table = np.zeros(most + 1, np.int64)
        named: list[tuple[str, str | None]] = []
        for name, first, last in self._sections:
            table[first : last + 1] = _number(named, (name, None))
        for zone_bc in (node for _, node in self._base.children(self._node, "ZoneBC_t")):
            for name, node in self._base.children(zone_bc, "BC_t"):
                self._add_boundary(name, node, table, named)
        ids = np.concatenate([its for _, _, its in self.blocks])
        held, table[ids] = np.unique(table[ids], return_inverse=True)  # a section may lie in a boundary as a whole
        return table, [named[k] for k in held.tolist()]

    def _add_boundary(self, name: str, node: Any, table: Array, named: list[tuple[str, str | None]]) -> None:
        base = self._base
        kind = base.text(node)
        if kind == "FamilySpecified":
            kind = base.families.get(base.text(base.child(node, "FamilyName_t")), "")
        members = np.zeros(0, np.int64)
        for label, key in (("IndexArray_t", "PointList"), ("IndexArray_t", "ElementList")):
            members = np.concatenate([members, base.values(base.child(node, label, key)).astype(np.int64)])
        for key in ("PointRange", "ElementRange"):
            span = base.values(base.child(node, "IndexRange_t", key)).astype(np.int64)
            if len(span) == 2 and 0 < span[0] <= span[1] < max(len(table), len(self.nodes) + 1):
                members = np.concatenate([members, np.arange(span[0], span[1] + 1)])
        location = base.text(base.child(node, "GridLocation_t")) or "Vertex"
        by_element = location != "Vertex" or base.child(node, "IndexArray_t", "ElementList") is not None
        inside = (members > 0) & (members < len(table) if by_element else members <= len(self.nodes))
        if not inside.all():
            base.carried[f"members of {name} that are not there"] = int((~inside).sum())
        if by_element:
            table[members[inside]] = _number(named, (name, boundary_kind(kind)))
        else:
            self.node_groups[name] = np.unique(members[inside] - 1)
