"""Size rules in a TOML file, checked key by key."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from oddseam.errors import FormatError, Refusal
from oddseam.formats import read_mesh
from oddseam.formats.toml import Toml
from oddseam.inputs import checked
from oddseam.model import Mesh
from oddseam.sizes.zones import Zone

#: Numbers at the head of a rules file, of which one counts elements.
_NUMBERS = ("base", "smallest", "gradation", "per_turn", "across", "crease")
_COUNT = "elements_round"
#: Tables of sizes by name.
_NAMED = ("patch_sizes", "part_sizes")
#: Lists of tables, and the keys that each of these has.
_ZONE, _ALONG, _ELEMENTS = {"kind", "numbers", "size"}, {"near", "size"}, {"near", "elements"}
_TABLES = ("[patch_sizes]", "[part_sizes]", "[within]", "[[zones]]", "[[along]]", "[[elements_along]]")


@checked
def read_rules(path: str | Path) -> dict[str, Any]:
    """Read size rules.

    Parameters
    ----------
    path : str or Path
        A TOML file with keywords of ``make_sizes``: ``base``, ``smallest``, ``gradation``, ``per_turn``, ``across``,
        ``crease`` and ``elements_round`` at its head, sizes by name in ``[patch_sizes]`` and ``[part_sizes]``, sizes by
        the path of a mesh file in ``[within]``, ``kind``, ``numbers`` and ``size`` in every ``[[zones]]``, ``near`` and
        ``size`` in every ``[[along]]``, ``near`` and ``elements`` in every ``[[elements_along]]``.

    Returns
    -------
    dict
        Arguments of ``make_sizes``.

    Raises
    ------
    FormatError
        If the file cannot be read, or a key or a value is not understood; it names the key and the line.

    Examples
    --------
    >>> import oddseam, pathlib, tempfile
    >>> path = pathlib.Path(tempfile.mkdtemp(), "rules.toml")
    >>> _ = path.write_text("base = 4.0; per_turn = 24".replace("; ", chr(10)))
    >>> oddseam.read_rules(path)
    {'base': 4.0, 'per_turn': 24.0}
    """
    return _Checked(path).arguments()


class _Checked(Toml):
    def arguments(self) -> dict[str, Any]:
        found: dict[str, Any] = {}
        for key, value in self.held.items():
            if key in _NUMBERS:
                found[key] = self.number("", key, value)
            elif key == _COUNT:
                found[key] = self.whole("", key, value)
            elif key == "zones":
                found[key] = tuple(self.zone(k, zone) for k, zone in enumerate(self.list_of_tables(key, value)))
            elif key == "along":
                found[key] = dict(self.along(key, k, row) for k, row in enumerate(self.list_of_tables(key, value)))
            elif key == "elements_along":
                rows = enumerate(self.list_of_tables(key, value))
                found[key] = dict(self.elements_along(key, k, row) for k, row in rows)
            elif key == "within" and isinstance(value, dict):
                found[key] = tuple(self.body(name, size) for name, size in value.items())
            elif key in _NAMED and isinstance(value, dict):
                found[key] = {name: self.number(key, name, size) for name, size in value.items()}
            else:
                raise self.wrong("", key, f"a rules file has {', '.join((*_NUMBERS, _COUNT, *_TABLES))}")
        if "base" not in found:
            raise FormatError(self.path, "there is no base size: base = NUMBER")
        return found

    def zone(self, k: int, zone: dict[str, Any]) -> Zone:
        self.only("zones", zone, _ZONE, _ZONE, k)
        values = self.values("zones", "numbers", zone["numbers"], k)
        try:
            return Zone(zone["kind"], values, self.number("zones", "size", zone["size"], k))
        except Refusal as error:
            raise self.wrong("zones", "kind", str(error), k) from error

    def along(self, key: str, k: int, row: dict[str, Any]) -> tuple[tuple[float, ...], float]:
        self.only(key, row, _ALONG, _ALONG, k)
        return self._near(key, k, row), self.number(key, "size", row["size"], k)

    def elements_along(self, key: str, k: int, row: dict[str, Any]) -> tuple[tuple[float, ...], int]:
        self.only(key, row, _ELEMENTS, _ELEMENTS, k)
        return self._near(key, k, row), self.whole(key, "elements", row["elements"], k)

    def _near(self, key: str, k: int, row: dict[str, Any]) -> tuple[float, ...]:
        point = self.values(key, "near", row["near"], k)
        if len(point) != 3:
            raise self.wrong(key, "near", "a point has three numbers", k)
        return point

    def body(self, name: str, size: Any) -> tuple[Mesh, float]:
        value = self.number("within", name, size)
        return read_mesh(Path(self.path).parent / name), value
