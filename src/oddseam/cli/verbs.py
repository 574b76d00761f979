"""One function for each verb: call the library, print what came of it."""

from __future__ import annotations

import argparse
import json
import re
import sys
from dataclasses import asdict
from pathlib import Path

import oddseam
from oddseam.cli import tables
from oddseam.cli.arguments import (
    as_direction,
    as_limits,
    as_numbers,
    as_pairs,
    as_point,
    check_output,
    finish,
    with_property,
)
from oddseam.cli.progress import shown
from oddseam.errors import Refusal
from oddseam.formats import format_of
from oddseam.picks.on_skin import has_skin_alone

_NUMBER = re.compile(r"[-+]?(\d+\.?\d*|\.\d+)([eE][-+]?\d+)?")


def run_survey(args: argparse.Namespace) -> int:
    """Print what a survey found; the status says nothing of the part, only whether it was surveyed."""
    mesh = oddseam.read_mesh(args.input, unit=args.unit)
    given = {name: getattr(args, name) for name in ("radius_ratio", "aspect_ratio", "minimum_angle", "skewness")}
    limits = oddseam.Limits(**{name: value for name, value in given.items() if value is not None})
    with shown() as progress:
        found = oddseam.survey(mesh, limits=limits, thin=args.thin, progress=progress)
    if args.json:
        print(json.dumps({"file": args.input, **found.to_dict()}, indent=1))
    else:
        tables.print_survey(args.input, mesh, found)
    return 0


def run_measure(args: argparse.Namespace) -> int:
    """Print lengths."""
    mesh = oddseam.read_mesh(args.input, unit=args.unit)
    nodes = None if args.nodes is None else as_numbers(args.nodes, "--nodes", int)
    measures = oddseam.measure(mesh, nodes)
    if args.json:
        print(json.dumps({"file": args.input, **measures.to_dict()}, indent=1))
    else:
        tables.print_measures(args.input, measures)
    return 0


def run_features(args: argparse.Namespace) -> int:
    """Print creases and patches, and keep them where that is asked."""
    if args.output is not None:
        check_output(args)
    mesh = oddseam.read_mesh(args.input, unit=args.unit)
    if args.output is None and has_skin_alone(mesh):
        print("of the outer faces of its solids:", file=sys.stderr)
        mesh = oddseam.skin(mesh)
    with shown() as progress:
        mesh = oddseam.find_features(mesh, crease=args.crease, ridge=args.ridge, noise=args.noise, progress=progress)
    status = 0 if args.output is None else finish(mesh, args)
    if not args.json:
        tables.print_patches(args.input, mesh)
    elif args.output is None:
        print(json.dumps({"file": args.input, "patches": oddseam.describe_patches(mesh)}, indent=1))
    return status


def run_name_patches(args: argparse.Namespace) -> int:
    """Rename patches."""
    check_output(args)
    mesh = oddseam.read_mesh(args.input, unit=args.unit)
    return finish(oddseam.name_patches(mesh, as_pairs(args.names, "PATCH=NAME")), args)


def run_split_parts(args: argparse.Namespace) -> int:
    """Make a part of every patch."""
    check_output(args)
    mesh = oddseam.read_mesh(args.input, unit=args.unit)
    return finish(oddseam.split_parts(mesh, boundaries=as_pairs(args.boundary, "--boundary")), args)


def run_make_part(args: argparse.Namespace) -> int:
    """Make a part of what is picked."""
    check_output(args)
    mesh = oddseam.read_mesh(args.input, unit=args.unit)
    return finish(oddseam.make_part(mesh, args.pick, name=args.name, boundary=args.boundary), args)


def run_name_parts(args: argparse.Namespace) -> int:
    """Rename parts, and give them kinds of boundary."""
    check_output(args)
    mesh = oddseam.read_mesh(args.input, unit=args.unit)
    names, kinds = as_pairs(args.names, "PART=NAME"), as_pairs(args.boundary, "--boundary")
    return finish(oddseam.name_parts(mesh, names, boundaries=kinds), args)


def run_pieces(args: argparse.Namespace) -> int:
    """List the pieces."""
    mesh = oddseam.read_mesh(args.input, unit=args.unit)
    rows = oddseam.list_pieces(mesh)
    if args.json:
        print(json.dumps({"file": args.input, "pieces": rows}, indent=1))
    else:
        tables.print_pieces(args.input, mesh, rows)
    return 0


def _which(text: str, option: str) -> str | tuple[float, float, float]:
    """Creases as they are given: a point, such as (1, 2, 3) or 1.0,2,3, or words that stand for themselves."""
    inner = text.strip().removeprefix("(").removesuffix(")")
    words = [word.strip() for word in inner.split(",")]
    is_numbers = inner == text.strip() and all(word.isdigit() for word in words)
    if len(words) == 3 and not is_numbers and all(_NUMBER.fullmatch(word) for word in words):
        return as_point(inner, option)
    return text


def run_creases(args: argparse.Namespace) -> int:
    """List creases, or change them."""
    if args.output is not None:
        check_output(args)
    mesh = oddseam.read_mesh(args.input, unit=args.unit)
    for text in args.along or ():
        mesh = oddseam.draw_crease(mesh, nodes=as_numbers(text, "--along", int))
    for text in args.across or ():
        numbers = as_numbers(text, "--across", float)
        if len(numbers) % 3 or len(numbers) < 6:
            raise Refusal(f"--across {text}: two points at least are wanted, each of three numbers")
        mesh = oddseam.draw_crease(mesh, through=[numbers[k : k + 3] for k in range(0, len(numbers), 3)])
    for text in args.erase or ():
        mesh = oddseam.erase_crease(mesh, _which(text, "--erase"))
    tidied = {name: getattr(args, name) for name in ("gaps", "stubs", "loops", "even")}
    if any(tidied.values()):
        mesh = oddseam.tidy_creases(mesh, **tidied)
    for which, name in as_pairs(args.name, "--name").items():
        mesh = oddseam.name_crease(mesh, _which(which, "--name"), name)
    if args.picture is not None:
        oddseam.draw(mesh, args.picture, colour="crease", plain=True, title=args.input)
    status = 0 if args.output is None else finish(mesh, args)
    if not args.json:
        tables.print_creases(args.input, mesh)
    elif args.output is None:
        print(json.dumps({"file": args.input, "creases": oddseam.list_creases(mesh)}, indent=1))
    return status


def run_absorb(args: argparse.Namespace) -> int:
    """List what is small in the network of creases, or merge it."""
    if args.output is not None:
        check_output(args)
    mesh = oddseam.read_mesh(args.input, unit=args.unit)
    with shown() as progress:
        if mesh.creases is None:
            mesh = oddseam.find_features(mesh, crease=args.crease, progress=progress)
        if args.output is not None:
            mesh = oddseam.absorb(mesh, below=args.below, target=format_of(args.output))
    if args.output is not None:
        return finish(mesh, args)
    rows = oddseam.list_small(mesh, below=args.below)
    if args.json:
        print(json.dumps({"file": args.input, "below": args.below, "small": rows}, indent=1))
    else:
        tables.print_small(args.input, rows, args.below)
    return 0


def run_chambers(args: argparse.Namespace) -> int:
    """Print the closed volumes."""
    points = [as_point(text, "--at") for text in args.at or ()]
    chambers = oddseam.find_chambers(oddseam.read_mesh(args.input, unit=args.unit), points)
    if args.json:
        print(json.dumps({"file": args.input, **chambers.to_dict()}, indent=1))
    else:
        tables.print_chambers(args.input, chambers, points)
    return 0


def run_compare(args: argparse.Namespace) -> int:
    """Compare two meshes."""
    before, after = (oddseam.read_mesh(path, unit=args.unit) for path in (args.input, args.other))
    found = oddseam.compare(before, after)
    if args.picture is not None:
        oddseam.draw(after, args.picture, direction=as_direction(args.direction), against=before, plain=True)
    if args.json:
        print(json.dumps({"before": args.input, "after": args.other, **found.to_dict()}))
    else:
        tables.print_comparison(args.input, args.other, found)
        if args.picture is not None:
            print(f"wrote {args.picture}")
    return 0


def run_mend(args: argparse.Namespace) -> int:
    """Mend and prove."""
    check_output(args)
    mesh = oddseam.read_mesh(args.input, unit=args.unit)
    close: str | float = args.close
    if args.close not in ("small", "all", "none"):
        try:
            close = float(args.close)
        except ValueError:
            raise Refusal(f"--close {args.close}: say small, all, none, or a diameter") from None
    mesh = with_property(mesh, args)
    with shown() as progress:
        mesh = oddseam.mend(
            mesh, close=close, width=args.width, keep_joints=args.keep_joints, overlaps=args.overlaps,
            trim=args.trim, crumbs=args.crumbs, fins=args.fins, tolerance=args.tolerance,
            target=format_of(args.output), progress=progress,
        )  # fmt: skip
    return finish(mesh, args)


def _named_sizes(texts: list[str] | None, option: str) -> dict[str, float]:
    return {name: as_numbers(value, f"{option} {name}", float)[0] for name, value in as_pairs(texts, option).items()}


def _zones(texts: list[str] | None) -> tuple[oddseam.Zone, ...]:
    zones = []
    for text, size in _named_sizes(texts, "--zone").items():
        kind, _, numbers = text.partition(":")
        if not numbers:
            raise Refusal(f"--zone {text}: say KIND:NUMBERS=SIZE, such as sphere:0,0,9,2.5=0.4")
        zones.append(oddseam.Zone(kind, as_numbers(numbers, f"--zone {kind}", float), size))
    return tuple(zones)


def run_sizes(args: argparse.Namespace) -> int:
    """Make a size field."""
    mesh = oddseam.read_mesh(args.input, unit=args.unit)
    points = [as_point(text, "--at") for text in args.at or ()]
    rules = {} if args.rules is None else oddseam.read_rules(args.rules)
    given = {name: getattr(args, name) for name in ("base", "smallest", "growth", "per_turn", "across", "crease")}
    given |= {"patches": _named_sizes(args.patch, "--patch"), "parts": _named_sizes(args.part, "--part")}
    along, elements = (
        as_pairs(texts, o) for texts, o in ((args.along, "--along"), (args.elements_along, "--elements-along"))
    )
    lines = [oddseam.Line(as_point(at, "--along"), size=as_numbers(s, "--along", float)[0]) for at, s in along.items()]
    lines += [
        oddseam.Line(as_point(at, "--elements-along"), elements=as_numbers(n, "--elements-along", int)[0])
        for at, n in elements.items()
    ]
    within = [
        (oddseam.read_mesh(path, unit=args.unit), size) for path, size in _named_sizes(args.within, "--within").items()
    ]
    given |= {"zones": _zones(args.zone), "lines": tuple(lines), "within": tuple(within)}
    given["round_ones"] = args.elements_round
    rules |= {name: value for name, value in given.items() if value not in (None, {}, ())}
    if "base" not in rules:
        raise Refusal("say --base SIZE, or --rules FILE with a base size")
    with shown() as progress:
        field = oddseam.make_sizes(mesh, progress=progress, **rules)
    field.write(args.output)
    tables.print_sizes(args, mesh, field, points)
    return 0


def run_remesh(args: argparse.Namespace) -> int:
    """Remesh the surface."""
    check_output(args)
    mesh = with_property(oddseam.read_mesh(args.input, unit=args.unit), args)
    size = args.size if args.sizes is None else oddseam.SizeField.read(args.sizes)
    with shown() as progress:
        mesh = oddseam.remesh(
            mesh,
            size=size,
            only=args.only,
            crease=args.crease,
            chord=args.chord,
            growth=args.growth,
            facets=args.facets,
            smooth=args.smooth,
            quads=args.quads,
            limits=as_limits(args.limit),
            target=format_of(args.output),
            progress=progress,
        )
    return finish(mesh, args)


def run_coarsen(args: argparse.Namespace) -> int:
    """Coarsen the surface."""
    check_output(args)
    mesh = with_property(oddseam.read_mesh(args.input, unit=args.unit), args)
    with shown() as progress:
        mesh = oddseam.coarsen(
            mesh,
            facets=args.facets,
            deviation=args.deviation,
            only=args.only,
            crease=args.crease,
            limits=as_limits(args.limit),
            target=format_of(args.output),
            progress=progress,
        )
    return finish(mesh, args)


def run_refine(args: argparse.Namespace) -> int:
    """Split what is picked."""
    check_output(args)
    mesh = with_property(oddseam.read_mesh(args.input, unit=args.unit), args)
    limits = as_limits(args.limit)
    mesh = oddseam.refine(mesh, args.pick, times=args.times, size=args.size, facets=args.facets, limits=limits)
    return finish(mesh, args)


def run_improve(args: argparse.Namespace) -> int:
    """Improve elements to limits."""
    check_output(args)
    mesh = with_property(oddseam.read_mesh(args.input, unit=args.unit), args)
    names = ("minimum_angle", "radius_ratio", "aspect_ratio", "skewness", "scaled_jacobian", "warpage")
    limits = {name: getattr(args, name) for name in (*names, "deviation")}
    with shown() as progress:
        mesh = oddseam.improve(
            mesh, **limits, only=args.only, crease=args.crease, target=format_of(args.output), progress=progress
        )
    return finish(mesh, args)


def run_convert(args: argparse.Namespace) -> int:
    """Write in another format."""
    check_output(args)
    mesh = oddseam.read_mesh(args.input, unit=args.unit)
    if args.to_unit is not None:
        mesh = oddseam.change_unit(mesh, unit=args.to_unit)
    mesh, format = with_property(mesh, args), format_of(args.output)
    if args.text and format not in ("stl", "ply", "vtu"):
        raise Refusal(f"--text is for STL, PLY and VTU, which are binary otherwise, not for {format}")
    written = oddseam.write_mesh(mesh, args.output, format=f"{format}-text" if args.text else format)
    if args.json:
        print(json.dumps({"written": asdict(written)}, indent=1))
    else:
        tables.print_written(written, mesh)
    for fault in written.broken:
        print(f"oddseam: unmet: {fault} in the file, because of rounding", file=sys.stderr)
    return 1 if written.broken else 0


def run_skin(args: argparse.Namespace) -> int:
    """Take the skin of a solid mesh."""
    check_output(args)
    mesh = oddseam.skin(oddseam.read_mesh(args.input, unit=args.unit))
    return finish(with_property(mesh, args), args)


def run_picture(args: argparse.Namespace) -> int:
    """Draw."""
    mesh = oddseam.read_mesh(args.input, unit=args.unit)
    before = None if args.before is None else oddseam.read_mesh(args.before, unit=args.unit)
    colour = None if args.colour is None else args.colour.replace("-", "_")
    sizes = None if args.sizes is None else oddseam.SizeField.read(args.sizes)
    title = Path(args.input).name
    if args.before is not None:
        title += f", and {Path(args.before).name} before"
    oddseam.draw(
        mesh, args.output, direction=as_direction(args.direction), title=args.title or title,
        only=args.only, hide=args.hide, cut=args.cut, colour=colour, sizes=sizes, before=before, plain=args.plain,
    )  # fmt: skip
    print(f"wrote {args.output}")
    return 0


def run_account(args: argparse.Namespace) -> int:
    """Say what was done to a mesh."""
    mesh = oddseam.read_mesh(args.input)
    if args.json:
        print(json.dumps(mesh.account.to_list(), indent=1))
    elif not len(mesh.account):
        print(f"{args.input}: no account (.seam files hold one; other formats cannot)")
    for entry in () if args.json else mesh.account:
        tables.print_entry(entry)
    return 0


def run_warm_up(args: argparse.Namespace) -> int:
    """Compile all kernels."""
    from oddseam.warmup import warm_up

    seconds = warm_up()
    print(f"all kernels are compiled ({seconds:.1f} s)")
    return 0


def run_demo(args: argparse.Namespace) -> int:
    """Tell the story of the cowl."""
    from oddseam.demo import write_all
    from oddseam.demo.story import tell

    if args.data:
        for path in write_all(Path(args.output)):
            print(f"wrote {path}")
        return 0
    return tell(Path(args.output), print, tables.keep_survey)
