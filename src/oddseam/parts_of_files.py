"""Files while they are being written: beside their place, under a name that says by whom."""

from __future__ import annotations

import hashlib
import os
import re
import socket
import tempfile
import time
from contextlib import suppress
from pathlib import Path

_NAME = re.compile(r"\..+\.([0-9a-f]{8})-(\d+)-[^.]*\.part")
#: What another machine left is dropped when it is so many seconds old.
_OLD = 86_400.0
_unfinished: set[str] = set()


def begin(path: Path) -> tuple[int, str]:
    """An open file beside a path, and its name; what runs that are dead have left in that folder goes."""
    _drop_stray(path.parent)
    start = f".{path.name[:100]}.{_here()}-{os.getpid()}-"
    handle, name = tempfile.mkstemp(prefix=start, suffix=".part", dir=path.parent)
    _unfinished.add(name)
    return handle, name


def finish(name: str) -> None:
    """It is in its place, or gone."""
    _unfinished.discard(name)


def drop_unfinished() -> None:
    """Remove what this process has not finished."""
    for name in list(_unfinished):
        with suppress(OSError):
            os.unlink(name)


def _here() -> str:
    """A word for this machine."""
    return hashlib.blake2b(socket.gethostname().encode(), digest_size=4).hexdigest()


def _drop_stray(folder: Path) -> None:
    with suppress(OSError):
        for entry in os.scandir(folder):
            found = _NAME.fullmatch(entry.name) if entry.name.endswith(".part") else None
            if found is None or not entry.is_file(follow_symlinks=False):
                continue
            is_dead = found[1] == _here() and not _lives(int(found[2]))
            if is_dead or time.time() - entry.stat(follow_symlinks=False).st_mtime > _OLD:
                with suppress(OSError):
                    os.unlink(entry.path)


def _lives(process: int) -> bool:
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except (OSError, OverflowError):
        return True
    return True
