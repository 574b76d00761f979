"""A finding: one class of defect with its places, how bad it is, and what would help."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.triangles import boxes
from oddseam.model.connectivity import label_components

#: From what stops a solver to what is only worth knowing.
SEVERITIES = ("fault", "warning", "note")
#: So many places are kept of each finding.
MOST_PLACES = 12


@dataclass(frozen=True)
class Place:
    """Where a defect sits: its middle, its extent, how many items, and some of their ids; how long, if it is a line."""

    centre: tuple[float, float, float]
    size: float
    count: int
    ids: tuple[int, ...]
    length: float | None = None


@dataclass(frozen=True)
class Finding:
    """One class of defect.

    Attributes
    ----------
    kind : str
        Such as ``"free edges"``.
    severity : str
        One of :data:`SEVERITIES`.
    count : int
        How many of ``of`` there are.
    of : str
        What is counted, and what the ids of the places mean: ``"edges (node ids)"``.
    message, advice : str
        One sentence each.
    places : tuple of Place
        The worst first, :data:`MOST_PLACES` at most.
    n_places : int
        How many places there are in all.
    """

    kind: str
    severity: str
    count: int
    of: str
    message: str
    advice: str
    places: tuple[Place, ...] = ()
    n_places: int = 0

    def to_dict(self) -> dict[str, Any]:
        """Plain values, ready for JSON."""
        return asdict(self)


def gathered(nodes: Array, members: Array, ids: Array) -> tuple[tuple[Place, ...], int]:
    """Places of things that touch one another, largest first, and how many there are.

    Parameters
    ----------
    nodes : (n, 3) array
    members : (k, j) array
        Node indices of each thing; things that share a node make one place.
    ids : (k, ...) array
        What to call each thing.
    """
    if not len(members):
        return (), 0
    used, local = np.unique(members, return_inverse=True)
    local = local.reshape(members.shape)
    first = np.repeat(local[:, :1], members.shape[1] - 1, axis=1).ravel()
    n, label = label_components(len(used), first, local[:, 1:].ravel())
    return places_of(nodes[members], label[local[:, 0]], n, ids)


def places_of(
    points: Array, label: Array, n: int, ids: Array, length: Array | None = None
) -> tuple[tuple[Place, ...], int]:
    """Places of labelled things (k, j, 3), those with most things first, or of things with ``length`` the longest."""
    low, high = np.full((n, 3), np.inf), np.full((n, 3), -np.inf)
    lows, highs = boxes(points)
    np.minimum.at(low, label, lows)
    np.maximum.at(high, label, highs)
    count = np.bincount(label, minlength=n)
    size = np.linalg.norm(high - low, axis=1)
    total = None if length is None else np.bincount(label, length, n)
    best = np.lexsort((-size, -count) if total is None else (-count, -total))[:MOST_PLACES]
    by_label = np.argsort(label, kind="stable")
    start = np.searchsorted(label[by_label], np.arange(n))
    return tuple(
        Place(
            point_of((low[i] + high[i]) / 2),
            float(size[i]),
            int(count[i]),
            tuple(int(x) for x in np.ravel(ids[by_label[start[i] : start[i] + min(count[i], 4)]])),
            None if total is None else float(total[i]),
        )
        for i in best.tolist()
    ), n


def point_of(xyz: Array) -> tuple[float, float, float]:
    """A point as plain numbers."""
    x, y, z = xyz.tolist()
    return x, y, z
