"""Giving parts the data that a solver wants."""

from __future__ import annotations

import dataclasses

from oddseam.accounts import Outcome, Step, recorded
from oddseam.errors import Refusal
from oddseam.model.fresh_ids import highest_number
from oddseam.model.mesh import Mesh
from oddseam.model.parts import Material


@recorded()
def assign_property(
    mesh: Mesh,
    *,
    thickness: float | None = None,
    young: float | None = None,
    poisson: float | None = None,
    density: float | None = None,
    parts: tuple[str, ...] | None = None,
) -> tuple[Mesh, Outcome]:
    """Give parts a shell thickness and a linear, isotropic material.

    Parameters
    ----------
    mesh : Mesh
    thickness : float, optional
        In the unit of the mesh; ``None`` leaves it.
    young, poisson, density : float, optional
        Constants of the material, in units that go with that of length: both Young's modulus
        and Poisson's ratio, or neither, which leaves the material.  A density that is not given stays.
    parts : tuple of str, optional
        Names; all by default.

    Raises
    ------
    Refusal
        For a name that is not there, or a constant out of its range.

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [2, 0, 0], [0, 2, 0], [0, 0, 2]]
    >>> corner = oddseam.Mesh.from_triangles(nodes, [[0, 2, 1], [0, 1, 3], [0, 3, 2], [1, 2, 3]], unit="mm")
    >>> shell = oddseam.assign_property(corner, thickness=1.5, young=210_000.0, poisson=0.3)
    >>> shell.parts[0].thickness, shell.parts[0].material.young
    (1.5, 210000.0)
    """
    for name, value in (("thickness", thickness), ("young", young), ("density", density)):
        if value is not None and not 0 < value < float("inf"):
            raise Refusal(f"{name} {value} is not positive")
    if poisson is not None and not -1 < poisson < 0.5:
        raise Refusal(f"Poisson's ratio {poisson} is not between -1 and 0.5")
    if (young is None) != (poisson is None) or (density is not None and young is None):
        raise Refusal("a material needs Young's modulus and Poisson's ratio")
    wanted = {part.name for part in mesh.parts} if parts is None else set(parts)
    missing = wanted - {part.name for part in mesh.parts}
    if missing:
        raise Refusal(f"there is no part {sorted(missing)[0]!r}; parts are {', '.join(p.name for p in mesh.parts)}")
    number = highest_number(mesh, "material")
    made: dict[float | None, Material] = {}
    changed = []
    for part in mesh.parts:
        if part.name not in wanted:
            changed.append(part)
            continue
        material = part.material
        if young is not None:
            own = density if density is not None or material is None else material.density
            material = made.setdefault(own, Material(number + 1 + len(made), young, poisson, own))
        changed.append(dataclasses.replace(part, thickness=thickness or part.thickness, material=material))
    return mesh.replaced(parts=tuple(changed)), Outcome((Step("assign property", len(wanted)),))
