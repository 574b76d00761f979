"""Listings: tables of frozen rows, which read as a sequence, a data frame, HTML, plain values or text."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import Field, asdict, dataclass, field, fields
from typing import TYPE_CHECKING, Any, Generic, TypeVar, overload

from oddseam.markup import html_table

if TYPE_CHECKING:
    import pandas as pd

R = TypeVar("R")

#: So many ids of a row are shown as text.
_IDS = 6
#: So many names of a row are shown as text.
_NAMES = 6
#: What is shown as nothing.
_EMPTY: tuple[Any, ...] = (None, False, "", ())
#: Coordinates of less than this share of the diagonal are shown as 0.
_NOTHING = 1e-7


def column(form: str = ".6g", heading: str | None = None, *, shown: bool = True) -> Any:
    """A field of a row: how its numbers are written, what stands above it, and whether it is shown as text at all."""
    return field(metadata={"form": form, "heading": heading, "shown": shown})


@dataclass(frozen=True, eq=False)
class Listing(Sequence[R], Generic[R]):
    """A table.

    Attributes
    ----------
    rows : tuple
        Frozen dataclasses of one kind; a listing is a sequence of them.
    kind : type
        What the rows are.
    title : str
        What the table is of, in one line.
    diagonal : float
        Of the part: places that are nothing beside it are shown as 0.
    """

    rows: tuple[R, ...]
    kind: type[R]
    title: str
    diagonal: float = 0.0

    def __len__(self) -> int:
        return len(self.rows)

    @overload
    def __getitem__(self, index: int) -> R: ...
    @overload
    def __getitem__(self, index: slice) -> Sequence[R]: ...
    def __getitem__(self, index: int | slice) -> R | Sequence[R]:
        return self.rows[index]

    def __iter__(self) -> Iterator[R]:
        return iter(self.rows)

    def to_list(self) -> list[dict[str, Any]]:
        """Plain values, ready for JSON."""
        return [asdict(row) for row in self.rows]  # type: ignore[call-overload]  # rows are dataclasses

    def frame(self) -> pd.DataFrame:
        """One row for each."""
        import pandas as pd

        return pd.DataFrame(self.to_list(), columns=[one.name for one in fields(self.kind)])  # type: ignore[arg-type]

    @property
    def headings(self) -> tuple[str, ...]:
        """What stands above the columns that are shown."""
        return tuple(one.metadata.get("heading") or one.name.replace("_", " ") for one in self._shown)

    @property
    def numeric(self) -> tuple[bool, ...]:
        """Which of the columns that are shown hold numbers."""
        values = ([getattr(row, one.name) for row in self.rows] for one in self._shown)
        return tuple(all(value is None or isinstance(value, int | float) for value in its) for its in values)

    def texts(self) -> Iterator[tuple[str, ...]]:
        """The rows as they are shown."""
        for row in self.rows:
            yield tuple(self._text(getattr(row, one.name), one.metadata.get("form", ".6g")) for one in self._shown)

    @property
    def _shown(self) -> list[Field[Any]]:
        """Columns that are to be shown, and are not empty from top to bottom."""
        its = [one for one in fields(self.kind) if one.metadata.get("shown", True)]  # type: ignore[arg-type]
        return [one for one in its if any(getattr(row, one.name) not in _EMPTY for row in self.rows)]

    def _text(self, value: Any, form: str) -> str:
        if value is None or value is False:
            return ""
        if isinstance(value, bool):
            return "yes"
        if isinstance(value, float):
            return format(value, form)
        if isinstance(value, int):
            return f"{value:,}"
        if isinstance(value, Mapping):
            return ", ".join(f"{name.replace('_', ' ')} {its:.4g}" for name, its in value.items())
        if isinstance(value, tuple):
            return self._several(value)
        return str(value)

    def _several(self, values: tuple[Any, ...]) -> str:
        if len(values) == 3 and all(isinstance(one, float) for one in values):
            least = _NOTHING * self.diagonal
            return ", ".join(f"{0.0 if abs(one) < least else one:.5g}" for one in values)
        most = _NAMES if all(isinstance(one, str) for one in values) else _IDS
        return ", ".join(map(str, values[:most])) + (", ..." if len(values) > most else "")

    def _repr_html_(self) -> str:
        return html_table(self.title, self.headings, list(self.texts()))
