"""The parser and the way errors leave: exit status 0 done, 1 unmet, 2 refused or unreadable."""

from __future__ import annotations

import argparse
import importlib
import logging
import os
import sys
from collections.abc import Sequence

from oddseam._version import VERSION
from oddseam.cli.options import STATUS, Parser, Verbs
from oddseam.cli.options_edits import add_edits
from oddseam.cli.options_looking import add_looking, add_others
from oddseam.cli.options_morph import add_morph
from oddseam.cli.options_surface import add_surface
from oddseam.errors import OddSeamError

_DESCRIPTION = """\
Turn meshes without CAD into meshes that a solver accepts.

  oddseam survey PART.stl --unit mm            look for defects, with places
  oddseam mend PART.stl -o CLEAN.stl           mend what can be mended, and prove it
  oddseam remesh CLEAN.stl -o EVEN.stl --size 4
  oddseam picture EVEN.stl -o EVEN.png
"""


def build_parser() -> argparse.ArgumentParser:
    """The whole command line; imports nothing that takes time."""
    parser = Parser(
        prog="oddseam", description=_DESCRIPTION, epilog=STATUS, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("--version", action="version", version=f"oddseam {VERSION}")
    verbs = Verbs(parser)
    for add in (add_looking, add_surface, add_edits, add_morph, add_others):
        add(verbs)
    return parser


def main(argv: Sequence[str] | None = None) -> int:
    """Run the command line; returns the exit status."""
    args = build_parser().parse_args(argv)
    logging.basicConfig(format="oddseam: %(message)s", level=logging.WARNING, stream=sys.stderr)
    if argv is None:
        importlib.import_module("oddseam.cli.stopping").end_when_told()
    try:
        arguments = importlib.import_module("oddseam.cli.arguments")
        rooms = [importlib.import_module(f"oddseam.cli.{room}") for room in ("verbs", "edits", "morphing")]
        arguments.guard_inputs(args)
        name = "run_" + args.verb.replace("-", "_")
        status: int = next(getattr(room, name) for room in rooms if hasattr(room, name))(args)
        sys.stdout.flush()
        return status
    except OddSeamError as error:
        return _refuse(str(error))
    except BrokenPipeError:
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 1
    except MemoryError:
        return _refuse("there is not enough memory for this")
    except KeyboardInterrupt:
        return _refuse("stopped; no file was changed")


def _refuse(message: str) -> int:
    print("oddseam: " + " ".join(message.split()), file=sys.stderr)
    return 2
