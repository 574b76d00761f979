"""Options that many verbs share: units, what is written and how, decks, new ids, reports."""

from __future__ import annotations

import argparse

from oddseam.cli.option_kinds import number, span
from oddseam.signatures import Source

UNITS = Source("oddseam.model.units").words("Unit") or ()
_OVERWRITE = "allow the output to be the input"


class Options:
    """Adds options to a parser, except for those that it has already."""

    def __init__(self, parser: argparse.ArgumentParser, title: str) -> None:
        self._group = parser.add_argument_group(title)
        self._taken = parser._option_string_actions

    def add(self, *names: str, **more: object) -> None:
        """Add one, unless the verb has one of that name with a meaning of its own."""
        if names[-1] not in self._taken:
            self._group.add_argument(*names, **more)  # type: ignore[arg-type]


def reads(parser: argparse.ArgumentParser) -> None:
    """What is to be known of files that are read."""
    options = Options(parser, "what is read")
    options.add("--unit", choices=UNITS, help="unit of length of a file that does not say")


def writes(parser: argparse.ArgumentParser, *, may_show: bool) -> None:
    """A mesh that is written, and what a deck needs."""
    options = Options(parser, "what is written")
    options.add("-o", "--output", metavar="FILE", help="the suffix chooses the format")
    if not may_show:
        options.add("--preview", action="store_true", help="write nothing, but say what would become of it")
    options.add("--overwrite", action="store_true", help=_OVERWRITE)
    options.add("--text", action="store_true", help="write STL, PLY or VTU as text, with every digit")
    deck = Options(parser, "for a deck")
    deck.add("--thickness", type=number, help="shell thickness, in the unit of the mesh")
    deck.add("--young", type=number, metavar="E", help="Young's modulus of the material")
    deck.add("--poisson", type=number, metavar="NU", help="Poisson's ratio")
    deck.add("--density", type=number, metavar="RHO", help="mass density")
    deck.add("--carry-loads", action="store_true", help="carry pressures over to new elements")
    deck.add(
        "--trim-references", action="store_true", help="take what is gone out of lists, and drop cards that act on it"
    )
    deck.add("--node-ids", type=span, metavar="FIRST[-LAST]", help="ids of new nodes (above the highest by default)")
    deck.add("--element-ids", type=span, metavar="FIRST[-LAST]", help="ids of new elements")


def makes(parser: argparse.ArgumentParser, metavar: str, text: str) -> None:
    """A file of another kind that is written."""
    options = Options(parser, "what is written")
    options.add("-o", "--output", required=True, metavar=metavar, help=text)
    options.add("--overwrite", action="store_true", help=_OVERWRITE)


def draws(parser: argparse.ArgumentParser) -> None:
    """A picture of the result."""
    options = Options(parser, "a picture of it")
    options.add("--picture", metavar="PNG", help="draw it")
    words = Source("oddseam.pictures.standing").words("View") or ()
    options.add("--view", default="corner", metavar="VIEW", help=f"from where: {', '.join(words)}, or X,Y,Z")


def reports(parser: argparse.ArgumentParser, *, as_json: bool) -> None:
    """What is said of it."""
    options = Options(parser, "what is said")
    if as_json:
        options.add("--json", action="store_true", help="print the report as JSON")
    options.add("--quiet", action="store_true", help="print no report, only what is unmet")
    options.add("--verbose", action="store_true", help="say what is being done")
