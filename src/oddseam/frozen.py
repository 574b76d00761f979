"""Frozen values that are pickled and copied by their fields."""

from __future__ import annotations

import dataclasses
from collections.abc import Callable
from types import MappingProxyType
from typing import Any


class Value:
    """Base of frozen dataclasses whose constructor checks and locks what it is given.

    A copy, or what comes out of a pickle, is constructed again: checked and locked like any other, and without what
    had been derived.
    """

    def __reduce__(self) -> tuple[Callable[..., Any], tuple[Any, ...]]:
        fields: tuple[Any, ...] = dataclasses.fields(self)  # type: ignore[arg-type]  # every subclass is a dataclass
        values = (getattr(self, one.name) for one in fields)
        return type(self), tuple(dict(value) if isinstance(value, MappingProxyType) else value for value in values)
