"""Decks that include others: read as one text, written back as they were where nothing changed.

The text of an included file takes the place of the statement.  When the deck is written, a
statement takes the place of the text again if that is unchanged, and if the statement still
leads to that text from the folder of the new deck.
"""

from __future__ import annotations

import re
from bisect import bisect_right
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from oddseam.arrays import Array
from oddseam.errors import FormatError
from oddseam.formats.files import opened

#: More files, or deeper, or longer, is no deck that somebody wrote.
_MOST_FILES, _DEEPEST, _LONGEST = 1000, 20, 1 << 32


@dataclass(frozen=True, eq=False)
class Expanded:
    """The text of a deck with all that it includes.

    Attributes
    ----------
    text : bytes
    span : (i, 2) int64 array
        Bytes that each statement stands for, outer ones before those within.
    statements : tuple of bytes
    pieces : tuple of (int, Path, int)
        Where a run of the text begins, the file that it comes from, and the line there.
    """

    text: bytes
    span: Array
    statements: tuple[bytes, ...]
    pieces: tuple[tuple[int, Path, int], ...]

    def as_records(self) -> dict[str, Array]:
        """The fields of ``Records`` that hold the statements."""
        return {
            "include_span": self.span,
            "include_first": np.cumsum([0, *map(len, self.statements)]),
            "include_text": np.frombuffer(b"".join(self.statements), np.uint8),
        }

    def place(self, at: int) -> tuple[str, str]:
        """The file and ``"line 12"`` of a byte of the text."""
        start, path, line = self.pieces[bisect_right(self.pieces, at, key=lambda piece: piece[0]) - 1]
        return str(path), f"line {line + _lines(self.text[start:at])}"


def _lines(text: bytes) -> int:
    """Line ends: of the three ways to end a line."""
    return text.count(b"\n") + text.count(b"\r") - text.count(b"\r\n")


class _Reader:
    def __init__(self, statement: re.Pattern[bytes], folder: Path) -> None:
        self._statement, self._folder = statement, folder
        self.text: list[bytes] = []
        self.length, self.files = 0, 0
        self.spans: list[tuple[int, int]] = []
        self.statements: list[bytes] = []
        self.pieces: list[tuple[int, Path, int]] = []

    def take(self, path: Path, text: bytes, within: tuple[Path, ...]) -> None:
        """Append a text with all that it includes."""
        self.files += 1
        if self.files > _MOST_FILES or self.length + len(text) > _LONGEST:
            raise FormatError(str(path), "includes more than a deck can hold")
        at = 0
        # most decks include nothing, and the pattern looks at every line
        for found in self._statement.finditer(text) if b"INCLUDE" in text.upper() else ():
            self._append(path, text, at, found.start())
            at = found.end()
            line = f"line {1 + _lines(text[: found.start()])}"
            other = self._find(path, next(name for name in found.groups() if name is not None), line)
            if other in within or len(within) >= _DEEPEST:
                raise FormatError(str(path), f"{other.name} includes itself, or is included too deep", line)
            number, begin = len(self.spans), self.length
            self.spans.append((begin, begin))
            self.statements.append(found[0])
            with opened(other) as data:
                self.take(other, bytes(data[:]), (*within, other))
            if self.text and not self.text[-1].endswith((b"\n", b"\r")):
                self.text.append(b"\n")
                self.length += 1
            self.spans[number] = (begin, self.length)
        self._append(path, text, at, len(text))

    def _append(self, path: Path, text: bytes, start: int, end: int) -> None:
        if end > start:
            self.pieces.append((self.length, path, 1 + _lines(text[:start])))
            self.text.append(text[start:end])
            self.length += end - start

    def _find(self, path: Path, name: bytes, line: str) -> Path:
        """The file of that name, beside the one that includes it or beside the deck."""
        said = re.sub(rb"\s*[\r\n]+\s*", b"", name).strip().decode("utf-8", "replace")
        for folder in (path.parent, self._folder):
            with suppress(OSError, ValueError):  # a name that no file can have
                if said and (folder / said).is_file():
                    return (folder / said).resolve()
        raise FormatError(str(path), f"includes {said[:80]!r}, which is not there", line)


def expand(path: Path, text: bytes, statement: re.Pattern[bytes]) -> Expanded:
    """Put what a deck includes in its place.

    Parameters
    ----------
    path : Path
    text : bytes
    statement : pattern
        Finds a statement, whole lines of it; one of its groups is the name of the file.

    Raises
    ------
    FormatError
        If a file is not there, or includes itself; the message names the line.
    """
    reader = _Reader(statement, path.parent)
    reader.take(path, text, (path.resolve(),))
    whole = reader.text[0] if len(reader.text) == 1 else b"".join(reader.text)
    span = np.array(reader.spans, np.int64).reshape(-1, 2)
    return Expanded(whole, span, tuple(reader.statements), tuple(reader.pieces) or ((0, path, 1),))


def as_one(text: bytes) -> Expanded:
    """A text that is whole already."""
    return Expanded(text, np.zeros((0, 2), np.int64), (), ((0, Path(), 1),))


def leads_to(statement: bytes, text: bytes, path: Path, pattern: re.Pattern[bytes]) -> bool:
    """Whether a statement stands for that text in a deck at ``path``."""
    try:
        found = expand(path, statement, pattern).text
    except FormatError:
        return False
    return found == text or found + b"\n" == text
