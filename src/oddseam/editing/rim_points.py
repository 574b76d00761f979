"""The points of a rim."""

from __future__ import annotations

from oddseam.editing.list_openings import nearest_rim
from oddseam.findings.classes.finding import point_of
from oddseam.inputs import PointLike, checked
from oddseam.model import Mesh


@checked
def rim_points(mesh: Mesh, *, near: PointLike) -> list[tuple[float, float, float]]:
    """Points of the closed rim nearest to a point, in order.

    Raises
    ------
    Refusal
        If the mesh has no closed rim.

    Examples
    --------
    >>> import oddseam
    >>> tent = oddseam.Mesh.from_triangles([[0, 0, 0], [3, 0, 0], [0, 4, 0]], [[0, 1, 2]], unit="mm")
    >>> oddseam.rim_points(tent, near=(3, 0, 0))
    [(0.0, 0.0, 0.0), (3.0, 0.0, 0.0), (0.0, 4.0, 0.0)]
    """
    return [point_of(point) for point in mesh.nodes[nearest_rim(mesh, near).nodes]]
