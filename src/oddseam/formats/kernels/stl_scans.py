"""The compiled scanner of text STL files."""

from __future__ import annotations

from oddseam.compiled import helper, kernel
from oddseam.formats.kernels.number_scans import real_at

_LF, _CR, _SPACE = 10, 13, 32


@helper
def _is_word(data, at, stop, word):
    """Whether this word, in small letters, stands here, in any case."""
    n = len(word)
    if at + n > stop:
        return False
    for k in range(n):
        if (data[at + k] | 32) != word[k]:
            return False
    return at + n == stop or data[at + n] <= _SPACE


@helper
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
