"""The bearing block of the gate of Alder Weir: a pillow block with a bore and two feet, as a deck of tets.

Lengths in millimetres; the bore runs along y.  The mesh is of blocks: rings round the bore, a slab below with the feet.
The nodes of the bore are given in cylindrical coordinates; the feet are held, and the shaft pulls at the bore.  The new
design, as facets of another mesh, has a larger bore and a thicker foot; one that nobody wants has a drain in that foot.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np

import oddseam
from oddseam.arrays import Array
from oddseam.formats.nastran.fields import card_text

#: Radius and height of the bore, half width and depth of the body, half width over the feet, height of the feet.
BORE, AXIS, BODY, DEPTH, FEET, FOOT = 20.0, 45.0, 38.0, 40.0, 70.0, 14.0
#: What the new design has: the radius of the bore, and the height of the foot on the side of negative x.
NEW_BORE, NEW_FOOT = 20.75, 18.0
#: Elements along the arch, a side of the body, its width, a foot, the height of a foot, the depth; and rings.
_COUNTS = (24, 8, 20, 8, 4, 10, 6)
_FACETS = (38, 11, 27, 11, 5, 13, 7)
_SYSTEM, _PROPERTY = 7, 1


def _outline(foot: float, counts: tuple[int, ...]) -> Array:
    """Corners of the mesh round the outermost ring, from the arch counter-clockwise; (k, 2) of x and z."""
    arch, side, width = counts[:3]
    turn = np.linspace(0.0, np.pi, arch + 1)
    points = [np.column_stack([BODY * np.cos(turn), AXIS + BODY * np.sin(turn)])]
    left, right = np.array([-BODY, foot]), np.array([BODY, FOOT])
    for a, b, n in ((points[0][-1], left, side), (left, right, width), (right, points[0][0], side)):
        points.append(a + np.linspace(0.0, 1.0, n + 1)[1:, None] * (b - a))
    return np.concatenate(points)[:-1]


def _section(bore: float, foot: float, counts: tuple[int, ...]) -> list[Array]:
    """The section as blocks of points (i, j, 2) of x and z; the first one goes all round."""
    arch, side, width, out, up, _, rings = counts
    outer = _outline(foot, counts)
    arm = outer - (0.0, AXIS)
    inner = (0.0, AXIS) + bore * arm / np.linalg.norm(arm, axis=1, keepdims=True)
    share = np.linspace(0.0, 1.0, rings + 1)[:, None, None] ** 1.2
    ring = np.concatenate([inner + share * (outer - inner), (inner + share * (outer - inner))[:, :1]], axis=1)
    top = outer[arch + side : arch + side + width + 1]
    steps = np.linspace(0.0, 1.0, out + 1)[:, None]
    tops = [
        np.array([-FEET, foot]) + steps * (top[0] - (-FEET, foot)),
        top,
        top[-1] + steps * (np.array([FEET, FOOT]) - top[-1]),
    ]
    rows = np.linspace(0.0, 1.0, up + 1)[None, :, None]
    return [ring, *(np.stack([line[:, :1] + 0 * rows[..., 0], line[:, 1:] * rows[..., 0]], axis=-1) for line in tops)]


def _solid(bore: float, foot: float, counts: tuple[int, ...], drain: bool = False) -> tuple[Array, Array]:
    """Nodes and hexes."""
    depth = counts[5]
    y = np.linspace(0.0, DEPTH, depth + 1)
    nodes, hexes, count = [], [], 0
    for number, flat in enumerate(_section(bore, foot, counts)):
        i, j = flat.shape[:2]
        block = np.stack(
            [
                np.broadcast_to(flat[None, ..., 0], (depth + 1, i, j)),
                np.broadcast_to(y[:, None, None], (depth + 1, i, j)),
                np.broadcast_to(flat[None, ..., 1], (depth + 1, i, j)),
            ],
            axis=-1,
        )
        at = np.arange(block.size // 3).reshape(depth + 1, i, j) + count
        face = [at[:, :-1, :-1], at[:, 1:, :-1], at[:, 1:, 1:], at[:, :-1, 1:]]
        cells = np.stack([c[:-1] for c in face] + [c[1:] for c in face], axis=-1)
        if drain and number == 1:
            keep = np.ones(cells.shape[:3], bool)
            keep[depth // 2 - 1 : depth // 2 + 2, i // 2 - 1 : i // 2 + 1] = False
            cells = cells[keep]
        nodes.append(block.reshape(-1, 3))
        hexes.append(cells.reshape(-1, 8))
        count += block.size // 3
    every, table = np.concatenate(nodes), np.concatenate(hexes)
    _, first, index = np.unique(np.round(every, 7) + 0.0, axis=0, return_index=True, return_inverse=True)
    table = index.reshape(-1)[table]
    points = every[first]
    a, b, c = (points[table[:, k]] - points[table[:, 0]] for k in (1, 3, 4))
    wrong = np.einsum("ij,ij->i", a, np.cross(b, c)) < 0
    table[wrong] = table[wrong][:, [4, 5, 6, 7, 0, 1, 2, 3]]
    return points, table


def _tets(points: Array, hexes: Array) -> Array:
    """Tets from the lowest node of every hex to the halves of the faces without it, cut alike from both sides."""
    faces = np.array([(0, 3, 2, 1), (4, 5, 6, 7), (0, 1, 5, 4), (1, 2, 6, 5), (2, 3, 7, 6), (3, 0, 4, 7)])
    first = hexes.min(axis=1)
    found = []
    for face in faces:
        far = (hexes[:, face] != first[:, None]).all(axis=1)
        its, top = hexes[far][:, face], first[far]
        turn = np.argmin(its, axis=1)
        a, b, c, d = (np.take_along_axis(its, ((turn + k) % 4)[:, None], axis=1)[:, 0] for k in range(4))
        found += [np.column_stack([a, c, b, top]), np.column_stack([a, d, c, top])]
    tets = np.concatenate(found)
    a, b, c = (points[tets[:, k]] - points[tets[:, 0]] for k in (1, 2, 3))
    wrong = np.einsum("ij,ij->i", a, np.cross(b, c)) < 0
    tets[wrong] = tets[wrong][:, [0, 2, 1, 3]]
    return np.asarray(tets)


def bearing_block_deck() -> str:
    """The text of the deck."""
    points, hexes = _solid(BORE, FOOT, _COUNTS)
    used, index = np.unique(hexes, return_inverse=True)
    points, hexes = points[used], index.reshape(hexes.shape)
    ids = 1_001 + np.arange(len(points)) + 9 * (np.arange(len(points)) // 25)
    away = points - (0.0, 0.0, AXIS)
    radius = np.hypot(away[:, 0], away[:, 2])
    bore = np.abs(radius - BORE) < 1e-6
    lines = [card_text("CORD2C", [str(_SYSTEM), "0", "0.", "0.", "45.", "0.", "1.", "45.", "1.", "0.", "45."], "small")]
    lines += [card_text("PSOLID", [str(_PROPERTY), "1"], "small")]
    lines += [card_text("MAT1", ["1", "169000.", "", "0.275", "7.1-9"], "small")]
    for k, (x, y, z) in enumerate(points.tolist()):
        # the axis of the frame is y, and its angle counts from x towards minus z
        given = (radius[k], np.degrees(np.arctan2(AXIS - z, x)), y) if bore[k] else (x, y, z)
        words = [f"{value:.9g}"[:15] for value in given]
        words = [word if "." in word or "e" in word else word + "." for word in words]
        lines.append(card_text("GRID", [str(ids[k]), str(_SYSTEM) if bore[k] else "", *words], "large"))
    for k, tet in enumerate(_tets(points, hexes).tolist()):
        lines.append(card_text("CTETRA", [str(50_001 + k), str(_PROPERTY), *(str(ids[i]) for i in tet)], "small"))
    held = ids[(points[:, 2] < 1e-9) & (np.abs(points[:, 0]) > BODY + 1.0)].tolist()
    lines += [card_text("SPC1", ["3", "123", *map(str, held[k : k + 6])], "small") for k in range(0, len(held), 6)]
    lines += [
        card_text("FORCE", ["8", str(number), "0", "45.", "0.", "0.", "1."], "small")
        for number in ids[bore & (away[:, 2] > 0.5 * BORE)].tolist()
    ]
    head = "$ Bearing block of Alder Weir\nSOL 101\nCEND\nSPC = 3\nLOAD = 8\nBEGIN BULK\n"
    return head + "".join(lines) + "ENDDATA\n"


def write_bearing_block(path: str | Path) -> Path:
    """Write the deck of the bearing block.

    Examples
    --------
    >>> import pathlib, tempfile, oddseam
    >>> from oddseam.demo import write_bearing_block
    >>> block = oddseam.read_mesh(write_bearing_block(pathlib.Path(tempfile.mkdtemp(), "bearing_block.bdf")))
    >>> sorted(block.counts)
    ['nodes', 'tet']
    """
    path = Path(path)
    path.write_text(bearing_block_deck())
    return path


def write_bearing_block_new(path: str | Path, *, drain: bool = False) -> Path:
    """Write the faceted surface of the new design, as STL; with a drain through the foot if that is wanted.

    Examples
    --------
    >>> import pathlib, tempfile, oddseam
    >>> from oddseam.demo import write_bearing_block_new
    >>> path = write_bearing_block_new(pathlib.Path(tempfile.mkdtemp(), "bearing_block_new.stl"))
    >>> oddseam.prove(oddseam.read_mesh(path)).is_closed
    True
    """
    points, hexes = _solid(NEW_BORE, NEW_FOOT, _FACETS, drain)
    used, index = np.unique(hexes, return_inverse=True)
    block = oddseam.Elements(index.reshape(hexes.shape), np.arange(1, len(hexes) + 1), np.zeros(len(hexes), np.int32))
    solid = oddseam.Mesh(points[used], {"hex": block}, (oddseam.Part("block", 1),), unit="mm")
    path = Path(path)
    oddseam.write_mesh(oddseam.skin(solid), path)
    return path
