"""Element quality: distribution, limits, and the worst few of every measure."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np

from oddseam.arrays import Array, rows_in
from oddseam.findings.classes.finding import Finding, Place, gathered
from oddseam.findings.judged.limits import Limits
from oddseam.geometry.shapes.quality import MORE_IS_WORSE, curved_quality, quality, sign_of
from oddseam.geometry.shapes.solid_quality import solid_quality
from oddseam.geometry.threads import in_runs
from oddseam.model import KINDS, ElementKind, Mesh

#: So many of the worst elements are named.
WORST = 5


@dataclass(frozen=True)
class QualityRow:
    """One measure over all elements of one kind.

    ``worst_ids`` are the ids of the worst elements, the worst first; ``beyond`` counts the
    elements beyond the limit.
    """

    kind: str
    measure: str
    count: int
    minimum: float
    p05: float
    median: float
    p95: float
    maximum: float
    limit: float
    beyond: int
    worst_ids: tuple[int, ...]
    worst_values: tuple[float, ...]

    def to_dict(self) -> dict[str, Any]:
        """Plain values; an infinite one becomes ``None``."""
        plain = asdict(self)
        plain["worst_values"] = [_finite(v) for v in self.worst_values]
        return {k: _finite(v) if isinstance(v, float) else v for k, v in plain.items()}


def _finite(value: float) -> float | None:
    return value if np.isfinite(value) else None


def element_quality(mesh: Mesh, least: int = 2) -> dict[str, tuple[Array, dict[str, Array]]]:
    """For each kind of shells and solids: element indices, and the measures of each element, midside nodes included.

    Kinds of fewer dimensions than ``least`` are left out.
    """
    found = {}
    for name, block, span in mesh.blocks():
        kind = KINDS[name]
        if kind.dimension >= least:
            measured = _measure_of(kind)
            names = list(measured(mesh.nodes[block.connectivity[:1]]))
            table = in_runs(_as_columns(measured), mesh.nodes, block.connectivity)
            measures = dict(zip(names, np.ascontiguousarray(table.T), strict=True))
            found[name] = (np.arange(span.start, span.stop), measures)
    return found


def _measure_of(kind: ElementKind) -> Callable[[Array], dict[str, Array]]:
    """What measures elements of a kind, from their nodes (m, k, 3)."""
    if kind.dimension == 3:
        return lambda nodes: solid_quality(kind.name, nodes, kind.edges)
    return quality if not kind.is_quadratic else lambda nodes: curved_quality(kind.name, nodes, kind.edges)


def _as_columns(measured: Callable[[Array], dict[str, Array]]) -> Callable[[Array], Array]:
    return lambda corners: np.column_stack(list(measured(corners).values()))


def inverted_indices(mesh: Mesh) -> Array:
    """Solids that are inside out, or flat, at a corner or where a solver integrates."""
    found = [index[measures["scaled_jacobian"] <= 0] for index, measures in element_quality(mesh, least=3).values()]
    return np.concatenate([np.zeros(0, np.int64), *found])


def inverted_elements(mesh: Mesh) -> Finding | None:
    """Solids that are inside out, or flat, at a corner or where a solver integrates."""
    bad = inverted_indices(mesh)
    if not len(bad):
        return None
    places, n = _places_of_elements(mesh, bad)
    return Finding("inverted elements", "fault", len(bad), "elements (element ids)",
                   "solids that are inside out or flat, at a corner or where a solver integrates",
                   "A solver stops at these.", places, n)  # fmt: skip


def _places_of_elements(mesh: Mesh, index: Array) -> tuple[tuple[Place, ...], int]:
    """Places of elements that touch one another."""
    members: list[Array] = []
    for _, block, span in mesh.blocks():
        mine = rows_in(span, index)
        corners = block.connectivity[mine][:, [0, 1, 2, -1]] if block.connectivity.shape[1] > 2 else None
        if corners is not None:
            members.append(corners)
    return gathered(mesh.nodes, np.concatenate(members), mesh.element_ids[np.sort(index)])


def beyond_limit(measure: str, values: Array, limit: float) -> Array:
    """(m,) bool: which values are worse than the limit."""
    worse: Array = values > limit if measure in MORE_IS_WORSE else values < limit
    return worse


def quality_rows(mesh: Mesh, limits: Limits) -> tuple[list[QualityRow], Finding | None]:
    """The table, and a finding for the elements that are beyond any limit."""
    rows, bad, total = [], [], 0
    for kind, (index, measures) in element_quality(mesh).items():
        worse = np.zeros(len(index), bool)
        for measure, values in measures.items():
            limit = float(getattr(limits, measure))
            over = beyond_limit(measure, values, limit)
            worse |= over
            sign = sign_of(measure)
            few = np.argpartition(sign * values, min(WORST, len(values) - 1))[:WORST]
            few = few[np.argsort(sign * values[few], kind="stable")]
            ranked = np.sort(values)
            at = [float(ranked[round(q * (len(ranked) - 1))]) for q in (0.0, 0.05, 0.5, 0.95, 1.0)]
            rows.append(
                QualityRow(
                    kind=kind,
                    measure=measure,
                    count=len(values),
                    minimum=at[0],
                    p05=at[1],
                    median=at[2],
                    p95=at[3],
                    maximum=at[4],
                    limit=limit,
                    beyond=int(over.sum()),
                    worst_ids=tuple(mesh.element_ids[index[few]].tolist()),
                    worst_values=tuple(values[few].tolist()),
                )
            )
        bad.append(index[worse])
        total += len(index)
    poor = np.concatenate(bad) if bad else np.zeros(0, np.int64)
    if not len(poor):
        return rows, None
    places, n = _places_of_elements(mesh, poor)
    share = len(poor) / total
    of_solids = all(KINDS[kind].dimension == 3 for kind in mesh.elements if KINDS[kind].dimension > 1)
    advice = "`oddseam remesh` makes even elements."
    if of_solids:
        advice = "Solids are not meshed anew here: mesh the part again where it is poor, or move nodes."
    return rows, Finding(
        "poor elements", "warning", len(poor), "elements (element ids)",
        f"{share:.1%} of the elements are beyond a quality limit", advice, places, n,
    )  # fmt: skip
