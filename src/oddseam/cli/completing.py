"""Scripts that let a shell complete verbs, options and words, made from the table of operations."""

from __future__ import annotations

import argparse
from collections.abc import Iterator

from oddseam.cli.parsing import parser_for
from oddseam.operations import by_verb

_BASH = """\
_oddseam() {{
  local word=${{COMP_WORDS[COMP_CWORD]}} before=${{COMP_WORDS[COMP_CWORD-1]}} verb=${{COMP_WORDS[1]}}
  COMPREPLY=()
  if (( COMP_CWORD == 1 )); then
    COMPREPLY=($(compgen -W "{verbs}" -- "$word"))
    return
  fi
  case "$verb $before" in
{words}
  esac
  if [[ $word == -* ]]; then
    case $verb in
{options}
    esac
  fi
}}
complete -o default -F _oddseam oddseam
"""


def script_for(shell: str) -> str:
    """The script of a shell."""
    return {"bash": _bash, "zsh": _zsh, "fish": _fish}[shell]()


def _options(verb: str) -> Iterator[tuple[str, tuple[str, ...], str]]:
    """The options of a verb, the words that each takes, and what is said of it."""
    parser = parser_for(by_verb()[verb])
    for action in parser._actions:
        words = tuple(action.choices or ()) or getattr(action.type, "words", ())
        for name in action.option_strings:
            yield name, words, "" if action.help in (None, argparse.SUPPRESS) else str(action.help)


def _bash() -> str:
    options, words = [], []
    for verb in by_verb():
        its = list(_options(verb))
        options.append(f'      {verb}) COMPREPLY=($(compgen -W "{" ".join(name for name, _, _ in its)}" -- "$word"));;')
        words += [
            f'    "{verb} {name}") COMPREPLY=($(compgen -W "{" ".join(taken)}" -- "$word")); return;;'
            for name, taken, _ in its
            if taken
        ]
    return _BASH.format(verbs=" ".join(by_verb()), options="\n".join(options), words="\n".join(words))


def _zsh() -> str:
    return "autoload -Uz bashcompinit && bashcompinit\n" + _bash()


def _fish() -> str:
    lines = ["complete -c oddseam -n __fish_use_subcommand -f"]
    for verb, operation in by_verb().items():
        lines.append(
            f"complete -c oddseam -n __fish_use_subcommand -a {verb} -d {_quoted(operation.signature.summary)}"
        )
        for name, words, text in _options(verb):
            if not name.startswith("--"):
                continue
            takes = f" -x -a {_quoted(' '.join(words))}" if words else ""
            here = f"'__fish_seen_subcommand_from {verb}'"
            lines.append(f"complete -c oddseam -n {here} -l {name[2:]}{takes} -d {_quoted(text)}")
    return "\n".join(lines) + "\n"


def _quoted(text: str) -> str:
    """Text as one word of fish."""
    return "'" + text.replace("\\", "\\\\").replace("'", "\\'") + "'"
