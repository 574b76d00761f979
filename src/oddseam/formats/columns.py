"""Columns of numbers out of fields of text: thousands of rows at a time."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import NoReturn, Protocol

import numpy as np

from oddseam.arrays import Array
from oddseam.compiled import announce
from oddseam.formats.text import real


class Fail(Protocol):
    """Refuses the file because of a row."""

    def __call__(self, row: int, reason: str) -> NoReturn:
        """Raise FormatError with the place of the row."""


class Columns:
    """Fields of many rows.

    Parameters
    ----------
    text : (b,) uint8 array
    spans : (n, k, 2) int64 array
        Where the fields of every row begin and end; an empty one begins where it ends.
    fail : callable
    odd : mapping of int to sequence of str, optional
        Rows whose fields are given as text instead.
    shift : int
        What to add to a field's number in messages, to count as people do.
    """

    def __init__(
        self, text: Array, spans: Array, fail: Fail, odd: Mapping[int, Sequence[str]] | None = None, shift: int = 1
    ) -> None:
        self._data, self._spans, self._fail = text, spans, fail
        self._odd, self._shift = dict(odd or {}), shift

    def given(self, field: int) -> Array:
        """(n,) bool: whether there is anything in a field."""
        found = np.asarray(self._spans[:, field, 0] < self._spans[:, field, 1])
        for row in self._odd:
            found[row] = bool(self._text(row, field))
        return found

    def whole(self, field: int, what: str, blank: int | None = None) -> Array:
        """A column of whole numbers; ``blank`` is what an empty field means, if it may be empty."""
        values, state = self._scanned(field)
        wrong = (state == 2) if blank is not None else (state != 0)
        if wrong.any():
            row = int(np.argmax(wrong))
            text = self._text(row, field)
            self._refuse(row, field, what, f": {text!r} is not a whole number" if text else " is empty")
        values[state == 1] = blank or 0
        return values

    def numbers(self, field: int) -> tuple[Array, Array]:
        """A column of positive whole numbers, 0 where there is none, and (n,) bool where there is something else."""
        values, state = self._scanned(field)
        return np.where((state == 0) & (values > 0), values, 0), state == 2

    def _scanned(self, field: int) -> tuple[Array, Array]:
        """Whole numbers of a column, and 0 for each that is one, 1 for an empty field, 2 for something else."""
        from oddseam.formats.kernels.number_scans import whole_numbers

        announce(whole_numbers)
        n = len(self._spans)
        values, state = np.zeros(n, np.int64), np.zeros(n, np.int8)
        whole_numbers(self._data, np.ascontiguousarray(self._spans[:, field]), values, state)
        for row in self._odd:
            text = self._text(row, field)
            digits = text.lstrip("+-")
            state[row] = 0 if digits.isascii() and digits.isdecimal() and len(text) < 18 else 2 if text else 1
            values[row] = int(text) if state[row] == 0 else 0
        return values, state

    def real(self, field: int, what: str) -> Array:
        """A column of reals; an empty field is zero."""
        from oddseam.formats.kernels.number_scans import real_numbers

        announce(real_numbers)
        n = len(self._spans)
        values, state = np.zeros(n), np.zeros(n, np.int8)
        real_numbers(self._data, np.ascontiguousarray(self._spans[:, field]), values, state)
        state[list(self._odd)] = 2
        for row in np.flatnonzero(state == 2).tolist():
            text = self._text(row, field)
            value = real(text.encode(), deck=True) if text else 0.0
            if value is None or not np.isfinite(value):
                reason = "is not a number" if value is None else "is not a finite number"
                self._refuse(row, field, what, f": {text!r} {reason}")
            values[row] = value
        return values

    def _refuse(self, row: int, field: int, what: str, reason: str) -> NoReturn:
        self._fail(row, f"{what}: field {field + self._shift}{reason}")

    def _text(self, row: int, field: int) -> str:
        if row in self._odd:
            its = self._odd[row]
            return its[field] if field < len(its) else ""
        a, b = self._spans[row, field].tolist()
        return self._data[a:b].tobytes().decode("latin-1")
