"""Random unions of simple solids, by seed, and a judge of what mending makes of them.

A few of them are tests; ``benchmarks/unions.py`` runs many.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import shapes

import oddseam
from oddseam.geometry.triangles import cone_volumes, winding_number

#: Turns whose matrices are quotients of whole numbers, and some that are not.
_EXACT = [(3 / 5, 4 / 5), (5 / 13, 12 / 13), (8 / 17, 15 / 17), (0.0, 1.0)]
#: Points at which a union is compared with its solids.
_POINTS = 40


@dataclass(frozen=True)
class Scene:
    """Solids, and the volume of their union where it is known."""

    kind: str
    solids: tuple[tuple[np.ndarray, np.ndarray], ...]
    volume: float | None
    format: str


def scene(seed: int) -> Scene:
    """The scene of a seed: two to six boxes, cylinders, balls and tori that share planes, edges and corners."""
    random = np.random.default_rng(seed)
    kind = ("boxes", "turned boxes", "mixed", "turned", "free")[seed % 5]
    count = int(random.integers(2, 7))
    format = ("stl", "ply")[seed // 5 % 2]
    if kind in ("boxes", "turned boxes"):
        low = random.integers(0, 5, (count, 3)).astype(float)
        boxes = [(p, p + random.integers(1, 4, 3)) for p in low]
        turn = np.eye(3) if kind == "boxes" else _turn(random)
        solids = [(box(*b)[0] @ turn.T, box(*b)[1]) for b in boxes]
        return Scene(kind, tuple(solids), volume_of_boxes(boxes), format)
    solids = []
    for _ in range(count):
        nodes, triangles = _solid(random)
        if kind == "free":
            nodes = nodes @ _turn(random).T + random.normal(size=3)
        else:  # on a grid, so that planes, edges and corners are shared
            nodes = nodes[:, random.permutation(3)] if random.random() < 0.5 else nodes
            triangles = triangles if _volume(nodes, triangles) > 0 else triangles[:, ::-1]
            nodes = nodes + random.integers(-2, 3, 3)
        solids.append((nodes, triangles))
    turn = _turn(random) if kind == "turned" else np.eye(3)
    return Scene(kind, tuple((nodes @ turn.T, triangles) for nodes, triangles in solids), None, format)


def box(low, high) -> tuple[np.ndarray, np.ndarray]:
    """A box between two corners."""
    nodes, triangles = shapes.cube()
    return np.asarray(low, float) + nodes * np.subtract(high, low), triangles


def cylinder(n: int, radius: float, height: float) -> tuple[np.ndarray, np.ndarray]:
    """A prism of n sides about the z axis, from z = 0 on."""
    u = np.arange(n) * 2 * np.pi / n
    ring = radius * np.column_stack([np.cos(u), np.sin(u), np.zeros(n)])
    nodes = np.concatenate([ring, ring + np.array([0, 0, height]), [[0, 0, 0], [0, 0, height]]])
    k, after = np.arange(n), (np.arange(n) + 1) % n
    sides = [
        (k, after, after + n),
        (k, after + n, k + n),
        (after, k, 2 * n + 0 * k),
        (k + n, after + n, 2 * n + 1 + 0 * k),
    ]
    return nodes, np.concatenate([np.column_stack(side) for side in sides])


def volume_of_boxes(boxes) -> float:
    """Of the union, cell by cell of the grid that all planes make."""
    planes = [np.unique([b[k][axis] for b in boxes for k in (0, 1)]) for axis in range(3)]
    total = 0.0
    for i, j, k in itertools.product(*(range(len(p) - 1) for p in planes)):
        low, high = ([planes[a][n + d] for a, n in enumerate((i, j, k))] for d in (0, 1))
        middle = np.add(low, high) / 2
        if any((middle > b[0]).all() and (middle < b[1]).all() for b in boxes):
            total += float(np.prod(np.subtract(high, low)))
    return total


def as_mesh(given: Scene) -> oddseam.Mesh:
    """All solids in one mesh, a part each."""
    first = np.cumsum([0, *(len(nodes) for nodes, _ in given.solids)])
    sizes = [len(triangles) for _, triangles in given.solids]
    return oddseam.Mesh.from_triangles(
        np.concatenate([nodes for nodes, _ in given.solids]),
        np.concatenate([triangles + k for (_, triangles), k in zip(given.solids, first, strict=False)]),
        part=np.repeat(np.arange(len(sizes)), sizes),
        parts=tuple(oddseam.Part(f"solid {k}", k + 1) for k in range(len(sizes))),
        unit="mm",
    )


def judged(given: Scene, folder: Path) -> list[str]:
    """What is wrong with the union as it is read back from its file."""
    mesh = as_mesh(given)
    digest = mesh.digest
    result = oddseam.mend(mesh, target=given.format, crumbs=0.0, close="none")
    path = folder / f"union.{given.format}"
    oddseam.write_mesh(result, path)
    file = oddseam.read_mesh(path, unit="mm")
    proof = oddseam.prove(file)
    wrong = [] if proof.is_closed and proof.is_clean else [f"not clean: {proof.faults()}"]
    wrong += [f"unmet: {line}" for line in result.account.last.outcome.unmet]
    if mesh.digest != digest:
        wrong.append("the mesh that was given is not as it was")
    corners = file.nodes[file.triangulation.triangles]
    volume = float(cone_volumes(corners, corners.reshape(-1, 3).mean(axis=0)).sum())
    # single precision, and what touches is drawn apart by a few units of it
    if given.volume is not None and abs(volume / given.volume - 1) > (1e-5 if given.format == "stl" else 1e-9):
        wrong.append(f"volume {volume!r} instead of {given.volume!r}")
    wrong += _not_inside(given, corners) + _parts_elsewhere(given, result)
    again = oddseam.mend(file, target=given.format, crumbs=0.0, close="none")
    if not np.array_equal(again.nodes[again.triangulation.triangles], corners):
        wrong.append("mended again it changes")
    return wrong


def _not_inside(given: Scene, corners: np.ndarray) -> list[str]:
    random = np.random.default_rng(len(corners))
    every = np.concatenate([nodes for nodes, _ in given.solids])
    points = random.uniform(every.min(axis=0) - 0.1, every.max(axis=0) + 0.1, (_POINTS, 3))
    wrong = []
    for point in points:
        about = [winding_number(point, nodes[triangles]) for nodes, triangles in given.solids]
        now = winding_number(point, corners)
        if max(abs(w - round(w)) for w in [*about, now]) > 0.01:
            continue  # too near a wall to tell by adding angles
        if round(now) != int(any(round(w) for w in about)):
            wrong.append(f"wound {now:.3f} times about {point.tolist()}, the solids {about}")
    return wrong


def _parts_elsewhere(given: Scene, result: oddseam.Mesh) -> list[str]:
    """Facets whose middles do not lie on the solid of their part."""
    t = result.triangulation
    rows = np.random.default_rng(1).permutation(len(t.triangles))[:30]
    wrong = []
    for row in rows.tolist():
        middle = result.nodes[t.triangles[row]].mean(axis=0)
        nodes, triangles = given.solids[result.element_part[t.element[row]]]
        if distance(middle, nodes[triangles]) > 1e-5:
            wrong.append(f"facet {row} of part {result.element_part[t.element[row]]} does not lie on it")
    return wrong


def distance(point: np.ndarray, corners: np.ndarray) -> float:
    """Distance of a point to triangles (m, 3, 3)."""
    a, u, v = corners[:, 0], corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    w = point - a
    uu, uv, vv = (np.einsum("ij,ij->i", p, q) for p, q in ((u, u), (u, v), (v, v)))
    wu, wv = np.einsum("ij,ij->i", w, u), np.einsum("ij,ij->i", w, v)
    det = np.maximum(uu * vv - uv * uv, 1e-300)
    s, t = (vv * wu - uv * wv) / det, (uu * wv - uv * wu) / det
    inside = (s >= 0) & (t >= 0) & (s + t <= 1)
    flat = np.where(inside, np.linalg.norm(w - s[:, None] * u - t[:, None] * v, axis=1), np.inf)
    best = float(flat.min())
    for k in range(3):
        p, e = corners[:, k], corners[:, (k + 1) % 3] - corners[:, k]
        share = (np.einsum("ij,ij->i", point - p, e) / np.einsum("ij,ij->i", e, e)).clip(0, 1)
        best = min(best, float(np.linalg.norm(point - p - share[:, None] * e, axis=1).min()))
    return best


def _volume(nodes: np.ndarray, triangles: np.ndarray) -> float:
    return float(cone_volumes(nodes[triangles], nodes.mean(axis=0)).sum())


def _turn(random: np.random.Generator) -> np.ndarray:
    """By exact angles about two axes, or by any."""
    if random.random() < 0.5:
        turn = np.eye(3)
        for axis in random.permutation(3)[:2]:
            cos, sin = _EXACT[random.integers(len(_EXACT))]
            one = np.eye(3)
            i, j = (axis + 1) % 3, (axis + 2) % 3
            one[i, i], one[i, j], one[j, i], one[j, j] = cos, -sin, sin, cos
            turn = one @ turn
        return turn
    turn, _ = np.linalg.qr(random.normal(size=(3, 3)))
    return turn * np.sign(np.linalg.det(turn))


def _solid(random: np.random.Generator) -> tuple[np.ndarray, np.ndarray]:
    """A solid about the origin, its sizes whole or halves."""
    kind = random.integers(4)
    size = random.integers(1, 4, 3) / random.integers(1, 3)
    if kind == 0:
        return box(-size, size)
    if kind == 1:
        return cylinder(int(random.integers(3, 17)), size[0], 2 * size[1])
    if kind == 2:
        return shapes.sphere(2 * int(random.integers(3, 9)), size[0])
    return shapes.torus(int(random.integers(5, 17)), int(random.integers(4, 9)), size[0] + 1.0, size[0] / 2)
