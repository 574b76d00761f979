"""Improving elements until a limit of quality holds: nodes are moved first, then places are meshed anew.

Each place, the poor elements with some rings round them, is taken by itself: what is not better afterwards, leaves the
surface too far or crosses something stays as it was.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from oddseam.accounts import Outcome, Step, recorded
from oddseam.arrays import Array, point_text
from oddseam.errors import Refusal
from oddseam.findings.judged.judging import middle_of
from oddseam.findings.judged.limits import LimitsLike, by_name
from oddseam.findings.judged.qualities import beyond_limit, element_quality
from oddseam.formats import as_held
from oddseam.geometry.shapes.quality import MORE_IS_WORSE
from oddseam.model import Mesh
from oddseam.model.loss import measure_loss
from oddseam.model.prove import worse
from oddseam.picks import selected
from oddseam.progress import Progress, silent
from oddseam.remeshing.local.places import Places, Rules

#: Measures of tri and quad elements.
_MEASURES = ("minimum_angle", "radius_ratio", "aspect_ratio", "skewness", "scaled_jacobian", "warpage")
#: The smallest angle of the best triangle.
_EQUILATERAL = 60.0
#: Rings of elements that are meshed anew with the poor ones, attempt by attempt, whether curves get new nodes, and
#: whether facets thinner than the deviation make creases.
_ATTEMPTS = ((2, False, True), (3, False, True), (3, True, True), (5, True, True), (3, True, False), (5, True, True))
#: How far the surface may be left over the diagonal, unless told otherwise.
_DEVIATION = 1e-3


class _Limits(NamedTuple):
    """Limits by measure, and what they say of the elements of a mesh."""

    of: dict[str, float]

    def shortfall(self, mesh: Mesh) -> Array:
        """(m,) how far each tri or quad is beyond its worst limit, over that limit; 0 or less where all hold."""
        found = np.full(mesh.n_elements, -np.inf)
        for name, (index, measures) in element_quality(mesh).items():
            if name not in ("tri", "quad"):
                continue
            for measure, limit in self.of.items():
                if measure in measures:
                    sign = 1.0 if measure in MORE_IS_WORSE else -1.0
                    values = np.nan_to_num(measures[measure], posinf=1e30)
                    over = sign * (values - limit) / max(abs(limit), 1e-300)
                    # exactly at the limit is within it
                    over = np.where(beyond_limit(measure, values, limit), np.maximum(over, 1e-12), np.minimum(over, 0))
                    found[index] = np.maximum(found[index], over)
        return found

    def worst(self, mesh: Mesh, elements: Array) -> str:
        """The worst values of some elements, in words."""
        words = []
        for measure, limit in self.of.items():
            values = [
                measures[measure][np.isin(index, elements)]
                for name, (index, measures) in element_quality(mesh).items()
                if name in ("tri", "quad") and measure in measures
            ]
            its = np.concatenate([np.zeros(0), *values])
            if len(its):
                value = its.max() if measure in MORE_IS_WORSE else its.min()
                words.append(f"{measure.replace('_', ' ')} {value:.4g} (limit {limit:g})")
        return ", ".join(words)


@recorded()
def improve(
    mesh: Mesh,
    *,
    limits: LimitsLike,
    pick: str | None = None,
    deviation: float | None = None,
    crease: float = 30.0,
    target: str | None = None,
    progress: Progress = silent,
) -> tuple[Mesh, Outcome]:
    """Improve tri and quad elements until limits of quality hold.

    Nodes are moved on the surface first.  What is poor even so is meshed anew with a few rings of elements round it, by
    splits, collapses, flips and moves.  Creases, rims, borders and all else stay.

    Parameters
    ----------
    mesh : Mesh
    limits : Limits or mapping of str to float
        Such as ``{"minimum_angle": 25}``: of minimum_angle, radius_ratio, aspect_ratio, skewness, scaled_jacobian and
        warpage, one at least.
    pick : str, optional
        A pick (see ``pick``); all else stays to the last bit.
    deviation : float, optional
        How far the new surface may be from the old one and the old one from the new, at nodes and in the middles of
        edges and elements; a thousandth of the diagonal by default.
    crease : float
        Edges sharper than this many degrees are creases.
    target : str, optional
        Format that the result is meant for, such as ``"stl"``.
    progress : callable, optional

    Returns
    -------
    Mesh
        The account says how many elements were beyond the limits before and after; ``outcome.unmet`` says what could
        not be improved, and where.

    Raises
    ------
    Refusal
        If no limit is given, or there is no surface.

    Notes
    -----
    Linear in the size of the mesh for each attempt.  L. A. Freitag, C. Ollivier-Gooch (1997), Tetrahedral mesh
    improvement using swapping and smoothing (nodes go where the worst element round them is best).

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [9, 0, 0], [9, 9, 0], [0, 9, 0], [4, 0.3, 0], [5, 8, 0]]
    >>> triangles = [[0, 1, 4], [1, 5, 4], [1, 2, 5], [2, 3, 5], [3, 4, 5], [3, 0, 4]]
    >>> sheet = oddseam.Mesh.from_triangles(nodes, triangles, unit="mm")
    >>> better = oddseam.improve(sheet, limits={"minimum_angle": 25})
    >>> better.account.last.outcome.unmet
    ()
    """
    asked = _Limits({name: value for name, value in by_name(limits).items() if name in _MEASURES})
    if not asked.of:
        raise Refusal(f"say at least one limit that elements can be improved to: {', '.join(_MEASURES)}")
    if asked.of.get("minimum_angle", 0.0) > _EQUILATERAL and "quad" not in mesh.elements:
        raise Refusal(f"no triangle has a smallest angle above {_EQUILATERAL:g} degrees, as is asked for")
    if not len(mesh.triangulation.triangles):
        held = ", ".join(mesh.elements) or "nothing"
        raise Refusal(f"the mesh has no surface to improve: it holds {held}, and only tri and quad elements can be")
    deviation = _DEVIATION * mesh.diagonal if deviation is None else deviation
    if not 0 <= deviation < np.inf:
        raise Refusal(f"deviation {deviation} is not a distance")
    scope = np.zeros(mesh.n_elements, bool)
    scope[mesh.triangulation.element] = True
    if pick is not None:
        picked = np.zeros(mesh.n_elements, bool)
        picked[selected(mesh, pick)] = True
        scope &= picked
    places = Places(mesh, scope, Rules(asked, deviation, crease, target))
    before = places.poor()
    notes = [f"{len(before):,} elements beyond the limits before: {asked.worst(mesh, before)}"] if len(before) else []
    steps = []
    if len(before):
        progress("moving nodes", 0.0)
        moved, far = places.move_nodes()
        steps.append(Step("move", moved, far, "nodes slid on the surface"))
    for number, (rings, respaced, thin_too) in enumerate(_ATTEMPTS):
        if not len(places.poor()):
            break
        progress("meshing places anew", (1 + number) / (1 + len(_ATTEMPTS)))
        count, elements, far = places.mesh_anew(rings, respaced, 0.0 if thin_too else deviation)
        detail = f"of {elements:,} elements" + (", with new nodes on curves" if respaced else "")
        steps.append(Step(f"mesh anew ({number + 1})", count, far, detail))
    progress("done", 1.0)
    left = places.poor()
    unmet = [f"{fault} after improving" for fault in worse(as_held(places.mesh, target), as_held(mesh, target))]
    if len(left):
        worst = left[np.argmax(asked.shortfall(places.mesh)[left])]
        place = point_text(middle_of(places.mesh, int(worst)))
        unmet.append(
            f"{len(left):,} elements stay beyond the limits: {asked.worst(places.mesh, left)}; the worst is element "
            f"{places.mesh.element_ids[worst]} at {place}; creases, rims, borders or the deviation of "
            f"{deviation:.4g} hold them (where most of a mesh is poor, remesh it)"
        )
    notes.append(f"{len(left):,} elements beyond the limits after, {len(before) - len(left):,} fewer")
    loss = measure_loss(mesh, places.mesh, deviation)
    return places.mesh, Outcome(tuple(steps), tuple(notes), tuple(unmet)).with_loss(loss)
