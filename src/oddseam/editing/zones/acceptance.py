"""Which of several ways to put something into a zone is taken: the first that is good, else the best."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import NamedTuple

import numpy as np

from oddseam.arrays import Array, rows_in
from oddseam.editing.zones.filling_in import Insert, with_insert
from oddseam.editing.zones.zone import Zone
from oddseam.errors import Refusal
from oddseam.findings.judged.limits import Limits
from oddseam.findings.judged.worsening import beyond_by_id
from oddseam.geometry.shapes.quality import quality
from oddseam.model import Mesh
from oddseam.model.origins import elements_in
from oddseam.model.splicing import extracted

#: So far beyond what is put in elements are meshed anew, over their size; more if they get no better shape.
_MARGINS = (1.6, 2.6, 4.0, 6.0)
#: Among far larger elements it is tried first with so much round it, over the length of its own edges.
_FINE, _FINE_MARGINS = 0.5, (1.6, 4.0)
#: A zone of more elements is not tried any more when something acceptable is there.
_MANY = 1_000
#: What is good enough not to look further, and what is acceptable at all: smallest angle, scaled Jacobian.
_GOOD, _LEAST = (26.0, 0.5), (12.0, 0.2)


def margins(size: float, step: float) -> list[float]:
    """Distances beyond what is put in, whose edges are ``step`` long, among elements of a size, to be tried in turn."""
    fine = [margin * step for margin in _FINE_MARGINS] if step < _FINE * size else []
    return [*fine, *(margin * size for margin in _MARGINS)]


class Try(NamedTuple):
    """A zone, and what is put into it."""

    zone: Zone
    insert: Insert


class Best(NamedTuple):
    """The mesh with the first good try, or the best of them.

    Attributes
    ----------
    mesh : Mesh
    which : Try
    node : (k,) int array
        Where in the mesh the nodes of the zone's local mesh and those put in are, -1 for those that went.
    worst : (float, float)
        Angle and Jacobian.
    """

    mesh: Mesh
    which: Try
    node: Array
    worst: tuple[float, float]


def best_of(mesh: Mesh, tries: Iterable[Try], where: str) -> Best:
    """The first good one of some tries, or the best of them.

    Raises
    ------
    Refusal
        If none is acceptable.
    """
    best: Best | None = None
    most = (False, -np.inf)
    for one in tries:
        if best is not None and _is_acceptable(best) and len(one.zone.elements) > _MANY:
            break
        made = with_insert(one.zone, one.insert)
        if made is None:
            continue
        whole, node = made
        new = _new_but(whole, mesh, node[one.zone.local.n_nodes :])
        worst = worst_of(whole, new)
        rank = (is_within_limits(whole, new), share(worst))
        if best is None or rank > most:
            best, most = Best(whole, one, node, worst), rank
        if worst[0] >= _GOOD[0] and worst[1] >= _GOOD[1] and rank[0]:
            break
    if best is None or not _is_acceptable(best):
        why = "they would cross" if best is None else f"they would be no better than {said(best.worst)}"
        raise Refusal(
            f"no acceptable elements fit {where}: {why}; choose another number of nodes, other widths or another "
            "place, or mesh the surface finer first"
        )
    return best


def best_with_borders(mesh: Mesh, tries: Callable[[bool], Iterable[Try]], where: str) -> tuple[Best, bool]:
    """The best of tries that keep borders between parts, else of those that do not; and whether they are kept.

    Raises
    ------
    Refusal
        If none of either is acceptable; what is said is what those that keep them lack.
    """
    try:
        return best_of(mesh, tries(True), where), True
    except Refusal as refusal:
        try:
            return best_of(mesh, tries(False), where), False
        except Refusal:
            raise refusal from None


def is_within_limits(mesh: Mesh, elements: Array) -> bool:
    """Whether no measure of some elements is beyond its limit."""
    return not any(beyond_by_id(extracted(mesh, elements), Limits()).values())


def _is_acceptable(one: Best) -> bool:
    """Whether elements are good enough, or no worse than those that they replace."""
    zone = one.which.zone
    return share(one.worst) >= min(1.0, share(worst_of(zone.local, zone.elements)))


def worst_of(mesh: Mesh, elements: Array) -> tuple[float, float]:
    """The smallest angle of triangles and the least scaled Jacobian of quads, of some elements; infinite without."""
    angle, jacobian = np.inf, np.inf
    for name, block, span in mesh.blocks():
        its = rows_in(span, elements)
        if name in ("tri", "quad") and len(its):
            found = quality(mesh.nodes[block.connectivity[its]])
            if name == "tri":
                angle = float(found["minimum_angle"].min())
            else:
                jacobian = float(found["scaled_jacobian"].min())
    return angle, jacobian


def worst_taken(zones: Iterable[Zone]) -> tuple[float, float]:
    """The same of the elements that several zones replaced."""
    found = [worst_of(zone.local, zone.elements) for zone in zones]
    return min((its[0] for its in found), default=np.inf), min((its[1] for its in found), default=np.inf)


def said(worst: tuple[float, float]) -> str:
    """Both in words, what there is of them."""
    words = [f"smallest angle {worst[0]:.3g}"] if np.isfinite(worst[0]) else []
    words += [f"scaled Jacobian {worst[1]:.3g}"] if np.isfinite(worst[1]) else []
    return ", ".join(words)


def share(worst: tuple[float, float]) -> float:
    """The worst angle and Jacobian over what is acceptable."""
    return min(worst[0] / _LEAST[0], worst[1] / _LEAST[1])


def _new_but(made: Mesh, mesh: Mesh, given: Array) -> Array:
    """New elements but those all of whose nodes are given: the shape of collars is asked for."""
    is_given = np.zeros(made.n_nodes, bool)
    is_given[given[given >= 0]] = True
    is_new = elements_in(made, mesh) < 0
    for _, block, span in made.blocks():
        is_new[span] &= ~is_given[block.connectivity].all(axis=1)
    return np.flatnonzero(is_new)
