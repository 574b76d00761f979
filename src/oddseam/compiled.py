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

logger = logging.getLogger(__name__)
_told = False


def kernel(function: Callable[..., Any]) -> Any:
    """Compile a function of arrays and scalars lazily, with its result kept on disk."""
    return numba.njit(cache=True, nogil=True, error_model="numpy")(function)


def announce(*kernels: Any) -> None:
    """Log once, at level WARNING, if any of these kernels will have to be compiled now."""
    global _told
    if _told or all(_is_ready(one) for one in kernels):
        return
    _told = True
    logger.warning("compiling for this processor; this happens once (`oddseam warm-up` does it ahead)")


def _is_ready(one: Any) -> bool:
    if one.signatures:
        return True
    name = f"{one.py_func.__module__.rpartition('.')[2]}.{one.py_func.__name__}-*.nbi"
    return any(Path(one.stats.cache_path).glob(name))
