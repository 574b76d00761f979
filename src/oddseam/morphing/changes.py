"""The ways of saying a change of the design, as plain values."""

from __future__ import annotations

import dataclasses
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from oddseam.errors import Refusal
from oddseam.model import Mesh

Point = tuple[float, float, float]


class Change:
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


def _numbers(what: str, values: Any, count: int) -> tuple[float, ...]:
    try:
        found = tuple(float(value) for value in values)
    except (TypeError, ValueError):
        raise Refusal(f"{what} {values!r}: {count} numbers are wanted") from None
    if len(found) != count or not np.isfinite(found).all():
        raise Refusal(f"{what} {values!r}: {count} numbers are wanted")
    return found


def _number(what: str, value: Any, *, positive: bool = False) -> float:
    found = _numbers(what, (value,), 1)[0]
    if positive and not found > 0:
        raise Refusal(f"{what} {value!r} is not more than nothing")
    return found


def _axis(what: str, values: Any) -> tuple[float, ...]:
    found = _numbers(what, values, 3)
    if not any(found):
        raise Refusal(f"{what} {values!r} has no direction")
    return found


@dataclass(frozen=True)
class Move(Change):
    """A pick moved as it is by a vector."""

    pick: str
    by: Point

    def __post_init__(self) -> None:
        object.__setattr__(self, "by", _numbers("by", self.by, 3))


@dataclass(frozen=True)
class Turn(Change):
    """A pick turned as it is by an angle in degrees, about an axis through a point."""

    pick: str
    angle: float
    axis: Point
    about: Point = (0.0, 0.0, 0.0)

    def __post_init__(self) -> None:
        object.__setattr__(self, "angle", _number("angle", self.angle))
        object.__setattr__(self, "axis", _axis("axis", self.axis))
        object.__setattr__(self, "about", _numbers("about", self.about, 3))


@dataclass(frozen=True)
class Scale(Change):
    """A pick scaled about a point, by one factor or by three along x, y and z."""

    pick: str
    factor: float | Point
    about: Point

    def __post_init__(self) -> None:
        three = (self.factor,) * 3 if isinstance(self.factor, int | float) else self.factor
        found = _numbers("factor", three, 3)
        if min(found) <= 0:
            raise Refusal(f"factor {self.factor!r} is not more than nothing")
        object.__setattr__(self, "factor", found)
        object.__setattr__(self, "about", _numbers("about", self.about, 3))


@dataclass(frozen=True)
class Offset(Change):
    """A pick moved along its normals, out of the material where the distance is positive.

    Planes stay planes and cylinders cylinders, and the surfaces beside them are kept to.
    """

    pick: str
    distance: float

    def __post_init__(self) -> None:
        object.__setattr__(self, "distance", _number("distance", self.distance))


@dataclass(frozen=True)
class Bore(Change):
    """The cylinder nearest to a point, given another diameter, another centre or another direction.

    A bore, a pin or a pipe: all patches on the cylinder go along, and rims stay in the faces that they lie in.  Where
    the surface there is no cylinder, it is the round opening of a shell that is meant, whose rim stays on the shell.  A
    panel that does not go all round keeps its ``outline`` if asked: its outermost nodes stay, and seen along the middle
    of the panel so does every other one.
    """

    near: Point
    diameter: float | None = None
    centre: Point | None = None
    axis: Point | None = None
    outline: bool = False

    def __post_init__(self) -> None:
        object.__setattr__(self, "near", _numbers("near", self.near, 3))
        if self.diameter is None and self.centre is None and self.axis is None:
            raise Refusal("say what a bore is to get: a diameter, a centre or an axis")
        if self.outline and (self.diameter is None or self.centre is not None or self.axis is not None):
            raise Refusal("a panel that keeps its outline gets a diameter, and nothing else")
        if self.diameter is not None:
            object.__setattr__(self, "diameter", _number("diameter", self.diameter, positive=True))
        if self.centre is not None:
            object.__setattr__(self, "centre", _numbers("centre", self.centre, 3))
        if self.axis is not None:
            object.__setattr__(self, "axis", _axis("axis", self.axis))


@dataclass(frozen=True)
class Thickness(Change):
    """The wall behind a pick made so thick; the pick moves, the other side stays."""

    pick: str
    value: float

    def __post_init__(self) -> None:
        object.__setattr__(self, "value", _number("thickness", self.value, positive=True))


@dataclass(frozen=True)
class Targets(Change):
    """Where nodes are to go: places by id."""

    places: Mapping[int, Point]

    def __post_init__(self) -> None:
        if not self.places:
            raise Refusal("no node is given a target")
        held = {int(node): _numbers(f"target of node {node}", xyz, 3) for node, xyz in self.places.items()}
        object.__setattr__(self, "places", held)


@dataclass(frozen=True)
class Lattice(Change):
    """A box of control points pushed about; what is inside follows smoothly, what is outside stays.

    ``low`` and ``high`` are corners of the box, ``counts`` how many control points there are each way, and ``pushes``
    says by how much those of some places in the lattice, counted from 0, are pushed.  ``pick`` limits what follows.
    """

    low: Point
    high: Point
    pushes: Mapping[tuple[int, int, int], Point]
    counts: tuple[int, int, int] = (4, 4, 4)
    pick: str | None = field(default=None)

    def __post_init__(self) -> None:
        low, high = _numbers("low", self.low, 3), _numbers("high", self.high, 3)
        if not all(a < b for a, b in zip(low, high, strict=True)):
            raise Refusal(f"the lattice from {low} to {high} has no room")
        object.__setattr__(self, "low", low)
        object.__setattr__(self, "high", high)
        counts = tuple(int(n) for n in _numbers("counts", self.counts, 3))
        if min(counts) < 2:
            raise Refusal(f"counts {counts}: two control points each way are the least")
        object.__setattr__(self, "counts", counts)
        held = {}
        for place, push in self.pushes.items():
            at = tuple(int(k) for k in _numbers("control point", place, 3))
            if any(not 0 <= k < n for k, n in zip(at, counts, strict=True)):
                raise Refusal(f"there is no control point {at}; they count from 0 to {tuple(n - 1 for n in counts)}")
            held[at] = _numbers(f"push of {at}", push, 3)
        if not held:
            raise Refusal("no control point is pushed")
        object.__setattr__(self, "pushes", held)


@dataclass(frozen=True)
class NewShape(Change):
    """A faceted surface of the changed part: every patch goes to the one that it has become.

    ``pick`` limits what follows to the patches that are picked; their borders with others stay.  With ``smooth`` nodes
    go onto the cylinders and so on that are recognised in the facets, instead of onto these.
    """

    surface: Mesh
    pick: str | None = None
    smooth: bool = False
