"""Lines and loops of nodes imprinted into elements: as a line that the mesh follows, or as the rim of an opening."""

from __future__ import annotations

import numpy as np

from oddseam.accounts import Outcome, Step, recorded
from oddseam.arrays import Array
from oddseam.editing.lines.imprinted_lines import brought_to, with_line
from oddseam.editing.lines.part_borders import moved_borders
from oddseam.editing.lines.paths import with_path
from oddseam.editing.list_openings import nearest_rim
from oddseam.editing.zones.acceptance import said, worst_taken
from oddseam.editing.zones.chart import Chart, unit
from oddseam.errors import Refusal
from oddseam.findings.classes.finding import point_of
from oddseam.findings.judged.judging import judge_touched
from oddseam.inputs import PointLike, PointsLike, check_count
from oddseam.model import Creases, Mesh
from oddseam.model.editing import joint_creases
from oddseam.model.loss import changed_shape
from oddseam.model.lost_names import part_areas
from oddseam.model.origins import new_elements
from oddseam.model.shape import CREASE_KINDS
from oddseam.progress import Progress, silent

#: Parts whose area changes by less, as a share of all, have kept it.
_SAME_AREA = 1e-6

#: So many points a circle has, unless told otherwise.
_ROUND = 24
#: So many points of a line are worked into a mesh at once.
_MOST = 5_000


@recorded(loss=changed_shape, judge=judge_touched)
def imprint(
    mesh: Mesh,
    *,
    through: PointsLike | None = None,
    circle: float | None = None,
    rim_of: Mesh | None = None,
    near: PointLike | None = None,
    closed: bool = False,
    opening: bool = False,
    direction: PointLike | None = None,
    count: int | None = None,
    split_lines: bool = False,
    progress: Progress = silent,
) -> tuple[Mesh, Outcome]:
    """Imprint a line, a circle or the rim of another mesh as nodes.

    The points become nodes that edges join.

    Parameters
    ----------
    mesh : Mesh
    through : sequence of (x, y, z), optional
        Points, in order, either way round.
    circle : float, optional
        Instead: the radius of a circle about ``near``, across ``direction``, of 24 points or as many as ``count`` says.
    rim_of : Mesh, optional
        Instead: the closed rim of another mesh that is nearest to ``near``.
    near : (x, y, z), optional
        For the last two.
    closed : bool
        Whether the last point is joined to the first; a circle and a rim are closed.
    opening : bool
        Whether what a closed loop encloses is cut away: its nodes are the rim then.
    direction : (x, y, z), optional
        Points are brought to the surface along it; without, each to the nearest place.
    count : int, optional
        So many points, evenly spaced along the line, instead of those given.
    split_lines : bool
        Whether line elements that the line crosses are split there; within an opening they go.
    progress : callable, optional

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
    See ``cut`` for the method; the surface has to be seen as a whole from one direction along the line.

    Examples
    --------
    >>> import numpy as np, oddseam
    >>> x, y = (w.ravel() for w in np.meshgrid(np.arange(11.0), np.arange(11.0)))
    >>> a = np.arange(100) + np.arange(100) // 10
    >>> corners = np.concatenate([np.column_stack([a, a + 1, a + 12]), np.column_stack([a, a + 12, a + 11])])
    >>> panel = oddseam.Mesh.from_triangles(np.column_stack([x, y, 0 * x]), corners, unit="mm")
    >>> lined = oddseam.imprint(panel, through=[(2.5, 2.5, 1), (7.5, 6.2, 1)], direction=(0, 0, 1), count=7)
    >>> len(lined.creases.edges), oddseam.prove(lined).is_clean
    (6, True)
    """
    given, closed = _line(through, circle, rim_of, near, closed, direction, count)
    if opening and not closed:
        raise Refusal("an opening needs a closed loop")
    if len(given) < (3 if closed else 2):
        raise Refusal(f"a {'loop' if closed else 'line'} has at least {3 if closed else 2} points")
    if count is not None and circle is None:
        given = _spaced(given, count, closed)
    placed, normals, elements = brought_to(mesh, given, direction)
    if opening or direction is not None:
        new, rows, zone, worst = with_line(
            mesh, placed, normals, int(elements[0]), closed=closed, opening=opening, direction=direction,
            split_lines=split_lines,
        )  # fmt: skip
        zones = [zone]
    else:
        ids = mesh.element_ids[elements]
        new, rows, zones, worst = with_path(mesh, placed, normals, ids, closed=closed, split_lines=split_lines)
    if not opening:
        ends = np.column_stack([rows, np.roll(rows, -1)])[: len(rows) if closed else -1]
        drawn = Creases(np.sort(ends, axis=1), np.full(len(ends), CREASE_KINDS.index("drawn"), np.int8))
        new = new.replaced(creases=joint_creases(drawn, new.creases))
    away = np.linalg.norm(placed - given, axis=1)
    farthest = int(np.argmax(away))
    taken = sum(len(zone.elements) for zone in zones)
    steps = (
        Step("bring to the surface", len(given), float(away[farthest]), "points", (point_of(given[farthest]),)),
        Step("cross", len(rows) - len(given), 0.0, "sharp edges, creases or line elements, split by a node each"),
        Step("take out", taken, 0.0, f"elements, worst: {said(worst_taken(zones))}"),
        Step("mesh anew", len(new_elements(new, mesh)), 0.0, f"elements, worst: {said(worst)}"),
    )
    return new, Outcome(steps, () if opening else _moved_borders(mesh, new))


def _moved_borders(mesh: Mesh, new: Mesh) -> tuple[str, ...]:
    """What is said where parts have another area, for a border between them found no room to stay."""
    before = part_areas(mesh)
    change = part_areas(new) - before
    moved = np.flatnonzero(np.abs(change) > _SAME_AREA * before.sum())
    return moved_borders(mesh, change, moved)


def _line(
    through: PointsLike | None,
    circle: float | None,
    rim_of: Mesh | None,
    near: PointLike | None,
    closed: bool,
    direction: PointLike | None,
    count: int | None,
) -> tuple[Array, bool]:
    """The points that are to be imprinted, (n, 3), however they are said, and whether they make a loop."""
    if sum(given is not None for given in (through, circle, rim_of)) != 1:
        raise Refusal("say one of: points to go through, the radius of a circle, or another mesh whose rim it is")
    if (near is None) != (through is not None):
        raise Refusal("near is the middle of a circle, or tells the rim of another mesh; points need none")
    if through is not None:
        return np.array(through, float).reshape(-1, 3), closed
    assert near is not None
    if rim_of is not None:
        return rim_of.nodes[nearest_rim(rim_of, near).nodes], True
    if direction is None:
        raise Refusal("a circle needs its direction, which is its axis")
    assert circle is not None
    return _circle(np.array(near, float), direction, circle, _ROUND if count is None else count), True


def _circle(centre: Array, axis: PointLike, radius: float, count: int) -> Array:
    """Points on a circle, (count, 3)."""
    if not radius > 0:
        raise Refusal(f"the radius of a circle must be positive, and is {radius:g}")
    check_count("points of the circle", count, least=3, most=_MOST)
    turn = np.arange(count) * 2.0 * np.pi / count
    return Chart.along(centre, unit(axis, "axis")).raised(radius * np.column_stack([np.cos(turn), np.sin(turn)]))


def _spaced(points: Array, count: int, closed: bool) -> Array:
    """Points evenly spaced along a line."""
    check_count("points of the line", count, least=3 if closed else 2, most=_MOST)
    line = np.concatenate([points, points[:1]]) if closed else points
    along = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(line, axis=0), axis=1))])
    where = np.linspace(0.0, along[-1], count + closed)[:count]
    return np.column_stack([np.interp(where, along, line[:, d]) for d in range(3)])
