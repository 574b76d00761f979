"""Lines and loops of nodes imprinted into elements: as a line that the mesh follows, or as the rim of an opening."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence

import numpy as np

from oddseam.accounts import Outcome, Step, recorded
from oddseam.arrays import Array, point_text
from oddseam.editing.acceptance import Try, best_of, said
from oddseam.editing.chart import Chart, unit
from oddseam.editing.crossings import crossed, leaves
from oddseam.editing.filling_in import Insert
from oddseam.editing.zone import BOUNDS, Zone, ray_meets, zone_round
from oddseam.errors import Refusal
from oddseam.findings.finding import point_of
from oddseam.geometry.boxtree import BoxTree
from oddseam.geometry.triangles import boxes, unit_normals
from oddseam.model import Creases, Mesh
from oddseam.model.editing import joint_creases
from oddseam.model.shape import CREASE_KINDS

#: So far beyond the line elements are meshed anew, over their size; more if they get no better shape.
_MARGINS = (1.6, 2.6, 4.0, 6.0)
#: Points nearer to a node than this share of the size are that node.
_SAME = 0.02
#: The surface may turn away from the mean of its normals along the line up to an angle of this cosine.
_LEAST_COSINE = 0.3


@recorded("imprint")
def imprint(
    mesh: Mesh,
    points: Sequence[tuple[float, float, float]],
    *,
    closed: bool = False,
    opening: bool = False,
    direction: tuple[float, float, float] | None = None,
    count: int | None = None,
    split_lines: bool = False,
) -> tuple[Mesh, Outcome]:
    """Imprint a line or a loop of points, which become nodes, joined by edges.

    Parameters
    ----------
    mesh : Mesh
    points : sequence of (x, y, z)
        In order, either way round.
    closed : bool
        Whether the last is joined to the first.
    opening : bool
        Whether what a closed loop encloses is cut away: its nodes are the rim then.
    direction : (x, y, z), optional
        Points are brought to the surface along it; without, each to the nearest place.
    count : int, optional
        So many points, evenly spaced along the line, instead of those given.
    split_lines : bool
        Whether line elements that the line crosses are split there; within an opening they go.

    Returns
    -------
    Mesh
        With a drawn crease along the line, unless it is an opening.  Points that lie at nodes take these.  Elements
        away from the line keep ids, nodes and every bit.

    Raises
    ------
    Refusal
        If the line leaves the surface, or crosses itself, a free edge, a T-joint, or a line element
        that may not be split.

    Notes
    -----
    See ``cut_opening`` for the method; the surface has to be seen as a whole from one direction along the line.

    Examples
    --------
    >>> import numpy as np, oddseam
    >>> x, y = (w.ravel() for w in np.meshgrid(np.arange(11.0), np.arange(11.0)))
    >>> a = np.arange(100) + np.arange(100) // 10
    >>> corners = np.concatenate([np.column_stack([a, a + 1, a + 12]), np.column_stack([a, a + 12, a + 11])])
    >>> panel = oddseam.Mesh.from_triangles(np.column_stack([x, y, 0 * x]), corners, unit="mm")
    >>> lined = oddseam.imprint(panel, [(2.5, 2.5, 1), (7.5, 6.2, 1)], direction=(0, 0, 1), count=7)
    >>> len(lined.creases.edges), oddseam.prove(lined).is_clean
    (6, True)
    """
    if opening and not closed:
        raise Refusal("an opening needs a closed loop")
    given = np.array(points, float)
    least = 3 if closed else 2
    if given.ndim != 2 or given.shape[1] != 3 or len(given) < least or not np.isfinite(given).all():
        raise Refusal(f"a {'loop' if closed else 'line'} has at least {least} points, each of three numbers")
    if count is not None:
        given = _spaced(given, count, closed)
    placed, normals, elements = brought_to(mesh, given, direction)
    new, rows, zone, worst = with_line(
        mesh, placed, normals, int(elements[0]), closed=closed, opening=opening, direction=direction,
        split_lines=split_lines,
    )  # fmt: skip
    if not opening:
        ends = np.column_stack([rows, np.roll(rows, -1)])[: len(rows) if closed else -1]
        drawn = Creases(np.sort(ends, axis=1), np.full(len(ends), CREASE_KINDS.index("drawn"), np.int8))
        new = new.replaced(creases=joint_creases(drawn, new.creases))
    away = np.linalg.norm(placed - given, axis=1)
    farthest = int(np.argmax(away))
    steps = (
        Step("bring to the surface", len(given), float(away[farthest]), "points", (point_of(given[farthest]),)),
        Step("cross", len(rows) - len(given), 0.0, "sharp edges, creases or line elements, split by a node each"),
        Step("take out", len(zone.elements), 0.0, "elements"),
        Step("mesh anew", _count_new(mesh, new), 0.0, f"elements, worst: {said(worst)}"),
    )
    return new, Outcome(steps, (), ())


def circle_points(
    centre: tuple[float, float, float], axis: tuple[float, float, float], radius: float, count: int
) -> list[tuple[float, float, float]]:
    """Points on a circle, such as ``imprint`` takes.

    Raises
    ------
    Refusal
        If the axis has no length, the radius is not positive, or there are fewer than three points.

    Examples
    --------
    >>> import numpy as np, oddseam
    >>> (np.round(oddseam.circle_points((0, 0, 5), (0, 0, 1), 2.0, 4), 9) + 0.0).tolist()
    [[2.0, 0.0, 5.0], [0.0, 2.0, 5.0], [-2.0, 0.0, 5.0], [0.0, -2.0, 5.0]]
    """
    if not 0 < radius < np.inf or count < 3:
        raise Refusal(f"a circle of radius {radius:g} with {count} points is none")
    chart = Chart.along(np.array(centre, float), unit(axis, "axis"))
    turn = np.arange(count) * 2.0 * np.pi / count
    places = chart.raised(radius * np.column_stack([np.cos(turn), np.sin(turn)]))
    return [point_of(place) for place in places]


def with_line(
    mesh: Mesh,
    points: Array,
    normals: Array,
    element: int,
    *,
    closed: bool,
    opening: bool,
    direction: Sequence[float] | None = None,
    split_lines: bool = False,
) -> tuple[Mesh, Array, Zone, tuple[float, float]]:
    """The mesh with points (k, 3) of its surface as nodes joined by edges, these nodes, and the worst elements.

    ``element`` is the one that the first point lies in.  Where the line crosses sharp edges, creases, and line elements
    if these may be split, there are more nodes.
    """
    axis = normals.mean(axis=0)
    size = float(np.linalg.norm(axis))
    if size == 0:
        raise Refusal("the surface turns all round along the line; imprint it piece by piece")
    axis = axis / size
    if direction is not None:
        ahead = unit(direction)
        axis = ahead if ahead @ axis > 0 else -ahead
    if (normals @ axis).min() < _LEAST_COSINE:
        k = int(np.argmin(normals @ axis))
        raise Refusal(f"the surface turns away from the line at {point_text(points[k])}; imprint it piece by piece")
    chart = Chart.along(points[0], axis)
    flat = chart.flat(points)
    if closed and float(np.sum(flat[:, 0] * np.roll(flat[:, 1], -1) - np.roll(flat[:, 0], -1) * flat[:, 1])) < 0:
        points, flat = points[::-1], flat[::-1]
    line = np.concatenate([flat, flat[:1]]) if closed else flat
    steps = np.linalg.norm(np.diff(line, axis=0), axis=1)
    if not steps.min() > 0:
        raise Refusal(f"two points of the line are one, at {point_text(points[int(np.argmin(steps))])}")
    reach = 3.0 * float(steps.mean())
    size = zone_round(mesh, chart, element, flat[:1], reach, closed=False, across_parts=True).size

    splits = ("sharp edge", "crease", *(("line element",) if split_lines else ()))

    def tries() -> Iterator[Try]:
        wide, fits, leaves = size, False, None
        for margin in _MARGINS:
            for through in ((), splits):
                within = flat if opening else line
                zone = zone_round(
                    mesh, chart, element, within, margin * wide, closed=opening, across_parts=True, through=through
                )
                wide = max(wide, zone.size)
                try:
                    made = Try(zone, _insert(zone, points.copy(), flat, closed, opening, splits))
                except Refusal as refusal:  # with more around it, or beyond an edge, there may be room
                    leaves = leaves or refusal
                    continue
                fits = True
                yield made
                break
        if leaves is not None and not fits:
            raise leaves

    made, which, worst = best_of(mesh, tries(), f"along the line at {point_text(points[0])}")
    nodes = np.concatenate([which.zone.local.nodes, which.insert.points])
    ends = which.insert.line[:, ::-1] if opening else which.insert.line
    chain = ends[:, 0] if closed else np.append(ends[:, 0], ends[-1:, 1])
    return made, nodes_at(made, nodes[chain]), which.zone, worst


def brought_to(mesh: Mesh, points: Array, direction: Sequence[float] | None) -> tuple[Array, Array, Array]:
    """Points (k, 3) brought to the surface, its normals there, and the elements."""
    t = mesh.triangulation
    if not len(t.triangles):
        raise Refusal("the mesh has no surface")
    if direction is None:
        tree = BoxTree(mesh.nodes[t.triangles])
        place, found = tree.closest(points)
        rows = tree.order[found]
        return place, unit_normals(mesh.nodes[t.triangles[rows]]), t.element[rows]
    ahead = unit(direction)
    chart = Chart.along(points[0], ahead)
    places, flat = chart.flat(points), chart.flat(mesh.nodes)
    low, high = boxes(flat[t.triangles])
    rows = np.flatnonzero(((high >= places.min(axis=0)) & (low <= places.max(axis=0))).all(axis=1))
    found_at = [ray_meets(mesh, rows, point, ahead) for point in points]
    rows = np.array([row for row, _ in found_at], np.int64)
    return np.array([place for _, place in found_at]), unit_normals(mesh.nodes[t.triangles[rows]]), t.element[rows]


def nodes_at(mesh: Mesh, points: Array) -> Array:
    """(k,) the node at each point, to the last bit."""
    rows = np.flatnonzero(((mesh.nodes >= points.min(axis=0)) & (mesh.nodes <= points.max(axis=0))).all(axis=1))
    found = {tuple(xyz): k for k, xyz in zip(rows.tolist(), mesh.nodes[rows].tolist(), strict=True)}
    return np.array([found[tuple(xyz)] for xyz in points.tolist()], np.int64)


def _spaced(points: Array, count: int, closed: bool) -> Array:
    """Points evenly spaced along a line."""
    least = 3 if closed else 2
    if count < least:
        raise Refusal(f"{count} points are too few; {least} are needed")
    line = np.concatenate([points, points[:1]]) if closed else points
    along = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(line, axis=0), axis=1))])
    where = np.linspace(0.0, along[-1], count + closed)[:count]
    return np.column_stack([np.interp(where, along, line[:, d]) for d in range(3)])


def _insert(zone: Zone, points: Array, flat: Array, closed: bool, opening: bool, splits: Collection[str]) -> Insert:
    """What is put in; points (k, 3) at nodes of the zone are moved to these."""
    local = zone.local
    own = np.unique(zone.triangles)
    away = np.linalg.norm(local.nodes[own][None] - points[:, None], axis=2)
    nearest = np.argmin(away, axis=1)
    is_known = away[np.arange(len(points)), nearest] <= _SAME * zone.size
    _, row = zone.chart.lifted(flat, local.nodes, zone.triangles)
    outside = ~is_known & (row < 0)
    if outside.any():
        raise Refusal(_where_it_leaves(zone, points[outside][0]))
    number = np.where(is_known, own[nearest], local.n_nodes + np.cumsum(~is_known) - 1)
    found = crossed(zone, number, points[~is_known], closed=closed, splits=splits)
    number = found.number
    ends = np.column_stack([number, np.roll(number, -1)])[: len(number) if closed else -1]
    line = ends[:, ::-1] if opening else ends
    hollow = zone.chart.flat(np.concatenate([local.nodes, found.points])[number]) if opening else np.zeros((0, 2))
    none = np.zeros((0, 3), np.int64), np.zeros((0, 4), np.int64)
    return Insert(found.points, *none, line, hollow, found.splits)


def _where_it_leaves(zone: Zone, point: Array) -> str:
    """What is between a point and the surface on which a line began."""
    best = (np.inf, "border of what can be seen from one direction")
    for what in BOUNDS:
        edges = zone.bounds[what]
        if len(edges):
            middle = zone.local.nodes[edges].mean(axis=1)
            best = min(best, (float(np.linalg.norm(middle - point, axis=1).min()), what))
    return leaves(best[1], point)


def _count_new(mesh: Mesh, new: Mesh) -> int:
    return int((new.element_ids > int(mesh.element_ids.max(initial=0))).sum())
