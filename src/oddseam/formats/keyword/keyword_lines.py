"""A keyword deck cut into lines and keyword blocks."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import NoReturn

import numpy as np

from oddseam.arrays import Array
from oddseam.compiled import announce
from oddseam.errors import FormatError
from oddseam.formats.columns import Columns
from oddseam.formats.includes import Expanded

_KEYWORD = re.compile(r"[ \t]*\*(?!\*)([^\r\n]*)")
#: A statement with the name of a file.
INCLUDE = re.compile(
    rb"""^[ \t]*\*INCLUDE[ \t]*,[ \t]*INPUT[ \t]*=[ \t]*['"]?([^'"\r\n,]+)[^\r\n]*(?:\r\n|\n|\r|\Z)""",
    re.IGNORECASE | re.MULTILINE,
)


@dataclass(frozen=True)
class Block:
    """A keyword with the lines of data under it.

    Attributes
    ----------
    name : str
        In capitals, blanks closed up: ``"SHELL SECTION"``.
    options : dict
        Parameters by name in capitals; one without a value has an empty text.
    line : int
        Row of the keyword's line.
    first, last : int
        Rows of the lines below it, down to the next keyword; ``last`` is not one of them.
    """

    name: str
    line: int
    first: int
    last: int
    options: dict[str, str] = field(default_factory=dict)


class Lines:
    """The lines of a deck.

    Attributes
    ----------
    data : (b,) uint8 array
    start : (n + 1,) int64 array
        Byte offset of every line, and the end of the last.
    blocks : list of Block
    """

    def __init__(self, deck: Expanded) -> None:
        text = deck.text
        self._deck, self.data = deck, np.frombuffer(text, np.uint8)
        ends = np.flatnonzero(self.data == ord("\n")) + 1
        if not len(ends) or ends[-1] < len(text):
            ends = np.append(ends, len(text))
        self.start = np.concatenate([[0], ends])
        self.blocks = list(self._cut())

    def _cut(self) -> Iterator[Block]:
        stars = np.flatnonzero(self.data == ord("*"))
        starred = np.unique(np.searchsorted(self.start, stars, side="right") - 1).tolist()
        found = [(row, match[1]) for row in starred if (match := _KEYWORD.match(self.text(row)))]
        following = [*(row for row, _ in found[1:]), len(self.start) - 1]
        for (row, words), after in zip(found, following, strict=False):
            said, first = words.strip(), row + 1
            while said.endswith(",") and first < after:  # the keyword goes on in the next line
                said += self.text(first).strip()
                first += 1
            name, *rest = (word.strip() for word in said.split(","))
            options = {}
            for word in rest:
                key, _, value = word.partition("=")
                options[" ".join(key.upper().split())] = value.strip()
            yield Block(" ".join(name.upper().split()), row, first, after, options)

    def text(self, row: int) -> str:
        """One line."""
        return self.data[self.start[row] : self.start[row + 1]].tobytes().decode("latin-1")

    def fail(self, row: int, reason: str) -> NoReturn:
        """Refuse the deck because of a line."""
        path, line = self._deck.place(int(self.start[row]))
        raise FormatError(path, reason, line)

    def data_rows(self, block: Block) -> Array:
        """Rows of a block that hold data: neither blank nor a comment."""
        from oddseam.formats.keyword.kernels.line_cuts import find_data

        announce(find_data)
        holds = np.zeros(block.last - block.first, np.bool_)
        find_data(self.data, self.start[block.first : block.last + 1], holds)
        return block.first + np.flatnonzero(holds)

    def words(self, block: Block) -> Iterator[tuple[int, list[str]]]:
        """The data lines of a block, cut at commas."""
        for row in self.data_rows(block).tolist():
            words = [word.strip() for word in self.text(row).split(",")]
            yield row, words[:-1] if len(words) > 1 and not words[-1] else words

    def fields(self, rows: Array, count: int) -> tuple[Columns, Array]:
        """The first ``count`` fields of some lines, and how many each has; a last comma ends a field, no more."""
        from oddseam.formats.keyword.kernels.line_cuts import cut_at_commas

        announce(cut_at_commas)
        spans, given = np.zeros((len(rows), count, 2), np.int64), np.zeros(len(rows), np.int64)
        cut_at_commas(self.data, self.start[rows], self.start[rows + 1], spans, given)

        def fail(row: int, reason: str) -> NoReturn:
            self.fail(int(rows[row]), reason)

        return Columns(self.data, spans, fail), given
