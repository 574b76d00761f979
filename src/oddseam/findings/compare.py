"""What differs between two meshes: by distance, size and quality, and by ids."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any

from oddseam.errors import Refusal
from oddseam.findings.classes.distances import Off, off_between, surface_of
from oddseam.findings.judged.compare_ids import Touched, compare_ids
from oddseam.findings.judged.quality_pairs import QualityPair, quality_pairs
from oddseam.geometry.triangles import areas
from oddseam.inputs import checked
from oddseam.model import Mesh
from oddseam.model.prove import prove
from oddseam.progress import Progress, silent


@dataclass(frozen=True)
class Comparison:
    """Two meshes side by side.

    Attributes
    ----------
    counts : pair of dict
        Numbers of nodes and elements.
    area : pair of float
        Of the surfaces, those of solids their skins.
    volume : pair of float or None
        That they enclose, ``None`` for open ones.
    there, back : Off
        How far the first is from the second, and the second from the first.
    quality : tuple of (str, str, pair, pair)
        Kind, measure, the worst of both and the medians of both; ``None`` where there is none.
    touched : dict
        See ``compare_ids``.
    """

    counts: tuple[dict[str, int], dict[str, int]]
    area: tuple[float, float]
    volume: tuple[float | None, float | None]
    there: Off
    back: Off
    quality: tuple[QualityPair, ...]
    touched: Touched

    def to_dict(self) -> dict[str, Any]:
        """Plain values, ready for JSON."""
        return asdict(self)


@checked
def compare(before: Mesh, after: Mesh, *, progress: Progress = silent) -> Comparison:
    """Compare two meshes: distances, quality, and the ids that differ.

    For two states of one mesh the ids tell what was touched.

    Parameters
    ----------
    before, after : Mesh
    progress : callable, optional

    Returns
    -------
    Comparison

    Raises
    ------
    Refusal
        If either has neither shells nor solids, or both say what unit they are in, and it is not the same.

    Notes
    -----
    Distances are measured from all nodes and middles of facets to the nearest facet; O(n log n).

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [2, 0, 0], [0, 2, 0], [0, 0, 2]]
    >>> corner = oddseam.Mesh.from_triangles(nodes, [[0, 2, 1], [0, 1, 3], [0, 3, 2], [1, 2, 3]], unit="mm")
    >>> found = oddseam.compare(corner, oddseam.move_node(corner, 4, to=(0, 0, 3), free=True))
    >>> found.there.most < 0.5, found.back.most, [round(volume, 6) for volume in found.volume]
    (True, 1.0, [1.333333, 2.0])
    """
    if None not in (before.unit, after.unit) and before.unit != after.unit:
        raise Refusal(f"one mesh is in {before.unit}, the other in {after.unit}; `convert` takes them to one")
    one, two = surface_of(before), surface_of(after)
    progress("measuring distances", 0.1)
    return Comparison(
        (before.counts, after.counts),
        (_area(one), _area(two)),
        (_volume(one), _volume(two)),
        off_between(one, two),
        off_between(two, one),
        tuple(quality_pairs(before, after)),
        compare_ids(before, after),
    )


def _area(surface: Mesh) -> float:
    return float(areas(surface.nodes[surface.triangulation.triangles]).sum())


def _volume(surface: Mesh) -> float | None:
    proof = prove(surface)
    return proof.volume if proof.is_closed else None
