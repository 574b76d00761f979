"""Isotropic remeshing of a surface to a wanted edge length, features kept.

Curves (creases, rims, borders of parts) get their nodes first, spaced by the size and by how
far a chord may leave them; then rounds of split, collapse, flip and tangential smoothing with
projection to the original surface make the facets even.
"""

from __future__ import annotations

import dataclasses
from typing import Literal, NamedTuple

import numpy as np

from oddseam.accounts import Outcome, Step, recorded
from oddseam.arrays import Array
from oddseam.errors import Refusal
from oddseam.findings.judged.judging import judged
from oddseam.findings.judged.limits import LimitsLike, limits_with
from oddseam.formats import as_held
from oddseam.geometry.trees.boxtree import BoxTree
from oddseam.model import Mesh
from oddseam.model.loss import changed_triangles, element_middles, measure_loss
from oddseam.model.prove import worse
from oddseam.progress import Progress, silent
from oddseam.remeshing.surfaces.assembly import assembled, cut, flat_quads, locked_note, missed
from oddseam.remeshing.surfaces.net import Fineness, expected_facets
from oddseam.remeshing.surfaces.region import Region, region_of
from oddseam.remeshing.surfaces.round_surfaces import round_surfaces
from oddseam.remeshing.surfaces.sheets import Noise
from oddseam.remeshing.surfaces.surface import Result, remesh_sheets
from oddseam.sizes import SizeField

#: Where nodes are put, see :func:`remesh`.
Surface = Literal["recognised", "facets", "smooth"]
#: So often it is done again, more of the original being kept where facets came to cross.
_AGAIN = 5
#: The shape is said to be missed where the new surface is farther from it than this share of the size.
_MISSED = 0.15
#: It is lost where it is farther by this share.
_LOST = 0.5
#: Chains of creases that end in the open and are shorter, over the size, are the noise of facets.
_STUB = 1.0


@recorded()
def remesh(
    mesh: Mesh,
    *,
    size: float | None = None,
    sizes: SizeField | None = None,
    pick: str | None = None,
    crease: float = 30.0,
    chord: float | None = None,
    gradation: float = 0.35,
    surface: Surface = "recognised",
    quads: bool = False,
    limits: LimitsLike | None = None,
    target: str | None = None,
    progress: Progress = silent,
) -> tuple[Mesh, Outcome]:
    """Remesh a surface with even triangles or quads of a wanted size.

    Creases, rims and borders between parts, element groups and patches are kept: their corners
    stay where they are, and the nodes between lie on the original curve.  Other nodes lie on
    the original surface.  Where more than two facets meet in an edge, and where surfaces touch
    in a node, nodes stay as they are.

    Parameters
    ----------
    mesh : Mesh
        Of tri and quad elements.
    size : float, optional
        Wanted edge length, in the unit of the mesh, the same everywhere.
    sizes : SizeField, optional
        Instead of ``size``: the edge length that is wanted at any place, see ``make_sizes``.
    pick : str, optional
        A pick (see ``pick``), such as ``"part hood"``.  Only its tri and quad elements are meshed anew; everything
        else stays to the last bit, and the new elements use the nodes on the border as they are.  They are as fine
        there as the edges of the border.
    crease : float
        Edges sharper than this many degrees are creases.
    chord : float, optional
        How far an edge may leave the crease it stands for; 1.85 % of the size by default.
        Edges along tight curves are shorter than the size for its sake.
    gradation : float
        By how much the size may grow, over the distance; a size field has its own.
    surface : str
        Where nodes are put: ``"recognised"``, on the cylinders and so on that patches were recognised as (see
        ``find_features``) and on creases where two meet, elsewhere on the facets; ``"facets"``, on the facets of the
        old mesh everywhere; or ``"smooth"``, like ``"recognised"``, but elsewhere on a smooth surface through the nodes
        of the facets, so that what is refined gets rounder.  Creases stay, and curves along them get round too.
    quads : bool
        Whether to make quads where they fit, and triangles between them.
    limits : Limits or mapping of str to float, optional
        Limits of quality that count instead of the usual ones of ``Limits``, such as
        ``{"minimum_angle": 20}``; what is beyond is unmet.
    target : str, optional
        Format that the result is meant for, such as ``"stl"``: that no facets cross is seen to on the coordinates
        as that format holds them.
    progress : callable, optional

    Raises
    ------
    Refusal
        If there are elements that hang on the nodes of the surface, or the settings make no
        sense.
    PickError
        If the pick cannot be understood, or selects nothing.

    Notes
    -----
    About linear in the larger of the numbers of facets before and after.

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [2, 0, 0], [0, 2, 0], [0, 0, 2]]
    >>> corner = oddseam.Mesh.from_triangles(nodes, [[0, 2, 1], [0, 1, 3], [0, 3, 2], [1, 2, 3]], unit="mm")
    >>> fine = oddseam.remesh(corner, size=0.5)
    >>> fine.n_elements > 80, oddseam.prove(fine).is_closed
    (True, True)
    """
    held = limits_with(limits)
    field = _field_of(size, sizes, gradation)
    if chord is not None and not 0 < chord < np.inf:
        raise Refusal(f"chord {chord} is not positive")
    region = region_of(mesh, pick)
    field = region.graded(field)
    _check_number(region.surface, field)
    progress("finding creases", 0.0)
    fineness, ways = Fineness(field, chord), Ways(surface, quads, warpage=held.warpage)
    made = meshed_anew(region, crease, fineness, ways, target, progress)
    if quads and made.n_bad:
        plain = meshed_anew(region, crease, fineness, ways._replace(squared=False), target, progress)
        if plain.n_bad < made.n_bad:
            made = plain
            made.notes.append("facets would have crossed in a net of squares: triangles were paired as they were")
    result, near = made.result, _MISSED * field.at(region.surface.nodes)
    far = missed(region.surface, made.surface, enough=float(near.min()))
    notes = [*made.notes, *far.note(near[far.node], f"{_MISSED:.0%} of the size there, which is too coarse for it")]
    steps = [
        Step("place nodes on creases and rims", result.n_curve_nodes, 0.0, f"{made.n_curves:,} curves"),
        Step("split", result.n_splits),
        Step("collapse", result.n_collapses),
        Step("flip", result.n_flips),
        Step("smooth", result.n_moves, 0.0, "nodes slid on the original surface"),
    ]
    if quads:
        count = len(result.surface.quads)
        steps.append(Step("pair", count, 0.0, f"quads, {count / made.surface.n_elements:.1%} of the new elements"))
    progress("measuring what was lost", 0.98)
    fresh = made.mesh.triangulation.element[changed_triangles(mesh, made.mesh)[1]]
    on_curves = made.surface.node_ids[np.unique(result.surface.crease_edges)]
    step, poor = judged(made.mesh, fresh, held, on_curves)
    outcome = Outcome((*steps, step), tuple(notes), (*made.unmet, *poor))
    loss = measure_loss(mesh, made.mesh, _LOST * field.at(element_middles(mesh)))
    progress("done", 1.0)
    return made.mesh, outcome.with_loss(loss)


def _field_of(size: float | None, sizes: SizeField | None, gradation: float) -> SizeField:
    """The sizes that are wanted, however they are said."""
    if sizes is not None and size is None:
        return sizes
    if size is None or sizes is not None:
        raise Refusal("say one of both: a size, or a field of sizes")
    return SizeField(size, gradation)


class Ways(NamedTuple):
    """Where nodes are put, whether triangles are paired, see ``remesh``, and whether they are led to squares first.

    Quads with more than ``warpage`` degrees are no quads.
    """

    surface: Surface
    quads: bool
    squared: bool = True
    warpage: float = np.inf


class Made(NamedTuple):
    """What came of it: how many facets are bad; the new surface, alone and in the whole mesh; what is to be said."""

    n_bad: int
    result: Result
    n_curves: int
    surface: Mesh
    mesh: Mesh
    notes: list[str]
    unmet: list[str]


def meshed_anew(
    region: Region, crease: float, fineness: Fineness, ways: Ways, target: str | None, progress: Progress
) -> Made:
    """Remeshed; where facets come to cross or to have no area, what lay there is kept, as often as that helps."""
    mesh = region.surface
    corners = mesh.nodes[mesh.triangulation.triangles]
    before, kept = as_held(region.whole, target), np.zeros(len(corners), np.int8)
    best: Made | None = None
    for number in range(_AGAIN + 1):
        sheets = cut(mesh, crease, kept if number else None, region.held, Noise(stub=_STUB * fineness.field.least))
        onto = None if ways.surface == "facets" else round_surfaces(mesh, sheets)
        result = remesh_sheets(
            sheets, fineness, onto=onto, smooth=ways.surface == "smooth", quads=ways.quads, squared=ways.squared,
            progress=progress,
        )  # fmt: skip
        progress("putting together", 0.95)
        if ways.quads:
            result = dataclasses.replace(result, surface=flat_quads(result.surface, ways.warpage))
        surface, notes = assembled(mesh, result.surface, region.keeps_ids)
        doubled = region.doubled(surface)
        if len(doubled):
            kept[_beneath(corners, surface.nodes[surface.triangulation.triangles[doubled]])] += 1
            np.minimum(kept, 2, out=kept)
            continue
        whole = region.put_back(surface)
        written = as_held(whole, target)
        bad = written.unsound_triangles
        if best is None or len(bad) < best.n_bad:
            notes += locked_note(sheets)
            if sheets.n_stubs:
                notes.append(
                    f"{sheets.n_stubs:,} edges turn by more than {crease:g} degrees, in chains that end in the open "
                    "and are shorter than the size: taken for noise (draw creases to keep them)"
                )
            if sheets.n_rough:
                notes.append(
                    f"{sheets.n_rough:,} edges turn by more than {crease:g} degrees, but hardly more than the surface "
                    "beside them, in short or crooked chains: taken for noise (draw creases to keep them)"
                )
            if number:
                count = int((kept > 0).sum())
                notes.append(f"{count:,} facets kept their place, where facets would have crossed")
            unmet = [f"{fault} after remeshing" for fault in worse(written, before)]
            best = Made(len(bad), result, len(sheets.curves.first) - 1, surface, whole, notes, unmet)
        if not best.unmet or not len(bad):
            break
        kept[_beneath(corners, written.nodes[written.triangulation.triangles[np.unique(bad)]])] += 1
        np.minimum(kept, 2, out=kept)
    if best is None:
        raise Refusal("the border of the picked elements cannot stay as it is: its nodes are too close to one another")
    return best


def _beneath(corners: Array, facets: Array) -> Array:
    """Rows of the triangles (m, 3, 3) that come as near to facets as those are long."""
    places = np.concatenate([facets, facets.mean(axis=1, keepdims=True)], axis=1)
    reach = np.linalg.norm(facets - np.roll(facets, 1, axis=1), axis=2).max(axis=1)
    tree = BoxTree(corners)
    found = [tree.near(its, 0.5 * float(far))[1] for its, far in zip(places, reach, strict=True)]
    return np.unique(np.concatenate(found))


def _check_number(mesh: Mesh, field: SizeField) -> None:
    """Refuse a size that would make too many facets."""
    expected = expected_facets(mesh.nodes[mesh.triangulation.triangles], field)
    if expected > 5e7:
        raise Refusal(
            f"a size of {field.least:g} would make about {expected:.2g} facets; the part is {mesh.diagonal:g} across, "
            "is the size in the same unit?"
        )
