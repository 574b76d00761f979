"""Compiled cutting of bulk data into lines, names and fields.

Whatever is out of the ordinary, such as tabs in columns, is marked odd for Python to read.
"""

from __future__ import annotations

import numpy as np

from oddseam.compiled import helper, kernel

#: What a line is.
SILENT, CARD, CONTINUED = 0, 1, 2
_LF, _CR, _TAB, _SPACE, _DOLLAR, _STAR, _PLUS, _COMMA = 10, 13, 9, 32, 36, 42, 43, 44


@kernel
def count_lines(data, at):
    """Lines from a byte on, a last one without an end too."""
    n, stop = 0, len(data)
    i = at
    while i < stop:
        while i < stop and data[i] != _LF and data[i] != _CR:
            i += 1
        if i + 1 < stop and data[i] == _CR and data[i + 1] == _LF:
            i += 1
        i += 1
        n += 1
    return n


@kernel
def cut_lines(data, at, start, end, kind, name):
    """Where each line starts and its text ends, what it is, and the name of a card, packed into a number."""
    n, stop = 0, len(data)
    i = at
    while i < stop:
        start[n] = i
        first = i
        while i < stop and data[i] != _LF and data[i] != _CR:
            i += 1
        end[n] = i
        kind[n], name[n] = _line_kind(data, first, i)
        if i + 1 < stop and data[i] == _CR and data[i + 1] == _LF:
            i += 1
        i += 1
        n += 1
    return n


@helper
def _line_kind(data, first, end):
    packed = np.uint64(0)
    if first == end:
        return SILENT, packed
    c = data[first]
    if c == _PLUS or c == _STAR or c == _COMMA:
        return CONTINUED, packed
    k = first
    while k < end and (data[k] == _SPACE or data[k] == _TAB):
        k += 1
    if k == end or data[k] == _DOLLAR:
        return SILENT, packed
    if c == _TAB or k - first >= 8:
        return CONTINUED, packed
    # the name: up to a comma, a star, a blank or the end of its field
    length = 0
    while k < end and k - first < 8:
        c = data[k]
        if c == _COMMA or c == _STAR or c <= _SPACE or c == _DOLLAR:
            break
        if 97 <= c <= 122:
            c = np.uint8(c - 32)
        packed = (packed << np.uint64(8)) | np.uint64(c)
        length += 1
        k += 1
    return CARD, packed


@kernel
def cut_fields(data, start, end, kind, first_line, last_line, spans, odd):
    """Where the data fields of some cards begin and end.

    ``spans`` (cards, fields, 2) gets those of each card, from the first after the name; an empty
    field begins where it ends.  ``odd`` marks cards that are not cut here.
    """
    wanted = spans.shape[1]
    for card in range(len(first_line)):
        field = 0
        for line in range(first_line[card], last_line[card] + 1):
            if kind[line] == SILENT or field >= wanted:
                continue
            a, b = start[line], end[line]
            comma, tab, wide = False, False, False
            for k in range(a, b):
                c = data[k]
                if c == _DOLLAR:
                    b = k
                    break
                if c == _COMMA:
                    comma = True
                elif c == _TAB:
                    tab = True
                elif c == _STAR and k - a < 8 and not comma:
                    wide = True
            if tab:
                odd[card] = True
                break
            if comma:
                field = _free_fields(data, a, b, 4 if wide else 8, spans, card, field)
            else:
                width = 16 if wide else 8
                for column in range(8, 72, width):
                    if field < wanted:
                        s, e = min(a + column, b), min(a + column + width, b)
                        while s < e and data[s] <= _SPACE:
                            s += 1
                        while e > s and data[e - 1] <= _SPACE:
                            e -= 1
                        spans[card, field, 0], spans[card, field, 1] = s, e
                    field += 1
        while field < wanted:
            spans[card, field, 0], spans[card, field, 1] = 0, 0
            field += 1


@helper
def _free_fields(data, a, b, many, spans, card, field):
    """The fields of a line with commas; a continuation mark in the last one is left out."""
    wanted = spans.shape[1]
    k, word = a, 0
    while k < b and data[k] != _COMMA:
        k += 1
    while word < many:
        s, e = b, b
        if k < b:
            s = k + 1
            e = s
            while e < b and data[e] != _COMMA:
                e += 1
            k = e
            while s < e and data[s] <= _SPACE:
                s += 1
            while e > s and data[e - 1] <= _SPACE:
                e -= 1
            marked = s < e and (data[s] == _PLUS or data[s] == _STAR)
            if (
                marked
                and k >= b
                and not (data[s] == _PLUS and s + 1 < e and (48 <= data[s + 1] <= 57 or data[s + 1] == 46))
            ):
                e = s
        if field < wanted:
            spans[card, field, 0], spans[card, field, 1] = s, e
        field += 1
        word += 1
    return field
