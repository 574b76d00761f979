"""Text files as arrays: reals correctly rounded, and faults placed by line.

The compiled scanners settle what is plainly so; the words they leave in doubt go through
Python's own correctly rounded conversion.
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from oddseam.arrays import Array
from oddseam.compiled import announce
from oddseam.errors import FormatError
from oddseam.formats.files import Data

BYTE_ORDER_MARK = b"\xef\xbb\xbf"
_BLANK = b" \t\r\n,\\"
_EXPONENT = re.compile(rb"(?<=[\d.])([+-]\d+)$")


def as_bytes(data: Data) -> Array:
    """The file as an array of bytes, without a copy."""
    return np.frombuffer(data, np.uint8)


def text_begins(data: Data) -> int:
    """Where the text begins: after a byte order mark, if there is one."""
    return 3 if data[:3] == BYTE_ORDER_MARK else 0


def line_of(text: Array, at: int) -> str:
    """``"line 12"``, for a byte of the file."""
    from oddseam.formats.kernels.number_scans import line_number

    announce(line_number)
    return f"line {line_number(text, min(at, len(text)))}"


def word_at(text: Array, at: int) -> bytes:
    """The word that begins at a byte."""
    piece = text[at : at + 400].tobytes()
    end = next((k for k, c in enumerate(piece) if c in _BLANK), len(piece))
    return piece[:end]


def real(word: bytes, *, deck: bool = False) -> float | None:
    """The value of a word, in a solver ``deck`` also as ``1.5D3`` and ``1.5-3``; ``None`` if it is not a number."""
    if b"_" in word:
        return None
    for form in (word, _EXPONENT.sub(rb"E\1", word.upper().replace(b"D", b"E")))[: 1 + deck]:
        try:
            return float(form)
        except ValueError:
            continue
    return None


def settle(
    path: Path, text: Array, values: Array, slots: Iterable[int], starts: Iterable[int], *, finite: bool = True
) -> None:
    """Convert the words in doubt into ``values`` (flat); a word that is no (finite) number is refused.

    Infinities and what is not a number are always in doubt, so that none passes unseen.
    """
    for slot, start in zip(slots, starts, strict=True):
        word = word_at(text, start)
        value = real(word)
        if value is None or (finite and not math.isfinite(value)):
            shown = (text[start : start + 40].tobytes().split() or [b""])[0].decode("latin-1")
            what = f"{shown!r} is not a number" if value is None else f"the coordinate {shown!r} is not a finite number"
            raise FormatError(str(path), what, line_of(text, start))
        values[slot] = value


@dataclass(frozen=True, eq=False)
class Numbers:
    """All words of a text as reals.

    Attributes
    ----------
    values : (n,) float64 array
    starts : (n,) int64 array
        Byte of each word.
    line_first : (k + 1,) int64 array
        First word of every line that holds any, and the end.
    """

    values: Array
    starts: Array
    line_first: Array


def numbers_in(text: Array, at: int, path: Path = Path(), *, comment: bytes = b"") -> Numbers:
    """All words from a byte on as reals, blanks and commas between them."""
    from oddseam.formats.kernels.number_scans import count_numbers, scan_numbers

    announce(count_numbers, scan_numbers)
    mark = comment[0] if comment else -1
    n, lines = count_numbers(text, at, len(text), mark)
    values, starts, doubts = np.empty(n), np.empty(n, np.int64), np.empty(n, np.int64)
    line_first = np.empty(lines + 1, np.int64)
    line_first[lines] = n
    open_ = scan_numbers(text, at, len(text), mark, values, starts, line_first, doubts)
    doubtful = doubts[:open_]
    settle(path, text, values, doubtful.tolist(), starts[doubtful].tolist(), finite=False)
    return Numbers(values, starts, line_first)


@dataclass(frozen=True, eq=False)
class ObjStatements:
    """What an OBJ file states.

    Attributes
    ----------
    counts : (9,) int64 array
        Statements by kind: empty, v, f, l, p, vt, vn, others; and the words of f, l and p.
    xyz : (n, 3) float64 array
        The v lines.
    extra : (5,) int64 array
        How many v lines have 0, 1, 2, 3, 4 and more further numbers (0 is not counted).
    first, kind, state, place : (f + 1,), (f,), (f,), (f,) int arrays
        The f (2), l (3) and p (4) lines: their first corner, how many other statements
        came before them, and their bytes.
    corner : (c,) int64 array
        Node indices, from 0; they may point beyond the nodes.
    others : (k,) int64 array
        Bytes of the other statements.
    """

    counts: Array
    xyz: Array
    extra: Array
    first: Array
    kind: Array
    state: Array
    place: Array
    corner: Array
    others: Array


def obj_statements(text: Array, at: int, path: Path = Path()) -> ObjStatements:
    """Scan an OBJ file."""
    from oddseam.formats.kernels.obj_scans import count_obj, scan_obj

    announce(count_obj, scan_obj)
    counts = np.zeros(9, np.int64)
    count_obj(text, at, counts)
    n, f = int(counts[1]), int(counts[2:5].sum())
    xyz, extra = np.zeros((n, 3)), np.zeros(5, np.int64)
    doubts = np.empty((3 * n, 2), np.int64)
    first, corner = np.full(f + 1, counts[8]), np.empty(counts[8], np.int64)
    kind, state, place = np.empty(f, np.int8), np.empty(f, np.int64), np.empty(f, np.int64)
    others = np.empty(counts[7], np.int64)
    open_, fault_at, fault = scan_obj(text, at, xyz, extra, doubts, first, kind, state, place, corner, others)
    if fault:
        word = word_at(text, fault_at)[:40].decode("latin-1")
        reason = ("", "a node has fewer than three coordinates", f"{word!r} is not a node number",
                  "nodes are counted from 1, not 0", f"{word!r} counts back beyond the first node")[fault]  # fmt: skip
        raise FormatError(str(path), reason, line_of(text, fault_at))
    settle(path, text, xyz.reshape(-1), doubts[:open_, 0].tolist(), doubts[:open_, 1].tolist())
    return ObjStatements(counts, xyz, extra, first, kind, state, place, corner, others)


@dataclass(frozen=True, eq=False)
class StlFacets:
    """What a text STL states: corners (3 f, 3), the solid of each facet, and the solids' names."""

    corners: Array
    solid: Array
    names: list[str]


_WORDS = (b"solid", b"endsolid", b"facet", b"normal", b"outer", b"loop", b"vertex", b"endloop", b"endfacet")
_SHORTEST_FACET = len(b"facet outer loop" + 3 * b" vertex 0 0 0" + b" endloop endfacet ")
_SHORTEST_SOLID = len(b"solid\nendsolid\n")


def stl_facets(text: Array, at: int, path: Path = Path()) -> StlFacets:
    """Scan a text STL to its end; what cannot be understood is refused with its line."""
    from oddseam.formats.kernels.stl_scans import scan_stl

    announce(scan_stl)
    words = np.frombuffer(b"".join(_WORDS), np.uint8)
    ends = np.cumsum([len(word) for word in _WORDS])
    most = len(text) // _SHORTEST_FACET + 1  # memory that is not written to costs nothing
    solids = len(text) // _SHORTEST_SOLID + 1
    corners, solid = np.empty((3 * most, 3)), np.empty(most, np.int32)
    starts, doubts = np.empty(solids, np.int64), np.empty((9 * most, 2), np.int64)
    facets, solids, open_, ended, whole = scan_stl(text, at, words, ends, corners, solid, starts, doubts)
    if ended < len(text) or not whole:
        rest = text[ended : ended + 200].tobytes().split(b"\n")[0].strip().decode("latin-1")[:40]
        what = f"cannot be understood from {rest!r} on" if rest else "the text ends within a solid"
        raise FormatError(str(path), what, line_of(text, ended))
    corners = corners[: 3 * facets]
    settle(path, text, corners.reshape(-1), doubts[:open_, 0].tolist(), doubts[:open_, 1].tolist())
    names = []
    for number, start in enumerate(starts[:solids].tolist(), 1):
        line = text[start : start + 1000].tobytes().splitlines()
        names.append((line[0].decode("utf-8", "replace").strip() if line else "") or f"solid {number}")
    return StlFacets(corners, solid[:facets], names)
