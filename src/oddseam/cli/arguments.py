"""What verbs share: checking outputs, taking arguments apart, writing results."""

from __future__ import annotations

import argparse
import json
import math
import sys
from dataclasses import asdict
from pathlib import Path
from typing import Any

import oddseam
from oddseam.cli import tables
from oddseam.errors import Refusal
from oddseam.formats import format_of

#: Arguments that name what is written.
_OUTPUTS = ("output", "picture", "pictures")
#: Of more operations only the last is printed.
_MOST_ENTRIES = 3


def check_output(args: argparse.Namespace) -> None:
    """Refuse before any work what would fail after it."""
    output = Path(args.output)
    format_of(output)
    if not output.parent.is_dir():
        raise Refusal(f"{output}: there is no folder {output.parent}")


def guard_inputs(args: argparse.Namespace) -> None:
    """Refuse an output that is any of the files that are read, unless that is allowed."""
    for name in _OUTPUTS:
        output = getattr(args, name, None)
        if output is not None and Path(output).is_file() and not getattr(args, "overwrite", False):
            _refuse_inputs(args, Path(output))


def _refuse_inputs(args: argparse.Namespace, output: Path) -> None:
    for name, value in vars(args).items():
        for word in value if isinstance(value, list) else [value]:
            if name in _OUTPUTS or not isinstance(word, str):
                continue
            for text in (word, word.partition("=")[0], word.partition("=")[2]):
                if text and Path(text).is_file() and output.samefile(text):
                    what = "the input itself" if name == "input" else f"{text}, which is read"
                    say = ", or say --overwrite" if hasattr(args, "overwrite") else ""
                    raise Refusal(f"{output} is {what}; name another file{say}")


def read(args: argparse.Namespace) -> oddseam.Mesh:
    """The input, which is remembered as what was there before."""
    mesh = oddseam.read_mesh(args.input, unit=args.unit)
    args.before = mesh
    return mesh


def with_property(mesh: oddseam.Mesh, args: argparse.Namespace) -> oddseam.Mesh:
    """The mesh with the thickness and the material that a deck needs, where these are given.

    In a deck parts keep the properties that they have.
    """
    of_shells = {"thickness": args.thickness}
    of_material = {name: getattr(args, name) for name in ("young", "poisson", "density")}
    for data, has in ((of_shells, "thickness"), (of_material, "material")):
        if all(value is None for value in data.values()):
            continue
        bare = tuple(p.name for p in mesh.parts_used if not mesh.is_deck or getattr(p, has) is None)
        kept = [p.name for p in mesh.parts_used if p.name not in bare]
        if kept:
            print(f"oddseam: {', '.join(kept)} keep the {has} that the deck gives them", file=sys.stderr)
        mesh = oddseam.assign_property(mesh, **data, parts=bare) if bare else mesh
    return mesh


def care_of(args: argparse.Namespace) -> dict[str, bool]:
    """What is asked to be done with the cards of a deck."""
    return {name: getattr(args, name, False) for name in ("carry_loads", "trim_references")}


def finish(mesh: oddseam.Mesh, args: argparse.Namespace, format: str | None = None) -> int:
    """Write the result, print the report, and say by the status whether all is met."""
    before: oddseam.Mesh | None = getattr(args, "before", None)
    if before is not None:
        mesh = _numbered(mesh, before, args)
    written = oddseam.write_mesh(mesh, args.output, format=format, **care_of(args))
    done = list(mesh.account)[len(before.account) if before is not None else -1 :]
    unmet = [
        *(line for entry in done for line in entry.outcome.unmet),
        *(f"{fault} in the file, because of rounding" for fault in written.broken),
    ]
    if args.json:
        report = {"account": mesh.account.to_list(), "written": asdict(written), "unmet": unmet}
        print(json.dumps(report, indent=1))
    else:
        if len(done) > _MOST_ENTRIES:
            print(f"{len(done)} operations; the last (a .seam file holds the account of all):")
        for entry in done if len(done) <= _MOST_ENTRIES else done[-1:]:
            tables.print_entry(entry, unmet=False)
        tables.print_written(written, mesh)
    for line in unmet:
        print(f"oddseam: unmet: {line}", file=sys.stderr)
    return 1 if unmet else 0


def _numbered(mesh: oddseam.Mesh, before: oddseam.Mesh, args: argparse.Namespace) -> oddseam.Mesh:
    """The mesh with new ids from the ranges that are asked for."""
    given = {what: getattr(args, f"{what[:-1]}_ids", None) for what in ("nodes", "elements")}
    ranges = {what: _as_range(text, f"--{what[:-1]}-ids") for what, text in given.items() if text is not None}
    return oddseam.number_new(mesh, since=before, **ranges) if ranges else mesh


def _as_range(text: str, option: str) -> tuple[int, int | None]:
    """``FIRST`` or ``FIRST-LAST``."""
    first, mark, last = text.partition("-")
    if not first.isdigit() or (mark and not last.isdigit()):
        raise Refusal(f"{option} {text}: a first id is wanted, or a first and a last one, such as 9001-9999")
    return int(first), int(last) if mark else None


def as_numbers(text: str, option: str, what: type) -> tuple[Any, ...]:
    """Numbers with commas between."""
    try:
        found = tuple(what(word) for word in text.split(","))
    except ValueError:
        raise Refusal(f"{option} {text[:60]}: numbers with commas between are wanted") from None
    if not all(math.isfinite(value) for value in found):
        raise Refusal(f"{option} {text[:60]}: what is infinite or nan is no number")
    return found


def as_point(text: str, option: str) -> tuple[float, float, float]:
    """Three numbers with commas between."""
    point = as_numbers(text, option, float)
    if len(point) != 3:
        raise Refusal(f"{option} {text}: three numbers are wanted")
    return point[0], point[1], point[2]


def as_direction(text: str) -> str | tuple[float, float, float]:
    """The name of a direction, or three numbers."""
    return as_point(text, "--direction") if "," in text else text


def as_pairs(texts: list[str] | None, option: str) -> dict[str, str]:
    """What stands before each last equals sign, and what after it."""
    found = {}
    for text in texts or ():
        name, _, value = text.rpartition("=")
        if not name:
            raise Refusal(f"{option} {text}: an equals sign is wanted, with something before it")
        found[name] = value
    return found


def as_limits(texts: list[str] | None) -> dict[str, float]:
    """Limits of quality by measure."""
    return {
        name.replace("-", "_"): as_numbers(value, f"--limit {name}", float)[0]
        for name, value in as_pairs(texts, "--limit").items()
    }
