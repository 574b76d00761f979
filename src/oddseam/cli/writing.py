"""Writing the result of an operation: what is checked before, what is printed after, and the status."""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Sequence
from dataclasses import asdict
from pathlib import Path
from typing import Any

import oddseam
from oddseam.cli import tables
from oddseam.errors import Refusal
from oddseam.formats import format_of

#: Of more operations only the last is printed.
_MOST_ENTRIES = 3
#: Formats that may be written as text.
_TEXTS = ("stl", "ply", "vtu")


def check_output(name: str) -> None:
    """Refuse before any work what would fail after it."""
    output = Path(name)
    format_of(output)
    if not output.parent.is_dir():
        raise Refusal(f"{output}: there is no folder {output.parent}")


def refuse_inputs(args: argparse.Namespace, files: Sequence[str]) -> None:
    """Refuse an output that is any of the files that are read, unless that is allowed."""
    for name in ("output", "picture"):
        output = getattr(args, name, None)
        if output is None or not Path(output).is_file() or getattr(args, "overwrite", False):
            continue
        for text in files:
            if Path(text).is_file() and Path(output).samefile(text):
                what = "the input itself" if text == files[0] else f"{text}, which is read"
                say = ", or say --overwrite" if hasattr(args, "overwrite") else ""
                raise Refusal(f"{output} is {what}; name another file{say}")


def with_property(mesh: oddseam.Mesh, args: argparse.Namespace) -> oddseam.Mesh:
    """The mesh with the thickness and the material that a deck needs, where these are given as options of writing.

    In a deck parts keep the properties that they have.
    """
    if args.verb == "assign-property":
        return mesh
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


def with_numbers(mesh: oddseam.Mesh, before: oddseam.Mesh, args: argparse.Namespace) -> oddseam.Mesh:
    """The mesh with new ids from the ranges that are asked for."""
    ranges = {name: getattr(args, name) for name in ("node_ids", "element_ids") if getattr(args, name) is not None}
    return oddseam.number_new(mesh, since=before, **ranges) if ranges and args.verb != "number-new" else mesh


def finish(
    mesh: oddseam.Mesh,
    before: oddseam.Mesh,
    args: argparse.Namespace,
    listed: str,
    listing: oddseam.Listing[Any] | None,
) -> int:
    """Write the result, print the report, and say by the status whether all is met."""
    format = format_of(args.output)
    if args.text:
        if format not in _TEXTS:
            raise Refusal(f"--text is for STL, PLY and VTU, which are binary otherwise, not for {format}")
        format += "-text"
    care = {"carry_loads": args.carry_loads, "trim_references": args.trim_references}
    written = oddseam.write_mesh(mesh, args.output, format=format, **care)
    done = list(mesh.account)[len(before.account) :]
    unmet = [
        *(line for entry in done for line in entry.outcome.unmet),
        *(f"{fault} in the file, because of rounding" for fault in written.broken),
    ]
    if args.json:
        report = {"account": mesh.account.to_list(), "written": asdict(written), "unmet": unmet}
        print(json.dumps(report | ({} if listing is None else {listed: listing.to_list()}), indent=1))
    elif not args.quiet:
        _print_entries(done)
        tables.print_written(written, mesh)
        if listing is not None:
            tables.print_listing(args.mesh, listing)
    for line in unmet:
        print(f"oddseam: unmet: {line}", file=sys.stderr)
    return 1 if unmet else 0


def preview(mesh: oddseam.Mesh, before: oddseam.Mesh, args: argparse.Namespace) -> int:
    """Say what would become of a mesh, and write nothing."""
    done = list(mesh.account)[len(before.account) :]
    if args.json:
        print(json.dumps({"account": mesh.account.to_list(), "written": None}, indent=1))
    elif not args.quiet:
        _print_entries(done)
        tables.print_quality_pairs(before, mesh)
        print("nothing is written; say -o FILE without --preview")
    unmet = [line for entry in done for line in entry.outcome.unmet]
    for line in unmet:
        print(f"oddseam: unmet: {line}", file=sys.stderr)
    return 1 if unmet else 0


def _print_entries(done: Sequence[oddseam.Entry]) -> None:
    if len(done) > _MOST_ENTRIES:
        print(f"{len(done)} operations; the last (a .seam file holds the account of all):")
    for entry in done if len(done) <= _MOST_ENTRIES else done[-1:]:
        tables.print_entry(entry, unmet=False)
