"""Write the reference and the verbs of the README from the table of operations; run it when one of them changes."""

from __future__ import annotations

import inspect
import re
from pathlib import Path

import oddseam
from oddseam.operations import GROUPS, Operation, by_verb

ROOT = Path(__file__).resolve().parents[1]
_HEAD = (
    "Made from the table of operations by `docs/make_reference.py`.  The options of a command are the keywords of its",
    "function; `oddseam VERB --help` has those of reading, writing and reporting too.",
)
_VERBS = re.compile(r"(<!-- verbs -->\n).*?(<!-- /verbs -->)", re.DOTALL)


def call(operation: Operation) -> str:
    """How a function is called: its arguments, and which of them have to be given."""
    words = []
    starred = False
    for parameter in operation.signature.parameters:
        if not parameter.is_positional and not starred:
            words.append("*")
            starred = True
        words.append(parameter.name + ("" if parameter.default is None else f"={parameter.default}"))
    return f"{operation.name}({', '.join(words)})"


def of_readme() -> str:
    """The verbs, group by group, each led to its lines of the reference."""
    lines = ["| for | verbs |", "|---|---|"]
    for group in GROUPS:
        its = [f"[{verb}](docs/reference.md#{verb})" for verb, one in by_verb().items() if one.group == group]
        lines.append(f"| {group} | {', '.join(its)} |")
    return "\n".join(lines) + "\n"


def reference() -> str:
    """All verbs with their functions, arguments and examples; then what else there is in Python."""
    lines = ["# Reference", "", *_HEAD, ""]
    for group in GROUPS:
        lines += [f"## {group.capitalize()}", ""]
        for verb, one in by_verb().items():
            if one.group != group:
                continue
            said = one.signature
            lines += [f"### {verb}", "", said.summary, *([said.body] if said.body else []), ""]
            if ":" not in one.function:
                lines += ["```text", f"oddseam.{call(one)}", "```", ""]
            lines += [f"* `{p.name}`: {p.text}" for p in said.parameters if p.text]
            lines += ["", f"Example: `oddseam {one.example}`", ""]
    return "\n".join(lines + others())


def others() -> list[str]:
    """What is public and no operation, with its first line."""
    verbs = {one.name for one in by_verb().values()}
    rows = []
    for name in sorted(oddseam.__all__, key=str.lower):
        thing = getattr(oddseam, name)
        if name not in verbs and not isinstance(thing, str):
            first = (inspect.getdoc(thing) or "").split("\n", maxsplit=1)[0].replace("|", "\\|")
            rows.append(f"| `{name}` | {first} |")
    return ["## Besides, in Python", "", "| name | what |", "|---|---|", *rows, ""]


def main() -> None:
    """Write both."""
    (ROOT / "docs" / "reference.md").write_text(reference(), encoding="utf-8")
    readme = ROOT / "README.md"
    text = readme.read_text(encoding="utf-8")
    readme.write_text(_VERBS.sub(lambda found: found[1] + of_readme() + found[2], text), encoding="utf-8")


if __name__ == "__main__":
    main()
