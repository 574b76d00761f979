"""What the cards of a deck name that the library does not interpret: nodes and elements, single ones and runs."""

from __future__ import annotations

import dataclasses
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from oddseam.arrays import Array

#: Whose ids: what a mention is of.
NODE_IDS, ELEMENT_IDS = "node", "element"


@dataclass(frozen=True)
class Mention:
    """One id that a card names, or a run of them.

    Attributes
    ----------
    what : str
        ``NODE_IDS`` or ``ELEMENT_IDS``.
    first, last, step : int
        The ids.
    gives : bool
        Whether the card gives that number itself, as a spring has one among the elements, and refers to nothing.
    field : int
        Where the first stands in the card, counted from 1; 0 where that cannot be said.
    """

    what: str
    first: int
    last: int
    step: int = 1
    gives: bool = False
    field: int = 0

    def without(self, gone: Array, left: Array) -> list[tuple[int, int]]:
        """The first and the last id of the runs that remain of it; none begins or ends with what is not there.

        Parameters
        ----------
        gone, left : (k,) int arrays
            Ids that are no more, and those that are, ascending.
        """
        ids = np.concatenate([self.among(gone), self.among(left)])
        is_gone = np.arange(len(ids)) < len(self.among(gone))
        order = np.argsort(ids, kind="stable")
        ids, is_gone = ids[order], is_gone[order]
        run = np.cumsum(is_gone)[~is_gone]
        ids = ids[~is_gone]
        first = np.flatnonzero(np.diff(run, prepend=-1))
        last = np.append(first[1:], len(ids)) - 1
        return list(zip(ids[first].tolist(), ids[last].tolist(), strict=True)) if len(ids) else []

    def among(self, ids: Array) -> Array:
        """Those of some ids (k,), ascending, that are mentioned."""
        its = ids[np.searchsorted(ids, self.first) : np.searchsorted(ids, self.last, side="right")]
        return np.asarray(its[(its - self.first) % self.step == 0])


#: Longer numbers are no ids.
DIGITS = 18


def id_of(text: str) -> int:
    """The positive whole number that a text is, or 0."""
    return int(text) if text.isdecimal() and len(text) <= DIGITS else 0


class Named:
    """What some mentions name: single ids and runs, which are never spelled out.

    Parameters
    ----------
    mentions : iterable of Mention
    """

    def __init__(self, mentions: Iterable[Mention]) -> None:
        every = list(mentions)
        self._singles = {one.first for one in every if one.first == one.last}
        self._runs = [range(one.first, one.last + 1, one.step) for one in every if one.first != one.last]

    def __contains__(self, number: object) -> bool:
        return number in self._singles or any(number in run for run in self._runs)


@dataclass(frozen=True, eq=False)
class Singles:
    """Single ids in one field of many cards of a name: records (r,), and ids (r,), 0 where there is none."""

    name: str
    what: str
    gives: bool
    record: Array
    ids: Array


@dataclass(frozen=True)
class Ids:
    """What is gone, as sets and ascending, and what is left, ascending; by what they are of."""

    lost: Mapping[str, set[int]]
    gone: Mapping[str, Array]
    left: Mapping[str, Array]

    @classmethod
    def of(cls, gone: Mapping[str, Array], left: Mapping[str, Array]) -> Ids:
        """From ids in any order."""
        lost = {what: set(its.tolist()) for what, its in gone.items()}
        return cls(lost, *({what: np.sort(its) for what, its in some.items()} for some in (gone, left)))

    def is_hit(self, mention: Mention) -> bool:
        """Whether any of what is mentioned is gone."""
        if mention.first == mention.last:
            return mention.first in self.lost[mention.what]
        return len(mention.among(self.gone[mention.what])) > 0


@dataclass(frozen=True)
class Tie:
    """Nodes that one rigid or distributing element holds together.

    Attributes
    ----------
    card : str
    ids : tuple of int
        Nodes that it names.
    sets, surfaces : tuple of str
        Groups of nodes and of element sides that it names.
    """

    card: str
    ids: tuple[int, ...]
    sets: tuple[str, ...] = ()
    surfaces: tuple[str, ...] = ()


@dataclass(frozen=True, eq=False)
class References:
    """All mentions in a deck, by the column.

    Attributes
    ----------
    record : (r,) int64 array
        Rows of the records of the deck, ascending.
    name : (r,) int64 array
        Rows in ``names``.
    is_element, gives : (r,) bool arrays
    first, last, step : (r,) int64 arrays
    names : tuple of str
        Of the cards.
    unsearched : mapping of str to int
        Cards of names that are in no table, with counts: whether they name anything is not known.
    loose : (s,) int64 array
        Whole numbers on those.
    ties : tuple of Tie
    taken : mapping of str to set of int
        Ids of each ``"property"`` and ``"material"`` that any card gives.
    """

    record: Array
    name: Array
    is_element: Array
    gives: Array
    first: Array
    last: Array
    step: Array
    names: tuple[str, ...]
    unsearched: Mapping[str, int]
    loose: Array
    ties: tuple[Tie, ...]
    taken: Mapping[str, frozenset[int]] = dataclasses.field(default_factory=dict)

    @classmethod
    def of(
        cls,
        found: list[tuple[int, str, Mention]],
        unsearched: Mapping[str, int],
        loose: set[int],
        ties: Iterable[Tie],
        singles: Iterable[Singles] = (),
    ) -> References:
        """From mentions with their record and the name of their card, and single ones by the column."""
        singles = list(singles)
        names = tuple(dict.fromkeys([*(name for _, name, _ in found), *(one.name for one in singles)]))
        number = {name: row for row, name in enumerate(names)}
        table = [
            (record, number[name], its.what == ELEMENT_IDS, its.gives, its.first, its.last, its.step)
            for record, name, its in found
        ]
        columns = [np.array(table, np.int64).reshape(-1, 7)]
        for one in singles:
            held = np.flatnonzero(one.ids)
            ids, n = one.ids[held], len(held)
            same = (number[one.name], one.what == ELEMENT_IDS, one.gives)
            columns.append(
                np.column_stack([one.record[held], *(np.full(n, v) for v in same), ids, ids, np.ones(n, int)])
            )
        every = np.concatenate(columns)
        record, name, is_element, gives, first, last, step = every[np.argsort(every[:, 0], kind="stable")].T
        return cls(
            record,
            name,
            is_element.astype(bool),
            gives.astype(bool),
            first,
            last,
            step,
            names,
            dict(unsearched),
            np.array(sorted(loose), np.int64),
            tuple(ties),
        )

    def top(self, what: str) -> int:
        """The highest id of that kind that is named, by a card that is not understood as well."""
        its = self.last[self.is_element == (what == ELEMENT_IDS)]
        return max(int(its.max(initial=0)), int(self.loose.max(initial=0)))

    def single(self, what: str) -> Array:
        """Ids of that kind that are named one by one, and on cards that are not understood, ascending."""
        its = (self.is_element == (what == ELEMENT_IDS)) & (self.first == self.last)
        return np.union1d(self.first[its], self.loose)

    def named(self, what: str, ids: Array) -> Array:
        """(n,) bool: which of some ids any card refers to, single or in a run; O((n + r) log n)."""
        found = np.zeros(len(ids), bool)
        for _, its in self.hits(what, ids):
            found[its] = True
        return found

    def hits(self, what: str, ids: Array) -> list[tuple[int, Array]]:
        """Rows of mentions that refer to any of some ids, and which (rows of ``ids``); O((n + r) log n)."""
        order = np.argsort(ids, kind="stable")
        ordered = ids[order]
        rows = np.flatnonzero((self.is_element == (what == ELEMENT_IDS)) & ~self.gives)
        begin = np.searchsorted(ordered, self.first[rows])
        end = np.searchsorted(ordered, self.last[rows], side="right")
        found = []
        for k in np.flatnonzero(end > begin).tolist():
            row = int(rows[k])
            its = order[begin[k] : end[k]]
            its = its[(ids[its] - self.first[row]) % self.step[row] == 0]
            if len(its):
                found.append((row, its))
        return found

    @cached_property
    def counts(self) -> dict[str, int]:
        """How many cards of each name refer to anything."""
        rows = np.unique(np.column_stack([self.name, self.record]), axis=0)[:, 0]
        held = np.bincount(rows, minlength=len(self.names)).tolist()
        return dict(zip(self.names, held, strict=True))
