"""The compiled scanner of OBJ files."""

from __future__ import annotations

import numpy as np

from oddseam.compiled import helper, kernel
from oddseam.formats.kernels.number_scans import real_at

_LF, _CR, _SPACE, _HASH, _BACKSLASH = 10, 13, 32, 35, 92
_PLUS, _MINUS, _SLASH, _ZERO, _NINE = 43, 45, 47, 48, 57
_F, _L, _N, _P, _T, _V = 102, 108, 110, 112, 116, 118


@helper
def _next_word(data, at, stop):
    """Where the next word of this line begins; ``stop``-like if the line has none: the line end.

    A backslash before a line end joins the next line on.
    """
    i = at
    while i < stop:
        c = data[i]
        if c == _BACKSLASH:
            k = i + 1
            if k < stop and data[k] == _CR:
                k += 1
            if k < stop and data[k] == _LF:
                k += 1
            if k == i + 1:
                return i
            i = k
        elif c <= _SPACE and c != _LF and c != _CR:
            i += 1
        else:
            break
    return i


@helper
def _word_end(data, at, stop):
    """Where the word that begins here ends; a backslash that joins no line on is part of it."""
    i = at
    while i < stop and data[i] > _SPACE:
        if data[i] == _BACKSLASH and i + 1 < stop and (data[i + 1] == _LF or data[i + 1] == _CR):
            break
        i += 1
    return i


@helper
def _line_end(data, at, stop):
    """Where the line ends, continuation lines included."""
    i = at
    while i < stop and data[i] != _LF and data[i] != _CR:
        if data[i] == _BACKSLASH and i + 1 < stop and (data[i + 1] == _LF or data[i + 1] == _CR):
            i += 2 if data[i + 1] == _LF or i + 2 >= stop or data[i + 2] != _LF else 3
        else:
            i += 1
    return i


@helper
def _statement(data, i, stop):
    """What a line of an OBJ file is: 0 empty or comment, 1 v, 2 f, 3 l, 4 p, 5 vt, 6 vn, 7 other."""
    if i >= stop or data[i] == _LF or data[i] == _CR or data[i] == _HASH:
        return 0
    after = data[i + 1] if i + 1 < stop else np.uint8(_LF)
    if after <= _SPACE or after == _BACKSLASH:
        if data[i] == _V:
            return 1
        if data[i] == _F:
            return 2
        if data[i] == _L:
            return 3
        if data[i] == _P:
            return 4
    elif data[i] == _V and (i + 2 >= stop or data[i + 2] <= _SPACE):
        if after == _T:
            return 5
        if after == _N:
            return 6
    return 7


@kernel
def count_obj(data, at, counts):
    """Count the statements by kind (eight of them), and in ``counts[8]`` the words of f, l and p lines."""
    stop = len(data)
    i = at
    while i < stop:
        i = _next_word(data, i, stop)
        kind = _statement(data, i, stop)
        counts[kind] += 1
        if 2 <= kind <= 4:
            k = _next_word(data, i + 1, stop)
            while k < stop and data[k] > _SPACE and data[k] != _HASH:
                counts[8] += 1
                k = _next_word(data, _word_end(data, k, stop), stop)
        i = _line_end(data, i, stop) + 1
    return i


@kernel
def scan_obj(data, at, xyz, extra, doubts, face_first, face_kind, face_state, face_at, corner, others):
    """Read an OBJ file.

    ``xyz`` gets the coordinates; ``doubts`` the slots (3 * node + axis) and bytes of those not
    settled; ``extra`` how many further numbers v lines have; ``face_first``, ``face_kind`` and
    ``corner`` the f, l and p lines with node indices from 0; ``face_state`` how many other
    statements came before each, and ``face_at`` its byte; ``others`` the byte of each of those.

    Returns numbers of doubts, and the byte and kind of the first fault: 1 too few coordinates,
    2 a corner that is not a number, 3 node number 0, 4 a node number that counts back too far.
    """
    stop = len(data)
    nodes, faces, corners, open_, rest = 0, 0, 0, 0, 0
    i = at
    while i < stop:
        i = _next_word(data, i, stop)
        kind = _statement(data, i, stop)
        end = _line_end(data, i, stop)
        if kind == 1:
            k = i + 1
            for axis in range(3):
                k = _next_word(data, k, end)
                if k >= end or data[k] == _HASH:
                    return open_, i, 1
                word = k
                xyz[nodes, axis], k, sure = real_at(data, k, _word_end(data, k, end))
                if not sure:
                    doubts[open_, 0], doubts[open_, 1] = 3 * nodes + axis, word
                    open_ += 1
            k = _next_word(data, k, end)
            if k < end and data[k] != _HASH:
                more = 0
                while k < end and data[k] != _HASH:
                    more += 1
                    k = _next_word(data, _word_end(data, k, end), end)
                extra[min(more, 4)] += 1
            nodes += 1
        elif 2 <= kind <= 4:
            face_first[faces], face_kind[faces], face_state[faces], face_at[faces] = corners, kind, rest, i
            k = _next_word(data, i + 1, end)
            while k < end and data[k] != _HASH:
                word = k
                back = data[k] == _MINUS
                if back or data[k] == _PLUS:
                    k += 1
                number, digits = np.int64(0), 0
                while k < end and _ZERO <= data[k] <= _NINE:
                    if digits < 18:
                        number = number * 10 + (data[k] - _ZERO)
                    digits += 1
                    k += 1
                if digits == 0 or (k < end and data[k] > _SPACE and data[k] != _SLASH and data[k] != _BACKSLASH):
                    return open_, word, 2
                if number == 0:
                    return open_, word, 3
                if back and number > nodes:
                    return open_, word, 4
                corner[corners] = nodes - number if back else number - 1
                corners += 1
                k = _next_word(data, _word_end(data, k, end), end)
            faces += 1
        elif kind == 7:
            others[rest] = i
            rest += 1
        i = end + 1
    return open_, -1, 0
