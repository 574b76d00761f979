"""Changes in a TOML file, and tables of node targets."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from oddseam.errors import FormatError, Refusal
from oddseam.formats import read_mesh
from oddseam.formats.toml import Toml
from oddseam.inputs import checked
from oddseam.morphing.changes import (
    Bore,
    Change,
    Lattice,
    Move,
    Offset,
    Scale,
    Shape,
    Targets,
    Turn,
    Wall,
)
from oddseam.morphing.read_targets import read_targets

#: By the name of a table: the change, the keys that it has to have, and those that it may have.
_TABLES: dict[str, tuple[type[Change], tuple[str, ...], tuple[str, ...]]] = {
    "move": (Move, ("pick", "by"), ()),
    "turn": (Turn, ("pick", "angle", "axis"), ("about",)),
    "scale": (Scale, ("pick", "factor", "about"), ()),
    "offset": (Offset, ("pick", "distance"), ()),
    "bore": (Bore, ("near",), ("diameter", "centre", "axis", "outline")),
    "wall": (Wall, ("pick", "thickness"), ()),
    "targets": (Targets, ("file",), ()),
    "lattice": (Lattice, ("low", "high", "pushes"), ("counts", "pick")),
    "shape": (Shape, ("file",), ("pick", "surface")),
}
_TEXTS = ("pick", "file", "surface")


@checked
def read_changes(path: str | Path) -> dict[str, Any]:
    """Read changes of a design.

    Parameters
    ----------
    path : str or Path
        A TOML file.  At its head any of ``hold`` and ``planes`` (lists of texts) and ``reach``; a table ``[limits]`` of
        numbers by measure; and changes in the order of their kinds, each a table: ``[[move]]``, ``[[turn]]``,
        ``[[scale]]``, ``[[offset]]``, ``[[bore]]``, ``[[wall]]`` with the fields of the class of that name,
        ``[[lattice]]``, whose ``pushes`` are lists of six numbers (place in the lattice, push), ``[[targets]]`` and
        ``[[shape]]`` with a ``file``, which is looked for beside this one.

    Returns
    -------
    dict
        Arguments of ``morph``.

    Raises
    ------
    FormatError
        If the file cannot be read, or a key or a value is not understood; it names the key and the line.

    Examples
    --------
    >>> import oddseam, pathlib, tempfile
    >>> path = pathlib.Path(tempfile.mkdtemp(), "revision_b.toml")
    >>> _ = path.write_text("reach = 30.0; [[bore]]; near = [0, 20, 10]; diameter = 23.0".replace("; ", chr(10)))
    >>> oddseam.read_changes(path)
    {'changes': (Bore(near=(0.0, 20.0, 10.0), diameter=23.0, centre=None, axis=None, outline=False),), 'reach': 30.0}
    """
    return _Checked(path).arguments()


class _Checked(Toml):
    def arguments(self) -> dict[str, Any]:
        found: dict[str, Any] = {}
        changes: list[Change] = []
        for key, value in self.held.items():
            if key in _TABLES:
                changes += [self.change(key, k, table) for k, table in enumerate(self.list_of_tables(key, value))]
            elif key in ("hold", "planes"):
                if not isinstance(value, list) or not all(isinstance(text, str) for text in value):
                    raise self.wrong("", key, f"{key} is a list of texts")
                found[key] = tuple(value)
            elif key == "reach":
                found[key] = self.number("", key, value)
            elif key == "limits" and isinstance(value, dict):
                found[key] = {name: self.number(key, name, limit) for name, limit in value.items()}
            else:
                known = ["hold", "planes", "reach", "[limits]", *(f"[[{name}]]" for name in _TABLES)]
                raise self.wrong("", key, f"a file of changes has {', '.join(known)}")
        if not changes:
            raise FormatError(self.path, f"there is no change: {', '.join(f'[[{name}]]' for name in _TABLES)}")
        return {"changes": tuple(changes), **found}

    def change(self, name: str, k: int, table: dict[str, Any]) -> Change:
        """The k-th table of a name."""
        kind, needed, more = _TABLES[name]
        self.only(name, table, {*needed, *more}, set(needed), k)
        values: dict[str, Any] = {}
        for key, value in table.items():
            if key in _TEXTS:
                if not isinstance(value, str):
                    raise self.wrong(name, key, f"{value!r} is no text", k)
                values[key] = value
            elif key == "outline":
                if not isinstance(value, bool):
                    raise self.wrong(name, key, f"{key} is true or false", k)
                values[key] = value
            elif key == "pushes":
                if not isinstance(value, list):
                    raise self.wrong(name, key, "pushes are a list of lists of six numbers", k)
                rows = [self.values(name, key, row, k) for row in value]
                if any(len(row) != 6 for row in rows):
                    raise self.wrong(name, key, "six numbers are wanted: the place in the lattice, and the push", k)
                values[key] = {row[:3]: row[3:] for row in rows}
            elif isinstance(value, list):
                values[key] = self.values(name, key, value, k)
            else:
                values[key] = self.number(name, key, value, k)
        make: Callable[..., Change] = kind
        if "file" in values:
            path = Path(self.path).parent / values.pop("file")
            if kind is Targets:
                return read_targets(path)
            values["mesh"] = read_mesh(path)
        try:
            return make(**values)
        except Refusal as error:
            raise self.wrong(name, "", str(error), k) from error
