"""Compiled reading of numbers in text.

A real is settled here only if that is provably correctly rounded.  If its digits make a whole
number below 2**53 and the power of ten is within 22, one operation on two exact doubles gives
it (Clinger, 1990, "How to read floating point numbers accurately"); up to nineteen digits, the
product with a power of five of 128 bits does (Lemire, 2021, "Number parsing at a gigabyte per
second").  Everything else, malformed words too, is listed as *in doubt* for the caller to settle.
"""

from __future__ import annotations

import math

import numpy as np

from oddseam.compiled import helper, kernel

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
_LF, _CR, _SPACE, _COMMA = 10, 13, 32, 44
_PLUS, _MINUS, _POINT, _ZERO, _NINE = 43, 45, 46, 48, 57
_D, _E, _SMALL_D, _SMALL_E = 68, 69, 100, 101


@helper
def _product(a, b):
    """Upper and lower half of the product of two 64-bit numbers."""
    shift = np.uint64(32)
    a1, a0, b1, b0 = a >> shift, a & _LOW_32, b >> shift, b & _LOW_32
    low, middle, other = a0 * b0, a1 * b0, a0 * b1
    carried = (low >> shift) + (middle & _LOW_32) + (other & _LOW_32)
    return a1 * b1 + (middle >> shift) + (other >> shift) + (carried >> shift), a * b


@helper
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


@helper
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


@helper
def real_at(data, at, stop):
    """Value of the word at ``at``, where the word ends, and whether it is settled.

    A word ends at a blank, a line end or a comma.
    """
    value, i, sure = number_at(data, at, stop, False)
    ended = i
    while i < stop and (i == at or not (data[i] <= _SPACE or data[i] == _COMMA)):
        i += 1  # one byte at least, so that every caller gets on
    return value, i, sure and i == ended


@helper
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
