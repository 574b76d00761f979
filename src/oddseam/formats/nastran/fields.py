"""Fields of bulk data cards: free (commas), small (8 columns) and large (16 columns)."""

from __future__ import annotations

import re
from dataclasses import dataclass

from oddseam.formats.text import real

#: Styles of a card.
FREE, SMALL, LARGE = "free", "small", "large"
#: Identifiers have eight digits at most.
MOST_ID = 99_999_999


@dataclass(frozen=True)
class Card:
    """One card: its name in capitals, its data fields (without the name), and its style."""

    name: str
    fields: list[str]
    style: str

    def text(self, number: int) -> str:
        """Field ``number`` (1 is the first after the name), or an empty text."""
        return self.fields[number - 1] if number <= len(self.fields) else ""

    def whole(self, number: int, blank: int | None = None) -> int:
        """A whole number; ``blank`` is what an empty field means, if it may be empty."""
        text = self.text(number)
        if not text:
            if blank is None:
                raise ValueError(f"field {number + 1} is empty")
            return blank
        try:
            return int(text)
        except ValueError:
            raise ValueError(f"field {number + 1}: {text!r} is not a whole number") from None

    def real(self, number: int, blank: float | None = 0.0) -> float | None:
        """A real number, also as ``1.5D3`` and ``1.5-3``."""
        text = self.text(number)
        if not text:
            return blank
        value = real(text.encode(), deck=True)
        if value is None:
            raise ValueError(f"field {number + 1}: {text!r} is not a number")
        return value


def _cut(line: str) -> tuple[str, list[str], str]:
    line = line.split("$", 1)[0].rstrip()
    if "," in line:
        words = [word.strip() for word in line.split(",")]
        wide = "*" in words[0]
        data = words[1 : 5 if wide else 9]
        if len(words) == 2 + len(data) or not data or not _is_mark(data[-1]):
            pass
        else:
            data = data[:-1]
        return words[0], data + [""] * ((4 if wide else 8) - len(data)), FREE
    line = line.expandtabs(8)
    first = line[:8].strip()
    width = 16 if "*" in first else 8
    data = [line[k : k + width].strip() for k in range(8, 72, width)]
    return first, data, LARGE if width == 16 else SMALL


def _is_mark(word: str) -> bool:
    """A continuation mark such as ``+A1`` in the last field; a signed number is none."""
    return word[:1] in ("+", "*") and not re.fullmatch(r"[+][\d.].*", word)


def parse_card(lines: list[str]) -> Card:
    """The card that these lines hold; comment lines among them are skipped."""
    name, fields, style = "", [], SMALL
    for line in lines:
        if line.lstrip()[:1] in ("$", ""):
            continue
        first, data, form = _cut(line)
        if not name:
            name, style = first.rstrip("*").strip().upper(), form
        fields += data
    return Card(name, fields, style)


def card_text(name: str, fields: list[str], style: str) -> str:
    """A card in one of the styles, with continuation lines where it needs them."""
    fields = list(fields)
    while fields and not fields[-1]:
        fields.pop()
    if style == FREE:
        rows = [fields[k : k + 8] for k in range(0, len(fields), 8)]
        return "".join(",".join([name if k == 0 else "", *row]).rstrip(",") + "\n" for k, row in enumerate(rows))
    width, many = (16, 4) if style == LARGE else (8, 8)
    star = "*" if style == LARGE else ""
    rows = [fields[k : k + many] for k in range(0, len(fields), many)]
    lines = []
    for k, row in enumerate(rows):
        head = (name + star if k == 0 else star).ljust(8)
        lines.append((head + "".join(word.ljust(width) for word in row)).rstrip() + "\n")
    return "".join(lines)
