"""Ending at once when somebody says so, also within compiled code and while threads are at work."""

from __future__ import annotations

import os
import signal
import sys
import threading

from oddseam.parts_of_files import drop_unfinished

#: What ends a run, and the status that shells know it by.
_STATUS = {signal.SIGINT: 130, signal.SIGTERM: 143}


def end_when_told() -> None:
    """Let SIGINT and SIGTERM end the process with one line, and no file half written.

    Signal handlers of the language wait for compiled code to return; a thread that reads what the system writes at once
    does not.
    """
    read, write = os.pipe()
    os.set_blocking(write, False)
    signal.set_wakeup_fd(write, warn_on_full_buffer=False)
    for number in _STATUS:
        signal.signal(number, lambda *_: None)
    threading.Thread(target=_wait, args=(read,), daemon=True).start()


def _wait(read: int) -> None:
    while True:
        number = os.read(read, 1)[0]
        if number in _STATUS:
            drop_unfinished()
            sys.stderr.write("oddseam: stopped; no file was changed\n")
            sys.stderr.flush()
            os._exit(_STATUS[signal.Signals(number)])
