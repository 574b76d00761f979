"""First guesses at simple surfaces from points and normals, and the whole of a fit.

Linear algebra on systems of a few unknowns: least squares by their normal equations, for a guess is made better by
:func:`fit_surface`, and the axis that is least in a form by rotations (C. G. J. Jacobi 1846, Über ein leichtes
Verfahren, die in der Theorie der Säkularstörungen vorkommenden Gleichungen numerisch aufzulösen).
"""

from __future__ import annotations

import numpy as np

from oddseam.compiled import helper, kernel
from oddseam.geometry.kernels.primitive_fits import fit_surface, solved, sum_of_squares

#: So much of its trace is added to a form that may be singular.
_RIDGE = 1e-14
#: A fit that is off by more tolerances is given up once it hardly gets better; no fit takes more steps.
_HOPELESS, _MOST = 30.0, 60
#: A surface whose middle is farther away, in sizes of what it is fitted to, or that is larger, is as good as flat.
_FARTHEST, _LARGEST = 1000.0, 100.0
#: Half angles of cones, in degrees: beyond these they are cylinders and planes.
_LEAST_ANGLE, _MOST_ANGLE = 0.5, 89.0


@helper
def _least_axis(a, axis):
    """The unit vector along which a symmetric form (3, 3) is least; the form is lost."""
    v = np.eye(3)
    for _ in range(30):
        off = a[0, 1] * a[0, 1] + a[0, 2] * a[0, 2] + a[1, 2] * a[1, 2]
        if off <= 1e-40 * (a[0, 0] * a[0, 0] + a[1, 1] * a[1, 1] + a[2, 2] * a[2, 2]):
            break
        for turn in range(3):
            i = 0 if turn < 2 else 1
            j = 1 if turn == 0 else 2
            if a[i, j] == 0.0:
                continue
            theta = 0.5 * (a[j, j] - a[i, i]) / a[i, j]
            t = (1.0 if theta >= 0.0 else -1.0) / (abs(theta) + np.sqrt(theta * theta + 1.0))
            c = 1.0 / np.sqrt(t * t + 1.0)
            s = t * c
            for k in range(3):
                x, y = a[k, i], a[k, j]
                a[k, i], a[k, j] = c * x - s * y, s * x + c * y
            for k in range(3):
                x, y = a[i, k], a[j, k]
                a[i, k], a[j, k] = c * x - s * y, s * x + c * y
            for k in range(3):
                x, y = v[k, i], v[k, j]
                v[k, i], v[k, j] = c * x - s * y, s * x + c * y
    least = 0
    for k in range(1, 3):
        if a[k, k] < a[least, least]:
            least = k
    for k in range(3):
        axis[k] = v[k, least]


@helper
def _solved_with_ridge(form, side):
    trace = 0.0
    for i in range(side.shape[0]):
        trace += form[i, i]
    for i in range(side.shape[0]):
        form[i, i] += _RIDGE * trace
    return solved(form, side)


@helper
def _spread(vectors, form, mean):
    """The sum of squares (3, 3) of vectors about their mean."""
    n = vectors.shape[0]
    for i in range(3):
        mean[i] = 0.0
        for k in range(n):
            mean[i] += vectors[k, i]
        mean[i] /= n
    for i in range(3):
        for j in range(3):
            form[i, j] = 0.0
            for k in range(n):
                form[i, j] += (vectors[k, i] - mean[i]) * (vectors[k, j] - mean[j])


@helper
def _circle(flat, out):
    """Middle and radius of a circle through points (n, 2), by least squares of its equation; whether there is one."""
    form, side = np.zeros((3, 3)), np.zeros(3)
    row = np.ones(3)
    for k in range(flat.shape[0]):
        row[0], row[1] = 2.0 * flat[k, 0], 2.0 * flat[k, 1]
        square = flat[k, 0] * flat[k, 0] + flat[k, 1] * flat[k, 1]
        for i in range(3):
            side[i] += row[i] * square
            for j in range(3):
                form[i, j] += row[i] * row[j]
    if not _solved_with_ridge(form, side):
        return False
    radius2 = side[2] + side[0] * side[0] + side[1] * side[1]
    out[0], out[1], out[2] = side[0], side[1], np.sqrt(max(radius2, 0.0))
    return radius2 > 0.0


@helper
def _guess_plane(points, normals, q):
    form, mean, axis = np.empty((3, 3)), np.empty(3), np.empty(3)
    _spread(points, form, mean)
    _least_axis(form, axis)
    along = 0.0
    for k in range(normals.shape[0]):
        along += normals[k, 0] * axis[0] + normals[k, 1] * axis[1] + normals[k, 2] * axis[2]
    for i in range(3):
        q[i] = mean[i]
        q[i + 3] = axis[i] if along >= 0.0 else -axis[i]
    return True


@helper
def _guess_sphere(points, q):
    form, side = np.zeros((4, 4)), np.zeros(4)
    row = np.ones(4)
    for k in range(points.shape[0]):
        square = 0.0
        for i in range(3):
            row[i] = 2.0 * points[k, i]
            square += points[k, i] * points[k, i]
        for i in range(4):
            side[i] += row[i] * square
            for j in range(4):
                form[i, j] += row[i] * row[j]
    if not _solved_with_ridge(form, side):
        return False
    radius2 = side[3] + side[0] * side[0] + side[1] * side[1] + side[2] * side[2]
    q[0], q[1], q[2], q[5] = side[0], side[1], side[2], 1.0
    q[6] = np.sqrt(max(radius2, 0.0))
    return radius2 > 0.0


@helper
def _guess_cylinder(points, normals, q):
    """Its normals are upright to the axis."""
    form, axis, found = np.zeros((3, 3)), np.empty(3), np.empty(3)
    for k in range(normals.shape[0]):
        for i in range(3):
            for j in range(3):
                form[i, j] += normals[k, i] * normals[k, j]
    _least_axis(form, axis)
    least = 0
    for i in range(1, 3):
        if abs(axis[i]) < abs(axis[least]):
            least = i
    one, two = np.empty(3), np.empty(3)
    size = np.sqrt(1.0 - axis[least] * axis[least])
    for i in range(3):
        one[i] = ((1.0 if i == least else 0.0) - axis[least] * axis[i]) / size
    for i in range(3):
        two[i] = axis[(i + 1) % 3] * one[(i + 2) % 3] - axis[(i + 2) % 3] * one[(i + 1) % 3]
    flat = np.empty((points.shape[0], 2))
    for k in range(points.shape[0]):
        flat[k, 0] = points[k, 0] * one[0] + points[k, 1] * one[1] + points[k, 2] * one[2]
        flat[k, 1] = points[k, 0] * two[0] + points[k, 1] * two[1] + points[k, 2] * two[2]
    if not _circle(flat, found):
        return False
    for i in range(3):
        q[i] = found[0] * one[i] + found[1] * two[i]
        q[i + 3] = axis[i]
    q[6] = found[2]
    return True


@helper
def _guess_cone(points, at, normals, q):
    """Its normals make one angle with the axis, and its tangent planes meet in the apex."""
    form, mean, axis = np.empty((3, 3)), np.empty(3), np.empty(3)
    _spread(normals, form, mean)
    _least_axis(form, axis)
    planes, apex = np.zeros((3, 3)), np.zeros(3)
    for k in range(normals.shape[0]):
        height = normals[k, 0] * at[k, 0] + normals[k, 1] * at[k, 1] + normals[k, 2] * at[k, 2]
        for i in range(3):
            apex[i] += normals[k, i] * height
            for j in range(3):
                planes[i, j] += normals[k, i] * normals[k, j]
    if not _solved_with_ridge(planes, apex):
        return False
    along = 0.0
    for k in range(points.shape[0]):
        for i in range(3):
            along += (points[k, i] - apex[i]) * axis[i]
    sine = abs(mean[0] * axis[0] + mean[1] * axis[1] + mean[2] * axis[2])
    for i in range(3):
        q[i] = apex[i]
        q[i + 3] = axis[i] if along >= 0.0 else -axis[i]
    q[6] = np.degrees(np.arcsin(min(sine, 1.0)))
    return _LEAST_ANGLE < q[6] < _MOST_ANGLE


@helper
def _guess_torus(points, at, normals, q):
    """All its normal lines meet the axis (a, m): n m + (x x n) a = 0."""
    form, row = np.zeros((6, 6)), np.empty(6)
    for k in range(normals.shape[0]):
        for i in range(3):
            one, two = (i + 1) % 3, (i + 2) % 3
            row[i] = at[k, one] * normals[k, two] - at[k, two] * normals[k, one]
            row[i + 3] = normals[k, i]
        for i in range(6):
            for j in range(6):
                form[i, j] += row[i] * row[j]
    trace = form[3, 3] + form[4, 4] + form[5, 5]
    across, left = np.empty((3, 3)), np.empty((3, 3))
    for j in range(3):
        below, side = np.empty((3, 3)), np.empty(3)
        for i in range(3):
            side[i] = form[i + 3, j]
            for k in range(3):
                below[i, k] = form[i + 3, k + 3] + (1e-9 * trace if i == k else 0.0)
        if not solved(below, side):
            return False
        for i in range(3):
            across[i, j] = side[i]
    for i in range(3):
        for j in range(3):
            left[i, j] = form[i, j]
            for k in range(3):
                left[i, j] -= form[i, k + 3] * across[k, j]
    axis, moment, foot, found = np.empty(3), np.zeros(3), np.empty(3), np.empty(3)
    _least_axis(left, axis)
    for i in range(3):
        for j in range(3):
            moment[i] -= across[i, j] * axis[j]
    for i in range(3):
        foot[i] = axis[(i + 1) % 3] * moment[(i + 2) % 3] - axis[(i + 2) % 3] * moment[(i + 1) % 3]
    flat = np.empty((points.shape[0], 2))
    for k in range(points.shape[0]):
        along, square = 0.0, 0.0
        for i in range(3):
            along += (points[k, i] - foot[i]) * axis[i]
        for i in range(3):
            out = points[k, i] - foot[i] - along * axis[i]
            square += out * out
        flat[k, 0], flat[k, 1] = np.sqrt(square), along
    if not _circle(flat, found) or not found[0] > 0.0:
        return False
    for i in range(3):
        q[i] = foot[i] + found[1] * axis[i]
        q[i + 3] = axis[i]
    q[6], q[7] = found[0], found[2]
    return True


@helper
def _guessed(kind, points, at, normals, q):
    for i in range(q.shape[0]):
        q[i] = 0.0
    if kind == 0:
        return _guess_plane(points, normals, q)
    if kind == 1:
        return _guess_sphere(points, q)
    if kind == 2:
        return _guess_cylinder(points, normals, q)
    if kind == 3:
        return _guess_cone(points, at, normals, q)
    return _guess_torus(points, at, normals, q)


@helper
def _fitted(kind, points, at, normals, worst, q):
    """The mean squared distance to the surface of a kind, infinite if there is none or it is as good as flatter."""
    if not _guessed(kind, points, at, normals, q):
        return np.inf
    total = 0.0
    for i in range(q.shape[0]):
        total += abs(q[i])
    if not np.isfinite(total):
        return np.inf
    if kind > 0:
        fit_surface(kind, q, points, worst, _MOST)
        q[6], q[7] = abs(q[6]), abs(q[7])
        for i in range(3):
            if not abs(q[i]) < _FARTHEST:
                return np.inf
        if not q[7] < _LARGEST or (kind != 3 and not q[6] < _LARGEST):
            return np.inf
        if kind == 3 and not _LEAST_ANGLE < q[6] < _MOST_ANGLE:
            return np.inf
    return sum_of_squares(kind, q, points) / points.shape[0]


@kernel
def fit_kind(kind, points, at, normals, tolerance, q):
    """Fit a surface of a kind to points (n, 3), with normals (k, 3) at places (k, 3); whether it is near enough.

    ``q`` (8,) gets its numbers.  ``tolerance`` bounds the root mean square of the distances.
    """
    n = points.shape[0]
    middle, size = np.zeros(3), 0.0
    for i in range(3):
        for k in range(n):
            middle[i] += points[k, i]
        middle[i] /= n
        for k in range(n):
            size = max(size, abs(points[k, i] - middle[i]))
    if not size > 0.0:
        return False
    local, places = np.empty((n, 3)), np.empty((at.shape[0], 3))
    for i in range(3):
        for k in range(n):
            local[k, i] = (points[k, i] - middle[i]) / size
        for k in range(at.shape[0]):
            places[k, i] = (at[k, i] - middle[i]) / size
    off2 = _fitted(kind, local, places, normals, _HOPELESS * tolerance / size, q)
    if not np.sqrt(off2) * size <= tolerance:
        return False
    if kind == 2:  # the point of the axis nearest to the points
        along = q[0] * q[3] + q[1] * q[4] + q[2] * q[5]
        for i in range(3):
            q[i] -= along * q[i + 3]
    for i in range(3):
        q[i] = middle[i] + size * q[i]
    if kind != 3:
        q[6] *= size
    q[7] *= size
    return True
