"""Elements that have come to be beyond a limit, or lie farther beyond it than they did."""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array
from oddseam.findings.judged.limits import Limits
from oddseam.findings.judged.qualities import beyond_limit, element_quality
from oddseam.geometry.shapes.quality import sign_of
from oddseam.model import Mesh

#: A value may be worse by this share.
AS_MUCH = 0.01
#: By measure, values of elements by their id.
ById = dict[str, dict[int, float]]


def is_worse(measure: str, now: Array, was: Array) -> Array:
    """(k,) bool: values that are worse than others by more than a trifle."""
    sign = sign_of(measure)
    return np.asarray(sign * now < sign * was - AS_MUCH * np.abs(was))


def beyond_by_id(mesh: Mesh, limits: Limits) -> ById:
    """Elements beyond a limit."""
    found: ById = {}
    for index, measures in element_quality(mesh).values():
        for measure, values in measures.items():
            bad = np.flatnonzero(beyond_limit(measure, values, float(getattr(limits, measure))))
            ids = mesh.element_ids[index[bad]].tolist()
            found.setdefault(measure, {}).update(zip(ids, values[bad].tolist(), strict=True))
    return found


def worsened_by_id(was: ById, now: ById) -> dict[str, list[tuple[int, float]]]:
    """Of elements beyond a limit those that were not, or are worse than they were; the worst first."""
    found = {}
    for measure, its in now.items():
        old = was.get(measure, {})
        fresh = [
            (number, value)
            for number, value in its.items()
            if number not in old or is_worse(measure, np.array([value]), np.array([old[number]]))[0]
        ]
        if fresh:
            found[measure] = sorted(fresh, key=lambda one: (sign_of(measure) * one[1], one[0]))
    return found
