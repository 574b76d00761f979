"""Options that say changes of a design, each of which becomes one of the classes of changes."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from typing import Any, NamedTuple

from oddseam.cli.option_kinds import ids, number, numbers, pair, point
from oddseam.errors import Refusal


class _Option(NamedTuple):
    """An option that may be repeated: its name, what stands for its value in help, how it is parsed, and its help."""

    name: str
    metavar: str
    parse: Callable[[str], Any]
    text: str


def _of(*counts: int) -> Callable[[str], tuple[float, ...]]:
    """So many numbers, or so many."""

    def parse(text: str) -> tuple[float, ...]:
        found = numbers(text)
        if len(found) not in counts:
            raise argparse.ArgumentTypeError(f"{text[:40]!r}: {' or '.join(map(str, counts))} numbers are wanted")
        return found

    return parse


_OPTIONS = (
    _Option("move", "PICK=X,Y,Z", pair(str, point), "move a pick as it is"),
    _Option("turn", "PICK=DEGREES,AX,AY,AZ[,X,Y,Z]", pair(str, _of(4, 7)), "turn it about an axis through a point"),
    _Option("scale", "PICK=F,X,Y,Z", pair(str, _of(4, 6)), "scale it about a point, by one factor or three"),
    _Option("offset", "PICK=DISTANCE", pair(str, number), "move it along its normals, out of the material"),
    _Option("wall", "PICK=THICKNESS", pair(str, number), "make the wall behind it so thick"),
    _Option("bore", "X,Y,Z=DIAMETER", pair(point, number), "give the cylinder nearest to a point another diameter"),
    _Option("bore-centre", "X,Y,Z=X,Y,Z", pair(point, point), "another centre"),
    _Option("bore-axis", "X,Y,Z=AX,AY,AZ", pair(point, point), "another direction"),
    _Option("bore-outline", "X,Y,Z", point, "let the panel there, whose diameter is changed, keep its outline"),
    _Option("push", "I,J,K=X,Y,Z", pair(ids, point), "push a control point of the lattice"),
)


def add_changes(parser: argparse.ArgumentParser) -> None:
    """Add the options."""
    group = parser.add_argument_group("changes; each may be repeated")
    for option in _OPTIONS:
        name = f"--{option.name}"
        group.add_argument(name, action="append", type=option.parse, metavar=option.metavar, help=option.text)
    group.add_argument("--lattice", type=_of(6), metavar="X,Y,Z,X,Y,Z", help="box of control points: two corners")
    group.add_argument("--counts", type=ids, metavar="I,J,K", help="control points each way (4,4,4 by default)")
    group.add_argument("--targets", metavar="CSV", help="where nodes are to go: id,x,y,z")
    group.add_argument("--shape", metavar="FILE", help="a faceted surface of the changed part, to be followed")
    group.add_argument("--shape-of", metavar="PICK", help="the patches that it shows (all by default)")
    group.add_argument(
        "--surface", choices=("facets", "recognised"), default="facets",
        help="follow its facets, or the cylinders and so on that are recognised in them (facets by default)",
    )  # fmt: skip


def files_of(args: argparse.Namespace) -> list[str]:
    """Files that are read for changes."""
    return [path for path in (args.targets, args.shape) if path is not None]


def changes_of(args: argparse.Namespace) -> list[Any]:
    """The changes that options say."""
    import oddseam

    found: list[Any] = [oddseam.Move(pick, by) for pick, by in args.move or ()]
    for pick, its in args.turn or ():
        found.append(oddseam.Turn(pick, its[0], its[1:4], its[4:] or (0.0, 0.0, 0.0)))
    for pick, its in args.scale or ():
        found.append(oddseam.Scale(pick, its[0] if len(its) == 4 else its[:3], its[-3:]))
    found += [oddseam.Offset(pick, distance) for pick, distance in args.offset or ()]
    found += [oddseam.Wall(pick, thickness) for pick, thickness in args.wall or ()]
    found += _bores(args)
    if args.lattice is not None:
        counts = {} if args.counts is None else {"counts": args.counts}
        found.append(oddseam.Lattice(args.lattice[:3], args.lattice[3:], dict(args.push or ()), **counts))
    elif args.push:
        raise Refusal("--push needs a lattice: --lattice X,Y,Z,X,Y,Z")
    if args.targets is not None:
        found.append(oddseam.read_targets(args.targets))
    if args.shape is not None:
        surface = oddseam.read_mesh(args.shape, unit=args.unit)
        found.append(oddseam.Shape(surface, args.shape_of, args.surface))
    return found


def _bores(args: argparse.Namespace) -> list[Any]:
    """Bores with all that is said of each."""
    import oddseam

    said: dict[tuple[float, ...], dict[str, Any]] = {}
    for key, pairs in (("diameter", args.bore), ("centre", args.bore_centre), ("axis", args.bore_axis)):
        for near, value in pairs or ():
            said.setdefault(near, {})[key] = value
    for near in args.bore_outline or ():
        if near not in said:
            text = ",".join(f"{value:g}" for value in near)
            raise Refusal(f"--bore-outline {text}: say its diameter as well, --bore {text}=DIAMETER")
        said[near]["outline"] = True
    return [oddseam.Bore(near, **values) for near, values in said.items()]
