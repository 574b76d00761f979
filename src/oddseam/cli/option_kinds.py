"""What an option takes, by the annotation of the argument that it stands for: how its words become values."""

from __future__ import annotations

import math
import re
from argparse import ArgumentTypeError
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

from oddseam.signatures import Source

#: So much of a word is repeated in a complaint.
_SHOWN = 40
#: Arguments that are picks whatever they are called.
_PICKS = ("pick", "hide", "marked", "hold")


@dataclass(frozen=True)
class Kind:
    """What an option takes.

    Attributes
    ----------
    metavar : str
        What stands for it in help; empty for the name of the argument.
    parse : callable
        Makes a value of a word, or raises ``ArgumentTypeError``; imports nothing that takes time.
    gather : callable, optional
        The option may be repeated; makes one value of all.
    load : callable, optional
        Makes what the function wants of the value, and of the unit of length that was said.
    files : callable, optional
        Paths of files that are read, from the value.
    nargs : int, str or None
        So many words.
    """

    metavar: str
    parse: Callable[[str], Any]
    gather: Callable[[list[Any]], Any] | None = None
    load: Callable[[Any, str | None], Any] | None = None
    files: Callable[[Any], list[str]] | None = None
    nargs: int | str | None = None


def number(text: str) -> float:
    """A number: finite, with digits."""
    try:
        value = float(text)
    except ValueError:
        value = math.nan
    if not math.isfinite(value) or "_" in text:
        raise ArgumentTypeError(f"{text[:_SHOWN]!r} is not a number")
    return value


def whole(text: str) -> int:
    """A whole number."""
    if not re.fullmatch(r"[-+]?\d+", text):
        raise ArgumentTypeError(f"{text[:_SHOWN]!r} is not a whole number")
    return int(text)


def numbers(text: str, of: Callable[[str], Any] = number) -> tuple[Any, ...]:
    """Numbers with commas between."""
    return tuple(of(word.strip()) for word in text.split(","))


def ids(text: str) -> tuple[int, ...]:
    """Whole numbers with commas between."""
    return numbers(text, whole)


def point(text: str) -> tuple[float, float, float]:
    """Three numbers with commas between; brackets round them do no harm."""
    found = numbers(text.strip().removeprefix("(").removesuffix(")"))
    if len(found) != 3:
        raise ArgumentTypeError(f"{text[:_SHOWN]!r} is not a point: three numbers are wanted, X,Y,Z")
    return found[0], found[1], found[2]


def points(text: str) -> list[tuple[float, ...]]:
    """Points, one after the other."""
    found = numbers(text)
    if len(found) % 3:
        raise ArgumentTypeError(f"{text[:_SHOWN]!r}: say points, each of three numbers")
    return [found[k : k + 3] for k in range(0, len(found), 3)]


def span(text: str) -> tuple[int, int | None]:
    """``FIRST`` or ``FIRST-LAST``."""
    first, mark, last = text.partition("-")
    if not first.isdigit() or (mark and not last.isdigit()):
        raise ArgumentTypeError(f"{text[:_SHOWN]!r}: say a first id, or a first and a last one, such as 9001-9999")
    return int(first), int(last) if mark else None


def pair(key: Callable[[str], Any], value: Callable[[str], Any]) -> Callable[[str], tuple[Any, Any]]:
    """What stands before the last equals sign, and what after it."""

    def parse(text: str) -> tuple[Any, Any]:
        before, _, after = text.rpartition("=")
        if not before:
            raise ArgumentTypeError(f"{text[:_SHOWN]!r}: an equals sign is wanted, with something before it")
        return key(before), value(after)

    return parse


def _zone(text: str) -> tuple[str, tuple[float, ...]]:
    kind, _, rest = text.partition(":")
    if not rest:
        raise ArgumentTypeError(f"{text[:_SHOWN]!r}: say KIND:NUMBERS=SIZE, such as sphere:0,0,9,2.5=0.4")
    return kind, numbers(rest)


def _as_is(text: str) -> str:
    return text


def _joined(lists: list[Any]) -> list[Any]:
    return [one for its in lists for one in its]


def _library() -> Any:
    import oddseam

    return oddseam


def _read(path: str, unit: str | None) -> Any:
    return _library().read_mesh(path, unit=unit)


_SEVERAL = list
_TEXT, _NUMBER, _WHOLE = Kind("", _as_is), Kind("", number), Kind("N", whole)
_POINT = Kind("X,Y,Z", point)
_MESH = Kind("FILE", _as_is, load=_read, files=lambda path: [path])
#: By annotation, without ``None``.
_KINDS = {
    "str": _TEXT,
    "str | Path": _TEXT,
    "float": _NUMBER,
    "int": _WHOLE,
    "PointLike": _POINT,
    "PointLike | PointsLike": replace(_POINT, gather=_SEVERAL),
    "PointsLike": Kind("X,Y,Z,...", points, gather=_joined),
    "PointsLike | Sequence[PointsLike]": Kind("X,Y,Z,X,Y,Z,...", points, gather=_SEVERAL),
    "NumbersLike": Kind("NUMBER,...", numbers),
    "IdsLike": Kind("ID,ID,...", ids),
    "IdsLike | Sequence[IdsLike]": Kind("ID,ID,...", ids, gather=_SEVERAL),
    "Sequence[str]": replace(_TEXT, gather=_SEVERAL),
    "Which | Sequence[str]": Kind("WHICH", _as_is, gather=_SEVERAL),
    "tuple[str, str]": Kind("NAME", _as_is, nargs=2),
    "tuple[str, ...]": Kind("NAME", _as_is, nargs="+"),
    "Mapping[str, str]": Kind("NAME=VALUE", pair(_as_is, _as_is), gather=dict),
    "Mapping[str, float]": Kind("NAME=NUMBER", pair(_as_is, number), gather=dict),
    "Mapping[PointLike, float]": Kind("X,Y,Z=NUMBER", pair(point, number), gather=dict),
    "Mapping[PointLike, int]": Kind("X,Y,Z=N", pair(point, whole), gather=dict),
    "Range": Kind("FIRST[-LAST]", span),
    "Plane": Kind("PLANE", _as_is),
    "Mesh": _MESH,
    "SizeField": Kind("FIELD", _as_is, load=lambda path, _: _library().SizeField.read(path), files=lambda path: [path]),
    "Openings": Kind("CSV", _as_is, load=lambda path, _: _library().read_openings(path), files=lambda path: [path]),
    "Sequence[Zone]": Kind(
        "KIND:NUMBERS=SIZE", pair(_zone, number), gather=_SEVERAL,
        load=lambda its, _: [_library().Zone(*zone, size) for zone, size in its],
    ),
    "Sequence[tuple[Mesh, float]]": Kind(
        "FILE=SIZE", pair(_as_is, number), gather=_SEVERAL,
        load=lambda its, unit: [(_read(path, unit), size) for path, size in its],
        files=lambda its: [path for path, _ in its],
    ),
}  # fmt: skip


def kind_of(name: str, annotation: str, source: Source) -> Kind:
    """What an option takes that stands for an argument.

    Raises
    ------
    KeyError
        If nothing is known of such an annotation.
    """
    its = [one for one in annotation.split(" | ") if one != "None"]
    text = " | ".join(its)
    if text in _KINDS:
        kind = _KINDS[text]
        return replace(kind, metavar="PICK") if name in _PICKS and not kind.metavar else kind
    words: tuple[str, ...] = ()
    others = []
    for one in its:
        own = tuple(re.findall(r"'([^']*)'", one)) if one.startswith("Literal[") else source.words(one)
        if own is None:
            others.append(_KINDS[one])
        else:
            words += own
    shown = "|".join((*words, *(kind.metavar or "NUMBER" for kind in others)))
    return Kind(shown, Word(words, tuple(others)))


@dataclass(frozen=True)
class Word:
    """Makes a value of one of some words, or of what other kinds take."""

    words: tuple[str, ...]
    others: tuple[Kind, ...]

    def __call__(self, text: str) -> Any:
        """What a word stands for."""
        if text in self.words:
            return text
        for kind in self.others:
            try:
                return kind.parse(text)
            except ArgumentTypeError:
                continue
        wanted = ", ".join((*self.words, *(kind.metavar or "a number" for kind in self.others)))
        raise ArgumentTypeError(f"{text[:_SHOWN]!r} is none of {wanted}")
