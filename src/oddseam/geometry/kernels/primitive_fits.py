"""Distances to simple surfaces, and fits by least squares of them.

A surface is a code (its place in ``PRIMITIVES``) and eight numbers: centre, axis, radius, tube.
"""

from __future__ import annotations

import numpy as np

from oddseam.compiled import helper, kernel

_NUMBERS = 8
#: Steps that may bring little before a fit that is far off is given up.
_PATIENCE = 6


@helper
def _slopes_of(kind, q):
    """Cosine and sine of the half angle of a cone."""
    if kind != 3:
        return 0.0, 0.0
    return np.cos(np.radians(q[6])), np.sin(np.radians(q[6]))


@kernel
def off_surface(kind, q, x, y, z):
    """Signed distance of a point to a surface, and the direction in which it grows."""
    cosine, sine = _slopes_of(kind, q)
    return _off(kind, q, cosine, sine, x, y, z)


@helper
def _off(kind, q, cosine, sine, x, y, z):
    """The same, for many points of one surface: what its angle says is told."""
    x -= q[0]
    y -= q[1]
    z -= q[2]
    if kind == 1:  # sphere
        length = np.sqrt(x * x + y * y + z * z)
        scale = 1.0 / length if length > 0.0 else 0.0
        return length - q[6], x * scale, y * scale, z * scale
    along = x * q[3] + y * q[4] + z * q[5]
    if kind == 0:  # plane
        return along, q[3], q[4], q[5]
    x -= along * q[3]
    y -= along * q[4]
    z -= along * q[5]
    out = np.sqrt(x * x + y * y + z * z)
    scale = 1.0 / out if out > 0.0 else 0.0
    x *= scale
    y *= scale
    z *= scale
    if kind == 2:  # cylinder
        return out - q[6], x, y, z
    if kind == 3:  # cone
        return (
            out * cosine - along * sine,
            cosine * x - sine * q[3],
            cosine * y - sine * q[4],
            cosine * z - sine * q[5],
        )
    away = out - q[6]
    length = np.sqrt(away * away + along * along)
    scale = 1.0 / length if length > 0.0 else 0.0
    away *= scale
    along *= scale
    return length - q[7], away * x + along * q[3], away * y + along * q[4], away * z + along * q[5]


@kernel
def off_each(kinds, numbers, which, points, distances, directions):
    """Signed distances of points (k, 3), each to one of many surfaces, and the directions in which they grow."""
    for k in range(points.shape[0]):
        s = which[k]
        d, x, y, z = off_surface(kinds[s], numbers[s], points[k, 0], points[k, 1], points[k, 2])
        distances[k] = d
        directions[k, 0], directions[k, 1], directions[k, 2] = x, y, z


@helper
def sum_of_squares(kind, q, points):
    """The sum of the squared distances of points to a surface."""
    total = 0.0
    cosine, sine = _slopes_of(kind, q)
    for k in range(points.shape[0]):
        d, _, _, _ = _off(kind, q, cosine, sine, points[k, 0], points[k, 1], points[k, 2])
        total += d * d
    return total


@helper
def _slopes(kind, q, cosine, sine, x, y, z, slope):
    """Signed distance of a point to a surface, and how it grows with each of the eight numbers.

    An axis turns only: along itself nothing grows.
    """
    d, nx, ny, nz = _off(kind, q, cosine, sine, x, y, z)
    for i in range(_NUMBERS):
        slope[i] = 0.0
    slope[0], slope[1], slope[2] = -nx, -ny, -nz
    if kind == 1:
        slope[6] = -1.0
        return d
    x -= q[0]
    y -= q[1]
    z -= q[2]
    along = x * q[3] + y * q[4] + z * q[5]
    x -= along * q[3]
    y -= along * q[4]
    z -= along * q[5]
    out = np.sqrt(x * x + y * y + z * z)
    scale = 1.0 / out if out > 0.0 else 0.0
    if kind == 2:
        turn = -along
        slope[6] = -1.0
    elif kind == 3:
        turn = -(along * cosine + out * sine)
        slope[6] = np.radians(turn)
    else:
        away = d + q[7]  # from the middle circle
        turn = along * q[6] / away if away > 0.0 else 0.0
        slope[6] = (q[6] - out) / away if away > 0.0 else 0.0
        slope[7] = -1.0
    slope[3], slope[4], slope[5] = turn * scale * x, turn * scale * y, turn * scale * z
    return d


@helper
def _normalised(q):
    length = np.sqrt(q[3] * q[3] + q[4] * q[4] + q[5] * q[5])
    if length > 0.0:
        for i in range(3, 6):
            q[i] /= length


@helper
def solved(form, side):
    """Solve a small symmetric positive system in place by Cholesky's method; whether it is positive."""
    n = side.shape[0]
    for i in range(n):
        for j in range(i + 1):
            total = form[i, j]
            for k in range(j):
                total -= form[i, k] * form[j, k]
            if i == j:
                if not total > 0.0:
                    return False
                form[i, i] = np.sqrt(total)
            else:
                form[i, j] = total / form[j, j]
    for i in range(n):
        for k in range(i):
            side[i] -= form[i, k] * side[k]
        side[i] /= form[i, i]
    for i in range(n - 1, -1, -1):
        for k in range(i + 1, n):
            side[i] -= form[k, i] * side[k]
        side[i] /= form[i, i]
    return True


@kernel
def fit_surface(kind, q, points, worst, most):
    """Make the squared distances of points least, in at most so many steps; their mean, after it.

    Gauss-Newton steps, damped as by D. Marquardt (1963), An algorithm for least-squares estimation of nonlinear
    parameters.  Given up when the root mean square is above ``worst`` and hardly falls in several steps.
    """
    n = points.shape[0]
    first = sum_of_squares(kind, q, points)
    damping = 1e-6
    slow = 0
    slope, trial, change = np.empty(_NUMBERS), np.empty(_NUMBERS), np.empty(_NUMBERS)
    form, damped = np.empty((_NUMBERS, _NUMBERS)), np.empty((_NUMBERS, _NUMBERS))
    side = np.empty(_NUMBERS)
    for _ in range(most):
        for i in range(_NUMBERS):
            side[i] = 0.0
            for j in range(_NUMBERS):
                form[i, j] = 0.0
        cosine, sine = _slopes_of(kind, q)
        for k in range(n):
            d = _slopes(kind, q, cosine, sine, points[k, 0], points[k, 1], points[k, 2], slope)
            for i in range(_NUMBERS):
                side[i] -= slope[i] * d
                for j in range(i + 1):
                    form[i, j] += slope[i] * slope[j]
        trace = 0.0
        for i in range(_NUMBERS):
            trace += form[i, i]
        better = False
        while damping < 1e6:
            for i in range(_NUMBERS):
                change[i] = side[i]
                for j in range(i + 1):
                    damped[i, j] = form[i, j]
                damped[i, i] += damping * form[i, i] + 1e-12 * trace
            if solved(damped, change):
                for i in range(_NUMBERS):
                    trial[i] = q[i] + change[i]
                _normalised(trial)
                now = sum_of_squares(kind, trial, points)
                if now < first:
                    better = True
                    break
            damping *= 10.0
        if not better:
            break
        for i in range(_NUMBERS):
            q[i] = trial[i]
        gain = now / first
        first = now
        damping = max(0.1 * damping, 1e-12)
        slow = slow + 1 if gain > 0.8 else 0
        if gain > 1.0 - 1e-6 or (slow > _PATIENCE and first > worst * worst * n):
            break
    return first / n
