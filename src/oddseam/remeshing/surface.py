"""The rounds of the remesher on sheets, without ``Mesh``."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oddseam.arrays import Array
from oddseam.compiled import announce
from oddseam.geometry.boxtree import BoxTree
from oddseam.progress import Progress, silent
from oddseam.remeshing import curve_kernels, kernels
from oddseam.remeshing.halfedge_kernels import FIXED, FREE, PASSING, Net
from oddseam.remeshing.sheets import Sheets

#: Rounds that make edges even, and rounds that then only make angles better.
ROUNDS, POLISH = 7, 4
#: Shapes that a collapse and a move may leave behind while edges are made even, and at the end
#: (1 equilateral; 0.35 has angles of 12 to 17 degrees, 0.65 of 25 to 30).
_LEAST_SHAPE, _FAIR_SHAPE = 0.35, 0.65
#: Edges beyond these multiples of the size are split and collapsed: what either leaves is within the other.
_LONGEST, _SHORTEST = 4.0 / 3.0, 0.8


@dataclass(frozen=True)
class Fineness:
    """How fine: wanted edge length, distance of a chord from its curve, growth of the size."""

    size: float
    chord: float
    growth: float


@dataclass(frozen=True, eq=False)
class Result:
    """A remeshed surface, and where everything in it came from.

    ``node_origin`` is the node that a node was, or -1; ``facet_origin`` a facet of the same
    region; ``crease_edges`` are the edges on curves.
    """

    points: Array
    triangles: Array
    node_origin: Array
    facet_origin: Array
    crease_edges: Array
    n_curve_nodes: int
    n_splits: int
    n_collapses: int
    n_flips: int
    n_moves: int


def remesh_sheets(
    sheets: Sheets, fineness: Fineness, *, fixed_size: Array | None = None, progress: Progress = silent
) -> Result:
    """Remesh cut sheets and sew them back.

    Parameters
    ----------
    sheets : Sheets
    fineness : Fineness
    fixed_size : (n,) array, optional
        Sizes at nodes of the sheets; with it all curves stay as they are.
    """
    announce(kernels.collapse_short, kernels.flip_edges, curve_kernels.place_nodes)
    wanted = _wanted_nodes(sheets, fineness) if fixed_size is None else None
    net = _build(sheets, fineness, 0 if wanted is None else len(wanted[0]))
    tally = {"split": 0, "collapse": 0, "flip": 0, "move": 0}
    if fixed_size is None:
        assert wanted is not None
        net = _insert(net, sheets, wanted, fineness.size, tally)
    else:
        net.kind[: len(sheets.point)][sheets.curves.node] = FIXED
        net.size[: len(sheets.point)] = np.minimum(fixed_size, fineness.size)
    fixed_count = int(net.used[0])
    limit = np.where(net.kind[:fixed_count] == FIXED, net.size[:fixed_count], fineness.size)
    tree = BoxTree(sheets.point[sheets.triangles], sheets.region)
    hint = np.full(len(net.point), -1, np.int32)
    for number in range(ROUNDS + POLISH):
        progress("remeshing", 0.1 + 0.8 * number / (ROUNDS + POLISH))
        polish = number >= ROUNDS
        net.size[: net.used[0]] = fineness.size
        net.size[:fixed_count] = limit
        kernels.limit_growth(net, fineness.growth)
        if not polish:
            net = _split(net, tally)
            _collapse(net, tally, first=number == 0)
        else:
            tally["collapse"] += int(kernels.collapse_short(net, _marks(net), _FAIR_SHAPE, 0.7, True))
        tally["flip"] += _flip(net, by_valence=not polish, most=2)
        hint = np.concatenate([hint, np.full(len(net.point) - len(hint), -1, np.int32)])
        tally["move"] += _smooth(net, tree, hint, _FAIR_SHAPE if polish else _LEAST_SHAPE)
    return _extract(net, sheets, tally, 0 if wanted is None else len(wanted[0]))


def _split(net: Net, tally: dict[str, int], goal: float = _LONGEST) -> Net:
    """Split edges longer than ``goal`` times the size, the longest first."""
    sizes = net.size[: net.used[0]].copy()
    kernels.raise_at_curves(net, _LONGEST / goal)
    while True:
        stretch = max(float(kernels.longest_ratio(net)) / 1.5, goal)
        before = int(net.used[0])
        while not kernels.split_long(net, stretch):
            net = _grown(net)
        tally["split"] += int(net.used[0]) - before
        if stretch == goal:
            net.size[: len(sizes)] = sizes
            return net
        tally["flip"] += _flip(net, by_valence=False, most=6)


def _collapse(net: Net, tally: dict[str, int], first: bool) -> None:
    """Collapse what is too short; at first the shortest edges first, so that no direction is preferred."""
    mark = _marks(net)
    for shrink in (0.3, 0.45, 0.6, _SHORTEST) if first else (_SHORTEST,):
        done = int(kernels.collapse_short(net, mark, _LEAST_SHAPE, shrink, False))
        tally["collapse"] += done
        if done and shrink != _SHORTEST:
            tally["flip"] += _flip(net, by_valence=False, most=6)


def _marks(net: Net) -> Array:
    """Room for the stamps of ``collapse_short``."""
    return np.zeros(len(net.point) + 1, np.int32)


def _flip(net: Net, *, by_valence: bool, most: int) -> int:
    """Flip edges, in ``most`` passes or until none wants to be flipped."""
    wanted = _wanted_valence(net)
    scratch = np.zeros(len(net.point), np.int32)
    total = 0
    for _ in range(most):
        turned = int(kernels.flip_edges(net, np.cos(np.radians(25.0)), by_valence, wanted, scratch))
        total += turned
        if not turned:
            break
    return total


# ---------------------------------------------------------------------- nodes on curves


def _wanted_nodes(sheets: Sheets, fineness: Fineness) -> tuple[Array, Array, Array, Array]:
    """Arc lengths, sizes and ranges of the nodes wanted on the curves, and the arc of every point."""
    curves = sheets.curves
    points = np.ascontiguousarray(sheets.point[curves.node])
    step = np.zeros(len(points))
    if len(points):
        step[1:] = np.linalg.norm(np.diff(points, axis=0), axis=1)
        step[curves.first[:-1]] = 0.0
    total = np.cumsum(step)
    arc = total - np.repeat(total[curves.first[:-1]], np.diff(curves.first)) if len(points) else total
    spacing = np.empty(len(points))
    curve_kernels.spacing_along(points, arc, curves.first, fineness.size, fineness.chord, 0.02 * fineness.size, spacing)
    first = np.zeros(len(curves.first), np.int64)
    room = 16 + 2 * len(points)
    while True:
        s, size = np.empty(room), np.empty(room)
        count = int(curve_kernels.place_nodes(points, arc, curves.first, spacing, fineness.chord, s, size, first))
        if count <= room:
            return s[:count], size[:count], first, arc
        room = count


def _insert(
    net: Net, sheets: Sheets, wanted: tuple[Array, Array, Array, Array], wanted_size: float, tally: dict[str, int]
) -> Net:
    """Put the wanted nodes on the curves.

    Where facets are far larger than the size this goes from coarse to fine, every second node
    of a curve first, and the facets beside it are split as the curve is: a curve much finer
    than its surroundings would have needles on it, and splitting them would make more.
    """
    s, size, wanted_first, arc = wanted
    curves = sheets.curves
    n = len(sheets.point)
    net.kind[:n][curves.node] = PASSING
    net.kind[:n][curves.is_corner] = FIXED
    net.kind[:n][sheets.is_locked] = FIXED
    for c, (i, j) in enumerate(zip(curves.first[:-1].tolist(), curves.first[1:].tolist(), strict=True)):
        if not sheets.is_splittable[c]:
            net.kind[curves.node[i:j]] = FIXED
        elif len(s) and wanted_first[c + 1] > wanted_first[c]:  # the ends are as fine as the curve beside them
            for end, k in ((curves.node[i], wanted_first[c]), (curves.node[j - 1], wanted_first[c + 1] - 1)):
                net.size[end] = min(net.size[end], size[k])
    curve_of = np.repeat(np.arange(len(curves.first) - 1), np.diff(wanted_first))
    rank = 1 + np.arange(len(s)) - wanted_first[:-1][curve_of]
    done = np.zeros(len(s), bool)
    node, first = curves.node, curves.first
    for level in range(_coarser(sheets, wanted_size), -1, -1):
        now = np.flatnonzero(~done & (rank % 2**level == 0))
        done[now] = True
        net = _with_room(net, len(now))
        before = int(net.used[0])
        made = np.full(len(now), -1, np.int64)
        its_first = np.searchsorted(curve_of[now], np.arange(len(first)))
        kernels.insert_nodes(
            net, node, sheets.is_splittable, arc, first, s[now], size[now], its_first, 1e-7 * wanted_size, made
        )
        if level:
            new = made >= before
            owner = np.concatenate([np.repeat(np.arange(len(first) - 1), np.diff(first)), curve_of[now[new]]])
            node, arc = np.concatenate([node, made[new]]), np.concatenate([arc, s[now[new]]])
            order = np.lexsort((arc, owner))
            node, arc = node[order], arc[order]
            first = np.searchsorted(owner[order], np.arange(len(first)))
            tally["flip"] += _flip(net, by_valence=False, most=6)
            net = _split(net, tally, _LONGEST * 2**level)
            tally["flip"] += _flip(net, by_valence=False, most=6)
    tally["flip"] += _flip(net, by_valence=False, most=6)
    return net


def _coarser(sheets: Sheets, size: float) -> int:
    """How often the longest edge has to be halved to come near the size."""
    ends = sheets.point[sheets.triangles]
    longest = float(np.linalg.norm(ends - np.roll(ends, 1, axis=1), axis=2).max(initial=0.0))
    return max(int(np.floor(np.log2(longest / size))), 0) if longest > 0 else 0


# ---------------------------------------------------------------------- the net


def _build(sheets: Sheets, fineness: Fineness, inserted: int) -> Net:
    m, n = len(sheets.triangles), len(sheets.point)
    p = sheets.point[sheets.triangles]
    area = 0.5 * float(np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1).sum())
    expected = int(2.0 * area / (0.433 * fineness.size**2))
    rows, facets = n + inserted + expected + 64, m + 2 * inserted + 2 * expected + 64

    def room(values: Array, count: int, fill: float) -> Array:
        wide = np.full((count, *values.shape[1:]), fill, values.dtype)
        wide[: len(values)] = values
        return wide

    return Net(
        point=room(sheets.point, rows, 0.0),
        origin=room(sheets.triangles.ravel(), 3 * facets, -1),
        twin=room(sheets.twin, 3 * facets, -1),
        curve=room(sheets.half_curve, 3 * facets, -1),
        region=room(sheets.region, facets, -1),
        out=room(sheets.out, rows, -1),
        kind=room(_first_kinds(sheets), rows, FREE),
        size=np.full(rows, fineness.size),
        used=np.array([n, m], np.int64),
    )


def _first_kinds(sheets: Sheets) -> Array:
    kind = np.full(len(sheets.point), FREE, np.int8)
    kind[sheets.curves.is_corner | sheets.is_locked] = FIXED
    return kind


def _with_room(net: Net, nodes: int) -> Net:
    """The net, larger if these nodes could not be put on edges of it."""
    while net.used[0] + nodes > len(net.point) or net.used[1] + 2 * nodes > len(net.region):
        net = _grown(net)
    return net


def _grown(net: Net) -> Net:
    """The same net with half as much room again."""

    def more(values: Array, fill: float) -> Array:
        return np.concatenate([values, np.full((len(values) // 2 + 64, *values.shape[1:]), fill, values.dtype)])

    facets = len(net.region)
    extra = facets // 2 + 64
    return Net(
        point=more(net.point, 0.0),
        origin=np.concatenate([net.origin, np.full(3 * extra, -1, np.int32)]),
        twin=np.concatenate([net.twin, np.full(3 * extra, -1, np.int32)]),
        curve=np.concatenate([net.curve, np.full(3 * extra, -1, np.int32)]),
        region=more(net.region, -1),
        out=more(net.out, -1),
        kind=more(net.kind, FREE),
        size=more(net.size, 1.0),
        used=net.used,
    )


def _wanted_valence(net: Net) -> Array:
    """(n,) int8: 6 inside, 4 on a border; on a crease the mean of what both sides want."""
    wanted = np.full(len(net.point), 6, np.int8)
    used = int(net.used[0])
    out = net.out[:used]
    alive = np.flatnonzero(out >= 0)
    wanted[alive[net.twin[out[alive]] < 0]] = 4
    return wanted


def _smooth(net: Net, tree: BoxTree, hint: Array, least: float) -> int:
    row = np.empty(int(net.used[0]), np.int64)
    goal = np.empty((int(net.used[0]), 3))
    count = int(kernels.aim(net, row, goal))
    row, goal = row[:count], goal[:count]
    region = net.region[net.out[row] // 3]
    place, found = tree.closest(goal, region, hint[row])
    hint[row] = found
    return int(kernels.move(net, row, np.ascontiguousarray(place), least))


def _extract(net: Net, sheets: Sheets, tally: dict[str, int], n_curve_nodes: int) -> Result:
    origin = net.origin[: 3 * int(net.used[1])].reshape(-1, 3)
    alive = origin[:, 0] >= 0
    triangles = origin[alive]
    n = len(sheets.point)
    # copies of one node are sewn together again
    name = np.arange(int(net.used[0]))
    _, leader = np.unique(sheets.node, return_index=True)
    name[:n] = leader[np.searchsorted(np.unique(sheets.node), sheets.node)]
    used, local = np.unique(name[triangles], return_inverse=True)
    kept = np.full(len(used), -1, np.int64)
    old = used < n
    kept[old] = sheets.node[used[old]]
    moved = np.ones(len(used), bool)
    moved[old] = (net.point[used[old]] != sheets.point[used[old]]).any(axis=1)
    kept[moved] = -1
    first_of_region = np.full(int(sheets.region.max(initial=0)) + 1, 0, np.int64)
    first_of_region[sheets.region[::-1]] = np.arange(len(sheets.region))[::-1]
    local = local.reshape(-1, 3)
    on_curve = net.curve[: 3 * int(net.used[1])].reshape(-1, 3)[alive] >= 0
    ends = np.stack([local, np.roll(local, -1, axis=1)], axis=-1)[on_curve]
    return Result(
        points=net.point[used].copy(),
        triangles=local.astype(np.int32),
        node_origin=kept,
        facet_origin=first_of_region[net.region[: len(alive)][alive]],
        crease_edges=np.unique(np.sort(ends, axis=1), axis=0).astype(np.int32).reshape(-1, 2),
        n_curve_nodes=n_curve_nodes,
        n_splits=tally["split"],
        n_collapses=tally["collapse"],
        n_flips=tally["flip"],
        n_moves=tally["move"],
    )
