"""Size rules in a TOML file, checked key by key."""

from __future__ import annotations

import re
import tomllib
from pathlib import Path
from typing import Any

from oddseam.errors import FormatError, Refusal
from oddseam.sizes.zones import Zone

#: Numbers that a rules file may hold, by table; "" is the head of the file.
_NUMBERS = {
    "": {"base": "base", "smallest": "smallest", "growth": "growth", "crease": "crease"},
    "curvature": {"per_turn": "per_turn"},
    "walls": {"across": "across"},
}
#: Tables of sizes by name.
_NAMED = ("patches", "parts")
_ZONE = {"kind", "numbers", "size"}


def read_rules(path: str | Path) -> dict[str, Any]:
    """Read size rules.

    Parameters
    ----------
    path : str or Path
        A TOML file: ``base``, ``smallest``, ``growth`` and ``crease`` at its head, ``per_turn`` in ``[curvature]``,
        ``across`` in ``[walls]``, sizes by name in ``[patches]`` and ``[parts]``, and ``kind``, ``numbers`` and
        ``size`` in every ``[[zones]]``.

    Returns
    -------
    dict
        Arguments of ``make_sizes``.

    Raises
    ------
    FormatError
        If the file cannot be read, or a key or a value is not understood; it names the key and the line.

    Examples
    --------
    >>> import oddseam, pathlib, tempfile
    >>> path = pathlib.Path(tempfile.mkdtemp(), "rules.toml")
    >>> _ = path.write_text("base = 4.0; [curvature]; per_turn = 24".replace("; ", chr(10)))
    >>> oddseam.read_rules(path)
    {'base': 4.0, 'per_turn': 24.0}
    """
    try:
        text = Path(path).read_text(encoding="utf-8")
        held = tomllib.loads(text)
    except OSError as error:
        raise FormatError(str(path), f"cannot be read: {error.strerror or error}") from error
    except UnicodeDecodeError as error:
        raise FormatError(str(path), "this is no text in UTF-8") from error
    except tomllib.TOMLDecodeError as error:
        raise FormatError(str(path), f"this is no TOML: {error}") from error
    return _Checked(str(path), text).arguments(held)


class _Checked:
    def __init__(self, path: str, text: str) -> None:
        self.path, self.lines = path, text.splitlines()

    def arguments(self, held: dict[str, Any]) -> dict[str, Any]:
        found: dict[str, Any] = {}
        for key, value in held.items():
            if key in _NUMBERS[""]:
                found[_NUMBERS[""][key]] = self.number("", key, value)
            elif key == "zones":
                found["zones"] = tuple(self.zone(k, zone) for k, zone in enumerate(self.list_of_tables(value)))
            elif key in _NAMED and isinstance(value, dict):
                found[key] = {name: self.number(key, name, size) for name, size in value.items()}
            elif key in _NUMBERS and isinstance(value, dict):
                for name, number in value.items():
                    if name not in _NUMBERS[key]:
                        raise self.wrong(key, name, f"[{key}] has {', '.join(_NUMBERS[key])}")
                    found[_NUMBERS[key][name]] = self.number(key, name, number)
            else:
                known = [*_NUMBERS[""], *(f"[{name}]" for name in (*_NUMBERS, *_NAMED) if name), "[[zones]]"]
                raise self.wrong("", key, f"a rules file has {', '.join(known)}")
        if "base" not in found:
            raise FormatError(self.path, "there is no base size: base = NUMBER")
        return found

    def list_of_tables(self, value: Any) -> list[dict[str, Any]]:
        if not isinstance(value, list) or not all(isinstance(zone, dict) for zone in value):
            raise self.wrong("", "zones", "zones are tables, each headed [[zones]]")
        return value

    def zone(self, k: int, zone: dict[str, Any]) -> Zone:
        for key in zone:
            if key not in _ZONE:
                raise self.wrong("zones", key, f"a zone has {', '.join(sorted(_ZONE))}", k)
        missing = sorted(_ZONE - set(zone))
        if missing:
            raise self.wrong("zones", "", f"zone {k + 1} has no {missing[0]}", k)
        numbers = zone["numbers"]
        if not isinstance(numbers, list):
            raise self.wrong("zones", "numbers", "numbers are a list, such as [0, 0, 9, 2.5]", k)
        values = tuple(self.number("zones", "numbers", number, k) for number in numbers)
        try:
            return Zone(str(zone["kind"]), values, self.number("zones", "size", zone["size"], k))
        except Refusal as error:
            raise self.wrong("zones", "kind", str(error), k) from error

    def number(self, table: str, key: str, value: Any, k: int = 0) -> float:
        if isinstance(value, bool) or not isinstance(value, int | float):
            raise self.wrong(table, key, f"{value!r} is no number", k)
        return float(value)

    def wrong(self, table: str, key: str, reason: str, k: int = 0) -> FormatError:
        name = f"{table}.{key}" if table and key else table or key
        return FormatError(self.path, f"{name}: {reason}", self._place(table, key, k))

    def _place(self, table: str, key: str, k: int) -> str:
        """The line of a key, in the k-th table of a name."""
        begin = 0
        if table:
            head = re.compile(rf"\s*\[+\s*{re.escape(table)}\s*\]")
            heads = [n for n, line in enumerate(self.lines) if head.match(line)]
            begin = heads[min(k, len(heads) - 1)] if heads else 0
        wanted = re.compile(
            rf"\s*(?:{re.escape(table)}\.)?[\"']?{re.escape(key)}[\"']?\s*=|\s*\[+\s*{re.escape(key)}\s*\]"
        )
        for n, line in enumerate(self.lines[begin:] if key else (), begin):
            if wanted.match(line):
                return f"line {n + 1}"
        return f"line {begin + 1}"
