"""Compiled cutting of data lines at commas."""

from __future__ import annotations

from oddseam.compiled import kernel

_SPACE, _STAR, _COMMA = 32, 42, 44


@kernel
def find_data(data, start, holds):
    """Mark the lines (between ``start[i]`` and ``start[i + 1]``) that are neither blank nor comments."""
    for n in range(len(holds)):
        k = start[n]
        while k < start[n + 1] and data[k] <= _SPACE:
            k += 1
        holds[n] = k < start[n + 1] and data[k] != _STAR


@kernel
def cut_at_commas(data, start, end, spans, given):
    """Fields of lines; ``given`` counts them, one that is empty after the last comma aside."""
    wanted = spans.shape[1]
    for n in range(len(start)):
        k, b, field = start[n], end[n], 0
        while b > k and data[b - 1] <= _SPACE:
            b -= 1
        while k < b:
            s = k
            while k < b and data[k] != _COMMA:
                k += 1
            e = k
            k += 1
            while s < e and data[s] <= _SPACE:
                s += 1
            while e > s and data[e - 1] <= _SPACE:
                e -= 1
            if field < wanted:
                spans[n, field, 0], spans[n, field, 1] = s, e
            field += 1
        given[n] = field
