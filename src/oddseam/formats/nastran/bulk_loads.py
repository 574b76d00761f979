"""Loads and constraints of a bulk data deck in the form that both decks know, and cards of such."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field

import numpy as np

from oddseam.arrays import Array, runs_text
from oddseam.formats.decks import real_text
from oddseam.formats.includes import as_one
from oddseam.formats.loads import MOVES, TURNS, Case, LeftOutError, Loads, Targets, components, framed_lost
from oddseam.formats.nastran.bulk_references import mentions
from oddseam.formats.nastran.fields import LARGE, SMALL, Card, card_text
from oddseam.formats.nastran.points import frames_of
from oddseam.formats.nastran.scanning import Scan
from oddseam.model import Mesh
from oddseam.model.references import ELEMENT_IDS, NODE_IDS
from oddseam.model.source import ELEMENT, NODE, Records

_ROLES = ((NODE_IDS, NODE), (ELEMENT_IDS, ELEMENT))
_SUBCASE = re.compile(r"SUBCASE\s+(\d+)", re.IGNORECASE)
_CHOICE = re.compile(r"(SPC|LOAD)\s*=\s*(\d+)", re.IGNORECASE)
#: Loads of a case have numbers from here on, what combines them from twice that.
_LOADS_FROM = 1000


@dataclass
class _Sets:
    """What cards say, by the number of their set, and which cards those are."""

    held: dict[int, Case] = field(default_factory=dict)
    cards: dict[int, Counter[str]] = field(default_factory=dict)

    def of(self, number: int) -> Case:
        return self.held.setdefault(number, Case())


def read_loads(_: Mesh, records: Records, target: Targets) -> Loads:
    """SPC, SPC1, FORCE, MOMENT, PLOAD2, PLOAD4, GRAV, LOAD and SPCADD, as the case control chooses them."""
    return _Reading(records, target).loads()


class _Reading:
    """One deck while its loads are read."""

    def __init__(self, records: Records, target: Targets) -> None:
        self._scan = Scan(as_one(records.text.tobytes()))
        self._frames = frames_of(records)
        self._target = target
        self._had = {what: np.sort(records.key[records.role == role]) for what, role in _ROLES}
        self._left: Counter[str] = Counter()
        self._holds = self._gathered({"SPC": self._spc, "SPC1": self._spc1})
        self._acts = self._gathered(
            {"FORCE": self._force, "MOMENT": self._force, "PLOAD2": self._pressure, "PLOAD4": self._pressure,
             "GRAV": self._gravity}
        )  # fmt: skip
        self._framed, self._permanent = self._of_grids()

    def _gathered(self, takers: dict[str, Callable[[Card, Case], None]]) -> _Sets:
        """All cards of some names; what cannot be taken is counted with its reason."""
        sets = _Sets()
        for name, take in takers.items():
            for _, card in self._scan.cards(name):
                try:
                    number, its = card.whole(1), Case()
                    take(card, its)
                except ValueError as error:
                    self._left[f"{name} cards: {error}"] += 1
                except LeftOutError as why:
                    self._left[f"{name} cards {why}"] += 1
                else:
                    sets.of(number).add(its)
                    sets.of(number).constraints.update(its.constraints)
                    sets.cards.setdefault(number, Counter())[name] += 1
        return sets

    # ------------------------------------------------------------------ cards

    def _spc(self, card: Card, case: Case) -> None:
        for k in range(2, len(card.fields) + 1, 3):
            if card.text(k):
                for component in _components(card.text(k + 1)):
                    case.constraints[card.whole(k), component] = card.real(k + 2) or 0.0

    def _spc1(self, card: Card, case: Case) -> None:
        its = _components(card.text(2))
        for mention in mentions(card):
            for node in self._run(NODE_IDS, mention.first, mention.last):
                case.constraints.update({(node, component): 0.0 for component in its})

    def _vector(self, card: Card, frame: int, first: int, at: Array | None) -> Array:
        vector = np.array([card.real(first + k) for k in range(3)], float)
        if not frame:
            return vector
        if frame not in self._frames:
            raise LeftOutError(f"in a frame that is not read ({frame})")
        its = self._frames[frame]
        if at is None and its.kind:
            raise LeftOutError("along a round frame")
        return np.asarray(vector @ its.directions(np.zeros(3) if at is None else at))

    def _force(self, card: Card, case: Case) -> None:
        node, frame = card.whole(2), card.whole(3, 0)
        at = self._target.place(node) if node in self._target.nodes else None
        vector = (card.real(4) or 0.0) * self._vector(card, frame, 5, at)
        for component, value in zip(TURNS if card.name == "MOMENT" else MOVES, vector.tolist(), strict=True):
            if value:
                case.forces[node, component] = value

    def _gravity(self, card: Card, case: Case) -> None:
        case.gravity = (card.real(3) or 0.0) * self._vector(card, card.whole(2, 0), 4, None)

    def _pressure(self, card: Card, case: Case) -> None:
        if card.name == "PLOAD2":
            value = card.real(2) or 0.0
            found = [(n, -1, value) for m in mentions(card) for n in self._run(ELEMENT_IDS, m.first, m.last)]
        else:
            found = list(self._pload4(card))
        for element, side, value in found:
            if side < 0 and self._target.is_solid(element):
                raise LeftOutError("on solids without a face")
            case.pressures[element, side] = case.pressures.get((element, side), 0.0) + value

    def _run(self, what: str, first: int, last: int) -> list[int]:
        """Nodes or elements of a run that are or were in the deck; a single one in any case."""
        if first == last:
            return [first]
        begin, end = np.searchsorted(self._had[what], [first, last + 1])
        numbers: list[int] = self._had[what][begin:end].tolist()
        return numbers

    def _pload4(self, card: Card) -> Iterator[tuple[int, int, float]]:
        value = card.real(3) or 0.0
        if any(card.real(k, None) not in (None, value) for k in (4, 5, 6)):
            raise LeftOutError("that differ from corner to corner")
        if any(card.text(k) for k in range(9, 13)) and any(card.real(k) for k in (10, 11, 12)):
            raise LeftOutError("along a direction")
        element = card.whole(2)
        if card.text(7).upper() == "THRU" or not card.text(7):
            last = card.whole(8, element) if card.text(7) else element
            yield from ((number, -1, value) for number in self._run(ELEMENT_IDS, element, last))
        else:
            yield element, self._face(element, card.whole(7), card.whole(8, 0)), value

    def _face(self, element: int, one: int, other: int) -> int:
        """The side of a solid by a corner of it and the opposite one, or by one that a tetrahedron's has not."""
        if not self._target.is_solid(element):
            return -1
        kind = self._target.row[element][0]
        found = []
        for number, corners in self._target.sides(element):
            if one not in corners:
                continue
            if kind.startswith("tet"):
                fits = other not in corners
            elif len(corners) == 4:
                fits = other == corners[corners.index(one) - 2]
            else:
                fits = not other if kind.startswith("wedge") else other in corners
            found += [number] if fits else []
        if len(found) != 1:
            raise LeftOutError("whose nodes name no face of their solid")
        return found[0]

    def _of_grids(self) -> tuple[set[int], dict[int, str]]:
        """Nodes whose results are in a turned frame, and components that their own card holds."""
        default = next((card for _, card in self._scan.cards("GRDSET")), Card("GRDSET", [], SMALL))
        columns = self._scan.fields(self._scan.of("GRID"), 7)
        ids, frame = columns.whole(0, "GRID"), columns.whole(5, "GRID", default.whole(6, 0))
        held = columns.whole(6, "GRID", default.whole(7, 0))
        turned = [number for number in np.unique(frame[frame != 0]).tolist() if self._is_turned(number)]
        holding = np.flatnonzero(held)
        return (
            set(ids[np.isin(frame, turned)].tolist()),
            {int(ids[k]): str(held[k]) for k in holding.tolist()},
        )

    # ------------------------------------------------------------------ cases

    def loads(self) -> Loads:
        """The cases that the case control makes, or every set of loads where it says nothing."""
        combined = {card.whole(1): card for _, card in self._scan.cards("LOAD")}
        adding = {card.whole(1): [card.whole(k) for k in range(2, len(card.fields) + 1) if card.text(k)]
                  for _, card in self._scan.cards("SPCADD")}  # fmt: skip
        taken: Counter[str] = Counter()
        cases, used = [], set[tuple[str, int]]()
        for holding, acting in self._choices(set(combined), set(adding)):
            case = Case({(n, c): 0.0 for n, its in self._permanent.items() for c in _components(its)})
            for number in adding.get(holding, [holding]):
                case.constraints.update(self._holds.of(number).constraints)
                used.add(("SPC", number))
            used.add(("SPCADD", holding))
            for scale, number in _terms(combined[acting]) if acting in combined else [(1.0, acting)]:
                case.add(self._acts.of(number), scale)
                used.add(("LOAD set", number))
            used.add(("LOAD", acting))
            case.constraints = self._basic(case.constraints)
            cases.append(case)
        for sets, what in ((self._holds, "SPC"), (self._acts, "LOAD set")):
            for number, cards in sets.cards.items():
                if (what, number) in used:
                    taken += cards
                else:
                    self._left[f"cards of the set {number}, which no case chooses"] += sum(cards.values())
        taken["LOAD"] += sum(("LOAD", number) in used for number in combined)
        taken["SPCADD"] += sum(("SPCADD", number) in used for number in adding)
        taken["constraints on GRID cards"] += len(self._permanent)
        return Loads(cases, +taken, [f"{count:,} {why}" for why, count in self._left.items()])

    def _choices(self, combined: set[int], adding: set[int]) -> list[tuple[int, int]]:
        """Sets of constraints and loads that act together; 0 for none."""
        head = self._scan.data[: self._scan.start[1]].tobytes() if self._scan.name[:1].tolist() == [-1] else b""
        above = {"SPC": 0, "LOAD": 0}
        cases: list[dict[str, int]] = []
        for line in head.decode("latin-1").splitlines():
            text = line.split("$", 1)[0].strip()
            if _SUBCASE.fullmatch(text):
                cases.append(dict(above))
            elif found := _CHOICE.fullmatch(text):
                (cases[-1] if cases else above)[found[1].upper()] = int(found[2])
        cases = cases or [above]
        if any(any(case.values()) for case in cases):
            return [(case["SPC"], case["LOAD"]) for case in cases]
        holding = sorted(adding or set(self._holds.cards))
        acting = sorted(combined or set(self._acts.cards)) or [0]
        if len(holding) > 1:
            self._left[f"sets of constraints, of which none is chosen: {runs_text(np.array(holding))}"] = len(holding)
            holding = []
        one = holding[0] if holding else 0
        return [(one, number) for number in acting] if one or acting != [0] or self._permanent else []

    def _basic(self, constraints: dict[tuple[int, int], float]) -> dict[tuple[int, int], float]:
        """Those that hold in the basic frame too: of a node with another one, where it is held all ways or none."""
        lost = dict.fromkeys(framed_lost(constraints, self._framed))
        if lost:
            nodes = sorted({node for node, _ in lost})
            self._left[f"constraints in frames of their own: nodes {runs_text(np.array(nodes))}"] = len(nodes)
        return {key: value for key, value in constraints.items() if key not in lost}

    def _is_turned(self, frame: int) -> bool:
        """Whether directions of a frame, which may not be read, are others than those of the basic one."""
        its = self._frames.get(frame)
        return its is None or bool(its.kind) or not np.array_equal(its.axes, np.eye(3))


def _components(text: str) -> list[int]:
    """Components in digits; 0 is a scalar point's."""
    found = sorted({int(digit) for digit in text})
    if any(not 1 <= component <= 6 for component in found):
        raise LeftOutError("of scalar points")
    return found


def _terms(card: Card) -> list[tuple[float, int]]:
    """Scales and sets of a combination."""
    whole = card.real(2) or 0.0
    pairs = range(3, len(card.fields) + 1, 2)
    return [(whole * (card.real(k) or 0.0), card.whole(k + 1)) for k in pairs if card.text(k + 1)]


# ---------------------------------------------------------------------- cards of such


def load_cards(mesh: Mesh, cases: list[Case]) -> tuple[list[str], list[str]]:
    """Lines of the case control, and cards."""
    head, cards = list[str](), list[str]()
    holding: list[dict[tuple[int, int], float]] = []
    target = Targets(mesh) if any(case.pressures for case in cases) else None
    for k, case in enumerate(cases, 1):
        if case.constraints not in holding:
            holding.append(case.constraints)
            cards += _constraint_cards(len(holding), case.constraints)
        indent = "  " if len(cases) > 1 else ""
        head += [f"SUBCASE {k}\n"] if len(cases) > 1 else []
        head += [f"{indent}SPC = {holding.index(case.constraints) + 1}\n"] if case.constraints else []
        if case.acts:
            head.append(f"{indent}LOAD = {_LOADS_FROM + k}\n")
            cards += _load_cards(target, case, _LOADS_FROM + k)
    return head, cards


def _constraint_cards(number: int, constraints: dict[tuple[int, int], float]) -> Iterator[str]:
    fixed: dict[str, list[str]] = {}
    for node, its in components([key for key, value in constraints.items() if not value]).items():
        fixed.setdefault("".join(map(str, its)), []).append(str(node))
    for text, nodes in fixed.items():
        yield card_text("SPC1", [str(number), text, *nodes], SMALL)
    for (node, component), value in constraints.items():
        if value:
            yield card_text("SPC", [str(number), str(node), str(component), real_text(value, 16)], LARGE)


def _load_cards(target: Targets | None, case: Case, number: int) -> Iterator[str]:
    """Cards of one set, with what pressures act on; gravity stands in a set of its own, as it must."""
    plain = bool(case.forces or case.pressures)
    heavy = bool(case.gravity.any())
    at = number
    if plain and heavy:
        at = number + _LOADS_FROM
        terms = ["1.0", str(at), "1.0", str(at + _LOADS_FROM)]
        yield card_text("LOAD", [str(number), "1.0", *terms], SMALL)
    for node, its in components(case.forces).items():
        for name, group in (("FORCE", MOVES), ("MOMENT", TURNS)):
            if any(component in its for component in group):
                vector = [real_text(case.forces.get((node, component), 0.0), 16) for component in group]
                yield card_text(name, [str(at), str(node), "0", "1.0", *vector], LARGE)
    for (element, side), value in case.pressures.items():
        assert target is not None
        fields = [str(at), str(element), real_text(value, 16)]
        if side >= 0:
            fields += ["", "", "", *_face_nodes(target, element, side)]
        yield card_text("PLOAD4", fields, LARGE)
    if heavy:
        vector = [real_text(value, 16) for value in case.gravity.tolist()]
        yield card_text("GRAV", [str(at + _LOADS_FROM if plain else number), "0", "1.0", *vector], LARGE)


def _face_nodes(target: Targets, element: int, side: int) -> list[str]:
    """Two nodes that name a face of a solid."""
    corners = dict(target.sides(element))[side]
    kind = target.row[element][0]
    if kind.startswith("tet"):
        other = next(node for node in target.corners(element) if node not in corners)
        return [str(corners[0]), str(other)]
    return [str(corners[0]), str(corners[2])] if len(corners) == 4 else [str(corners[0]), ""]
