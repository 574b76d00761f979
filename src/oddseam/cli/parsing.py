"""Parsers made from the table of operations: one for each verb, and the overview of all."""

from __future__ import annotations

import argparse
import difflib
import re
import shutil
import textwrap
from collections.abc import Sequence
from typing import Any, NoReturn

from oddseam._version import VERSION
from oddseam.cli.change_options import add_changes
from oddseam.cli.option_kinds import Kind, kind_of, number
from oddseam.cli.options import draws, makes, reads, reports, writes
from oddseam.operations import GROUPS, Operation, by_verb
from oddseam.signatures import Parameter, described

STATUS = "Exit status: 0 done; 1 done, but something asked for is unmet (it says what); 2 refused or unreadable."
_HEAD = "Turn meshes without CAD into meshes that a solver accepts."
#: Arguments that no option stands for: how far the work is, the format that is written, and where.
_OWN = ("progress", "target", "path", "found")
#: What is too wide to be read in one line.
_WIDEST = 100
#: Results that are more than one line of text.
_PLAIN = "str"


class Parser(argparse.ArgumentParser):
    """A parser whose complaints are one line, and name what may have been meant."""

    def error(self, message: str) -> NoReturn:
        """Say what is wrong, and end with status 2."""
        unknown = re.match(r"unrecognized arguments: (--[\w-]+)", message)
        if unknown is not None:
            message = f"there is no option {unknown[1]}{meant(unknown[1], list(self._option_string_actions))}"
        message = re.sub("^argument (?=-)", "", message)
        self.exit(2, f"oddseam: {' '.join(message.split())} (see {self.prog} --help)\n")


def meant(word: str, known: Sequence[str]) -> str:
    """The nearest word that there is, as a question; nothing if none is near."""
    near = difflib.get_close_matches(word, known, 1)
    return f"; did you mean {near[0]}?" if near else ""


def overview() -> str:
    """All verbs in the order of the job, one line each."""
    verbs = by_verb()
    width = max(map(len, verbs)) + 2
    lines = ["usage: oddseam VERB FILE ... [-o FILE] [options]", "", _HEAD]
    for group in GROUPS:
        lines += ["", f"{group}:"]
        lines += [f"  {verb:<{width}}{one.signature.summary}" for verb, one in verbs.items() if one.group == group]
    lines += ["", "oddseam VERB --help says more of each, with an example.", STATUS]
    return "\n".join(lines)


def find_verb(words: Sequence[str]) -> Operation | str:
    """The operation that a command line names, or what is said without one; ``SystemExit`` if that is an error."""
    verbs = by_verb()
    first = words[0] if words else ""
    if first == "help" and len(words) > 1 and words[1] in verbs:
        return parser_for(verbs[words[1]]).format_help()
    if first in ("--help", "-h", "help"):
        return overview() + "\n"
    if first == "--version":
        return f"oddseam {VERSION}\n"
    if first in verbs:
        return verbs[first]
    parser = Parser(prog="oddseam")
    parser.error(f"there is no verb {first}{meant(first, list(verbs))}" if first else "say a verb, and a file")


def parser_for(operation: Operation) -> Parser:
    """The parser of a verb; imports nothing that takes time."""
    said = operation.signature
    width = min(shutil.get_terminal_size().columns, _WIDEST) - 2
    about = [textwrap.fill(text.replace("%", "%%"), width) for text in (said.summary, said.body) if text]
    parser = Parser(
        prog=f"oddseam {operation.verb}", description="\n\n".join(about), allow_abbrev=False,
        formatter_class=lambda prog: argparse.RawDescriptionHelpFormatter(prog, width=width),
        epilog=f"example:\n  oddseam {operation.example}\n\n{STATUS}",
    )  # fmt: skip
    parser.usage = _usage(operation)
    reads_meshes = False
    for parameter in said.parameters:
        reads_meshes |= "Mesh" in parameter.annotation or "Change" in parameter.annotation
        if parameter.name not in _OWN:
            _add(parser, operation, parameter)
    if operation.file is not None:
        text = "a file that holds any of these; options count instead of what it says, or add to its lists"
        parser.add_argument(f"--{operation.file[0]}", metavar="TOML", help=text)
    if reads_meshes:
        reads(parser)
    if said.returns == "Mesh":
        writes(parser, may_show=bool(operation.shows))
    elif said.returns == "SizeField":
        makes(parser, "FIELD", "an .npz file, for `oddseam remesh --sizes`")
        parser.add_argument(
            "--at", action="append", type=_POINT.parse, metavar="X,Y,Z", help="print the size at this point"
        )
    elif said.returns == "Path":
        makes(parser, "PNG", "the picture")
    if operation.picture:
        draws(parser)
    if said.returns != _PLAIN:
        reports(parser, as_json=said.returns != "Path")
    return parser


def _usage(operation: Operation) -> str:
    """How a verb is called, in one line: what stands in its place, what it needs, and that there are options."""
    words = []
    for parameter in operation.signature.parameters:
        needed, name = parameter.default is None, parameter.name.replace("_", "-")
        if parameter.is_positional and parameter.name not in _OWN:
            word = "FILE" if name == "mesh" else name.upper()
            words.append(word if needed else f"[{word}]")
        elif needed and parameter.name not in _OWN and "Limits" not in parameter.annotation:
            words.append(f"--{name} ...")
    output = {"Mesh": "[-o FILE]" if operation.shows else "-o FILE", "SizeField": "-o FIELD", "Path": "-o PNG"}
    words.append(output.get(operation.signature.returns, ""))
    return " ".join(word for word in ("oddseam", operation.verb, *words, "[options]") if word)


def parse(operation: Operation, words: Sequence[str]) -> argparse.Namespace:
    """The arguments of a command line, without the verb."""
    return parser_for(operation).parse_intermixed_args(_joined(words))


def _joined(words: Sequence[str]) -> list[str]:
    """Words with those that begin like a negative number joined to the option before: ``--at -3,4,0``."""
    found: list[str] = []
    for word in words:
        if re.match(r"-[\d.]", word) and found and re.fullmatch(r"--[\w-]+", found[-1]):
            found[-1] += f"={word}"
        else:
            found.append(word)
    return found


def limits_of(parameter: Parameter, operation: Operation) -> dict[str, str]:
    """The measures that an argument may limit, and what is said of each; none if it takes no limits."""
    if "LimitsLike" not in parameter.annotation:
        return {}
    source = operation.signature.source.home("LimitsLike")
    return described(source.docstring("Limits"), "Attributes")


_POINT = kind_of("at", "PointLike", by_verb()["survey"].signature.source)


def kind_for(parameter: Parameter, operation: Operation) -> Kind | None:
    """What an option takes; ``None`` for a switch and for what becomes several options."""
    annotation = parameter.annotation.removesuffix(" | None")
    if annotation == "bool" or "Change" in annotation or "LimitsLike" in annotation:
        return None
    return kind_of(parameter.name, parameter.annotation, operation.signature.source)


def _add(parser: Parser, operation: Operation, parameter: Parameter) -> None:
    """Add what stands for an argument."""
    limits = limits_of(parameter, operation)
    if limits:
        group = parser.add_argument_group("limits of quality")
        for name, text in limits.items():
            option = f"--{name.replace('_', '-')}"
            group.add_argument(option, type=number, metavar="LIMIT", help=text.replace("%", "%%"))
        return
    if "Change" in parameter.annotation:
        add_changes(parser)
        return
    kind = kind_for(parameter, operation)
    option = f"--{parameter.name.replace('_', '-')}"
    text = _help(parameter)
    if kind is None:
        action: Any = "store_true" if parameter.default == "False" else argparse.BooleanOptionalAction
        parser.add_argument(option, action=action, default=None, help=text)
        return
    needed = parameter.default is None and (operation.file is None or parameter.name == "mesh")
    if parameter.is_positional:
        several = "+" if needed else "*"
        nargs = several if kind.gather is not None else None if needed else "?"
        metavar = "FILE" if parameter.name == "mesh" else parameter.name.upper()
        metavar = kind.metavar if kind.gather is not None else metavar
        parser.add_argument(parameter.name, nargs=nargs, type=kind.parse, metavar=metavar, help=text or _FILE)
        return
    metavar = kind.metavar or parameter.name.upper().replace("_", "-")
    if kind.gather is not None:
        parser.add_argument(
            option, action="append", required=needed, type=kind.parse, metavar=metavar, help=f"{text} May be repeated."
        )
    else:
        names = ["-o", option] if parameter.name == "output" else [option]
        parser.add_argument(*names, nargs=kind.nargs, required=needed, type=kind.parse, metavar=metavar, help=text)


_FILE = "mesh file: STL, OBJ, PLY, OFF, 3MF, GLB, VTU, CGNS, NASTRAN bulk data, CalculiX deck, or .seam"


def _help(parameter: Parameter) -> str:
    """What is said of an argument, with its default."""
    shown = parameter.default not in (None, "None", "False", "True", "()") and "default" not in parameter.text
    text = parameter.text + (f" Default {(parameter.default or '').strip(chr(39))}." if shown else "")
    return text.strip().replace("%", "%%")
