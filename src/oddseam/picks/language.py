"""The language of picks: words, numbers and points into a tree; nothing is ever evaluated as code.

::

    pick   = both { ("or" | "minus") both }
    both   = grown { "and" grown }
    grown  = one { "rings" NUMBER | "flat" NUMBER [ "within" NUMBER ] }
    one    = "not" one | "(" pick ")" | "all" | "ids" RANGES | "part" NAME | "group" NAME | "finding" NAME
           | "near" POINT | "piece" POINT | "surface" POINT | "rim" POINT | "rims" "below" NUMBER
           | "patch" ( NAME | POINT ) | "box" POINT POINT | "sphere" POINT NUMBER
           | "cylinder" POINT POINT NUMBER | "inside" NAME | "worst" NUMBER NAME
    POINT  = "(" NUMBER "," NUMBER "," NUMBER ")"      RANGES = 5 7 10-20 ...

A name of one word may stand as it is, others in quotes.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import NoReturn

from oddseam.arrays import Point
from oddseam.errors import PickError

_TOKEN = re.compile(
    r"""\s*(?:(?P<text>"[^"]*"|'[^']*')|(?P<range>\d+-\d+)|(?P<number>[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?)
    |(?P<word>[^\W\d][\w.:-]*)|(?P<mark>[(),])|(?P<end>$))""",
    re.VERBOSE,
)
#: What a pick may begin with.
_KNOWN = (
    "all, ids, part, group, finding, near, piece, surface, patch, rim, rims, box, sphere, cylinder, inside, worst, not"
)
#: Deeper nesting than this is nobody's pick.
_DEEPEST = 50


@dataclass(frozen=True)
class Node:
    """One step of a pick: what it does, where it stands, the picks it works on, its values, and ranges of ids."""

    kind: str
    column: int
    below: tuple[Node, ...] = ()
    values: tuple[object, ...] = ()
    ranges: tuple[tuple[int, int], ...] = ()


class _Parser:
    def __init__(self, text: str) -> None:
        self._text = text
        self._tokens: list[tuple[str, str, int]] = []
        at = 0
        while True:
            found = _TOKEN.match(text, at)
            if found is None or found.lastgroup is None:
                at += len(text[at:]) - len(text[at:].lstrip())
                self.fail(at, f"{text[at : at + 10]!r} cannot be understood")
            begin = found.start(found.lastgroup)
            self._tokens.append((found.lastgroup, found[found.lastgroup], begin))
            at = found.end()
            if found.lastgroup == "end":
                break
        self._next, self._depth = 0, 0

    def fail(self, at: int, reason: str) -> NoReturn:
        raise PickError(f"pick {self._text!r}, column {at + 1}: {reason}")

    def _look(self) -> tuple[str, str, int]:
        return self._tokens[self._next]

    def _take(self) -> tuple[str, str, int]:
        token = self._look()
        self._next = min(self._next + 1, len(self._tokens) - 1)
        return token

    def _accept(self, *words: str) -> str:
        kind, text, _ = self._look()
        if kind in ("word", "mark") and text in words:
            self._take()
            return text
        return ""

    def whole(self) -> Node:
        """The whole text as one pick."""
        node = self._pick()
        kind, text, at = self._look()
        if kind != "end":
            self.fail(at, f"{text!r} is one word too many; join picks with and, or, minus")
        return node

    def _pick(self) -> Node:
        node = self._both()
        while word := self._accept("or", "minus"):
            node = Node(word, node.column, (node, self._both()))
        return node

    def _both(self) -> Node:
        node = self._grown()
        while self._accept("and"):
            node = Node("and", node.column, (node, self._grown()))
        return node

    def _grown(self) -> Node:
        node = self._one()
        while word := self._accept("rings", "flat"):
            if word == "rings":
                node = Node("rings", node.column, (node,), (self._count(),))
            else:
                angle = self._number()
                limit = self._number() if self._accept("within") else 180.0
                node = Node("flat", node.column, (node,), (angle, limit))
        return node

    def _one(self) -> Node:
        self._depth += 1
        if self._depth > _DEEPEST:
            self.fail(self._look()[2], "nested too deeply")
        try:
            return self._unnested()
        finally:
            self._depth -= 1

    def _unnested(self) -> Node:
        _, text, at = self._look()
        if self._accept("not"):
            return Node("not", at, (self._one(),))
        if self._accept("("):
            node = self._pick()
            if not self._accept(")"):
                self.fail(self._look()[2], "a closing parenthesis is missing")
            return node
        if self._accept("all"):
            return Node("all", at)
        if self._accept("ids"):
            return Node("ids", at, ranges=self._ranges())
        if word := self._accept("part", "group", "finding"):
            return Node(word, at, (), (self._name(),))
        if self._accept("piece"):
            return Node("piece", at, (), (self._point() if self._look()[1] == "(" else self._count(),))
        if word := self._accept("near", "surface", "rim"):
            return Node(word, at, (), (self._point(),))
        if self._accept("patch"):
            return Node("patch", at, (), (self._point() if self._look()[1] == "(" else self._name(),))
        if self._accept("rims"):
            if not self._accept("below"):
                self.fail(self._look()[2], "rims are picked below a diameter: 'below' is missing")
            return Node("rims", at, (), (self._number(),))
        if self._accept("box"):
            return Node("box", at, (), (self._point(), self._point()))
        if self._accept("sphere"):
            return Node("sphere", at, (), (self._point(), self._number()))
        if self._accept("cylinder"):
            return Node("cylinder", at, (), (self._point(), self._point(), self._number()))
        if self._accept("inside"):
            return Node("inside", at, (), (self._name(),))
        if self._accept("worst"):
            return Node("worst", at, (), (self._count(), self._name()))
        self.fail(at, f"{text!r} begins no pick; picks begin with {_KNOWN}" if text else f"a pick is missing: {_KNOWN}")

    def _name(self) -> str:
        kind, text, at = self._take()
        if kind == "text":
            return text[1:-1]
        if kind in ("word", "number", "range"):
            return text
        self.fail(at, "a name is missing")

    def _number(self) -> float:
        kind, text, at = self._take()
        if kind != "number":
            self.fail(at, f"a number is wanted, not {text!r}")
        return float(text)

    def _count(self) -> int:
        kind, text, at = self._take()
        if kind != "number" or not text.isdigit() or len(text) > 6:
            self.fail(at, f"a whole number is wanted, not {text!r}")
        return int(text)

    def _point(self) -> Point:
        values = []
        for mark in ("(", ",", ","):
            if not self._accept(mark):
                self.fail(self._look()[2], f"a point such as (1, 2, 3) is wanted: {mark!r} is missing")
            values.append(self._number())
        if not self._accept(")"):
            self.fail(self._look()[2], "a point ends with ')'")
        return values[0], values[1], values[2]

    def _ranges(self) -> tuple[tuple[int, int], ...]:
        found: list[tuple[int, int]] = []
        while True:
            kind, text, at = self._look()
            if kind == "range":
                first, last = (int(word) for word in text.split("-"))
                if last < first:
                    self.fail(at, f"the range {text} runs backwards")
                found.append((first, last))
            elif kind == "number" and text.isdigit():
                found.append((int(text), int(text)))
            elif not (kind == "mark" and text == "," and found):
                break
            self._take()
        if not found:
            self.fail(self._look()[2], "ids are wanted, such as 5 7 10-20")
        return tuple(found)


def parse_pick(text: str) -> Node:
    """The tree of a pick.

    Raises
    ------
    PickError
        With the column at fault.
    """
    return _Parser(text).whole()
