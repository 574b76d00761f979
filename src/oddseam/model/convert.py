"""A mesh in another unit of length."""

from __future__ import annotations

import dataclasses

from oddseam.accounts import Outcome, Step, recorded
from oddseam.errors import Refusal
from oddseam.model.mesh import Mesh
from oddseam.model.units import METRES, Unit
from oddseam.progress import Progress, silent


@recorded()
def convert(mesh: Mesh, *, to_unit: Unit | None = None, progress: Progress = silent) -> tuple[Mesh, Outcome]:
    """Write a mesh in another format, or in another unit.

    Without a unit the mesh stays as it is.

    Coordinates and the thickness of parts are converted; constants of materials, and lengths in
    cards that are carried only, are not, which the account says.

    Parameters
    ----------
    mesh : Mesh
        Its unit must be known, if another is asked for.
    to_unit : str, optional
        The unit that lengths are converted to.
    progress : callable, optional

    Raises
    ------
    Refusal
        If a unit is asked for, and the mesh does not say its own.

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [2, 0, 0], [0, 2, 0], [0, 0, 2]]
    >>> corner = oddseam.Mesh.from_triangles(nodes, [[0, 2, 1], [0, 1, 3], [0, 3, 2], [1, 2, 3]], unit="mm")
    >>> round(oddseam.prove(oddseam.convert(corner, to_unit="cm")).volume, 9)
    0.001333333
    """
    if to_unit is None:
        return mesh, Outcome()
    if mesh.unit is None:
        raise Refusal("the unit of the mesh is unknown; say it with --unit (in Python: read_mesh(..., unit=...))")
    if to_unit == mesh.unit:
        return mesh, Outcome((Step("change unit", 0),))
    factor = METRES[mesh.unit] / METRES[to_unit]
    parts = tuple(
        dataclasses.replace(part, thickness=None if part.thickness is None else part.thickness * factor)
        for part in mesh.parts
    )
    notes = []
    if any(part.material for part in parts):
        notes.append("constants of materials are not converted")
    if mesh.source is not None and mesh.is_deck and mesh.source.carried:
        notes.append("lengths in carried cards are not converted: " + ", ".join(mesh.source.carried))
    detail = f"from {mesh.unit} to {to_unit}, by {factor:.10g}"
    changed = mesh.replaced(nodes=mesh.nodes * factor, parts=parts, unit=to_unit)
    return changed, Outcome((Step("change unit", mesh.n_nodes, 0.0, detail),), tuple(notes))
