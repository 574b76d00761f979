"""Kernels that move single nodes so that the elements round them are distorted least against what they were.

The distortion of a simplex is that of the linear map from what it was: ``|F|^d`` over its determinant, scaled so that
1 is a similar one; P. Knupp (2001), Algebraic mesh quality metrics.  It is smooth, has a barrier at inversion, and
where a simplex is inverted already the determinant is taken by half of ``D + sqrt(D^2 + 4 eps^2)``; J. Escobar,
E. Rodriguez, R. Montenegro, G. Montero, J. Gonzalez-Yuste (2003), Simultaneous untangling and smoothing of tetrahedral
meshes.  As one node moves by x, the square of the norm is ``a - 2 b.x + m x.x`` and the determinant ``d - g.x``, which
is all that is kept of each simplex.
"""

from __future__ import annotations

import math

import numpy as np

from oddseam.compiled import helper, kernel

#: The sum of this power of the distortions is made least.
_POWER = 4.0
#: Steps of one node in one visit, and halvings of one step.
_STEPS, _HALVINGS = 4, 8
#: A node that moves by less than this share of its shortest edge has come to rest.
_STILL = 1e-3


@helper
def _coefficients(points, ref, nx, ny, nz, simplices, s, node, out):
    """a, b (3), m, d, g (3) of a simplex as a node of it moves; False if it was flat to begin with."""
    k = simplices.shape[1]
    i = 0
    while simplices[s, i] != node:
        i += 1
    one, two = simplices[s, (i + 1) % k], simplices[s, (i + 2) % k]
    ax, ay, az = points[one, 0] - points[node, 0], points[one, 1] - points[node, 1], points[one, 2] - points[node, 2]
    bx, by, bz = points[two, 0] - points[node, 0], points[two, 1] - points[node, 1], points[two, 2] - points[node, 2]
    px, py, pz = ref[one, 0] - ref[node, 0], ref[one, 1] - ref[node, 1], ref[one, 2] - ref[node, 2]
    qx, qy, qz = ref[two, 0] - ref[node, 0], ref[two, 1] - ref[node, 1], ref[two, 2] - ref[node, 2]
    if k == 3:
        gpp, gpq, gqq = px * px + py * py + pz * pz, px * qx + py * qy + pz * qz, qx * qx + qy * qy + qz * qz
        det = gpp * gqq - gpq * gpq
        if not det > 0.0:
            return False
        mpp, mpq, mqq = gqq / det, -gpq / det, gpp / det
        area = math.sqrt(det)
        out[0] = (
            mpp * (ax * ax + ay * ay + az * az)
            + 2.0 * mpq * (ax * bx + ay * by + az * bz)
            + mqq * (bx * bx + by * by + bz * bz)
        )
        cp, cq = mpp + mpq, mpq + mqq
        out[1], out[2], out[3] = ax * cp + bx * cq, ay * cp + by * cq, az * cp + bz * cq
        out[4] = cp + cq
        out[5] = (nx * (ay * bz - az * by) + ny * (az * bx - ax * bz) + nz * (ax * by - ay * bx)) / area
        ex, ey, ez = bx - ax, by - ay, bz - az
        out[6] = (ey * nz - ez * ny) / area
        out[7] = (ez * nx - ex * nz) / area
        out[8] = (ex * ny - ey * nx) / area
        return True
    three = simplices[s, (i + 3) % k]
    cx, cy, cz = (
        points[three, 0] - points[node, 0], points[three, 1] - points[node, 1], points[three, 2] - points[node, 2]
    )  # fmt: skip
    rx, ry, rz = ref[three, 0] - ref[node, 0], ref[three, 1] - ref[node, 1], ref[three, 2] - ref[node, 2]
    # rows of the inverse of the old edges, times the determinant
    ux, uy, uz = qy * rz - qz * ry, qz * rx - qx * rz, qx * ry - qy * rx
    vx, vy, vz = ry * pz - rz * py, rz * px - rx * pz, rx * py - ry * px
    wx, wy, wz = py * qz - pz * qy, pz * qx - px * qz, px * qy - py * qx
    det = px * ux + py * uy + pz * uz
    if det == 0.0:
        return False
    ux, uy, uz, vx, vy, vz, wx, wy, wz = (
        ux / det, uy / det, uz / det, vx / det, vy / det, vz / det, wx / det, wy / det, wz / det
    )  # fmt: skip
    f00, f01, f02 = ax * ux + bx * vx + cx * wx, ax * uy + bx * vy + cx * wy, ax * uz + bx * vz + cx * wz
    f10, f11, f12 = ay * ux + by * vx + cy * wx, ay * uy + by * vy + cy * wy, ay * uz + by * vz + cy * wz
    f20, f21, f22 = az * ux + bz * vx + cz * wx, az * uy + bz * vy + cz * wy, az * uz + bz * vz + cz * wz
    sx, sy, sz = ux + vx + wx, uy + vy + wy, uz + vz + wz
    out[0] = f00 * f00 + f01 * f01 + f02 * f02 + f10 * f10 + f11 * f11 + f12 * f12 + f20 * f20 + f21 * f21 + f22 * f22
    out[1], out[2], out[3] = (
        f00 * sx + f01 * sy + f02 * sz,
        f10 * sx + f11 * sy + f12 * sz,
        f20 * sx + f21 * sy + f22 * sz,
    )
    out[4] = sx * sx + sy * sy + sz * sz
    k00, k01, k02 = f11 * f22 - f12 * f21, f12 * f20 - f10 * f22, f10 * f21 - f11 * f20
    k10, k11, k12 = f02 * f21 - f01 * f22, f00 * f22 - f02 * f20, f01 * f20 - f00 * f21
    k20, k21, k22 = f01 * f12 - f02 * f11, f02 * f10 - f00 * f12, f00 * f11 - f01 * f10
    out[5] = f00 * k00 + f01 * k01 + f02 * k02
    out[6], out[7], out[8] = (
        k00 * sx + k01 * sy + k02 * sz,
        k10 * sx + k11 * sy + k12 * sz,
        k20 * sx + k21 * sy + k22 * sz,
    )
    return True


@helper
def _worst(c, count, dimension):
    """The largest distortion of simplices as they are; infinite where one is inverted."""
    worst = 0.0
    for s in range(count):
        if not c[s, 5] > 0.0:
            return np.inf
        n = c[s, 0]
        worst = max(worst, n / (2.0 * c[s, 5]) if dimension == 2 else n * math.sqrt(n) / (5.196152422706632 * c[s, 5]))
    return worst


@helper
def _energy(c, count, dimension, eps, x, y, z):
    total = 0.0
    for s in range(count):
        n = c[s, 0] - 2.0 * (c[s, 1] * x + c[s, 2] * y + c[s, 3] * z) + c[s, 4] * (x * x + y * y + z * z)
        d = c[s, 5] - c[s, 6] * x - c[s, 7] * y - c[s, 8] * z
        h = 0.5 * (d + math.sqrt(d * d + 4.0 * eps * eps))
        q = n / (2.0 * h) if dimension == 2 else n * math.sqrt(n) / (5.196152422706632 * h)
        q = q * q
        total += q * q
    return total


@helper
def _step(c, count, dimension, eps, x, y, z, out):
    """A Newton step of the energy, or one along its gradient."""
    half = 0.5 * dimension
    gx = gy = gz = 0.0
    h00 = h01 = h02 = h11 = h12 = h22 = 0.0
    for s in range(count):
        n = c[s, 0] - 2.0 * (c[s, 1] * x + c[s, 2] * y + c[s, 3] * z) + c[s, 4] * (x * x + y * y + z * z)
        d = c[s, 5] - c[s, 6] * x - c[s, 7] * y - c[s, 8] * z
        root = math.sqrt(d * d + 4.0 * eps * eps)
        h = 0.5 * (d + root)
        slope = 0.5 * (1.0 + d / root)
        q = n / (2.0 * h) if dimension == 2 else n * math.sqrt(n) / (5.196152422706632 * h)
        q = q * q
        e = q * q
        nx, ny, nz = (
            2.0 * (c[s, 4] * x - c[s, 1]) / n,
            2.0 * (c[s, 4] * y - c[s, 2]) / n,
            2.0 * (c[s, 4] * z - c[s, 3]) / n,
        )
        dx, dy, dz = -slope * c[s, 6] / h, -slope * c[s, 7] / h, -slope * c[s, 8] / h
        vx, vy, vz = half * nx - dx, half * ny - dy, half * nz - dz
        gx, gy, gz = gx + e * vx, gy + e * vy, gz + e * vz
        even = 2.0 * half * c[s, 4] / n
        h00 += e * (_POWER * vx * vx + dx * dx + even)
        h01 += e * (_POWER * vx * vy + dx * dy)
        h02 += e * (_POWER * vx * vz + dx * dz)
        h11 += e * (_POWER * vy * vy + dy * dy + even)
        h12 += e * (_POWER * vy * vz + dy * dz)
        h22 += e * (_POWER * vz * vz + dz * dz + even)
    k00, k01, k02 = h11 * h22 - h12 * h12, h02 * h12 - h01 * h22, h01 * h12 - h02 * h11
    det = h00 * k00 + h01 * k01 + h02 * k02
    if det > 0.0:
        k11, k12, k22 = h00 * h22 - h02 * h02, h01 * h02 - h00 * h12, h00 * h11 - h01 * h01
        out[0] = -(k00 * gx + k01 * gy + k02 * gz) / det
        out[1] = -(k01 * gx + k11 * gy + k12 * gz) / det
        out[2] = -(k02 * gx + k12 * gy + k22 * gz) / det
        return
    size = math.sqrt(gx * gx + gy * gy + gz * gz)
    scale = 1.0 / (size * max(math.sqrt(c[0, 4]), 1e-300)) if size > 0.0 else 0.0
    out[0], out[1], out[2] = -gx * scale, -gy * scale, -gz * scale


@kernel
def relax(points, ref, normal, simplices, nodes, row, first, of, threshold, sweeps):
    """Move ``nodes`` (r,) in place, each across its ``normal`` (r, 3) on triangles; the number of moves.

    Nodes are visited while a simplex at them is distorted by more than ``threshold`` and they or their neighbours move.
    """
    dimension = simplices.shape[1] - 1
    wake = np.ones(nodes.shape[0], np.bool_)
    c = np.empty((256, 9))
    step = np.empty(3)
    moves = 0
    for _ in range(sweeps):
        moved = 0
        for r in range(nodes.shape[0]):
            if not wake[r]:
                continue
            wake[r] = False
            node = nodes[r]
            if first[r + 1] - first[r] > c.shape[0]:
                c = np.empty((2 * (first[r + 1] - first[r]), 9))
            nx, ny, nz = normal[r, 0], normal[r, 1], normal[r, 2]
            count = 0
            least, reach = np.inf, np.inf
            for at in range(first[r], first[r + 1]):
                if _coefficients(points, ref, nx, ny, nz, simplices, of[at], node, c[count]):
                    least = min(least, c[count, 5])
                    reach = min(reach, 1.0 / math.sqrt(max(c[count, 4], 1e-300)))
                    count += 1
            if count == 0 or not _worst(c, count, dimension) > threshold:
                continue
            eps = 1e-3 + max(0.0, -least)
            x = y = z = 0.0
            energy = _energy(c, count, dimension, eps, x, y, z)
            for _ in range(_STEPS):
                _step(c, count, dimension, eps, x, y, z, step)
                if dimension == 2:
                    out = step[0] * nx + step[1] * ny + step[2] * nz
                    step[0] -= out * nx
                    step[1] -= out * ny
                    step[2] -= out * nz
                long = math.sqrt(step[0] * step[0] + step[1] * step[1] + step[2] * step[2])
                if not long > _STILL * reach:
                    break
                scale, better = min(1.0, reach / long), False
                for _ in range(_HALVINGS):
                    tx, ty, tz = x + scale * step[0], y + scale * step[1], z + scale * step[2]
                    tried = _energy(c, count, dimension, eps, tx, ty, tz)
                    if tried < energy:
                        x, y, z, energy, better = tx, ty, tz, tried, True
                        break
                    scale *= 0.5
                if not better:
                    break
            if x * x + y * y + z * z > (_STILL * reach) ** 2:
                points[node, 0] += x
                points[node, 1] += y
                points[node, 2] += z
                moved += 1
                for at in range(first[r], first[r + 1]):
                    for i in range(simplices.shape[1]):
                        other = row[simplices[of[at], i]]
                        if other >= 0:
                            wake[other] = True
        moves += moved
        if moved == 0:
            break
    return moves


@kernel
def distortions(start, stop, points, ref, simplices, out):
    """Distortion of every simplex against what it was; infinite where a tet is inverted or flat."""
    c = np.empty(9)
    dimension = simplices.shape[1] - 1
    for s in range(start, stop):
        a = simplices[s, 0]
        nx = ny = nz = 0.0
        if dimension == 2:
            b, d = simplices[s, 1], simplices[s, 2]
            ux, uy, uz = points[b, 0] - points[a, 0], points[b, 1] - points[a, 1], points[b, 2] - points[a, 2]
            vx, vy, vz = points[d, 0] - points[a, 0], points[d, 1] - points[a, 1], points[d, 2] - points[a, 2]
            nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
            size = math.sqrt(nx * nx + ny * ny + nz * nz)
            if size > 0.0:
                nx, ny, nz = nx / size, ny / size, nz / size
        if not _coefficients(points, ref, nx, ny, nz, simplices, s, a, c):
            out[s] = 1.0
        elif not c[5] > 0.0:
            out[s] = np.inf
        else:
            out[s] = c[0] / (2.0 * c[5]) if dimension == 2 else c[0] * math.sqrt(c[0]) / (5.196152422706632 * c[5])
