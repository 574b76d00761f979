"""The kernel that reads plain runs of vertex and triangle elements of a 3MF model."""

from __future__ import annotations

from oddseam.compiled import helper, kernel
from oddseam.formats.kernels.number_scans import number_at

_SPACE, _SLASH, _EQUALS, _LESS, _GREATER = 32, 47, 61, 60, 62
_QUOTE, _APOSTROPHE, _ZERO, _NINE = 34, 39, 48, 57


@helper
def _past_blanks(data, i, stop):
    while i < stop and (data[i] == _SPACE or 9 <= data[i] <= 13):
        i += 1
    return i


@helper
def _starts(data, at, stop, word):
    """Length of a word that stands here, 0 if it does not; zeros fill the word up."""
    for k in range(word.shape[0]):
        if word[k] == 0:
            return k
        if at + k >= stop or data[at + k] != word[k]:
            return 0
    return word.shape[0]


@kernel
def scan_elements(data, at, opening, names, whole, values, doubts):
    """Read elements that are nothing but numbers, as long as they are.

    Parameters
    ----------
    data : (b,) uint8 array
    at : int
    opening : (o,) uint8 array
        Such as ``<vertex``.
    names : (n, a) uint8 array
        Names of the attributes, each ended by ``=`` and filled up with zeros; they come in any
        order, and only the first three must.
    whole : bool
        Whether the numbers are whole ones without a sign.
    values : (k, n) float64 array
        -1 for an attribute that is not there.
    doubts : (k, 5) int64 array
        Row, attribute and bytes of the numbers that are not settled; how many in ``doubts[0, 4]``.

    Returns
    -------
    count, end : int
        How many elements there are, and where what comes after them begins.
    """
    stop = data.shape[0]
    count = 0
    doubtful = 0
    end = _past_blanks(data, at, stop)
    while count < values.shape[0] and _starts(data, end, stop, opening):
        i = end + opening.shape[0]
        seen = 0
        begun = doubtful
        values[count] = -1.0
        while True:
            k = _past_blanks(data, i, stop)
            if k == i:
                break
            i = k
            which = -1
            length = 0
            for a in range(names.shape[0]):
                long = _starts(data, i, stop, names[a])
                if long:
                    which = a
                    length = long
            if which < 0 or seen & (1 << which):
                break
            i += length
            if i >= stop or (data[i] != _QUOTE and data[i] != _APOSTROPHE):
                break
            close = i + 1
            while close < stop and data[close] != data[i] and data[close] > _SPACE and data[close] != _LESS:
                close += 1
            if close >= stop or data[close] != data[i]:
                break
            value, last, sure = number_at(data, i + 1, close, False)
            if whole:
                plain = close == i + 2 or data[i + 1] != _ZERO
                for k in range(i + 1, close):
                    plain = plain and _ZERO <= data[k] <= _NINE
                if not plain:
                    break
            if not sure or last != close:
                if doubtful == doubts.shape[0]:
                    break
                doubts[doubtful, 0] = count
                doubts[doubtful, 1] = which
                doubts[doubtful, 2] = i + 1
                doubts[doubtful, 3] = close
                doubtful += 1
            values[count, which] = value
            seen |= 1 << which
            i = close + 1
        i = _past_blanks(data, i, stop)
        if seen & 7 != 7 or i + 1 >= stop or data[i] != _SLASH or data[i + 1] != _GREATER:
            doubtful = begun
            break
        count += 1
        end = _past_blanks(data, i + 2, stop)
    if doubts.shape[0]:
        doubts[0, 4] = doubtful
    return count, end
