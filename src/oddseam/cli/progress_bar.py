"""Progress on the terminal, for work that lasts more than a second."""

from __future__ import annotations

import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager

from oddseam.progress import Progress

_PATIENCE = 1.0


@contextmanager
def shown() -> Iterator[Progress]:
    """A callback that shows a bar on stderr once a second has passed; nothing if that is no terminal."""
    if not sys.stderr.isatty():
        yield lambda step, fraction: None
        return
    from rich.console import Console
    from rich.progress import BarColumn, Progress as Bar, TextColumn, TimeElapsedColumn

    start = time.perf_counter()
    columns = (TextColumn("{task.description:<38}"), BarColumn(), TimeElapsedColumn())
    with Bar(*columns, console=Console(stderr=True), transient=True) as bar:
        task = bar.add_task("", total=1.0, visible=False)

        def tell(step: str, fraction: float) -> None:
            late = time.perf_counter() - start > _PATIENCE
            bar.update(task, description=step, completed=fraction, visible=late)

        yield tell
