"""What verbs of the command line share: options, in the same words everywhere."""

from __future__ import annotations

import argparse
import math
from typing import NoReturn

UNITS = ("um", "mm", "cm", "m", "in", "ft")
_OVERWRITE = "allow the output to be the input"
STATUS = "Exit status: 0 done; 1 done, but something asked for is unmet (it says what); 2 refused or unreadable."


def number(text: str) -> float:
    """A number that an option takes: finite, with digits."""
    try:
        value = float(text)
    except ValueError:
        value = math.nan
    if not math.isfinite(value) or "_" in text:
        raise argparse.ArgumentTypeError(f"{text[:40]!r} is no number")
    return value


class Parser(argparse.ArgumentParser):
    """A parser whose complaints are one line."""

    def error(self, message: str) -> NoReturn:
        """Say what is wrong, and end with status 2."""
        self.exit(2, f"{self.prog}: {' '.join(message.split())} (see {self.prog} --help)\n")


class Verbs:
    """The verbs of a parser."""

    def __init__(self, parser: argparse.ArgumentParser) -> None:
        self._parsers = parser.add_subparsers(dest="verb", metavar="VERB", required=True)

    def add(self, name: str, text: str) -> argparse.ArgumentParser:
        """One more."""
        return self._parsers.add_parser(name, help=text, description=text, epilog=STATUS)


def reads(p: argparse.ArgumentParser) -> None:
    """A file to be read."""
    p.add_argument(
        "input",
        metavar="FILE",
        help="mesh file: STL, OBJ, PLY, OFF, 3MF, GLB, VTU, CGNS, NASTRAN bulk data, CalculiX deck, or .seam",
    )
    p.add_argument("--unit", choices=UNITS, help="unit of length of a file that does not say")


def writes(p: argparse.ArgumentParser) -> None:
    """A file to be written, and what a deck needs."""
    p.add_argument("-o", "--output", required=True, metavar="FILE", help="the suffix chooses the format")
    p.add_argument("--overwrite", action="store_true", help=_OVERWRITE)
    cares(p)
    data = p.add_argument_group("for a deck (a solver refuses shells without these)")
    data.add_argument("--thickness", type=number, help="shell thickness, in the unit of the mesh")
    data.add_argument("--young", type=number, metavar="E", help="Young's modulus of the material")
    data.add_argument("--poisson", type=number, metavar="NU", help="Poisson's ratio")
    data.add_argument("--density", type=number, metavar="RHO", help="mass density")


def cares(p: argparse.ArgumentParser) -> None:
    """What is done with the cards of a deck."""
    deck = p.add_argument_group("for a deck with loads")
    deck.add_argument("--carry-loads", action="store_true", help="carry pressures over to new elements")
    deck.add_argument(
        "--trim-references", action="store_true", help="take what is gone out of lists, and drop cards that act on it"
    )


def follows_creases(p: argparse.ArgumentParser) -> None:
    """The angle of creases."""
    p.add_argument(
        "--crease",
        type=number,
        default=30.0,
        metavar="ANGLE",
        help="edges that turn by more degrees are creases (default 30)",
    )


def has_limits(p: argparse.ArgumentParser) -> None:
    """Limits of quality."""
    p.add_argument(
        "--limit",
        action="append",
        metavar="MEASURE=VALUE",
        help="a limit of quality other than the survey's, such as minimum-angle=5; beyond is unmet; may be repeated",
    )


def picks_some(p: argparse.ArgumentParser) -> None:
    """What is worked on."""
    p.add_argument(
        "--only", metavar="PICK", help="only these elements, such as 'part hood'; the rest stays to the last bit"
    )


def reports(p: argparse.ArgumentParser) -> None:
    """A report as JSON."""
    p.add_argument("--json", action="store_true", help="print the report as JSON")


def may_write(p: argparse.ArgumentParser, text: str = "the suffix chooses the format") -> None:
    """A file that may be written."""
    p.add_argument("-o", "--output", metavar="FILE", help=text)
    p.add_argument("--overwrite", action="store_true", help=_OVERWRITE)
    cares(p)


def has_collars(p: argparse.ArgumentParser) -> None:
    """Collars of an opening."""
    p.add_argument("--collars", metavar="WIDTH,WIDTH,...", help="rings of regular elements round the rim")


def splits_lines(p: argparse.ArgumentParser) -> None:
    """Whether line elements give way."""
    p.add_argument("--split-lines", action="store_true", help="split line elements that are in the way")


def edits(p: argparse.ArgumentParser) -> None:
    """A file to be written with what a change adds, in the ids and with the loads that a deck needs."""
    writes(p)
    reports(p)
    numbers_new(p)


def numbers_new(p: argparse.ArgumentParser) -> None:
    """Ids of what is new."""
    new = p.add_argument_group("for what is new")
    new.add_argument("--node-ids", metavar="FIRST[-LAST]", help="ids of new nodes (above the highest by default)")
    new.add_argument("--element-ids", metavar="FIRST[-LAST]", help="ids of new elements")


def looks_from(p: argparse.ArgumentParser) -> None:
    """From where a picture is drawn."""
    p.add_argument(
        "--direction", default="corner", help="corner, below, behind, front, back, left, right, top, bottom, or x,y,z"
    )
