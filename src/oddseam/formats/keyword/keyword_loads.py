"""Loads and constraints of a keyword deck in the form that both decks know, and lines of such."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field

import numpy as np

from oddseam.arrays import Array
from oddseam.formats.decks import real_text
from oddseam.formats.includes import as_one
from oddseam.formats.keyword.keyword_lines import Block, Lines
from oddseam.formats.keyword.texts import WIDTH
from oddseam.formats.loads import TURNS, Case, LeftOutError, Loads, Targets, components, framed_lost
from oddseam.formats.losses import Remarks
from oddseam.model import Mesh
from oddseam.model.source import Records

#: Kinds of steps; all but the first make other cases than loads that stand still.
_PROCEDURES = ("STATIC", "DYNAMIC", "FREQUENCY", "BUCKLE", "HEAT TRANSFER", "COUPLED TEMPERATURE-DISPLACEMENT",
               "UNCOUPLED TEMPERATURE-DISPLACEMENT", "MODAL DYNAMIC", "STEADY STATE DYNAMICS", "VISCO", "CFD",
               "COMPLEX FREQUENCY", "GREEN", "SENSITIVITY", "ELECTROMAGNETICS", "SUBSTRUCTURE GENERATE")  # fmt: skip


@dataclass
class _Step:
    """The keywords of a step, and whether it holds nothing but loads that stand still."""

    blocks: list[Block] = field(default_factory=list)
    is_static: bool = False


def read_loads(mesh: Mesh, records: Records, target: Targets) -> Loads:
    """BOUNDARY, CLOAD and DLOAD of static steps; each step goes on from the one before it."""
    return _Reading(mesh, records, target).loads()


class _Reading:
    """One deck while its loads are read."""

    def __init__(self, mesh: Mesh, records: Records, target: Targets) -> None:
        self._mesh, self._lines, self._target = mesh, Lines(as_one(records.text.tobytes())), target
        self._node_sets = {name.upper(): its for name, its in mesh.groups.nodes.items()}
        self._element_sets = {name.upper(): its for name, its in mesh.groups.elements.items()}
        self._left: Counter[str] = Counter()
        self._framed = {
            number for block in self._lines.blocks if block.name == "TRANSFORM"
            for number in self._nodes(block.options.get("NSET", ""))
        }  # fmt: skip
        self._takers: dict[str, Callable[[list[str], Case], None]] = {
            "BOUNDARY": self._boundary, "CLOAD": self._force, "DLOAD": self._pressure,
        }  # fmt: skip

    def loads(self) -> Loads:
        """A case for each static step; one with constraints alone where there is no step."""
        model, steps = self._cut()
        taken: Counter[str] = Counter()
        now = Case()
        for block in model:
            self._take(block, now, taken)
        cases = list[Case]()
        for step in steps:
            if not step.is_static:
                lost = sum(block.name in self._takers for block in step.blocks)
                self._left["keywords with loads or constraints in steps that are not static"] += lost
                continue
            now = Case(dict(now.constraints), dict(now.forces), dict(now.pressures), now.gravity)
            for block in step.blocks:
                self._take(block, now, taken)
            taken.update(("STEP", "STATIC", "END STEP"))
            cases.append(now)
        if not steps and now.constraints:
            cases.append(now)
        return Loads([self._plain(case) for case in cases], taken, [f"{n:,} {why}" for why, n in (+self._left).items()])

    def _cut(self) -> tuple[list[Block], list[_Step]]:
        """Keywords before the steps, and those of every step."""
        model, steps, inside = list[Block](), list[_Step](), False
        for block in self._lines.blocks:
            if block.name == "STEP":
                steps.append(_Step([], True))
                inside = True
                if set(block.options) - {"INC"}:
                    self._left[f"options of steps: {', '.join(sorted(set(block.options) - {'INC'}))}"] += 1
            elif block.name == "END STEP":
                inside = False
            elif not inside:
                model.append(block)
            else:
                steps[-1].blocks.append(block)
                steps[-1].is_static &= block.name not in _PROCEDURES[1:]
                if block.name == "STATIC" and len(self._lines.data_rows(block)):
                    self._left["lines of increments under STATIC"] += 1
        return model, steps

    def _take(self, block: Block, case: Case, taken: Counter[str]) -> None:
        """What one keyword adds; all of it or nothing."""
        take = self._takers.get(block.name)
        if take is None:
            return
        more = set(block.options) - {"OP"}
        new = Case()
        try:
            if more:
                raise LeftOutError(f"with {', '.join(sorted(more))}")
            for _, words in self._lines.words(block):
                take(words, new)
        except (ValueError, IndexError):
            self._left[f"*{block.name} whose lines are not understood"] += 1
            return
        except LeftOutError as why:
            self._left[f"*{block.name} {why}"] += 1
            return
        if block.options.get("OP", "MOD").upper() == "NEW":
            self._clear(block.name, case)
        case.constraints.update(new.constraints)
        case.forces.update(new.forces)
        case.pressures.update(new.pressures)
        case.gravity = new.gravity if new.gravity.any() else case.gravity
        taken[block.name] += 1

    @staticmethod
    def _clear(name: str, case: Case) -> None:
        """What a keyword that begins anew takes away."""
        if name == "BOUNDARY":
            case.constraints.clear()
        elif name == "CLOAD":
            case.forces.clear()
        else:
            case.pressures.clear()
            case.gravity = np.zeros(3)

    # ------------------------------------------------------------------ lines

    def _boundary(self, words: list[str], case: Case) -> None:
        first = int(words[1])
        last = int(words[2]) if len(words) > 2 and words[2] else first
        if not 1 <= first <= last <= 6:
            raise LeftOutError(f"of components {first} to {last}")
        value = float(words[3]) if len(words) > 3 and words[3] else 0.0
        for node in self._nodes(words[0]):
            case.constraints.update({(node, component): value for component in range(first, last + 1)})

    def _force(self, words: list[str], case: Case) -> None:
        component = int(words[1])
        if not 1 <= component <= 6:
            raise LeftOutError(f"of component {component}")
        for node in self._nodes(words[0]):
            if node in self._framed:
                raise LeftOutError("on nodes with a frame of their own")
            case.forces[node, component] = float(words[2])

    def _pressure(self, words: list[str], case: Case) -> None:
        elements, label = self._elements(words[0]), words[1].upper()
        if label == "GRAV":
            if len(set(elements) & self._target.row.keys()) < len(self._target.row):
                raise LeftOutError("with gravity on some of the elements")
            case.gravity = case.gravity + float(words[2]) * np.array([float(word) for word in words[3:6]])
            return
        solids = [self._target.is_solid(element) for element in elements]
        if label == "P" and not any(solids):
            side = -1
        elif label[:1] == "P" and label[1:].isdecimal() and all(solids):
            side = int(label[1:]) - 1
        else:
            raise LeftOutError(f"with {label} on {'solids' if any(solids) else 'shells'}")
        for element in elements:
            if side >= 0 and side not in dict(self._target.sides(element)):
                raise LeftOutError(f"with {label} on solids that have no such face")
            case.pressures[element, side] = float(words[2])

    def _nodes(self, word: str) -> list[int]:
        return _named(word, self._node_sets, self._mesh.node_ids)

    def _elements(self, word: str) -> list[int]:
        return _named(word, self._element_sets, self._mesh.element_ids)

    def _plain(self, case: Case) -> Case:
        """Without constraints in frames of their own, unless a node is held all ways."""
        for key in framed_lost(case.constraints, self._framed):
            self._left["constraint(s) on nodes with a frame of their own"] += 1
            del case.constraints[key]
        return case


def _named(word: str, sets: dict[str, Array], ids: Array) -> list[int]:
    """Ids by one of them, or by the name of a set."""
    if word.isdecimal():
        return [int(word)]
    if word.upper() not in sets:
        raise LeftOutError(f"on {word}, which is no set that is read")
    members: list[int] = ids[sets[word.upper()]].tolist()
    return members


# ---------------------------------------------------------------------- lines of such


def load_lines(mesh: Mesh, sets: list[str], cases: list[Case], said: Remarks) -> Iterator[str]:
    """Steps of some cases; ``sets`` are those that hold all elements.

    Constraints that all cases have in common stand before the steps.
    """
    if not cases:
        return
    target = Targets(mesh)
    same = all(case.constraints == cases[0].constraints for case in cases)
    acting = [case for case in cases if case.acts or not same]
    turned = {key for case in cases for held in (case.constraints, case.forces) for key in held
              if key[1] in TURNS and key[0] not in target.turning}  # fmt: skip
    if turned:
        said.lost.append(
            f"rotations of {len({node for node, _ in turned}):,} nodes of solids, which have none: held or loaded"
        )
    if same:
        yield from _boundary_lines(cases[0], turned, "")
    for k, case in enumerate(acting):
        again = ", OP=NEW" if k else ""
        yield "*STEP\n*STATIC\n"
        if not same:
            yield from _boundary_lines(case, turned, again)
        forces = [(*key, value) for key, value in case.forces.items() if key not in turned]
        if forces or k:
            yield f"*CLOAD{again}\n"
            yield from (f"{node}, {component}, {real_text(value, WIDTH)}\n" for node, component, value in forces)
        if case.pressures or case.gravity.any() or k:
            yield f"*DLOAD{again}\n"
            for (element, side), value in case.pressures.items():
                yield f"{element}, {'P' if side < 0 else f'P{side + 1}'}, {real_text(value, WIDTH)}\n"
            yield from _gravity_lines(case.gravity, sets)
        yield "*END STEP\n"


def _boundary_lines(case: Case, turned: set[tuple[int, int]], again: str) -> Iterator[str]:
    """Constraints, in runs of components of a node."""
    held = {key: value for key, value in case.constraints.items() if key not in turned}
    if held:
        yield f"*BOUNDARY{again}\n"
    for node, its in components(held).items():
        first = its[0]
        for component, following in zip(its, [*its[1:], 0], strict=True):
            value = held[node, component]
            if following == component + 1 and held[node, following] == value:
                continue
            yield f"{node}, {first}, {component}" + (f", {real_text(value, WIDTH)}\n" if value else "\n")
            first = following


def _gravity_lines(gravity: Array, sets: list[str]) -> Iterator[str]:
    size = float(np.linalg.norm(gravity))
    if size > 0:
        along = ", ".join(real_text(value, WIDTH) for value in (gravity / size).tolist())
        yield from (f"{name}, GRAV, {real_text(size, WIDTH)}, {along}\n" for name in sets)
