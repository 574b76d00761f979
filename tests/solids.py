"""Analytic solids for the tests: blocks with a bore, flanged tubes and so on, in every kind of element."""

from __future__ import annotations

import numpy as np

import oddseam


def grid(*steps: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Nodes and hexes of a box with nodes at the given steps along x, y and z."""
    counts = [len(s) for s in steps]
    nodes = np.stack(np.meshgrid(*steps, indexing="ij"), axis=-1).reshape(-1, 3)
    at = np.arange(len(nodes)).reshape(counts)
    low, high = slice(None, -1), slice(1, None)
    corner = [(low, low, low), (high, low, low), (high, high, low), (low, high, low)]
    corner += [(i, j, high) for i, j, _ in corner]
    return nodes, np.stack([at[c].ravel() for c in corner], axis=1)


def merged(*pieces: tuple[np.ndarray, np.ndarray]) -> tuple[np.ndarray, np.ndarray]:
    """Pieces in one, nodes at one place joined."""
    first = np.cumsum([0, *(len(nodes) for nodes, _ in pieces)])
    nodes = np.concatenate([nodes for nodes, _ in pieces])
    cells = np.concatenate([cells + k for (_, cells), k in zip(pieces, first, strict=False)])
    _, keep, index = np.unique(np.round(nodes, 9) + 0.0, axis=0, return_index=True, return_inverse=True)
    return nodes[keep], index.reshape(-1)[cells]


def bored_block(
    radius: float = 10.0,
    width: float = 60.0,
    depth: float = 40.0,
    around: int = 32,
    rings: int = 6,
    rows: int = 8,
    height: float | None = None,
    bore: tuple[float, float] = (0.0, 0.0),
) -> tuple[np.ndarray, np.ndarray]:
    """A block with a bore along y, in the middle of a square by default; ``around`` a multiple of 8; hexes."""
    side = np.linspace(-1, 1, around // 4 + 1)[:-1]
    one = np.ones_like(side)
    square = np.concatenate([[one, side], [-side, one], [-one, -side], [side, -one]], axis=1).T
    outer = 0.5 * square * (width, width if height is None else height)
    arm = outer - bore
    inner = bore + radius * arm / np.linalg.norm(arm, axis=1, keepdims=True)
    share = np.linspace(0, 1, rings + 1)[:, None, None]
    flat = inner + share * (outer - inner)  # (rings + 1, around, 2)
    y = np.linspace(0, depth, rows + 1)
    nodes = np.stack(
        [
            np.broadcast_to(flat[None, :, :, 0], (rows + 1, rings + 1, around)),
            np.broadcast_to(y[:, None, None], (rows + 1, rings + 1, around)),
            np.broadcast_to(flat[None, :, :, 1], (rows + 1, rings + 1, around)),
        ],
        axis=-1,
    ).reshape(-1, 3)
    at = np.arange(len(nodes)).reshape(rows + 1, rings + 1, around)
    after = np.roll(at, -1, axis=2)
    face = [at[:, :-1], at[:, 1:], after[:, 1:], after[:, :-1]]
    hexes = np.stack([c[:-1].ravel() for c in face] + [c[1:].ravel() for c in face], axis=1)
    return outward(nodes, hexes)


def flanged_tube(
    around: int = 40,
    radii: tuple[float, float, float] = (20.0, 26.0, 40.0),
    heights: tuple[float, float] = (8.0, 60.0),
    counts: tuple[int, int, int, int] = (3, 3, 14, 5),
) -> tuple[np.ndarray, np.ndarray]:
    """A tube along z with a flange at its foot: inner, outer and flange radius, heights of flange and tube; hexes."""

    def ring(radii: np.ndarray, heights: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        nodes, hexes = grid(radii, np.arange(around + 1.0), heights)
        turn = nodes[:, 1] * 2 * np.pi / around
        return np.column_stack([nodes[:, 0] * np.cos(turn), nodes[:, 0] * np.sin(turn), nodes[:, 2]]), hexes

    wall = np.linspace(radii[0], radii[1], counts[0] + 1)
    foot = np.linspace(0, heights[0], counts[1] + 1)
    return merged(
        ring(wall, foot),
        ring(wall, np.linspace(heights[0], heights[1], counts[2] + 1)),
        ring(np.linspace(radii[1], radii[2], counts[3] + 1), foot),
    )


def outward(nodes: np.ndarray, hexes: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Hexes turned over where they are inside out."""
    a, b, c = (nodes[hexes[:, k]] - nodes[hexes[:, 0]] for k in (1, 3, 4))
    wrong = np.einsum("ij,ij->i", a, np.cross(b, c)) < 0
    hexes = hexes.copy()
    hexes[wrong] = hexes[wrong][:, [4, 5, 6, 7, 0, 1, 2, 3]]
    return nodes, hexes


def solid(shape: tuple[np.ndarray, np.ndarray], kind: str = "hex", **more) -> oddseam.Mesh:
    """A mesh of hex, tet, wedge or mixed elements (hex, pyramid, tet), linear, or quadratic as hex20, tet10, wedge15."""
    nodes, hexes = shape
    plain = kind.rstrip("0123456789")
    cells: dict[str, np.ndarray]
    if plain == "hex":
        cells = {"hex": hexes}
    elif plain == "wedge":
        # cut along the diagonal of the bottom that starts at its lowest node, so that sides keep four corners
        cells = {"wedge": np.concatenate([hexes[:, [0, 1, 2, 4, 5, 6]], hexes[:, [0, 2, 3, 4, 6, 7]]])}
    elif plain == "tet":
        cells = {"tet": _upright(nodes, _tets(hexes))}
    else:
        some = np.arange(len(hexes)) % 3 == 0
        middle = nodes[hexes[some]].mean(axis=1)
        top = len(nodes) + np.arange(len(middle))
        nodes = np.concatenate([nodes, middle])
        sides = [(0, 1, 2, 3), (4, 7, 6, 5), (0, 4, 5, 1), (1, 5, 6, 2), (2, 6, 7, 3), (3, 7, 4, 0)]
        pyramids = np.concatenate([np.column_stack([hexes[some][:, list(s)], top]) for s in sides])
        cells = {"hex": hexes[~some], "pyramid": pyramids}
    if kind != plain:
        nodes, cells = _quadratic(nodes, cells)
    elements, at = {}, 0
    for name, table in cells.items():
        elements[name] = oddseam.Elements(table, np.arange(at + 1, at + 1 + len(table)), np.zeros(len(table), int))
        at += len(table)
    return oddseam.Mesh(nodes, elements, (oddseam.Part("block", 1, **more),), unit="mm")


def _tets(hexes: np.ndarray) -> np.ndarray:
    """Six tets of every hex, cut so that faces match: round the diagonal from the lowest node of each hex."""
    pieces = []
    faces = [(0, 1, 2, 3), (4, 5, 6, 7), (0, 1, 5, 4), (1, 2, 6, 5), (2, 3, 7, 6), (3, 0, 4, 7)]
    for cell in hexes:
        first = cell.min()
        for face in faces:
            its = cell[list(face)]
            if first in its:
                continue
            k = int(np.argmin(its))
            a, b, c, d = np.roll(its, -k)
            pieces += [(a, b, c, first), (a, c, d, first)]
    return np.array(pieces)


def _quadratic(nodes: np.ndarray, cells: dict[str, np.ndarray]) -> tuple[np.ndarray, dict[str, np.ndarray]]:
    """With straight midside nodes."""
    from oddseam.model import KINDS

    every = np.concatenate([table[:, np.array(KINDS[name].edges)].reshape(-1, 2) for name, table in cells.items()])
    pairs, index = np.unique(np.sort(every, axis=1), axis=0, return_inverse=True)
    index = index.reshape(-1) + len(nodes)
    new, at = {}, 0
    for name, table in cells.items():
        count = len(KINDS[name].edges)
        new[f"{name}{table.shape[1] + count}"] = np.column_stack(
            [table, index[at : at + count * len(table)].reshape(len(table), count)]
        )
        at += count * len(table)
    return np.concatenate([nodes, nodes[pairs].mean(axis=1)]), new


def _upright(nodes: np.ndarray, tets: np.ndarray) -> np.ndarray:
    """Tets turned over where they are inside out."""
    a, b, c = (nodes[tets[:, k]] - nodes[tets[:, 0]] for k in (1, 2, 3))
    wrong = np.einsum("ij,ij->i", a, np.cross(b, c)) < 0
    tets[wrong] = tets[wrong][:, [0, 2, 1, 3]]
    return tets


def volume(mesh: oddseam.Mesh) -> float:
    """What the skin of the corners encloses."""
    found = oddseam.prove(oddseam.skin(mesh)).volume
    assert found is not None
    return found


def ribbed_panel(
    length: float = 120.0, width: float = 80.0, rib: float = 20.0, at: float = 30.0, n: int = 24
) -> oddseam.Mesh:
    """A flat shell in the plane z = 0 with two ribs along x that stand on it in T-joints; quads."""
    x = np.linspace(0, length, n + 1)
    lines = np.array([0.0, at, width - at, width])
    y = np.concatenate(
        [
            np.linspace(a, b, max(2, round(n * (b - a) / length)) + 1)[:-1]
            for a, b in zip(lines[:-1], lines[1:], strict=True)
        ]
    )
    y = np.append(y, width)
    z = np.linspace(0, rib, max(2, round(n * rib / length)) + 1)

    def plate(points: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        rows, columns = points.shape[:2]
        k = np.arange(rows * columns).reshape(rows, columns)
        return points.reshape(-1, 3), np.stack([k[:-1, :-1], k[1:, :-1], k[1:, 1:], k[:-1, 1:]], -1).reshape(-1, 4)

    def mesh(u: np.ndarray, v: np.ndarray, place) -> np.ndarray:
        return np.array([[place(a, b) for b in v] for a in u])

    nodes, quads = merged(
        plate(mesh(x, y, lambda a, b: (a, b, 0.0))),
        *(plate(mesh(x, z, lambda a, c, b=b: (a, b, c))) for b in lines[1:3]),
    )
    block = oddseam.Elements(quads, np.arange(1, len(quads) + 1), np.zeros(len(quads), int))
    return oddseam.Mesh(nodes, {"quad": block}, (oddseam.Part("panel", 1, thickness=2.0),), unit="mm")
