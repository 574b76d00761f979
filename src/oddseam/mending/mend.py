"""Mend: from a torn facet surface to one that is proven closed, manifold and oriented.

The order matters: rounding and joining first, so that all that follows sees the nodes that the
file will hold; duplicates and degenerates next, so that edges have as many facets as they seem
to; cracks before walls, so that a tear does not join inside and outside; orientation before
filling, so that a rim knows its side; crumbs before both, so that they are not filled; crossings when
pieces are closed and know their outside, and cracks once more beside these; what is open, the proof and the loss
last, on the coordinates that the file will hold.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from oddseam.accounts import Outcome, Step, recorded
from oddseam.arrays import Array, IdIndex, point_text
from oddseam.findings import defects
from oddseam.findings.finding import Finding
from oddseam.formats import as_held
from oddseam.mending.advice import advice
from oddseam.mending.caps import open_elements
from oddseam.mending.checks import collapsed_pieces, is_worse, other_space, remaining_faults
from oddseam.mending.crumbs import drop_crumbs, drop_pockets
from oddseam.mending.degenerates import drop_degenerates
from oddseam.mending.duplicates import drop_duplicates
from oddseam.mending.joining import join_coincident, rounded_to
from oddseam.mending.orientation import orient
from oddseam.mending.overlaps import MOST_PAIRS, may_overlap, resolve_overlaps
from oddseam.mending.retreat import draw_back
from oddseam.mending.rims import Rims
from oddseam.mending.settings import Close, Overlaps, Settings, Trim, settings_of
from oddseam.mending.touching import part_touching
from oddseam.mending.walls import resolve_walls
from oddseam.mending.zipping import zip_rims
from oddseam.model import Mesh
from oddseam.model.editing import as_it_was, edited
from oddseam.model.enclosure import flat_pieces
from oddseam.model.loss import measure_loss
from oddseam.progress import Progress, silent

#: Rims are filled in so many passes at most.
_FILLS = 3


@recorded()
def mend(
    mesh: Mesh,
    *,
    close: Close | float = "small",
    gap: float | None = None,
    keep_joints: bool | None = None,
    overlaps: Overlaps | None = None,
    trim: Trim | None = None,
    crumbs: float | None = None,
    fins: float | None = None,
    deviation: float | None = None,
    target: str | None = None,
    progress: Progress = silent,
) -> tuple[Mesh, Outcome]:
    """Mend a surface: join, sew, fill, turn and unite it, and prove it.

    Nodes that coincide along rims are joined, duplicate and degenerate facets dropped without
    tearing, cracks sewn together, fins and inner walls dropped, surfaces that only touch parted;
    crumbs are dropped, neighbours are made to agree, closed pieces and open ones that enclose space to look outward,
    and small rims are filled with well-shaped facets.  Only nodes beside a crack move, and those of open pieces that
    barely go through what they abut on, no farther than ``gap``; for a target of single precision, all nodes are
    rounded to it first.

    Parameters
    ----------
    mesh : Mesh
    close : {"small", "all", "none"} or float
        Which rims to fill: those up to 5 % of the diagonal, none, or those up to a diameter; larger ones are left and
        listed.  ``"all"`` says that this is one solid: every rim is spanned, all pieces are made one, and what lies
        within goes; what was spanned is listed by width and place.
    gap : float, optional
        Widest gap between two rims that is sewn together as a crack, a ten-thousandth of the
        diagonal by default (more only where the coordinates are coarser); 0 to sew nothing.  A
        wider gap that tapers to its ends is filled, up to three times that.
    keep_joints : bool, optional
        Whether edges with three facets and nodes that coincide are meant, as in a shell model:
        then nothing is joined, sewn or parted.  By default they are in a solver deck, and not
        elsewhere.
    overlaps : {"union", "imprint", "keep"}, optional
        What becomes of facets that cross: one surface round all that is solid (open sheets have no inside: they stay as
        they are, and are listed where they cross); all facets stay and share nodes and edges; or they are left.
        Left in a solver deck by default, made one elsewhere.
    trim : {"inside", "outside"}, optional
        Of open sheets that a solid cuts, the side to be cut off: what sticks into the solid, or what hangs
        outside; by default neither.  With ``overlaps="union"`` only.
    crumbs : float, optional
        Floating pieces smaller than this are dropped; 0 keeps all.  By default half a percent of the diagonal, if the
        others enclose space and these are next to nothing beside them.
    fins : float, optional
        How far fins, folds and walls of zero thickness may stand off what stays, as they go; half a percent of the
        diagonal by default.  Others go too, but that is unmet (``keep_joints`` keeps them).
    deviation : float, optional
        How far any of what was given may be from the result, but for crumbs, fins, and what lies within the solid; a
        thousandth of the diagonal by default.  What is farther is unmet.
    target : str, optional
        Format that the result is meant for, such as ``"stl"``: the proof is made on the
        coordinates as that format holds them.
    progress : callable, optional

    Returns
    -------
    Mesh
        The account's last entry says in ``outcome.unmet`` what is left and where; it is empty
        only if the result is proven closed where that was asked, manifold, oriented and free of
        crossings, and nothing was lost.

    Notes
    -----
    O(n log n), and a time that grows with the number of pairs of facets that cross.  What would end with more faults
    than were given is done without resolving crossings, and not at all if that does not help.

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [2, 0, 0], [0, 2, 0], [0, 0, 2]]
    >>> tent = oddseam.Mesh.from_triangles(nodes, [[0, 1, 3], [0, 3, 2], [1, 2, 3]], unit="mm")
    >>> shut = oddseam.mend(tent, close="all")
    >>> oddseam.prove(shut).is_closed, round(oddseam.prove(shut).volume, 6)
    (True, 1.333333)
    """
    asked = settings_of(mesh, close, gap, keep_joints, overlaps, trim, crumbs, fins, deviation, target)
    crossing = len(mesh.crossing_triangles) if asked.one_solid else 0
    if crossing > MOST_PAIRS:
        asked = settings_of(mesh, "small", gap, keep_joints, overlaps, trim, crumbs, fins, deviation, target)
    work = _Work(mesh, asked, progress)
    work.run()
    if crossing > MOST_PAIRS:
        reason = f"{crossing:,} pairs of facets cross, and {MOST_PAIRS:,} at most are cut at once"
        work.unmet.insert(0, f"this was not made one solid: {reason}; only small rims were filled")
    if is_worse(as_held(work.mesh, target), as_held(mesh, target), asked.overlaps == "imprint"):
        work = _instead(mesh, asked, progress)
    if not asked.keep_joints and work.mesh is not mesh:
        work.unmet += other_space(mesh, work.oriented, work.mesh)
    work.unmet[:0] = advice(mesh, work.mesh, asked, work.unmet, _mended)
    progress("measuring what was lost", 0.95)
    outcome = Outcome(tuple(work.steps), tuple(work.notes), tuple(work.unmet))
    gone, loose = (_rows(mesh, ids) for ids in (work.asked_to_go, work.loose))
    loss = measure_loss(mesh, work.mesh, asked.tolerance, gone, (loose, asked.fins))
    progress("done", 1.0)
    return as_it_was(mesh, work.mesh), outcome.with_loss(loss)


def _rows(mesh: Mesh, ids: Array) -> Array:
    """Elements by their ids, those that are there."""
    row, missing = IdIndex(mesh.element_ids).of(ids)
    return np.asarray(row[~missing])


def _instead(mesh: Mesh, asked: Settings, progress: Progress) -> _Work:
    """The mesh mended without resolving crossings, or as it was, where that is better."""
    if asked.overlaps != "keep":
        work = _Work(mesh, replace(asked, overlaps="keep", one_solid=False), progress)
        work.run()
        work.unmet.insert(
            0, "crossings were left as they were: resolved, the result had more faults than it had before"
        )
        if not is_worse(as_held(work.mesh, asked.target), as_held(mesh, asked.target), False):
            return work
    work = _Work(mesh, asked, progress)
    work.unmet = ["nothing was changed: mended, it had more faults than before"]
    work.unmet += remaining_faults(as_held(mesh, asked.target), asked.keep_joints)
    return work


def _mended(mesh: Mesh, asked: Settings) -> Mesh | None:
    """The mesh mended, without a word; ``None`` if that encloses another space."""
    work = _Work(mesh, asked, silent)
    work.run()
    return None if other_space(mesh, work.oriented, work.mesh) else work.mesh


class _Work:
    """A mesh that is being mended, and what is to be said of that.

    Attributes
    ----------
    mesh, oriented : Mesh
        As it is by now, and as it was before rims were filled and crossings resolved.
    steps, notes, unmet : list
    asked_to_go : (k,) int64 array
        Ids of the elements of crumbs that were dropped, and of sheets to be cut off.
    loose : (k,) int64 array
        Ids of elements that went because they bounded nothing: fins, folds, walls of zero thickness.
    """

    def __init__(self, mesh: Mesh, asked: Settings, progress: Progress) -> None:
        self.mesh, self._asked, self._progress = mesh, asked, progress
        self.oriented = mesh
        self.steps: list[Step] = []
        self.notes: list[str] = []
        self.unmet: list[str] = []
        self.asked_to_go = np.zeros(0, np.int64)
        self.loose = np.zeros(0, np.int64)
        self._rims = Rims(asked.widest, asked.close == "small", 0.0 if asked.keep_joints else asked.gap)
        self._one_sided = 0
        self._untold: list[str] = []
        self._shared = np.zeros(0, np.int64)

    def run(self) -> None:
        """All stages."""
        asked = self._asked
        self._progress("joining nodes", 0.0)
        self._join()
        self._progress("dropping duplicates and degenerates", 0.05)
        self._drop_what_is_no_facet()
        if not asked.keep_joints:
            self._progress("sewing cracks", 0.15)
            self._sew("sew cracks")
            self._progress("resolving walls", 0.25)
            self._resolve_walls()
        self._progress("dropping crumbs", 0.35)
        self._drop_crumbs()
        self._progress("orienting", 0.4)
        self._orient("turn facets", "neighbours agree, pieces look outward", open_too=True)
        self.oriented = self.mesh
        self._progress("filling rims", 0.55)
        self._close_and_unite()
        if self.mesh is not self.oriented:  # of what was filled or cut more can be told by now
            self._orient("turn facets of open pieces", open_too=True)
        self._progress("proving", 0.85)
        self._prove()

    # ------------------------------------------------------------------ stages

    def _join(self) -> None:
        asked = self._asked
        if asked.rounds:
            given = self.mesh
            self.mesh, count, move = rounded_to(given, asked.rounds)
            if count:
                self.unmet += collapsed_pieces(given, self.mesh)
                self.steps.append(Step("round to what the file holds", count, move, "nodes, to single precision"))
        if asked.rounds or not asked.keep_joints:
            self.mesh, count = join_coincident(self.mesh, everywhere=asked.rounds is not None)
            where = "at the very same place" + ("" if asked.rounds else ", on rims")
            self.steps.append(Step("join coincident nodes", count, 0.0, where))

    def _drop_what_is_no_facet(self) -> None:
        self._drop_duplicates("drop duplicates")
        found = defects.degenerate_facets(self.mesh)
        self.mesh, count = drop_degenerates(self.mesh)
        self.steps.append(Step("take out degenerates", count, 0.0, "their neighbours are joined", _places(found)))
        if count and len(self.mesh.duplicate_triangles):
            self._drop_duplicates("drop duplicates that this made")

    def _drop_duplicates(self, name: str) -> None:
        found = defects.duplicate_facets(self.mesh)
        before = self.mesh
        self.mesh, count, walls = drop_duplicates(self.mesh, spare_shared=self._asked.overlaps == "union")
        self._note_loose(before)
        detail = "the first of each is kept" + (f", but for {walls:,} walls of zero thickness" if walls else "")
        self.steps.append(Step(name, count, 0.0, detail, _places(found)))

    def _note_loose(self, before: Mesh) -> None:
        """Remember what a step dropped that drops only what bounds nothing, or lies within the solid."""
        if before is not self.mesh:
            gone = np.setdiff1d(before.element_ids, self.mesh.element_ids)
            self.loose = np.concatenate([self.loose, gone])

    def _sew(self, name: str) -> None:
        gap = self._asked.gap
        self.mesh, report = zip_rims(self.mesh, gap)
        detail = f"{report.joined:,} nodes joined, {report.worked_in:,} worked into edges, gaps up to {gap:.3g} wide"
        self.steps.append(Step(name, report.closed, report.largest_move, detail, report.places))

    def _resolve_walls(self) -> None:
        before = self.mesh
        self.mesh, report = resolve_walls(self.mesh)
        self._note_loose(before)
        detail = f"{report.inner:,} facets of inner walls, {report.fins:,} of fins"
        self.steps.append(Step("drop walls and fins", report.inner + report.fins, 0.0, detail, report.places))
        if report.turned:
            self.steps.append(Step("turn facets of walls", report.turned))

    def _drop_crumbs(self) -> None:
        size = self._asked.crumbs
        self.mesh, found = drop_crumbs(self.mesh, size, self._asked.crumbs_were_given)
        self.notes += found.notes
        self.asked_to_go = found.ids
        detail = f"floating pieces less than {size:.4g} across"
        self.steps.append(Step("drop crumbs", found.count, 0.0, detail, found.places))

    def _orient(self, name: str, detail: str = "", open_too: bool = False) -> None:
        found = defects.misoriented(self.mesh) or defects.inward(self.mesh)
        done = orient(self.mesh, open_too=open_too and not self._asked.keep_joints)
        self.mesh, self._one_sided = done.mesh, done.one_sided
        if detail or done.turned:
            if done.inward:
                detail += f"; {done.inward:,} open piece(s) that enclose space looked inward"
            self.steps.append(Step(name, done.turned, 0.0, detail, _places(found) or done.places))
        if open_too:
            self._untold = list(done.notes)

    def _fill(self, may_cross: bool, name: str = "fill rims") -> None:
        if self._asked.one_solid:
            self.notes += self._rims.spanned(self.mesh)
        for number in range(_FILLS):  # what is filled may leave rims that are narrow enough by now
            self.mesh, step = self._rims.fill(self.mesh, may_cross, name)
            if step.count or (number == 0 and name == "fill rims"):
                self.steps.append(step)
            if not step.count:
                break
            self._round()
            self._orient("turn facets of closed pieces")

    def _round(self) -> None:
        if self._asked.rounds:
            self.mesh, _, _ = rounded_to(self.mesh, self._asked.rounds)

    def _close_and_unite(self) -> None:
        asked = self._asked
        if asked.one_solid and not self._drop_flat():
            return
        before = uncut = self.mesh
        unites = asked.overlaps == "union"
        if unites and not asked.one_solid and asked.gap > 0 and len(self.mesh.crossing_triangles):
            self._draw_back()
            before = self.mesh
        said = [(lines, len(lines)) for lines in (self.steps, self.notes, self._rims.reasons)]
        crosses = asked.overlaps != "keep" and (may_overlap(self.mesh, drop=unites) or asked.one_solid)
        self._fill(may_cross=crosses and unites)
        if crosses:
            self._progress("resolving crossings", 0.6)
            reason = self._resolve_crossings()
            if reason:  # then no fill may cross either
                for lines, length in said:
                    del lines[length:]
                self.mesh = before
                self._fill(may_cross=False)
                self.unmet.append(f"crossings were left as they are: {reason}")
                crosses = False
        if crosses and not asked.keep_joints:  # what was cut may have left cracks and small rims
            self._sew("sew cracks beside the crossings")
            self._fill(may_cross=False, name="fill rims beside the crossings")
        if not asked.keep_joints:
            spare = np.isin(self.mesh.node_ids, self._shared)
            self.mesh, count, move = part_touching(self.mesh, asked.rounds, spare)
            self.steps.append(Step("part what touches", count, move, "nodes added, where surfaces only touched"))
            if count:
                self._round()
                self._fill(may_cross=False, name="fill rims that were parted")
        if crosses and unites:  # what hung on the rest by an edge or a node is by itself now
            self.mesh, found = drop_pockets(self.mesh, uncut, asked.crumbs)
            self.notes += found.notes
            if found.count:
                self.steps.append(Step("close hollows", found.count, 0.0, found.detail, found.places))

    def _drop_flat(self) -> bool:
        """Drop pieces that enclose nothing, which can be no part of a solid; ``False`` if all are such, and stay."""
        flat = flat_pieces(self.mesh)
        piece, t = self.mesh.pieces.of_triangle, self.mesh.triangulation
        if len(flat) == self.mesh.connectivity.n_pieces:
            self.unmet.append("this is no solid: it encloses nothing, its rims being spanned")
            return False
        gone = np.unique(t.element[np.isin(piece, flat)])
        if len(gone):
            self.mesh = edited(self.mesh, drop=gone)
            self.steps.append(Step("drop flat pieces", len(flat), 0.0, "they enclose nothing, and bound no solid"))
        return True

    def _draw_back(self) -> None:
        sheets = open_elements(self.mesh, self._asked.widest)
        self.mesh, count, move, places = draw_back(self.mesh, sheets, self._asked.gap, self._asked.rounds)
        if count:
            detail = "nodes of open pieces that barely went through what they abut on"
            self.steps.append(Step("draw back", count, move, detail, places))

    def _resolve_crossings(self) -> str:
        """Resolve crossings; the reason if they could not be."""
        asked = self._asked
        if asked.trim is not None:
            sheets = self.mesh.element_ids[open_elements(self.mesh, asked.widest)]
            self.asked_to_go = np.concatenate([self.asked_to_go, sheets])
        mesh, report = resolve_overlaps(
            self.mesh, drop=asked.overlaps == "union", target=asked.rounds, widest=asked.widest, trim=asked.trim,
            one_solid=asked.one_solid,
        )  # fmt: skip
        self.steps.append(Step("resolve crossings", report.cut, report.largest_move, report.text, report.places))
        if not report.is_resolved:
            return report.reason
        before, self.mesh, self._shared = self.mesh, mesh, report.shared
        self._note_loose(before)
        if not report.is_sound:
            self.unmet.append(
                "what is solid could not be told where facets cross: all were kept, and share edges there"
            )
        first = f", first at {point_text(report.places[0])}" if report.places else ""
        if report.left:
            self.unmet.append(
                f"open sheets cross others: {report.left:,} pairs of facets{first}; a sheet has no inside, so they "
                "stay as they are (--overlaps imprint lets them share edges, --trim cuts a side off)"
            )
        elif report.sheets and asked.overlaps == "union":
            self.unmet.append(
                f"open sheets cross others: {report.sheets:,} of their facets were cut{first}; what was not cut off "
                "shares edges there"
            )
        self._orient("turn facets beside the crossings")
        return ""

    def _prove(self) -> None:
        asked = self._asked
        if self._one_sided:
            self.unmet.append(f"{self._one_sided} region(s) have one side only and cannot be oriented")
        notes, unmet = self._rims.left_open(self.mesh)
        self.notes += notes + self._untold
        self.unmet += unmet
        is_meant = asked.keep_joints
        if asked.overlaps == "imprint" and not asked.keep_joints:
            c = self.mesh.connectivity
            is_meant = bool(np.isin(self.mesh.node_ids[c.nonmanifold_nodes], self._shared).all())
            if is_meant and len(self._shared):
                self.notes.append(f"shared: {c.is_nonmanifold.sum():,} edges, where surfaces were imprinted")
        self.unmet += remaining_faults(as_held(self.mesh, asked.target), is_meant)


def _places(found: Finding | None) -> tuple[tuple[float, float, float], ...]:
    return () if found is None else tuple(place.centre for place in found.places)
