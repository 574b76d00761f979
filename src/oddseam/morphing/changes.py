"""The ways of saying a change of the design, as plain values."""

from __future__ import annotations

import dataclasses
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

from oddseam.errors import Refusal
from oddseam.inputs import Given, PointLike
from oddseam.model import Mesh


class Change(Given):
    """One change.  What its picks select are nodes of the surface, or all nodes of a region in space."""

    def as_setting(self) -> dict[str, Any]:
        """What an account says of it."""
        said = {"change": type(self).__name__.lower()}
        for one in dataclasses.fields(self):  # type: ignore[arg-type]  # every change is a dataclass
            value = getattr(self, one.name)
            if value is not None:
                said[one.name] = value.as_setting() if hasattr(value, "as_setting") else _plain(value)
        return said


def _plain(value: Any) -> Any:
    if isinstance(value, Mapping):
        return {str(key): _plain(of) for key, of in value.items()}
    return list(value) if isinstance(value, tuple) else value


def _positive(what: str, value: float) -> None:
    if not value > 0:
        raise Refusal(f"{what} {value!r} is not positive")


def _directed(what: str, axis: PointLike) -> None:
    if not any(axis):
        raise Refusal(f"{what} {axis!r} has no direction")


@dataclass(frozen=True)
class Move(Change):
    """A pick moved as it is by a vector."""

    pick: str
    by: PointLike


@dataclass(frozen=True)
class Turn(Change):
    """A pick turned as it is by an angle in degrees, about an axis through a point."""

    pick: str
    angle: float
    axis: PointLike
    about: PointLike = (0.0, 0.0, 0.0)

    def __post_init__(self) -> None:
        super().__post_init__()
        _directed("axis", self.axis)


@dataclass(frozen=True)
class Scale(Change):
    """A pick scaled about a point, by one factor or by three along x, y and z."""

    pick: str
    factor: float | PointLike
    about: PointLike

    def __post_init__(self) -> None:
        super().__post_init__()
        three = (self.factor,) * 3 if isinstance(self.factor, float) else self.factor
        _positive("factor", min(three))
        object.__setattr__(self, "factor", three)


@dataclass(frozen=True)
class Offset(Change):
    """A pick moved along its normals, out of the material where the distance is positive.

    Planes stay planes and cylinders cylinders, and the surfaces beside them are kept to.
    """

    pick: str
    distance: float


@dataclass(frozen=True)
class Bore(Change):
    """The cylinder nearest to a point, given another diameter, another centre or another direction.

    A bore, a pin or a pipe: all patches on the cylinder go along, and rims stay in the faces that they lie in.  Where
    the surface there is no cylinder, it is the round opening of a shell that is meant, whose rim stays on the shell.  A
    panel that does not go all round keeps its ``outline`` if asked: its outermost nodes stay, and seen along the middle
    of the panel so does every other one.
    """

    near: PointLike
    diameter: float | None = None
    centre: PointLike | None = None
    axis: PointLike | None = None
    outline: bool = False

    def __post_init__(self) -> None:
        super().__post_init__()
        if self.diameter is None and self.centre is None and self.axis is None:
            raise Refusal("say what a bore is to get: a diameter, a centre or an axis")
        if self.outline and (self.diameter is None or self.centre is not None or self.axis is not None):
            raise Refusal("a panel that keeps its outline gets a diameter, and nothing else")
        if self.diameter is not None:
            _positive("diameter", self.diameter)
        if self.axis is not None:
            _directed("axis", self.axis)


@dataclass(frozen=True)
class Wall(Change):
    """The wall behind a pick made so thick; the pick moves, the other side stays."""

    pick: str
    thickness: float

    def __post_init__(self) -> None:
        super().__post_init__()
        _positive("thickness", self.thickness)


@dataclass(frozen=True)
class Targets(Change):
    """Where nodes are to go: places by id."""

    places: Mapping[int, PointLike]

    def __post_init__(self) -> None:
        super().__post_init__()
        if not self.places:
            raise Refusal("no node is given a target")


@dataclass(frozen=True)
class Lattice(Change):
    """A box of control points pushed about; what is inside follows smoothly, what is outside stays.

    ``low`` and ``high`` are corners of the box, ``counts`` how many control points there are each way, and ``pushes``
    says by how much those of some places in the lattice, counted from 0, are pushed.  ``pick`` limits what follows.
    """

    low: PointLike
    high: PointLike
    pushes: Mapping[tuple[int, int, int], PointLike]
    counts: tuple[int, int, int] = (4, 4, 4)
    pick: str | None = field(default=None)

    def __post_init__(self) -> None:
        super().__post_init__()
        if not all(a < b for a, b in zip(self.low, self.high, strict=True)):
            raise Refusal(f"the lattice from {self.low} to {self.high} has no room")
        if min(self.counts) < 2:
            raise Refusal(f"counts {self.counts}: two control points each way are the least")
        for at in self.pushes:
            if any(not 0 <= k < n for k, n in zip(at, self.counts, strict=True)):
                last = tuple(n - 1 for n in self.counts)
                raise Refusal(f"there is no control point {at}; they count from 0 to {last}")
        if not self.pushes:
            raise Refusal("no control point is pushed")


@dataclass(frozen=True)
class Shape(Change):
    """A faceted surface of the changed part: every patch goes to the one that it has become.

    ``pick`` limits what follows to the patches that are picked; their borders with others stay.  Nodes go
    onto its facets, or with the ``surface`` ``"recognised"`` onto the cylinders and so on that are recognised in these.
    """

    mesh: Mesh
    pick: str | None = None
    surface: Literal["facets", "recognised"] = "facets"
