"""Compiled scanners of text formats.

A real is settled here only if that is provably correctly rounded.  If its digits make a whole
number below 2**53 and the power of ten is within 22, one operation on two exact doubles gives
it (Clinger, 1990, "How to read floating point numbers accurately"); up to nineteen digits, the
product with a power of five of 128 bits does (Lemire, 2021, "Number parsing at a gigabyte per
second").  Everything else, malformed words too, is listed as *in doubt* for the caller to settle.
"""

from __future__ import annotations

import math

import numpy as np

from oddseam.compiled import kernel

_POWERS = np.array([float(f"1e{k}") for k in range(23)])


def _powers_of_five() -> np.ndarray:
    """(617, 2) upper and lower halves of 5**q as normalised 128-bit numbers, q from -308 to 308."""
    table = []
    for q in range(-308, 309):
        power = 5 ** abs(q)
        if q < 0:
            z = (power - 1).bit_length()
            power = (1 << (z + 127 if q >= -27 else 2 * z + 128)) // power + 1
        power = power << 128 >> power.bit_length()
        table.append((power >> 64, power & (1 << 64) - 1))
    return np.array(table, np.uint64)


_FIVES = _powers_of_five()
_LOW_32 = np.uint64(0xFFFFFFFF)
_ONE, _NINE_BITS, _ALL = np.uint64(1), np.uint64(0x1FF), np.uint64(0xFFFFFFFFFFFFFFFF)
_LF, _CR, _SPACE, _HASH, _BACKSLASH, _COMMA = 10, 13, 32, 35, 92, 44
_PLUS, _MINUS, _POINT, _SLASH, _ZERO, _NINE = 43, 45, 46, 47, 48, 57
_D, _E, _SMALL_D, _SMALL_E, _F, _L, _N, _P, _T, _V = 68, 69, 100, 101, 102, 108, 110, 112, 116, 118


@kernel
def _product(a, b):
    """Upper and lower half of the product of two 64-bit numbers."""
    shift = np.uint64(32)
    a1, a0, b1, b0 = a >> shift, a & _LOW_32, b >> shift, b & _LOW_32
    low, middle, other = a0 * b0, a1 * b0, a0 * b1
    carried = (low >> shift) + (middle & _LOW_32) + (other & _LOW_32)
    return a1 * b1 + (middle >> shift) + (other >> shift) + (carried >> shift), a * b


@kernel
def _scaled(whole, power):
    """``whole * 10**power`` rounded to nearest, ties to even, and whether that is sure.

    ``whole`` is not zero; results that are subnormal or too large are left in doubt.
    """
    up = 0
    for step in (32, 16, 8, 4, 2, 1):
        if whole >> np.uint64(64 - step) == np.uint64(0):
            whole = whole << np.uint64(step)
            up += step
    five, rest = _FIVES[power + 308, 0], _FIVES[power + 308, 1]
    high, low = _product(whole, five)
    if high & _NINE_BITS == _NINE_BITS:
        more, _ = _product(whole, rest)
        low = low + more
        if more > low:
            high = high + _ONE
        if low == _ALL:
            return 0.0, False
    top = high >> np.uint64(63)
    drop = top + np.uint64(9)
    mantissa = high >> drop
    if low <= _ONE and -4 <= power <= 23 and mantissa & np.uint64(3) == _ONE and mantissa << drop == high:
        mantissa = mantissa - _ONE  # a tie: to even
    mantissa = (mantissa + (mantissa & _ONE)) >> _ONE
    # the value is mantissa * 2**exponent, the mantissa having 53 bits
    exponent = ((217706 * power) >> 16) + 63 + np.int64(top) - up - 52
    if exponent < -1022 or exponent > 900:
        return 0.0, False
    return math.ldexp(float(mantissa), exponent), True


@kernel
def assembled(whole, digits, power):
    """``whole * 10**power`` where that is provably correctly rounded, and whether it is.

    ``digits`` counts the significant digits that were read into ``whole``; nineteen are its limit.
    """
    if digits == 0:
        return 0.0, True
    if digits > 19 or power < -308 or power > 308:
        return 0.0, False
    if whole >= np.uint64(1 << 53) or power < -22 or power > 22:
        return _scaled(whole, power)
    if power < 0:
        return float(whole) / _POWERS[-power], True
    return float(whole) * _POWERS[power], True


@kernel
def real_at(data, at, stop):
    """Value of the word at ``at``, where the word ends, and whether it is settled.

    A word ends at a blank, a line end or a comma.
    """
    value, i, sure = number_at(data, at, stop, False)
    ended = i
    while i < stop and (i == at or not (data[i] <= _SPACE or data[i] == _COMMA)):
        i += 1  # one byte at least, so that every caller gets on
    return value, i, sure and i == ended


@kernel
def number_at(data, at, stop, bulk):
    """Value of the number at ``at``, where it ends, and whether it is settled.

    ``bulk`` allows the exponents of bulk data: a D for the E, or a sign alone.
    """
    i = at
    negative = False
    if i < stop and (data[i] == _MINUS or data[i] == _PLUS):
        negative = data[i] == _MINUS
        i += 1
    whole, digits, power = np.uint64(0), 0, 0
    seen, point = False, False
    while i < stop:
        c = data[i]
        if _ZERO <= c <= _NINE:
            seen = True
            if digits > 0 or c != _ZERO:
                digits += 1
            if digits <= 19:
                whole = whole * np.uint64(10) + np.uint64(c - _ZERO)
            if point:
                power -= 1
        elif c == _POINT and not point:
            point = True
        else:
            break
        i += 1
    sure = seen
    if i < stop and seen:
        mark = data[i]
        lettered = mark == _E or mark == _SMALL_E or (bulk and (mark == _D or mark == _SMALL_D))
        if lettered or (bulk and (mark == _MINUS or mark == _PLUS)):
            if lettered:
                i += 1
            down = False
            if i < stop and (data[i] == _MINUS or data[i] == _PLUS):
                down = data[i] == _MINUS
                i += 1
            exponent, some = 0, False
            while i < stop and _ZERO <= data[i] <= _NINE:
                some = True
                if exponent < 10000:
                    exponent = exponent * 10 + (data[i] - _ZERO)
                i += 1
            sure = some
            power += -exponent if down else exponent
    value, settled = assembled(whole, digits, power)
    return -value if negative else value, i, sure and settled


@kernel
def line_number(data, at):
    """Number of the line that a byte is on, from 1; a lone carriage return ends a line too."""
    line = 1
    for i in range(at):
        if data[i] == _LF or (data[i] == _CR and (i + 1 == len(data) or data[i + 1] != _LF)):
            line += 1
    return line


@kernel
def count_numbers(data, at, stop, comment):
    """Words between blanks and commas, and lines that hold any."""
    words, lines = 0, 0
    i, inside, fresh = at, False, True
    while i < stop:
        c = data[i]
        if c == comment and not inside:
            while i < stop and data[i] != _LF and data[i] != _CR:
                i += 1
            continue
        if c <= _SPACE or c == _COMMA:
            inside = False
            if c == _LF or c == _CR:
                fresh = True
        elif not inside:
            inside = True
            words += 1
            if fresh:
                lines += 1
                fresh = False
        i += 1
    return words, lines


@kernel
def scan_numbers(data, at, stop, comment, values, starts, line_first, doubts):
    """Read all words as reals.

    ``starts`` gets the byte of each word, ``line_first`` the first word of each line that
    holds any, ``doubts`` the words that are not settled; the result is how many those are.
    """
    words, lines, open_ = 0, 0, 0
    i, fresh = at, True
    while i < stop:
        c = data[i]
        if c == comment:
            while i < stop and data[i] != _LF and data[i] != _CR:
                i += 1
        elif c <= _SPACE or c == _COMMA:
            if c == _LF or c == _CR:
                fresh = True
            i += 1
        else:
            if fresh:
                line_first[lines] = words
                lines += 1
                fresh = False
            starts[words] = i
            values[words], i, sure = real_at(data, i, stop)
            if not sure:
                doubts[open_] = words
                open_ += 1
            words += 1
    return open_


@kernel
def whole_numbers(data, spans, values, state):
    """Read fields (n, 2) as whole numbers; ``state`` is 0 for a number, 1 for an empty field, 2 for neither."""
    for n in range(len(spans)):
        s, e = spans[n, 0], spans[n, 1]
        if s >= e:
            state[n] = 1
            continue
        negative = data[s] == _MINUS
        if negative or data[s] == _PLUS:
            s += 1
        value = np.int64(0)
        good = s < e and e - s <= 18
        while s < e and good:
            good = _ZERO <= data[s] <= _NINE
            value = value * 10 + (data[s] - _ZERO)
            s += 1
        values[n] = -value if negative else value
        state[n] = 0 if good else 2


@kernel
def real_numbers(data, spans, values, state):
    """Read fields (n, 2) as reals; ``state`` is 0 for a settled one, 1 for an empty field, 2 for one in doubt."""
    for n in range(len(spans)):
        s, e = spans[n, 0], spans[n, 1]
        if s >= e:
            state[n] = 1
            continue
        value, ended, sure = number_at(data, s, e, True)
        values[n] = value
        state[n] = 0 if sure and ended == e else 2


# ---------------------------------------------------------------------- OBJ


@kernel
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


@kernel
def _word_end(data, at, stop):
    """Where the word that begins here ends; a backslash that joins no line on is part of it."""
    i = at
    while i < stop and data[i] > _SPACE:
        if data[i] == _BACKSLASH and i + 1 < stop and (data[i + 1] == _LF or data[i + 1] == _CR):
            break
        i += 1
    return i


@kernel
def _line_end(data, at, stop):
    """Where the line ends, continuation lines included."""
    i = at
    while i < stop and data[i] != _LF and data[i] != _CR:
        if data[i] == _BACKSLASH and i + 1 < stop and (data[i + 1] == _LF or data[i + 1] == _CR):
            i += 2 if data[i + 1] == _LF or i + 2 >= stop or data[i + 2] != _LF else 3
        else:
            i += 1
    return i


@kernel
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
    2 a corner that is no number, 3 node number 0, 4 a node number that counts back too far.
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


# ---------------------------------------------------------------------- STL


@kernel
def _is_word(data, at, stop, word):
    """Whether this word, in small letters, stands here, in any case."""
    n = len(word)
    if at + n > stop:
        return False
    for k in range(n):
        if (data[at + k] | 32) != word[k]:
            return False
    return at + n == stop or data[at + n] <= _SPACE


@kernel
def _skip_blank(data, at, stop):
    i = at
    while i < stop and data[i] <= _SPACE:
        i += 1
    return i


@kernel
def scan_stl(data, at, words, ends, corners, part, names, doubts):
    """Read a text STL: ``words`` holds the keywords one after the other, ``ends`` where each ends.

    ``corners`` gets the coordinates, ``part`` the number of the solid of each facet, ``names``
    the byte after each ``solid``, ``doubts`` the slots and bytes of coordinates not settled.

    Returns numbers of facets, solids and doubts, the byte where reading ended, and whether
    it ended between solids.
    """
    stop = len(data)
    solid, endsolid, facet = words[: ends[0]], words[ends[0] : ends[1]], words[ends[1] : ends[2]]
    normal, outer, loop = words[ends[2] : ends[3]], words[ends[3] : ends[4]], words[ends[4] : ends[5]]
    vertex, endloop, endfacet = words[ends[5] : ends[6]], words[ends[6] : ends[7]], words[ends[7] : ends[8]]
    facets, solids, open_, inside = 0, 0, 0, False
    i = _skip_blank(data, at, stop)
    while i < stop:
        if inside and _is_word(data, i, stop, facet):
            k = _skip_blank(data, i + 5, stop)
            if _is_word(data, k, stop, normal):
                k = k + 6
                for _ in range(3):
                    k = _skip_blank(data, k, stop)
                    while k < stop and data[k] > _SPACE:
                        k += 1
                k = _skip_blank(data, k, stop)
            if not _is_word(data, k, stop, outer):
                break
            k = _skip_blank(data, k + 5, stop)
            if not _is_word(data, k, stop, loop):
                break
            k = _skip_blank(data, k + 4, stop)
            whole, was_open = True, open_
            for v in range(3):
                if not _is_word(data, k, stop, vertex):
                    whole = False
                    break
                k += 6
                for axis in range(3):
                    k = _skip_blank(data, k, stop)
                    word = k
                    corners[3 * facets + v, axis], k, sure = real_at(data, k, stop)
                    if not sure:
                        doubts[open_, 0], doubts[open_, 1] = 9 * facets + 3 * v + axis, word
                        open_ += 1
                k = _skip_blank(data, k, stop)
            if not whole or not _is_word(data, k, stop, endloop):
                open_ = was_open
                break
            k = _skip_blank(data, k + 7, stop)
            if not _is_word(data, k, stop, endfacet):
                open_ = was_open
                break
            part[facets] = solids - 1
            facets += 1
            i = k + 8
        elif inside and _is_word(data, i, stop, endsolid):
            inside = False
            i += 8
            while i < stop and data[i] != _LF and data[i] != _CR:
                i += 1
        elif not inside and _is_word(data, i, stop, solid):
            inside = True
            i += 5
            names[solids] = i
            solids += 1
            while i < stop and data[i] != _LF and data[i] != _CR:
                i += 1
        else:
            break
        i = _skip_blank(data, i, stop)
    return facets, solids, open_, i, not inside


def warm_up() -> None:
    """Compile by running on tiny input."""
    from oddseam.formats.text import numbers_in, obj_statements, stl_facets

    numbers_in(np.frombuffer(b"1 2.5e3 0.12345678901234567890\n", np.uint8), 0)
    obj_statements(np.frombuffer(b"o one\nv 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n", np.uint8), 0)
    line_number(np.frombuffer(b"a\nb\n", np.uint8), 2)
    stl_facets(
        np.frombuffer(
            b"solid a\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 0\n"
            b"endloop\nendfacet\nendsolid a\n",
            np.uint8,
        ),
        0,
    )
