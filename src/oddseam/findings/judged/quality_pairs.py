"""Quality of two meshes side by side."""

from __future__ import annotations

import numpy as np

from oddseam.findings.judged.qualities import element_quality
from oddseam.geometry.shapes.quality import MORE_IS_WORSE
from oddseam.model import Mesh

#: Kind, measure, the worst of both, and the medians of both.
QualityPair = tuple[str, str, tuple[float | None, ...], tuple[float | None, ...]]


def quality_pairs(before: Mesh, after: Mesh) -> list[QualityPair]:
    """Worst and median of every measure of both, by kind."""
    both = [element_quality(mesh) for mesh in (before, after)]
    rows: list[QualityPair] = []
    for kind in dict.fromkeys([*both[0], *both[1]]):
        names = next(found[kind][1] for found in both if kind in found)
        for measure in names:
            values = [found[kind][1][measure] if kind in found else np.zeros(0) for found in both]
            worst = np.max if measure in MORE_IS_WORSE else np.min
            worsts = tuple(float(worst(its)) if len(its) else None for its in values)
            medians = tuple(float(np.median(its)) if len(its) else None for its in values)
            rows.append((kind, measure, worsts, medians))
    return rows
