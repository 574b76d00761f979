"""Compiled kernels: one decorator with the options they all share.

Kernels are compiled on first use and kept on disk; the wheel ships them compiled.  No
``fastmath``: rounding must stay as written.
"""

from __future__ import annotations

import logging
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numba
from numba import types

from oddseam.read_only import ShippedCache, is_writable

logger = logging.getLogger(__name__)
_told = False


def kernel(function: Callable[..., Any]) -> Any:
    """Compile a function of arrays and scalars lazily, with its result kept on disk."""
    return _compiled(function)


def helper(function: Callable[..., Any]) -> Any:
    """Compile a function that only kernels call: as :func:`kernel`, without the part that Python would call."""
    return _compiled(function, no_cpython_wrapper=True)


def _compiled(function: Callable[..., Any], **options: Any) -> Any:
    shipped = not is_writable(Path(function.__code__.co_filename).parent)
    options |= {"nogil": True, "no_cfunc_wrapper": True, "cache": not shipped}
    dispatcher: Any = numba.njit(error_model="numpy", **options)(function)
    if shipped:
        dispatcher._cache = ShippedCache(function)
    template = dispatcher.get_call_template
    dispatcher.get_call_template = lambda args, kws: template(tuple(map(_widened, args)), kws)
    return dispatcher


def _widened(kind: Any) -> Any:
    """The type as which a kernel takes an argument of another kernel: one whole number, no literals.

    A literal, an ``int32`` from an array and an ``int64`` would each be compiled for themselves.
    """
    kind = getattr(kind, "literal_type", kind)
    return types.int64 if kind in types.signed_domain else kind


def announce(*kernels: Any) -> None:
    """Log once, at level WARNING, if any of these kernels will have to be compiled now."""
    global _told
    if _told or all(_is_ready(one) for one in kernels):
        return
    _told = True
    kept = next((_kept_in(one) for one in kernels if not _is_ready(one)), "")
    where = f", and kept in {kept}" if kept else ""
    logger.warning(f"compiling for this processor; this happens once (`oddseam warm-up` does it ahead){where}")


def _kept_in(one: Any) -> str:
    """Where what is compiled is kept, if that is not beside the source."""
    cache = one._cache
    if not isinstance(cache, ShippedCache):
        return ""
    return str(Path(cache.kept.cache_path).parent) if cache.kept is not None else "memory alone"


def _is_ready(one: Any) -> bool:
    if one.overloads:
        return True
    name = f"{one.py_func.__module__.rpartition('.')[2]}.{one.py_func.__name__}-*.nbi"
    kept = getattr(one._cache, "kept", None)
    folders = [one.stats.cache_path, *([kept.cache_path] if kept is not None else [])]
    return any(any(Path(folder).glob(name)) for folder in folders)
