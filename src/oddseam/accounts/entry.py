"""Entries of an account, as frozen values that survive a round trip through JSON."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import asdict, dataclass, field
from typing import TYPE_CHECKING, Any

from oddseam.markup import html_table

if TYPE_CHECKING:
    import pandas as pd


@dataclass(frozen=True)
class Step:
    """One step of an operation.

    Attributes
    ----------
    name : str
        What was done, such as ``"drop duplicates"``.
    count : int
        How many things it touched; 0 says that there was nothing to do.
    largest_move : float
        Largest distance that a node moved, in the unit of the mesh.
    detail : str
        One line for a reader.
    places : tuple of (x, y, z)
        The worst or the first few places.
    """

    name: str
    count: int
    largest_move: float = 0.0
    detail: str = ""
    places: tuple[tuple[float, float, float], ...] = ()


@dataclass(frozen=True)
class Outcome:
    """What an operation reports of itself, besides the mesh it returns.

    ``notes`` say what was ignored, dropped or approximated; ``unmet`` says what was asked
    for and is still not so, and where.
    """

    steps: tuple[Step, ...] = ()
    notes: tuple[str, ...] = ()
    unmet: tuple[str, ...] = ()


@dataclass(frozen=True)
class Entry:
    """One operation in an account."""

    operation: str
    settings: Mapping[str, Any]
    inputs: tuple[str, ...]
    output: str
    before: Mapping[str, int]
    after: Mapping[str, int]
    outcome: Outcome
    version: str
    seconds: float = field(default=0.0, compare=False)

    @property
    def largest_move(self) -> float:
        """Largest distance that a node moved in any step, in the unit of the mesh."""
        return max((step.largest_move for step in self.outcome.steps), default=0.0)

    def to_dict(self) -> dict[str, Any]:
        """Plain values, ready for JSON."""
        return asdict(self)

    @classmethod
    def from_dict(cls, data: Mapping[str, Any]) -> Entry:
        """The entry that :meth:`to_dict` gave."""
        outcome = data["outcome"]
        steps = tuple(
            Step(
                step["name"],
                step["count"],
                step["largest_move"],
                step["detail"],
                tuple((place[0], place[1], place[2]) for place in step["places"]),
            )
            for step in outcome["steps"]
        )
        return cls(
            operation=data["operation"],
            settings=data["settings"],
            inputs=tuple(data["inputs"]),
            output=data["output"],
            before=data["before"],
            after=data["after"],
            outcome=Outcome(steps, tuple(outcome["notes"]), tuple(outcome["unmet"])),
            version=data["version"],
            seconds=data["seconds"],
        )


@dataclass(frozen=True)
class Account:
    """The journal of a mesh: entries in the order in which they were made.

    Entries name their inputs by content digest, so the accounts of several meshes that met
    in one operation form a small graph.
    """

    entries: tuple[Entry, ...] = ()

    def __len__(self) -> int:
        return len(self.entries)

    def __iter__(self) -> Iterator[Entry]:
        return iter(self.entries)

    @property
    def last(self) -> Entry:
        """The newest entry; IndexError if there is none."""
        return self.entries[-1]

    def with_entry(self, entry: Entry) -> Account:
        """An account with one more entry."""
        return Account((*self.entries, entry))

    def frame(self) -> pd.DataFrame:
        """One row for each step of each entry."""
        import pandas as pd

        columns = ["operation", "step", "count", "largest_move", "detail"]
        rows = [
            (entry.operation, step.name, step.count, step.largest_move, step.detail)
            for entry in self
            for step in entry.outcome.steps
        ]
        return pd.DataFrame(rows, columns=columns)

    def _repr_html_(self) -> str:
        return "".join(
            html_table(
                f"{entry.operation}, {entry.seconds:.1f} s",
                ("step", "count", "largest move", "detail"),
                [
                    *((s.name, f"{s.count:,}", f"{s.largest_move:.4g}", s.detail) for s in entry.outcome.steps),
                    *(("note", "", "", note) for note in entry.outcome.notes),
                    *(("unmet", "", "", line) for line in entry.outcome.unmet),
                ],
            )
            for entry in self
        ) or html_table("nothing done yet", (), ())

    def to_list(self) -> list[dict[str, Any]]:
        """Plain values, ready for JSON."""
        return [entry.to_dict() for entry in self.entries]

    @classmethod
    def from_list(cls, data: list[dict[str, Any]]) -> Account:
        """The account that :meth:`to_list` gave."""
        return cls(tuple(Entry.from_dict(item) for item in data))
