"""The decorator that turns a working function into a recorded operation."""

from __future__ import annotations

import functools
import logging
import time
from collections.abc import Callable, Iterator, Mapping
from dataclasses import fields, is_dataclass, replace
from typing import Any, ParamSpec, Protocol, TypeVar

from oddseam._version import VERSION
from oddseam.accounts.entry import Account, Entry, Loss, Outcome
from oddseam.inputs import Arguments
from oddseam.progress import silent, steps_of

logger = logging.getLogger(__name__)


class Recordable(Protocol):
    """What the decorator needs to know of a mesh."""

    @property
    def account(self) -> Account:
        """The account so far."""

    @property
    def digest(self) -> str:
        """Digest of the content."""

    @property
    def counts(self) -> dict[str, int]:
        """Numbers of nodes and elements."""

    def with_account(self, account: Account) -> Any:
        """The same with another account."""

    def gone_since(self, before: Any) -> tuple[str, ...]:
        """What has gone since an earlier state that others refer to, in words."""


P = ParamSpec("P")
M = TypeVar("M", bound=Recordable)

#: Every recorded operation by its name, as far as its module has been loaded.
RECORDED: dict[str, Callable[..., Any]] = {}
#: Arguments that steer a run without shaping its result; they are not settings.
_UNRECORDED = frozenset({"progress"})


def _plain(value: Any) -> Any:
    """A setting as it is written down."""
    if isinstance(value, list | tuple):
        return [_plain(one) for one in value]
    return value.as_setting() if hasattr(value, "as_setting") else value


def _digests(value: Any) -> Iterator[str]:
    """The digests of all meshes among the arguments, in order."""
    if isinstance(getattr(value, "account", None), Account):
        yield value.digest
    elif isinstance(value, Mapping):
        yield from _digests(list(value.values()))
    elif isinstance(value, list | tuple):
        for one in value:
            yield from _digests(one)
    elif is_dataclass(value):
        yield from _digests([getattr(value, field.name) for field in fields(value)])


def recorded(
    *,
    loss: Callable[[Any, Any, Mapping[str, Any]], Loss] | None = None,
    judge: Callable[[Any, Any], list[str]] | None = None,
) -> Callable[[Callable[P, tuple[M, Outcome]]], Callable[P, M]]:
    """Record a function of a mesh as an operation of the function's name.

    The function takes a mesh first and keyword settings of plain values, and returns the
    new mesh and an :class:`Outcome`; the decorated one returns the mesh alone, whose account
    holds one more :class:`Entry`.  ``loss`` measures what was lost, from the meshes before and after and the
    arguments, where the function has not done so itself; ``judge`` says, from both meshes, what is unmet of quality.
    """

    def decorate(function: Callable[P, tuple[M, Outcome]]) -> Callable[P, M]:
        arguments, operation = Arguments(function), function.__name__.replace("_", " ")

        @functools.wraps(function)
        def run(*args: P.args, **kwargs: P.kwargs) -> M:
            bound = arguments.bound(*args, **kwargs)
            mesh: Recordable = next(iter(bound.arguments.values()))
            settings = {
                name: _plain(value) for name, value in list(bound.arguments.items())[1:] if name not in _UNRECORDED
            }
            start = time.perf_counter()
            with steps_of(operation, bound.arguments.get("progress", silent)) as told:
                if "progress" in bound.arguments:
                    bound.arguments["progress"] = told
                result, outcome = function(*bound.args, **bound.kwargs)
                told("measuring what was lost", 0.98)
                if loss is not None and outcome.loss is None:
                    outcome = outcome.with_loss(loss(mesh, result, bound.arguments))
                outcome = outcome.with_notes(result.gone_since(mesh))
                if judge is not None:
                    outcome = replace(outcome, unmet=(*outcome.unmet, *judge(mesh, result)))
            entry = Entry(
                operation=operation,
                settings=settings,
                inputs=tuple(_digests(list(bound.arguments.values()))),
                output=result.digest,
                before=mesh.counts,
                after=result.counts,
                outcome=outcome,
                version=VERSION,
                seconds=time.perf_counter() - start,
            )
            logger.info("%s: %s -> %s in %.2f s", operation, entry.before, entry.after, entry.seconds)
            recorded_mesh: M = result.with_account(mesh.account.with_entry(entry))
            return recorded_mesh

        # what is called gives the mesh alone
        run.__signature__ = arguments.signature.replace(return_annotation="Mesh")  # type: ignore[attr-defined]
        run.__annotations__ = {**function.__annotations__, "return": "Mesh"}
        RECORDED[operation] = run
        return run

    return decorate
