"""What can be said of a function from its source alone: signature, and what its NumPy docstring says of each argument.

Nothing is imported for it, so that help costs nothing: the lines of the one function are found by their indentation and
parsed by themselves.
"""

from __future__ import annotations

import ast
import importlib.util
import re
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

_ROOT = Path(__file__).parent
#: Markup of docstrings: roles such as ``:func:`~oddseam.pick```, and literals.
_ROLE, _LITERAL = re.compile(r":\w+:`~?(?:[\w.]*\.)?(\w+)`"), re.compile(r"``([^`]*)``")
_HEAD = re.compile(r"([\w, ]+?) : (.*)")


@dataclass(frozen=True)
class Parameter:
    """One argument of a function.

    Attributes
    ----------
    name : str
    annotation : str
        Its type, as it is written.
    default : str or None
        As it is written; ``None`` if the argument has to be given.
    is_positional : bool
        Whether it may be given by its place.
    text : str
        What the docstring says of it, in one line without markup.
    """

    name: str
    annotation: str
    default: str | None
    is_positional: bool
    text: str


@dataclass(frozen=True)
class Source:
    """A module as text, ``oddseam.mending.fill``."""

    module: str

    @cached_property
    def path(self) -> Path:
        """Where it stands; of another package it is asked for."""
        if not self.module.startswith("oddseam."):
            spec = importlib.util.find_spec(self.module)
            if spec is None or spec.origin is None:
                raise KeyError(f"there is no module {self.module}")
            return Path(spec.origin)
        base = _ROOT.joinpath(*self.module.split(".")[1:])
        return base / "__init__.py" if base.is_dir() else base.with_suffix(".py")

    @cached_property
    def text(self) -> str:
        """All of it."""
        return self.path.read_text(encoding="utf-8")

    def snippet(self, kind: str, name: str) -> str:
        """The lines of a function (``def``) or ``class``, from its name to the next line that starts at the margin."""
        start = re.search(rf"^{kind} {name}\b", self.text, re.MULTILINE)
        if start is None:
            raise KeyError(f"{self.module} has no {kind} {name}")
        end = re.compile(r"^[^\s)#]", re.MULTILINE).search(self.text, start.end())
        return self.text[start.start() : end.start() if end else None]

    def origin(self, name: str) -> Source:
        """The module that a name is imported from."""
        found = self._origin(name)
        if found is None:
            raise KeyError(f"{self.module} has no {name}")
        return Source(found)

    def _origin(self, name: str) -> str | None:
        line = rf"^from (oddseam[\w.]*) import (?:\([^)]*\b{name}\b|[^\n]*\b{name}\b)"
        found = re.search(line, self.text, re.MULTILINE)
        return None if found is None else found[1]

    def home(self, name: str) -> Source:
        """The module that makes a name: this one, or the one that it is imported from."""
        own = rf"^(?:{name} = |def {name}\b|class {name}\b)"
        return self if re.search(own, self.text, re.MULTILINE) else self.origin(name).home(name)

    def docstring(self, name: str) -> str:
        """What a class says of itself."""
        (node,) = ast.parse(self.snippet("class", name)).body
        assert isinstance(node, ast.ClassDef)
        return ast.get_docstring(node) or ""

    def words(self, name: str) -> tuple[str, ...] | None:
        """The words of a ``Literal`` that stands in the module, or in the one that it is imported from, by its name."""
        found = re.search(rf"^{name} = Literal\[([^\]]*)\]", self.text, re.MULTILINE)
        if found is not None:
            return tuple(re.findall(r'"([^"]*)"', found[1]))
        origin = self._origin(name)
        return None if origin is None else Source(origin).words(name)

    def value(self, name: str) -> str | None:
        """What a constant of the module is set to, as it is written."""
        found = re.search(rf"^{name} = (.*)$", self.text, re.MULTILINE)
        return None if found is None else found[1]


@dataclass(frozen=True)
class Signature:
    """A function by its source.

    Attributes
    ----------
    source : Source
    name : str
    """

    source: Source
    name: str

    @cached_property
    def summary(self) -> str:
        """The first line of the docstring."""
        text = self.source.snippet("def", self.name)
        found = re.search(r'^    r?"""(.*?)(?:\n\n|""")', text, re.MULTILINE | re.DOTALL)
        return "" if found is None else plain(found[1])

    @cached_property
    def _function(self) -> ast.FunctionDef:
        (node,) = ast.parse(self.source.snippet("def", self.name)).body
        assert isinstance(node, ast.FunctionDef)
        return node

    @cached_property
    def body(self) -> str:
        """What the docstring says between its first line and the first section."""
        doc = ast.get_docstring(self._function) or ""
        return plain("\n".join(_sections(doc).get("", "").split("\n")[1:]))

    @cached_property
    def returns(self) -> str:
        """The annotation of what it returns, without an outcome beside it."""
        said = ast.unparse(self._function.returns) if self._function.returns is not None else ""
        return said.removeprefix("tuple[").removesuffix(", Outcome]") if said.endswith(", Outcome]") else said

    @cached_property
    def parameters(self) -> tuple[Parameter, ...]:
        """Its arguments, in order."""
        its, texts = self._function.args, described(ast.get_docstring(self._function) or "", "Parameters")
        plain_ones = its.posonlyargs + its.args
        defaults = [None] * (len(plain_ones) - len(its.defaults)) + list(its.defaults)
        rows = [(arg, default, True) for arg, default in zip(plain_ones, defaults, strict=True)]
        rows += [(arg, default, False) for arg, default in zip(its.kwonlyargs, its.kw_defaults, strict=True)]
        return tuple(
            Parameter(
                arg.arg, "" if arg.annotation is None else ast.unparse(arg.annotation), self._written(default),
                is_positional, texts.get(arg.arg, ""),
            )
            for arg, default, is_positional in rows
        )  # fmt: skip

    def _written(self, default: ast.expr | None) -> str | None:
        if isinstance(default, ast.Name) and default.id != "silent":
            return self.source.value(default.id)
        return None if default is None else ast.unparse(default)


def described(doc: str, section: str) -> dict[str, str]:
    """What a section of a NumPy docstring says of each name."""
    found: dict[str, list[str]] = {}
    names: list[str] = []
    for line in _sections(doc).get(section, "").split("\n"):
        head = _HEAD.fullmatch(line)
        if head is not None or (line and not line.startswith(" ")):
            names = [name.strip() for name in (head[1] if head is not None else line).split(",")]
            found |= {name: [] for name in names}
        else:
            for name in names:
                found[name].append(line)
    return {name: plain("\n".join(lines)) for name, lines in found.items()}


def _sections(doc: str) -> dict[str, str]:
    """A docstring by its underlined headings; what comes before the first has the name ``""``."""
    found: dict[str, list[str]] = {"": []}
    lines, at = doc.split("\n"), ""
    for k, line in enumerate(lines):
        if k + 1 < len(lines) and line and set(lines[k + 1]) == {"-"}:
            at = line
            found[at] = []
        elif not (line and set(line) == {"-"}):
            found[at].append(line)
    return {name: "\n".join(its).strip("\n") for name, its in found.items()}


def plain(text: str) -> str:
    """Text of a docstring in one line, without markup."""
    return " ".join(_LITERAL.sub(r"\1", _ROLE.sub(r"\1", text)).split())
