"""The XML of a VTK file and the data arrays in it, in every encoding that the format allows."""

from __future__ import annotations

import base64
import binascii
import lzma
import re
import struct
import zlib
from dataclasses import dataclass, field
from pathlib import Path
from typing import NoReturn

import numpy as np

from oddseam.arrays import Array
from oddseam.errors import FormatError
from oddseam.formats.files import Data
from oddseam.formats.text import numbers_in
from oddseam.formats.vtu.vtu_cells import TYPES
from oddseam.formats.xml_events import XmlReader, whole, whole_count

#: A block of compressed data unpacks to at most so many times its size.
_MOST_UNPACKED = 1100
_APPENDED = re.compile(rb"<AppendedData[^>]*>\s*_")


@dataclass
class DataArray:
    """A data array as the XML states it."""

    attributes: dict[str, str]
    text: list[str] = field(default_factory=list)


@dataclass
class Piece:
    """A piece of the grid: its counts, and the data arrays of its sections by name."""

    n_points: int
    n_cells: int
    sections: dict[str, dict[str, DataArray]] = field(default_factory=dict)
    global_ids: dict[str, str] = field(default_factory=dict)


class Document(XmlReader):
    """The XML: attributes of the file, its pieces, and the field data of the grid."""

    def __init__(self, path: Path, data: Data) -> None:
        super().__init__(path)
        self.grid = Piece(0, 0)
        self.file: dict[str, str] = {}
        self.pieces: list[Piece] = []
        self._section = ""
        self._array: DataArray | None = None
        found = _APPENDED.search(data)
        head, self.appended = (data[:], b"") if found is None else (data[: found.start()], data[found.end() :])
        self.encoding = "raw"
        if found is not None and b'encoding="base64"' in found[0].replace(b"'", b'"'):
            self.encoding = "base64"
        self.run([head] if found is None else [head, b"</VTKFile>"])

    def started(self, tag: str, attributes: dict[str, str]) -> None:
        """An element begins: a piece, a section of it, or an array."""
        if tag == "VTKFile":
            self.file = attributes
            if attributes.get("type") != "UnstructuredGrid":
                self.fail(f"holds a {attributes.get('type')}; only an UnstructuredGrid is read")
        elif tag == "Piece":
            self.pieces.append(
                Piece(whole_count(attributes["NumberOfPoints"]), whole_count(attributes["NumberOfCells"]))
            )
        elif tag in ("Points", "Cells", "PointData", "CellData", "FieldData"):
            self._section = tag
            piece = self._piece()
            piece.sections.setdefault(tag, {})
            if "GlobalIds" in attributes:
                piece.global_ids[tag] = attributes["GlobalIds"]
        elif tag in ("DataArray", "Array"):
            self._array = DataArray(attributes)
            name = "points" if self._section == "Points" else attributes.get("Name", "")
            self._piece().sections.setdefault(self._section, {})[name] = self._array

    def _piece(self) -> Piece:
        return self.pieces[-1] if self.pieces and self._section != "FieldData" else self.grid

    def said(self, text: str) -> None:
        """Text of an array."""
        if self._array is not None:
            self._array.text.append(text)

    def ended(self, tag: str) -> None:
        """An array ends."""
        if tag in ("DataArray", "Array"):
            self._array = None


class Decoder:
    """Turns data arrays into arrays of numbers."""

    def __init__(self, document: Document) -> None:
        self.document, self.path = document, document.path
        self.order = ">" if document.file.get("byte_order") == "BigEndian" else "<"
        header = document.file.get("header_type", "UInt32")
        self.word = 8 if header == "UInt64" else 4
        self.compressor = document.file.get("compressor", "")
        if self.compressor not in ("", "vtkZLibDataCompressor", "vtkLZMADataCompressor"):
            document.fail(f"is packed with {self.compressor}; plain, zlib and lzma are read")

    def values(self, name: str, array: DataArray) -> Array:
        """The values, flat."""
        attributes = array.attributes
        kind, form = attributes.get("type", ""), attributes.get("format", "ascii")
        if kind == "String":
            kind = "Int8"
        if kind not in TYPES:
            self.fail(name, f"is of type {kind!r}, which the format does not know")
        text = "".join(array.text)
        if form == "ascii":
            return self._from_text(name, text, TYPES[kind])
        if form == "binary":
            raw = self._unpacked(name, self._base64(name, text.encode("ascii", "replace").strip()))
        elif form == "appended":
            try:
                offset = whole_count(attributes.get("offset", "0"), "the offset")
            except ValueError as error:
                self.fail(name, f"has no place: {error}")
            rest = self.document.appended[offset:]
            if self.document.encoding == "base64":
                rest = self._base64(name, re.match(rb"[A-Za-z0-9+/=]*", rest)[0])  # type: ignore[index]
            raw = self._unpacked(name, rest)
        else:
            self.fail(name, f"is written as {form!r}, which the format does not know")
        dtype = np.dtype(self.order + TYPES[kind])
        if len(raw) % dtype.itemsize:
            self.fail(name, "holds a broken number of bytes")
        return np.frombuffer(raw, dtype).astype(dtype.newbyteorder("="))

    def fail(self, name: str, reason: str) -> NoReturn:
        """Refuse the file because of an array."""
        raise FormatError(str(self.path), f"the array {name!r} {reason}")

    def _from_text(self, name: str, text: str, kind: str) -> Array:
        raw = np.frombuffer(text.encode("utf-8", "replace") + b" ", np.uint8)
        values = numbers_in(raw, 0, self.path).values
        if kind[0] == "f":
            return values
        if not (values == np.rint(values)).all():
            self.fail(name, "holds a word that is not a whole number")
        if (np.abs(values) < 2.0**53).all():
            return values.astype("i8")
        try:
            return np.array([whole(word) for word in text.split()], f"{kind[0]}8")
        except (ValueError, OverflowError):
            self.fail(name, "holds a number that is too large")

    def _base64(self, name: str, text: bytes) -> bytes:
        """All base64 runs, which are padded one by one: a header and its data may be two."""
        out = []
        for run in re.findall(rb"[^=\s]+=*", text):
            try:
                out.append(base64.b64decode(run, validate=True))
            except (binascii.Error, ValueError) as error:
                self.fail(name, f"is no base64 ({error})")
        return b"".join(out)

    def _unpacked(self, name: str, raw: bytes) -> bytes:
        def words(count: int, at: int) -> tuple[int, ...]:
            if at + count * self.word > len(raw):
                self.fail(name, "is cut short")
            return struct.unpack(
                f"{self.order}{count}{'Q' if self.word == 8 else 'I'}", raw[at : at + count * self.word]
            )

        if not self.compressor:
            (size,) = words(1, 0)
            if self.word + size > len(raw):
                self.fail(name, f"says that it has {size:,} bytes, but there are {len(raw) - self.word:,}")
            return raw[self.word : self.word + size]
        blocks, size, last = words(3, 0)
        if blocks > len(raw) // self.word:
            self.fail(name, f"says that it has {blocks:,} blocks, more than it has bytes for")
        sizes = words(blocks, 3 * self.word)
        at, out = (3 + blocks) * self.word, []
        for k, packed in enumerate(sizes):
            whole = last if last and k == blocks - 1 else size
            if at + packed > len(raw) or whole > _MOST_UNPACKED * max(packed, 64):
                self.fail(name, "is cut short, or claims to unpack to more than it can")
            out.append(self._block(name, raw[at : at + packed], whole))
            at += packed
        return b"".join(out)

    def _block(self, name: str, packed: bytes, whole: int) -> bytes:
        try:
            if self.compressor == "vtkZLibDataCompressor":
                block = zlib.decompressobj().decompress(packed, whole + 1)
            else:
                block = lzma.LZMADecompressor().decompress(packed, whole + 1)
        except (zlib.error, lzma.LZMAError) as error:
            self.fail(name, f"is damaged ({error})")
        if len(block) != whole:
            self.fail(name, "has a block of another size than it says")
        return block
