"""Room for something to be put into a surface: a neighbourhood with ligaments to all that bounds it."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from oddseam.arrays import Array, point_text
from oddseam.editing.zones.bounds import PART_BORDER
from oddseam.editing.zones.chart import Chart
from oddseam.editing.zones.zone import Beyond, Zone, distance_to_polygon, zone_round
from oddseam.errors import Refusal
from oddseam.model import Mesh
from oddseam.model.connectivity import label_components

#: Ligaments have to be so wide, over the size of elements there or on the outline.
_SHARE = 0.5


class NoRoom(Refusal):
    """A refusal for want of room.

    Attributes
    ----------
    bound : str
        What comes too near; see ``BOUNDS``.
    """

    def __init__(self, reason: str, bound: str) -> None:
        super().__init__(reason)
        self.bound = bound


class Outlined(NamedTuple):
    """What is put in: its name for refusals, its outline (n, 2), and within that the polygon that swallows openings."""

    what: str
    outer: Array
    inner: Array


def zone_with_room(
    mesh: Mesh,
    chart: Chart,
    element: int,
    margin: float,
    put_in: Outlined,
    *,
    split_lines: bool | None = None,
    keeps_borders: bool = True,
) -> Zone:
    """The neighbourhood of an outline; borders between parts bound it unless the outline comes near to them.

    Parameters
    ----------
    mesh, chart, element, margin
        See ``zone_round``.
    put_in : Outlined
    split_lines : bool
        Whether line elements give way; ``None`` if they never can.
    keeps_borders : bool
        Whether edges of borders between parts stay where the outline comes near to them.

    Raises
    ------
    Refusal
        If there is no room; it says how much is needed, and how much there is.
    """
    what, outer, inner = put_in
    through = ("line element",) if split_lines else ()

    def zone_of(across_parts: bool) -> tuple[Zone, tuple[str, float, Array] | None]:
        kinds = (*through, *((PART_BORDER,) if across_parts else ()))
        beyond = Beyond(kinds, keeps_borders or not across_parts)
        zone = zone_round(mesh, chart, element, outer, margin, closed=True, beyond=beyond)
        return zone, _too_near(zone, inner, outer, bool(split_lines), across_parts)

    zone, problem = zone_of(False)
    if problem is not None and problem[0] == PART_BORDER:
        zone, problem = zone_of(True)
    if problem is not None:
        bound, distance, where = problem
        needed = _least(zone, outer)
        distance = round(distance / zone.size, 9) * zone.size + 0.0
        has = f"is only {distance:.4g} away" if distance >= 0 else f"overlaps it by {-distance:.4g}"
        way = "; `split_lines` would split it" if bound == "line element" and split_lines is not None else ""
        raise NoRoom(
            f"{what} must stay {needed:.4g} clear of the {bound} at {point_text(where)}, but {has}{way}", bound
        )
    return zone


def _least(zone: Zone, outer: Array) -> float:
    """How far the outermost ring has to be from what bounds the surface: half an element there, or on the ring."""
    step = float(np.linalg.norm(outer - np.roll(outer, 1, axis=0), axis=1).mean())
    return _SHARE * min(zone.size, step)


def _too_near(
    zone: Zone, inner: Array, outer: Array, split_lines: bool, across_parts: bool
) -> tuple[str, float, Array] | None:
    """The bound that is nearest to the outermost ring, how far it is and where, if it is too near."""
    worst: tuple[str, float, Array] | None = None
    flat = zone.chart.flat(zone.local.nodes)
    for what, bounds in zone.bounds.items():
        edges = bounds
        if what == PART_BORDER and across_parts:
            continue  # it is split where the outline crosses it
        if what == "free edge" and len(edges):
            # openings that lie all within go with it
            inside = distance_to_polygon(flat, inner) < 0
            edges = edges[np.isin(_chains(flat, edges), _chains(flat, edges)[~inside[edges].all(axis=1)])]
        elif what == "line element" and split_lines and len(edges):
            # those that cross the outline are split
            edges = edges[~np.isin(_chains(flat, edges), _chains(flat, edges)[_distance(flat, edges, outer) < 0])]
        if not len(edges):
            continue
        samples = _samples(flat, edges).reshape(-1, 2)
        distance = distance_to_polygon(samples, outer)
        k = int(np.argmin(distance))
        if distance[k] < _least(zone, outer) and (worst is None or distance[k] < worst[1]):
            worst = what, float(distance[k]), zone.chart.raised(samples[k : k + 1])[0]
    return worst


def _samples(flat: Array, edges: Array) -> Array:
    """(9, e, 2) places along edges."""
    share = np.linspace(0.0, 1.0, 9)[:, None, None]
    return np.asarray(flat[edges[:, 0]] + share * (flat[edges[:, 1]] - flat[edges[:, 0]]))


def _distance(flat: Array, edges: Array, outer: Array) -> Array:
    """(e,) how far each edge is from a polygon, negative where it reaches inside."""
    samples = _samples(flat, edges)
    return np.asarray(distance_to_polygon(samples.reshape(-1, 2), outer).reshape(len(samples), -1).min(axis=0))


def _chains(flat: Array, edges: Array) -> Array:
    """(e,) which edges hang together."""
    return np.asarray(label_components(len(flat), edges[:, 0], edges[:, 1])[1][edges[:, 0]])
