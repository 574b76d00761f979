"""Kernels of a package that cannot be written to: those shipped are used, others are kept where there is room.

Such is the state of an installation that belongs to somebody else, in a container for one.  What is compiled then is
kept in the user's cache folder, or where there is none in one for temporary files.
"""

from __future__ import annotations

import importlib
import os
import tempfile
from collections.abc import Callable
from functools import cache
from pathlib import Path
from typing import Any

caching: Any = importlib.import_module("numba.core.caching")  # without types


@cache
def is_writable(folder: Path) -> bool:
    """Whether files can be made in a folder, or in that for compiled code below it."""
    below = folder / "__pycache__"
    return os.access(below if below.is_dir() else folder, os.W_OK)


class _Beside(caching.InTreeCacheLocator):  # type: ignore[misc]
    """The folder beside the source, which is only read."""

    def ensure_cache_path(self) -> None:
        """Nothing is written there."""


class _Temporary(caching.UserWideCacheLocator):  # type: ignore[misc]
    """A folder of the user's own among temporary files."""

    def __init__(self, py_func: Callable[..., Any], py_file: str) -> None:
        super().__init__(py_func, py_file)
        own = Path(tempfile.gettempdir(), f"oddseam-kernels-{os.getuid()}")
        self._cache_path = str(own / self.get_suitable_cache_subpath(py_file))


class _ReadImpl(caching.CompileResultCacheImpl):  # type: ignore[misc]
    _locator_classes = (_Beside,)


class _KeepImpl(caching.CompileResultCacheImpl):  # type: ignore[misc]
    _locator_classes = (caching.UserProvidedCacheLocator, caching.UserWideCacheLocator, _Temporary)


class _Kept(caching.FunctionCache):  # type: ignore[misc]
    _impl_class = _KeepImpl


class ShippedCache(caching.FunctionCache):  # type: ignore[misc]
    """What was shipped with a function, and what is compiled besides."""

    _impl_class = _ReadImpl

    def __init__(self, function: Callable[..., Any]) -> None:
        super().__init__(function)
        try:
            self.kept: _Kept | None = _Kept(function)
        except RuntimeError:  # not even temporary files can be made: nothing is kept
            self.kept = None

    def load_overload(self, sig: Any, target_context: Any) -> Any:
        """What was compiled for a signature, wherever it is kept."""
        found = super().load_overload(sig, target_context)
        if found is None and self.kept is not None:
            found = self.kept.load_overload(sig, target_context)
        return found

    def save_overload(self, sig: Any, data: Any) -> None:
        """Keep what has been compiled, where that can be."""
        if self.kept is not None:
            self.kept.save_overload(sig, data)
