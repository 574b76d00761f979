"""The verb that carries a change of the design into a mesh."""

from __future__ import annotations

import argparse
import json
from pathlib import Path
from typing import Any

import oddseam
from oddseam.cli import tables
from oddseam.cli.arguments import as_direction, as_limits, as_numbers, as_pairs, as_point, check_output, finish, read
from oddseam.cli.progress import shown
from oddseam.errors import Refusal
from oddseam.findings.comparison import surface_of

#: What pictures of quality are coloured by: the first that elements of the skin have.
_MEASURE = "minimum_angle"


def run_morph(args: argparse.Namespace) -> int:
    """Morph, or say what that would do."""
    if args.output is None and not args.preview:
        raise Refusal("say -o FILE to write the mesh, or --preview to see what would become of it")
    if args.output is not None and not args.preview:
        check_output(args)
    mesh = read(args)
    asked = _asked(args)
    with shown() as progress:
        new = oddseam.morph(mesh, **asked, progress=progress)
    if args.pictures is not None:
        _draw(mesh, new, args)
    if not args.preview:
        return finish(new, args)
    if args.json:
        print(json.dumps({"account": new.account.to_list(), "written": None}, indent=1))
    else:
        tables.print_entry(new.account.last)
        tables.print_quality_pairs(mesh, new)
        print("nothing is written; say -o FILE without --preview")
    return 0


def _asked(args: argparse.Namespace) -> dict[str, Any]:
    """What ``morph`` is to be given."""
    asked: dict[str, Any] = oddseam.read_changes(args.changes) if args.changes is not None else {"changes": ()}
    asked["changes"] = (*asked["changes"], *_changes(args))
    if not asked["changes"]:
        raise Refusal("say what changes: --move, --offset, --bore and so on, or --changes FILE")
    asked["hold"] = (*asked.get("hold", ()), *(args.hold or ()))
    asked["planes"] = (*asked.get("planes", ()), *(args.plane or ()))
    if args.reach is not None:
        asked["reach"] = args.reach
    asked["limits"] = {**asked.get("limits", {}), **as_limits(args.limit)}
    return asked


def _changes(args: argparse.Namespace) -> list[Any]:
    """The changes that options say."""
    found: list[Any] = []
    for pick, text in as_pairs(args.move, "--move").items():
        found.append(oddseam.Move(pick, as_point(text, "--move")))
    for pick, text in as_pairs(args.turn, "--turn").items():
        numbers = as_numbers(text, "--turn", float)
        if len(numbers) not in (4, 7):
            raise Refusal(f"--turn {text}: an angle, an axis and a point are wanted, or an angle and an axis")
        found.append(oddseam.Turn(pick, numbers[0], numbers[1:4], numbers[4:] or (0.0, 0.0, 0.0)))
    for pick, text in as_pairs(args.scale, "--scale").items():
        numbers = as_numbers(text, "--scale", float)
        if len(numbers) not in (4, 6):
            raise Refusal(f"--scale {text}: one factor or three, and a point are wanted")
        found.append(oddseam.Scale(pick, numbers[0] if len(numbers) == 4 else numbers[:3], numbers[-3:]))
    for pick, text in as_pairs(args.offset, "--offset").items():
        found.append(oddseam.Offset(pick, as_numbers(text, "--offset", float)[0]))
    for pick, text in as_pairs(args.wall, "--wall").items():
        found.append(oddseam.Thickness(pick, as_numbers(text, "--wall", float)[0]))
    found += _bores(args)
    pushes = {
        as_numbers(place, "--push", int): as_point(text, "--push")
        for place, text in as_pairs(args.push, "--push").items()
    }
    if args.lattice is not None:
        corners = as_numbers(args.lattice, "--lattice", float)
        if len(corners) != 6:
            raise Refusal(f"--lattice {args.lattice}: two corners are wanted, six numbers")
        counts = as_numbers(args.counts, "--counts", int)
        found.append(oddseam.Lattice(corners[:3], corners[3:], pushes, counts))
    elif pushes:
        raise Refusal("--push needs a lattice: --lattice X,Y,Z,X,Y,Z")
    if args.targets is not None:
        found.append(oddseam.read_targets(args.targets))
    if args.shape is not None:
        found.append(oddseam.NewShape(oddseam.read_mesh(args.shape, unit=args.unit), args.shape_of, args.smooth))
    return found


def _bores(args: argparse.Namespace) -> list[Any]:
    """Bores with all that is said of each."""
    said: dict[str, dict[str, Any]] = {}
    for near, text in as_pairs(args.bore, "--bore").items():
        said.setdefault(near, {})["diameter"] = as_numbers(text, "--bore", float)[0]
    for key, pairs in (("centre", args.bore_centre), ("axis", args.bore_axis)):
        for near, text in as_pairs(pairs, f"--bore-{key}").items():
            said.setdefault(near, {})[key] = as_point(text, f"--bore-{key}")
    for near in args.bore_outline or ():
        if near not in said:
            raise Refusal(f"--bore-outline {near}: say its diameter as well, --bore {near}=DIAMETER")
        said[near]["outline"] = True
    return [oddseam.Bore(as_point(near, "--bore"), **values) for near, values in said.items()]


def _draw(before: oddseam.Mesh, after: oddseam.Mesh, args: argparse.Namespace) -> None:
    """Displacement, and quality before and after."""
    folder = Path(args.pictures)
    if not folder.is_dir():
        raise Refusal(f"{folder}: there is no such folder for pictures")
    direction = as_direction(args.direction)
    one, two = surface_of(before), surface_of(after)
    name, moved, quality = Path(args.input).name, folder / "displacement.png", folder / "quality.png"
    oddseam.draw(two, moved, direction=direction, moved_from=one, title=f"{name}: displacement, and where it was")
    title = f"{name}: quality before and after"
    oddseam.draw(two, quality, direction=direction, colour=_MEASURE, before=one, plain=True, title=title)
    if not args.json:
        print(f"wrote {moved} and {quality}")
