"""The draft tube of Alder Weir: the legacy deck of a flaring shell liner that nobody has a drawing of.

Lengths in millimetres.  Quads and tris with sparse ids, gussets that meet the liner and its flange in
T-joints, stringers as bars on the nodes of the liner, bolt holes in the flange, an inspection opening; two
thicknesses of the liner, pressure, loads and supports, and the flange in cylindrical coordinates.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np

from oddseam.arrays import Array
from oddseam.formats.nastran.fields import card_text

#: Columns and rows of the liner; its height, and its radii at the bottom and the top.
COLUMNS, ROWS = 144, 30
HEIGHT, BOTTOM, TOP = 600.0, 300.0, 450.0
#: Outer radius of the flange and its rows; radius of the bolts' holes, how many, and columns of the field round each.
FLANGE, RINGS, BOLT, BOLTS, BOLT_FIELD = 510.0, 3, 9.0, 12, 3
#: Columns of the gussets, the row where they begin, and how far they reach out there.
GUSSETS, GUSSET_FOOT, GUSSET_TOE = (12, 48, 84), 20, 12.0
#: A gusset in a file of its own: its column, and how far it stands off the liner.
LOOSE_GUSSET, LOOSE = 30, 1.5
#: Every so manieth column has a stringer.
STRINGERS = 18
#: Middle of the inspection opening (column, row), half the size of the field round it, and its radius.
OPENING, FIELD, OPENING_RADIUS = (99, 9), (5, 4), 42.0
#: Below this row the liner is made of triangles; from the other one on it is thicker.
TRIANGLES, THICK = 2, 15
_LINER, _THICK, _FLANGE, _GUSSET, _BAR = 11, 12, 13, 21, 31
_SYSTEM = 5


def radius_at(z: float | Array) -> Array:
    """The radius of the liner at a height."""
    return np.asarray(BOTTOM + (TOP - BOTTOM) * (np.asarray(z) / HEIGHT) ** 2)


_THICKNESS = {_LINER: 8.0, _THICK: 12.0, _FLANGE: 20.0, _GUSSET: 10.0}
_STEEL = card_text("MAT1", ["1", "210000.", "", "0.3", "7.85-9"], "small")


def _thickness_card(pid: int) -> str:
    return f"PSHELL  {pid:<8}1       {_THICKNESS[pid]:<8}1\n"


class _Deck:
    """Nodes and elements as they come, with ids that have gaps."""

    def __init__(self) -> None:
        self.grids: list[str] = []
        self.elements: list[str] = []
        self.points: dict[int, Array] = {}
        self.shells: dict[int, list[int]] = {}
        self._next = {"node": 1_003, "shell": 20_001, "bar": 90_010}

    def _id(self, kind: str) -> int:
        number = self._next[kind]
        self._next[kind] += 3 if (number // 3) % 5 else 14
        return number

    def node(self, point: Array, *, cylindrical: bool = False) -> int:
        number = self._id("node")
        self.points[number] = point
        x, y, z = point.tolist()
        given = (np.hypot(x, y), np.degrees(np.arctan2(y, x)), z) if cylindrical else (x, y, z)
        fields = [str(number), str(_SYSTEM) if cylindrical else "", *(f"{value:.9g}"[:15] for value in given)]
        fields[2:] = [word if "." in word or "e" in word else word + "." for word in fields[2:]]
        self.grids.append(card_text("GRID", fields, "large"))
        return number

    def shell(self, pid: int, nodes: list[int]) -> int:
        number = self._id("shell")
        name = "CQUAD4" if len(nodes) == 4 else "CTRIA3"
        self.elements.append(card_text(name, [str(number), str(pid), *map(str, nodes)], "small"))
        self.shells.setdefault(pid, []).append(number)
        return number

    def bar(self, one: int, two: int, up: Array) -> None:
        number = self._id("bar")
        fields = [str(number), str(_BAR), str(one), str(two), *(f"{value:.4f}" for value in up)]
        self.elements.append(card_text("CBAR", fields, "small"))


def _on_liner(column: float, row: float) -> Array:
    angle, z = np.radians(360.0 * column / COLUMNS), HEIGHT * row / ROWS
    radius = float(radius_at(z))
    return np.array([radius * np.cos(angle), radius * np.sin(angle), z])


def _liner(deck: _Deck) -> Array:
    """Nodes of the liner by row and column, 0 within the field of the inspection opening."""
    node = np.zeros((ROWS + 1, COLUMNS), np.int64)
    middle, row = OPENING
    for r in range(ROWS + 1):
        for c in range(COLUMNS):
            within = abs(c - middle) < FIELD[0] and abs(r - row) < FIELD[1]
            node[r, c] = 0 if within else deck.node(_on_liner(c, r), cylindrical=r == ROWS)
    for r in range(ROWS):
        pid = _THICK if r >= THICK else _LINER
        for c in range(COLUMNS):
            if abs(c + 0.5 - middle) < FIELD[0] and abs(r + 0.5 - row) < FIELD[1]:
                continue
            a, b, d, e = (int(node[i, j % COLUMNS]) for i, j in ((r, c), (r, c + 1), (r + 1, c + 1), (r + 1, c)))
            if r < TRIANGLES:
                deck.shell(pid, [a, b, d])
                deck.shell(pid, [a, d, e])
            else:
                deck.shell(pid, [a, b, d, e])
    _opening(deck, node)
    return node


def _round_border(wide: int, high: int) -> list[tuple[int, int]]:
    """Places on the border of a field about the origin, half as wide and high, anticlockwise from its lower corner."""
    low = [(x, -high) for x in range(-wide, wide)]
    right = [(wide, y) for y in range(-high, high)]
    return [*low, *right, *((-x, -y) for x, y in low), *((-x, -y) for x, y in right)]


def _opening(deck: _Deck, node: Array) -> None:
    """Rings of quads from the field's border to the round opening."""
    column, row = OPENING
    border = _round_border(*FIELD)
    rings = [[int(node[row + y, (column + x) % COLUMNS]) for x, y in border]]
    z = HEIGHT * row / ROWS
    wide, high = 2 * np.pi * float(radius_at(z)) / COLUMNS, HEIGHT / ROWS  # of a column and a row
    for share in (0.35, 0.7, 1.0):
        ring = []
        for x, y in border:
            turn = np.arctan2(y * high, x * wide)
            u, v = OPENING_RADIUS * np.cos(turn) / wide, OPENING_RADIUS * np.sin(turn) / high
            ring.append(deck.node(_on_liner(column + x + share * (u - x), row + y + share * (v - y))))
        rings.append(ring)
    _between(deck, _LINER, rings)


def _between(deck: _Deck, pid: int, rings: list[list[int]]) -> None:
    for one, two in zip(rings[:-1], rings[1:], strict=True):
        for k in range(len(one)):
            j = (k + 1) % len(one)
            deck.shell(pid, [one[k], one[j], two[j], two[k]])


def _flange(deck: _Deck, liner: Array) -> Array:
    """Nodes of the flange by ring and column, 0 within the fields of the bolts."""
    node = np.zeros((RINGS + 1, COLUMNS), np.int64)
    node[0] = liner[ROWS]
    apart = COLUMNS // BOLTS
    first = (apart - BOLT_FIELD) // 2 + 1

    def at(ring: float, column: float) -> Array:
        radius, angle = TOP + (FLANGE - TOP) * ring / RINGS, np.radians(360.0 * column / COLUMNS)
        return np.array([radius * np.cos(angle), radius * np.sin(angle), HEIGHT])

    for r in range(1, RINGS + 1):
        for c in range(COLUMNS):
            if r == RINGS or not first < c % apart < first + BOLT_FIELD:
                node[r, c] = deck.node(at(r, c), cylindrical=True)
    for r in range(RINGS):
        for c in range(COLUMNS):
            if not first <= c % apart < first + BOLT_FIELD:
                k = (c + 1) % COLUMNS
                deck.shell(_FLANGE, [int(node[r, c]), int(node[r, k]), int(node[r + 1, k]), int(node[r + 1, c])])
    for begin in range(first, COLUMNS, apart):
        places = [(r, begin) for r in range(RINGS)] + [(RINGS, begin + k) for k in range(BOLT_FIELD)]
        places += [(r, begin + BOLT_FIELD) for r in range(RINGS, 0, -1)]
        places += [(0, begin + k) for k in range(BOLT_FIELD, 0, -1)]
        border = [int(node[place]) for place in places[::-1]]
        centre = at(0.5 * RINGS, begin + 0.5 * BOLT_FIELD)
        rings = [border]
        for share in (0.5, 1.0):
            ring = []
            for k in border:
                arm = deck.points[k] - centre
                hole = BOLT * arm / np.linalg.norm(arm)
                ring.append(deck.node(centre + arm + share * (hole - arm), cylindrical=True))
            rings.append(ring)
        _between(deck, _FLANGE, rings)
    return node


def _gussets(deck: _Deck, liner: Array, flange: Array) -> None:
    """Plates between the liner and the flange, on the nodes of both."""
    for column in GUSSETS:
        angle = np.radians(360.0 * column / COLUMNS)
        out = np.array([np.cos(angle), np.sin(angle), 0.0])
        steps = ROWS - GUSSET_FOOT
        rows = []
        for k in range(steps + 1):
            foot = deck.points[int(liner[GUSSET_FOOT + k, column])]
            reach = GUSSET_TOE + (FLANGE - TOP - GUSSET_TOE) * (k / steps) ** 1.5
            away = [deck.node(foot + reach * i / RINGS * out) for i in range(1, RINGS + 1)] if k < steps else []
            top = [int(flange[i, column]) for i in range(1, RINGS + 1)]
            rows.append([int(liner[GUSSET_FOOT + k, column]), *(away or top)])
        for one, two in zip(rows[:-1], rows[1:], strict=True):
            for i in range(RINGS):
                deck.shell(_GUSSET, [one[i], one[i + 1], two[i + 1], two[i]])


def draft_tube_deck() -> str:
    """The text of the deck."""
    deck = _Deck()
    liner = _liner(deck)
    flange = _flange(deck, liner)
    _gussets(deck, liner, flange)
    for c in range(0, COLUMNS, STRINGERS):
        for r in range(ROWS):
            up = _on_liner(c, r) * (1.0, 1.0, 0.0)
            deck.bar(int(liner[r, c]), int(liner[r + 1, c]), up / np.linalg.norm(up))
    small, lines = "small", []
    lines += [card_text("CORD2C", [str(_SYSTEM), "0", "0.", "0.", "0.", "0.", "0.", "1.", "1.", "0.", "0."], small)]
    lines += [_thickness_card(pid) for pid in _THICKNESS]
    lines += [card_text("PBAR", [str(_BAR), "1", "480.", "2.56+4", "1.44+4", "3.2+4"], small)]
    lines += [_STEEL]
    wet = [*deck.shells[_LINER], *deck.shells[_THICK]]
    lines += [card_text("PLOAD4", ["7", str(number), "0.05"], small) for number in wet]
    held = [int(k) for k in liner[0]]
    lines += [card_text("SPC1", ["3", "123", *map(str, held[k : k + 6])], small) for k in range(0, len(held), 6)]
    lines += [
        card_text("FORCE", ["8", str(int(k)), "0", "1200.", "0.", "0.", "-1."], small) for k in flange[RINGS, ::12]
    ]
    head = (
        "$ Draft tube of Alder Weir: liner, flange, gussets, stringers\nSOL 101\nCEND\nSPC = 3\nLOAD = 7\nBEGIN BULK\n"
    )
    return head + "".join([*lines, *deck.grids, *deck.elements]) + "ENDDATA\n"


def write_draft_tube(path: str | Path) -> Path:
    """Write the deck of the draft tube.

    Examples
    --------
    >>> import pathlib, tempfile, oddseam
    >>> from oddseam.demo import write_draft_tube
    >>> tube = oddseam.read_mesh(write_draft_tube(pathlib.Path(tempfile.mkdtemp(), "draft_tube.bdf")))
    >>> sorted(tube.counts)
    ['line', 'quad', 'tri']
    """
    path = Path(path)
    path.write_text(draft_tube_deck())
    return path


def write_bolt_row(path: str | Path, *, bolts: int = 16) -> Path:
    """Write a table of holes for another number of bolts in the flange, such as ``cut --table`` takes.

    Examples
    --------
    >>> import pathlib, tempfile, oddseam
    >>> from oddseam.demo import write_bolt_row
    >>> len(oddseam.read_openings(write_bolt_row(pathlib.Path(tempfile.mkdtemp(), "bolts.csv"))))
    16
    """
    turn = (np.arange(bolts) + 0.5) * 2.0 * np.pi / bolts
    radius = 0.5 * (TOP + FLANGE)
    rows = [f"{radius * np.cos(t):.6f},{radius * np.sin(t):.6f},{HEIGHT:g},0,0,1,{2 * BOLT:g},16,5" for t in turn]
    path = Path(path)
    path.write_text("\n".join(["x,y,z,dx,dy,dz,diameter,rim_nodes,collars", *rows]) + "\n", encoding="utf-8")
    return path


def write_gusset(path: str | Path) -> Path:
    """Write the deck of a gusset alone, for a place where the tube has none: a little off the liner, below the flange.

    Examples
    --------
    >>> import pathlib, tempfile, oddseam
    >>> from oddseam.demo import write_gusset
    >>> oddseam.read_mesh(write_gusset(pathlib.Path(tempfile.mkdtemp(), "gusset.bdf"))).counts
    {'nodes': 36, 'quad': 24}
    """
    angle = np.radians(360.0 * LOOSE_GUSSET / COLUMNS)
    out = np.array([np.cos(angle), np.sin(angle), 0.0])
    steps = ROWS - GUSSET_FOOT - 1
    deck = _Deck()
    rows = []
    for k in range(steps):
        foot = _on_liner(LOOSE_GUSSET, GUSSET_FOOT + k) + LOOSE * out
        reach = GUSSET_TOE + (FLANGE - TOP - GUSSET_TOE) * (k / steps) ** 1.5
        rows.append([deck.node(foot + reach * i / RINGS * out) for i in range(RINGS + 1)])
    for one, two in zip(rows[:-1], rows[1:], strict=True):
        for i in range(RINGS):
            deck.shell(_GUSSET, [one[i], one[i + 1], two[i + 1], two[i]])
    cards = [_thickness_card(_GUSSET), _STEEL, *deck.grids, *deck.elements]
    path = Path(path)
    path.write_text("BEGIN BULK\n" + "".join(cards) + "ENDDATA\n", encoding="ascii")
    return path
