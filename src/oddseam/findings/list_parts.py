"""The parts of a mesh, listed."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oddseam.findings.classes.finding import point_of
from oddseam.geometry.triangles import areas
from oddseam.inputs import checked
from oddseam.listing import Listing, column
from oddseam.model import Mesh
from oddseam.model.rings import corner_means


@dataclass(frozen=True)
class DescribedPart:
    """A part with what it holds.

    Attributes
    ----------
    name : str
    id : int
    elements : str
        How many of each kind.
    area : float
        Of its shells.
    thickness : float or None
    material : int or None
        Its id.
    boundary : str or None
    place : (x, y, z) or None
        The middle of the box of the middles of its elements.
    """

    name: str
    id: int
    elements: str
    area: float = column(".5g")
    thickness: float | None = column(".5g")
    material: int | None = column()
    boundary: str | None = column()
    place: tuple[float, float, float] | None = column(heading="middle")


@checked
def list_parts(mesh: Mesh) -> Listing[DescribedPart]:
    """List the parts with their elements, area, thickness and boundary.

    Parameters
    ----------
    mesh : Mesh

    Returns
    -------
    Listing of DescribedPart

    Notes
    -----
    Linear in the size of the mesh, for each part.

    Examples
    --------
    >>> import oddseam
    >>> tent = oddseam.Mesh.from_triangles([[0, 0, 0], [3, 0, 0], [0, 4, 0]], [[0, 1, 2]], unit="mm")
    >>> [(row.name, row.elements, row.area) for row in oddseam.list_parts(tent)]
    [('surface', '1 tri', 6.0)]
    """
    t, middles = mesh.triangulation, corner_means(mesh)
    area = np.bincount(mesh.element_part[t.element], areas(mesh.nodes[t.triangles]), len(mesh.parts))
    rows = []
    for k, part in enumerate(mesh.parts):
        counts = {name: int((block.part == k).sum()) for name, block in mesh.elements.items()}
        its = middles[mesh.element_part == k]
        rows.append(
            DescribedPart(
                part.name, part.id, ", ".join(f"{count:,} {name}" for name, count in counts.items() if count),
                float(area[k]), part.thickness, None if part.material is None else part.material.id, part.boundary,
                point_of((its.min(axis=0) + its.max(axis=0)) / 2) if len(its) else None,
            )
        )  # fmt: skip
    return Listing(tuple(rows), DescribedPart, f"{len(rows):,} part(s), lengths in {mesh.unit_name}", mesh.diagonal)
