"""Reading of VTK XML unstructured grids."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from oddseam.arrays import Array
from oddseam.errors import FormatError
from oddseam.formats.files import Data
from oddseam.formats.vtu.document import Decoder, Document, Piece
from oddseam.formats.vtu.vtu_cells import (
    CELLS,
    ELEMENT_IDS,
    GROUP,
    KIND_OF,
    NODE_IDS,
    PART,
    PART_NAMES,
    PIXEL,
    POLYGON,
    POLYLINE,
    SIDES,
    STRIP,
    VOXEL,
)
from oddseam.geometry.shapes.polygons import triangulate_polygons
from oddseam.geometry.triangles import area_vectors
from oddseam.model import KINDS, Elements, Groups, Mesh, Part, Source


def recognises(data: Data) -> bool:
    """XML whose root is a VTK file."""
    head = data[:2048].lstrip(b"\xef\xbb\xbf \t\r\n")
    return head.startswith(b"<") and b"<VTKFile" in head


def read(path: Path, data: Data) -> Mesh:
    """Read a VTK XML unstructured grid."""
    document = Document(path, data)
    decoder = Decoder(document)
    if not document.pieces:
        raise FormatError(str(path), "holds no piece")
    grid = _Grid(path, decoder)
    for piece in document.pieces:
        grid.add(piece)
    names = document.grid.sections.get("FieldData", {}).get(PART_NAMES)
    text = decoder.values(PART_NAMES, names).astype("u1").tobytes().decode("utf-8", "replace") if names else ""
    return grid.mesh(text.split("\0")[:-1])


class _Grid:
    """The pieces put together."""

    def __init__(self, path: Path, decoder: Decoder) -> None:
        self.path, self.decoder = path, decoder
        self.nodes: list[Array] = []
        self.blocks: dict[str, list[tuple[Array, Array]]] = {}  # connectivity, and row of the cell
        self.point_data: dict[str, list[Array]] = {}
        self.cell_data: dict[str, list[Array]] = {}
        self.ids = {"PointData": NODE_IDS, "CellData": ELEMENT_IDS}
        self.carried: dict[str, int] = {}
        self.turned = False
        self.n_points = self.n_cells = 0

    def add(self, piece: Piece) -> None:
        """Append one piece."""
        points = self._array(piece, "Points", "points").astype(np.float64)
        if len(points) != 3 * piece.n_points:
            raise FormatError(str(self.path), f"{len(points):,} coordinates for {piece.n_points:,} points")
        self.nodes.append(points.reshape(-1, 3))
        types = self._array(piece, "Cells", "types").astype(np.int64)
        offsets = self._array(piece, "Cells", "offsets").astype(np.int64)
        corner = self._array(piece, "Cells", "connectivity").astype(np.int64)
        first = np.concatenate([[0], offsets])
        if len(types) != piece.n_cells or len(offsets) != piece.n_cells or (np.diff(first) < 0).any():
            raise FormatError(str(self.path), f"types and offsets do not fit {piece.n_cells:,} cells")
        if first[-1] > len(corner) or (len(corner) and (corner.min() < 0 or corner.max() >= piece.n_points)):
            raise FormatError(str(self.path), "a cell refers to a point that is not there")
        self._add_cells(types, first, corner, points.reshape(-1, 3))
        for section, data, count in (
            ("PointData", self.point_data, piece.n_points), ("CellData", self.cell_data, piece.n_cells)
        ):  # fmt: skip
            self._add_data(piece, section, data, count)
        self.n_points += piece.n_points
        self.n_cells += piece.n_cells

    def _array(self, piece: Piece, section: str, name: str) -> Array:
        found = piece.sections.get(section, {}).get(name)
        if found is None:
            raise FormatError(str(self.path), f"{section} has no array {name!r}")
        return self.decoder.values(name, found)

    def _add_data(self, piece: Piece, section: str, data: dict[str, list[Array]], count: int) -> None:
        ids = piece.global_ids.get(section)
        for name, array in piece.sections.get(section, {}).items():
            ours = name in (ids, PART) or name.startswith((GROUP, SIDES))
            if not ours:
                what = f"{'point' if section == 'PointData' else 'cell'} array {name!r}"
                self.carried[what] = self.carried.get(what, 0) + count
                continue
            values = self.decoder.values(name, array)
            if len(values) != count:
                raise FormatError(str(self.path), f"the array {name!r} has {len(values):,} values for {count:,}")
            data.setdefault(self.ids[section] if name == ids else name, []).append(values)

    def _add_cells(self, types: Array, first: Array, corner: Array, points: Array) -> None:
        size = np.diff(first)
        for number in np.unique(types).tolist():
            rows = np.flatnonzero(types == number)
            if number in KIND_OF:
                kind = KIND_OF[number]
                self._check_size(number, rows, size, KINDS[kind].size)
                table = corner[first[rows][:, None] + np.arange(KINDS[kind].size)][:, CELLS[kind][1]]
                self._append(kind, table, rows)
            elif number in (PIXEL, VOXEL):
                order = [0, 1, 3, 2] if number == PIXEL else [0, 1, 3, 2, 4, 5, 7, 6]
                self._check_size(number, rows, size, len(order))
                table = corner[first[rows][:, None] + np.array(order)]
                self._append("quad" if number == PIXEL else "hex", table, rows)
            elif number in (POLYLINE, STRIP, POLYGON):
                for row in rows.tolist():
                    self._add_long(number, row, corner[first[row] : first[row + 1]], points)
            else:
                self.carried[f"cells of type {number}, left out"] = len(rows)

    def _check_size(self, number: int, rows: Array, size: Array, wanted: int) -> None:
        if (size[rows] != wanted).any():
            row = int(rows[np.argmax(size[rows] != wanted)])
            raise FormatError(str(self.path), f"cell {row} of type {number} has {size[row]} points, not {wanted}")

    def _add_long(self, number: int, row: int, corner: Array, points: Array) -> None:
        n = len(corner)
        if number == POLYLINE and n > 1:
            table = np.column_stack([corner[:-1], corner[1:]])
        elif number == STRIP and n > 2:
            k = np.arange(n - 2)
            table = corner[np.column_stack([k + k % 2, k + 1 - k % 2, k + 2])]
        elif number == POLYGON and n > 2:
            table = corner[triangulate_polygons(points[corner], np.array([0, n]))]
        else:
            return
        self._append("line" if number == POLYLINE else "tri", table, np.full(len(table), row))

    def _append(self, kind: str, table: Array, rows: Array) -> None:
        self.blocks.setdefault(kind, []).append((table + self.n_points, rows + self.n_cells))

    def mesh(self, part_names: list[str]) -> Mesh:
        """All of it."""
        nodes = np.concatenate(self.nodes)
        node_ids = self._whole(self.point_data, NODE_IDS, self.n_points)
        node_ids = np.arange(1, self.n_points + 1) if node_ids is None else node_ids
        of_cell = self._whole(self.cell_data, ELEMENT_IDS, self.n_cells)
        part_of = self._whole(self.cell_data, PART, self.n_cells)
        part_of = np.ones(self.n_cells, np.int64) if part_of is None else part_of
        numbers, part = np.unique(part_of, return_inverse=True)
        given = dict(name.split(" ", 1) for name in part_names if " " in name)
        parts = tuple(Part(given.get(str(n), f"part {n}"), int(n)) for n in numbers.tolist())
        of_cell = np.arange(1, self.n_cells + 1) if of_cell is None else of_cell
        elements, cells = {}, []
        seen = np.zeros(self.n_cells, bool)
        above = int(of_cell.max(initial=0)) + 1
        for kind in KINDS:
            if kind not in self.blocks:
                continue
            table = np.concatenate([t for t, _ in self.blocks[kind]])
            rows = np.concatenate([r for _, r in self.blocks[kind]])
            if kind == "wedge":
                table = self._upright(table, nodes)
            number = of_cell[rows].astype(np.int64)
            again = seen[rows] | np.concatenate([[False], rows[1:] == rows[:-1]])  # cut out of the same cell
            number[again] = above + np.arange(again.sum())
            above += int(again.sum())
            seen[rows] = True
            elements[kind] = Elements(table.astype(np.int32), number, part[rows].astype(np.int32))
            cells.append(rows)
        if not elements:
            raise FormatError(str(self.path), "holds no cell")
        cell = np.concatenate(cells)
        groups = Groups(
            self._groups(self.point_data, np.arange(self.n_points), self.n_points),
            self._groups(self.cell_data, cell, self.n_cells),
            self._sides(cell, np.repeat([*elements], [len(block) for block in elements.values()])),
        )
        source = Source("vtu", self.path.name, 2.0**-52, self.carried)
        return Mesh(nodes, elements, parts, node_ids, groups, source=source)

    def _upright(self, table: Array, nodes: Array) -> Array:
        """Wedges the way round that most of them enclose something."""
        bottom, top = nodes[table[:, :3]], nodes[table[:, 3:]]
        up = top.mean(axis=1) - bottom.mean(axis=1)
        looks = np.einsum("ij,ij->i", area_vectors(bottom) + area_vectors(top), up)
        if (looks < 0).sum() <= (looks > 0).sum():
            return table
        self.carried["wedges that face the other way, turned"] = len(table)
        self.turned = True
        return table[:, [0, 2, 1, 3, 5, 4]]

    def _sides(self, rows: Array, kind: Array) -> dict[str, Array]:
        """Groups of sides, of elements that are in these rows of the file."""
        found = {}
        for name, values in self.cell_data.items():
            if name.startswith(SIDES):
                bits = self._of_all(name, values, self.n_cells)[rows].astype(np.int64)
                element, side = np.nonzero((bits[:, None] >> np.arange(8)) & 1)
                if self.turned:  # the faces beside the first edge of a wedge have changed places
                    side = np.where((kind[element] == "wedge") & np.isin(side, (2, 4)), 6 - side, side)
                found[name.removeprefix(SIDES)] = np.column_stack([element, side]).astype(np.int32)
        return found

    def _whole(self, data: dict[str, list[Array]], name: str, count: int) -> Array | None:
        if name not in data or sum(map(len, data[name])) != count:
            return None
        return np.concatenate(data[name]).astype(np.int64)

    def _of_all(self, name: str, values: list[Array], count: int) -> Array:
        """The values of an array of all pieces."""
        every = np.concatenate(values)
        if len(every) != count:
            raise FormatError(str(self.path), f"the array {name!r} has {len(every):,} values for {count:,}")
        return every

    def _groups(self, data: dict[str, list[Array]], rows: Array, count: int) -> dict[str, Array]:
        found = {}
        for name, values in data.items():
            if name.startswith(GROUP):
                marked = self._of_all(name, values, count)
                found[name.removeprefix(GROUP)] = np.flatnonzero(marked[rows]).astype(np.int32)
        return found
