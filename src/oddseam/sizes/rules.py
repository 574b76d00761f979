"""Size rules in a TOML file, checked key by key."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from oddseam.errors import FormatError, Refusal
from oddseam.formats import read_mesh
from oddseam.formats.toml import Toml
from oddseam.inputs import checked
from oddseam.model import Mesh
from oddseam.sizes.along import Line
from oddseam.sizes.zones import Zone

#: Numbers that a rules file may hold, by table; "" is the head of the file.
_NUMBERS = {
    "": {"base": "base", "smallest": "smallest", "growth": "growth", "crease": "crease"},
    "curvature": {"per_turn": "per_turn"},
    "walls": {"across": "across"},
    "rounds": {"elements": "round_ones"},
}
#: Tables of sizes by name.
_NAMED = ("patches", "parts")
_ZONE = {"kind", "numbers", "size"}
_LINE = {"near", "size", "elements"}


@checked
def read_rules(path: str | Path) -> dict[str, Any]:
    """Read size rules.

    Parameters
    ----------
    path : str or Path
        A TOML file: ``base``, ``smallest``, ``growth`` and ``crease`` at its head, ``per_turn`` in ``[curvature]``,
        ``across`` in ``[walls]``, ``elements`` in ``[rounds]``, sizes by name in ``[patches]`` and ``[parts]``, sizes
        by the path of a mesh file in ``[within]``, ``kind``, ``numbers`` and ``size`` in every ``[[zones]]``, ``near``
        and ``size`` or ``elements`` in every ``[[lines]]``.

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
    >>> _ = path.write_text("base = 4.0; [curvature]; per_turn = 24".replace("; ", chr(10)))
    >>> oddseam.read_rules(path)
    {'base': 4.0, 'per_turn': 24.0}
    """
    return _Checked(path).arguments()


class _Checked(Toml):
    def arguments(self) -> dict[str, Any]:
        found: dict[str, Any] = {}
        for key, value in self.held.items():
            if key in _NUMBERS[""]:
                found[_NUMBERS[""][key]] = self.number("", key, value)
            elif key == "zones":
                found[key] = tuple(self.zone(k, zone) for k, zone in enumerate(self.list_of_tables(key, value)))
            elif key == "lines":
                found[key] = tuple(self.line(k, line) for k, line in enumerate(self.list_of_tables(key, value)))
            elif key == "within" and isinstance(value, dict):
                found[key] = tuple(self.body(name, size) for name, size in value.items())
            elif key in _NAMED and isinstance(value, dict):
                found[key] = {name: self.number(key, name, size) for name, size in value.items()}
            elif key in _NUMBERS and isinstance(value, dict):
                for name, number in value.items():
                    if name not in _NUMBERS[key]:
                        raise self.wrong(key, name, f"[{key}] has {', '.join(_NUMBERS[key])}")
                    read = self.whole if key == "rounds" else self.number
                    found[_NUMBERS[key][name]] = read(key, name, number)
            else:
                known = [*_NUMBERS[""], *(f"[{name}]" for name in (*_NUMBERS, *_NAMED, "within") if name)]
                known += ["[[zones]]", "[[lines]]"]
                raise self.wrong("", key, f"a rules file has {', '.join(known)}")
        if "base" not in found:
            raise FormatError(self.path, "there is no base size: base = NUMBER")
        return found

    def zone(self, k: int, zone: dict[str, Any]) -> Zone:
        self.only("zones", zone, _ZONE, _ZONE, k)
        values = self.values("zones", "numbers", zone["numbers"], k)
        try:
            return Zone(str(zone["kind"]), values, self.number("zones", "size", zone["size"], k))
        except Refusal as error:
            raise self.wrong("zones", "kind", str(error), k) from error

    def line(self, k: int, line: dict[str, Any]) -> Line:
        self.only("lines", line, _LINE, {"near"}, k)
        near = self.values("lines", "near", line["near"], k)
        size = self.number("lines", "size", line["size"], k) if "size" in line else None
        elements = self.whole("lines", "elements", line["elements"], k) if "elements" in line else None
        try:
            return Line(near, size=size, elements=elements)
        except Refusal as error:
            raise self.wrong("lines", "near", str(error), k) from error

    def body(self, name: str, size: Any) -> tuple[Mesh, float]:
        value = self.number("within", name, size)
        return read_mesh(Path(self.path).parent / name), value
