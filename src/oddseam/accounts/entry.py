"""Entries of an account, as frozen values that survive a round trip through JSON."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import asdict, dataclass, field, replace
from typing import TYPE_CHECKING, Any

from oddseam.arrays import point_text
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
class LostPlace:
    """Facets that hang together and are lost: how far the farthest of them is, where, how wide, and their area.

    ``is_loose`` says whether they bounded nothing, such as a fin.
    """

    place: tuple[float, float, float]
    distance: float
    across: float
    area: float
    facets: int
    is_loose: bool = False


@dataclass(frozen=True)
class Loss:
    """How far what was given is from what came of it.

    Attributes
    ----------
    tolerance : float or None
        A place that is farther than this, and was not asked to go, is lost (the least, where it varies); ``None`` where
        the shape was to change.
    facets : int
        Given facets that were measured: those that are no longer as they were.
    farthest : float
        Distance of the farthest sample of these from the result; none is farther.
    place : (x, y, z), optional
        Where that is.
    area : float
        By how much the area grew.
    volume : float or None
        By how much the enclosed volume grew; ``None`` where borders changed, so that there is none to tell.
    of_area, of_volume : float or None
        What there was before; ``None`` where less than half of the facets changed, so that the share is small anyway,
        or no space was enclosed.
    n_places : int
        How many places are lost.
    places : tuple of LostPlace
        The largest of them.
    named : tuple of str
        What is to be said of parts, groups and patches that lost all or most of their area.
    """

    tolerance: float | None
    facets: int = 0
    farthest: float = 0.0
    place: tuple[float, float, float] | None = None
    area: float = 0.0
    volume: float | None = 0.0
    n_places: int = 0
    places: tuple[LostPlace, ...] = ()
    named: tuple[str, ...] = ()
    of_area: float | None = None
    of_volume: float | None = None

    @property
    def unmet(self) -> tuple[str, ...]:
        """What is to be said of the places that are lost, if there are any."""
        if not self.n_places:
            return ()
        words = [
            f"{p.facets:,} facet(s){' of a fin or fold' * p.is_loose} {p.across:.4g} across, {p.area:.4g} in area, "
            f"up to {p.distance:.4g} away, at {point_text(p.place)}"
            for p in self.places
        ]
        words += [f"and {self.n_places - len(words):,} more"] * (self.n_places > len(words))
        far = f"farther than {self.tolerance or 0.0:.4g} from the result"
        return (f"lost: {self.n_places:,} place(s) that were given are {far}: " + "; ".join(words),)

    @property
    def text(self) -> str:
        """One line for a reader."""
        if self.place is None:
            far = "nothing given was lost or moved"
        else:
            far = f"the result is up to {self.farthest:.3g} away from what was given, at {point_text(self.place)}"
        grown = f"area {_change(self.area, self.of_area)}"
        grown += "" if self.volume is None else f", volume {_change(self.volume, self.of_volume)}"
        return f"{far}; {grown} ({self.facets:,} changed facets measured)"

    @classmethod
    def from_dict(cls, data: Mapping[str, Any]) -> Loss:
        """The loss that ``asdict`` gave."""
        place = None if data["place"] is None else tuple(data["place"])
        places = tuple(LostPlace(**{**one, "place": tuple(one["place"])}) for one in data["places"])
        return cls(**{**data, "place": place, "places": places, "named": tuple(data["named"])})


def _change(by: float, of: float | None) -> str:
    """A change, and in percent of what there was, if that is known; none that rounding explains."""
    if of and abs(by) <= 1e-9 * abs(of):
        by = 0.0
    return f"{by:+.4g}" + (f" ({100.0 * by / of:+.3f} %)" if of else "")


@dataclass(frozen=True)
class Outcome:
    """What an operation reports of itself, besides the mesh it returns.

    ``notes`` say what was ignored, dropped or approximated; ``unmet`` says what was asked
    for and is still not so, and where; ``loss`` is measured by every operation on surfaces.
    """

    steps: tuple[Step, ...] = ()
    notes: tuple[str, ...] = ()
    unmet: tuple[str, ...] = ()
    loss: Loss | None = None

    def with_notes(self, notes: tuple[str, ...]) -> Outcome:
        """The same, with more notes."""
        return replace(self, notes=(*self.notes, *notes)) if notes else self

    def with_loss(self, loss: Loss) -> Outcome:
        """The same, with what was lost; lost places are unmet."""
        return replace(self, loss=loss, unmet=(*self.unmet, *loss.unmet))


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
            outcome=Outcome(
                steps,
                tuple(outcome["notes"]),
                tuple(outcome["unmet"]),
                None if outcome.get("loss") is None else Loss.from_dict(outcome["loss"]),
            ),
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
