"""The survey: look for defects, judge quality, say where and what would help."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np

from oddseam.findings.classes import defects
from oddseam.findings.classes.contacts import contact_findings
from oddseam.findings.classes.finding import SEVERITIES, Finding
from oddseam.findings.classes.gaps import gap_findings, holes
from oddseam.findings.classes.meant import meant_joints
from oddseam.findings.judged.limits import LimitsLike, limits_with
from oddseam.findings.judged.qualities import QualityRow, inverted_elements, quality_rows
from oddseam.findings.measure import thin_places
from oddseam.geometry.threads import in_runs
from oddseam.geometry.triangles import areas
from oddseam.inputs import checked
from oddseam.markup import html_table
from oddseam.model import Mesh
from oddseam.model.prove import Proof, prove
from oddseam.progress import Progress, silent

if TYPE_CHECKING:
    import pandas as pd


@dataclass(frozen=True)
class Survey:
    """What a survey found.

    Attributes
    ----------
    findings : tuple of Finding
        The most severe first.
    quality : tuple of QualityRow
    proof : Proof
    summary : dict
        Counts, unit, box and area.
    """

    findings: tuple[Finding, ...]
    quality: tuple[QualityRow, ...]
    proof: Proof
    summary: dict[str, Any]

    @property
    def n_faults(self) -> int:
        """Number of findings that would stop a solver."""
        return sum(finding.severity == "fault" for finding in self.findings)

    def finding(self, kind: str) -> Finding | None:
        """The finding of that kind, if there is one."""
        return next((finding for finding in self.findings if finding.kind == kind), None)

    def to_dict(self) -> dict[str, Any]:
        """Plain values, ready for JSON."""
        return {
            "summary": self.summary,
            "findings": [finding.to_dict() for finding in self.findings],
            "quality": [row.to_dict() for row in self.quality],
            "proof": {
                **vars(self.proof),
                "closed": self.proof.is_closed,
                "manifold": self.proof.is_manifold,
                "oriented": self.proof.is_oriented,
            },
        }

    def _repr_html_(self) -> str:
        rows = [
            (f.kind, f.severity, f"{f.count:,}", f"{f.n_places:,}", f"{f.message}. {f.advice}") for f in self.findings
        ]
        measures = [
            (f"{r.kind} {r.measure.replace('_', ' ')}", f"{r.minimum:.3g}", f"{r.median:.3g}", f"{r.maximum:.3g}",
             f"{r.beyond:,} beyond {r.limit:g}")
            for r in self.quality
        ]  # fmt: skip
        state = f"{self.n_faults} kind(s) of fault" if self.n_faults else "no fault found"
        return html_table(state, ("finding", "severity", "count", "places", "what"), rows) + html_table(
            "quality", ("measure", "min", "median", "max", ""), measures
        )

    def findings_frame(self) -> pd.DataFrame:
        """The findings as a table, one row each."""
        import pandas as pd

        columns = ["kind", "severity", "count", "of", "n_places", "message", "advice"]
        return pd.DataFrame([{c: getattr(f, c) for c in columns} for f in self.findings], columns=columns)

    def places_frame(self) -> pd.DataFrame:
        """Every place kept, one row each."""
        import pandas as pd

        rows = [
            {"kind": f.kind, "x": p.centre[0], "y": p.centre[1], "z": p.centre[2], "size": p.size,
             "count": p.count, "ids": p.ids}
            for f in self.findings for p in f.places
        ]  # fmt: skip
        return pd.DataFrame(rows, columns=["kind", "x", "y", "z", "size", "count", "ids"])

    def quality_frame(self) -> pd.DataFrame:
        """The quality table, one row for each measure of each kind."""
        import pandas as pd

        return pd.DataFrame([vars(row) for row in self.quality])


@checked
def survey(mesh: Mesh, *, limits: LimitsLike | None = None, thin: bool = True, progress: Progress = silent) -> Survey:
    """Look for defects, and judge the quality of elements.

    Parameters
    ----------
    mesh : Mesh
    limits : Limits or mapping of str to float, optional
        What counts as poor, small or a crumb, other than usually.
    thin : bool
        Whether to measure the thinnest wall and the smallest gap, about half of the work.
    progress : callable, optional

    Returns
    -------
    Survey

    Notes
    -----
    O(n log n) in the number of facets.

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [2, 0, 0], [0, 2, 0], [0, 0, 2]]
    >>> tent = oddseam.Mesh.from_triangles(nodes, [[0, 1, 3], [0, 3, 2], [1, 2, 3]], unit="mm")
    >>> found = oddseam.survey(tent)
    >>> found.finding("free edges").count, found.proof.is_closed
    (3, False)
    """
    limits = limits_with(limits)
    found: list[Finding | None] = []
    if len(mesh.faces):
        progress("joining edges", 0.0)
        found.append(defects.free_edges(mesh, limits))
        found += gap_findings(mesh)
        found.append(holes(mesh))
        found.append(defects.misoriented(mesh))
        found.append(defects.inward(mesh))
        progress("comparing facets", 0.25)
        found.append(defects.duplicate_facets(mesh))
        found.append(defects.degenerate_facets(mesh))
        found.append(defects.coincident_nodes(mesh))
        progress("walking round nodes", 0.5)
        joints = meant_joints(mesh)
        found.append(defects.nonmanifold_edges(mesh, but=joints))
        found.append(defects.nonmanifold_nodes(mesh, but=joints))
        found.append(defects.joints(mesh, joints))
        found.append(defects.crumbs(mesh, limits))
        progress("looking for crossings", 0.6)
        _ = mesh.near_triangles  # one search for crossings and contacts
        found.append(defects.crossing_facets(mesh))
        progress("looking for contacts", 0.65)
        found += contact_findings(mesh)
        if thin:
            progress("measuring walls and gaps", 0.7)
            found += thin_places(mesh)
    progress("measuring quality", 0.8)
    rows, poor = quality_rows(mesh, limits)
    found += [defects.slivers(mesh), inverted_elements(mesh), poor, _not_interpreted(mesh)]
    findings = sorted((f for f in found if f is not None), key=lambda f: SEVERITIES.index(f.severity))
    progress("proving", 0.9)
    proof = prove(mesh)
    progress("done", 1.0)
    return Survey(tuple(findings), tuple(rows), proof, _summary(mesh, proof))


def _not_interpreted(mesh: Mesh) -> Finding | None:
    carried = dict(mesh.source.carried) if mesh.source is not None else {}
    if not carried:
        return None
    what = ", ".join(f"{name} ({count:,})" for name, count in carried.items())
    return Finding("carried, not interpreted", "note", sum(carried.values()), "items",
                   what, "They are written back as they stood where the format can hold them.")  # fmt: skip


def _summary(mesh: Mesh, proof: Proof) -> dict[str, Any]:
    area = in_runs(areas, mesh.nodes, mesh.triangulation.triangles)
    length = in_runs(lambda ends: np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1), mesh.nodes, mesh.connectivity.edges)
    return {
        "counts": mesh.counts,
        "parts": [part.name for part in mesh.parts],
        "unit": mesh.unit,
        "box": [mesh.box[0].tolist(), mesh.box[1].tolist()],
        "diagonal": mesh.diagonal,
        "pieces": mesh.connectivity.n_pieces,
        "area": float(area.sum()),
        "volume": proof.volume,
        "edge_length": None
        if not len(length)
        else [float(length.min()), float(np.median(length)), float(length.max())],
    }
