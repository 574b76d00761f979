"""Analytic shapes for the tests."""

from __future__ import annotations

import numpy as np

import oddseam


def cube(side: float = 1.0) -> tuple[np.ndarray, np.ndarray]:
    """Twelve facets, outward."""
    nodes = np.array([[x, y, z] for z in (0, 1) for y in (0, 1) for x in (0, 1)], float) * side
    quads = [(0, 2, 3, 1), (4, 5, 7, 6), (0, 1, 5, 4), (1, 3, 7, 5), (3, 2, 6, 7), (2, 0, 4, 6)]
    return nodes, np.array([t for a, b, c, d in quads for t in ((a, b, c), (a, c, d))])


def grid_cube(n: int) -> tuple[np.ndarray, np.ndarray]:
    """A unit cube with n x n x 2 facets on each side."""
    corners, triangles = cube()
    steps = np.linspace(0, 1, n + 1)
    soup = []
    for a, b, c in triangles.reshape(-1, 2, 3)[:, 0]:
        u, v = corners[b] - corners[a], corners[c] - corners[b]
        p = corners[a] + steps[:, None, None] * u + steps[None, :, None] * v
        quad = [p[:-1, :-1], p[1:, :-1], p[1:, 1:], p[:-1, 1:]]
        for i, j, k in ((0, 1, 2), (0, 2, 3)):
            soup.append(np.stack([quad[i], quad[j], quad[k]], axis=2).reshape(-1, 3, 3))
    return joined(np.concatenate(soup))


def sphere(n: int = 24, radius: float = 1.0) -> tuple[np.ndarray, np.ndarray]:
    """A globe of n meridians and n / 2 parallels, outward."""
    u, v = np.arange(n) * 2 * np.pi / n, np.linspace(0, np.pi, n // 2 + 1)
    p = radius * np.stack(
        [np.outer(np.sin(v), np.cos(u)), np.outer(np.sin(v), np.sin(u)), np.outer(np.cos(v), np.ones(n))], axis=-1
    )
    p[0], p[-1] = [0, 0, radius], [0, 0, -radius]
    after = np.roll(p, -1, axis=1)
    quad = [p[:-1], p[1:], after[1:], after[:-1]]
    return joined(np.concatenate([np.stack([quad[i] for i in t], 2).reshape(-1, 3, 3) for t in ((0, 1, 2), (0, 2, 3))]))


def torus(n: int = 40, m: int = 20, big: float = 2.0, small: float = 0.7) -> tuple[np.ndarray, np.ndarray]:
    """A torus, outward."""
    u, v = (np.arange(k) * 2 * np.pi / k for k in (n, m))
    ring = big + small * np.cos(v)
    p = np.stack(
        [np.outer(np.cos(u), ring), np.outer(np.sin(u), ring), np.outer(np.ones(n), small * np.sin(v))], axis=-1
    ).reshape(-1, 3)
    i, j = np.meshgrid(np.arange(n), np.arange(m), indexing="ij")
    a, b = i * m + j, (i + 1) % n * m + j
    c, d = (i + 1) % n * m + (j + 1) % m, i * m + (j + 1) % m
    return p, np.concatenate([np.stack(t, -1).reshape(-1, 3) for t in ((a, b, c), (a, c, d))])


def sheet(n: int = 8) -> tuple[np.ndarray, np.ndarray]:
    """A unit square in the plane z = 0, looking up."""
    i, j = np.meshgrid(np.arange(n), np.arange(n), indexing="ij")
    x, y = np.meshgrid(np.linspace(0, 1, n + 1), np.linspace(0, 1, n + 1), indexing="ij")
    a = i * (n + 1) + j
    corners = (a, a + n + 1, a + n + 2, a + 1)
    triangles = [np.stack([corners[k] for k in t], -1).reshape(-1, 3) for t in ((0, 1, 2), (0, 2, 3))]
    return np.stack([x.ravel(), y.ravel(), 0 * x.ravel()], axis=1), np.concatenate(triangles)


def joined(soup: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Nodes and triangles of a soup whose equal corners differ by rounding at most."""
    nodes, index = np.unique(np.round(soup.reshape(-1, 3), 9) + 0.0, axis=0, return_inverse=True)
    triangles = index.reshape(-1, 3)
    return nodes, triangles[(triangles != np.roll(triangles, 1, axis=1)).all(axis=1)]


def mesh(shape: tuple[np.ndarray, np.ndarray], **more) -> oddseam.Mesh:
    return oddseam.Mesh.from_triangles(*shape, **more)


def side_by_side(*shapes: tuple[np.ndarray, np.ndarray]) -> oddseam.Mesh:
    """Shapes in one mesh, not joined."""
    first = np.cumsum([0, *(len(nodes) for nodes, _ in shapes)])
    triangles = [triangles + k for (_, triangles), k in zip(shapes, first, strict=False)]
    return oddseam.Mesh.from_triangles(
        np.concatenate([nodes for nodes, _ in shapes]), np.concatenate(triangles), unit="mm"
    )


def capped_cylinder(sides, radius=1.0, height=3.0):
    """A closed cylinder whose wall is one row of quads, each cut in two; the caps have a node in the middle."""
    turn = np.arange(sides) * 2 * np.pi / sides
    ring = radius * np.column_stack([np.cos(turn), np.sin(turn)])
    levels = [np.column_stack([ring, np.full(sides, z)]) for z in (0.0, height)]
    nodes = np.concatenate([*levels, [[0, 0, 0], [0, 0, height]]])
    k, a = np.arange(sides), (np.arange(sides) + 1) % sides
    low, high = np.full(sides, 2 * sides), np.full(sides, 2 * sides + 1)
    faces = [(k, a, a + sides), (k, a + sides, k + sides), (a, k, low), (k + sides, a + sides, high)]
    return nodes, np.concatenate([np.column_stack(face) for face in faces])


def cone(sides, angle=30.0, low=1.0, high=3.0):
    """The wall of a cone between two heights, in four rows; its apex is the origin."""
    turn = np.arange(sides) * 2 * np.pi / sides
    z = np.linspace(low, high, 5)
    out = np.tan(np.radians(angle)) * z[:, None]
    nodes = np.stack([out * np.cos(turn), out * np.sin(turn), np.broadcast_to(z[:, None], (5, sides))], axis=-1)
    k, a = np.arange(sides), (np.arange(sides) + 1) % sides
    rows = [
        f
        for r in range(0, 4 * sides, sides)
        for f in ((k + r, a + r, a + sides + r), (k + r, a + sides + r, k + sides + r))
    ]
    return nodes.reshape(-1, 3), np.concatenate([np.column_stack(face) for face in rows])


def fillet(steps, rows, radius=0.3, length=4.0):
    """Two planes at a right angle with a round between them, cut in steps across and rows along."""
    turn = np.linspace(0.0, np.pi / 2.0, steps + 1)
    bend = np.column_stack([2.0 - radius + radius * np.sin(turn), radius * np.cos(turn) - radius])
    profile = np.concatenate([[[0.0, 0.0]], bend, [[2.0, -2.0]]])
    n = len(profile)
    nodes = np.array([[x, y, z] for y in np.linspace(0.0, length, rows + 1) for x, z in profile])
    at = np.arange(len(nodes)).reshape(rows + 1, n)
    a, b, c, d = (w.ravel() for w in (at[:-1, :-1], at[:-1, 1:], at[1:, 1:], at[1:, :-1]))
    return nodes, np.concatenate([np.column_stack([a, c, b]), np.column_stack([a, d, c])])


def chamfered_box(half=(10.0, 8.0, 5.0), cut=0.1):
    """A box about the origin with a chamfer along every edge: 6 faces, 12 strips and 8 corners."""
    signs = [np.array([x, y, z]) for x in (-1, 1) for y in (-1, 1) for z in (-1, 1)]
    number = {(tuple(s), d): 3 * k + d for k, s in enumerate(signs) for d in range(3)}
    nodes = np.array([s * (np.array(half) - cut * (np.arange(3) != d)) for s in signs for d in range(3)])
    faces = [[number[tuple(s), d] for d in range(3)] for s in signs]
    for d in range(3):
        faces += [[number[tuple(s), d] for s in signs if s[d] == side] for side in (-1, 1)]
        e, f = (d + 1) % 3, (d + 2) % 3
        for a, b in ((-1, -1), (-1, 1), (1, -1), (1, 1)):  # the strip along axis d
            faces.append([number[tuple(s), k] for s in signs for k in (e, f) if (s[e], s[f]) == (a, b)])
    triangles = []
    for face in faces:
        p = nodes[face]
        out = p.mean(axis=0)
        normal = np.linalg.svd(p - out)[2][2]
        normal *= np.sign(normal @ out)
        across = np.cross(normal, p[0] - out)
        order = np.argsort(np.arctan2((p - out) @ across, (p - out) @ (p[0] - out) * np.linalg.norm(across)))
        ring = np.array(face)[order]
        triangles += [(ring[0], ring[k], ring[k + 1]) for k in range(1, len(ring) - 1)]
    return nodes, np.array(triangles)


def _quads_round(at):
    """Corners of the quads of a net (rows, sides) of nodes that is closed both ways."""
    over = np.roll(at, -1, axis=0)
    return at.ravel(), np.roll(at, -1, axis=1).ravel(), np.roll(over, -1, axis=1).ravel(), over.ravel()


def revolved(profile, sides):
    """A closed profile (k, 2) of radii and heights, turned round the z axis; the diagonals of the quads alternate."""
    turn = np.arange(sides) * 2 * np.pi / sides
    ring = np.column_stack([np.cos(turn), np.sin(turn)])
    points = [np.column_stack([radius * ring, np.full(sides, height)]) for radius, height in profile]
    at = np.arange(len(profile) * sides).reshape(len(profile), sides)
    a, b, c, d = _quads_round(at)
    even = (np.add.outer(np.arange(len(profile)), np.arange(sides)) % 2 == 0).ravel()
    one = np.where(even[:, None], np.column_stack([a, b, c]), np.column_stack([a, b, d]))
    two = np.where(even[:, None], np.column_stack([a, c, d]), np.column_stack([b, c, d]))
    return np.concatenate(points), np.concatenate([one, two])


def bent_pipe(sides, steps, rows=1, radius=6.0, bend=20.0):
    """A pipe with a wall of one, straight, bent by 90 degrees, straight, bent by 60 across that, and straight again."""
    here, along, side = np.zeros(3), np.array([0.0, 0.0, 1.0]), np.array([1.0, 0.0, 0.0])
    rings = [(here, side, np.cross(along, side))]

    def turned(vector, axis, angle):
        on = axis * (axis @ vector)
        return on + np.cos(angle) * (vector - on) + np.sin(angle) * np.cross(axis, vector)

    for length, angle, roll in ((40.0, 90.0, 0.0), (30.0, 60.0, 90.0), (50.0, 0.0, 0.0)):
        for _ in range(rows):
            here = here + along * length / rows
            rings.append((here, side, np.cross(along, side)))
        inward = turned(side, along, np.radians(roll))
        centre, axis = here + bend * inward, np.cross(along, inward)
        start = here - centre, along, side
        for k in range(1, steps + 1) if angle else ():
            arm, along, side = (turned(v, axis, np.radians(angle) * k / steps) for v in start)
            here = centre + arm
            rings.append((here, side, np.cross(along, side)))
    turn = np.arange(sides) * 2 * np.pi / sides
    shells = [
        [p + r * (np.cos(turn)[:, None] * u + np.sin(turn)[:, None] * v) for p, u, v in rings]
        for r in (radius, radius - 1)
    ]
    points = np.concatenate(shells[0] + shells[1][::-1])
    at = np.arange(len(points)).reshape(-1, sides)
    a, b, c, d = _quads_round(at)
    return points, np.concatenate([np.column_stack([a, b, c]), np.column_stack([a, c, d])])


def circle_points(centre, axis, radius, count):
    """Points on a circle."""
    axis = np.array(axis) / np.linalg.norm(axis)
    across = np.cross(axis, np.eye(3)[np.argmin(np.abs(axis))])
    across /= np.linalg.norm(across)
    turn = np.arange(count)[:, None] * 2 * np.pi / count
    ring = np.cos(turn) * across + np.sin(turn) * np.cross(axis, across)
    return [tuple(point) for point in (np.array(centre) + radius * ring).tolist()]
