"""A deck cut into records and fields, in bulk: columns of thousands of cards at a time."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import NoReturn

import numpy as np

from oddseam.arrays import Array
from oddseam.compiled import announce
from oddseam.errors import FormatError
from oddseam.formats.columns import Columns
from oddseam.formats.includes import Expanded
from oddseam.formats.nastran.fields import Card, parse_card

_BEGIN = re.compile(rb"^[ \t]*BEGIN\s+BULK[^\r\n]*(\r\n|\n|\r)?", re.IGNORECASE | re.MULTILINE)
#: A statement with the name of a file, in quotes (and then over several lines) or bare.
INCLUDE = re.compile(
    rb"""^[ \t]*INCLUDE(?:[ \t=]*'([^']*)'|[ \t=]*"([^"]*)"|[ \t=]+([^'"$\s][^'"$\r\n]*))[^\r\n]*(?:\r\n|\n|\r|\Z)""",
    re.IGNORECASE | re.MULTILINE,
)


class Scan:
    """The records of a deck.

    A record is a card with its continuation lines and the comments between them, a comment or
    blank line, all that comes before the bulk data, or all that comes after its end.

    Attributes
    ----------
    data : (b,) uint8 array
    start : (k + 1,) int64 array
        Byte offset of every record, and the end of the last.
    names : list of str
        The different names of cards.
    name : (k,) int64 array
        For each record its card's row in ``names``, or -1.
    """

    def __init__(self, deck: Expanded) -> None:
        from oddseam.formats.nastran.kernels.field_cuts import CARD, CONTINUED, count_lines, cut_lines

        announce(count_lines, cut_lines)
        text = deck.text
        self._deck, self.data = deck, np.frombuffer(text, np.uint8)
        begin = _BEGIN.search(text)
        at = begin.end() if begin else 0
        n = count_lines(self.data, at)
        self._line_start, self._line_end = np.empty(n + 1, np.int64), np.empty(n, np.int64)
        self._kind, packed = np.empty(n, np.int8), np.empty(n, np.uint64)
        cut_lines(self.data, at, self._line_start[:n], self._line_end, self._kind, packed)
        self._line_start[n] = len(text)
        codes, which = np.unique(packed, return_inverse=True)
        self.names = [int(code).to_bytes(8, "big").lstrip(b"\0").decode("latin-1") for code in codes.tolist()]
        line_name = np.where(self._kind == CARD, which.ravel(), -1)
        ended = next(iter(np.flatnonzero(line_name == self._row("ENDDATA")).tolist()), n)
        # a continuation and the silent lines before it belong to the card before
        line = np.arange(n)
        held = line <= ended
        card = np.maximum.accumulate(np.where((self._kind == CARD) & held, line, -1))
        last = np.full(n, -1)
        continued = np.flatnonzero((self._kind == CONTINUED) & held & (card >= 0))
        np.maximum.at(last, card[continued], continued)
        inside = (card >= 0) & (line > card) & (line <= last[np.maximum(card, 0)])
        opens = ~inside & (line <= ended + 1)
        self._first_line = np.flatnonzero(opens)
        self._last_line = np.append(self._first_line[1:], n) - 1
        self.name = np.where(held, line_name, -1)[self._first_line]
        starts = self._line_start[self._first_line]
        if at:
            starts = np.concatenate([[0], starts])
            self.name = np.concatenate([[-1], self.name])
            self._first_line = np.concatenate([[0], self._first_line])
            self._last_line = np.concatenate([[-1], self._last_line])
        self.start = np.append(starts, len(text))

    def _row(self, name: str) -> int:
        return self.names.index(name) if name in self.names else -2

    def of(self, name: str) -> Array:
        """Records of the cards of one name."""
        return np.flatnonzero(self.name == self._row(name))

    def counts(self) -> dict[str, int]:
        """How many cards there are of each name."""
        held = np.bincount(self.name[self.name >= 0], minlength=len(self.names))
        return {name: count for name, count in zip(self.names, held.tolist(), strict=True) if count}

    def fail(self, record: int, reason: str) -> NoReturn:
        """Refuse the deck because of one record."""
        path, line = self._deck.place(int(self.start[record]))
        raise FormatError(path, reason, line)

    def card(self, record: int) -> Card:
        """One card, cut by the general rules."""
        text = self.data[self.start[record] : self.start[record + 1]].tobytes()
        return parse_card(text.decode("latin-1").splitlines())

    def cards(self, name: str) -> Iterator[tuple[int, Card]]:
        """All cards of one name, with their records."""
        for record in self.of(name).tolist():
            yield record, self.card(record)

    def fields(self, records: Array, count: int) -> Columns:
        """The first ``count`` data fields of some cards."""
        from oddseam.formats.nastran.kernels.field_cuts import cut_fields

        announce(cut_fields)
        spans, odd = np.empty((len(records), count, 2), np.int64), np.zeros(len(records), np.bool_)
        first, last = self._first_line[records], self._last_line[records]
        cut_fields(self.data, self._line_start, self._line_end, self._kind, first, last, spans, odd)
        cards = {k: self.card(int(records[k])).fields for k in np.flatnonzero(odd).tolist()}

        def fail(row: int, reason: str) -> NoReturn:
            self.fail(int(records[row]), reason)

        return Columns(self.data, spans, fail, cards, shift=2)
