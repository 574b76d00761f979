"""Files of rules in TOML, checked key by key; what is wrong is said with its line."""

from __future__ import annotations

import re
import tomllib
from pathlib import Path
from typing import Any

from oddseam.errors import FormatError


class Toml:
    """A TOML file that was read.

    Attributes
    ----------
    path : str
    held : dict
        What it holds, unchecked.

    Raises
    ------
    FormatError
        If it cannot be read.
    """

    def __init__(self, path: str | Path) -> None:
        self.path = str(path)
        try:
            text = Path(path).read_text(encoding="utf-8")
            self.held: dict[str, Any] = tomllib.loads(text)
        except OSError as error:
            raise FormatError(self.path, f"cannot be read: {error.strerror or error}") from error
        except UnicodeDecodeError as error:
            raise FormatError(self.path, "this is no text in UTF-8") from error
        except tomllib.TOMLDecodeError as error:
            raise FormatError(self.path, f"this is no TOML: {error}") from error
        self._lines = text.splitlines()

    def list_of_tables(self, key: str, value: Any) -> list[dict[str, Any]]:
        """Tables that are headed alike."""
        if not isinstance(value, list) or not all(isinstance(table, dict) for table in value):
            raise self.wrong("", key, f"{key} are tables, each headed [[{key}]]")
        return value

    def values(self, table: str, key: str, held: Any, k: int) -> tuple[float, ...]:
        """A list of numbers, in the k-th table of a name."""
        if not isinstance(held, list):
            raise self.wrong(table, key, f"{key} are a list, such as [0, 0, 9]", k)
        return tuple(self.number(table, key, number, k) for number in held)

    def only(self, table: str, held: dict[str, Any], known: set[str], needed: set[str], k: int) -> None:
        """Refuse keys that are not known, or are missing."""
        for key in held:
            if key not in known:
                raise self.wrong(table, key, f"[[{table}]] has {', '.join(sorted(known))}", k)
        missing = sorted(needed - set(held))
        if missing:
            raise self.wrong(table, "", f"number {k + 1} has no {missing[0]}", k)

    def number(self, table: str, key: str, value: Any, k: int = 0) -> float:
        """A number."""
        if isinstance(value, bool) or not isinstance(value, int | float):
            raise self.wrong(table, key, f"{value!r} is not a number", k)
        return float(value)

    def whole(self, table: str, key: str, value: Any, k: int = 0) -> int:
        """A whole number."""
        number = self.number(table, key, value, k)
        if number != int(number):
            raise self.wrong(table, key, f"{value!r} is not a whole number", k)
        return int(number)

    def wrong(self, table: str, key: str, reason: str, k: int = 0) -> FormatError:
        """What to raise about a key."""
        name = f"{table}.{key}" if table and key else table or key
        return FormatError(self.path, f"{name}: {reason}", self._place(table, key, k))

    def _place(self, table: str, key: str, k: int) -> str:
        """The line of a key, in the k-th table of a name."""
        begin = 0
        if table:
            head = re.compile(rf"\s*\[+\s*{re.escape(table)}\s*\]")
            heads = [n for n, line in enumerate(self._lines) if head.match(line)]
            begin = heads[min(k, len(heads) - 1)] if heads else 0
        wanted = re.compile(
            rf"\s*(?:{re.escape(table)}\.)?[\"']?{re.escape(key)}[\"']?\s*=|\s*\[+\s*{re.escape(key)}\s*\]"
        )
        for n, line in enumerate(self._lines[begin:] if key else (), begin):
            if wanted.match(line):
                return f"line {n + 1}"
        return f"line {begin + 1}"
