"""The command line: a verb is found in the table of operations, and errors leave as one line.

Exit status 0 done, 1 unmet, 2 refused or unreadable.
"""

from __future__ import annotations

import importlib
import logging
import os
import sys
from collections.abc import Sequence

from oddseam.cli.parsing import find_verb, parse
from oddseam.errors import OddSeamError


def main(argv: Sequence[str] | None = None) -> int:
    """Run the command line; returns the exit status."""
    words = list(sys.argv[1:] if argv is None else argv)
    operation = find_verb(words)
    if isinstance(operation, str):
        sys.stdout.write(operation)
        return 0
    args = parse(operation, words[1:])
    args.verb = operation.verb
    level = logging.INFO if getattr(args, "verbose", False) else logging.WARNING
    logging.basicConfig(format="oddseam: %(message)s", level=level, stream=sys.stderr)
    if argv is None:
        importlib.import_module("oddseam.cli.stopping").end_when_told()
    try:
        status: int = importlib.import_module("oddseam.cli.running").run(operation, args)
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
