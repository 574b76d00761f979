"""Size rules in a TOML file, checked key by key."""

from __future__ import annotations

import re
import tomllib
from pathlib import Path
from typing import Any

from oddseam.errors import FormatError, Refusal
from oddseam.formats import read_mesh
from oddseam.model import Mesh
from oddseam.sizes.along import Line
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
_LINE = {"near", "size", "elements"}


def read_rules(path: str | Path) -> dict[str, Any]:
    """Read size rules.

    Parameters
    ----------
    path : str or Path
        A TOML file: ``base``, ``smallest``, ``growth`` and ``crease`` at its head, ``per_turn`` in ``[curvature]``,
        ``across`` in ``[walls]``, sizes by name in ``[patches]`` and ``[parts]``, sizes by the path of a mesh file in
        ``[within]``, ``kind``, ``numbers`` and ``size`` in every ``[[zones]]``, ``near`` and ``size`` or ``elements``
        in every ``[[lines]]``.

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
                found[key] = tuple(self.zone(k, zone) for k, zone in enumerate(self.list_of_tables(key, value)))
            elif key == "lines":
                found[key] = tuple(self.line(k, line) for k, line in enumerate(self.list_of_tables(key, value)))
            elif key == "within" and isinstance(value, dict):
                found[key] = tuple(self.body(name, size) for name, size in value.items())
            elif key in _NAMED and isinstance(value, dict):
                found[key] = {name: self.number(key, name, size) for name, size in value.items()}
            elif key in _NUMBERS and isinstance(value, dict):
                for name, number in value.items():
                    if name not in _NUMBERS[key]:
                        raise self.wrong(key, name, f"[{key}] has {', '.join(_NUMBERS[key])}")
                    found[_NUMBERS[key][name]] = self.number(key, name, number)
            else:
                known = [*_NUMBERS[""], *(f"[{name}]" for name in (*_NUMBERS, *_NAMED, "within") if name)]
                known += ["[[zones]]", "[[lines]]"]
                raise self.wrong("", key, f"a rules file has {', '.join(known)}")
        if "base" not in found:
            raise FormatError(self.path, "there is no base size: base = NUMBER")
        return found

    def list_of_tables(self, key: str, value: Any) -> list[dict[str, Any]]:
        if not isinstance(value, list) or not all(isinstance(table, dict) for table in value):
            raise self.wrong("", key, f"{key} are tables, each headed [[{key}]]")
        return value

    def values(self, table: str, key: str, held: Any, k: int) -> tuple[float, ...]:
        if not isinstance(held, list):
            raise self.wrong(table, key, f"{key} are a list, such as [0, 0, 9]", k)
        return tuple(self.number(table, key, number, k) for number in held)

    def only(self, table: str, held: dict[str, Any], known: set[str], needed: set[str], k: int) -> None:
        for key in held:
            if key not in known:
                raise self.wrong(table, key, f"[[{table}]] has {', '.join(sorted(known))}", k)
        missing = sorted(needed - set(held))
        if missing:
            raise self.wrong(table, "", f"number {k + 1} has no {missing[0]}", k)

    def zone(self, k: int, zone: dict[str, Any]) -> Zone:
        self.only("zones", zone, _ZONE, _ZONE, k)
        values = self.values("zones", "numbers", zone["numbers"], k)
        try:
            return Zone(str(zone["kind"]), values, self.number("zones", "size", zone["size"], k))
        except Refusal as error:
            raise self.wrong("zones", "kind", str(error), k) from error

    def line(self, k: int, line: dict[str, Any]) -> Line:
        self.only("lines", line, _LINE, {"near"}, k)
        near = self.values("lines", "near", line["near"], k)
        numbers = {key: self.number("lines", key, line[key], k) for key in ("size", "elements") if key in line}
        try:
            return Line(near, **numbers)  # type: ignore[arg-type]
        except Refusal as error:
            raise self.wrong("lines", "near", str(error), k) from error

    def body(self, name: str, size: Any) -> tuple[Mesh, float]:
        value = self.number("within", name, size)
        return read_mesh(Path(self.path).parent / name), value

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
