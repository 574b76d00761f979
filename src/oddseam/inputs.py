"""What a caller gives, as what work can be done on, or refused in one line that names the argument.

Public functions say by their annotations what they take; :func:`checked` holds them to it.  Lists, tuples and arrays
are as good as one another, and whole numbers are numbers; what is not a number, not finite, or not so many of them, is
refused before anything is done.
"""

from __future__ import annotations

import dataclasses
import functools
import inspect
import math
import numbers
import os
import types
from collections.abc import Callable, Iterator, Mapping, Sequence, Set
from pathlib import Path
from typing import (
    Annotated,
    Any,
    ClassVar,
    Literal,
    NamedTuple,
    ParamSpec,
    TypeVar,
    Union,
    get_args,
    get_origin,
    get_type_hints,
)

import numpy as np

from oddseam.arrays import Array
from oddseam.errors import BadArgument, Refusal
from oddseam.progress import steps_of

#: More of anything than somebody means, and than memory holds.
MOST = 10_000_000
#: No number is larger, and what is less than one over it is 0: its square, and the square of that, can still be told.
_LARGEST = 1e60
#: So much of a value is shown.
_SHOWN = 60


class Numbers(NamedTuple):
    """Marks what is a number of numbers."""

    how_many: int


class Each(NamedTuple):
    """Marks what is a list of things that another annotation describes."""

    of: Any


#: A point or a direction: three numbers, in a list, a tuple or an array; functions get a tuple.
PointLike = Annotated[Sequence[float] | Array, Numbers(3)]
#: Several of these, numbers and ids, likewise.
PointsLike = Annotated[Sequence[Sequence[float] | Array] | Array, Each(PointLike)]
NumbersLike = Annotated[Sequence[float] | Array, Each(float)]
IdsLike = Annotated[Sequence[int] | Array, Each(int)]

P = ParamSpec("P")
R = TypeVar("R")


class _Unlike(Exception):  # noqa: N818  (it is caught here)
    """Where a value is not what is wanted, and what it is; whether it is of the right kind at least."""

    def __init__(self, place: str, said: str, is_near: bool = False) -> None:
        self.place, self.said, self.is_near = place, said, is_near
        super().__init__(said)


def checked(function: Callable[P, R]) -> Callable[P, R]:
    """A function that is called with what its annotations promise.

    Others raise :class:`~oddseam.BadArgument`, in one line with the name of the argument.
    """
    check = Arguments(function)
    name, is_steered = function.__name__.replace("_", " "), "progress" in check.signature.parameters

    @functools.wraps(function)
    def run(*args: P.args, **kwargs: P.kwargs) -> R:
        bound = check.bound(*args, **kwargs)
        if not is_steered:
            return function(*bound.args, **bound.kwargs)
        with steps_of(name, bound.arguments["progress"]) as bound.arguments["progress"]:
            return function(*bound.args, **bound.kwargs)

    return run


class Given:
    """Base of frozen dataclasses that callers make: their fields are held to their annotations as arguments are."""

    _hints: ClassVar[dict[str, Any]]

    def __post_init__(self) -> None:
        """Take the fields as they are wanted; classes with a check of their own call this first."""
        kind = type(self)
        if "_hints" not in vars(kind):
            fields: tuple[Any, ...] = dataclasses.fields(self)  # type: ignore[arg-type]  # every subclass is a dataclass
            hints = get_type_hints(kind, include_extras=True)
            kind._hints = {one.name: hints[one.name] for one in fields if one.init}
        for name, hint in kind._hints.items():
            object.__setattr__(self, name, as_wanted(name, getattr(self, name), hint))


class Arguments:
    """The arguments of a function, by its signature and annotations."""

    def __init__(self, function: Callable[..., Any]) -> None:
        self._function, self.signature = function, inspect.signature(function)

    @functools.cached_property
    def _hints(self) -> dict[str, Any]:
        return get_type_hints(self._function, include_extras=True)

    def bound(self, *args: Any, **kwargs: Any) -> inspect.BoundArguments:
        """What a call gives, as the function wants it, with defaults."""
        bound = self.signature.bind(*args, **kwargs)
        for name, value in bound.arguments.items():
            if name in self._hints:
                bound.arguments[name] = as_wanted(name, value, self._hints[name])
        bound.apply_defaults()
        return bound


def as_wanted(name: str, value: Any, hint: Any) -> Any:
    """A value as an annotation wants it; refused with ``name`` if it is something else."""
    try:
        return _as(hint, value, "")
    except _Unlike as unlike:
        raise BadArgument(f"{name}{unlike.place} {unlike.said}") from None


def _as(hint: Any, value: Any, place: str) -> Any:
    if hint is Any:
        return value
    origin, inner = get_origin(hint), get_args(hint)
    if origin in (Union, types.UnionType):
        return _as_one_of(inner, value, place, hint)
    if origin is Annotated and isinstance(inner[1], Each):
        return _as_each(inner[1].of, hint, value, place)
    if origin is Annotated:
        return _as_numbers(value, inner[1].how_many, place)
    if origin is Literal:
        if isinstance(value, str) and value in inner:
            return value
        raise _unlike(hint, value, place)
    if origin is tuple and inner[-1] is not Ellipsis:
        if all(one is float for one in inner):
            return _as_numbers(value, len(inner), place)
        its = _rows(hint, value, place)
        if len(its) != len(inner):
            raise _unlike(hint, value, place)
        return tuple(_as(one, its[k], f"{place}[{k}]") for k, one in enumerate(inner))
    if origin is not None and issubclass(origin, Mapping):
        if not isinstance(value, Mapping):
            raise _unlike(hint, value, place)
        pairs = ((_as(inner[0], key, place), _as(inner[1], one, f"{place}[{key!r}]")) for key, one in value.items())
        return dict(pairs)
    if origin is not None and issubclass(origin, Sequence):
        return _as_each(inner[0], hint, value, place)
    if origin is not None:  # a function that is called
        if callable(value):
            return value
        raise _unlike(hint, value, place)
    return _as_plain(hint, value, place)


def _as_one_of(hints: tuple[Any, ...], value: Any, place: str, whole: Any) -> Any:
    """A value as the first of some annotations takes it."""
    if value is None and types.NoneType in hints:
        return None
    found = []
    for hint in hints:
        if hint is not types.NoneType:
            try:
                return _as(hint, value, place)
            except _Unlike as unlike:
                found.append(unlike)
    best = max(found, key=lambda unlike: (unlike.is_near, len(unlike.place)))
    if len(found) == 1 or best.is_near or len(best.place) > len(place):
        raise best
    raise _unlike(whole, value, place)


def _as_plain(hint: Any, value: Any, place: str) -> Any:
    """A value of a class; numbers of any library are numbers."""
    if isinstance(value, np.ndarray) and value.ndim == 0:
        value = value.item()
    if hint is bool and isinstance(value, bool | np.bool_):
        return bool(value)
    is_number = isinstance(value, numbers.Real) and not isinstance(value, bool | np.bool_)
    if hint is float and is_number:
        return _finite(value, place)
    if hint is int and is_number and (isinstance(value, numbers.Integral) or _finite(value, place).is_integer()):
        if -(2**63) <= int(value) < 2**63:
            return int(value)
        raise _Unlike(place, f"is {_shown(value)}, more than any count or id", True)
    if hint is Path and isinstance(value, os.PathLike):
        return Path(value)
    if hint not in (bool, float, int, Path) and isinstance(value, hint):
        return value
    raise _unlike(hint, value, place)


def _finite(value: Any, place: str) -> float:
    try:
        found = float(value)
    except OverflowError:
        found = math.inf
    if math.isnan(found):
        raise _Unlike(place, "is nan, which is not a number", True)
    if abs(found) > _LARGEST:
        raise _Unlike(place, f"is {_shown(value)}, more than any length or angle", True)
    return found if abs(found) * _LARGEST >= 1.0 else 0.0


def _as_each(of: Any, hint: Any, value: Any, place: str) -> tuple[Any, ...]:
    return tuple(_as(of, one, f"{place}[{k}]") for k, one in enumerate(_rows(hint, value, place)))


def _is_plain(value: float) -> bool:
    return 1.0 / _LARGEST <= abs(value) <= _LARGEST or value == 0.0


def _as_numbers(value: Any, count: int, place: str) -> tuple[float, ...]:
    if type(value) is tuple and len(value) == count and all(type(one) is float and _is_plain(one) for one in value):
        return value
    its = list(_rows(Annotated[Any, Numbers(count)], value, place))
    if len(its) != count:
        raise _unlike(Annotated[Any, Numbers(count)], value, place)
    return tuple(_as_plain(float, one, f"{place}[{k}]") for k, one in enumerate(its))


def _rows(hint: Any, value: Any, place: str) -> Sequence[Any]:
    """What a list, a tuple, an array or the like holds."""
    if isinstance(value, np.ndarray) and value.ndim > 0:
        return list(value) if value.ndim > 1 else value.tolist()
    if isinstance(value, Sequence | Set | Iterator) and not isinstance(value, str | bytes):
        return list(value)
    raise _unlike(hint, value, place)


def _unlike(hint: Any, value: Any, place: str) -> _Unlike:
    return _Unlike(place, f"is {_shown(value)}; it takes {_wish(hint)}")


def _shown(value: Any) -> str:
    """A value in a few words."""
    if isinstance(value, np.ndarray):
        return f"an array of shape {value.shape} of {value.dtype}"
    text = " ".join(repr(value).split())
    return text if len(text) <= _SHOWN else f"{text[:_SHOWN]}..."


def _wish(hint: Any) -> str:
    """What an annotation asks for, in words."""
    origin, inner = get_origin(hint), get_args(hint)
    if origin in (Union, types.UnionType):
        words = [_wish(one) for one in inner if one is not types.NoneType]
        return " or ".join(dict.fromkeys([*words, *(["None"] if types.NoneType in inner else [])]))
    if origin is Annotated and isinstance(inner[1], Each):
        return f"a list, each {_wish(inner[1].of)}"
    if origin is Annotated:
        return {2: "two numbers", 3: "three numbers"}.get(inner[1].how_many, f"{inner[1].how_many} numbers")
    if origin is Literal:
        return ", ".join(map(repr, inner[:-1])) + (" or " if len(inner) > 1 else "") + repr(inner[-1])
    if origin is tuple and inner[-1] is not Ellipsis:
        if all(one is float for one in inner):
            return _wish(Annotated[Any, Numbers(len(inner))])
        return "(" + ", ".join(map(_wish, inner)) + ")"
    if origin is not None and issubclass(origin, Mapping):
        return f"a mapping of {_wish(inner[0])} to {_wish(inner[1])}"
    if origin is not None and issubclass(origin, Sequence):
        return f"a list, each {_wish(inner[0])}"
    if origin is not None:
        return "a function"
    plain = {float: "a number", int: "a whole number", bool: "True or False", str: "a text", Path: "a path"}
    return plain.get(hint, f"a {hint.__name__}")


def check_share(what: str, value: float, most: float = 0.5) -> None:
    """Refuse a share of a length that is none, or more than half of it, where both ends would be meant."""
    if not 0 <= value <= most:
        raise Refusal(f"{what} {value:g} is not a share from 0 to {most:g}")


def check_count(what: str, value: float, *, least: int = 1, most: int = MOST) -> None:
    """Refuse a count that is too small, or that no memory would hold.

    Parameters
    ----------
    what : str
        What is counted, such as ``"nodes on the rim"``.
    value : float
        The count, or about what it would come to.
    """
    if not value >= least:
        raise Refusal(f"{what}: {value:g} is too few; at least {least} are needed")
    if value > most:
        raise Refusal(f"{what}: {value:,.0f} is more than the {most:,} that can be made at once")
