"""The stages of a mend, in their order, and the mesh that goes through them.

The order matters: rounding and joining first, so that all that follows sees the nodes that the
file will hold; duplicates and degenerates next, so that edges have as many facets as they seem
to; cracks before walls, so that a tear does not join inside and outside; orientation before
filling, so that a rim knows its side; crumbs before both, so that they are not filled; crossings when
pieces are closed and know their outside, and cracks once more beside these; what is open and the proof
last, on the coordinates that the file will hold.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np

from oddseam.accounts import Step
from oddseam.arrays import point_text
from oddseam.findings.classes import defects
from oddseam.findings.classes.finding import Finding
from oddseam.formats import as_held
from oddseam.mending.checks import collapsed_pieces, remaining_faults
from oddseam.mending.contacts.crumbs import drop_crumbs, drop_pockets
from oddseam.mending.contacts.overlaps import may_overlap, resolve_overlaps
from oddseam.mending.contacts.retreat import draw_back
from oddseam.mending.contacts.touching import part_touching
from oddseam.mending.contacts.walls import resolve_walls
from oddseam.mending.holes.caps import open_elements
from oddseam.mending.holes.rims import Rims
from oddseam.mending.settings import Settings
from oddseam.mending.sewing.degenerates import drop_degenerates
from oddseam.mending.sewing.duplicates import drop_duplicates
from oddseam.mending.sewing.joining import join_coincident, rounded_to
from oddseam.mending.sewing.orientation import orient
from oddseam.mending.sewing.zipping import zip_rims
from oddseam.model import Mesh
from oddseam.model.editing import edited
from oddseam.model.enclosure import flat_pieces
from oddseam.progress import Progress

#: Rims are filled in so many passes at most.
_FILLS = 3


class Work:
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
        for stage in STAGES:
            if not (stage.parts and self._asked.keep_joints):
                self._progress(stage.what, stage.share)
                stage.do(self)

    def join(self) -> None:
        """Round to what the file holds, and join nodes at the very same place."""
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

    def drop_what_is_no_facet(self) -> None:
        """Drop duplicate and degenerate facets."""
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
        detail = "the first of each is kept" + (f", except for {walls:,} walls of zero thickness" if walls else "")
        self.steps.append(Step(name, count, 0.0, detail, _places(found)))

    def _note_loose(self, before: Mesh) -> None:
        """Remember what a step dropped that drops only what bounds nothing, or lies within the solid."""
        if before is not self.mesh:
            gone = np.setdiff1d(before.element_ids, self.mesh.element_ids)
            self.loose = np.concatenate([self.loose, gone])

    def sew(self, name: str = "sew cracks") -> None:
        """Sew cracks together."""
        gap = self._asked.gap
        self.mesh, report = zip_rims(self.mesh, gap)
        detail = f"{report.joined:,} nodes joined, {report.worked_in:,} worked into edges, gaps up to {gap:.3g} wide"
        self.steps.append(Step(name, report.closed, report.largest_move, detail, report.places))

    def resolve_walls(self) -> None:
        """Drop inner walls and fins."""
        before = self.mesh
        self.mesh, report = resolve_walls(self.mesh)
        self._note_loose(before)
        detail = f"{report.inner:,} facets of inner walls, {report.fins:,} of fins"
        self.steps.append(Step("drop walls and fins", report.inner + report.fins, 0.0, detail, report.places))
        if report.turned:
            self.steps.append(Step("turn facets of walls", report.turned))

    def drop_crumbs(self) -> None:
        """Drop floating pieces next to nothing."""
        size = self._asked.crumbs
        self.mesh, found = drop_crumbs(self.mesh, size, self._asked.crumbs_were_given)
        self.notes += found.notes
        self.asked_to_go = found.ids
        detail = f"floating pieces less than {size:.4g} across"
        self.steps.append(Step("drop crumbs", found.count, 0.0, detail, found.places))

    def turn(self) -> None:
        """Make neighbours agree, and what encloses space look outward; what comes then is held against this."""
        self._orient("turn facets", "neighbours agree, pieces look outward", open_too=True)
        self.oriented = self.mesh

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

    def close(self) -> None:
        """Fill rims and resolve crossings; of what was filled or cut more can be told by then."""
        self._close_and_unite()
        if self.mesh is not self.oriented:
            self._orient("turn facets of open pieces", open_too=True)

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
            self.sew("sew cracks beside the crossings")
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
            self.unmet.append("this is not a solid: with its rims spanned it encloses nothing")
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
                "it could not be told what is solid where facets cross: all were kept, and share edges there"
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

    def prove(self) -> None:
        """Say what is left."""
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


class Stage(NamedTuple):
    """One stage.

    Attributes
    ----------
    what : str
    share : float
        Of the work, what is done before it.
    do : callable
    parts : bool
        Whether it takes joints apart, and is left out where these are meant.
    """

    what: str
    share: float
    do: Callable[[Work], None]
    parts: bool = False


STAGES = (
    Stage("joining nodes", 0.0, Work.join),
    Stage("dropping duplicates and degenerates", 0.05, Work.drop_what_is_no_facet),
    Stage("sewing cracks", 0.15, Work.sew, parts=True),
    Stage("resolving walls", 0.25, Work.resolve_walls, parts=True),
    Stage("dropping crumbs", 0.35, Work.drop_crumbs),
    Stage("orienting", 0.4, Work.turn),
    Stage("filling rims", 0.55, Work.close),
    Stage("proving", 0.85, Work.prove),
)
