"""Running an operation: its arguments from the command line, the call, and what is done with its result."""

from __future__ import annotations

import argparse
import json
import sys
from pathlib import Path
from typing import Any

import oddseam
from oddseam.cli import tables
from oddseam.cli.change_options import changes_of, files_of
from oddseam.cli.option_kinds import numbers
from oddseam.cli.parsing import kind_for, limits_of
from oddseam.cli.progress_bar import shown
from oddseam.cli.writing import check_output, finish, preview, refuse_inputs, with_numbers, with_property
from oddseam.errors import Refusal
from oddseam.formats import format_of
from oddseam.operations import Operation
from oddseam.picks.on_skin import has_skin_alone
from oddseam.progress import told_to


def run(operation: Operation, args: argparse.Namespace) -> int:
    """Run an operation; the exit status."""
    returns, output = operation.signature.returns, getattr(args, "output", None)
    refuse_inputs(args, _files(operation, args))
    if returns == "Mesh":
        if output is None and not operation.shows and not args.preview:
            raise Refusal("say -o FILE to write the result, or --preview to see what would become of it")
        if output is not None:
            check_output(output)
    with shown() as progress, told_to(progress):
        return _run(operation, args)


def _run(operation: Operation, args: argparse.Namespace) -> int:
    """What is done while progress is shown."""
    returns, output = operation.signature.returns, getattr(args, "output", None)
    values = _values(operation, args)
    show = getattr(oddseam, operation.shows) if operation.shows else None
    if returns == "Mesh" and show is not None and output is None and has_skin_alone(values["mesh"]):
        print("of the outer faces of its solids:", file=sys.stderr)
        values["mesh"] = oddseam.skin(values["mesh"])
    function = operation.load() if show is None or returns == "Mesh" else show
    result = function(**values)
    if returns == "Mesh":
        result = with_numbers(with_property(result, args), values["mesh"], args)
    if getattr(args, "picture", None) is not None:
        _draw(operation, args, values, result)
    if returns != "Mesh":
        return _report(operation, args, values, result)
    listing = show(result) if show is not None else None
    if output is not None and not getattr(args, "preview", False):
        return finish(result, values["mesh"], args, operation.listed, listing)
    if listing is not None:
        return _print(operation, args, values, listing)
    return preview(result, values["mesh"], args)


def _values(operation: Operation, args: argparse.Namespace) -> dict[str, Any]:
    """What the function is given: from a file, and from options, which count instead."""
    given, unit = vars(args), getattr(args, "unit", None)
    found: dict[str, Any] = {}
    if operation.file is not None and given[operation.file[0]] is not None:
        found = getattr(oddseam, operation.file[1])(given[operation.file[0]])
    for parameter in operation.signature.parameters:
        name = parameter.name
        limits = {measure: given[measure] for measure in limits_of(parameter, operation)}
        if limits:
            said = {measure: value for measure, value in limits.items() if value is not None}
            found[name] = {**found.get(name, {}), **said}
            continue
        if "Change" in parameter.annotation:
            found[name] = (*found.get(name, ()), *changes_of(args))
            continue
        if name == "target" and given.get("output") is not None:
            found[name] = format_of(given["output"])
        if name == "path":
            found[name] = given["output"]
        if name == "title" and given.get("title") is None:
            found[name] = _title(args)
        value = given.get(name)
        if value is None or value == []:
            continue
        kind = kind_for(parameter, operation)
        if kind is not None:
            value = value if kind.gather is None else kind.gather(value)
            value = value if kind.load is None else kind.load(value, unit)
        if isinstance(value, list):
            value = [*found.get(name, ()), *value]
        found[name] = {**found.get(name, {}), **value} if isinstance(value, dict) else value
    missing = [p for p in operation.signature.parameters if p.default is None and p.name not in found]
    if missing:
        from_file = f", or a file that does: --{operation.file[0]}" if operation.file else ""
        raise Refusal(f"say --{missing[0].name.replace('_', '-')}{from_file}")
    return found


def _files(operation: Operation, args: argparse.Namespace) -> list[str]:
    """All files that are read."""
    found = files_of(args) if hasattr(args, "targets") else []
    if operation.file is not None and getattr(args, operation.file[0]) is not None:
        found.append(getattr(args, operation.file[0]))
    for parameter in operation.signature.parameters:
        kind = kind_for(parameter, operation) if hasattr(args, parameter.name) else None
        value = getattr(args, parameter.name, None)
        if kind is not None and kind.files is not None and value:
            found += kind.files(value)
    return found


def _title(args: argparse.Namespace) -> str:
    """The names of the files that are drawn."""
    before = "" if args.before is None else f", and {Path(args.before).name} before"
    return Path(args.mesh).name + before


def _draw(operation: Operation, args: argparse.Namespace, values: dict[str, Any], result: Any) -> None:
    """Draw what the table says."""
    asked: dict[str, Any] = {}
    for name, word in operation.picture.items():
        asked[name] = values[word[1:]] if word.startswith("@") else True if word == "yes" else word
    mesh = asked.pop("mesh", result if operation.signature.returns == "Mesh" else values.get("mesh"))
    view = numbers(args.view) if "," in args.view else args.view
    moved = asked.get("moved_from")
    if moved is not None:  # what moves is drawn on the surface
        mesh, asked["moved_from"] = (oddseam.skin(one) if has_skin_alone(one) else one for one in (mesh, moved))
    oddseam.make_picture(mesh, args.picture, view=view, title=f"{Path(_first(args)).name}: {operation.verb}", **asked)
    if not (args.json or args.quiet):
        print(f"wrote {args.picture}")


def _first(args: argparse.Namespace) -> str:
    """The first file on the command line."""
    return str(getattr(args, "mesh", None) or args.before)


def _report(operation: Operation, args: argparse.Namespace, values: dict[str, Any], result: Any) -> int:
    """Print what a verb that makes no mesh has found or made."""
    if isinstance(result, oddseam.SizeField):
        result.write(args.output)
        tables.print_sizes(args, values["mesh"], result)
        return 0
    if isinstance(result, Path):
        if not args.quiet:
            print(f"wrote {result}")
        return 0
    if isinstance(result, str):
        print(result, end="\n" * (result[-1:] not in ("", "\n")))
        return 0
    return _print(operation, args, values, result)


def _print(operation: Operation, args: argparse.Namespace, values: dict[str, Any], result: Any) -> int:
    """Print a report, as text or JSON."""
    if args.json:
        print(json.dumps(tables.as_plain(args, operation.listed, result), indent=1))
    elif not args.quiet:
        tables.print_result(args, values, result)
    return 0
