"""Openings cut into elements: round, slotted and rectangular, with rings of regular elements round them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Any, Literal, NamedTuple, get_type_hints

import numpy as np

from oddseam.accounts import Outcome, Step, recorded
from oddseam.arrays import Array, point_text
from oddseam.editing.lines.imprinted_lines import brought_to, with_line
from oddseam.editing.lines.met_lines import met_by_lines
from oddseam.editing.lines.part_borders import moved_borders
from oddseam.editing.openings.ligament import NoRoom, Outlined, zone_with_room
from oddseam.editing.openings.outline import Outline, rectangular_outline, round_outline, slotted_outline
from oddseam.editing.zones.acceptance import Try, best_with_borders, margins, said, worst_of
from oddseam.editing.zones.chart import Chart, unit
from oddseam.editing.zones.filling_in import Insert
from oddseam.editing.zones.zone import Zone, surface_at
from oddseam.errors import Refusal
from oddseam.findings.classes.finding import point_of
from oddseam.findings.judged.judging import judge_touched
from oddseam.inputs import NumbersLike, PointLike, as_wanted
from oddseam.model import Mesh
from oddseam.model.loss import changed_shape
from oddseam.model.lost_names import part_areas
from oddseam.model.origins import new_elements
from oddseam.progress import Progress, silent

#: Sine of the flattest angle between the direction and the surface.
_FLATTEST = 0.35

#: Shares of its width by which a middle may lie beside the surface, in what goes with the opening; and as good as none.
_BESIDE, _OFF = 0.5, 1e-6
Kind = Literal["round", "slot", "rectangle"]
#: Openings, each what :func:`cut` takes by name.
Openings = Sequence[Mapping[str, Any]]


@recorded(loss=changed_shape, judge=judge_touched)
def cut(
    mesh: Mesh,
    *,
    at: PointLike | None = None,
    table: Openings | None = None,
    kind: Kind = "round",
    diameter: float | None = None,
    length: float | None = None,
    width: float | None = None,
    direction: PointLike | None = None,
    angle: float = 0.0,
    rim_nodes: int | None = None,
    collars: NumbersLike = (),
    split_lines: bool = False,
    progress: Progress = silent,
) -> tuple[Mesh, Outcome]:
    """Cut a round, slotted or rectangular opening, or a table of many.

    The neighbourhood in shell elements or facets is meshed anew.

    Parameters
    ----------
    mesh : Mesh
    at : (x, y, z), optional
        Its middle: where the line through this point along the direction meets the surface, the nearest place if there
        are several.
    table : sequence of mappings, optional
        Instead of ``at``: many openings, each of what follows by name and its ``at``, see ``read_openings``.
    kind : str
        ``"round"``, with a diameter; ``"slot"``, with a length from tip to tip and a width; or ``"rectangle"``.
    diameter, length, width : float, optional
        In the unit of the mesh, measured across the direction.
    direction : (x, y, z), optional
        Along which the opening goes; without, the normal at the place of the surface nearest to ``at``.
    angle : float
        Degrees by which the length is turned about the direction, from the axis x (or y, where that is the direction).
    rim_nodes : int, optional
        So many nodes on the rim; by default as many as suit the elements there.
    collars : sequence of float
        Widths of rings of regular elements round the rim, the inmost first.
    split_lines : bool
        Whether line elements that the opening crosses are split and go on to the rim; what lies within it goes.
    progress : callable, optional

    Returns
    -------
    Mesh
        Elements away from the opening keep ids, nodes and every bit; new ones have the part of what lay there.

    Raises
    ------
    Refusal
        If the outline comes too near to a free edge, a T-joint, a line element or another opening, or with collars to a
        sharp edge, which the rim may cross without; it says how near it may come.  The mesh stays as it was.

    Notes
    -----
    Linear in the size of the mesh for finding the place, and in that of the neighbourhood for the rest.  The
    neighbourhood is triangulated in the plane across the direction (S. W. Sloan 1993, A fast algorithm for generating
    constrained Delaunay triangulations), on the facets as they were, and then meshed like ``remesh`` does.

    Examples
    --------
    >>> import numpy as np, oddseam
    >>> x, y = (w.ravel() for w in np.meshgrid(np.arange(11.0), np.arange(11.0)))
    >>> a = np.arange(100) + np.arange(100) // 10
    >>> corners, ids = np.column_stack([a, a + 1, a + 12, a + 11]), np.arange(1, 101)
    >>> quads = oddseam.Elements(corners, ids, np.zeros(100, np.int32))
    >>> none = oddseam.Mesh.from_triangles(np.column_stack([x, y, 0 * x]), np.zeros((0, 3), int), unit="mm")
    >>> panel = none.replaced(elements={"quad": quads})
    >>> cut = oddseam.cut(panel, at=(5, 5, 0), diameter=3.0, rim_nodes=16, collars=[0.5])
    >>> oddseam.prove(cut).rims, oddseam.prove(cut).is_clean
    (2, True)
    """
    own: dict[str, Any] = {
        "kind": kind, "diameter": diameter, "length": length, "width": width, "direction": direction, "angle": angle,
        "rim_nodes": rim_nodes, "collars": collars,
    }  # fmt: skip
    if table is not None:
        if at is not None or not table:
            raise Refusal("say at, or a table of openings with one at least")
        return _all_of(mesh, own, table, split_lines)
    if at is None:
        raise Refusal("say where: at, or a table of openings")
    return _opened(mesh, _Opening(at, **own), split_lines)


class _Opening(NamedTuple):
    """What is to be cut, see :func:`cut`."""

    at: PointLike
    kind: Kind
    diameter: float | None
    length: float | None
    width: float | None
    direction: PointLike | None
    angle: float
    rim_nodes: int | None
    collars: NumbersLike


_HINTS = get_type_hints(_Opening, include_extras=True)


def _all_of(mesh: Mesh, usual: dict[str, Any], table: Openings, split_lines: bool) -> tuple[Mesh, Outcome]:
    """The mesh with the openings of a table, which say what is not usual of each."""
    steps: list[Step] = []
    notes: list[str] = []
    for number, given in enumerate(table, start=1):
        try:
            unknown = [name for name in given if name not in _Opening._fields]
            if unknown or "at" not in given:
                raise Refusal(
                    f"an opening has {', '.join(_Opening._fields)}; {unknown[0] if unknown else 'at is needed'}"
                )
            values = {name: as_wanted(name, value, _HINTS[name]) for name, value in given.items()}
            mesh, outcome = _opened(mesh, _Opening(**{**usual, **values}), split_lines)
        except Refusal as refusal:
            raise Refusal(f"opening {number} of {len(table)}: {refusal}") from None
        steps += outcome.steps
        notes += outcome.notes
    return mesh, Outcome(tuple(steps), tuple(notes))


def _opened(mesh: Mesh, asked: _Opening, split_lines: bool) -> tuple[Mesh, Outcome]:
    """The mesh with one opening."""
    direction, diameter, length, width = asked.direction, asked.diameter, asked.length, asked.width
    place = np.array(asked.at, float)
    ahead = None if direction is None else unit(direction)
    point, normal, element = surface_at(mesh, place, ahead)
    axis = normal
    if ahead is not None:
        axis = ahead if ahead @ normal > 0 else -ahead
        if axis @ normal < _FLATTEST:
            off, least = (np.degrees(np.arcsin(sine)) for sine in (axis @ normal, _FLATTEST))
            raise Refusal(
                f"at {point_text(point)} the direction meets the surface at {off:.0f} degrees; at least {least:.0f} "
                "are needed"
            )
    widest = next((value for value in (diameter, width) if value is not None), 0.0)
    if ahead is None:
        point = _middle_on(place, point, normal, widest)
    chart = Chart.along(point, axis)
    widths = list(asked.collars)
    if not all(width > 0 for width in widths):
        raise Refusal("widths of collars are positive")
    size = _size_round(mesh, element)
    outline = _outline(asked.kind, diameter, length, width, asked.rim_nodes, size).turned(asked.angle)
    outer = outline.ring(sum(widths))
    what = f"the opening ({outline.name}{', with its collars' if widths else ''})"
    put_in = Outlined(what, outer, outline.points)

    def tries(keeps_borders: bool) -> Iterator[Try]:
        grown, missed = 1.0, np.zeros((0, 2))
        step = float(np.linalg.norm(outer - np.roll(outer, 1, axis=0), axis=1).mean())
        for margin in margins(size, step):
            zone = zone_with_room(
                mesh, chart, element, margin * grown, put_in, split_lines=split_lines, keeps_borders=keeps_borders
            )
            grown = max(grown, zone.size / size)
            missed = outer[chart.lifted(outer, zone.local.nodes, zone.triangles)[1] < 0]
            if not len(missed):  # else with more around it there may be room
                yield Try(zone, _insert(zone, outline, widths))
        if len(missed):
            at = point_text(chart.raised(missed[:1])[0])
            raise Refusal(f"there is no surface, or it is too steep or folded, beneath the outline at {at}")

    far = float(np.linalg.norm(point - place))
    moved = (
        (f"the middle lay {far:.4g} off the surface, and was moved to {point_text(point)}",)
        if far > _OFF * size
        else ()
    )
    try:
        (made, which, _, worst), stays = best_with_borders(mesh, tries, f"round the opening at {point_text(point)}")
    except NoRoom as refusal:
        if refusal.bound not in ("sharp edge", "crease"):
            raise
        across = _across_edges(mesh, chart, outline, split_lines=split_lines)
        if across is None:
            raise
        if widths:
            raise Refusal(f"{refusal}; without collars it can go across the sharp edges there") from None
        made, zone, worst, crossings = across
        note = f"the rim crosses a {refusal.bound}, with {crossings:,} more nodes there"
        return made, _outcome(mesh, made, point, zone, outline, widths, worst).with_notes((*moved, note))
    parts = np.unique(which.zone.local.element_part[which.zone.elements])
    borders = () if stays else moved_borders(mesh, part_areas(made) - part_areas(mesh), parts)
    return made, _outcome(mesh, made, point, which.zone, outline, widths, worst).with_notes((*moved, *borders))


def _across_edges(
    mesh: Mesh, chart: Chart, outline: Outline, *, split_lines: bool
) -> tuple[Mesh, Zone, tuple[float, float], int] | None:
    """The mesh with an opening whose outline crosses sharp edges, and how many nodes more it has there, if it can.

    Its nodes are brought to the surface along the direction, and edges that stay end at it.
    """
    direction = chart.normal.tolist()
    try:
        placed, normals, elements = brought_to(mesh, chart.raised(outline.points), direction)
        made, rows, zone, worst = with_line(
            mesh,
            placed,
            normals,
            int(elements[0]),
            closed=True,
            opening=True,
            direction=direction,
            split_lines=split_lines,
        )
    except Refusal:
        return None
    return made, zone, worst, len(rows) - len(outline.points)


def _middle_on(place: Array, point: Array, normal: Array, widest: float) -> Array:
    """The middle of an opening for a place near the surface: in an opening that goes with it, over that.

    Raises
    ------
    Refusal
        If the place lies beside the surface, such as in a larger opening, or farther off than the opening is wide.
    """
    step = point - place
    up = (step @ normal) * normal
    beside = float(np.linalg.norm(step - up))
    if not widest > 0:
        return point
    if beside > _BESIDE * widest:
        raise Refusal(
            f"the middle {point_text(place)} lies {beside:.4g} away from the surface, beyond its edge: the "
            f"nearest place is {point_text(point)}, on an edge or the rim of a larger opening"
        )
    if np.linalg.norm(up) > widest:
        raise Refusal(
            f"the middle {point_text(place)} is {np.linalg.norm(up):.4g} off the surface, more than the opening is "
            "wide: say the direction that leads to it, or a place nearer to it"
        )
    return np.asarray(place + up) if beside > _OFF * widest else point


def _size_round(mesh: Mesh, element: int) -> float:
    """Mean length of the edges of an element, without the diagonal of a quad."""
    t = mesh.triangulation
    corners = mesh.nodes[t.triangles[t.element == element]]
    lengths = np.linalg.norm(corners - np.roll(corners, -1, axis=1), axis=2)
    return float(np.sort(lengths.ravel())[: 3 if len(lengths) == 1 else 4].mean())


def _outline(
    kind: Kind, diameter: float | None, length: float | None, width: float | None, nodes: int | None, size: float
) -> Outline:
    if kind == "round":
        if diameter is None or length is not None or width is not None:
            raise Refusal("a round opening has a diameter, and nothing else")
        return round_outline(diameter, nodes or max(12, 2 * round(0.5 * np.pi * diameter / size)))
    if diameter is not None or length is None or width is None:
        raise Refusal(f"a {kind} has a length and a width, and nothing else")
    around = 2.0 * (length + width)
    count = nodes or max(12, 2 * round(0.5 * around / size))
    return (slotted_outline if kind == "slot" else rectangular_outline)(length, width, count)


def _insert(zone: Zone, outline: Outline, widths: list[float]) -> Insert:
    """Rings from the rim outwards, and the elements between them."""
    n = len(outline.points)
    offsets = np.concatenate([[0.0], np.cumsum(widths)])
    met = met_by_lines(zone, [outline.ring(offset) for offset in offsets])
    points = [zone.chart.lifted(ring, zone.local.nodes, zone.triangles)[0] for ring in met.rings]
    number = zone.local.n_nodes + np.arange(len(points) * n).reshape(-1, n)
    number[-1] = np.where(met.node >= 0, met.node, number[-1])
    ahead = np.roll(number, -1, axis=1)
    every = np.stack([number[:-1], number[1:], ahead[1:], ahead[:-1]], axis=2).reshape(-1, 4)
    triangles = np.zeros((0, 3), np.int64)
    if "quad" not in zone.local.elements:
        triangles = np.concatenate([every[:, [0, 1, 2]], every[:, [0, 2, 3]]])
        every = every[:0]
    splits = met.splits.copy()
    splits[:, 2] = number[-1][splits[:, 2]]
    lines = [
        np.column_stack([number[r + 1][met.ends[:, 1]], number[r][met.ends[:, 1]], met.ends[:, 0]])
        for r in range(len(widths))
    ]
    line = np.column_stack([ahead[-1], number[-1]])
    every_line = np.concatenate([np.zeros((0, 3), np.int64), *lines])
    return Insert(np.concatenate(points), triangles, every, line, met.rings[-1], splits, every_line)


def _outcome(
    mesh: Mesh, made: Mesh, at: Array, zone: Zone, outline: Outline, widths: list[float], worst: tuple[float, float]
) -> Outcome:
    """What was done, with quality before and after."""
    new = len(new_elements(made, mesh))
    before = worst_of(zone.local, zone.elements)
    place = (point_of(at),)
    steps = (
        Step("cut", len(outline.points), 0.0, f"nodes on the rim, {outline.name}; {len(widths)} collar(s)", place),
        Step("take out", len(zone.elements), 0.0, f"elements, worst: {said(before)}"),
        Step("mesh anew", new, 0.0, f"elements; worst outside the collars: {said(worst)}"),
    )
    return Outcome(steps, (), ())
